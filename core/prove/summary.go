package prove

import (
	"maps"
	"slices"

	"jolvex/core/measure"
	"jolvex/core/questions"
)

// Judged is one question of a run with its verdict.
type Judged struct {
	Question questions.Question
	Verdict  Verdict
	Millis   float64
	Failed   string // why it could not be judged; such a question counts neither way
}

// Rate is a share with its 95 % Wilson interval.
type Rate struct {
	Hits     int              `json:"hits"`
	Of       int              `json:"of"`
	Rate     float64          `json:"rate"`
	Interval measure.Interval `json:"interval"`
}

func rate(k, n int) Rate {
	r := Rate{Hits: k, Of: n, Interval: measure.Wilson(k, n)}
	if n > 0 {
		r.Rate = float64(k) / float64(n)
	}
	return r
}

// Figure is one measure of a run with its 95 % interval. Variants of one question are one cluster: the interval is the Wilson
// score interval where every question stands by itself, else by cluster bootstrap.
type Figure struct {
	Key      string           `json:"key"`
	Label    string           `json:"label"`
	Value    float64          `json:"value"`
	Of       int              `json:"of" doc:"Questions, sentences or facts behind it"`
	Interval measure.Interval `json:"interval"`
}

// TagSummary sums up the questions with one tag.
type TagSummary struct {
	Tag      string `json:"tag"`
	Passed   Rate   `json:"passed"`
	Pointed  Rate   `json:"pointed,omitzero" doc:"Sentences to the point"`
	Words    Figure `json:"words,omitzero" doc:"Words of a reply"`
	Accident Rate   `json:"accident,omitzero" doc:"Facts said of something else, of those said"`
	Facts    Rate   `json:"facts"`
	Grounded Rate   `json:"grounded"`
	Right    int    `json:"right" doc:"Rightly refused"`
	Wrong    int    `json:"wrong" doc:"Wrongly refused"`
	Missed   int    `json:"missed" doc:"Answered, should have been refused"`
}

// KindSummary sums up the expectations of one kind: how many of them held.
type KindSummary struct {
	Kind string `json:"kind" enum:"mentions,gives,notMentions,cites,reaches,refuses,asksBack,handsOver,follows,short,language"`
	Held Rate   `json:"held"`
}

// Summary sums up a run. Retrieval measures are over the questions that name what is to be found.
type Summary struct {
	Questions      int             `json:"questions"`
	Unjudged       int             `json:"unjudged"`
	Passed         Rate            `json:"passed"`
	Accidents      int             `json:"accidents,omitempty" doc:"Failed by accident: what is expected is said, but not of the thing asked"`
	ByTag          map[string]Rate `json:"byTag"`
	Tags           []TagSummary    `json:"tags,omitempty" nullable:"false"`
	Languages      []TagSummary    `json:"languages,omitempty" nullable:"false" doc:"By the language of the question and of the page, as de>en, where there is another than English"`
	Kinds          []KindSummary   `json:"kinds,omitempty" nullable:"false" doc:"By kind of expectation"`
	Figures        []Figure        `json:"figures,omitempty" nullable:"false"`
	Hit1           float64         `json:"hit1"`
	Hit5           float64         `json:"hit5"`
	MRR            float64         `json:"mrr"`
	Ranked         int             `json:"ranked"` // questions behind hit1, hit5, mrr
	RightRefusals  int             `json:"rightRefusals"`
	WrongRefusals  int             `json:"wrongRefusals"`
	MissedRefusals int             `json:"missedRefusals"` // answered, should have refused
	Facts          Rate            `json:"facts"`          // mentions and figures found over those expected
	MillisP50      float64         `json:"millisP50"`
	MillisP95      float64         `json:"millisP95"`
	TokensIn       int             `json:"tokensIn"`
	TokensOut      int             `json:"tokensOut"`
	Price          float64         `json:"price"`
}

// tally gathers the values of one measure with their clusters.
type tally struct {
	values   []float64
	clusters []string
}

func (t *tally) add(v float64, cluster string) {
	t.values, t.clusters = append(t.values, v), append(t.clusters, cluster)
}

// shares adds k ones and n-k zeros.
func (t *tally) shares(k, n int, cluster string) {
	for i := range n {
		t.add(one(i < k), cluster)
	}
}

func (t *tally) rate() Rate {
	k := 0
	for _, v := range t.values {
		if v > 0 {
			k++
		}
	}
	r := rate(k, len(t.values))
	if t.clustered() {
		r.Interval = measure.ClusterBootstrap(t.values, t.clusters)
	}
	return r
}

