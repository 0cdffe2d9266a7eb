package prove

import (
	"fmt"
	"testing"

	"jolvex/core/questions"

	"github.com/stretchr/testify/assert"
)

func TestRunsAreCompared(t *testing.T) {
	judged := func(id string, passed bool, rank int, group string) Judged {
		return Judged{Question: questions.Question{ID: id, Text: id, Group: group}, Verdict: Verdict{Passed: passed, Rank: rank}}
	}
	var before, after []Judged
	for i := range 20 { // nine are fixed, one is broken: 2 x 11/1024, as in measure's own test
		id := fmt.Sprint("q", i)
		before = append(before, judged(id, i >= 9, 2, ""))
		after = append(after, judged(id, i < 9 || i > 9, 1, ""))
	}
	after = append(after, judged("new", true, 1, ""))
	before = append(before, Judged{Question: questions.Question{ID: "out", Text: "out"}, Failed: "an outage"})
	after = append(after, judged("out", true, 1, ""))
	c := CompareRuns(before, after)
	assert.Equal(t, 20, c.Questions, "what only one run has, or could not judge, is left out")
	assert.Len(t, c.Fixed, 9)
	assert.Equal(t, []string{"q9"}, c.Broken)
	assert.Empty(t, c.Failing)
	assert.Equal(t, 10, c.Passing)
	assert.InDelta(t, 2*11.0/1024, c.P, 1e-12)
	assert.InDelta(t, 0.4, c.Rate, 1e-12)
	assert.Greater(t, c.Interval.Low, 0.0)
	assert.InDelta(t, 0.5, c.MRR, 1e-12)
	assert.InDelta(t, 6.0/20, c.Smallest, 1e-12)
	same := CompareRuns(before, before)
	assert.Equal(t, 1.0, same.P)
	assert.Zero(t, same.Rate)
	assert.Zero(t, CompareRuns(nil, nil).Questions)
}

func TestEachMeasureIsComparedWhereItApplies(t *testing.T) {
	judged := func(id string, held bool, rank int) Judged {
		return Judged{Question: questions.Question{ID: id, Text: id}, Millis: 10, Verdict: Verdict{Passed: held, Rank: rank, Findings: []Finding{{Expectation: questions.Expectation{Kind: questions.Mentions}, Held: held}}, Scores: Scores{NDCG: -1, Recall: -1, Precision: -1, F1: -1, RougeL: -1}}}
	}
	c := CompareRuns([]Judged{judged("a", false, 7), judged("b", true, -1)}, []Judged{judged("a", true, 2), judged("b", true, -1)})
	by := map[string]Difference{}
	for _, d := range c.Measures {
		by[d.Key] = d
	}
	assert.Equal(t, 0.5, by["facts"].Before)
	assert.Equal(t, 1.0, by["facts"].After)
	assert.Equal(t, 2, by["facts"].Of)
	assert.Equal(t, 1, by["hit5"].Of, "a question that names nothing to be found has no say")
	assert.Equal(t, 0.0, by["hit5"].Before)
	assert.Equal(t, 1.0, by["hit5"].After)
	assert.NotContains(t, by, "f1", "there is no reference answer")
	assert.Equal(t, 0.0, by["millis"].Interval.High)
}
