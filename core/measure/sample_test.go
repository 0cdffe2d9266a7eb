package measure

import (
	"testing"

	"github.com/stretchr/testify/assert"
)

func TestNeeded(t *testing.T) {
	// Sample sizes for a proportion of .5 by the plain normal interval are 385 for 5 points and 97 for 10 (Cochran 1977, chapter 4); Wilson's
	// interval needs 3.84 fewer.
	assert.InDelta(t, 385-3.84, Needed(.5, .05), 3)
	assert.InDelta(t, 97-3.84, Needed(.5, .1), 3)
	assert.Less(t, Needed(.9, .05), Needed(.5, .05))
	assert.Zero(t, Needed(.5, .5))
	for _, p := range []float64{.05, .5, .8, 1} {
		n := Needed(p, .03)
		i := Wilson(int(p*float64(n)+.5), n)
		assert.LessOrEqual(t, (i.High-i.Low)/2, .03)
	}
}

func TestAdjustedRand(t *testing.T) {
	// Worked examples of the documentation of scikit-learn's adjusted_rand_score.
	assert.InDelta(t, .57, AdjustedRand([]int{0, 0, 1, 2}, []int{0, 0, 1, 1}), .005)
	assert.InDelta(t, .57, AdjustedRand([]int{0, 0, 1, 1}, []int{0, 0, 1, 2}), .005)
	assert.InDelta(t, 0, AdjustedRand([]int{0, 0, 0, 0}, []int{0, 1, 2, 3}), 1e-9)
	assert.InDelta(t, -.5, AdjustedRand([]int{0, 0, 1, 1}, []int{0, 1, 0, 1}), 1e-9)
	assert.InDelta(t, 1, AdjustedRand([]int{0, 0, 1, 1}, []int{7, 7, 3, 3}), 1e-9)
	assert.InDelta(t, 1, AdjustedRand([]int{5}, []int{6}), 1e-9)
}

func TestDifference(t *testing.T) {
	// Newcombe 1998, table II, method 10 (from memory): 56/70 and 48/80, 9/10 and 3/10, 10/10 and 0/20.
	for _, c := range []struct {
		k1, n1, k2, n2 int
		low, high      float64
	}{{56, 70, 48, 80, .0524, .3339}, {9, 10, 3, 10, .1705, .8090}, {10, 10, 0, 20, .6791, 1}} {
		got := Difference(c.k1, c.n1, c.k2, c.n2)
		assert.InDelta(t, c.low, got.Low, 5e-5)
		assert.InDelta(t, c.high, got.High, 5e-5)
	}
	assert.Equal(t, Interval{-1, 1}, Difference(0, 0, 1, 2))
}
