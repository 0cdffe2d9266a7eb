package prove

import (
	"cmp"
	"errors"
	"fmt"
	"maps"
	"math"
	"math/rand/v2"
	"slices"
	"strings"

	"jolvex/core/measure"
	"jolvex/core/questions"
)

// Ways to search among methods.
const (
	SearchGrid    = "grid"    // every combination
	SearchRandom  = "random"  // some of them, drawn evenly
	SearchHalving = "halving" // all on few questions, the better half on twice as many, and so on
)

// Factor is a setting with the values that a trial tries.
type Factor struct {
	Key    string   `json:"key" minLength:"1"`
	Values []string `json:"values" minItems:"1" maxItems:"20" nullable:"false"`
}

// Plan says what a trial tries.
type Plan struct {
	Factors []Factor `json:"factors" minItems:"1" maxItems:"12" nullable:"false"`
	Search  string   `json:"search" enum:"grid,random,halving"`
	Budget  int      `json:"budget,omitempty" minimum:"0" maximum:"2000" doc:"random, halving: the most methods to try; 0 for all"`
	Seed    uint64   `json:"seed,omitempty" doc:"random, halving: of the draw; the same seed draws the same methods"`
}

// MaxMethods is the most methods of one trial.
const MaxMethods = 2000

// ErrPlan says that a plan cannot be carried out.
var ErrPlan = errors.New("the plan cannot be carried out")

// Combinations is how many methods the full grid has.
func (p Plan) Combinations() int {
	n := 1
	for _, f := range p.Factors {
		if n *= len(f.Values); n > 1e9 {
			return n
		}
	}
	return n
}

// Check reports what is wrong with a plan; ErrPlan, wrapped.
func (p Plan) Check() error {
	if len(p.Factors) == 0 {
		return fmt.Errorf("%w: it varies no setting", ErrPlan)
	}
	seen := map[string]bool{}
	for _, f := range p.Factors {
		if seen[f.Key] {
			return fmt.Errorf("%w: %s stands twice", ErrPlan, f.Key)
		}
		seen[f.Key] = true
		if len(f.Values) == 0 {
			return fmt.Errorf("%w: %s has no value", ErrPlan, f.Key)
		}
		if len(slices.Compact(slices.Sorted(slices.Values(f.Values)))) != len(f.Values) {
			return fmt.Errorf("%w: a value of %s stands twice", ErrPlan, f.Key)
		}
	}
	if !slices.Contains([]string{SearchGrid, SearchRandom, SearchHalving}, p.Search) {
		return fmt.Errorf("%w: there is no search %q", ErrPlan, p.Search)
	}
	if n := p.count(); n > MaxMethods {
		return fmt.Errorf("%w: %d methods are more than %d; draw some of them", ErrPlan, n, MaxMethods)
	}
	return nil
}

func (p Plan) count() int {
	n := p.Combinations()
	if p.Search != SearchGrid && p.Budget > 0 {
		n = min(n, p.Budget)
	}
	return n
}

// Methods lists the settings of each method to be tried. The grid goes through the last factor fastest; a draw is without
// replacement.
func (p Plan) Methods() []map[string]string {
	all := p.Combinations()
	picked := make([]int, 0, p.count())
	if p.count() == all {
		for i := range all {
			picked = append(picked, i)
		}
	} else {
		r := rand.New(rand.NewPCG(p.Seed, 0x7a1a1))
		seen := map[int]bool{}
		for len(picked) < p.count() {
			if i := r.IntN(all); !seen[i] {
				seen[i] = true
				picked = append(picked, i)
			}
		}
		slices.Sort(picked)
	}
	out := make([]map[string]string, len(picked))
	for n, i := range picked {
		out[n] = map[string]string{}
		for k := len(p.Factors) - 1; k >= 0; k-- {
			f := p.Factors[k]
			out[n][f.Key] = f.Values[i%len(f.Values)]
			i /= len(f.Values)
		}
	}
	return out
}

// fewest is how many clusters of questions a halving search begins with, at least.
const fewest = 16

// Rounds lists on how many of the clusters each round of the search asks: all at once, or twice as many each time.
func (p Plan) Rounds(clusters int) []int {
	if p.Search != SearchHalving || clusters <= fewest {
		return []int{clusters}
	}
	var out []int
	for n := clusters; n >= fewest; n = (n + 1) / 2 {
		out = append(out, n)
	}
	slices.Reverse(out)
	return out
}

