package sets

import (
	"context"
	"fmt"
	"slices"

	"jolvex/core/diagnose"
	"jolvex/core/index"
	"jolvex/core/questions"
	"jolvex/core/record"
	"jolvex/core/text"
	"jolvex/internal/asking"
	"jolvex/internal/fault"
)

// mostProposals is how many questions are proposed at once.
const mostProposals = 200

// Proposals reads the documents that public replies can draw on for questions that they answer; those of documents that no set
// tests come first, and what a set asks already is left out.
func (rm *Room) Proposals(ctx context.Context, corpus string) ([]questions.Proposal, error) {
	c, err := rm.store.Corpus(ctx, corpus)
	if err != nil {
		return nil, err
	}
	b, err := rm.asking.Bench(ctx, asking.Caller{Audience: index.Public, Surface: "bench"}, c, c.Method)
	if err != nil {
		return nil, err
	}
	lib, err := rm.Library(ctx, c, b.View)
	if err != nil {
		return nil, err
	}
	sets, err := rm.store.QuestionSets(ctx, c.ID)
	if err != nil {
		return nil, err
	}
	var all []questions.Question
	asks := map[string]bool{}
	for _, s := range sets {
		qs, err := rm.store.Questions(ctx, s.ID)
		if err != nil {
			return nil, err
		}
		all = append(all, qs...)
		for _, q := range qs {
			asks[text.Flat(q.Text)] = true
		}
	}
	covered := map[string]bool{}
	out := []questions.Proposal{}
	for _, d := range lib.Members {
		if len(lib.Chunks[d.Document]) == 0 {
			continue
		}
		if err := ctx.Err(); err != nil {
			return nil, err
		}
		body, err := rm.index.Version(ctx, d.Version)
		if err != nil {
			return nil, fmt.Errorf("read %s for proposals: %w", d.Address, err)
		}
		if until := record.Until(body); until != "" && until < b.Pins.AsOf[:min(len(b.Pins.AsOf), 10)] {
			continue // what it says holds no more
		}
		about := questions.Document{Address: d.Address, Title: d.Title}
		covered[d.Document] = slices.ContainsFunc(all, func(q questions.Question) bool { return Expects(q, about) })
		for _, p := range questions.Propose(about, body) {
			if !asks[text.Flat(p.Question.Text)] {
				p.Document, p.Version = d.Document, d.Version
				out = append(out, p)
			}
		}
	}
	talk, err := rm.fromTalk(ctx, c.ID, lib, asks)
	if err != nil {
		return nil, err
	}
	questions.Favour(out, func(d string) bool { return covered[d] })
	return append(talk, out[:min(len(out), mostProposals)]...), nil
}

// mostAsked is how many questions that were asked are proposed.
const mostAsked = 50

// fromTalk proposes what was asked lately and no set asks.
func (rm *Room) fromTalk(ctx context.Context, corpus string, lib *diagnose.Corpus, asks map[string]bool) ([]questions.Proposal, error) {
	ts, err := rm.store.Asked(ctx, corpus, mostAsked)
	if err != nil {
		return nil, err
	}
	known := map[string]diagnose.Member{}
	for _, d := range lib.Members {
		known[d.Document] = d
	}
	out := []questions.Proposal{}
	for i, t := range ts {
		if asks[text.Flat(t.Question)] {
			continue
		}
		p := questions.Proposal{Kind: questions.FromTalk, Answer: t.Text()}
		for _, s := range t.Reply {
			if s.Candidate >= 0 {
				c := t.Candidates[s.Candidate]
				p.Document, p.Version, p.Span = c.Document, c.Version, s.Span
				p.Address, p.Title = known[c.Document].Address, known[c.Document].Title
				break
			}
		}
		var ok bool
		if p.Question, ok = questions.FromReply(t, questions.Document{Address: p.Address}); !ok {
			continue
		}
		p.Question.ID = fmt.Sprintf("asked %d", len(ts)-i)
		out = append(out, p)
	}
	return out, nil
}

// Stress proposes variants of one question of a set that try to make the assistant fail.
func (rm *Room) Stress(ctx context.Context, corpus string, q questions.Question) ([]questions.Question, error) {
	c, err := rm.store.Corpus(ctx, corpus)
	if err != nil {
		return nil, err
	}
	if err := q.Check(); err != nil {
		return nil, fault.Input("%v", err)
	}
	s, err := rm.index.Shelf(ctx, c)
	if err != nil {
		return nil, err
	}
	v := s.Snapshot.Load().See(index.Public)
	return questions.Stress(q, func(stem string) float64 { return index.Rarity(v.Chunks(), v.Frequency(stem)) }), nil
}
