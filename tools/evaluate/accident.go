package main

import (
	"context"
	"fmt"
	"log/slog"
	"math/rand/v2"
	"slices"
	"strings"

	"jolvex/core/answer"
	"jolvex/core/doc"
	"jolvex/core/prove"
	"jolvex/core/questions"
	"jolvex/internal/app"
	"jolvex/internal/indexing"
	"jolvex/internal/store"
)

// accidents measures how well it is told that a fact is said of something else: which of the facts that replies say are marked, to be
// read by eye, and how many of sentences elsewhere in the corpus, put in the place of the reply, that hold the same words. Such a
// sentence comes from a document that the question does not name and the reply does not cite, drawn by lot; some of them are right all the same.
func accidents(ctx context.Context, half, keep, only string, set list) error {
	a, err := app.Open(ctx, keep, slog.New(slog.DiscardHandler), app.Options{})
	if err != nil {
		return err
	}
	defer a.Close()
	s := &session{ctx, a, set.change, false}
	r := rand.New(rand.NewPCG(3, 14))
	var said, marked, planted, told int
	for _, m := range materials(half) {
		if !strings.HasPrefix(m.name, only) {
			continue
		}
		t, err := s.ask(m)
		if err != nil {
			return fmt.Errorf("%s: %w", m.name, err)
		}
		bodies, err := s.bodies(m.name)
		if err != nil {
			return err
		}
		for _, x := range t.all {
			for _, f := range x.verdict.Findings {
				if !f.Expectation.Is(questions.Fact) || !f.Held && !f.Accident {
					continue
				}
				said++
				if f.Accident {
					marked++
					fmt.Printf("MARKED  %s %q wants %v\n        %s\n        %s\n", x.ID, x.Text, f.Expectation.Values, doc.Fold(x.trail.Text()), f.Note)
				}
				p, ok := elsewhere(x, f.Expectation, bodies, r)
				if !ok {
					continue
				}
				planted++
				v := prove.Judge(questions.Question{ID: x.ID, Text: x.Text, Expect: []questions.Expectation{f.Expectation}}, p)
				if v.Findings[0].Accident {
					told++
				} else {
					fmt.Printf("PASSED  %s %q wants %v\n        %s\n", x.ID, x.Text, f.Expectation.Values, doc.Fold(p.Trail.Text()))
				}
			}
		}
	}
	fmt.Printf("%d facts said, %d marked; %d planted, %d told\n", said, marked, planted, told)
	return nil
}

// body is a document with its text.
type body struct {
	indexing.Document
	text *doc.Document
}

func (s *session) bodies(corpus string) ([]body, error) {
	ds, _, err := s.app.Indexing.Documents(s.ctx, corpus, store.Filter{Limit: 2000})
	if err != nil {
		return nil, err
	}
	out := make([]body, 0, len(ds))
	for _, d := range ds {
		b, err := s.app.Indexing.Version(s.ctx, d.Version)
		if err != nil {
			return nil, err
		}
		out = append(out, body{d, b})
	}
	return out, nil
}

// elsewhere is a reply of one sentence that holds a fact and stands in a document that the question does not name.
func elsewhere(x asked, e questions.Expectation, all []body, r *rand.Rand) (prove.Seen, bool) {
	var names []string
	for _, o := range x.Expect {
		if o.Kind == questions.Cites {
			names = append(names, o.Values...)
		}
	}
	for _, p := range x.trail.Reply {
		if p.Candidate >= 0 {
			names = append(names, x.trail.Candidates[p.Candidate].Address)
		}
	}
	for _, k := range r.Perm(len(all)) {
		b := all[k]
		if (questions.Document{Address: b.Address, Title: b.text.Title}).Is(names) {
			continue
		}
		ps := e.Places(b.text, 4)
		if len(ps) == 0 {
			continue
		}
		at := ps[r.IntN(len(ps))]
		s := x.seen
		t := *x.trail
		t.Candidates = append(slices.Clone(t.Candidates), answer.Candidate{Document: b.ID, Version: b.Version, Address: b.Address, Span: at})
		t.Reply = []answer.Sentence{{Text: doc.Fold(b.text.Of(at)), Candidate: len(t.Candidates) - 1, Version: b.Version, Span: at}}
		t.Outcome = answer.Answered
		s.Trail = &t
		s.Documents = append(slices.Clone(s.Documents), questions.Document{Address: b.Address, Title: b.text.Title})
		s.Bodies = append(slices.Clone(s.Bodies), b.text)
		return s, true
	}
	return prove.Seen{}, false
}
