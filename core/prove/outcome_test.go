package prove

import (
	"testing"

	"jolvex/core/answer"
	"jolvex/core/questions"
	"jolvex/core/rule"

	"github.com/stretchr/testify/assert"
)

func TestWhatBecomesOfAMessage(t *testing.T) {
	seen := Seen{Trail: &answer.Trail{Outcome: answer.HandedOver, Rules: &rule.State{Fired: []rule.Fired{{Rule: "p", Name: "Asks for a person"}}}}}
	cases := []struct {
		expect questions.Expectation
		held   bool
		note   string
	}{
		{questions.Expectation{Kind: questions.HandsOver}, true, "it handed over"},
		{questions.Expectation{Kind: questions.AsksBack}, false, "it handed over"},
		{questions.Expectation{Kind: questions.Refuses}, false, "it answered"},
		{questions.Expectation{Kind: questions.Follows, Values: []string{"asks for a person"}}, true, "“Asks for a person” fired"},
		{questions.Expectation{Kind: questions.Follows, Values: []string{"p"}}, true, "“Asks for a person” fired"},
		{questions.Expectation{Kind: questions.Follows, Values: []string{"Lost things"}}, false, "“Asks for a person” fired"},
	}
	for _, c := range cases {
		q := questions.Question{ID: "q", Text: "human", Expect: []questions.Expectation{c.expect}}
		assert.NoError(t, q.Check())
		v := Judge(q, seen)
		assert.Equal(t, c.held, v.Passed, c.expect)
		assert.Equal(t, c.note, v.Findings[0].Note, c.expect)
	}
	seen.Trail = &answer.Trail{Outcome: answer.AskedBack}
	assert.True(t, Judge(questions.Question{Expect: []questions.Expectation{{Kind: questions.AsksBack}}}, seen).Passed)
	assert.False(t, Judge(questions.Question{Expect: []questions.Expectation{{Kind: questions.Follows, Values: []string{"x"}}}}, seen).Passed)
	assert.Error(t, questions.Question{ID: "q", Text: "x", Expect: []questions.Expectation{{Kind: questions.Follows}}}.Check())
}
