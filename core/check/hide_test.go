package check

import (
	"testing"

	"github.com/stretchr/testify/assert"
)

func TestHide(t *testing.T) {
	for in, want := range map[string]string{
		"Write to ann.lee@mail.example, or ring 01632 960 123.": "Write to ▇▇▇, or ring ▇▇▇.",
		"My booking TF-2207714 is for 2026-07-14":               "My booking ▇▇▇ is for 2026-07-14",
		"GB82 WEST 1234 5698 7654 32 is my account":             "▇▇▇ is my account", // the example of ISO 13616
		"Two adults and 3 bicycles at 09:40 cost £12.50":        "Two adults and 3 bicycles at 09:40 cost £12.50",
		"":             "",
		"Grüße an Zoë": "Grüße an Zoë",
	} {
		assert.Equal(t, want, Hide(in))
	}
}
