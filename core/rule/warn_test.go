package rule

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func warned(t *testing.T, rules ...Rule) []Warning {
	t.Helper()
	ws, err := matcher(t).Warnings(t.Context(), rules)
	require.NoError(t, err)
	return ws
}

func replying(id string, w When) Rule {
	return Rule{ID: id, Name: "Rule " + id, When: w, Then: []Action{{Kind: Reply, Text: "So."}}}
}

func TestRulesThatHoldForOneAnothersExamplesOverlap(t *testing.T) {
	keys := replying("keys", When{Contains: []string{"bag", "key"}})
	ws := warned(t, lost, keys)
	require.Len(t, ws, 1, "two rules are warned of once")
	assert.Equal(t, Overlap, ws[0].Kind)
	assert.Equal(t, []string{"keys", "lost"}, []string{ws[0].Rule, ws[0].Other})
	assert.Contains(t, ws[0].Text, "I have lost my bag")
	first := lost
	first.Stop = true
	assert.Contains(t, warned(t, first, keys)[0].Text, "comes first and stops")
	assert.Empty(t, warned(t, lost, replying("pets", When{Contains: []string{"dog"}})))
	off := keys
	off.Off = true
	assert.Empty(t, warned(t, lost, off))
}

func TestRulesBehindOneThatHoldsForEverythingAreNeverReached(t *testing.T) {
	all := replying("all", When{})
	all.Stop = true
	pets := replying("pets", When{Contains: []string{"dog"}})
	ws := warned(t, all, pets)
	require.Len(t, ws, 1)
	assert.Equal(t, Warning{"pets", Behind, "all", "it is never reached: “Rule all” holds for whatever is said, and stops"}, ws[0])
	onPage := all
	onPage.When.Pages = []string{"/fares"}
	assert.Empty(t, warned(t, onPage, pets), "it does not hold everywhere")
	goesOn := all
	goesOn.Stop = false
	assert.Empty(t, warned(t, goesOn, pets))
	assert.Empty(t, warned(t, pets, all), "it comes last")
}

// Precision and recall as in Manning, Raghavan and Schuetze 2008, section 8.3.
func TestRulesAreHeldAgainstLabelledMessages(t *testing.T) {
	pets, bags := replying("pets", When{Contains: []string{"dog", "cat"}}), replying("bags", When{Contains: []string{"bag"}})
	got, err := matcher(t).Test(t.Context(), []Rule{pets, bags, replying("never", When{Contains: []string{"zeppelin"}})}, []Labelled{
		{"Can I bring my dog?", []string{"pets"}},
		{"My cat is in the bag", []string{"pets"}},
		{"May a hamster come along?", []string{"pets"}},
		{"Where do I put my bag?", []string{"bags"}},
		{"How much is it?", nil},
	})
	require.NoError(t, err)
	require.Len(t, got, 3)
	assert.Equal(t, Tested{"pets", 2, []string{}, []string{"May a hamster come along?"}, 1, 2.0 / 3}, got[0])
	assert.Equal(t, Tested{"bags", 1, []string{"My cat is in the bag"}, []string{}, 0.5, 1}, got[1])
	assert.Equal(t, Tested{"never", 0, []string{}, []string{}, 0, 0}, got[2], "it neither fired nor should have")
}

func TestWhatIsReadBackCanBeChanged(t *testing.T) {
	rules := []Rule{callBack}
	told := []string{"call me back", "Ada Venn", "01632 960411", "skip"}
	for said, want := range map[string]string{
		"the name is Bea Holt":              "Changed. Name: Bea Holt; Phone: 01632 960411. Is that right?",
		"no":                                "What is to be changed? Name: Ada Venn; Phone: 01632 960411. Is that right?",
		"no, change the phone":              "Under which number?",
		"please change the name to Cy Lund": "Changed. Name: Cy Lund; Phone: 01632 960411. Is that right?",
	} {
		say, s := converse(t, rules, append(told[:len(told):len(told)], said)...)
		assert.Equal(t, want, say, said)
		assert.False(t, s.Form.Done)
	}
	say, s := converse(t, rules, append(told[:len(told):len(told)], "How much is a kayak?")...)
	assert.Contains(t, say, "An answer.", "a question in between is answered")
	assert.False(t, s.Form.Done)
}
