package prove

import (
	"jolvex/core/answer"
	"jolvex/core/measure"
	"jolvex/core/questions"
	"jolvex/core/text"
)

// Scores are what is measured of one reply besides its verdict. A score below 0 does not apply.
type Scores struct {
	NDCG      float64 `json:"ndcg"`      // nDCG@10, gain 1 for the first candidate that meets each expectation, discount log2(rank+1)
	Recall    float64 `json:"recall"`    // share of what is to be found that is among the first 5 candidates
	Precision float64 `json:"precision"` // share of the first 5 candidates that are of a document to be found
	F1        float64 `json:"f1"`        // token F1 against the nearest reference answer, SQuAD's normal form
	RougeL    float64 `json:"rougeL"`    // longest common subsequence with the nearest reference answer
	Said      int     `json:"said"`      // sentences from evidence
	Grounded  int     `json:"grounded"`  // of these, those that their evidence carries
	Citing    int     `json:"citing"`    // of these, where documents to be cited are named, all
	CitedWell int     `json:"citedWell"` // of these, those that cite one of them
	Cites     int     `json:"cites"`     // documents to be cited
	CitedOf   int     `json:"citedOf"`   // of these, those that are cited
	Words     int     `json:"words"`     // of the reply; 0 of one that answers nothing
	Pointed   int     `json:"pointed"`   // sentences that carry what is expected, or belong to the same record, steps or list as one that does
	PointedOf int     `json:"pointedOf"` // of so many from evidence, where something is expected that a sentence can carry
	TokensIn  int     `json:"tokensIn"`  // read by a model
	TokensOut int     `json:"tokensOut"` // written by it
	Price     float64 `json:"price"`
}

// CarriedFrom is the grounding from which a sentence counts as carried by its evidence.
const CarriedFrom = 0.5

// top is how many candidates recall and precision look at, and deep how many nDCG does.
const (
	top  = 5
	deep = 10
)

func score(q questions.Question, s Seen, v Verdict) Scores {
	out := Scores{NDCG: -1, Recall: -1, Precision: -1, F1: -1, RougeL: -1}
	out.retrieval(q, s)
	if len(q.Answers) > 0 {
		reply := ""
		if !v.Refused {
			reply = s.Trail.Text()
		}
		out.F1 = measure.SquadF1(reply, q.Answers)
		for _, a := range q.Answers {
			out.RougeL = max(out.RougeL, measure.RougeL(normsOf(reply), normsOf(a)))
		}
	}
	var named [][]string // of documents to be cited
	for _, e := range q.Expect {
		if e.Kind == questions.Cites {
			named = append(named, e.Values)
		}
	}
	cited := make([]bool, len(named))
	for i, x := range s.Trail.Reply {
		if x.Candidate < 0 || x.Candidate >= len(s.Documents) {
			continue
		}
		out.Said++
		if i < len(s.Grounded) && s.Grounded[i] >= CarriedFrom {
			out.Grounded++
		}
		if len(named) == 0 {
			continue
		}
		out.Citing++
		well := false
		for k, values := range named {
			if s.Documents[x.Candidate].Is(values) {
				cited[k], well = true, true
			}
		}
		if well {
			out.CitedWell++
		}
	}
	out.Cites = len(named)
	for _, is := range cited {
		if is {
			out.CitedOf++
		}
	}
	if s.Trail.Outcome == answer.Answered {
		out.Words = len(text.Words(s.Trail.Text()))
	}
	out.Pointed, out.PointedOf = toThePoint(q, s)
	out.TokensIn, out.TokensOut, out.Price = s.Trail.Cost()
	return out
}

// retrieval measures where what is to be found came. Each expectation that names a passage or a document is one thing to be
// found; its rank is that of the first candidate that meets it.
func (x *Scores) retrieval(q questions.Question, s Seen) {
	gains := make([]float64, min(deep, len(s.Documents)))
	right := make([]bool, len(s.Documents))
	all, within := 0, 0
	for _, e := range q.Expect {
		r := 0
		switch e.Kind {
		case questions.Reaches:
			r = questions.Reached(s.Documents, e)
		case questions.Cites:
			r = questions.RankOf(s.Documents, e.Values)
		default:
			continue
		}
		all++
		if r > 0 && r <= len(gains) {
			gains[r-1]++
		}
		if r > 0 && r <= top {
			within++
		}
		for i, d := range s.Documents {
			right[i] = right[i] || e.Kind == questions.Reaches && d.Is([]string{e.Document}) || e.Kind == questions.Cites && d.Is(e.Values)
		}
	}
	if all == 0 {
		return
	}
	ideal := make([]float64, all)
	for i := range ideal {
		ideal[i] = 1
	}
	x.NDCG = min(1, measure.NDCG(gains, ideal, deep))
	x.Recall = float64(within) / float64(all)
	x.Precision = measure.Precision(right, top)
}

func normsOf(s string) []string {
	var out []string
	for _, w := range text.Words(s) {
		out = append(out, w.Norm)
	}
	return out
}
