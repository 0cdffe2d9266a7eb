package answer

import (
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"jolvex/core/doc"
	"jolvex/core/index"
)

// garden is a manual with a list that has a lead-in, steps after an introduction, a section whose heading asks what may be asked, and a page
// of before.
var garden = map[string]string{
	"mower": "# Mower\n\n## Changing the blade\n\nWear gloves. The blade is sharp on both sides.\n\n1. Pull out the plug.\n2. Tip the mower on its left side.\n3. Loosen the bolt with the long key.\n4. Put the new blade on with the arrow upwards.\n5. Tighten the bolt.\n\n## What is a mulching plug?\n\nA mulching plug closes the chute, so that cut grass falls back on the lawn. It is sold with every mower. The plug is green.\n",
	"rules": "# Competition\n\n## Criteria for a prize\n\nA garden gets a prize if it meets these criteria.\n\n- It is smaller than an acre.\n- It is looked after by its owner.\n- It has been open to visitors for two years.\n- It holds at least one tree.\n\nPrizes are given out in May.\n",
	"old":   "# Opening\n\nThese hours are valid until 30 September 2020.\n\n## Garden\n\nThe garden opens at 11:00 for visitors.\n",
	"new":   "# Visiting\n\n## Garden\n\nThe garden opens at 09:30 for visitors.\n",
}

func TestAReplyHasItsForm(t *testing.T) {
	b := bench(t, index.Public, garden)
	b.Answer.Words, b.Pins.AsOf = 30, "2026-06-01T00:00:00Z"
	for _, c := range []struct {
		question string
		holds    []string // in this order
		lacks    []string
	}{
		{"How do I change the blade of the mower?", []string{"Wear gloves", "Pull out the plug", "Tip the mower", "Loosen the bolt", "arrow upwards", "Tighten the bolt"}, []string{"mulching"}},
		{"What are the criteria for a prize?", []string{"these criteria", "smaller than an acre", "by its owner", "two years", "one tree"}, []string{"in May"}},
		{"What is a mulching plug?", []string{"closes the chute"}, []string{"Pull out", "prize"}},
		{"When does the garden open for visitors?", []string{"09:30"}, []string{"11:00"}},
	} {
		r := ask(t, b, c.question)
		assert.Equal(t, Answered, r.Outcome, c.question)
		once := map[string]bool{}
		for _, s := range r.Reply {
			assert.False(t, once[s.Text], "%s: %q is said twice", c.question, s.Text)
			once[s.Text] = true
		}
		at := 0
		for _, h := range c.holds {
			i := strings.Index(r.Text()[at:], h)
			if assert.GreaterOrEqual(t, i, 0, "%s: %q is missing, or not in its place: %s", c.question, h, r.Text()) {
				at += i
			}
		}
		for _, l := range c.lacks {
			assert.NotContains(t, r.Text(), l, c.question)
		}
	}
}

// Who is asked about one thing is not answered with another of the family. (Common practice, no published source.)
func TestWhatIsNamedMustBeThere(t *testing.T) {
	b := bench(t, index.Public, map[string]string{
		"hornby": "# Hornby shop\n\nThe Hornby shop opens at 09:00 and has a café. Dogs may come in.\n",
		"quill":  "# Quill shop\n\nThe Quill shop opens at 10:00. It stands beside the church.\n",
		"map":    "# Map\n\nThe map shows all paths of the county.\n", "paths": "# Paths\n\nPaths are marked with red posts.\n", "trees": "# Trees\n\nThe oldest tree was planted in 1704.\n",
		"lake": "# Lake\n\nThe lake is stocked with trout.\n", "boats": "# Boats\n\nBoats are let by the hour.\n", "fees": "# Fees\n\nMembers pay nothing.\n", "bus": "# Bus\n\nThe bus stops at the gate.\n",
		"rain": "# Rain\n\nIn rain the paths are slippery.\n", "snow": "# Snow\n\nIn snow the gate stays shut.\n",
	})
	assert.Contains(t, ask(t, b, "When does the Hornby shop open?").Text(), "09:00")
	assert.Equal(t, Refused, ask(t, b, "When does the Mumford shop open?").Outcome)
	assert.Contains(t, ask(t, b, "In which year was the oldest tree planted?").Text(), "1704")
	assert.Equal(t, Refused, ask(t, b, "In which year was the Hornby shop built?").Outcome)
}

func TestAShortQuestionIsTriedWithTheOneBefore(t *testing.T) {
	b := bench(t, index.Public, garden)
	b.Query.FollowUp = true
	r := ask(t, b, "Which side?", "How do I change the blade of the mower?", "Wear gloves.")
	assert.Contains(t, r.Text(), "left side")
	r = ask(t, b, "Who won the world cup?", "How do I change the blade of the mower?", "Wear gloves.")
	assert.Equal(t, Refused, r.Outcome, "what was asked before is not answered once more")
}

func TestWhatLiesBetweenIsSaidOnce(t *testing.T) {
	b := bench(t, index.Public, map[string]string{"p": "# Parcels\n\nOne goes. Two stay. Three wait. Four come. Five are kept until Friday of next week.\n"})
	d, err := b.Texts.Version(t.Context(), "p")
	require.NoError(t, err)
	p := &passage{doc: d, units: unitsOf(d, doc.Span{End: len(d.Text)})}
	for _, c := range []struct{ said, all []int }{{[]int{0, 2, 3}, []int{0, 1, 2, 3}}, {[]int{0, 3}, []int{0, 1, 2, 3}}, {[]int{0, 2, 4}, []int{0, 1, 2, 3, 4}}, {[]int{0, 4}, []int{0, 4}}} {
		var qs []quote
		for _, u := range c.said {
			qs = append(qs, quote{p, u})
		}
		var got []int
		for _, q := range filled(qs) {
			got = append(got, q.u)
		}
		slices.Sort(got)
		assert.Equal(t, c.all, got, "%v", c.said)
	}
}
