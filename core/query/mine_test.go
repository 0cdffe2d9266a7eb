package query

import (
	"testing"

	"github.com/stretchr/testify/assert"
)

// The first two are the examples of Schwartz and Hearst 2003 (from memory); the others are made up.
func TestAbbreviations(t *testing.T) {
	cases := map[string][]Abbreviation{
		"the gene heat shock transcription factor (HSF) binds":  {{"HSF", "heat shock transcription factor"}},
		"measured by the cap-dependent endonuclease (CDE)":      {{"CDE", "cap-dependent endonuclease"}},
		"Filesystem Hierarchy Standard (FHS) says":              {{"FHS", "Filesystem Hierarchy Standard"}},
		"A SUP (stand-up paddleboard) goes on the rack":         {{"SUP", "stand-up paddleboard"}},
		"Children (5 to 15) pay half (£4.10)":                   nil,
		"the master (who decides) says so":                      nil,
		"the Debian Free Software Guidelines (DFSG; see below)": {{"DFSG", "Debian Free Software Guidelines"}},
		"by post (PO Box 12)":                                   nil,
	}
	for in, want := range cases {
		assert.Equal(t, want, Abbreviations(in), in)
	}
}

func TestDefinitions(t *testing.T) {
	term, means, ok := Definition("Muster station: the place where people gather in an emergency.")
	assert.True(t, ok)
	assert.Equal(t, "Muster station", term)
	assert.Equal(t, "the place where people gather in an emergency.", means)
	for _, no := range []string{"We sail at 7.", "In winter and on all public holidays there is one more: the late boat.", "Note: x"} {
		_, _, ok := Definition(no)
		assert.False(t, ok, no)
	}
}
