package answer

import (
	"fmt"
	"slices"
	"strings"
	"unicode"
	"unicode/utf8"

	lru "github.com/hashicorp/golang-lru/v2"

	"jolvex/core/check"
	"jolvex/core/doc"
	"jolvex/core/record"
	"jolvex/core/text"
)

// unit is the smallest thing a reply can quote: a sentence, a list item, a table row, a block of code.
type unit struct {
	kind     doc.Kind
	span     doc.Span
	text     string
	block    int
	section  int             // index of the heading block that governs it, -1 for none
	words    []text.Word     // of its own text
	stems    map[string]bool // of its own text
	context  map[string]bool // stems of what stands around it: title, headings, caption and header, lead-in
	row      *doc.Row
	grid     *doc.Grid
	lead     int // index of the unit that introduces it ("You may bring:"), -1 for none
	figures  []text.Quantity
	score    float64
	bounded  bool    // its label states a range that holds an amount of the question
	cosine   float64 // likeness of meaning to the question
	headed   float64 // share of the question's terms in the heading over it
	chance   float64 // that it holds the answer, of all units
	beyond   bool    // stands outside the chunk that was found
	coverage float64 // share of the question's terms in its own text
}

// Opened keeps the units of chunks that were opened lately: reading their words and figures anew for every question is most
// of the work of a reply. It is safe for use by several at once.
type Opened struct {
	kept  *lru.Cache[openedKey, []unit]
	rows  *lru.Cache[string, wholeDocument] // of documents, by version
	large *lru.Cache[string, wholeDocument] // of those with many records
}

type openedKey struct {
	version string
	span    doc.Span
}

// NewOpened makes room for a number of chunks.
func NewOpened(chunks int) (*Opened, error) {
	c, err := lru.New[openedKey, []unit](chunks)
	if err != nil {
		return nil, fmt.Errorf("make room for %d opened chunks: %w", chunks, err)
	}
	r, err := lru.New[string, wholeDocument](max(1, min(chunks, mostWhole)))
	if err != nil {
		return nil, fmt.Errorf("make room for the records of documents: %w", err)
	}
	l, err := lru.New[string, wholeDocument](mostLarge)
	if err != nil {
		return nil, fmt.Errorf("make room for the records of large documents: %w", err)
	}
	return &Opened{c, r, l}, nil
}

// How many documents are kept with their records, how many of those with many, and how many are many: the words and figures of every cell are kept with it.
const (
	mostWhole   = 512
	mostLarge   = 8
	manyRecords = 64
)

// wholeDocument is what a document holds as a whole: its records, and the last day on which it is in force, "" when it tells none.
type wholeDocument struct {
	records []record.Record
	until   string
}

// whole gives what a document holds as a whole. It is only to be read.
func (o *Opened) whole(version string, d *doc.Document) wholeDocument {
	h, ok := o.rows.Get(version)
	if !ok {
		h, ok = o.large.Get(version)
	}
	if !ok {
		h.records = slices.DeleteFunc(record.Of(d), func(r record.Record) bool {
			return slices.ContainsFunc(r.Spans(), func(s doc.Span) bool { return check.Instructs(d.Of(s)) })
		})
		h.until = record.Until(d)
		if len(h.records) > manyRecords {
			o.large.Add(version, h)
		} else {
			o.rows.Add(version, h)
		}
	}
	return h
}

// units gives the units of a chunk, for one question to mark: what they share with the kept ones is only read.
func (o *Opened) units(version string, d *doc.Document, span doc.Span) []unit {
	key := openedKey{version, span}
	us, ok := o.kept.Get(key)
	if !ok {
		us = unitsOf(d, span)
		o.kept.Add(key, us)
	}
	return append([]unit(nil), us...)
}

// unitsOf lists the units of a document that overlap a span, in order.
func unitsOf(d *doc.Document, span doc.Span) []unit {
	var out []unit
	section, lead := -1, -1
	for i, b := range d.Blocks {
		if b.Kind == doc.Heading {
			section, lead = i, -1
			continue
		}
		if b.Span.Start >= span.End {
			break
		}
		if !b.Span.Overlaps(span) || b.Kind == doc.Picture || instructsAsAWhole(d, &b) {
			continue // neither a caption nor a passage that instructs assistants is evidence
		}
		context := text.Stems(append(d.Path(i), d.Title)...)
		add := func(u unit) {
			u.kind, u.block, u.section, u.context = b.Kind, i, section, context
			if u.text = d.Of(u.span); check.Instructs(u.text) {
				return // the sentence or row that speaks to assistants is no evidence; what stands beside it is
			}
			u.words = text.Words(u.text)
			u.stems = text.StemsOf(u.words)
			u.figures = text.Quantities(u.text)
			out = append(out, u)
		}
		switch b.Kind {
		case doc.Table:
			extra := text.Stems(append(append([]string(nil), b.Grid.Header...), b.Grid.Caption)...)
			for k := range context {
				extra[k] = true
			}
			context = extra
			for r := range b.Grid.Rows {
				if row := &b.Grid.Rows[r]; row.Span.Overlaps(span) {
					add(unit{span: row.Span, row: row, grid: b.Grid, lead: -1})
				}
			}
			lead = -1
		case doc.Code:
			add(unit{span: b.Span, lead: lead})
		default:
			if b.Kind == doc.Paragraph {
				lead = -1
			}
			for _, p := range text.Sentences(d.Of(b.Span)) {
				s := doc.Span{Start: b.Span.Start + p.Start, End: b.Span.Start + p.End}
				if s.Overlaps(span) {
					add(unit{span: s, lead: lead})
				}
			}
			if n := len(out); n > 0 && strings.HasSuffix(out[n-1].text, ":") {
				lead = n - 1
			}
		}
	}
	return out
}

