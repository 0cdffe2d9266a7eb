package prove

import (
	"slices"

	"jolvex/core/answer"
	"jolvex/core/measure"
	"jolvex/core/questions"
	"jolvex/core/text"
)

// Scores are what is measured of one reply besides its verdict. A score below 0 does not apply.
type Scores struct {
	Rank      int     `json:"rank"`      // of the first document that the question names, 0 when none came
	NDCG      float64 `json:"ndcg"`      // nDCG@10 over documents, gain 1 for each that the question names, discount log2(rank+1)
	Recall    float64 `json:"recall"`    // share of the documents that the question names that are among the first 5
	Precision float64 `json:"precision"` // share of the first 5 places that such a document has
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

// Pay adds what a model read and wrote, in tokens, and what that cost.
func (s *Scores) Pay(in, out int, price float64) {
	s.TokensIn, s.TokensOut, s.Price = s.TokensIn+in, s.TokensOut+out, s.Price+price
}

// CarriedFrom is the grounding from which a sentence counts as carried by its evidence.
const CarriedFrom = 0.5

// top is how many documents recall and precision look at, and deep how many nDCG does.
const (
	top  = 5
	deep = 10
)

func score(q questions.Question, s Seen, v Verdict) Scores {
	out := Scores{Rank: -1, NDCG: -1, Recall: -1, Precision: -1, F1: -1, RougeL: -1}
	out.retrieval(v.Relevant, s.Trail)
	if len(q.Answers) > 0 {
		reply := ""
		if !v.Refused {
			reply = s.Trail.Text()
		}
		out.F1 = measure.SquadF1(reply, q.Answers)
		for _, a := range q.Answers {
			out.RougeL = max(out.RougeL, measure.RougeL(measure.RougeWords(reply), measure.RougeWords(a)))
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

// retrieval measures where the documents that the question names came, as tools for retrieval do it that are handed the ranking and the
// judgements: each document at the place of its first candidate, each that is named relevant with grade 1.
func (x *Scores) retrieval(relevant []string, t *answer.Trail) {
	if len(relevant) == 0 {
		return
	}
	ranked := t.Ranked()
	right, gains := make([]bool, len(ranked)), make([]float64, len(ranked))
	x.Rank = 0
	for i, d := range ranked {
		if right[i] = slices.Contains(relevant, d); !right[i] {
			continue
		}
		gains[i] = 1
		if x.Rank == 0 {
			x.Rank = i + 1
		}
	}
	ideal := make([]float64, len(relevant))
	for i := range ideal {
		ideal[i] = 1
	}
	x.NDCG = measure.NDCG(gains, ideal, deep)
	x.Recall = measure.Recall(right, len(relevant), top)
	x.Precision = measure.Precision(right, top)
}
