package proving

import (
	"context"
	"fmt"

	"jolvex/core/answer"
	"jolvex/core/index"
	"jolvex/core/prove"
	"jolvex/core/questions"
	"jolvex/internal/asking"
	"jolvex/internal/fault"
)

// WeighedPart are some questions of a set, as they would be answered whatever the evidence bar.
type WeighedPart struct {
	Of      int             `json:"of" doc:"Questions in the set"`
	Weighed []prove.Weighed `json:"weighed" nullable:"false"`
}

// Weigh answers some questions of a set, from a place on, with the evidence bar at 0, and judges what comes. Callers go on from
// where one call ended, and can stop between two. The built-in composer answers, whoever words replies otherwise: the bar
// stands before the wording.
func (pv *Prover) Weigh(ctx context.Context, who asking.Caller, corpus, set string, from int, v asking.Variant) (WeighedPart, error) {
	out := WeighedPart{Weighed: []prove.Weighed{}}
	c, err := pv.store.Corpus(ctx, corpus)
	if err != nil {
		return out, err
	}
	m, err := v.Apply(c.Method)
	if err != nil {
		return out, err
	}
	m.Answer.Bar, m.Answer.Composer = 0, answer.BySentences
	s, err := pv.store.QuestionSet(ctx, c.ID, set)
	if err != nil {
		return out, err
	}
	qs, err := pv.store.Questions(ctx, s.ID)
	if err != nil {
		return out, err
	}
	if out.Of = len(qs); from < 0 || from > len(qs) {
		return out, fault.Input("the set has %d questions: there is no place %d", len(qs), from)
	}
	qs = qs[from:min(len(qs), from+mostAtOnce)]
	b, err := pv.asking.Bench(ctx, asking.Caller{Audience: index.Public, Surface: who.Surface}, c, m)
	if err != nil {
		return out, err
	}
	out.Weighed = make([]prove.Weighed, len(qs))
	err = pv.eachQuestion(ctx, qs, func(int) {}, func(i int, q questions.Question) error {
		res := pv.judge(ctx, b, i, q, 1)
		if res.Failed != "" {
			return fmt.Errorf("question %s: %s", q.ID, res.Failed)
		}
		t := res.Trail
		out.Weighed[i] = prove.Weighed{
			ID: q.ID, Question: q.Text, Support: t.Best(), Refusal: q.Refusal(), Right: res.Verdict.Passed && !q.Refusal(),
			Fixed: t.Outcome != answer.Answered && t.Outcome != answer.Refused || len(t.Candidates) == 0,
		}
		return nil
	})
	return out, err
}