// instructsAsAWhole reports whether a block speaks to assistants in a way that no single sentence or row of it does.
func instructsAsAWhole(d *doc.Document, b *doc.Block) bool {
	if !check.Instructs(d.Of(b.Span)) {
		return false
	}
	if b.Grid != nil {
		return !slices.ContainsFunc(b.Grid.Rows, func(r doc.Row) bool { return check.Instructs(d.Of(r.Span)) })
	}
	all := d.Of(b.Span)
	return b.Kind == doc.Code || !slices.ContainsFunc(text.Sentences(all), func(p text.Piece) bool { return check.Instructs(all[p.Start:p.End]) })
}

// plainText is the unit as a sentence of a reply.
func (u *unit) plainText(terms map[string]float64) string {
	if u.row != nil {
		return rowText(u, terms)
	}
	s := doc.Fold(u.text)
	if u.kind == doc.Code {
		return s
	}
	s = trimLead(s)
	if u.kind == doc.Item && s != "" && !strings.ContainsAny(s[len(s)-1:], ".!?:;,") {
		s += "."
	}
	return s
}

// connectives tie a sentence to the one before it, which the reply may not hold.
var connectives = spaced(en.List("connective"))

// spaced puts a space after each of some words.
func spaced(ws []string) []string {
	for i := range ws {
		ws[i] += " "
	}
	return ws
}

// capital is a text with a capital as its first letter.
func capital(s string) string {
	r, n := utf8.DecodeRuneInString(s)
	return string(unicode.ToUpper(r)) + s[n:]
}

func trimLead(s string) string {
	for _, c := range connectives {
		if rest, ok := strings.CutPrefix(s, c); ok && rest != "" {
			return capital(rest)
		}
	}
	return s
}

var bareAnswers = spaced(en.List("bare-answer"))

// withoutYes takes off a "Yes," or "No," that answers another question than the one at hand.
func withoutYes(s string) string {
	for _, c := range bareAnswers {
		if rest, ok := strings.CutPrefix(s, c); ok && rest != "" {
			return capital(rest)
		}
	}
	return s
}

// rowText says a table row with its column names. Columns that the question names are picked out; without any, all
// filled ones are said.
func rowText(u *unit, terms map[string]float64) string {
	g, cells := u.grid, u.row.Cells
	labels := labelCells(u)
	var picked []int
	best := 0.0
	for i := range cells {
		if labels[i] || cells[i].Text == "" || i >= len(g.Header) {
			continue
		}
		hit := 0.0
		for s := range text.Stems(g.Header[i]) {
			hit += terms[s]
		}
		switch {
		case hit > best+1e-9:
			best, picked = hit, []int{i}
		case hit > 0 && hit >= best-1e-9:
			picked = append(picked, i)
		}
	}
	if len(picked) == 0 {
		for i := range cells {
			if !labels[i] && cells[i].Text != "" {
				picked = append(picked, i)
			}
		}
	}
	var label, rest []string
	for i, c := range cells {
		if labels[i] && c.Text != "" && (len(label) == 0 || label[len(label)-1] != c.Text) {
			label = append(label, c.Text)
		}
	}
	for k, i := range picked {
		if k > 0 && cells[i].Text == cells[picked[k-1]].Text && sameHeader(g, i, picked[k-1]) {
			continue
		}
		if i < len(g.Header) && g.Header[i] != "" {
			rest = append(rest, g.Header[i]+": "+cells[i].Text)
			continue
		}
		rest = append(rest, cells[i].Text)
	}
	s := strings.Join(label, ", ")
	if len(rest) > 0 {
		if s != "" {
			s += " – "
		}
		s += strings.Join(rest, "; ")
	}
	if s == "" {
		s = doc.Fold(u.text)
	}
	if !strings.HasSuffix(s, ".") {
		s += "."
	}
	return s
}

// Worded says a row of a table with the names of its columns; "" when no row has the span.
func Worded(g *doc.Grid, row doc.Span) string {
	for i := range g.Rows {
		if g.Rows[i].Span == row {
			return rowText(&unit{grid: g, row: &g.Rows[i]}, nil)
		}
	}
	return ""
}

func sameHeader(g *doc.Grid, i, j int) bool {
	return i < len(g.Header) && j < len(g.Header) && g.Header[i] == g.Header[j]
}

// labelCells tells which cells of a row name it: the first one, and those after it that hold no figure, up to the first
// that does.
func labelCells(u *unit) []bool {
	out := make([]bool, len(u.row.Cells))
	for i, c := range u.row.Cells {
		if i > 0 && (strings.ContainsAny(c.Text, "0123456789") || i >= 2 || len(u.row.Cells) == 2 || len(c.Text) > 40 || i+1 == len(u.row.Cells)) {
			break
		}
		out[i] = true
	}
	return out
}
