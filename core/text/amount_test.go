package text

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestAmountsThatCanBeCompared(t *testing.T) {
	for s, want := range map[string]struct {
		v    float64
		unit string
	}{
		"half past nine": {570, ""}, "£4.50": {4.5, "GBP"}, "an hour: 2 hours": {120, ""}, "15 %": {15, "%"}, "2.5 kg": {2.5, "kg"}, "1,200": {1200, ""}, "2 January 1970": {1, "day"},
	} {
		qs := Quantities(s)
		require.Len(t, qs, 1, s)
		v, unit, ok := qs[0].Amount()
		assert.True(t, ok, s)
		assert.InDelta(t, want.v, v, 1e-9, s)
		assert.Equal(t, want.unit, unit, s)
	}
	for _, s := range []string{"3 May", "01632 960411", "desk@example.org"} {
		qs := Quantities(s)
		require.Len(t, qs, 1, s)
		_, _, ok := qs[0].Amount()
		assert.False(t, ok, s)
	}
}

func TestMeasuresHaveDimensions(t *testing.T) {
	for s, want := range map[string]QuantityKind{"300 kg": Weight, "2 tonnes": Weight, "90 cm": Length, "12 miles": Length, "40 ft": Length, "5 litres": Measure, "£4": Money, "7": Number} {
		q := Quantities(s)
		if assert.Len(t, q, 1, s) {
			assert.Equal(t, want, q[0].Dimension(), s)
			assert.True(t, q[0].Is(want), s)
			assert.True(t, q[0].Is(q[0].Kind), s)
			assert.False(t, q[0].Is(Clock), s)
		}
	}
}
