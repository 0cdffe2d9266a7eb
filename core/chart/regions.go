package chart

import (
	"math"
	"slices"
	"strings"

	"jolvex/core/text"
)

// Region is a part of the plane with a name of its own.
type Region struct {
	Name      string `json:"name"`
	At        Point  `json:"at"`
	Documents int    `json:"documents"`
}

// Names are what a document calls itself: its title and the headings of its upper levels.
type Names []string

// Regions parts the documents by where they lie and names each part by the title or heading among its documents that tells it best from
// the others: whose words are frequent in it and rare elsewhere. names is [document].
func Regions(ps []Point, names []Names) []Region {
	if len(ps) == 0 {
		return nil
	}
	of := parts(ps, min(len(ps), max(1, min(14, int(math.Round(math.Sqrt(float64(len(ps)))/1.2))))))
	count := slices.Max(of) + 1
	holds := make([]map[string]int, count) // stem -> documents of the part that have it
	size := make([]int, count)
	for r := range holds {
		holds[r] = map[string]int{}
	}
	for i, r := range of {
		size[r]++
		for s := range text.Stems(names[i]...) {
			holds[r][s]++
		}
	}
	out := make([]Region, count)
	taken := map[string]bool{}
	for r := range out {
		at := Point{}
		best, score := "", -1.0
		for i := range ps {
			if of[i] != r {
				continue
			}
			at.X, at.Y = at.X+ps[i].X/float64(size[r]), at.Y+ps[i].Y/float64(size[r])
			for _, name := range names[i] {
				if s := tells(name, r, holds, size); s > score+1e-12 && !taken[strings.ToLower(name)] {
					best, score = name, s
				}
			}
		}
		taken[strings.ToLower(best)] = true
		out[r] = Region{Name: best, At: at, Documents: size[r]}
	}
	return out
}

// tells is how well a name tells one part from the others.
func tells(name string, r int, holds []map[string]int, size []int) float64 {
	ws := text.Content(name)
	if len(ws) == 0 || len(ws) > 5 || strings.ContainsAny(name, "?!") {
		return -1 // a question names one answer, not a region
	}
	sum := 0.0
	for _, w := range ws {
		others := 0
		for o := range holds {
			if o != r && holds[o][w.Stem] > 0 {
				others++
			}
		}
		sum += float64(holds[r][w.Stem]) / float64(size[r]) * math.Log(float64(len(holds)+1)/float64(others+1))
	}
	return sum / float64(len(ws))
}

// parts puts each point to one of k means (Lloyd 1982), from points as far apart as may be (Gonzalez 1985), so that the same points give the
// same parts.
func parts(ps []Point, k int) []int {
	d2 := func(a, b Point) float64 { return (a.X-b.X)*(a.X-b.X) + (a.Y-b.Y)*(a.Y-b.Y) }
	means := []Point{ps[0]}
	for len(means) < k {
		far, most := 0, -1.0
		for i, p := range ps {
			near := math.Inf(1)
			for _, m := range means {
				near = min(near, d2(p, m))
			}
			if near > most {
				far, most = i, near
			}
		}
		means = append(means, ps[far])
	}
	of := make([]int, len(ps))
	for range 30 {
		sums, n := make([]Point, k), make([]int, k)
		for i, p := range ps {
			best := 0
			for m := range means {
				if d2(p, means[m]) < d2(p, means[best]) {
					best = m
				}
			}
			of[i] = best
			sums[best].X, sums[best].Y = sums[best].X+p.X, sums[best].Y+p.Y
			n[best]++
		}
		for m := range means {
			if n[m] > 0 {
				means[m] = Point{sums[m].X / float64(n[m]), sums[m].Y / float64(n[m])}
			}
		}
	}
	// parts without a point, which two equal points leave, are dropped
	renamed, out := map[int]int{}, make([]int, len(ps))
	for i, m := range of {
		if _, ok := renamed[m]; !ok {
			renamed[m] = len(renamed)
		}
		out[i] = renamed[m]
	}
	return out
}

// Asked is a question on the chart.
type Asked struct {
	Text    string
	Vector  []float32
	Nearest float64 // likeness of the passage that is nearest to it, -1 to 1
	Open    bool    // it was not answered well: failed, or refused
}

// Gap is where questions gather and no document lies.
type Gap struct {
	Questions []int    `json:"questions" nullable:"false" doc:"Places in the chart's questions"`
	About     []string `json:"about" nullable:"false" doc:"Words that they share"`
	Nearest   float64  `json:"nearest" doc:"Likeness of the nearest passage to any of them, -1 to 1"`
}

// Constants of gaps, set by reading the charts of the demo and of debian-faq (common practice, no published source).
const (
	farAway  = 0.40 // likeness of the nearest passage below which nothing lies near a question
	together = 0.45 // likeness of two questions that ask about the same
)

// Gaps groups the questions that were not answered well and near which no document lies, the largest group first.
func Gaps(qs []Asked) []Gap {
	var lost []int
	for i, q := range qs {
		if q.Open && q.Nearest < farAway {
			lost = append(lost, i)
		}
	}
	group := map[int]int{}
	for _, i := range lost {
		group[i] = i
	}
	for x, i := range lost {
		for _, j := range lost[x+1:] {
			if 1-distance(qs[i].Vector, qs[j].Vector) >= together {
				from, to := group[j], group[i]
				for k, g := range group {
					if g == from {
						group[k] = to
					}
				}
			}
		}
	}
	by := map[int]*Gap{}
	var out []*Gap
	for _, i := range lost {
		g := by[group[i]]
		if g == nil {
			g = &Gap{Nearest: -1}
			by[group[i]] = g
			out = append(out, g)
		}
		g.Questions = append(g.Questions, i)
		g.Nearest = max(g.Nearest, qs[i].Nearest)
	}
	list := make([]Gap, len(out))
	for k, g := range out {
		g.About = shared(qs, g.Questions)
		list[k] = *g
	}
	slices.SortStableFunc(list, func(a, b Gap) int { return len(b.Questions) - len(a.Questions) })
	return list
}

// shared are the words that most of some questions have in common, of one question its own, three at most.
func shared(qs []Asked, at []int) []string {
	type count struct {
		word string
		n    int
		at   int
	}
	by := map[string]*count{}
	var all []*count
	for _, i := range at {
		seen := map[string]bool{}
		for _, w := range text.Content(qs[i].Text) {
			if seen[w.Stem] {
				continue
			}
			seen[w.Stem] = true
			c := by[w.Stem]
			if c == nil {
				c = &count{word: w.Norm, at: len(all)}
				by[w.Stem] = c
				all = append(all, c)
			}
			c.n++
		}
	}
	slices.SortStableFunc(all, func(a, b *count) int {
		if a.n != b.n {
			return b.n - a.n
		}
		if len(a.word) != len(b.word) {
			return len(b.word) - len(a.word)
		}
		return a.at - b.at
	})
	out := []string{}
	for _, c := range all[:min(3, len(all))] {
		out = append(out, c.word)
	}
	return out
}