// clustered reports whether two values share a cluster.
func (t *tally) clustered() bool {
	seen := map[string]bool{}
	for _, c := range t.clusters {
		if seen[c] {
			return true
		}
		seen[c] = true
	}
	return false
}

// figure is the tally's mean; one of which all values are 0 or 1 is a rate.
func (t *tally) figure(key, label string) Figure {
	f := Figure{Key: key, Label: label, Value: mean(t.values), Of: len(t.values)}
	if slices.ContainsFunc(t.values, func(v float64) bool { return v != 0 && v != 1 }) {
		f.Interval = measure.ClusterBootstrap(t.values, t.clusters)
	} else {
		f.Interval = t.rate().Interval
	}
	return f
}

// sums are the tallies of a run, or of the questions with one tag.
type sums struct {
	passed, facts, grounded              tally
	hit1, hit5, mrr                      tally
	passage1, passage5                   tally
	ndcg, recall, precision              tally
	f1, rougeL                           tally
	citedWell, citedOf                   tally
	accident, pointed, words             tally
	steady, refusedRightly, refusedOfAll tally
	right, wrong, missed                 int
	alike                                map[string][]bool // group -> passed
	kinds                                map[string]*tally // of expectation -> held
}

// Summarise sums up verdicts.
func Summarise(js []Judged) Summary {
	s := Summary{Questions: len(js), ByTag: map[string]Rate{}}
	var all sums
	tags, tongues := map[string]*sums{}, map[string]*sums{}
	var millis []float64
	for _, j := range js {
		if j.Failed != "" {
			s.Unjudged++
			continue
		}
		millis = append(millis, j.Millis)
		x := j.Verdict.Scores
		s.TokensIn, s.TokensOut, s.Price = s.TokensIn+x.TokensIn, s.TokensOut+x.TokensOut, s.Price+x.Price
		all.add(j)
		s.Accidents += int(one(j.Verdict.Accident))
		for _, t := range j.Question.Tags {
			addTo(tags, t, j)
		}
		if v := j.Verdict; v.Asked != "" {
			addTo(tongues, v.Asked+">"+v.Page, j)
		}
	}
	s.Hit1, s.Hit5, s.MRR, s.Ranked = mean(all.hit1.values), mean(all.hit5.values), mean(all.mrr.values), len(all.mrr.values)
	s.RightRefusals, s.WrongRefusals, s.MissedRefusals = all.right, all.wrong, all.missed
	s.Passed, s.Facts = all.passed.rate(), all.facts.rate()
	s.Tags = byName(tags)
	for _, t := range s.Tags {
		s.ByTag[t.Tag] = t.Passed
	}
	if languages := byName(tongues); slices.ContainsFunc(languages, func(t TagSummary) bool { return t.Tag != "en>en" && t.Tag != "en>" }) {
		s.Languages = languages
	}
	for _, k := range slices.Sorted(maps.Keys(all.kinds)) {
		s.Kinds = append(s.Kinds, KindSummary{k, all.kinds[k].rate()})
	}
	s.Figures = all.figures()
	s.MillisP50, s.MillisP95 = measure.Percentile(millis, 0.5), measure.Percentile(millis, 0.95)
	return s
}

func addTo(of map[string]*sums, name string, j Judged) {
	if of[name] == nil {
		of[name] = &sums{}
	}
	of[name].add(j)
}

// byName lists summaries by name.
func byName(of map[string]*sums) []TagSummary {
	var out []TagSummary
	for _, t := range slices.Sorted(maps.Keys(of)) {
		x := of[t]
		out = append(out, TagSummary{t, x.passed.rate(), x.pointed.rate(), x.words.figure(wordsKey, wordsLabel), x.accident.rate(), x.facts.rate(), x.grounded.rate(), x.right, x.wrong, x.missed})
	}
	return out
}

