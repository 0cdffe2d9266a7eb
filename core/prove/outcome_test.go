package prove

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"jolvex/core/answer"
	"jolvex/core/rule"
)

func TestWhatBecomesOfAMessage(t *testing.T) {
	seen := Seen{Trail: &answer.Trail{Outcome: answer.HandedOver, Rules: &rule.State{Fired: []rule.Fired{{Rule: "p", Name: "Asks for a person"}}}}}
	cases := []struct {
		expect Expectation
		held   bool
		note   string
	}{
		{Expectation{Kind: HandsOver}, true, "it handed over"},
		{Expectation{Kind: AsksBack}, false, "it handed over"},
		{Expectation{Kind: Refuses}, false, "it answered"},
		{Expectation{Kind: Follows, Values: []string{"asks for a person"}}, true, "“Asks for a person” fired"},
		{Expectation{Kind: Follows, Values: []string{"p"}}, true, "“Asks for a person” fired"},
		{Expectation{Kind: Follows, Values: []string{"Lost things"}}, false, "“Asks for a person” fired"},
	}
	for _, c := range cases {
		q := Question{ID: "q", Text: "human", Expect: []Expectation{c.expect}}
		assert.NoError(t, q.Check())
		v := Judge(q, seen)
		assert.Equal(t, c.held, v.Passed, c.expect)
		assert.Equal(t, c.note, v.Findings[0].Note, c.expect)
	}
	seen.Trail = &answer.Trail{Outcome: answer.AskedBack}
	assert.True(t, Judge(Question{Expect: []Expectation{{Kind: AsksBack}}}, seen).Passed)
	assert.False(t, Judge(Question{Expect: []Expectation{{Kind: Follows, Values: []string{"x"}}}}, seen).Passed)
	assert.Error(t, Question{ID: "q", Text: "x", Expect: []Expectation{{Kind: Follows}}}.Check())
}
