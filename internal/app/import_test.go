package app_test

import (
	"strings"
	"testing"

	"jolvex/internal/fault"
	"jolvex/internal/proving/runs"
	"jolvex/internal/proving/sets"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

const skerrowe = `{"version":"v2.0","data":[{"title":"The_Skerrowe","paragraphs":[
	{"context":"The Skerrowe was built in 1996 by the yard at Bracken Holm. She carries eighty-six passengers.","qas":[
		{"id":"a","question":"When was the Skerrowe built?","answers":[{"text":"1996"}]},
		{"id":"b","question":"How many passengers does the Skerrowe carry?","answers":[{"text":"eighty-six"}]},
		{"id":"c","question":"What is the capital of Mongolia?","is_impossible":true,"answers":[]}]},
	{"context":"The door to her cabin is 68 cm wide and has a step of 15 cm.","qas":[{"id":"d","question":"How wide is the door to the cabin?","answers":[{"text":"68 cm"}]}]}]}]}`

func TestASetComesInWithItsDocuments(t *testing.T) {
	a := fresh(t)
	create(t, a, "c")
	seen, err := a.Proving.Sets.ImportSet(t.Context(), "c", "squad", []byte(skerrowe), false, false)
	require.NoError(t, err)
	assert.Equal(t, []any{"squad", 4, 2}, []any{seen.Form, seen.Questions, seen.Documents})
	assert.Nil(t, seen.Set, "it was only read")
	misplaced := func(x sets.ImportedSet) (n int) {
		for _, d := range x.Doubtful {
			if strings.Contains(d.What, "does not stand at character 9999") {
				n++
			}
		}
		return n
	}
	assert.Zero(t, misplaced(seen))
	moved, err := a.Proving.Sets.ImportSet(t.Context(), "c", "squad", []byte(strings.ReplaceAll(skerrowe, `"text":"1996"`, `"text":"1996","answer_start":9999`)), false, false)
	require.NoError(t, err)
	assert.Equal(t, 1, misplaced(moved), "an answer that stands elsewhere than its file says is told before it goes in")
	_, err = a.Proving.Sets.QuestionSet(t.Context(), "c", "squad")
	require.ErrorIs(t, err, fault.ErrMissing)

	got, err := a.Proving.Sets.ImportSet(t.Context(), "c", "squad", []byte(skerrowe), true, true)
	require.NoError(t, err)
	assert.Equal(t, 4, got.Set.Count)
	r, j, err := a.Proving.Runs.StartRun(t.Context(), "c", "squad", runs.Order{})
	require.NoError(t, err)
	require.Equal(t, "done", ended(t, a, "c", j.ID).State)
	run, results, err := a.Proving.Runs.RunResults(t.Context(), "c", r.ID)
	require.NoError(t, err)
	for _, x := range results {
		assert.True(t, x.Verdict.Passed, "%s: %+v", x.Question.ID, x.Verdict.Findings)
	}
	assert.Equal(t, 4, run.Summary.Passed.Hits)
	_, err = a.Proving.Sets.ImportSet(t.Context(), "c", "bad", []byte("a,b\n1,2\n"), true, false)
	assert.ErrorIs(t, err, fault.ErrInput)
	_, err = a.Proving.Sets.ImportSet(t.Context(), "c", "none", []byte("question,answer\nWhat?,\n"), true, false)
	assert.ErrorIs(t, err, fault.ErrInput, "nothing is half imported")
}
