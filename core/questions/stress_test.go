package questions

import (
	"slices"
	"testing"

	"jolvex/core/query"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func even(string) float64 { return 1 }

func TestTheStressKit(t *testing.T) {
	q := Question{ID: "k", Text: "How much is a kayak to Sandrel?", Expect: []Expectation{{Kind: Gives, Values: []string{"£6.50"}}, {Kind: Cites, Values: []string{"/kayaks"}}}}
	got := Stress(q, even)
	assert.Equal(t, got, Stress(q, even), "the same each time")
	seen := map[string]int{}
	ids := map[string]bool{}
	for _, v := range got {
		require.NoError(t, v.Check(), v.Text)
		require.Len(t, v.Tags, 1)
		seen[v.Tags[0]]++
		assert.False(t, ids[v.ID], v.ID)
		ids[v.ID] = true
		if v.Refusal() {
			assert.Empty(t, v.Group, "what is beside the subject is no variant")
		} else {
			assert.Equal(t, "k", v.Group)
			assert.Contains(t, v.Expect, q.Expect[0])
		}
	}
	for _, kind := range Stresses() {
		assert.Positive(t, seen[kind], kind)
	}
	texts := func(kind string) (out []string) {
		for _, v := range got {
			if slices.Contains(v.Tags, kind) {
				out = append(out, v.Text)
			}
		}
		return out
	}
	assert.Equal(t, []string{"kayak sandrel"}, texts(StressTwoWord))
	assert.Contains(t, texts(StressReworded), "What do I have to pay for a kayak to Sandrel?")
	assert.Equal(t, []string{"I was told it is £7.50, is that right? How much is a kayak to Sandrel?"}, texts(StressFalsePremise))
}

// Damerau 1964: one slip is one insertion, deletion, substitution, or transposition of neighbours.
func TestASlipIsOneEdit(t *testing.T) {
	const s = "Where is the timetable?"
	got := misspell(s, even)
	require.Len(t, got, 2, "one long word")
	for _, m := range got {
		assert.NotEqual(t, s, m)
		assert.LessOrEqual(t, query.Distance(s, m, 5), 1, m)
	}
	two := misspell("Is breakfast included overnight?", even)
	require.Len(t, two, 3)
	assert.Equal(t, 2, query.Distance("Is breakfast included overnight?", two[2], 5), two[2])
	assert.Empty(t, misspell("Is it on?", even), "short words are left alone")
}
