package app

import (
	"context"

	"jolvex/core/diagnose"
	"jolvex/core/questions"
	"jolvex/internal/mending"
	"jolvex/internal/mending/snags"
	"jolvex/internal/proving"
	"jolvex/internal/proving/trials"
)

// prover hands proving over to mending.
type prover struct{ *proving.Prover }

// Look implements snags.Prover.
func (p prover) Look(ctx context.Context, corpus string, q questions.Question) (diagnose.Diagnosis, error) {
	return p.Runs.Look(ctx, corpus, q)
}

// Judge implements snags.Prover.
func (p prover) Judge(ctx context.Context, corpus string, q questions.Question) (snags.Judged, error) {
	j, err := p.Runs.Judge(ctx, corpus, q)
	return snags.Judged{Reply: j.Reply, Outcome: j.Outcome, Passed: j.Passed}, err
}

// AddQuestions implements snags.Prover.
func (p prover) AddQuestions(ctx context.Context, corpus, set string, qs []questions.Question, why string) error {
	_, err := p.Sets.AddQuestions(ctx, corpus, set, qs, why)
	return err
}

// Apply implements snags.Prover.
func (p prover) Apply(ctx context.Context, corpus string, change diagnose.Alteration, note string) error {
	_, err := p.Trials.ApplyChange(ctx, corpus, trials.Applied{Change: change, Note: note})
	return err
}

// ExpectedQuestions implements settled.Expected.
func (p prover) ExpectedQuestions(ctx context.Context, corpus string) (texts, sets []string, err error) {
	all, err := p.Sets.QuestionSets(ctx, corpus)
	if err != nil {
		return nil, nil, err
	}
	for _, s := range all {
		qs, err := p.Sets.QuestionsIn(ctx, corpus, s.ID)
		if err != nil {
			return nil, nil, err
		}
		for _, q := range qs {
			texts, sets = append(texts, q.Text), append(sets, s.Name)
		}
	}
	return texts, sets, nil
}

// corrections are what people change in replies that were prepared for them.
type corrections struct{ *mending.Mender }

// Corrected implements desk.Corrections: it becomes a snag with both texts.
func (c corrections) Corrected(ctx context.Context, corpus, exchange, said, written, by string) error {
	_, err := c.Snags.Add(ctx, corpus, snags.Report{Exchange: exchange, Fact: cut(written, 2000), Note: cut("Changed by "+by+". Prepared was: "+said, 2000)})
	return err
}

// cut is the beginning of a text, of at most so many characters.
func cut(s string, most int) string {
	if rs := []rune(s); len(rs) > most {
		return string(rs[:most-1]) + "…"
	}
	return s
}