// Arm is one method of a trial with what came of it. The first of a trial is the draft as it is.
type Arm struct {
	Settings  map[string]string `json:"settings"`
	Outcomes  string            `json:"outcomes" doc:"A sign for each question: 1 passed, 0 failed, - not asked, x could not be judged"`
	Passed    Rate              `json:"passed"`
	Facts     Rate              `json:"facts"`
	Hit5      float64           `json:"hit5"`
	MRR       float64           `json:"mrr"`
	Pointed   Figure            `json:"pointed,omitzero" doc:"Sentences to the point"`
	Words     Figure            `json:"words,omitzero" doc:"Words of a reply"`
	Accidents int               `json:"accidents" doc:"Failed by accident: what is expected is said, but not of the thing asked"`
	MillisP50 float64           `json:"millisP50"`
	MillisP95 float64           `json:"millisP95"`
	Price     float64           `json:"price"`
	Chunks    int               `json:"chunks"`
	Whole     bool              `json:"whole" doc:"Every question was asked"`
	P         float64           `json:"p" doc:"Chance of as uneven a split against the draft: McNemar's exact test, Holm's correction over all methods tried"`
	Fixed     int               `json:"fixed" doc:"Failed under the draft, pass here"`
	Broken    int               `json:"broken" doc:"Passed under the draft, fail here"`
	Frontier  bool              `json:"frontier" doc:"No other method passes as many in less time"`
	Level     bool              `json:"level" doc:"Cannot be told from the best by McNemar's exact test with Holm's correction"`
}

// Importance is how much of the spread of the pass rates goes with one setting.
type Importance struct {
	Key    string             `json:"key"`
	Share  float64            `json:"share" doc:"Share of the variance of the pass rates that the means of its values explain"`
	Values map[string]float64 `json:"values" doc:"Mean pass rate of the methods with each value"`
}

// Trialled is what a trial says.
type Trialled struct {
	Best     int              `json:"best" doc:"The arm with the highest pass rate, of equal ones the fastest"`
	Pick     int              `json:"pick" doc:"The arm to take: the draft where none is better beyond chance, else the fastest of those that cannot be told from the best and are"`
	Sure     bool             `json:"sure" doc:"The pick is better than the draft beyond chance"`
	Why      string           `json:"why"`
	Honest   Rate             `json:"honest" doc:"Pass rate of whatever is best on four fifths of the questions, on the fifth that it was not chosen on; over all five"`
	Gain     float64          `json:"gain" doc:"That less the draft's pass rate"`
	Within   measure.Interval `json:"within" doc:"Of the gain, 95 %, by cluster bootstrap"`
	Smallest float64          `json:"smallest" doc:"Least difference of pass rates that could have been told from chance at 5 % without correction"`
	Factors  []Importance     `json:"factors" nullable:"false"`
}

// Measure sums up what came of one arm's questions: those that were asked have a verdict or say why not.
func (a *Arm) Measure(qs []questions.Question, js []*Judged) {
	var signs strings.Builder
	var asked []Judged
	a.Whole = true
	for i := range qs {
		switch j := js[i]; {
		case j == nil:
			signs.WriteByte('-')
			a.Whole = false
			continue
		case j.Failed != "":
			signs.WriteByte('x')
			asked = append(asked, *j)
		case j.Verdict.Passed:
			signs.WriteByte('1')
			asked = append(asked, *j)
		default:
			signs.WriteByte('0')
			asked = append(asked, *j)
		}
	}
	s := Summarise(asked)
	a.Outcomes = signs.String()
	a.Passed, a.Facts, a.Hit5, a.MRR, a.MillisP50, a.MillisP95, a.Price = s.Passed, s.Facts, s.Hit5, s.MRR, s.MillisP50, s.MillisP95, s.Price
	a.Accidents = s.Accidents
	for _, f := range s.Figures {
		switch f.Key {
		case "pointed":
			a.Pointed = f
		case "words":
			a.Words = f
		}
	}
}

// Analyse compares the arms of a trial over a set, the first of which is the draft, marks them, and says which to take. Arms that
// were given up on the way are compared on what they were asked, and cannot be picked.
func Analyse(plan Plan, qs []questions.Question, arms []Arm) Trialled {
	out := Trialled{Factors: []Importance{}, Smallest: measure.Smallest(len(qs))}
	if len(arms) == 0 {
		return out
	}
	ps := make([]float64, 0, len(arms))
	for i := range arms {
		a := &arms[i]
		a.Fixed, a.Broken = splits(arms[0].Outcomes, a.Outcomes)
		if i > 0 {
			ps = append(ps, measure.McNemar(a.Fixed, a.Broken))
		}
	}
	for i, p := range measure.Holm(ps) {
		arms[i+1].P = p
	}
	arms[0].P = 1
	out.Best = bestOf(arms, func(byte) bool { return true }, nil)
	level(arms, out.Best)
	frontier(arms)
	out.pick(arms)
	out.honest(qs, arms)
	for _, f := range plan.Factors {
		out.Factors = append(out.Factors, importance(f, arms))
	}
	slices.SortStableFunc(out.Factors, func(a, b Importance) int { return cmp.Compare(b.Share, a.Share) })
	return out
}

