package app_test

import (
	"fmt"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"jolvex/core/diagnose"
	"jolvex/core/prove"
	"jolvex/core/questions"
	"jolvex/internal/app"
	"jolvex/internal/fault"
	"jolvex/internal/proving/trials"
)

// asked is a set over the animals page and questions beside it.
func asked(t *testing.T, a *app.App, n int) {
	t.Helper()
	var qs []questions.Question
	for i := range n {
		qs = append(qs, questions.Question{ID: fmt.Sprint(i), Text: "Must dogs be on a lead?", Expect: []questions.Expectation{says("lead")}})
	}
	qs = append(qs, questions.Question{ID: "cup", Text: "Who won the football world cup?", Expect: []questions.Expectation{{Kind: questions.Refuses}}})
	_, err := a.Proving.Sets.PutQuestions(t.Context(), "c", "s", qs)
	require.NoError(t, err)
}

func TestATrialFindsTheBetterMethodAndAppliesIt(t *testing.T) {
	a := fresh(t)
	withDogs(t, a)
	asked(t, a, 12)
	m, err := a.Indexing.Method(t.Context(), "c")
	require.NoError(t, err)
	m.Answer.Bar = 1 // refuses everything
	_, err = a.Indexing.SaveMethod(t.Context(), "c", m)
	require.NoError(t, err)
	plan := prove.Plan{Search: prove.SearchGrid, Factors: []prove.Factor{
		{Key: "answer.bar", Values: []string{"0.5", "1"}}, {Key: "chunk.size", Values: []string{"100", "200"}}, {Key: "find.keep", Values: []string{"4", "8"}},
	}}
	cost, err := a.Proving.Trials.EstimateTrial(t.Context(), "c", "s", plan)
	require.NoError(t, err)
	assert.Equal(t, 9, cost.Methods, "the draft and eight more")
	assert.Equal(t, 9*13, cost.Questions)
	assert.Equal(t, 2, cost.Indexes, "one for each size of chunk: the draft's own is there")
	assert.Positive(t, cost.Seconds)

	before, err := a.Indexing.Method(t.Context(), "c")
	require.NoError(t, err)
	st, j, err := a.Proving.Trials.StartTrial(t.Context(), "c", "s", plan)
	require.NoError(t, err)
	require.Equal(t, "done", ended(t, a, "c", j.ID).State)
	after, err := a.Indexing.Method(t.Context(), "c")
	require.NoError(t, err)
	assert.Equal(t, before, after, "a trial changes nothing")

	all, err := a.Proving.Trials.Studies(t.Context(), "c")
	require.NoError(t, err)
	require.Equal(t, st.ID, all[0].ID)
	got := all[0].Trial
	require.NotNil(t, got)
	require.Len(t, got.Arms, 9)
	assert.True(t, got.Sums.Sure, got.Sums.Why)
	pick := got.Arms[got.Sums.Pick]
	assert.Equal(t, "0.5", pick.Settings["answer.bar"])
	assert.Equal(t, 12, pick.Fixed)
	assert.Equal(t, "answer.bar", got.Sums.Factors[0].Key)
	assert.InDelta(t, 1, got.Sums.Factors[0].Share, 1e-9)
	assert.Equal(t, 1.0, got.Sums.Honest.Rate)

	_, err = a.Proving.Trials.ApplyChange(t.Context(), "c", trials.Applied{Change: diagnose.Alteration{Settings: pick.Settings}, Note: "out of a trial", Trial: st.ID})
	require.NoError(t, err)
	h, err := a.Indexing.MethodHistory(t.Context(), "c")
	require.NoError(t, err)
	require.NotNil(t, h[0].Evidence)
	assert.Equal(t, st.ID, h[0].Evidence.Trial)
	assert.Contains(t, h[0].Evidence.Text, "trial of 8 methods: ")
	assert.Contains(t, h[0].Evidence.Text, "12 fixed, 0 broken")
	after, err = a.Indexing.Method(t.Context(), "c")
	require.NoError(t, err)
	assert.Equal(t, 0.5, after.Answer.Bar)
}

func TestHalvingGivesUpTheWorse(t *testing.T) {
	a := fresh(t)
	withDogs(t, a)
	asked(t, a, 47)
	_, j, err := a.Proving.Trials.StartTrial(t.Context(), "c", "s", prove.Plan{Search: prove.SearchHalving, Factors: []prove.Factor{{Key: "answer.bar", Values: []string{"0.5", "0.6", "0.99", "1"}}}})
	require.NoError(t, err)
	require.Equal(t, "done", ended(t, a, "c", j.ID).State)
	all, err := a.Proving.Trials.Studies(t.Context(), "c")
	require.NoError(t, err)
	whole := 0
	for _, arm := range all[0].Trial.Arms {
		if arm.Whole {
			whole++
			assert.NotEqual(t, "1", arm.Settings["answer.bar"])
		}
	}
	assert.Less(t, whole, 5)
	assert.True(t, all[0].Trial.Arms[0].Whole, "the draft is kept in: the others are compared with it")
}

func TestAPlanThatCannotBeTried(t *testing.T) {
	a := fresh(t)
	withDogs(t, a)
	asked(t, a, 1)
	for _, p := range []prove.Plan{
		{Search: prove.SearchGrid},
		{Search: prove.SearchGrid, Factors: []prove.Factor{{Key: "no.such", Values: []string{"1"}}}},
		{Search: prove.SearchGrid, Factors: []prove.Factor{{Key: "answer.bar", Values: []string{"7"}}}},
	} {
		_, _, err := a.Proving.Trials.StartTrial(t.Context(), "c", "s", p)
		assert.ErrorIs(t, err, fault.ErrInput)
		_, err = a.Proving.Trials.EstimateTrial(t.Context(), "c", "s", p)
		assert.ErrorIs(t, err, fault.ErrInput)
	}
}
