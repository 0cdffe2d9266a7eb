package answer

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

var boats = map[string]string{
	"north": "# North crossing\n\n## The boat\n\nThe boat carries cars and vans.\n\n## Time\n\nThe crossing takes 40 minutes.\n",
	"south": "# South crossing\n\n## The boat\n\nThe boat carries foot passengers only and no cars.\n\n## Time\n\nThe crossing takes 25 minutes.\n",
	"west":  "# West crossing\n\n## The boat\n\nUp to six cars fit on the boat.\n\n## Time\n\nThe crossing takes an hour and a quarter.\n",
	"food":  "# Food\n\nThe kiosk on the quay sells tea and sandwiches. It opens at nine.\n",
}

// A list that no page holds is put together from parallel pages, each under its own name; what says no comes last.
func TestAListIsPutTogetherFromParallelPages(t *testing.T) {
	b := bench(t, "public", boats)
	trail := ask(t, b, "Which crossings take cars?")
	text := trail.Text()
	require.Equal(t, Answered, trail.Outcome, trail.Why)
	for _, want := range []string{"North crossing: The boat carries cars and vans.", "West crossing: Up to six cars fit on the boat."} {
		assert.Contains(t, text, want)
	}
	no := strings.Index(text, "South crossing: The boat carries foot passengers only")
	assert.Greater(t, no, strings.Index(text, "West crossing"), text)
	assert.NotContains(t, text, "tea", "another page is no part of the list")
	for _, s := range trail.Reply {
		assert.GreaterOrEqual(t, s.Candidate, 0, "every entry is cited")
	}
}

func TestRowsThatSayYesAreTheList(t *testing.T) {
	b := bench(t, "public", map[string]string{
		"huts": "# Huts\n\n| Hut | Beds | Dogs |\n|---|---|---|\n| Alder | 8 | yes |\n| Birch | 12 | no |\n| Cedar | 6 | yes |\n| Dogwood lodge | 4 | – |\n",
		"map":  "# Map\n\nThe map shows all paths.\n",
	})
	trail := ask(t, b, "Which huts allow dogs?")
	text := trail.Text()
	require.Equal(t, Answered, trail.Outcome, trail.Why)
	assert.Contains(t, text, "Alder")
	assert.Contains(t, text, "Cedar")
	assert.NotContains(t, text, "Birch")
	assert.NotContains(t, text, "Dogwood")
}

func TestTwoThingsAreToldSideBySide(t *testing.T) {
	b := bench(t, "public", boats)
	trail := ask(t, b, "Which crossing is quicker, the north crossing or the south crossing?")
	text := trail.Text()
	require.Equal(t, Answered, trail.Outcome, trail.Why)
	assert.True(t, strings.HasPrefix(text, "South crossing (quicker): "), text)
	assert.Contains(t, text, "25 minutes")
	assert.Contains(t, text, "North crossing: ")
	assert.Contains(t, text, "40 minutes")
	require.Len(t, trail.Parts, 2)
	assert.Equal(t, len(trail.Reply), trail.Parts[1].To)

	b.Answer.Lists = false
	text = ask(t, b, "Which crossing is quicker, the north crossing or the south crossing?").Text()
	assert.NotContains(t, text, "(quicker)")
}

// Nothing is told side by side when one side has no answer: that would read as if both had.
func TestASideWithoutAnAnswerIsNotToldApart(t *testing.T) {
	b := bench(t, "public", boats)
	trail := ask(t, b, "Which is quicker, the north crossing or the helicopter?")
	assert.Empty(t, trail.Parts)
}

func TestASentenceThatPointsBackIsNamed(t *testing.T) {
	b := bench(t, "public", map[string]string{
		"prams": "# Travelling with children\n\n## Pushchairs\n\nThey travel free of charge on every boat. They are folded in bad weather.\n\n## Cots\n\nIt is possible to hire a cot at the desk for £4.\n",
		"other": "# Parking\n\nThe car park is behind the school.\n",
	})
	text := ask(t, b, "Do pushchairs travel free?").Text()
	assert.Contains(t, text, "Pushchairs: They travel free of charge")
	assert.Equal(t, 1, strings.Count(text, "Pushchairs:"), "what follows it needs no name")
	text = ask(t, b, "How much is it to hire a cot?").Text()
	assert.NotContains(t, text, "Cots: It is possible", "this 'it' points at nothing")
}

func TestWordsThatPointBack(t *testing.T) {
	for s, want := range map[string]bool{
		"They are free.": true, "This applies on Sundays.": true, "Its doors close early.": true, "These cost £2.": true,
		"The boat is free.": false, "This page is old.": false, "It is important to book.": false, "It takes about 20 minutes to board.": false, "Itchen Quay is near.": false,
	} {
		assert.Equal(t, want, backward.MatchString(s) && !pointless.MatchString(s), s)
	}
}

func TestQuestionsForAllOfAKind(t *testing.T) {
	for q, want := range map[string]bool{
		"Which crossings take a car?": true, "What islands can I reach by bicycle?": true, "List all the rooms with a shower": true, "On which days do boats sail late?": true,
		"What are the islands?": true, "What happens in fog?": false, "Which costs more?": false, "Which berth do boats leave from?": false, "What is a season ticket?": false, "How many boats are there?": false,
	} {
		_, all := asksForAll(q)
		assert.Equal(t, want, all, q)
	}
}
