package sets

import (
	"context"
	"slices"
	"strings"

	"jolvex/core/diagnose"
	"jolvex/core/doc"
	"jolvex/core/index"
	"jolvex/core/questions"
	"jolvex/internal/store"
)

func Expects(q questions.Question, d questions.Document) bool {
	return slices.ContainsFunc(q.Expect, func(e questions.Expectation) bool {
		return e.Kind == questions.Cites && d.Is(e.Values) || e.Kind == questions.Reaches && d.Is([]string{e.Document})
	})
}

// Library gathers what a corpus holds for diagnoses: its documents, why no public reply can draw on some, and what its chunks bring.
func (rm *Room) Library(ctx context.Context, c store.Corpus, v *index.View) (*diagnose.Corpus, error) {
	out := &diagnose.Corpus{Texts: rm.index, Chunks: map[string][]doc.Span{}, Earlier: rm.earlier}
	v.Each(func(_ int, e *index.Entry) bool {
		out.Chunks[e.Document] = append(out.Chunks[e.Document], e.Evidence())
		return true
	})
	ds, err := rm.Documents(ctx, c)
	if err != nil {
		return nil, err
	}
	for _, d := range ds {
		k := diagnose.Known{Document: d.ID, Source: d.Source, Address: d.Address, Title: d.Title, Trouble: trouble(d, len(out.Chunks[d.ID]) > 0)}
		k.Takeable = k.Trouble != "" && d.Audience == index.Public && (d.Version != "" || strings.HasPrefix(d.Address, "http"))
		out.Members = append(out.Members, diagnose.Member{Known: k, Version: d.Version})
	}
	return out, nil
}

// Documents lists all documents of a corpus.
func (rm *Room) Documents(ctx context.Context, c store.Corpus) ([]store.Document, error) {
	const page = 2000
	var out []store.Document
	for {
		ds, total, err := rm.store.Documents(ctx, c.ID, store.Filter{Limit: page, Offset: len(out)})
		if err != nil {
			return nil, err
		}
		if out = append(out, ds...); len(out) >= total || len(ds) == 0 {
			return out, nil
		}
	}
}

// earlier lists the versions that a document had, the newest first.
func (rm *Room) earlier(ctx context.Context, document string) ([]string, error) {
	old, err := rm.store.History(ctx, document)
	if err != nil {
		return nil, err
	}
	out := make([]string, len(old))
	for i, v := range old {
		out[i] = v.Version
	}
	return out, nil
}

// trouble says why no public reply can draw on a document; "" when one can.
func trouble(d store.Document, indexed bool) string {
	because := func(s string) string {
		if d.Reason == "" {
			return s
		}
		return s + ": " + d.Reason
	}
	switch {
	case d.State == store.Failed:
		return because("it failed")
	case d.State == store.LeftOut || d.Choice == store.Left:
		return because("it was left out")
	case d.State == store.Waiting || d.Choice == store.Undecided:
		return "it waits to be taken in"
	case d.Audience != index.Public:
		return "it is for " + d.Audience + " only"
	case !indexed:
		return "nothing of it is in the index"
	}
	return ""
}
