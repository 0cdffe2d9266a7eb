package ground

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

var kayaks = []Row{
	{Text: "Single kayak – One hour: £9; Whole day: £30; Licence: none.", Label: "Single kayak", Cells: []Cell{{"One hour", "£9"}, {"Whole day", "£30"}, {"Licence", "none"}}},
	{Text: "Double kayak – One hour: £15; Whole day: £48; Licence: none.", Label: "Double kayak", Cells: []Cell{{"One hour", "£15"}, {"Whole day", "£48"}, {"Licence", "none"}}},
	{Text: "Motor boat – One hour: £40; Whole day: £150; Licence: needed.", Label: "Motor boat", Cells: []Cell{{"One hour", "£40"}, {"Whole day", "£150"}, {"Licence", "needed"}}},
}

func source(heading, text string, rows ...Row) []Source {
	for _, r := range rows {
		text += "\n" + r.Text
	}
	return []Source{{Heading: heading, Text: text, Rows: rows}}
}

// What is carried and what is not is told by what the passages say; each case is one way in which a claim goes wrong, or is only put in
// other words.
func TestClaimsAreHeldAgainstOneThing(t *testing.T) {
	boats := source("Boats for hire", "", kayaks...)
	shop := source("Bakery", "Bread is baked every day except Monday. Rye bread costs £3.40 and white bread £2.80. Only wholesalers get a discount. Cakes can be ordered two days ahead; tarts, a week ahead. Cream cakes are not sent by post.")
	cases := []struct {
		name     string
		evidence []Source
		said     string
		trouble  string // "" where it is carried
	}{
		{"its own row", boats, "A double kayak is £15 for one hour.", ""},
		{"rows in turn", boats, "A single kayak costs £9 for one hour, and a double kayak £15.", ""},
		{"another row's figure", boats, "A single kayak costs £15 for one hour.", Misplace},
		{"another column's figure", boats, "A double kayak costs £15 for the whole day.", Misplace},
		{"a figure of each of two rows", boats, "A double kayak costs £15 for one hour and £150 for the whole day.", Misplace},
		{"its own value", boats, "A licence is needed for the motor boat.", ""},
		{"another row's value", boats, "A licence is needed for the double kayak.", Misplace},
		{"a right comparison", boats, "A single kayak is cheaper than a double kayak.", ""},
		{"a wrong comparison", boats, "A motor boat is cheaper than a double kayak.", Compare},
		{"a wrong first place", boats, "The single kayak costs the most.", Compare},
		{"its own figure in a sentence", shop, "White bread is £2.80.", ""},
		{"the other figure of a sentence", shop, "White bread costs £3.40.", Misplace},
		{"an exception told", shop, "There is no fresh bread on Mondays.", ""},
		{"an exception said to hold", shop, "Bread is baked on Monday.", Limit},
		{"only, dropped for a thing that is not there", shop, "Schools get a discount.", Limit},
		{"only, added", shop, "Only cakes can be ordered two days ahead.", Limit},
		{"a denial taken away", shop, "Cream cakes are sent by post.", Negation},
		{"a denial kept in other words", shop, "Cream cakes aren't sent by post.", ""},
		{"a fortnight", source("Hire", "Skis are lent for fourteen days at most."), "Skis are lent for a fortnight at most.", ""},
		{"a year and a half", source("Pass", "The pass holds for eighteen months."), "The pass holds for a year and a half.", ""},
		{"a day", source("Pass", "The pass holds for 24 hours."), "The pass holds for one day.", ""},
		{"another length", source("Pass", "The pass holds for 24 hours."), "The pass holds for two days.", Figure},
		{"turned round", source("Ferry", "You change from the launch to the steamer at Hobb."), "You change from the steamer to the launch at Hobb.", Misplace},
		{"a deed in the passive", shop, "Your cake has been ordered.", Deed},
		{"a deed that is on its way", shop, "Your parcel is on its way.", Deed},
		{"something hung on", shop, "Bread is baked every day except Monday in a wood oven.", Added},
		{"another subject", source("Boats", "The green boat takes six people and has a roof. The white boat takes four people."), "The white boat has a roof.", Misplace},
		{"another number of its kind", source("Piers", "Boats to Hobb leave from berth 3, near the office. Tickets are sold from 5 on."), "Boats to Hobb leave from berth 5.", Misplace},
		{"its own number", source("Piers", "Boats to Hobb leave from berth 3, near berth 4."), "Boats to Hobb leave from berth 3.", ""},
		{"an exception taken in", source("Lift", "There is no lift; the crew can carry a folding wheelchair, but not a powered one."), "There is no lift; the crew can carry a folding wheelchair, but a powered one.", Negation},
		{"a bound from the other side", source("Group", "There must be at least six people in a group."), "There must be at most six people in a group.", Opposite},
	}
	g := grounder(t)
	g.Words = g.Sentence.(WordVectors)
	for _, c := range cases {
		x, err := g.Check(t.Context(), c.said, "", c.evidence)
		require.NoError(t, err)
		if c.trouble == "" {
			assert.Empty(t, x.Troubles, c.name)
			assert.Greater(t, x.Score, 0.5, c.name)
			continue
		}
		assert.True(t, x.Has(c.trouble), "%s: %+v", c.name, x)
		assert.Less(t, x.Score, 0.5, c.name)
	}
}
