package query

import (
	"testing"

	"github.com/stretchr/testify/assert"
)

func TestOtherThingsOfAKindAreTold(t *testing.T) {
	for _, c := range []struct {
		a, b  string
		other bool
	}{
		{"How do I reset the K200?", "how do i reset the k300", true},
		{"How do I reset the K200?", "how can i reset my k200", false},
		{"How do I reset the K200?", "How do I reset the machine?", false},
		{"Does the Heron take cars?", "Does the Marigold take cars?", true},
		{"Does the Heron take cars?", "does the marigold take cars", true},
		{"Does the Marigold take cars?", "does the marigodl take cars", false},
		{"Does the Marigold take cars?", "Which boat takes cars?", false},
		{"What does a ticket to Sandrel cost?", "What does a ticket to Little Hobb cost?", true},
		{"What does a ticket to Sandrel cost?", "Is there a lift in Tolmouth?", true},
		{"Is it free on 3 May?", "Is it free on 4 May?", false},
		{"I lost my bag", "i have lost my hat", false},
		{"Can I pay by card?", "can i pay in cash", false},
	} {
		assert.Equal(t, c.other, Other(c.a, c.b), "%s / %s", c.a, c.b)
		assert.Equal(t, c.other, Other(c.b, c.a), "%s / %s", c.b, c.a)
	}
}
