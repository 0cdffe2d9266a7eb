package prove

import (
	"testing"

	"jolvex/core/answer"
	"jolvex/core/questions"

	"github.com/stretchr/testify/assert"
)

func seen(outcome answer.Outcome, reply string, cites int) Seen {
	return Seen{
		Trail:     &answer.Trail{Outcome: outcome, Reply: []answer.Sentence{{Text: reply, Candidate: cites}}},
		Documents: []questions.Document{{Address: "https://example.org/home", Title: "Home"}, {Address: "https://example.org/fares/", Title: "Fares"}, {Address: "notes/guide.md", Title: "Guide", Text: "Lost things go to the pier office."}},
	}
}

func TestVerdicts(t *testing.T) {
	cases := []struct {
		kind   string
		values []string
		seen   Seen
		passed bool
	}{
		{questions.Mentions, []string{"on a lead"}, seen(answer.Answered, "Dogs must be on a  Lead.", 0), true},
		{questions.Mentions, []string{"cat", "dogs"}, seen(answer.Answered, "Dogs!", 0), true},
		{questions.Mentions, []string{"dog"}, seen(answer.Answered, "Dogs.", 0), false}, // whole words
		{questions.Mentions, []string{"£2.00"}, seen(answer.Answered, "It costs £2.00.", 0), true},
		{questions.NotMentions, []string{"free"}, seen(answer.Answered, "It is free.", 0), false},
		{questions.NotMentions, []string{"free"}, seen(answer.Answered, "It costs £2.", 0), true},
		{questions.Gives, []string{"£4.50"}, seen(answer.Answered, "It is 4.50 pounds.", 0), true},
		{questions.Gives, []string{"07:40"}, seen(answer.Answered, "At 7.40 am.", 0), true},
		{questions.Gives, []string{"35 minutes"}, seen(answer.Answered, "A 35-minute trip.", 0), true},
		{questions.Gives, []string{"35 minutes", "36 minutes"}, seen(answer.Answered, "It takes 53 minutes.", 0), false},
		{questions.Gives, []string{"3 May 2026"}, seen(answer.Answered, "On 2026-05-03.", 0), true},
		{questions.Cites, []string{"/fares"}, seen(answer.Answered, "x", 1), true},
		{questions.Cites, []string{"/fare"}, seen(answer.Answered, "x", 1), false},
		{questions.Cites, []string{"guide.md"}, seen(answer.Answered, "x", 2), true},
		{questions.Cites, []string{"Home"}, seen(answer.Answered, "x", 0), true},
		{questions.Cites, []string{"/fares"}, seen(answer.Answered, "x", -1), false},
		{questions.Refuses, nil, seen(answer.Refused, "No.", -1), true},
		{questions.Refuses, nil, seen(answer.Answered, "Yes.", 0), false},
		{questions.Refuses, nil, seen(answer.Courteous, "Hello.", -1), false},
		{questions.NotMentions, []string{"free"}, seen(answer.Refused, "No idea.", -1), true}, // nothing else was expected of it
		{questions.Mentions, []string{"idea"}, seen(answer.Refused, "No idea.", -1), false},   // refused, though it should answer
	}
	for _, c := range cases {
		v := Judge(questions.Question{ID: "1", Text: "?", Expect: []questions.Expectation{{Kind: c.kind, Values: c.values}}}, c.seen)
		assert.Equal(t, c.passed, v.Passed, "%s %v: %q", c.kind, c.values, c.seen.Trail.Text())
		assert.NotEmpty(t, v.Findings[0].Note)
	}
}

func TestAllExpectationsMustHold(t *testing.T) {
	q := questions.Question{ID: "1", Text: "?", Expect: []questions.Expectation{{Kind: questions.Mentions, Values: []string{"lead"}}, {Kind: questions.Cites, Values: []string{"/fares"}}}}
	v := Judge(q, seen(answer.Answered, "A lead.", 0))
	assert.False(t, v.Passed)
	assert.True(t, v.Findings[0].Held)
	assert.Equal(t, 2, v.Rank, "the expected page is the second candidate")
}

func TestSummary(t *testing.T) {
	ask := func(id string, kind string, tag string) questions.Question {
		return questions.Question{ID: id, Text: id, Tags: []string{tag}, Expect: []questions.Expectation{{Kind: kind, Values: []string{"x"}}}}
	}
	held := []Finding{{Expectation: questions.Expectation{Kind: questions.Mentions}, Held: true}}
	s := Summarise([]Judged{
		{Question: ask("a", questions.Mentions, "direct"), Verdict: Verdict{Passed: true, Rank: 1, Findings: held}, Millis: 4},
		{Question: ask("b", questions.Mentions, "direct"), Verdict: Verdict{Rank: 4, Findings: []Finding{{Expectation: questions.Expectation{Kind: questions.Mentions}}}}, Millis: 8},
		{Question: ask("c", questions.Mentions, "direct"), Verdict: Verdict{Refused: true, Rank: 0, Findings: []Finding{{Expectation: questions.Expectation{Kind: questions.Mentions}}}}, Millis: 1},
		{Question: ask("d", questions.Refuses, "off"), Verdict: Verdict{Passed: true, Refused: true, Rank: -1}, Millis: 2},
		{Question: ask("e", questions.Refuses, "off"), Verdict: Verdict{Rank: -1}, Millis: 2},
		{Question: ask("f", questions.Mentions, "direct"), Failed: "time-out"},
	})
	assert.Equal(t, 6, s.Questions)
	assert.Equal(t, 1, s.Unjudged)
	assert.Equal(t, 2, s.Passed.Hits)
	assert.Equal(t, 5, s.Passed.Of, "what could not be judged counts neither way")
	assert.Equal(t, 1, s.ByTag["direct"].Hits)
	assert.Equal(t, []int{1, 1, 1}, []int{s.RightRefusals, s.WrongRefusals, s.MissedRefusals})
	assert.InDelta(t, 1.0/3, s.Hit1, 1e-12)
	assert.InDelta(t, 2.0/3, s.Hit5, 1e-12)
	assert.InDelta(t, (1+0.25)/3, s.MRR, 1e-12)
	assert.Equal(t, 1, s.Facts.Hits)
	assert.Equal(t, 3, s.Facts.Of, "a refusal scores no fact")
}

func TestCompare(t *testing.T) {
	pass, fail := Verdict{Passed: true}, Verdict{}
	assert.Equal(t, Fixed, Compare(&fail, pass))
	assert.Equal(t, Broken, Compare(&pass, fail))
	assert.Equal(t, Same, Compare(&pass, pass))
	assert.Equal(t, New, Compare(nil, fail))
}
