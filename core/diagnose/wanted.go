package diagnose

import (
	"context"
	"fmt"

	"jolvex/core/prove"
	"jolvex/core/questions"
)

// Wanted is a place that holds what one expectation wants, and how far it came in a reply.
type Wanted struct {
	Expectation int    `json:"expectation" doc:"Of the question, from 0"`
	Document    string `json:"document"`
	Version     string `json:"version"`
	Address     string `json:"address"`
	Heading     string `json:"heading" doc:"The title and the headings that govern it"`
	Text        string `json:"text" doc:"The sentence or row that holds it; empty for a document that is to be cited"`
	Start       int    `json:"start" doc:"Byte in the version's text"`
	End         int    `json:"end"`
	Trouble     string `json:"trouble,omitempty" doc:"Why no public reply can draw on it"`
	Past        bool   `json:"past,omitempty" doc:"It stands in an earlier version alone"`
	Cut         bool   `json:"cut,omitempty" doc:"No chunk holds all of it"`
	Rank        int    `json:"rank" doc:"Of the candidate that brings it, from 1; 0 when none does"`
	Kept        bool   `json:"kept,omitempty" doc:"The reply could draw on it"`
}

// LookFor finds where what a question expects stands, one place an expectation: that which the question names, else one that can be
// drawn on and shares the most words with it. An expectation that nothing holds, and one that asks for no words, has none.
func LookFor(ctx context.Context, q questions.Question, s prove.Seen, p Probe) ([]Wanted, error) {
	n := &inquiry{q: q, s: s, p: p}
	named, err := n.documents()
	if err != nil {
		return nil, fmt.Errorf("look for what %s expects: %w", q.ID, err)
	}
	out := []Wanted{}
	for i, e := range q.Expect {
		switch e.Kind {
		case questions.Mentions, questions.Gives, questions.Reaches:
			held, err := p.Holding(ctx, q, s, e)
			if err != nil {
				return nil, fmt.Errorf("look for what %s expects: %w", q.ID, err)
			}
			if h, ok := n.choosePlace(held, named); ok {
				r := candidate(s, h)
				out = append(out, Wanted{i, h.Document, h.Version, h.Address, h.Heading, h.Text, h.Span.Start, h.Span.End, h.Trouble, h.Past, h.Cut, r, kept(s, r)})
			}
		case questions.Cites:
			for _, k := range named {
				if !(questions.Document{Address: k.Address, Title: k.Title}).Is(e.Values) {
					continue
				}
				w := Wanted{Expectation: i, Document: k.Document, Address: k.Address, Heading: k.Title, Trouble: k.Trouble}
				for r, c := range s.Trail.Candidates {
					if c.Document == k.Document {
						w.Rank, w.Kept = r+1, c.Kept
						break
					}
				}
				out = append(out, w)
				break
			}
		}
	}
	return out, nil
}
