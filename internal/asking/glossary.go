package asking

import (
	"bytes"
	"cmp"
	"context"
	"errors"
	"fmt"
	"io"
	"slices"
	"strings"

	"jolvex/core/cells"
	"jolvex/core/doc"
	"jolvex/core/index"
	"jolvex/core/query"
	"jolvex/core/text"
	"jolvex/internal/fault"
)

// Suggestion is an entry that the corpus's own texts propose for its glossary.
type Suggestion struct {
	query.Entry
	Kind      string `json:"kind" enum:"abbreviation,definition,together"`
	Documents int    `json:"documents" doc:"In how many it is found"`
	Example   string `json:"example" doc:"Where it stands, in words"`
}

// mostSuggestions is how many are proposed.
const mostSuggestions = 100

// SuggestGlossary reads every document that the public may see for short forms with their long forms, and for definitions on
// pages that are a glossary. What the glossary holds already, or was dismissed, is not proposed.
func (as *Asker) SuggestGlossary(ctx context.Context, corpus string) ([]Suggestion, error) {
	c, err := as.store.Corpus(ctx, corpus)
	if err != nil {
		return nil, err
	}
	s, err := as.index.Shelf(ctx, c)
	if err != nil {
		return nil, err
	}
	have := map[string]bool{}
	for _, e := range c.Method.Glossary {
		have[text.Normalise(e.Term)] = true
	}
	dismissed, err := as.store.Dismissed(ctx, c.ID)
	if err != nil {
		return nil, err
	}
	for _, d := range dismissed {
		have[text.Normalise(d)] = true
	}
	all, err := as.mined(ctx, c.ID, s.Snapshot.Load())
	if err != nil {
		return nil, err
	}
	out := []Suggestion{}
	for _, x := range all {
		if !have[text.Normalise(x.Term)] && len(out) < mostSuggestions {
			out = append(out, x)
		}
	}
	return out, nil
}

// minedOf is what was found of one state of a corpus.
type minedOf struct {
	snapshot string
	all      []Suggestion
}

// mined finds terms and what they mean in everything that the public may see, the commonest first. What was found is kept for as long as the
// index is the same; who asks meanwhile waits for the same work.
func (as *Asker) mined(ctx context.Context, corpus string, snap *index.Snapshot) ([]Suggestion, error) {
	as.mining.Lock()
	defer as.mining.Unlock()
	if m := as.found[corpus]; m.snapshot == snap.Name && m.all != nil {
		return m.all, nil
	}
	out, err := as.mine(ctx, snap.See(index.Public))
	if err == nil {
		as.found[corpus] = minedOf{snap.Name, out}
	}
	return out, err
}

func (as *Asker) mine(ctx context.Context, view *index.View) (out []Suggestion, err error) {
	found := map[string]*Suggestion{}
	put := func(kind, term, means, example string) {
		key := text.Normalise(term)
		x := found[key]
		if x == nil {
			x = &Suggestion{Entry: query.Entry{Term: term}, Kind: kind, Example: example}
			found[key] = x
		}
		x.Documents++
		if !slices.ContainsFunc(x.Means, func(m string) bool { return strings.EqualFold(m, means) }) && len(x.Means) < 5 {
			x.Means = append(x.Means, means)
		}
	}
	seen := map[string]bool{}
	var together query.Together
	view.Each(func(_ int, e *index.Entry) bool {
		if seen[e.Version] {
			return ctx.Err() == nil
		}
		seen[e.Version] = true
		var d *doc.Document
		if d, err = as.index.Version(ctx, e.Version); err != nil {
			return false
		}
		mine(d, put)
		together.Add(blocksOf(d))
		return ctx.Err() == nil
	})
	if err = errors.Join(err, ctx.Err()); err != nil {
		return nil, err
	}
	for v := range seen {
		d, err := as.index.Version(ctx, v)
		if err = errors.Join(err, ctx.Err()); err != nil {
			return nil, err
		}
		together.Count(blocksOf(d))
	}
	for _, x := range together.Find() {
		if key := text.Normalise(x.Short); found[key] == nil {
			found[key] = &Suggestion{Entry: query.Entry{Term: x.Short, Means: []string{x.Long}}, Kind: "together", Documents: x.Documents, Example: x.Example}
		}
	}
	out = make([]Suggestion, 0, len(found))
	for _, x := range found {
		out = append(out, *x)
	}
	slices.SortFunc(out, func(a, b Suggestion) int {
		return cmp.Or(cmp.Compare(b.Documents, a.Documents), strings.Compare(a.Term, b.Term))
	})
	return out, nil
}