// splits counts questions, asked under both, that fail in one and pass in the other.
func splits(before, after string) (fixed, broken int) {
	for i := range min(len(before), len(after)) {
		switch before[i:i+1] + after[i:i+1] {
		case "01":
			fixed++
		case "10":
			broken++
		}
	}
	return fixed, broken
}

// bestOf is the whole arm that passes most of the questions of some folds; of equal ones the fastest, then the first.
func bestOf(arms []Arm, in func(fold byte) bool, folds []byte) int {
	best, most := 0, -1
	for i, a := range arms {
		if !a.Whole {
			continue
		}
		n := 0
		for k := range a.Outcomes {
			if a.Outcomes[k] == '1' && (folds == nil || in(folds[k])) {
				n++
			}
		}
		if n > most || n == most && a.MillisP95 < arms[best].MillisP95 {
			best, most = i, n
		}
	}
	return best
}

// level marks the whole arms that cannot be told from the best.
func level(arms []Arm, best int) {
	ps := make([]float64, len(arms))
	for i := range arms {
		ps[i] = measure.McNemar(splits(arms[best].Outcomes, arms[i].Outcomes))
	}
	for i, p := range measure.Holm(ps) {
		arms[i].Level = arms[i].Whole && p > 0.05
	}
}

// frontier marks the whole arms that no other beats on pass rate and time at once.
func frontier(arms []Arm) {
	for i := range arms {
		a := &arms[i]
		a.Frontier = a.Whole && !slices.ContainsFunc(arms, func(b Arm) bool {
			return b.Whole && b.Passed.Rate >= a.Passed.Rate && b.MillisP95 <= a.MillisP95 && (b.Passed.Rate > a.Passed.Rate || b.MillisP95 < a.MillisP95)
		})
	}
}

func (t *Trialled) pick(arms []Arm) {
	pick := 0
	for i, a := range arms {
		if i > 0 && a.Level && a.P <= 0.05 && a.Fixed > a.Broken && (pick == 0 || a.MillisP95 < arms[pick].MillisP95) {
			pick = i
		}
	}
	t.Pick, t.Sure = pick, pick > 0
	switch {
	case pick > 0:
		t.Why = fmt.Sprintf("it fixes %d questions and breaks %d: beyond chance after %d comparisons (p %.3f)", arms[pick].Fixed, arms[pick].Broken, len(arms)-1, arms[pick].P)
	case arms[t.Best].Passed.Hits <= arms[0].Passed.Hits:
		t.Why = "no method passes more than the draft"
	default:
		b := arms[t.Best]
		t.Why = fmt.Sprintf("the best fixes %d questions and breaks %d, which may be chance after %d comparisons (p %.2f)", b.Fixed, b.Broken, len(arms)-1, b.P)
	}
}

// honest measures the choosing itself: on each fifth of the questions, that method is scored which is best on the other four.
func (t *Trialled) honest(qs []questions.Question, arms []Arm) {
	of := make([]byte, len(qs))
	for i, q := range qs {
		of[i] = byte(foldOf(q.Cluster()))
	}
	var won, gain tally
	for f := range byte(folds) {
		best := bestOf(arms, func(x byte) bool { return x != f }, of)
		for i, q := range qs {
			if of[i] != f || i >= len(arms[best].Outcomes) || !judged(arms[best].Outcomes[i]) || !judged(arms[0].Outcomes[i]) {
				continue
			}
			now, was := one(arms[best].Outcomes[i] == '1'), one(arms[0].Outcomes[i] == '1')
			won.add(now, q.Cluster())
			gain.add(now-was, q.Cluster())
		}
	}
	t.Honest, t.Gain, t.Within = won.rate(), mean(gain.values), measure.ClusterBootstrap(gain.values, gain.clusters)
}

func judged(sign byte) bool { return sign == '0' || sign == '1' }

// importance is the first-order share of variance (Sobol 1993's main effect, from the means of a balanced grid) of one factor over
// the whole arms, the draft left out.
func importance(f Factor, arms []Arm) Importance {
	out := Importance{Key: f.Key, Values: map[string]float64{}}
	by := map[string][]float64{}
	var all []float64
	for i, a := range arms {
		if v, ok := a.Settings[f.Key]; ok && i > 0 && a.Whole {
			by[v] = append(by[v], a.Passed.Rate)
			all = append(all, a.Passed.Rate)
		}
	}
	centre, total, between := mean(all), 0.0, 0.0
	for _, x := range all {
		total += (x - centre) * (x - centre)
	}
	for _, v := range slices.Sorted(maps.Keys(by)) {
		m := mean(by[v])
		out.Values[v] = m
		between += float64(len(by[v])) * (m - centre) * (m - centre)
	}
	if total > 0 {
		out.Share = math.Min(1, between/total)
	}
	return out
}
