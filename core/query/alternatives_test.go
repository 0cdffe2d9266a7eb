package query

import (
	"testing"

	"github.com/stretchr/testify/assert"
)

// Common practice, no published source: how people put two things side by side.
func TestTwoThingsThatAreCompared(t *testing.T) {
	for question, want := range map[string][2]string{
		"Which is cheaper, the kayak or the canoe?":          {"kayak", "canoe"},
		"What is the difference between stable and testing?": {"stable", "testing"},
		"Compare the day pass with the season ticket":        {"day pass", "season ticket"},
		"steel vs aluminium":                                 {"steel", "aluminium"},
		"How do gel batteries and acid batteries differ?":    {"gel batteries", "acid batteries"},
		"Is it quicker by train or by bus?":                  {"train", "bus"},
		"Is the north route or the south route longer?":      {"north route", "south route"},
		"Which takes longer: a blood test or an x-ray?":      {"blood test", "x-ray"},
	} {
		names, questions, ok := Alternatives(question)
		if assert.True(t, ok, question) {
			assert.Equal(t, want, names, question)
			for i := range names {
				assert.Contains(t, questions[i], names[i])
				assert.NotContains(t, questions[i], " "+names[1-i], "the other is no part of it")
			}
		}
	}
	for _, question := range []string{
		"Can I pay by card or cash?", "Do I need a passport or an identity card?", "How much is it?", "Are dogs allowed?",
		"Is there more than one way?", "Which is better?",
	} {
		_, _, ok := Alternatives(question)
		assert.False(t, ok, question)
	}
}
