package answer

import (
	"testing"

	"github.com/stretchr/testify/assert"
)

// The marks are those of CommonMark 0.31 (spec.commonmark.org), sections 4.1 to 6.6, from memory.
func TestMarkdownIsTakenOffWhatAModelWrote(t *testing.T) {
	for in, want := range map[string]string{
		"**Bicycles** cost *four* pounds [1].":               "Bicycles cost four pounds [1].",
		"## Opening hours\nFrom nine.":                       "From nine.",
		"- Dogs go free [2]\n- Cats do not [2]":              "Dogs go free [2]\nCats do not [2]",
		"1. Stop it.\n2) Start it.":                          "Stop it.\nStart it.",
		"Use `apt_get --no_install` now":                     "Use apt_get --no_install now",
		"snake_case and 2 * 3 * 4 stay":                      "snake_case and 2 * 3 * 4 stay",
		"See [the fares](https://tolmouth.example/fares).":   "See the fares (https://tolmouth.example/fares).",
		"Write to [us](mailto:desk@tolmouth.example) [3].":   "Write to us (desk@tolmouth.example) [3].",
		"> It is **closed**.":                                "It is closed.",
		"| Pier | Cars |\n|------|:----:|\n| Sandrel | 40 |": "Sandrel – Cars: 40.",
		"```sh\napt *remove*\n```":                           "apt *remove*",
		"Pier | Cars [1]\n--- | ---\n**Hobb** | 0 [1]":       "Hobb – Cars: 0 [1].",
		"One\n\n---\n\nTwo":                                  "One\n\n\nTwo",
		"a [2] [3] and [1, 2]":                               "a [2] [3] and [1, 2]",
	} {
		assert.Equal(t, want, unmarked(in), in)
	}
}

func TestACutReplyEndsAtASentence(t *testing.T) {
	for in, want := range map[string]string{
		"It opens at 9 [1]. It closes at":      "It opens at 9 [1].",
		"It opens at 9 [1]. It closes at 6.":   "It opens at 9 [1]. It closes at 6.",
		"It opens at 9. It closes at 6 [2].":   "It opens at 9. It closes at 6 [2].",
		"- Dogs go free.\n- Cats":              "- Dogs go free.",
		"It opens at":                          "",
		"He said \"it is open.\" And then the": "He said \"it is open.\"",
	} {
		assert.Equal(t, want, upToSentence(in), in)
	}
}
