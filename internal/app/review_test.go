package app_test

import (
	"encoding/csv"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"jolvex/core/questions"
	"jolvex/internal/fault"
	"jolvex/internal/proving/runs"
)

func TestVerdictsAreReviewedAndTheListIsHandedOn(t *testing.T) {
	a := fresh(t)
	withDogs(t, a)
	m, err := a.Indexing.Method(t.Context(), "c")
	require.NoError(t, err)
	m.Answer.Bar = 1
	_, err = a.Indexing.SaveMethod(t.Context(), "c", m)
	require.NoError(t, err)
	_, err = a.Proving.Sets.PutQuestions(t.Context(), "c", "s", []questions.Question{
		{ID: "lead", Text: "Must dogs be on a lead?", Expect: []questions.Expectation{says("on a lead")}},
		{ID: "price", Text: "How much is a dog?", Expect: []questions.Expectation{figure("£2.00")}},
		{ID: "cup", Text: "Who won the football world cup?", Expect: []questions.Expectation{{Kind: questions.Refuses}}},
	})
	require.NoError(t, err)
	run, results := ran(t, a, "s")
	require.Len(t, results, 3)
	put := func(q string, v runs.Review) {
		require.NoError(t, a.Proving.Runs.PutReview(t.Context(), "c", run.ID, q, v))
	}
	put("lead", runs.Review{Mark: runs.ReviewRight, Note: " =lower(the bar) ", Owner: "Ida"})
	put("cup", runs.Review{Mark: runs.ReviewDoubtful})
	put("price", runs.Review{Mark: runs.ReviewWrong})
	put("price", runs.Review{})
	got, err := a.Proving.Runs.Reviews(t.Context(), "c", run.ID)
	require.NoError(t, err)
	assert.Equal(t, map[string]runs.Review{"lead": {Mark: runs.ReviewRight, Note: "=lower(the bar)", Owner: "Ida"}, "cup": {Mark: runs.ReviewDoubtful}}, got)
	require.ErrorIs(t, a.Proving.Runs.PutReview(t.Context(), "c", run.ID, "none", runs.Review{Mark: "right"}), fault.ErrMissing)

	raw, err := a.Proving.Runs.ExportReviews(t.Context(), "c", run.ID)
	require.NoError(t, err)
	rows, err := csv.NewReader(strings.NewReader(string(raw))).ReadAll()
	require.NoError(t, err)
	require.Len(t, rows, 4, "what failed, and what was said of the others")
	assert.Equal(t, "wrongly refused", rows[1][4])
	assert.Equal(t, []string{"right", "'=lower(the bar)", "Ida"}, rows[1][7:], "no spreadsheet takes it for a formula")

	cs, err := a.Proving.Runs.Clusters(t.Context(), "c", run.ID)
	require.NoError(t, err)
	require.NotEmpty(t, cs)
	assert.ElementsMatch(t, []string{"lead", "price"}, cs[0].Questions)
	assert.Equal(t, 2, cs[0].Cures)
	assert.NotEmpty(t, cs[0].Fix.Change.Settings["answer.bar"])
}
