package measure

import (
	"math"
	"strconv"
	"testing"

	"github.com/stretchr/testify/assert"
)

// Jarvelin and Kekalainen (2002), "Cumulated gain-based evaluation of IR techniques", section 2.2: the gain vector G' =
// <3, 2, 3, 0, 0, 1, 2, 2, 3, 0> and its discounted cumulated gain with base 2, DCG' = <3, 5, 6.89, 6.89, 6.89, 7.28, 7.99,
// 8.66, 9.61, 9.61>.
func TestDCGBaseAgainstJarvelinKekalainen(t *testing.T) {
	g := []float64{3, 2, 3, 0, 0, 1, 2, 2, 3, 0}
	want := []float64{3, 5, 6.89, 6.89, 6.89, 7.28, 7.99, 8.66, 9.61, 9.61}
	for i, w := range want {
		assert.InDelta(t, w, DCGBase(g[:i+1], 2), 0.006, "rank %d", i+1)
	}
}

// The log2(rank+1) form: hand calculation 3/1 + 2/1.58496 + 3/2.
func TestDCGAndNDCG(t *testing.T) {
	assert.InDelta(t, 3+2/math.Log2(3)+3.0/2, DCG([]float64{3, 2, 3}), 1e-12)
	assert.InDelta(t, 1, NDCG([]float64{3, 3, 2}, []float64{2, 3, 3}, 3), 1e-12)
	assert.InDelta(t, DCG([]float64{0, 1})/DCG([]float64{1}), NDCG([]float64{0, 1}, []float64{1}, 2), 1e-12)
	assert.Zero(t, NDCG([]float64{0}, nil, 5))
}

func TestRanks(t *testing.T) {
	assert.Equal(t, 1.0, Hit([]int{4, 9}, 5))
	assert.Equal(t, 0.0, Hit([]int{6}, 5))
	assert.Equal(t, 0.0, Hit([]int{0}, 5), "rank 0 is not found")
	assert.Equal(t, 0.25, ReciprocalRank([]int{9, 4, 0}))
	assert.Zero(t, ReciprocalRank(nil))
}

// NIST/SEMATECH e-Handbook of Statistical Methods, section 7.2.4.1, two-sided 95 % limits by Wilson's method for 4
// defectives out of 20: the book's one-sided example uses the same formula with z = 1.645 (lower limit 0.092, from memory).
// The limits below were computed by hand from that formula with z = 1.96.
func TestWilson(t *testing.T) {
	i := Wilson(4, 20)
	assert.InDelta(t, 0.0807, i.Low, 5e-4)
	assert.InDelta(t, 0.4160, i.High, 5e-4)
	assert.Equal(t, Interval{0, 1}, Wilson(0, 0))
	all := Wilson(10, 10)
	assert.InDelta(t, 0.7225, all.Low, 5e-4)
	assert.InDelta(t, 1, all.High, 1e-12)
	for n := 1; n < 60; n++ {
		for k := 0; k <= n; k++ {
			i, p := Wilson(k, n), float64(k)/float64(n)
			assert.True(t, i.Low <= p+1e-12 && p <= i.High+1e-12 && i.Low >= 0 && i.High <= 1, "%d of %d: %v", k, n, i)
		}
	}
}

func TestPercentile(t *testing.T) {
	assert.Equal(t, 3.0, Percentile([]float64{5, 1, 3, 2, 4}, 0.5))
	assert.Equal(t, 5.0, Percentile([]float64{5, 1, 3, 2, 4}, 0.95))
	assert.Zero(t, Percentile(nil, 0.5))
}

// Rajpurkar et al. (2016), section 6.1, define F1 over bags of tokens; the numbers are worked by hand.
func TestTokenF1(t *testing.T) {
	assert.InDelta(t, 2*0.5*(2.0/3)/(0.5+2.0/3), TokenF1([]string{"a", "b", "c", "d"}, []string{"a", "b", "e"}), 1e-12)
	assert.Zero(t, TokenF1([]string{"a"}, []string{"b"}))
	assert.Zero(t, TokenF1(nil, []string{"b"}))
	assert.Equal(t, 1.0, TokenF1(nil, nil))
	assert.InDelta(t, 2*(1.0/3)*1/(1.0/3+1), TokenF1([]string{"a", "a", "a"}, []string{"a"}), 1e-12, "a repeated word counts once")
}

// With every value a cluster of its own the interval is that of the ordinary bootstrap, near mean ± 1.96 standard errors
// (common practice); values that go together widen it.
func TestClusterBootstrap(t *testing.T) {
	var values []float64
	var alone, pairs []string
	for i := range 200 {
		values = append(values, float64(i/2%2))
		alone, pairs = append(alone, strconv.Itoa(i)), append(pairs, strconv.Itoa(i/2))
	}
	narrow, wide := ClusterBootstrap(values, alone), ClusterBootstrap(values, pairs)
	half := 1.96 * math.Sqrt(0.25/200)
	assert.InDelta(t, 0.5-half, narrow.Low, 0.012)
	assert.InDelta(t, 0.5+half, narrow.High, 0.012)
	assert.InDelta(t, math.Sqrt2, (wide.High-wide.Low)/(narrow.High-narrow.Low), 0.15)
	assert.Equal(t, narrow, ClusterBootstrap(values, alone))
	assert.Equal(t, Interval{0.5, 0.5}, ClusterBootstrap([]float64{0, 1}, []string{"a", "a"}), "one cluster tells nothing of its spread")
	assert.Equal(t, Interval{}, ClusterBootstrap(nil, nil))
}
