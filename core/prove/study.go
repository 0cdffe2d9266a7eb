package prove

import (
	"math"

	"jolvex/core/measure"
	"jolvex/core/questions"
)

// shallow is how far down a right candidate still counts.
const shallow = 20

// Retrieval sums up at which ranks the expected candidates came, over the questions that expect one.
type Retrieval struct {
	Questions int     `json:"questions"`
	Hit1      float64 `json:"hit1"`
	Hit3      float64 `json:"hit3"`
	Hit5      float64 `json:"hit5"`
	MRR       float64 `json:"mrr"`
	NDCG      float64 `json:"ndcg" doc:"nDCG@10 with one right candidate: the mean of 1/log2(1+rank)"`
}

// Ranks are the ranks of the expected candidates of several questions: 0 for one that was not found, -1 for a question
// that expects none.
type Ranks []int

// Retrieval sums the ranks up.
func (rs Ranks) Retrieval() Retrieval {
	var out Retrieval
	for _, r := range rs {
		if r < 0 {
			continue
		}
		out.Questions++
		one := []int{r}
		out.Hit1 += measure.Hit(one, 1)
		out.Hit3 += measure.Hit(one, 3)
		out.Hit5 += measure.Hit(one, 5)
		out.MRR += measure.ReciprocalRank(one)
		if r > 0 && r <= 10 {
			out.NDCG += 1 / math.Log2(float64(1+r))
		}
	}
	if n := float64(out.Questions); n > 0 {
		out.Hit1, out.Hit3, out.Hit5, out.MRR, out.NDCG = out.Hit1/n, out.Hit3/n, out.Hit5/n, out.MRR/n, out.NDCG/n
	}
	return out
}

// Worth is what a part of a method is worth: the whole method less the method without it.
type Worth struct {
	Key      string           `json:"key"`
	Label    string           `json:"label"`
	Kind     string           `json:"kind" enum:"pass,retrieval,signal,order"`
	Without  Retrieval        `json:"without"`
	MRR      float64          `json:"mrr" doc:"How much higher the mean reciprocal rank is with it"`
	Interval measure.Interval `json:"interval" doc:"Of that, 95 %, by cluster bootstrap"`
	Effect   Effect           `json:"effect" enum:"better,worse,unclear" doc:"What the interval tells: with the part it is better, or worse"`
	Hit5     float64          `json:"hit5" doc:"How much higher hit@5 is with it"`
	Helped   []string         `json:"helped" nullable:"false" doc:"Questions whose right candidate ranks higher with it"`
	Hurt     []string         `json:"hurt" nullable:"false" doc:"Questions whose right candidate ranks lower with it"`
}

// Ablation is what each pass and signal of a method is worth on a question set.
type Ablation struct {
	Whole Retrieval `json:"whole"`
	Parts []Worth   `json:"parts" nullable:"false"`
	// Seen is the smallest difference in mean reciprocal rank that this set could have told from chance: half the widest
	// interval.
	Seen float64 `json:"seen"`
}

// Add takes in the ranks under the method without one part; whole and without are by question.
func (a *Ablation) Add(w Worth, qs []questions.Question, whole, without Ranks) {
	a.Whole, w.Without = whole.Retrieval(), without.Retrieval()
	var gains []float64
	var clusters []string
	w.Helped, w.Hurt = []string{}, []string{}
	for i, q := range qs {
		if whole[i] < 0 {
			continue
		}
		gain := reciprocal(whole[i]) - reciprocal(without[i])
		gains, clusters = append(gains, gain), append(clusters, q.Cluster())
		switch {
		case gain > 0:
			w.Helped = append(w.Helped, q.ID)
		case gain < 0:
			w.Hurt = append(w.Hurt, q.ID)
		}
	}
	w.Hit5, w.MRR = a.Whole.Hit5-w.Without.Hit5, a.Whole.MRR-w.Without.MRR
	w.Interval = measure.ClusterBootstrap(gains, clusters)
	w.Effect = effectWithin(w.Interval)
	a.Seen = max(a.Seen, (w.Interval.High-w.Interval.Low)/2)
	a.Parts = append(a.Parts, w)
}

func reciprocal(rank int) float64 {
	if rank <= 0 || rank > shallow {
		return 0
	}
	return 1 / float64(rank)
}
