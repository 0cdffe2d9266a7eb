package prove

import (
	"jolvex/core/measure"
	"jolvex/core/questions"
)

// Comparison is what differs between two runs over the same questions, the later one's view.
type Comparison struct {
	Questions int              `json:"questions" doc:"Judged in both"`
	Fixed     []string         `json:"fixed" nullable:"false" doc:"Failed before, pass now"`
	Broken    []string         `json:"broken" nullable:"false" doc:"Passed before, fail now"`
	Failing   []string         `json:"failing" nullable:"false" doc:"Fail in both"`
	Passing   int              `json:"passing" doc:"Pass in both"`
	P         float64          `json:"p" doc:"Chance of a split as uneven when neither is better: McNemar's exact test"`
	Effect    Effect           `json:"effect" enum:"better,worse,unclear" doc:"What that chance tells, at 5 %"`
	Smallest  float64          `json:"smallest" doc:"Least difference of pass rates that could have been told from chance at 5 %"`
	Rate      float64          `json:"rate" doc:"Difference of the pass rates"`
	Interval  measure.Interval `json:"interval" doc:"Of that, 95 %, by cluster bootstrap"`
	MRR       float64          `json:"mrr" doc:"Difference of the mean reciprocal ranks, over questions that name a document"`
	MRRWithin measure.Interval `json:"mrrWithin" doc:"Of that, 95 %"`
	Measures  []Difference     `json:"measures" nullable:"false" doc:"Each measure that applies to both"`
}

// Difference is what became of one measure, over the questions to which it applies in both runs.
type Difference struct {
	Key      string           `json:"key"`
	Label    string           `json:"label"`
	Before   float64          `json:"before"`
	After    float64          `json:"after"`
	Interval measure.Interval `json:"interval" doc:"Of the difference, 95 %, by paired cluster bootstrap"`
	Of       int              `json:"of" doc:"Questions"`
}

// perQuestion are the measures that one judged question has a value of; below 0 where it does not apply.
var perQuestion = []struct {
	key, label string
	value      func(j Judged) float64
}{
	{"facts", "facts found", func(j Judged) float64 {
		held, all := 0, 0
		for _, f := range j.Verdict.Findings {
			if f.Expectation.Is(questions.Fact) {
				all++
				if f.Held && !j.Verdict.Refused {
					held++
				}
			}
		}
		return share(held, all)
	}},
	{"accident", "facts said of something else", func(j Judged) float64 {
		off, said := 0, 0
		for _, f := range j.Verdict.Findings {
			if f.Expectation.Is(questions.Fact) && (f.Held || f.Accident) {
				said++
				off += int(one(f.Accident))
			}
		}
		return share(off, said)
	}},
	{"pointed", "sentences to the point", func(j Judged) float64 { return share(j.Verdict.Scores.Pointed, j.Verdict.Scores.PointedOf) }},
	{wordsKey, wordsLabel, func(j Judged) float64 {
		if j.Verdict.Scores.Words == 0 {
			return -1
		}
		return float64(j.Verdict.Scores.Words)
	}},
	{"hit1", "hit@1", func(j Judged) float64 { return ranked(j, func(r []int) float64 { return measure.Hit(r, 1) }) }},
	{"hit5", "hit@5", func(j Judged) float64 { return ranked(j, func(r []int) float64 { return measure.Hit(r, 5) }) }},
	{"ndcg", "nDCG@10", func(j Judged) float64 { return j.Verdict.Scores.NDCG }},
	{"recall", "recall@5", func(j Judged) float64 { return j.Verdict.Scores.Recall }},
	{"grounded", "sentences that their evidence carries", func(j Judged) float64 { return share(j.Verdict.Scores.Grounded, j.Verdict.Scores.Said) }},
	{"citePrecision", "citation precision", func(j Judged) float64 { return share(j.Verdict.Scores.CitedWell, j.Verdict.Scores.Citing) }},
	{"citeRecall", "citation recall", func(j Judged) float64 { return share(j.Verdict.Scores.CitedOf, j.Verdict.Scores.Cites) }},
	{"f1", "token F1", func(j Judged) float64 { return j.Verdict.Scores.F1 }},
	{"rougeL", "ROUGE-L", func(j Judged) float64 { return j.Verdict.Scores.RougeL }},
	{"millis", "milliseconds of a reply", func(j Judged) float64 { return j.Millis }},
}

