package answer

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"jolvex/core/index"
)

func TestSeveralQuestionsAreAnsweredPartByPart(t *testing.T) {
	b := bench(t, index.Public, pages)
	b.Query.Split, b.Answer.Unfound = true, "On “{question}” I have nothing."
	r := ask(t, b, "How much is an adult return to Little Hobb, and what happens in fog?")
	require.Len(t, r.Parts, 2)
	assert.Equal(t, Answered, r.Outcome)
	assert.Contains(t, r.Text(), "£20.30")
	assert.Contains(t, r.Text(), "half speed")
	for _, s := range r.Reply {
		if s.Candidate >= 0 {
			assert.Equal(t, s.Version, r.Candidates[s.Candidate].Version, "every citation leads to its candidate")
		}
	}
	assert.Equal(t, len(r.Reply), r.Parts[1].To)

	r = ask(t, b, "What happens in fog? And who won the football world cup?")
	assert.Equal(t, Answered, r.Outcome)
	assert.Contains(t, r.Text(), "half speed")
	assert.Contains(t, r.Text(), "On “And who won the football world cup” I have nothing.")
	assert.Equal(t, []Outcome{Answered, Refused}, []Outcome{r.Parts[0].Outcome, r.Parts[1].Outcome})

	r = ask(t, b, "Who won the football world cup? What is the capital of Mongolia?")
	assert.Equal(t, Refused, r.Outcome)
	assert.Equal(t, "Nothing about that. Ring us.", r.Text(), "refused as one")

	r = ask(t, b, "Must dogs be on a lead? Must dogs be on a lead on board?")
	said := map[string]int{}
	for _, s := range r.Reply {
		said[s.Text]++
		assert.Equal(t, 1, said[s.Text], "nothing is said twice")
	}
}

func TestAPartLeansOnTheOneBefore(t *testing.T) {
	b := bench(t, index.Public, pages)
	b.Query.Split = true
	r := ask(t, b, "Can I bring dogs? How much is it?")
	require.Len(t, r.Parts, 2)
	assert.Contains(t, r.Text(), "£2.00")
	assert.Contains(t, r.Parts[1].Reading.Context, "dog")
}
