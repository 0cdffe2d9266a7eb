package trials

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
func (rm *Room) Weigh(ctx context.Context, who asking.Caller, corpus, set string, from int, v asking.Variant) (WeighedPart, error) {
	out := WeighedPart{Weighed: []prove.Weighed{}}
	c, err := rm.store.Corpus(ctx, corpus)
	if err != nil {
		return out, err
	}
	m, err := v.Apply(c.Method)
	if err != nil {
		return out, err
	}
	m.Answer.Bar, m.Answer.Composer = 0, answer.BySentences
	s, err := rm.store.QuestionSet(ctx, c.ID, set)
	if err != nil {
		return out, err
	}
	qs, err := rm.store.Questions(ctx, s.ID)
	if err != nil {
		return out, err
	}
	if out.Of = len(qs); from < 0 || from > len(qs) {
		return out, fault.Input("the set has %d questions: there is no place %d", len(qs), from)
	}
	qs = qs[from:min(len(qs), from+mostAtOnce)]
	b, err := rm.asking.Bench(ctx, asking.Caller{Audience: index.Public, Surface: who.Surface}, c, m)
	if err != nil {
		return out, err
	}
	out.Weighed = make([]prove.Weighed, len(qs))
	err = rm.eachQuestion(ctx, qs, func(int) {}, func(i int, q questions.Question) error {
		seen, v, _, err := rm.runs.Examine(ctx, b, q)
		if err != nil {
			return fmt.Errorf("question %s: %w", q.ID, err)
		}
		t := seen.Trail
		out.Weighed[i] = prove.Weighed{
			ID: q.ID, Question: q.Text, Support: t.Best(), Refusal: q.Refusal(), Right: v.Passed && !q.Refusal(),
			Fixed: t.Outcome != answer.Answered && t.Outcome != answer.Refused || len(t.Candidates) == 0,
		}
		return nil
	})
	return out, err
}
