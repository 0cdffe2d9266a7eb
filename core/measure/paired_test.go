package measure

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
)

// Agresti 2002, "Categorical Data Analysis", table 10.1 (approval of a prime minister in two surveys of 1,600 people): 150
// changed one way and 86 the other; z² = 17.36. The exact form against the binomial: 1 of 10 gives 2 x 11/1024.
func TestMcNemar(t *testing.T) {
	assert.InDelta(t, 17.36, McNemarSquare(150, 86), 0.005)
	assert.Less(t, McNemar(150, 86), 0.0001)
	assert.InDelta(t, 2*11.0/1024, McNemar(9, 1), 1e-12)
	assert.InDelta(t, McNemar(9, 1), McNemar(1, 9), 1e-15)
	assert.Equal(t, 1.0, McNemar(0, 0))
	assert.Equal(t, 1.0, McNemar(4, 4))
	assert.InDelta(t, 6.0/100, Smallest(100), 1e-12, "six one way are needed: 2/64 < 0.05 < 2/32")
	assert.Less(t, McNemar(6, 0), 0.05)
	assert.Greater(t, McNemar(5, 0), 0.05)
}

// Holm 1979 by hand: the least of four is weighed four times, the next three times, and none less than the one before.
func TestHolm(t *testing.T) {
	assert.InDeltaSlice(t, []float64{0.03, 0.06, 0.06, 0.02}, Holm([]float64{0.01, 0.04, 0.03, 0.005}), 1e-12)
	assert.InDeltaSlice(t, []float64{1, 1}, Holm([]float64{0.9, 0.8}), 1e-12)
	assert.Empty(t, Holm(nil))
}

// Manning, Raghavan and Schütze 2008, table 8.2: 300, 20, 10, 70 give 0.776.
func TestKappa(t *testing.T) {
	assert.InDelta(t, 0.776, Kappa(300, 20, 10, 70), 0.0005)
	assert.Equal(t, 1.0, Kappa(5, 0, 0, 0))
}

// Lin 2004, section 3.1: against "police killed the gunman", "police kill the gunman" scores 0.75 and "the gunman kill police" 0.5.
func TestRougeL(t *testing.T) {
	want := strings.Fields("police killed the gunman")
	assert.InDelta(t, 0.75, RougeL(strings.Fields("police kill the gunman"), want), 1e-12)
	assert.InDelta(t, 0.5, RougeL(strings.Fields("the gunman kill police"), want), 1e-12)
	assert.Zero(t, RougeL(nil, want))
	assert.Equal(t, 1.0, RougeL(nil, nil))
}

// What the script of SQuAD 1.1 does to an answer (Rajpurkar et al. 2016, from memory of its evaluate-v1.1.py).
func TestSquad(t *testing.T) {
	assert.Equal(t, []string{"denver", "broncos"}, Squad("The Denver Broncos!"))
	assert.Equal(t, []string{"cat", "and", "hat"}, Squad("A cat,  and an hat."))
	assert.Equal(t, 1.0, SquadF1("the Denver Broncos", []string{"Carolina", "Denver Broncos"}))
	assert.InDelta(t, 2.0/3, SquadF1("Broncos of", []string{"Broncos"}), 1e-12)
	assert.Equal(t, 1.0, SquadF1("", []string{""}), "a question without an answer, and none given")
	assert.Zero(t, SquadF1("something", []string{""}))
}

// Manning, Raghavan and Schütze 2008, section 8.4, by hand: right, wrong, right, of 4 right in all.
func TestPrecisionAndRecall(t *testing.T) {
	right := []bool{true, false, true}
	assert.InDelta(t, 2.0/3, Precision(right, 3), 1e-12)
	assert.InDelta(t, 0.2, Precision(right[:1], 5), 1e-12, "results that are lacking are wrong")
	assert.InDelta(t, 0.5, Recall(right, 4, 3), 1e-12)
	assert.Zero(t, Recall(right, 0, 3))
}
