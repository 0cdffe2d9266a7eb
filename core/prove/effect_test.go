package prove

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"jolvex/core/measure"
)

func TestWhatCanBeToldOfADifference(t *testing.T) {
	assert.Equal(t, Better, effectOfSplit(9, 1, measure.McNemar(9, 1)))
	assert.Equal(t, Worse, effectOfSplit(1, 9, measure.McNemar(1, 9)))
	assert.Equal(t, Unclear, effectOfSplit(3, 1, measure.McNemar(3, 1)))
	assert.Equal(t, Unclear, effectOfSplit(0, 0, measure.McNemar(0, 0)))
	assert.Equal(t, Better, effectWithin(measure.Interval{Low: 0.01, High: 0.2}))
	assert.Equal(t, Worse, effectWithin(measure.Interval{Low: -0.2, High: -0.01}))
	assert.Equal(t, Unclear, effectWithin(measure.Interval{Low: -0.1, High: 0.1}))
}
