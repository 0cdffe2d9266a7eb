package prove

import (
	"hash/fnv"
	"math"
	"sort"
)

// Step is one level of a calibration: from this support on, this share of answers was right.
type Step struct {
	From  float64 `json:"from"`
	Right float64 `json:"right"`
	Count int     `json:"count" doc:"Questions at this level"`
}

// Calibrate turns support into the share of answers that are right, never falling as support grows: isotonic regression by
// pooling adjacent violators (Ayer et al. 1955; Zadrozny and Elkan 2002, "Transforming Classifier Scores into Accurate
// Multiclass Probability Estimates").
func Calibrate(ws []Weighed) []Step {
	var some []Weighed
	for _, w := range ws {
		if !w.Fixed {
			some = append(some, w)
		}
	}
	sort.SliceStable(some, func(i, j int) bool { return some[i].Support < some[j].Support })
	type pool struct {
		from       float64
		right, all int
	}
	var pools []pool
	for _, w := range some {
		p := pool{w.Support, 0, 1}
		if w.Right {
			p.right = 1
		}
		pools = append(pools, p)
		for n := len(pools); n > 1 && float64(pools[n-2].right)/float64(pools[n-2].all) >= float64(pools[n-1].right)/float64(pools[n-1].all); n = len(pools) {
			pools[n-2].right, pools[n-2].all = pools[n-2].right+pools[n-1].right, pools[n-2].all+pools[n-1].all
			pools = pools[:n-1]
		}
	}
	out := make([]Step, len(pools))
	for i, p := range pools {
		out[i] = Step{p.from, float64(p.right) / float64(p.all), p.all}
	}
	return out
}

// Placing is a height of the bar that a question set suggests, and what it came to on questions that had no say in it.
type Placing struct {
	Bar    float64 `json:"bar"`
	Unseen Height  `json:"unseen" doc:"Over questions left out when their bar was placed, by five-fold cross-validation; bar is the mean of the folds'"`
	Spread float64 `json:"spread" doc:"How far the folds' bars lie apart: the highest less the lowest"`
}

// folds is into how many parts questions are divided to try a bar on unseen ones.
const folds = 5

// Place finds the bar at which wrong answers, each weighing as much as cost questions refused that would have been answered
// rightly, weigh least; between two questions it lies half-way. Questions fall into folds by their ids.
func Place(ws []Weighed, cost float64) Placing {
	var some []Weighed
	for _, w := range ws {
		if !w.Fixed {
			some = append(some, w)
		}
	}
	out := Placing{Bar: cheapest(some, cost)}
	low, high, sum := math.Inf(1), math.Inf(-1), 0.0
	var unseen []Weighed
	for f := range folds {
		var seen, rest []Weighed
		for _, w := range some {
			if foldOf(w.ID) == f {
				rest = append(rest, w)
			} else {
				seen = append(seen, w)
			}
		}
		bar := cheapest(seen, cost)
		low, high, sum = min(low, bar), max(high, bar), sum+bar
		for _, w := range rest { // each is held against the bar that it had no say in
			w.Support += 1 - bar
			unseen = append(unseen, w)
		}
	}
	out.Unseen = At(unseen, 1)
	out.Unseen.Bar, out.Spread = sum/folds, high-low
	return out
}

func foldOf(id string) int {
	h := fnv.New32a()
	h.Write([]byte(id))
	return int(h.Sum32() % folds)
}

// cheapest is the bar with the least cost; of several, the middle one.
func cheapest(ws []Weighed, cost float64) float64 {
	supports := []float64{0, 1}
	for _, w := range ws {
		supports = append(supports, w.Support)
	}
	sort.Float64s(supports)
	least := math.Inf(1)
	var bars []float64
	for i := 1; i < len(supports); i++ {
		bar := (supports[i-1] + supports[i]) / 2
		total := 0.0
		for _, w := range ws {
			switch over := w.Support >= bar; {
			case over && !w.Right:
				total += cost
			case !over && w.Right:
				total++
			}
		}
		switch {
		case total < least-1e-9:
			least, bars = total, []float64{bar}
		case total < least+1e-9:
			bars = append(bars, bar)
		}
	}
	return bars[len(bars)/2]
}
