package wording

import (
	"testing"

	"github.com/stretchr/testify/assert"
)

func TestAMannerIsDrafted(t *testing.T) {
	d := Draft(Guide{Of: "Tolmouth Ferries", Tone: "warm", Length: "short", Contact: "Ring 01632 960411", Readers: "passengers"})
	assert.Equal(t, 60, d.Words)
	assert.Contains(t, d.Greeting, "assistant of Tolmouth Ferries")
	assert.Equal(t, "Ring 01632 960411.", d.TurnTo)
	assert.Contains(t, d.Tone, "Readers: passengers.")

	d = Draft(Guide{Sample: "We'll get you across the harbour. You don't need to book. Bring your bike; it's four pounds. We're happy to help."})
	assert.Contains(t, d.Noticed, "Contractions, as in speech.")
	assert.Contains(t, d.Noticed, "Speaks as “we” to “you”.")
	assert.Contains(t, d.Noticed, "British spelling.")
	d = Draft(Guide{Sample: "The program of the theater center is organized by the board, which reviews all applications that are received before the first of the month and decides upon them in the order of their arrival at the office."})
	assert.Contains(t, d.Noticed, "American spelling.")
	assert.Contains(t, d.Noticed, "No contractions.")
	assert.Contains(t, d.Noticed[0], "Long sentences")
}
