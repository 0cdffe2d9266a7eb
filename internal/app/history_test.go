package app_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"jolvex/core/query"
	"jolvex/core/questions"
	"jolvex/internal/fault"
	"jolvex/internal/indexing"
	"jolvex/internal/proving/runs"
	"jolvex/internal/proving/trials"
)

func TestTheDraftHasAHistory(t *testing.T) {
	a := fresh(t)
	withDogs(t, a)
	m, err := a.Indexing.Method(t.Context(), "c")
	require.NoError(t, err)
	_, err = a.Indexing.SaveMethod(t.Context(), "c", m)
	require.NoError(t, err)
	before, err := a.Indexing.MethodHistory(t.Context(), "c")
	require.NoError(t, err)
	m.Answer.Bar = 0.7
	_, err = a.Indexing.SaveMethod(t.Context(), "c", m)
	require.NoError(t, err)
	m.Glossary = []query.Entry{{Term: "sup", Means: []string{"paddleboard"}}}
	_, err = a.Indexing.SaveMethod(t.Context(), "c", m)
	require.NoError(t, err)
	h, err := a.Indexing.MethodHistory(t.Context(), "c")
	require.NoError(t, err)
	require.Len(t, h, len(before)+2, "saving what is saved is no change")
	assert.Equal(t, []indexing.SettingPair{{Key: "glossary", Label: "Glossary", Before: "0 entries", After: "1 entries"}}, h[0].Settings)
	assert.Equal(t, "answer.bar", h[1].Settings[0].Key)
	assert.Equal(t, []string{"0.5", "0.7"}, []string{h[1].Settings[0].Before, h[1].Settings[0].After})
	first := h[len(h)-1]
	assert.Zero(t, first.Number)
	assert.Empty(t, first.Settings)

	_, err = a.Indexing.RestoreMethod(t.Context(), "c", h[1].Number)
	require.NoError(t, err)
	now, err := a.Indexing.Method(t.Context(), "c")
	require.NoError(t, err)
	assert.InDelta(t, 0.7, now.Answer.Bar, 1e-9)
	assert.Empty(t, now.Glossary)
	h, err = a.Indexing.MethodHistory(t.Context(), "c")
	require.NoError(t, err)
	assert.Contains(t, h[0].Why, "as it was after change")
	_, err = a.Indexing.RestoreMethod(t.Context(), "c", 99)
	assert.ErrorIs(t, err, fault.ErrMissing)
}

func TestWhatWasMeasuredGoesWithAChange(t *testing.T) {
	a := fresh(t)
	withDogs(t, a)
	setOf(t, a, "s", questions.Question{ID: "q", Text: "Must dogs be on a lead?", Expect: []questions.Expectation{{Kind: questions.Refuses}}})
	r, j, err := a.Proving.Runs.StartRun(t.Context(), "c", "s", runs.Order{})
	require.NoError(t, err)
	require.Equal(t, "done", ended(t, a, "c", j.ID).State)
	change := set("answer.bar", "1")
	tried, j, err := a.Proving.Runs.StartRun(t.Context(), "c", "s", runs.Order{Change: change, Note: "answer nothing"})
	require.NoError(t, err)
	require.Equal(t, "done", ended(t, a, "c", j.ID).State)
	_, err = a.Proving.Trials.ApplyChange(t.Context(), "c", trials.Applied{Change: change, Note: "answer nothing", Run: tried.ID, Before: r.ID})
	require.NoError(t, err)
	h, err := a.Indexing.MethodHistory(t.Context(), "c")
	require.NoError(t, err)
	assert.Equal(t, "answer nothing", h[0].Why)
	require.NotNil(t, h[0].Evidence)
	assert.Equal(t, tried.ID, h[0].Evidence.Run)
	assert.Equal(t, "tried over 1 questions of “s”: 1 fixed, 0 broken, p 1.000", h[0].Evidence.Text)
	_, err = a.Proving.Trials.ApplyChange(t.Context(), "c", trials.Applied{Change: change, Run: tried.ID, Before: "nowhere"})
	assert.ErrorIs(t, err, fault.ErrMissing, "what speaks for a change has to be there")
	_, err = a.Proving.Trials.ApplyChange(t.Context(), "c", trials.Applied{Change: change, Trial: "nowhere"})
	assert.ErrorIs(t, err, fault.ErrMissing)
}
