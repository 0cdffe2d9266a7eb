package prove

import (
	"fmt"
	"testing"

	"jolvex/core/answer"
	"jolvex/core/doc"
	"jolvex/core/questions"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestFiguresWithinATolerance(t *testing.T) {
	for _, c := range []struct {
		reply, want string
		within      float64
		held        bool
	}{
		{"It takes 37 minutes.", "35 minutes", 2, true},
		{"It takes 38 minutes.", "35 minutes", 2, false},
		{"It costs £12.60.", "£12.50", 0.10, true},
		{"It costs €12.50.", "£12.50", 5, false}, // another currency
		{"It opens at 09:10.", "half past nine", 20, true},
		{"It is on 4 May 2026.", "3 May 2026", 1, true},
		{"It weighs 24 kg.", "23 kg", 1, true},
		{"It weighs 24 m.", "23 kg", 1, false},
		{"Ring 01632 960412.", "01632 960411", 5, false}, // what is no amount is held to the letter
		{"It takes 35 minutes.", "35 minutes", 0, true},
	} {
		e := questions.Expectation{Kind: questions.Gives, Values: []string{c.want}, Within: c.within}
		require.NoError(t, e.Check(), c.want)
		held, note := questions.HoldsFigure(c.reply, e)
		assert.Equal(t, c.held, held, "%s for %s within %g: %s", c.reply, c.want, c.within, note)
	}
}

func TestExpectationsThatCannotBeMeant(t *testing.T) {
	for name, e := range map[string]questions.Expectation{
		"no number of words":   {Kind: questions.Short, Values: []string{"few"}},
		"two numbers of words": {Kind: questions.Short, Values: []string{"3", "4"}},
		"no language":          {Kind: questions.Language},
		"no code":              {Kind: questions.Language, Values: []string{"English"}},
		"a wording within":     {Kind: questions.Mentions, Values: []string{"a"}, Within: 2},
		"below nothing":        {Kind: questions.Gives, Values: []string{"£1"}, Within: -1},
	} {
		assert.Error(t, e.Check(), name)
	}
	q := questions.Question{ID: "q", Text: "?", Expect: []questions.Expectation{{Kind: questions.Refuses}}, Script: []questions.ScriptLine{{Text: " "}}}
	assert.ErrorContains(t, q.Check(), "message 1 of its script is empty")
	q.Script = []questions.ScriptLine{{Text: "hello", Expect: []questions.Expectation{{Kind: questions.Gives, Values: []string{"much"}}}}}
	assert.ErrorContains(t, q.Check(), "message 1 of its script")
	q.Script = make([]questions.ScriptLine, questions.MaxScript+1)
	assert.ErrorContains(t, q.Check(), "more than")
}

func TestScoresOfAReply(t *testing.T) {
	s := reply(answer.Answered, "Dogs pay £2.00.", chunkOf("dogs", 0, 9, true), chunkOf("fares", 0, 9, true), chunkOf("boats", 0, 9, true))
	s.Trail.Reply = append(s.Trail.Reply, answer.Sentence{Text: "Cats pay nothing.", Candidate: 2}, answer.Sentence{Text: "Hello.", Candidate: -1})
	s.Grounded = []float64{0.9, 0.2, -1}
	q := questions.Question{ID: "q", Text: "?", Answers: []string{"Dogs pay £2.00."}, Expect: []questions.Expectation{{Kind: questions.Cites, Values: []string{"/fares"}}, {Kind: questions.Cites, Values: []string{"/dogs"}}}}
	x := Judge(q, s).Scores
	assert.Equal(t, 2, x.Said, "words of its own are no sentence from evidence")
	assert.Equal(t, 1, x.Grounded)
	assert.Equal(t, 2, x.Citing)
	assert.Equal(t, 1, x.CitedWell)
	assert.Equal(t, 2, x.Cites)
	assert.Equal(t, 1, x.CitedOf)
	assert.Equal(t, 1.0, x.NDCG, "both are at the top")
	assert.Equal(t, 1.0, x.Recall)
	assert.InDelta(t, 0.4, x.Precision, 1e-9, "two of the first five places, three being filled")
	assert.Greater(t, x.F1, 0.5)

	none := Judge(questions.Question{ID: "q", Text: "?", Expect: []questions.Expectation{{Kind: questions.Mentions, Values: []string{"dogs"}}}}, s).Scores
	for _, v := range []float64{none.NDCG, none.Recall, none.Precision, none.F1, none.RougeL} {
		assert.Equal(t, -1.0, v, "what does not apply is not measured")
	}
}

func TestASummaryCountsWhatApplies(t *testing.T) {
	v := func(passed bool) Verdict {
		return Verdict{Passed: passed, Rank: -1, Findings: []Finding{{Expectation: questions.Expectation{Kind: questions.Cites}, Held: passed}}, Scores: Scores{NDCG: -1, Recall: -1, Precision: -1, F1: -1, RougeL: -1}}
	}
	js := []Judged{
		{Question: questions.Question{ID: "1", Tags: []string{"a"}}, Verdict: v(true), Millis: 10},
		{Question: questions.Question{ID: "2", Tags: []string{"a"}}, Verdict: v(false), Millis: 30},
		{Question: questions.Question{ID: "3"}, Failed: "the model is out of order"},
	}
	s := Summarise(js)
	assert.Equal(t, 1, s.Unjudged)
	assert.Equal(t, 2, s.Passed.Of, "what could not be judged counts neither way")
	require.Len(t, s.Figures, 1, "nothing but the pass rate applies: %v", s.Figures)
	assert.Equal(t, Figure{Key: "passed", Label: "passed", Value: 0.5, Of: 2, Interval: s.Passed.Interval}, s.Figures[0])
	require.Len(t, s.Kinds, 1)
	assert.Equal(t, KindSummary{questions.Cites, rate(1, 2)}, s.Kinds[0], "one of two citations held")
	require.Len(t, s.Tags, 1)
	assert.Equal(t, 1, s.Tags[0].Passed.Hits)
}

// Eight wordings of two needs are two pieces of evidence, not eight: the interval is wider than Wilson's over eight.
func TestVariantsAreOnePieceOfEvidence(t *testing.T) {
	var single, grouped []Judged
	for i := range 16 {
		q := questions.Question{ID: fmt.Sprint(i)}
		x := Verdict{Passed: i < 8, Rank: -1}
		single = append(single, Judged{Question: q, Verdict: x})
		q.Group = []string{"first", "second", "third", "fourth"}[i/4]
		grouped = append(grouped, Judged{Question: q, Verdict: x})
	}
	a, b := Summarise(single).Passed, Summarise(grouped).Passed
	assert.Equal(t, a.Rate, b.Rate)
	assert.Greater(t, b.Interval.High-b.Interval.Low, a.Interval.High-a.Interval.Low)
}

// What is only to be left unsaid is left unsaid by a refusal, too; such a refusal counts neither as right nor as wrong.
func TestARefusalSaysNothingWrong(t *testing.T) {
	refused := reply(answer.Refused, "I have found nothing about that.")
	unsaid := questions.Question{ID: "a", Text: "Say that all is free.", Expect: []questions.Expectation{{Kind: questions.NotMentions, Values: []string{"all is free"}}, {Kind: questions.Short, Values: []string{"40"}}}}
	v := Judge(unsaid, refused)
	assert.True(t, v.Passed)
	sum := Summarise([]Judged{{Question: unsaid, Verdict: v}})
	assert.Zero(t, sum.RightRefusals+sum.WrongRefusals+sum.MissedRefusals)
	said := unsaid
	said.Expect = append(said.Expect[:1:1], questions.Expectation{Kind: questions.Cites, Values: []string{"/fares"}})
	assert.False(t, Judge(said, refused).Passed)
	assert.False(t, Judge(questions.Question{ID: "b", Text: "?"}, refused).Passed, "nothing is expected: then it is to be answered")
}

func reply(o answer.Outcome, said string, candidates ...answer.Candidate) Seen {
	t := &answer.Trail{Outcome: o, Support: 0.7, Bar: 0.5, Candidates: candidates, Reply: []answer.Sentence{{Text: said, Candidate: -1}}}
	s := Seen{Trail: t}
	for _, c := range candidates {
		s.Documents = append(s.Documents, questions.Document{Address: "http://x/" + c.Document, Title: c.Document})
	}
	if len(candidates) > 0 && o == answer.Answered {
		t.Reply[0].Candidate = 0
	}
	return s
}

func chunkOf(document string, from, to int, kept bool) answer.Candidate {
	return answer.Candidate{Document: document, Span: doc.Span{Start: from, End: to}, Kept: kept}
}
