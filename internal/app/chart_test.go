package app_test

import (
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"jolvex/core/questions"
	"jolvex/internal/proving/coverage"
)

func TestTheChartShowsDocumentsAndQuestionsByMeaning(t *testing.T) {
	a := fresh(t)
	gather(t, a, "c", ferries(t))
	refuse := questions.Expectation{Kind: questions.Refuses}
	_, err := a.Proving.Sets.PutQuestions(t.Context(), "c", "s", []questions.Question{
		{ID: "dogs", Text: "Must dogs be on a lead?", Expect: []questions.Expectation{says("on a lead")}},
		{ID: "cup", Text: "Who won the football world cup?", Expect: []questions.Expectation{refuse}},
		{ID: "wrong", Text: "How much is a bicycle?", Expect: []questions.Expectation{says("seventy guineas")}},
	})
	require.NoError(t, err)
	none, err := a.Proving.Coverage.Chart(t.Context(), "c", "s")
	require.NoError(t, err)
	assert.Nil(t, none.Chart)
	assert.True(t, none.Stale)
	ran(t, a, "s")
	j, err := a.Proving.Coverage.DrawChart(t.Context(), "c", "s")
	require.NoError(t, err)
	require.Equal(t, "done", ended(t, a, "c", j.ID).State)
	got, err := a.Proving.Coverage.Chart(t.Context(), "c", "s")
	require.NoError(t, err)
	require.NotNil(t, got.Chart)
	assert.False(t, got.Stale)
	assert.Greater(t, len(got.Chart.Documents), 40)
	assert.NotEmpty(t, got.Chart.Regions)
	marks := map[string]string{}
	for _, q := range got.Chart.Questions {
		marks[q.ID] = q.Mark
	}
	assert.Equal(t, map[string]string{"dogs": coverage.MarkPassed, "cup": coverage.MarkRefused, "wrong": coverage.MarkFailed}, marks)
	assert.True(t, slices.IsSortedFunc(got.Chart.Documents, func(x, y coverage.ChartDocument) int { return strings.Compare(x.Address, y.Address) }), "the order in which they came in has no say")
	words, cited := 0, 0
	for _, d := range got.Chart.Documents {
		words, cited = words+d.Words, cited+d.Cited
	}
	assert.Greater(t, words, 1000)
	assert.Positive(t, cited)
	_, err = a.Gathering.Upload(t.Context(), "c", "new.md", "", []byte("# New\n\nSomething that was not there before.\n"))
	require.NoError(t, err)
	idle(t, a, "c")
	stale, err := a.Proving.Coverage.Chart(t.Context(), "c", "s")
	require.NoError(t, err)
	assert.True(t, stale.Stale, "the corpus has changed since")
	assert.NotNil(t, stale.Chart, "and is shown as it was")
}
