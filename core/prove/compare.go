package prove

import (
	"jolvex/core/measure"
)

// Comparison is what differs between two runs over the same questions, the later one's view.
type Comparison struct {
	Questions int              `json:"questions" doc:"Judged in both"`
	Fixed     []string         `json:"fixed" nullable:"false" doc:"Failed before, pass now"`
	Broken    []string         `json:"broken" nullable:"false" doc:"Passed before, fail now"`
	Failing   []string         `json:"failing" nullable:"false" doc:"Fail in both"`
	Passing   int              `json:"passing" doc:"Pass in both"`
	P         float64          `json:"p" doc:"Chance of a split as uneven when neither is better: McNemar's exact test"`
	Smallest  float64          `json:"smallest" doc:"Least difference of pass rates that could have been told from chance at 5 %"`
	Rate      float64          `json:"rate" doc:"Difference of the pass rates"`
	Interval  measure.Interval `json:"interval" doc:"Of that, 95 %, by cluster bootstrap"`
	MRR       float64          `json:"mrr" doc:"Difference of the mean reciprocal ranks, over questions that expect a passage"`
	MRRWithin measure.Interval `json:"mrrWithin" doc:"Of that, 95 %"`
}

// CompareRuns pairs the questions of two runs by their ids; those that only one has, or that could not be judged in one, are
// left out. Variants of one question are one cluster.
func CompareRuns(before, after []Judged) Comparison {
	out := Comparison{Fixed: []string{}, Broken: []string{}, Failing: []string{}}
	was := map[string]Judged{}
	for _, j := range before {
		was[j.Question.ID] = j
	}
	var rates, ranks []float64
	var clusters, rankClusters []string
	for _, now := range after {
		old, ok := was[now.Question.ID]
		if !ok || old.Failed != "" || now.Failed != "" || old.Question.Text != now.Question.Text {
			continue
		}
		out.Questions++
		cluster := now.Question.Cluster()
		rates, clusters = append(rates, one(now.Verdict.Passed)-one(old.Verdict.Passed)), append(clusters, cluster)
		if now.Verdict.Rank >= 0 && old.Verdict.Rank >= 0 {
			ranks = append(ranks, measure.ReciprocalRank([]int{now.Verdict.Rank})-measure.ReciprocalRank([]int{old.Verdict.Rank}))
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
	out.P, out.Smallest = measure.McNemar(len(out.Fixed), len(out.Broken)), measure.Smallest(out.Questions)
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
