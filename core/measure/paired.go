package measure

import (
	"math"
	"sort"
)

// McNemar is the exact two-sided test of whether two runs over the same questions differ (McNemar 1947; the exact form is the
// binomial test of half the discordant pairs): fixed are the questions that failed before and pass now, broken the others way
// round. It gives the chance of a split as uneven as this one when neither is better; 1 when nothing changed.
func McNemar(fixed, broken int) float64 {
	n := fixed + broken
	if n == 0 {
		return 1
	}
	k := min(fixed, broken)
	p := 0.0
	for i := 0; i <= k; i++ {
		p += math.Exp(logChoose(n, i) - float64(n)*math.Ln2)
	}
	return math.Min(1, 2*p)
}

// McNemarSquare is the asymptotic form of the test, a chi-square with one degree of freedom (Agresti 2002, section 10.1.1).
func McNemarSquare(fixed, broken int) float64 {
	if fixed+broken == 0 {
		return 0
	}
	d := float64(fixed - broken)
	return d * d / float64(fixed+broken)
}

func logChoose(n, k int) float64 {
	a, _ := math.Lgamma(float64(n + 1))
	b, _ := math.Lgamma(float64(k + 1))
	c, _ := math.Lgamma(float64(n - k + 1))
	return a - b - c
}

// Smallest is the least difference of two pass rates over n questions that McNemar's test would tell from chance at 5 %, when
// all that changes changes one way: as many questions as make 2^(1-k) less than 0.05.
func Smallest(n int) float64 {
	if n == 0 {
		return 1
	}
	k := 1
	for math.Pow(2, 1-float64(k)) >= 0.05 {
		k++
	}
	return math.Min(1, float64(k)/float64(n))
}

// Holm adjusts the p-values of several tests, so that the chance of any false alarm among them stays below the level at which
// each is read (Holm 1979, "A Simple Sequentially Rejective Multiple Test Procedure"). [len(ps)], in the order given.
func Holm(ps []float64) []float64 {
	order := make([]int, len(ps))
	for i := range order {
		order[i] = i
	}
	sort.SliceStable(order, func(a, b int) bool { return ps[order[a]] < ps[order[b]] })
	out := make([]float64, len(ps))
	last := 0.0
	for rank, i := range order {
		last = math.Max(last, math.Min(1, ps[i]*float64(len(ps)-rank)))
		out[i] = last
	}
	return out
}

// Kappa is Cohen's kappa of two judges over yes and no (Manning, Raghavan and Schütze 2008, section 8.5): both yes, the first
// alone, the second alone, neither. It is 1 when both always agree.
func Kappa(both, first, second, neither int) float64 {
	n := float64(both + first + second + neither)
	if n == 0 {
		return 1
	}
	agree := float64(both+neither) / n
	yes := float64(2*both+first+second) / (2 * n) // marginals pooled over the judges, as there
	chance := yes*yes + (1-yes)*(1-yes)
	if chance == 1 {
		return 1
	}
	return (agree - chance) / (1 - chance)
}
