package sets

import (
	"bytes"
	"context"
	"fmt"
	"slices"

	"jolvex/core/index"
	"jolvex/core/questions"
	"jolvex/internal/fault"
	"jolvex/internal/store"
)

// ExportSet writes a set as JSONL, CSV or TREC qrels, or with the documents that it names as a BEIR collection or in SQuAD's form.
func (rm *Room) ExportSet(ctx context.Context, corpus, set, form string) ([]byte, error) {
	c, err := rm.store.Corpus(ctx, corpus)
	if err != nil {
		return nil, err
	}
	qs, err := rm.QuestionsIn(ctx, c.ID, set)
	if err != nil {
		return nil, err
	}
	var b bytes.Buffer
	switch form {
	case FormJSONL:
		err = questions.WriteQuestions(&b, qs)
	case FormCSV:
		_, err = questions.WriteCSV(&b, qs)
	case FormQrels:
		err = questions.WriteQrels(&b, qs)
	case FormBEIR, FormSquad:
		ds, err := rm.sourcesOf(ctx, c, form == FormBEIR, qs)
		if err != nil {
			return nil, err
		}
		if form == FormBEIR {
			err = questions.WriteBEIR(&b, qs, ds)
		} else {
			_, err = questions.WriteSquad(&b, qs, ds)
		}
		return b.Bytes(), err
	default:
		err = fault.Input("a set is written as %s, %s, %s, %s or %s, not as %q", FormJSONL, FormCSV, FormQrels, FormBEIR, FormSquad, form)
	}
	return b.Bytes(), err
}

// sourcesOf are the documents that everybody may be answered from, all or those that questions name.
func (rm *Room) sourcesOf(ctx context.Context, c store.Corpus, all bool, qs []questions.Question) ([]questions.Source, error) {
	s, err := rm.index.Shelf(ctx, c)
	if err != nil {
		return nil, err
	}
	lib, err := rm.Library(ctx, c, s.Snapshot.Load().See(index.Public))
	if err != nil {
		return nil, err
	}
	var out []questions.Source
	for _, d := range lib.Members {
		about := questions.Document{Address: d.Address, Title: d.Title}
		if d.Trouble != "" || !all && !slices.ContainsFunc(qs, func(q questions.Question) bool { return Expects(q, about) }) {
			continue
		}
		body, err := rm.index.Version(ctx, d.Version)
		if err != nil {
			return nil, fmt.Errorf("write %s: %w", d.Address, err)
		}
		about.Text = body.Text
		out = append(out, questions.Source{Document: about, Body: body})
	}
	return out, nil
}