func (s *sums) add(j Judged) {
	v, c := j.Verdict, j.Question.Cluster()
	s.passed.add(one(v.Passed), c)
	if len(v.Repeats) > 1 {
		s.steady.add(one(!slices.Contains(v.Repeats, !v.Repeats[0])), c)
	}
	if g := j.Question.Group; g != "" {
		if s.alike == nil {
			s.alike = map[string][]bool{}
		}
		s.alike[g] = append(s.alike[g], v.Passed)
	}
	should, may := j.Question.Refusal(), j.Question.MayRefuse()
	switch {
	case v.Refused && should:
		s.right++
	case v.Refused && !may:
		s.wrong++
	case should:
		s.missed++
	}
	if v.Refused && (should || !may) {
		s.refusedRightly.add(one(should), c)
	}
	if should {
		s.refusedOfAll.add(one(v.Refused), c)
	}
	if slices.ContainsFunc(j.Question.Expect, func(e questions.Expectation) bool { return e.Kind == questions.Reaches }) && v.Rank >= 0 {
		s.passage1.add(measure.Hit([]int{v.Rank}, 1), c)
		s.passage5.add(measure.Hit([]int{v.Rank}, 5), c)
	}
	if r := v.rank(); r >= 0 {
		ranks := []int{r}
		s.hit1.add(measure.Hit(ranks, 1), c)
		s.hit5.add(measure.Hit(ranks, 5), c)
		s.mrr.add(measure.ReciprocalRank(ranks), c)
	}
	if s.kinds == nil {
		s.kinds = map[string]*tally{}
	}
	for _, f := range v.Findings {
		k := f.Expectation.Kind
		if f.Expectation.Is(questions.Fact) {
			s.facts.add(one(f.Held && !v.Refused), c)
			if f.Held || f.Accident {
				s.accident.add(one(f.Accident), c)
			}
		}
		if s.kinds[k] == nil {
			s.kinds[k] = &tally{}
		}
		s.kinds[k].add(one(f.Held), c)
	}
	x := v.Scores
	for _, m := range []struct {
		t *tally
		v float64
	}{{&s.ndcg, x.NDCG}, {&s.recall, x.Recall}, {&s.precision, x.Precision}, {&s.f1, x.F1}, {&s.rougeL, x.RougeL}} {
		if m.v >= 0 {
			m.t.add(m.v, c)
		}
	}
	s.grounded.shares(x.Grounded, x.Said, c)
	s.pointed.shares(x.Pointed, x.PointedOf, c)
	if x.Words > 0 {
		s.words.add(float64(x.Words), c)
	}
	s.citedWell.shares(x.CitedWell, x.Citing, c)
	s.citedOf.shares(x.CitedOf, x.Cites, c)
}

// Key and label of the length of replies.
const (
	wordsKey   = "words"
	wordsLabel = "words of a reply"
)

// rank is that of the first document that the question names, -1 when it names none. Runs that were judged before documents were told from
// chunks have the rank of the candidate.
func (v Verdict) rank() int {
	if v.Relevant == nil && v.Scores.Rank == 0 {
		return v.Rank
	}
	return v.Scores.Rank
}

// figures lists the measures that apply.
func (s *sums) figures() []Figure {
	var agree tally
	for _, g := range slices.Sorted(maps.Keys(s.alike)) {
		if ps := s.alike[g]; len(ps) > 1 {
			agree.add(one(!slices.Contains(ps, !ps[0])), g)
		}
	}
	var out []Figure
	for _, m := range []struct {
		t          *tally
		key, label string
	}{
		{&s.passed, "passed", "passed"},
		{&s.facts, "facts", "facts found"},
		{&s.accident, "accident", "facts said of something else"},
		{&s.pointed, "pointed", "sentences to the point"},
		{&s.words, wordsKey, wordsLabel},
		{&s.grounded, "grounded", "sentences that their evidence carries"},
		{&s.refusedRightly, "refusalPrecision", "refusals that are right"},
		{&s.refusedOfAll, "refusalRecall", "refused of what should be"},
		{&s.hit1, "hit1", "hit@1"},
		{&s.hit5, "hit5", "hit@5"},
		{&s.mrr, "mrr", "MRR"},
		{&s.ndcg, "ndcg", "nDCG@10"},
		{&s.recall, "recall", "recall@5"},
		{&s.precision, "precision", "precision@5"},
		{&s.passage1, "passage1", "expected passage first"},
		{&s.passage5, "passage5", "expected passage in the first 5"},
		{&s.citedWell, "citePrecision", "citation precision"},
		{&s.citedOf, "citeRecall", "citation recall"},
		{&agree, "agreement", "variants that end alike"},
		{&s.steady, "steady", "questions whose repeats end alike"},
		{&s.f1, "f1", "token F1"},
		{&s.rougeL, "rougeL", "ROUGE-L"},
	} {
		if len(m.t.values) > 0 {
			out = append(out, m.t.figure(m.key, m.label))
		}
	}
	return out
}

// Change says how a question's verdict differs from the run before.
type Change string

// The changes.
const (
	Fixed  Change = "fixed"
	Broken Change = "broken"
	Same   Change = ""
	New    Change = "new"
)

// Compare tells what became of one question since the last run.
func Compare(before *Verdict, now Verdict) Change {
	switch {
	case before == nil:
		return New
	case !before.Passed && now.Passed:
		return Fixed
	case before.Passed && !now.Passed:
		return Broken
	default:
		return Same
	}
}
