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

// Ten supports by hand: pooling adjacent violators joins 0.2 (right) with 0.3 (wrong), and 0.6 with 0.7.
func TestSupportIsCalibrated(t *testing.T) {
	ws := []Weighed{
		{Support: 0.1},
		{Support: 0.2, Right: true},
		{Support: 0.3},
		{Support: 0.4},
		{Support: 0.5, Right: true},
		{Support: 0.6, Right: true},
		{Support: 0.7},
		{Support: 0.8, Right: true},
		{Support: 0.9, Right: true},
		{Support: 0.5, Fixed: true},
	}
	got := Calibrate(ws)
	for i := 1; i < len(got); i++ {
		assert.Greater(t, got[i].Right, got[i-1].Right, "never falling")
	}
	assert.Equal(t, []Step{{0.1, 0, 1}, {0.2, 1.0 / 3, 3}, {0.5, 2.0 / 3, 3}, {0.8, 1, 2}}, got)
	assert.Empty(t, Calibrate(nil))
}

func TestTheBarIsPlacedOnWhatItHasNotSeen(t *testing.T) {
	var ws []Weighed
	for i := range 100 { // right from 0.6 on, without noise
		s := float64(i) / 100
		ws = append(ws, Weighed{ID: string(rune('a'+i%26)) + string(rune('a'+i/26)), Support: s, Right: s >= 0.6, Refusal: s < 0.6})
	}
	p := Place(ws, 3)
	assert.InDelta(t, 0.595, p.Bar, 1e-9)
	assert.InDelta(t, 0, p.Unseen.Wrong, 0.05)
	assert.Less(t, p.Spread, 0.06)
	// With noise, the dearer a wrong answer the higher the bar.
	for i := range ws {
		ws[i].Right = (i*37)%100 < i
	}
	assert.Greater(t, Place(ws, 10).Bar, Place(ws, 1).Bar)
	assert.NotPanics(t, func() { Place(nil, 3) })
}
