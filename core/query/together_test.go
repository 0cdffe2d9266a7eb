package query

import (
	"fmt"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestWhatKeepsCompany(t *testing.T) {
	var c Together
	var docs [][]string
	for i := range 40 {
		text := fmt.Sprintf("Room %d is let by the week.", i)
		switch {
		case i < 6:
			text = fmt.Sprintf("The harbour master, HM for short, opens gate %d.", i)
		case i < 9:
			text = fmt.Sprintf("HM has the key %d. High meadows lie beyond.", i)
		}
		docs = append(docs, []string{text})
		c.Add(docs[i])
	}
	for _, d := range docs {
		c.Count(d)
	}
	got := c.Find()
	require.Len(t, got, 1, "what stands together by chance is not proposed")
	assert.Equal(t, Abbreviation{"HM", "harbour master"}, got[0].Abbreviation)
	assert.Equal(t, 6, got[0].Documents)
	assert.NotEmpty(t, got[0].Example)
	var none Together
	assert.Empty(t, none.Find())
}

// Dunning 1993, table 2: in a corpus of 31777 word pairs, "the swiss" stands 110 times, of 110+2442 pairs that begin with "the" and
// 110+111 that end with "swiss"; its -2 log lambda is 270.72 (from memory).
func TestLogLikelihoodRatio(t *testing.T) {
	assert.InDelta(t, 270.72, likelihoodRatio(110, 110+2442, 110+111, 110+2442+111+29114), 0.05)
	assert.Zero(t, likelihoodRatio(1, 50, 50, 100), "less often than by chance")
}
