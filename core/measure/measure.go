// Package measure holds the retrieval measures, text-overlap measures and statistics by which Jolvex judges itself.
package measure

import (
	"math"
	"math/rand/v2"
	"sort"
)

// Hit is 1 when one of the first k of the ranked items is relevant, else 0. ranks are the 1-based ranks of the
// relevant items; an item that was not found has rank 0.
func Hit(ranks []int, k int) float64 {
	for _, r := range ranks {
		if r >= 1 && r <= k {
			return 1
		}
	}
	return 0
}

// ReciprocalRank is 1/rank of the first relevant item, 0 when none was found (Manning, Raghavan and Schutze 2008,
// section 8.4; averaged over questions it is MRR).
func ReciprocalRank(ranks []int) float64 {
	best := 0
	for _, r := range ranks {
		if r >= 1 && (best == 0 || r < best) {
			best = r
		}
	}
	if best == 0 {
		return 0
	}
	return 1 / float64(best)
}

// DCG is the discounted cumulated gain of gains in ranked order with the log2(rank+1) discount, the form that
// trec_eval-like tools use. It differs from Jarvelin and Kekalainen's, see DCGBase.
func DCG(gains []float64) float64 {
	var s float64
	for i, g := range gains {
		s += g / math.Log2(float64(i+2))
	}
	return s
}

// DCGBase is the discounted cumulated gain of Jarvelin and Kekalainen (2002), equation 2: ranks below base are not
// discounted, later gains are divided by log_base(rank).
func DCGBase(gains []float64, base float64) float64 {
	var s float64
	for i, g := range gains {
		if rank := float64(i + 1); rank >= base {
			g /= math.Log(rank) / math.Log(base)
		}
		s += g
	}
	return s
}

// NDCG is DCG over the DCG of the best order of all known gains, in 0..1; 0 when no gain is known.
func NDCG(gains, all []float64, k int) float64 {
	ideal := append([]float64(nil), all...)
	sort.Sort(sort.Reverse(sort.Float64Slice(ideal)))
	best := DCG(ideal[:min(k, len(ideal))])
	if best == 0 {
		return 0
	}
	return DCG(gains[:min(k, len(gains))]) / best
}

// Interval is a two-sided confidence interval of a rate.
type Interval struct {
	Low  float64 `json:"low"`
	High float64 `json:"high"`
}

// Wilson is the Wilson score interval at 95 % for k successes out of n (NIST/SEMATECH e-Handbook of Statistical
// Methods, section 7.2.4.1). For n = 0 it is [0, 1].
func Wilson(k, n int) Interval {
	if n <= 0 {
		return Interval{0, 1}
	}
	const z = 1.959963984540054
	p, nn := float64(k)/float64(n), float64(n)
	centre := (p + z*z/(2*nn)) / (1 + z*z/nn)
	half := z / (1 + z*z/nn) * math.Sqrt(p*(1-p)/nn+z*z/(4*nn*nn))
	return Interval{math.Max(0, centre-half), math.Min(1, centre+half)}
}

// Percentile is the value below which a share p (0..1) of the values lies, by the nearest-rank method (NIST/SEMATECH
// e-Handbook, section 7.2.6.2 discusses the variants). It sorts values in place; 0 for none.
func Percentile(values []float64, p float64) float64 {
	if len(values) == 0 {
		return 0
	}
	sort.Float64s(values)
	i := int(math.Ceil(p*float64(len(values)))) - 1
	return values[max(0, min(i, len(values)-1))]
}

// TokenF1 is the harmonic mean of precision and recall over two bags of words (Rajpurkar et al. 2016). Two empty bags
// agree.
func TokenF1(got, want []string) float64 {
	if len(got) == 0 || len(want) == 0 {
		if len(got) == len(want) {
			return 1
		}
		return 0
	}
	count := map[string]int{}
	for _, w := range want {
		count[w]++
	}
	same := 0
	for _, g := range got {
		if count[g] > 0 {
			count[g]--
			same++
		}
	}
	if same == 0 {
		return 0
	}
	p, r := float64(same)/float64(len(got)), float64(same)/float64(len(want))
	return 2 * p * r / (p + r)
}

// resamples is how many times a bootstrap draws.
const resamples = 2000

// ClusterBootstrap is the 95 % interval of the mean of values, whose i-th belongs to cluster clusters[i]: whole clusters
// are drawn with replacement (Field and Welsh 2007, "Bootstrapping Clustered Data", the randomised cluster bootstrap;
// percentile interval), so that variants of one question do not pass for independent evidence. The same input gives the
// same interval. It is from the mean to the mean for fewer than two clusters.
func ClusterBootstrap(values []float64, clusters []string) Interval {
	var order []string
	sum, count := map[string]float64{}, map[string]float64{}
	total := 0.0
	for i, x := range values {
		c := clusters[i]
		if count[c] == 0 {
			order = append(order, c)
		}
		sum[c] += x
		count[c]++
		total += x
	}
	if len(values) == 0 {
		return Interval{}
	}
	mean := total / float64(len(values))
	if len(order) < 2 {
		return Interval{mean, mean}
	}
	r := rand.New(rand.NewPCG(1, uint64(len(values))))
	means := make([]float64, resamples)
	for i := range means {
		s, n := 0.0, 0.0
		for range order {
			c := order[r.IntN(len(order))]
			s += sum[c]
			n += count[c]
		}
		means[i] = s / n
	}
	return Interval{Percentile(means, 0.025), Percentile(means, 0.975)}
}
