package prove

import (
	"fmt"
	"strings"
	"testing"

	"jolvex/core/questions"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestAPlanListsItsMethods(t *testing.T) {
	p := Plan{Search: SearchGrid, Factors: []Factor{{"find.keep", []string{"4", "8"}}, {"answer.bar", []string{"0.3", "0.5", "0.7"}}}}
	require.NoError(t, p.Check())
	ms := p.Methods()
	require.Len(t, ms, 6)
	assert.Equal(t, map[string]string{"find.keep": "4", "answer.bar": "0.5"}, ms[1], "the last factor goes fastest")
	assert.Equal(t, map[string]string{"find.keep": "8", "answer.bar": "0.7"}, ms[5])

	p.Search, p.Budget, p.Seed = SearchRandom, 4, 7
	drawn := p.Methods()
	require.Len(t, drawn, 4)
	assert.Equal(t, drawn, p.Methods(), "the same seed draws the same")
	seen := map[string]bool{}
	for _, m := range drawn {
		seen[fmt.Sprint(m)] = true
	}
	assert.Len(t, seen, 4, "without replacement")

	for name, bad := range map[string]Plan{
		"nothing varied":  {Search: SearchGrid},
		"twice":           {Search: SearchGrid, Factors: []Factor{{"a", []string{"1"}}, {"a", []string{"2"}}}},
		"a value twice":   {Search: SearchGrid, Factors: []Factor{{"a", []string{"1", "1"}}}},
		"unknown search":  {Search: "by luck", Factors: []Factor{{"a", []string{"1"}}}},
		"too many":        {Search: SearchGrid, Factors: []Factor{{"a", many(50)}, {"b", many(50)}}},
		"no value at all": {Search: SearchGrid, Factors: []Factor{{"a", nil}}},
	} {
		assert.ErrorIs(t, bad.Check(), ErrPlan, name)
	}
}

func many(n int) []string {
	out := make([]string, n)
	for i := range out {
		out[i] = fmt.Sprint(i)
	}
	return out
}

func TestHalvingAsksTwiceAsManyEachTime(t *testing.T) {
	p := Plan{Search: SearchHalving}
	assert.Equal(t, []int{20, 40, 80, 160}, p.Rounds(160))
	assert.Equal(t, []int{10}, p.Rounds(10), "few questions are asked at once")
	assert.Equal(t, []int{160}, Plan{Search: SearchGrid}.Rounds(160))
}

// contest makes arms of outcomes, with the questions they are of.
func arms(outcomes ...string) ([]questions.Question, []Arm) {
	qs := make([]questions.Question, len(outcomes[0]))
	for i := range qs {
		qs[i] = questions.Question{ID: fmt.Sprintf("question %d", i)}
	}
	as := make([]Arm, len(outcomes))
	for i, o := range outcomes {
		k := strings.Count(o, "1")
		as[i] = Arm{Settings: map[string]string{"x": fmt.Sprint(i % 2)}, Outcomes: o, Passed: rate(k, len(o)), Whole: !strings.Contains(o, "-"), MillisP95: float64(10 + i)}
	}
	return qs, as
}

func TestAWinnerMustBeMoreThanLuck(t *testing.T) {
	draft := strings.Repeat("1", 60) + strings.Repeat("0", 40)
	lucky := strings.Repeat("1", 63) + strings.Repeat("0", 37)
	qs, as := arms(draft, lucky)
	got := Analyse(Plan{}, qs, as)
	assert.Equal(t, 1, got.Best)
	assert.Equal(t, 0, got.Pick, "three questions of a hundred are luck: %s", got.Why)
	assert.False(t, got.Sure)
	assert.Equal(t, 3, as[1].Fixed)

	better := strings.Repeat("1", 80) + strings.Repeat("0", 20)
	slow := strings.Repeat("1", 81) + strings.Repeat("0", 19)
	qs, as = arms(draft, better, slow)
	got = Analyse(Plan{Factors: []Factor{{"x", []string{"0", "1"}}}}, qs, as)
	assert.Equal(t, 2, got.Best)
	assert.Equal(t, 1, got.Pick, "of methods that cannot be told apart, the fastest")
	assert.True(t, got.Sure)
	assert.Less(t, as[1].P, 0.001)
	assert.True(t, as[0].Frontier && as[1].Frontier && as[2].Frontier, "each is faster or better")
	assert.True(t, as[1].Level)
	assert.InDelta(t, 0.81, got.Honest.Rate, 0.03)
	assert.Greater(t, got.Within.Low, 0.1)
}

// With many methods that differ by chance alone, the best of them looks better than it is; what is measured on questions that it was
// not chosen on does not.
func TestTheChoosingIsMeasuredOnOtherQuestions(t *testing.T) {
	const n, methods = 100, 200
	state := uint64(1)
	flip := func() byte { // xorshift: a coin that falls the same way each time
		state ^= state << 13
		state ^= state >> 7
		state ^= state << 17
		return "01"[state>>33&1]
	}
	outcomes := make([]string, methods)
	for i := range outcomes {
		b := make([]byte, n)
		for k := range b {
			b[k] = flip()
		}
		outcomes[i] = string(b)
	}
	qs, as := arms(outcomes...)
	got := Analyse(Plan{}, qs, as)
	assert.Greater(t, as[got.Best].Passed.Rate, 0.6, "the best of 200 coins")
	assert.InDelta(t, 0.5, got.Honest.Rate, 0.09, "and no better on other questions")
	assert.False(t, got.Sure, got.Why)
}

func TestWhatASettingIsWorth(t *testing.T) {
	qs, as := arms("1000", "1111", "0000", "1111", "0000")
	for i := range as {
		as[i].Settings = map[string]string{"strong": fmt.Sprint(i % 2), "idle": fmt.Sprint(i / 3)}
	}
	got := Analyse(Plan{Factors: []Factor{{"idle", nil}, {"strong", nil}}}, qs, as)
	require.Len(t, got.Factors, 2)
	assert.Equal(t, "strong", got.Factors[0].Key)
	assert.InDelta(t, 1, got.Factors[0].Share, 1e-9)
	assert.InDelta(t, 0, got.Factors[1].Share, 1e-9)
	assert.InDelta(t, 1, got.Factors[0].Values["1"], 1e-9)
}

func TestAnArmThatWasGivenUpIsNotPicked(t *testing.T) {
	qs, as := arms("0000000000", "11111111--", "0000000001")
	got := Analyse(Plan{}, qs, as)
	assert.Equal(t, 2, got.Best)
	assert.Equal(t, 8, as[1].Fixed, "it is compared on what it was asked")
	assert.False(t, as[1].Level || as[1].Frontier)
}

func TestMostOfTheRepliesDecide(t *testing.T) {
	yes, no := Verdict{Passed: true, Rank: 1}, Verdict{Rank: 2}
	v, k := Majority([]Verdict{no, yes, yes})
	assert.True(t, v.Passed)
	assert.Equal(t, 1, k)
	assert.Equal(t, []bool{false, true, true}, v.Repeats)
	v, k = Majority([]Verdict{yes, no})
	assert.False(t, v.Passed, "as many passes as failures fail")
	assert.Equal(t, 1, k)
}

// What was to the point, in how many words, and what passed by accident go with each method.
func TestAnArmTellsWhatARunTells(t *testing.T) {
	qs := []questions.Question{{ID: "a", Text: "a"}, {ID: "b", Text: "b"}, {ID: "c", Text: "c"}}
	js := []*Judged{
		{Question: qs[0], Verdict: Verdict{Passed: true, Scores: Scores{Pointed: 1, PointedOf: 2, Words: 30, Rank: -1, NDCG: -1}}},
		{Question: qs[1], Verdict: Verdict{Accident: true, Scores: Scores{Pointed: 1, PointedOf: 2, Words: 50, Rank: -1, NDCG: -1}}},
		nil,
	}
	var a Arm
	a.Measure(qs, js)
	s := Summarise([]Judged{*js[0], *js[1]})
	for _, f := range s.Figures {
		switch f.Key {
		case "pointed":
			assert.Equal(t, f, a.Pointed)
			assert.InDelta(t, 0.5, f.Value, 1e-9)
		case "words":
			assert.Equal(t, f, a.Words)
			assert.InDelta(t, 40, f.Value, 1e-9)
		}
	}
	assert.Equal(t, 4, a.Pointed.Of)
	assert.Equal(t, 1, a.Accidents)
	assert.False(t, a.Whole)
}