func blocksOf(d *doc.Document) []string {
	out := make([]string, len(d.Blocks))
	for i, b := range d.Blocks {
		out[i] = doc.Fold(d.Of(b.Span))
	}
	return out
}

// mine reads one document for terms and what they mean.
func mine(d *doc.Document, put func(kind, term, means, example string)) {
	own := map[query.Abbreviation]bool{}
	for _, b := range d.Blocks {
		t := doc.Fold(d.Of(b.Span))
		for _, x := range query.Abbreviations(t) {
			if !own[x] {
				own[x] = true
				put("abbreviation", x.Short, x.Long, t)
			}
		}
	}
	if !strings.Contains(strings.ToLower(d.Title), "glossary") && !strings.Contains(strings.ToLower(d.Title), "abbreviations") {
		return
	}
	for _, b := range d.Blocks {
		if t := doc.Fold(d.Of(b.Span)); b.Kind == doc.Item || b.Kind == doc.Paragraph {
			if term, means, ok := query.Definition(t); ok {
				put("definition", term, keyPhrase(means), t)
			}
		}
	}
}

// keyPhrase is the beginning of a definition, which names what the term is.
func keyPhrase(s string) string {
	for _, cut := range []string{". ", "; ", ", "} {
		s, _, _ = strings.Cut(s, cut)
	}
	if ws := strings.Fields(s); len(ws) > 8 {
		s = strings.Join(ws[:8], " ")
	}
	return strings.TrimRight(s, ".")
}

// DismissSuggestion keeps a term from being proposed again.
func (as *Asker) DismissSuggestion(ctx context.Context, corpus, term string) error {
	c, err := as.store.Corpus(ctx, corpus)
	if err != nil {
		return err
	}
	return as.store.Dismiss(ctx, c.ID, term)
}

// GlossaryFile is a glossary as it was read from a file.
type GlossaryFile struct {
	Entries  []query.Entry `json:"entries" nullable:"false"`
	Problems []string      `json:"problems" nullable:"false"` // rows that will not go in, and why
}

// ReadGlossary reads a glossary from CSV: a term, and in the columns after it, or in one with semicolons between, what it means.
func ReadGlossary(body []byte) (GlossaryFile, error) {
	out := GlossaryFile{Entries: []query.Entry{}, Problems: []string{}}
	r := cells.NewReader(bytes.NewReader(bytes.TrimPrefix(body, []byte("\xef\xbb\xbf"))))
	r.FieldsPerRecord, r.TrimLeadingSpace = -1, true
	for line := 1; ; line++ {
		row, err := r.Read()
		if errors.Is(err, io.EOF) {
			return out, nil
		}
		if err != nil {
			return out, fault.Input("%v", err)
		}
		if line == 1 && strings.EqualFold(strings.TrimSpace(row[0]), "term") {
			continue
		}
		e := query.Entry{Term: strings.TrimSpace(row[0])}
		for _, cell := range row[1:] {
			for m := range strings.SplitSeq(cell, ";") {
				if m = strings.TrimSpace(m); m != "" {
					e.Means = append(e.Means, m)
				}
			}
		}
		if bad := e.Check(); bad != "" {
			out.Problems = append(out.Problems, fmt.Sprintf("row %d: %s", line, bad))
			continue
		}
		out.Entries = append(out.Entries, e)
	}
}

// Glossary gives the glossary as CSV, which ReadGlossary reads.
func (as *Asker) Glossary(ctx context.Context, corpus string) ([]byte, error) {
	c, err := as.store.Corpus(ctx, corpus)
	if err != nil {
		return nil, err
	}
	var b bytes.Buffer
	w := cells.NewWriter(&b)
	rows := [][]string{{"term", "means"}}
	for _, e := range c.Method.Glossary {
		rows = append(rows, []string{e.Term, strings.Join(e.Means, "; ")})
	}
	err = w.WriteAll(rows)
	return b.Bytes(), err
}
