package prove

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// Five questions by hand: coverage is the share answered, risk the share of those answered that is wrong (El-Yaniv and Wiener
// 2010: risk over the region that is accepted).
func TestRiskAndCoverage(t *testing.T) {
	ws := []Weighed{
		{ID: "a", Support: 0.9, Right: true},
		{ID: "b", Support: 0.7, Right: true},
		{ID: "c", Support: 0.6},
		{ID: "d", Support: 0.4, Refusal: true},
		{ID: "e", Support: 0.2, Right: true},
		{ID: "courtesy", Fixed: true, Right: true},
	}
	assert.Equal(t, Height{Bar: 0, Answered: 1, Wrong: 0.4}, At(ws, 0))
	assert.Equal(t, Height{Bar: 0.5, Answered: 0.6, Wrong: 1.0 / 3, Refused: 1, Lost: 1.0 / 3}, At(ws, 0.5))
	assert.Equal(t, Height{Bar: 0.65, Answered: 0.4, Wrong: 0, Refused: 1, Lost: 1.0 / 3}, At(ws, 0.65))
	assert.Equal(t, 0.6, At(ws, 0.6).Answered, "a question is answered at its own support")
	c := Curve(ws)
	require.Len(t, c, 6)
	for i := 1; i < len(c); i++ {
		// "A stricter bar gives fewer answers": common practice, no published source.
		assert.LessOrEqual(t, c[i].Answered, c[i-1].Answered)
	}
	assert.Zero(t, c[5].Answered)
	assert.Zero(t, At(nil, 0.5).Answered)
}
