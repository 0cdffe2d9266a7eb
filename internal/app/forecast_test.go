package app_test

import (
	"fmt"
	"math"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"jolvex/core/prove"
	"jolvex/core/questions"
	"jolvex/internal/connections"
	"jolvex/internal/fault"
	"jolvex/internal/proving/runs"
	"jolvex/internal/sim"
	"jolvex/internal/store"
)

// leads asks so many times whether dogs must be on a lead.
func leads(n int) []questions.Question {
	qs := make([]questions.Question, n)
	for i := range qs {
		qs[i] = questions.Question{ID: fmt.Sprint(i), Text: "Must dogs be on a lead?", Expect: []questions.Expectation{says("on a lead")}}
	}
	return qs
}

func TestARunIsForecastFromWhatWasMeasured(t *testing.T) {
	a := modelled(t, sim.Faithful, func(ch *connections.ConnectionChange) { ch.PriceIn, ch.PriceOut, ch.Cap = 100, 200, 50 })
	_, err := a.Proving.Sets.PutQuestions(t.Context(), "c", "s", leads(4))
	require.NoError(t, err)

	f, err := a.Proving.Runs.Forecast(t.Context(), "c", "s", 1, 1000, false)
	require.NoError(t, err)
	assert.Zero(t, f.Measured, "nothing was asked yet, so nothing is told")
	assert.Zero(t, f.Run)
	assert.Equal(t, sim.Faithful, f.Model)

	f, err = a.Proving.Runs.Forecast(t.Context(), "c", "s", 2, 1000, true)
	require.NoError(t, err)
	assert.Equal(t, "sample", f.From)
	assert.Equal(t, 4, f.Measured)
	sample := f

	run, _ := ran(t, a, "s")
	f, err = a.Proving.Runs.Forecast(t.Context(), "c", "s", 2, 1000, true)
	require.NoError(t, err)
	assert.Equal(t, "set", f.From)
	assert.Equal(t, 8, f.Questions)
	assert.InDelta(t, 2*run.Summary.TokensIn, f.Run.In, 1e-6, "twice as many questions read twice as much")
	assert.InDelta(t, 2*run.Summary.Price, f.Run.Price, 1e-9)
	assert.InDelta(t, 250*run.Summary.Price, f.Month.Price, 1e-6)
	assert.InDelta(t, f.Each.In, sample.Each.In, 1e-9, "the same questions cost the same")
	assert.True(t, f.Priced)
	assert.InDelta(t, 50, f.Cap, 0)
	assert.Positive(t, f.Spent)

	_, err = a.Proving.Sets.PutQuestions(t.Context(), "c", "other", leads(1))
	require.NoError(t, err)
	f, err = a.Proving.Runs.Forecast(t.Context(), "c", "other", 1, 0, false)
	require.NoError(t, err)
	assert.Equal(t, "corpus", f.From)

	cost, err := a.Proving.Trials.EstimateTrial(t.Context(), "c", "s", prove.Plan{Search: prove.SearchGrid, Factors: []prove.Factor{{Key: "answer.bar", Values: []string{"0.4", "0.6"}}}})
	require.NoError(t, err)
	assert.InDelta(t, float64(cost.Questions)*f.Each.Price, cost.Cost.Price, 1e-9)

	_, err = a.Proving.Runs.Forecast(t.Context(), "c", "s", 0, 1000, false)
	require.ErrorIs(t, err, fault.ErrInput)
	_, err = a.Proving.Runs.Forecast(t.Context(), "c", "s", 1, -1, false)
	assert.ErrorIs(t, err, fault.ErrInput)
}

func TestWithoutAModelARunCostsNothing(t *testing.T) {
	a := fresh(t)
	create(t, a, "c")
	_, err := a.Proving.Sets.PutQuestions(t.Context(), "c", "s", leads(1))
	require.NoError(t, err)
	f, err := a.Proving.Runs.Forecast(t.Context(), "c", "s", 1, 1000, true)
	require.NoError(t, err)
	assert.Equal(t, runs.Forecast{Questions: 1}, f)
}

func TestARepeatedQuestionCostsAsOftenAsItIsAsked(t *testing.T) {
	a := modelled(t, sim.Faithful, nil)
	_, err := a.Proving.Sets.PutQuestions(t.Context(), "c", "s", leads(1))
	require.NoError(t, err)
	once, _ := ran(t, a, "s")
	r, j, err := a.Proving.Runs.StartRun(t.Context(), "c", "s", runs.Order{Repeats: 3})
	require.NoError(t, err)
	require.Equal(t, store.Done, ended(t, a, "c", j.ID).State)
	thrice, _, err := a.Proving.Runs.RunResults(t.Context(), "c", r.ID)
	require.NoError(t, err)
	assert.Equal(t, 3*once.Summary.TokensIn, thrice.Summary.TokensIn)
	assert.InDelta(t, 3*once.Summary.Price, thrice.Summary.Price, 1e-12)
	f, err := a.Proving.Runs.Forecast(t.Context(), "c", "s", 1, 0, false)
	require.NoError(t, err)
	assert.InDelta(t, once.Summary.TokensIn, f.Each.In, 1e-9, "a run that asked three times is not three times as dear a question")
}

func TestARunStopsAtItsCap(t *testing.T) {
	a := modelled(t, sim.Faithful, nil)
	_, err := a.Proving.Sets.PutQuestions(t.Context(), "c", "s", leads(60))
	require.NoError(t, err)
	whole, _ := ran(t, a, "s")
	for name, x := range map[string]store.Cap{"tokens": {Tokens: (whole.Summary.TokensIn + whole.Summary.TokensOut) / 3}, "price": {Price: whole.Summary.Price / 3}} {
		t.Run(name, func(t *testing.T) {
			r, j, err := a.Proving.Runs.StartRun(t.Context(), "c", "s", runs.Order{Cap: x})
			require.NoError(t, err)
			require.Equal(t, store.Done, ended(t, a, "c", j.ID).State)
			run, results, err := a.Proving.Runs.RunResults(t.Context(), "c", r.ID)
			require.NoError(t, err)
			require.Len(t, results, 60)
			asked := 60 - run.Summary.Unjudged
			assert.GreaterOrEqual(t, asked, 20)
			assert.LessOrEqual(t, asked, 22, "no more are under way at the end than are asked at once")
			assert.Equal(t, asked, run.Summary.Passed.Of, "what was not asked stands in no rate")
			for _, one := range results {
				if one.Failed != "" {
					assert.True(t, strings.HasPrefix(one.Failed, "not asked: "), one.Failed)
				}
			}
		})
	}
	for _, bad := range []store.Cap{{Price: -1}, {Tokens: -1}, {Price: math.NaN()}, {Price: math.Inf(1)}} {
		_, _, err = a.Proving.Runs.StartRun(t.Context(), "c", "s", runs.Order{Cap: bad})
		assert.ErrorIs(t, err, fault.ErrInput, "%v", bad)
	}
}
