package app_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"jolvex/core/questions"
	"jolvex/internal/fault"
	"jolvex/internal/indexing"
	"jolvex/internal/proving/runs"
)

func TestTwoRunsAreCompared(t *testing.T) {
	a := fresh(t)
	withDogs(t, a)
	_, err := a.Proving.Sets.PutQuestions(t.Context(), "c", "s", []questions.Question{
		{ID: "lead", Text: "Must dogs be on a lead?", Expect: []questions.Expectation{{Kind: questions.Mentions, Values: []string{"lead"}}}},
		{ID: "cup", Text: "Who won the football world cup?", Expect: []questions.Expectation{{Kind: questions.Refuses}}},
	})
	require.NoError(t, err)
	run := func() string {
		r, j, err := a.Proving.Runs.StartRun(t.Context(), "c", "s", runs.Order{})
		require.NoError(t, err)
		require.Equal(t, "done", ended(t, a, "c", j.ID).State)
		return r.ID
	}
	before := run()
	m, err := a.Indexing.Method(t.Context(), "c")
	require.NoError(t, err)
	m.Answer.Bar = 1
	_, err = a.Indexing.SaveMethod(t.Context(), "c", m)
	require.NoError(t, err)
	got, err := a.Proving.Runs.CompareRuns(t.Context(), "c", before, run())
	require.NoError(t, err)
	assert.Equal(t, []string{"lead"}, got.Sums.Broken)
	assert.Equal(t, 1.0, got.Sums.P, "one question tells nothing")
	assert.Equal(t, []indexing.SettingPair{{Key: "answer.bar", Label: "Evidence bar", Before: "0.5", After: "1"}}, got.Settings)
	require.Len(t, got.Replies, 1)
	assert.Contains(t, got.Replies[0].Before, "lead")
	assert.NotContains(t, got.Replies[0].After, "lead")
	_, err = a.Proving.Runs.CompareRuns(t.Context(), "c", before, "nothing")
	assert.ErrorIs(t, err, fault.ErrMissing)
}
