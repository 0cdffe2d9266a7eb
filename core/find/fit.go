package find

import (
	"context"
	"errors"
	"math"
	"math/rand/v2"
	"slices"
	"sort"

	"jolvex/core/measure"
)

// Case is one question to fit to: its candidates as a probing Rank gives them, and which of them hold the answer.
type Case struct {
	Cluster  string // variants of one question are one cluster
	Ranked   []Ranked
	Relevant []bool // [candidate]
}

// Weight is one setting that a fit may move, within its bounds.
type Weight struct {
	Key        string // of the setting, in Settings' JSON
	Start, End float64
	step       float64
	of         func(*Settings) *float64
}

// weights lists what a fit may move; encoded tells which share of meaning is in force.
func weights(encoded Encoded) []Weight {
	meaning := Weight{Key: "denseWords", End: 1, step: 0.05, of: func(s *Settings) *float64 { return &s.DenseWords }}
	if encoded.Chunks {
		meaning.Key, meaning.of = "dense", func(s *Settings) *float64 { return &s.Dense }
	}
	out := []Weight{meaning}
	for _, k := range Signals() {
		if k.end > 0 {
			out = append(out, Weight{Key: k.Setting, End: k.end, step: k.end / 10, of: k.weight})
		}
	}
	return out
}

// Moved is one setting before and after a fit.
type Moved struct {
	Key    string    `json:"key"`
	Before float64   `json:"before"`
	After  float64   `json:"after"`
	Folds  []float64 `json:"folds" nullable:"false" doc:"What it came to in each fold: a setting that jumps about is noise"`
}

// Fitted is what came of a fit. Values are means over the questions of 1/log2(1+rank) of the first right candidate, 0
// when it is not among the first twenty: nDCG with one right answer.
type Fitted struct {
	Settings  Settings         `json:"-"`
	Questions int              `json:"questions"`
	Clusters  int              `json:"clusters"`
	Folds     int              `json:"folds"`
	Before    float64          `json:"before"`
	After     float64          `json:"after" doc:"On the questions that it was fitted to: flatters"`
	Unseen    float64          `json:"unseen" doc:"On questions that had no part in the fit, fold by fold"`
	Gain      float64          `json:"gain" doc:"Unseen less before"`
	Interval  measure.Interval `json:"interval" doc:"Of the gain, 95 %"`
	Kept      bool             `json:"kept" doc:"The gain on unseen questions is more than chance: its interval lies above 0"`
	Moved     []Moved          `json:"moved" nullable:"false"`
}

// ErrTooFew says that there are too few different questions to fit to.
var ErrTooFew = errors.New("fewer than 10 different questions whose right passage is among the candidates")

const (
	folds       = 5
	leastFitted = 10
	restarts    = 3
	deepest     = 20 // rank beyond which a right candidate counts nothing
)

// Fit moves the weights to raise the right candidates of the cases: coordinate ascent with restarts (Metzler and Croft
// 2007, "Linear feature-based models for information retrieval", section 4). What is gained is measured on questions
// that had no part in it, by cross-validation over clusters; the caller should use the outcome only when it was Kept.
// Deterministic. Cost: some thousand passes over the cases; ctx stops it between them.
func Fit(ctx context.Context, cases []Case, start Settings, encoded Encoded) (Fitted, error) {
	f := &fitter{ws: weights(encoded), encoded: encoded}
	clusters := map[string]bool{}
	for _, c := range cases {
		if slices.Contains(c.Relevant, true) {
			clusters[c.Cluster] = true
		}
	}
	out := Fitted{Questions: len(cases), Clusters: len(clusters), Folds: folds}
	if len(clusters) < leastFitted {
		return out, ErrTooFew
	}
	fold := foldsOf(cases)
	before, unseen := make([]float64, len(cases)), make([]float64, len(cases))
	moved := make([][]float64, len(f.ws))
	for i, c := range cases {
		before[i] = f.value(c, start)
	}
	for k := range folds {
		var train []Case
		for i, c := range cases {
			if fold[i] != k {
				train = append(train, c)
			}
		}
		s, err := f.climb(ctx, train, start)
		if err != nil {
			return out, err
		}
		for i, c := range cases {
			if fold[i] == k {
				unseen[i] = f.value(c, s)
			}
		}
		for w := range f.ws {
			moved[w] = append(moved[w], *f.ws[w].of(&s))
		}
	}
	best, err := f.climb(ctx, cases, start)
	if err != nil {
		return out, err
	}
	gains, names := make([]float64, len(cases)), make([]string, len(cases))
	for i, c := range cases {
		gains[i], names[i] = unseen[i]-before[i], c.Cluster
	}
	out.Settings, out.Before, out.Unseen, out.After = best, mean(before), mean(unseen), f.mean(cases, best)
	out.Gain, out.Interval = out.Unseen-out.Before, measure.ClusterBootstrap(gains, names)
	out.Kept = out.Interval.Low > 0
	for w := range f.ws {
		out.Moved = append(out.Moved, Moved{f.ws[w].Key, *f.ws[w].of(&start), *f.ws[w].of(&best), moved[w]})
	}
	return out, nil
}