// share is k of n; below 0 when there is nothing to share.
func share(k, n int) float64 {
	if n == 0 {
		return -1
	}
	return float64(k) / float64(n)
}

func ranked(j Judged, of func([]int) float64) float64 {
	r := j.Verdict.rank()
	if r < 0 {
		return -1
	}
	return of([]int{r})
}

// differences compares every measure over pairs of judged questions.
func differences(before, after []Judged) []Difference {
	out := []Difference{}
	for _, m := range perQuestion {
		d := Difference{Key: m.key, Label: m.label}
		var diffs []float64
		var clusters []string
		for i := range before {
			was, now := m.value(before[i]), m.value(after[i])
			if was < 0 || now < 0 {
				continue
			}
			d.Before, d.After = d.Before+was, d.After+now
			diffs, clusters = append(diffs, now-was), append(clusters, after[i].Question.Cluster())
		}
		if d.Of = len(diffs); d.Of == 0 {
			continue
		}
		d.Before, d.After = d.Before/float64(d.Of), d.After/float64(d.Of)
		d.Interval = measure.ClusterBootstrap(diffs, clusters)
		out = append(out, d)
	}
	return out
}

// CompareRuns pairs the questions of two runs by their ids; those that only one has, or that could not be judged in one, are
// left out. Variants of one question are one cluster.
func CompareRuns(before, after []Judged) Comparison {
	out := Comparison{Fixed: []string{}, Broken: []string{}, Failing: []string{}}
	was := map[string]Judged{}
	for _, j := range before {
		was[j.Question.ID] = j
	}
	var olds, news []Judged
	var rates, ranks []float64
	var clusters, rankClusters []string
	for _, now := range after {
		old, ok := was[now.Question.ID]
		if !ok || old.Failed != "" || now.Failed != "" || old.Question.Text != now.Question.Text {
			continue
		}
		out.Questions++
		olds, news = append(olds, old), append(news, now)
		cluster := now.Question.Cluster()
		rates, clusters = append(rates, one(now.Verdict.Passed)-one(old.Verdict.Passed)), append(clusters, cluster)
		if is, was := now.Verdict.rank(), old.Verdict.rank(); is >= 0 && was >= 0 {
			ranks = append(ranks, measure.ReciprocalRank([]int{is})-measure.ReciprocalRank([]int{was}))
			rankClusters = append(rankClusters, cluster)
		}
		switch {
		case now.Verdict.Passed && old.Verdict.Passed:
			out.Passing++
		case now.Verdict.Passed:
			out.Fixed = append(out.Fixed, now.Question.ID)
		case old.Verdict.Passed:
			out.Broken = append(out.Broken, now.Question.ID)
		default:
			out.Failing = append(out.Failing, now.Question.ID)
		}
	}
	out.Measures = differences(olds, news)
	out.P, out.Smallest = measure.McNemar(len(out.Fixed), len(out.Broken)), measure.Smallest(out.Questions)
	out.Effect = effectOfSplit(len(out.Fixed), len(out.Broken), out.P)
	out.Rate, out.Interval = mean(rates), measure.ClusterBootstrap(rates, clusters)
	out.MRR, out.MRRWithin = mean(ranks), measure.ClusterBootstrap(ranks, rankClusters)
	return out
}

func one(yes bool) float64 {
	if yes {
		return 1
	}
	return 0
}

func mean(xs []float64) float64 {
	if len(xs) == 0 {
		return 0
	}
	sum := 0.0
	for _, x := range xs {
		sum += x
	}
	return sum / float64(len(xs))
}
