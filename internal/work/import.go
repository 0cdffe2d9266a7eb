package work

import (
	"context"
	"fmt"
	"html"
	"net/url"
	"strings"

	"jolvex/core/extract"
	"jolvex/core/index"
	"jolvex/core/prove"
	"jolvex/internal/store"
)

// ImportedSet is what came of a file of expected questions.
type ImportedSet struct {
	Set       *QuestionSet `json:"set,omitempty" doc:"Missing when it was read without being kept"`
	Form      string       `json:"form" enum:"jsonl,csv,squad,beir,qrels"`
	Columns   []string     `json:"columns" nullable:"false"`
	Questions int          `json:"questions"`
	Documents int          `json:"documents" doc:"That came with the questions"`
	Problems  []string     `json:"problems" nullable:"false" doc:"Rows that did not go in, and why"`
}

// ImportSet reads a file of expected questions in whichever form it comes: our own JSONL, CSV, SQuAD, or a BEIR collection. With
// keep, the questions become the set, whole; with documents, those that came with them are taken in, too.
func (a *App) ImportSet(ctx context.Context, corpus, set string, body []byte, keep, documents bool) (ImportedSet, error) {
	c, err := a.store.Corpus(ctx, corpus)
	if err != nil {
		return ImportedSet{}, err
	}
	m, err := prove.ReadSet(body)
	if err != nil {
		return ImportedSet{}, inputError("%v", err)
	}
	out := ImportedSet{Form: m.Form, Columns: m.Columns, Questions: len(m.Questions), Documents: len(m.Documents), Problems: m.Problems}
	if !keep {
		return out, nil
	}
	if len(m.Questions) == 0 {
		return out, inputError("none of its rows can go in: %s", strings.Join(m.Problems[:min(3, len(m.Problems))], "; "))
	}
	s, err := a.PutQuestions(ctx, corpus, set, m.Questions)
	if err != nil {
		return out, err
	}
	out.Set = &s
	if documents && len(m.Documents) > 0 {
		err = a.importTexts(ctx, c, set, m.Documents)
	}
	return out, err
}

// importTexts takes in the documents that came with a set, under its name.
func (a *App) importTexts(ctx context.Context, c store.Corpus, set string, ds []prove.Document) error {
	s, err := a.store.AddSource(ctx, c.ID, store.KindUpload, "files", index.Public, store.SourceSettings{})
	if err != nil {
		return err
	}
	for i, d := range ds {
		name := d.Address
		if name == "" {
			name = fmt.Sprintf("%d", i+1)
		}
		at := url.PathEscape(set) + "/" + name
		var b strings.Builder
		fmt.Fprintf(&b, "<!doctype html><title>%s</title><h1>%s</h1>", html.EscapeString(d.Title), html.EscapeString(d.Title))
		for p := range strings.SplitSeq(d.Text, "\n\n") {
			fmt.Fprintf(&b, "<p>%s</p>", html.EscapeString(p))
		}
		o, _ := a.read(ctx, extract.Input{Address: at, MediaType: "text/html", Body: []byte(b.String())})
		if _, err := a.store.Upload(ctx, s, at, at, o, &store.Original{MediaType: "text/html", Body: []byte(b.String())}); err != nil {
			return err
		}
	}
	if err := a.takeIn(ctx, c.ID); err != nil {
		return err
	}
	a.tell(ctx, event(c.ID, "source", map[string]string{"id": s.ID}))
	return nil
}
