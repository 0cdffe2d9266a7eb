package work

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"jolvex/core/answer"
	"jolvex/core/index"
	"jolvex/core/prove"
	"jolvex/core/query"
)

// Try answers a question under something that is tried out. Nothing is kept, and what house rules ask for is not carried out.
func (a *App) Try(ctx context.Context, who Caller, corpus string, q query.Question, v Variant) (*Reply, error) {
	b, err := a.variantBench(ctx, who, corpus, v)
	if err != nil {
		return nil, err
	}
	t, ms, err := askOn(ctx, b, q)
	if err != nil {
		return nil, err
	}
	return a.expanded(ctx, t, ms)
}

// mostOnSheet is how many questions a sheet holds.
const mostOnSheet = 40

// Sheet lists the questions that are answered again whenever the manner changes.
func (a *App) Sheet(ctx context.Context, corpus string) ([]string, error) {
	c, err := a.store.Corpus(ctx, corpus)
	if err != nil {
		return nil, err
	}
	return a.store.Sheet(ctx, c.ID)
}

// SaveSheet replaces them.
func (a *App) SaveSheet(ctx context.Context, corpus string, questions []string) ([]string, error) {
	c, err := a.store.Corpus(ctx, corpus)
	if err != nil {
		return nil, err
	}
	out := []string{}
	for _, q := range questions {
		if q = strings.TrimSpace(q); q != "" && !slices.Contains(out, q) {
			out = append(out, q)
		}
	}
	if len(out) > mostOnSheet {
		return nil, inputError("a sheet holds at most %d questions, not %d", mostOnSheet, len(out))
	}
	return out, a.store.SaveSheet(ctx, c.ID, out)
}

// WeighedPart are some questions of a set, as they would be answered whatever the evidence bar.
type WeighedPart struct {
	Of      int             `json:"of" doc:"Questions in the set"`
	Weighed []prove.Weighed `json:"weighed" nullable:"false"`
}

// Weigh answers some questions of a set, from a place on, with the evidence bar at 0, and judges what comes. Callers go on from
// where one call ended, and can stop between two. The built-in composer answers, whoever words replies otherwise: the bar
// stands before the wording.
func (a *App) Weigh(ctx context.Context, who Caller, corpus, set string, from int, v Variant) (WeighedPart, error) {
	out := WeighedPart{Weighed: []prove.Weighed{}}
	c, err := a.store.Corpus(ctx, corpus)
	if err != nil {
		return out, err
	}
	m, err := v.apply(c.Method)
	if err != nil {
		return out, err
	}
	m.Answer.Bar, m.Answer.Composer = 0, answer.BySentences
	s, err := a.store.QuestionSet(ctx, c.ID, set)
	if err != nil {
		return out, err
	}
	qs, err := a.store.Questions(ctx, s.ID)
	if err != nil {
		return out, err
	}
	if out.Of = len(qs); from < 0 || from > len(qs) {
		return out, inputError("the set has %d questions: there is no place %d", len(qs), from)
	}
	qs = qs[from:min(len(qs), from+mostAtOnce)]
	b, err := a.bench(ctx, Caller{Audience: index.Public, Surface: who.Surface}, c, m)
	if err != nil {
		return out, err
	}
	out.Weighed = make([]prove.Weighed, len(qs))
	err = a.eachQuestion(ctx, qs, func(int) {}, func(i int, q prove.Question) error {
		res := a.judge(ctx, b, i, q, 1)
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
