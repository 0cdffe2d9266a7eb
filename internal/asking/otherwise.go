package asking

import (
	"context"
	"fmt"

	"jolvex/core/answer"
	"jolvex/core/index"
	"jolvex/core/query"
	"jolvex/core/text"
	"jolvex/internal/store"
)

// held is the share of what a settled answer says that the sources must say so that it is not needed.
const held = .7

// Otherwise looks what the sources say to a question without questions and answers that people wrote, and words what that means for the answer
// that a person gave: that they say otherwise, that they say the same, or nothing.
func (as *Asker) Otherwise(ctx context.Context, c store.Corpus, question, said string) (string, error) {
	m := c.Method
	m.Rules = nil
	m.Answer.Composer, m.Query.Model = answer.BySentences, false // it is asked by itself, and costs nothing
	b, err := as.Bench(ctx, Caller{Audience: index.Public, Surface: SurfaceBench}, c, m)
	if err != nil {
		return "", err
	}
	b.Filter.Kinds = []string{"page", "file", "film", "text"}
	t, err := answer.Answer(ctx, query.Question{Text: question}, b)
	if err != nil || t.Outcome != answer.Answered || len(t.Reply) == 0 || t.Reply[0].Candidate < 0 {
		return "", err
	}
	title, err := as.titleOf(ctx, t, 0)
	if err != nil {
		return "", err
	}
	theirs := t.Text()
	if text.FiguresDiffer(said, theirs) {
		return fmt.Sprintf("“%s” says otherwise: %s", title, theirs), nil
	}
	have, n := text.Stems(theirs), 0
	want := text.Stems(said)
	for w := range want {
		if have[w] {
			n++
		}
	}
	if len(want) > 0 && float64(n) >= held*float64(len(want)) {
		return fmt.Sprintf("“%s” says the same, so that this answer may no longer be needed: %s", title, theirs), nil
	}
	return "", nil
}
