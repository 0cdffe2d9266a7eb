package sets

import (
	"context"
	"fmt"
	"reflect"
	"slices"

	"jolvex/core/doc"
	"jolvex/core/questions"
	"jolvex/internal/store"
)

// Doubt is an expectation whose source has changed since it was written.
type Doubt struct {
	Question string `json:"question" doc:"Id"`
	Written  string `json:"written" doc:"When the question was last changed"`
	Document string `json:"document"`
	Address  string `json:"address"`
	Changed  string `json:"changed" doc:"When the document was last changed, or went"`
	Gone     bool   `json:"gone"`

	Lost []string `json:"lost" nullable:"false" doc:"What the question expects to be said or reached and that none of its documents holds any more"`
}

// Doubts lists the expectations of a set whose sources have changed since they were written: they are to be looked at before they
// are believed.
func (rm *Room) Doubts(ctx context.Context, corpus, set string) ([]Doubt, error) {
	vs, lists, err := rm.setVersions(ctx, corpus, set)
	if err != nil {
		return nil, err
	}
	out := []Doubt{}
	if len(vs) == 0 {
		return out, nil
	}
	c, err := rm.store.Corpus(ctx, corpus)
	if err != nil {
		return nil, err
	}
	ds, err := rm.Documents(ctx, c)
	if err != nil {
		return nil, err
	}
	written := map[string]string{}
	now := byID(lists[0])
	for i, v := range vs { // back in time, as long as the question was what it is now
		for _, q := range lists[i] {
			if cur, ok := now[q.ID]; ok && reflect.DeepEqual(cur, q) && (i == 0 || written[q.ID] == vs[i-1].At) {
				written[q.ID] = v.At
			}
		}
	}
	names, by := questions.NewDirectory(), map[string]store.Document{}
	for _, d := range ds {
		names.Add(d.ID, d.Address, d.Title)
		by[d.ID] = d
	}
	for _, q := range lists[0] {
		var changed, expected []store.Document
		for _, id := range names.Relevant(q) {
			d, ok := by[id]
			if !ok {
				continue
			}
			if expected = append(expected, d); d.ChangedAt > written[q.ID] {
				changed = append(changed, d)
			}
		}
		if len(changed) == 0 {
			continue
		}
		lost, err := rm.lostOf(ctx, q, expected)
		if err != nil {
			return nil, err
		}
		for _, d := range changed {
			out = append(out, Doubt{q.ID, written[q.ID], d.ID, d.Address, d.ChangedAt, !d.Stands(), lost})
		}
	}
	return out, nil
}

// lostOf looks again, by its text, for what a question expects in the documents that it names, and gives the first wording of each that none
// of them holds.
func (rm *Room) lostOf(ctx context.Context, q questions.Question, expected []store.Document) ([]string, error) {
	lost := []string{}
	var bodies []*doc.Document
	for _, d := range expected {
		if !d.Stands() {
			continue
		}
		body, err := rm.index.Version(ctx, d.Version)
		if err != nil {
			return nil, fmt.Errorf("look for what is expected of %s: %w", d.Address, err)
		}
		bodies = append(bodies, body)
	}
	for _, e := range q.Expect {
		if e.Kind != questions.Reaches && e.Kind != questions.Mentions && e.Kind != questions.Gives || len(e.Values) == 0 {
			continue
		}
		if !slices.ContainsFunc(bodies, func(d *doc.Document) bool { return len(e.Places(d, 1)) > 0 }) {
			lost = append(lost, e.Values[0])
		}
	}
	return lost, nil
}
