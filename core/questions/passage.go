package questions

import (
	"slices"

	"jolvex/core/doc"
	"jolvex/core/text"
)

// Passages are the places of a document at which the question expects to find what it is after: the passages that it
// says should be reached, and, where it names the document to be cited, the sentences and rows that hold a wording or
// figure that the reply should have.
func (q Question) Passages(about Document, d *doc.Document) []doc.Span {
	var out []doc.Span
	cited := false
	for _, e := range q.Expect {
		switch {
		case e.Kind == Reaches && about.Is([]string{e.Document}):
			for _, v := range e.Values {
				if s, ok := locate(d, v); ok {
					out = append(out, s)
					break
				}
			}
		case e.Kind == Cites:
			cited = cited || about.Is(e.Values)
		}
	}
	if !cited {
		return out
	}
	for _, e := range q.Expect {
		if e.Kind != Mentions && e.Kind != Gives {
			continue
		}
		for _, v := range e.Values {
			if s, ok := locate(d, v); ok {
				out = append(out, sentenceAt(d, s))
				break
			}
		}
	}
	return out
}

// Places are the sentences and rows of a document that hold what an expectation wants to be said or reached, the first most of them.
func (e Expectation) Places(d *doc.Document, most int) []doc.Span {
	var out []doc.Span
	add := func(s doc.Span) {
		if s = sentenceAt(d, s); len(out) < most && !slices.Contains(out, s) {
			out = append(out, s)
		}
	}
	switch e.Kind {
	case Mentions, Reaches:
		for _, v := range e.Values {
			if s, ok := locate(d, v); ok {
				add(s)
			}
		}
	case Gives:
		have := text.Quantities(d.Text)
		for _, v := range e.Values {
			for _, want := range text.Quantities(v) {
				for _, h := range have {
					if alike(h, want) {
						add(doc.Span{Start: h.Start, End: h.End})
					}
				}
			}
		}
	}
	return out
}

// locate finds a wording in a document, whatever its case, accents, punctuation and spaces.
func locate(d *doc.Document, wording string) (doc.Span, bool) {
	want := text.Words(wording)
	if len(want) == 0 {
		return doc.Span{}, false
	}
	have := text.Words(d.Text)
next:
	for i := 0; i+len(want) <= len(have); i++ {
		for j, w := range want {
			if have[i+j].Norm != w.Norm {
				continue next
			}
		}
		return doc.Span{Start: have[i].Start, End: have[i+len(want)-1].End}, true
	}
	return doc.Span{}, false
}

// sentenceAt widens a span to the sentence or table row around it.
func sentenceAt(d *doc.Document, s doc.Span) doc.Span {
	i := d.BlockAt(s.Start)
	if i < 0 {
		return s
	}
	b := d.Blocks[i]
	if b.Grid != nil {
		for _, r := range b.Grid.Rows {
			if r.Span.Contains(s) {
				return r.Span
			}
		}
		return s
	}
	for _, p := range text.Sentences(d.Of(b.Span)) {
		if whole := (doc.Span{Start: b.Span.Start + p.Start, End: b.Span.Start + p.End}); whole.Contains(s) {
			return whole
		}
	}
	return s
}

// Cluster names the variants of one question that belong together; a question without a group is one by itself.
func (q Question) Cluster() string {
	if q.Group != "" {
		return "group " + q.Group
	}
	return q.ID
}

// RankOf is the place, from 1, of the first candidate that a question expects: one that holds the passage to be reached,
// or else one from a document to be cited; 0 when none is among them, -1 when the question names neither.
func (q Question) RankOf(candidates []Document) int {
	rank := -1
	for _, e := range q.Expect {
		r := -1
		switch e.Kind {
		case Reaches:
			r = Reached(candidates, e)
		case Cites:
			r = RankOf(candidates, e.Values)
		}
		if r >= 0 && (rank < 0 || e.Kind == Reaches) {
			rank = r
		}
	}
	return rank
}

// Reached is the rank of the first candidate that holds one of the wordings; 0 for none.
func Reached(candidates []Document, e Expectation) int {
	for i, c := range candidates {
		if !c.Is([]string{e.Document}) {
			continue
		}
		if found, _ := Says(c.Text, e.Values); found {
			return i + 1
		}
	}
	return 0
}
