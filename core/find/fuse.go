package find

import (
	"math"
	"sort"
)

// standard gives z-scores: distances from the mean in standard deviations. The sums run over sorted values, so that the
// numbering of chunks has no say in the last digit.
func standard(xs []float64) []float64 {
	out := make([]float64, len(xs))
	sorted := append([]float64(nil), xs...)
	sort.Float64s(sorted)
	var sum, sq float64
	for _, x := range sorted {
		sum += x
	}
	mean := sum / float64(len(xs))
	for _, x := range sorted {
		sq += float64((x - mean) * (x - mean))
	}
	sd := math.Sqrt(sq / float64(len(xs)))
	if len(xs) == 0 || sd < 1e-9 {
		return out
	}
	for i, x := range xs {
		out[i] = (x - mean) / sd
	}
	return out
}

// standardOf gives the z-scores of those that are known. The others stand where another list has them: a chunk that the embedder has not read
// yet is held to be as near in meaning as it is in words.
func standardOf(xs []float64, unknown map[int]bool, otherwise []float64) []float64 {
	if len(unknown) == 0 {
		return standard(xs)
	}
	var known []float64
	for i, x := range xs {
		if !unknown[i] {
			known = append(known, x)
		}
	}
	z := standard(known)
	out := make([]float64, len(xs))
	for i := range xs {
		if unknown[i] {
			out[i] = otherwise[i]
			continue
		}
		out[i], z = z[0], z[1:]
	}
	return out
}

func scaled(xs []float64, by float64) []float64 {
	out := make([]float64, len(xs))
	for i, x := range xs {
		out[i] = x * by
	}
	return out
}

// rankConstant is k of reciprocal rank fusion (Cormack, Clarke and Büttcher 2009, "Reciprocal Rank Fusion Outperforms
// Condorcet and Individual Rank Learning Methods": 1/(k + rank), k = 60).
const rankConstant = 60

// reciprocal fuses by ranks alone: a chunk earns from each list that holds it, by its rank there, weighted by the share
// of meaning. The sum is brought to z-scores, so that other signals weigh as much beside it as beside fused scores.
// Chunks that tie in a list share the better rank.
func reciprocal(rs []Ranked, lex, den []float64, inLexical, inDense map[int]float64, share float64) (a, b []float64) {
	a = scaled(reciprocalOf(rs, lex, inLexical), 1-share)
	b = scaled(reciprocalOf(rs, den, inDense), share)
	sum := make([]float64, len(rs))
	for i := range rs {
		sum[i] = a[i] + b[i]
	}
	z := standard(sum)
	for i := range rs {
		if sum[i] > 0 {
			a[i], b[i] = z[i]*a[i]/sum[i], z[i]*b[i]/sum[i]
		}
	}
	return a, b
}

func reciprocalOf(rs []Ranked, score []float64, in map[int]float64) []float64 {
	out := make([]float64, len(rs))
	var order []int
	for i := range rs {
		if _, ok := in[rs[i].Number]; ok {
			order = append(order, i)
		}
	}
	sort.SliceStable(order, func(x, y int) bool { return score[order[x]] > score[order[y]] })
	rank := 0
	for place, i := range order {
		if place == 0 || score[i] < score[order[place-1]] {
			rank = place + 1
		}
		out[i] = 1 / float64(rankConstant+rank)
	}
	return out
}