// foldsOf deals the clusters out to folds, in order of name.
func foldsOf(cases []Case) []int {
	var names []string
	for _, c := range cases {
		if !slices.Contains(names, c.Cluster) {
			names = append(names, c.Cluster)
		}
	}
	sort.Strings(names)
	r := rand.New(rand.NewPCG(7, 7))
	r.Shuffle(len(names), func(i, j int) { names[i], names[j] = names[j], names[i] })
	of := map[string]int{}
	for i, n := range names {
		of[n] = i % folds
	}
	out := make([]int, len(cases))
	for i, c := range cases {
		out[i] = of[c.Cluster]
	}
	return out
}

func mean(xs []float64) float64 {
	sum := 0.0
	for _, x := range xs {
		sum += x
	}
	return sum / float64(max(1, len(xs)))
}

type fitter struct {
	ws      []Weight
	encoded Encoded
}

// value is what a case is worth under settings.
func (f *fitter) value(c Case, s Settings) float64 {
	right := math.Inf(-1)
	scores := make([]float64, len(c.Ranked))
	for i := range c.Ranked {
		scores[i] = f.score(&c.Ranked[i], s)
		if c.Relevant[i] {
			right = max(right, scores[i])
		}
	}
	rank := 1
	for i, x := range scores {
		if !c.Relevant[i] && x >= right { // a tie is no win
			rank++
		}
	}
	if math.IsInf(right, -1) || rank > deepest {
		return 0
	}
	return 1 / math.Log2(float64(1+rank))
}

func (f *fitter) score(r *Ranked, s Settings) float64 {
	lib := Library{Encoded: f.encoded}
	share := lib.share(s)
	sum := (1-share)*r.lexical + share*r.dense + lib.sentence(s)*r.nearest
	for _, x := range r.Signals {
		if k, ok := signalNamed(x.Name); ok && k.value != nil { // the others are summed up above
			sum += k.points(*k.weight(&s), x.Value)
		}
	}
	return sum
}

func (f *fitter) mean(cases []Case, s Settings) float64 {
	sum := 0.0
	for _, c := range cases {
		sum += f.value(c, s)
	}
	return sum / float64(len(cases))
}

// climb moves one weight at a time to where the cases gain most, over and over, from the start and from a few other
// places. Of weights that do equally well it keeps the one nearest to where it stood.
func (f *fitter) climb(ctx context.Context, cases []Case, start Settings) (Settings, error) {
	r := rand.New(rand.NewPCG(11, 13))
	best, top := start, f.mean(cases, start)
	for try := range restarts {
		s := start
		if try > 0 {
			for _, w := range f.ws {
				*w.of(&s) = math.Round(r.Float64()*w.End/w.step) * w.step
			}
		}
		now := f.mean(cases, s)
		for improved := true; improved; {
			improved = false
			for _, w := range f.ws {
				if err := ctx.Err(); err != nil {
					return start, err
				}
				if at, y := f.along(cases, s, w, now); y > now+1e-9 {
					*w.of(&s), now, improved = at, y, true
				}
			}
		}
		if now > top+1e-9 {
			best, top = s, now
		}
	}
	for _, w := range f.ws { // what gains nothing stays where it stood
		s := best
		if *w.of(&s) = *w.of(&start); f.mean(cases, s) >= top-1e-9 {
			best = s
		}
	}
	return best, nil
}

// along tries the whole range of one weight: where the cases are worth most, and how much. Of places that do equally
// well it takes the one nearest to where the weight stands.
func (f *fitter) along(cases []Case, s Settings, w Weight, now float64) (at, top float64) {
	stood := *w.of(&s)
	at, top = stood, now
	for step := range int(math.Round((w.End-w.Start)/w.step)) + 1 {
		x := min(w.End, math.Round((w.Start+float64(step)*w.step)*100)/100)
		*w.of(&s) = x
		y := f.mean(cases, s)
		if y > top+1e-9 || y > top-1e-9 && at != stood && math.Abs(x-stood) < math.Abs(at-stood) {
			at, top = x, max(top, y)
		}
	}
	return at, top
}
