package answer

import (
	"context"
	"fmt"

	"jolvex/core/index"
	"jolvex/core/record"
)

// certain is the support of a reply from records that explain all of a question: words and figures are all accounted for. (Set by hand.)
const certain = 0.98

// mostCompared is how many records one question is asked of.
const mostCompared = 20000

// records reads the records of the documents of some chunks: a question over records is asked of whole tables, and of all pages of a kind, not
// of the chunks that were kept. Documents that are not to be quoted are left out.
func (a *asking) records(ctx context.Context, chunks []*index.Entry) ([]record.Record, []*index.Entry, error) {
	var all []record.Record
	var of []*index.Entry
	seen := map[string]bool{}
	for _, e := range chunks {
		if seen[e.Version] || pointing(e.Marks, a.Answer) != "" {
			continue
		}
		seen[e.Version] = true
		d, err := a.Texts.Version(ctx, e.Version)
		if err != nil {
			return nil, nil, fmt.Errorf("open the records of %s: %w", e.Address, err)
		}
		rs := a.Opened.whole(e.Version, d).records
		if len(all)+len(rs) > mostCompared {
			continue
		}
		for i := range rs {
			one := rs[i]
			one.Source = len(of)
			all = append(all, one)
		}
		if len(rs) > 0 {
			of = append(of, e)
		}
	}
	return all, of, nil
}

// executed answers a question from records, when they fit it.
func (a *asking) executed(ctx context.Context, p *plan, chunks []*index.Entry) (bool, error) {
	t := p.Trail
	if !a.Answer.Records {
		return false, nil
	}
	all, of, err := a.records(ctx, chunks)
	if err != nil || len(all) == 0 {
		return false, err
	}
	asks := record.Asked{
		Text: t.Reading.Alone, Wants: t.Reading.Wants, AsOf: t.Pins.AsOf[:min(len(t.Pins.AsOf), len("2006-01-02"))],
		Known: func(stem string) bool { return a.View.Frequency(stem) > 0 }, Like: a.Lexicon.Likeness,
	}
	got, ok := record.Ask(asks, all)
	support := certain * got.Explains
	if !ok || support < a.Answer.Bar {
		return false, nil
	}
	for _, s := range got.Say() {
		if a.Answer.forbids(s.Text) {
			continue
		}
		e := of[s.Source]
		at := t.candidateAt(e, s.Span.Start)
		t.Candidates[at].Support = max(t.Candidates[at].Support, support)
		t.Reply = append(t.Reply, Sentence{Text: s.Text, Candidate: at, Version: e.Version, Span: s.Span, Cells: s.Cells, Support: support})
	}
	if len(t.Reply) == 0 {
		return false, nil // the manner forbids all of it
	}
	t.Outcome = Answered
	t.Why = fmt.Sprintf("answered from %s; %.0f %% of the question is accounted for", told(len(got.Said), got.Of), 100*got.Explains)
	p.compared = true
	return true, nil
}

// told says from how many records a reply is told, of how many that were compared.
func told(n, of int) string {
	switch {
	case of > n:
		return fmt.Sprintf("%d of %d records", n, of)
	case n == 1:
		return "one record"
	}
	return fmt.Sprintf("%d records", n)
}

// candidateAt is the candidate whose chunk holds a place of a document, else any of that document, else a new one.
func (t *Trail) candidateAt(e *index.Entry, at int) int {
	any := -1
	for i, c := range t.Candidates {
		if c.Version != e.Version {
			continue
		}
		if c.Span.Start <= at && at < c.Span.End {
			t.Candidates[i].Kept = true
			return i
		}
		if any < 0 {
			any = i
		}
	}
	if any < 0 {
		any = len(t.Candidates)
		t.Candidates = append(t.Candidates, Candidate{Document: e.Document, Version: e.Version, Language: e.Language, Address: e.Address, Span: e.Span, Parent: e.Parent, Why: []string{"its records were looked at"}})
	}
	t.Candidates[any].Kept = true
	return any
}
