// Package record reads tables, lists of "label: value" and short labelled sections as records, and answers questions over all of them:
// a value, all that meet some conditions, how many those are, the most or least of something, which of two has more. A question is
// executed, not matched: what it names must be there, and what it does not explain is no answer.
package record

import (
	"maps"
	"regexp"
	"slices"
	"strings"

	"jolvex/core/doc"
	"jolvex/core/text"
)

// Version names what this package makes of documents and questions; it changes whenever either does.
const Version = "record-6"

// Cell is one value of a record, under the name of its attribute.
type Cell struct {
	Name string
	Text string
	Span doc.Span
	Key  bool // it names the record

	seen *seen
}

// seen is what a cell holds, read once.
type seen struct {
	text, name []string // stems, each once
	bare       []string // of a name: its stems without what it says of itself in brackets
	nameWords  []string
	figures    []text.Quantity
	kind       text.QuantityKind // of the first figure; "" for words
	yes, no    bool
	shut       bool
	bounds     text.Bounds
	bounded    bool
}

func look(c *Cell) {
	s := &seen{text: stemsOf(c.Text), name: stemsOf(c.Name), figures: text.Quantities(c.Text), yes: sayYes(c.Text), no: sayNo(c.Text), shut: shut.MatchString(c.Text)}
	for _, w := range text.Content(c.Name) {
		s.nameWords = append(s.nameWords, w.Norm)
	}
	if len(s.figures) > 0 {
		s.kind = s.figures[0].Dimension()
	}
	s.bounds, s.bounded = text.BoundsIn(c.Text)
	if c.Key {
		s.bare = stemsOf(bracketed.ReplaceAllString(c.Text, ""))
	}
	c.seen = s
}

// stemsOf are the stems of some texts, each once, in order.
func stemsOf(ss ...string) []string { return slices.Sorted(maps.Keys(text.Stems(ss...))) }

// Record is one row of a table, one item "label: value", or the short labelled sections of one page.
type Record struct {
	Source int      // of the documents that were read together
	Scope  []string // what it stands under: title, headings, caption
	Cells  []Cell
	Span   doc.Span
	under  []string // stems of that
	set    string   // records of one set have the same attributes
	until  string   // the last day on which it holds, as 2006-01-02; "" when none is told
	year   string   // that its title or headings name; "" for none
}

// Spans are the parts of its document that a record is read from: all of it together, or, where it is put together from the sections of a page, each.
func (r *Record) Spans() []doc.Span {
	if r.set != ofPage {
		return []doc.Span{r.Span}
	}
	var out []doc.Span
	for _, c := range r.Cells {
		if c.Span.Len() > 0 {
			out = append(out, c.Span)
		}
	}
	return out
}

// ofPage is the set of records that are put together from the sections of a page.
const ofPage = "page"

// Limits of what is taken for a record rather than for running text.
const (
	mostRows    = 2000 // of one table: what is larger is a register to be searched, and part of it would give wrong answers
	mostRecords = 4000 // of one document
	mostValue   = 25   // words of a value beside its label
	mostLabel   = 6    // words of a label
	mostLine    = 500  // bytes of both
	mostSection = 12   // words of a section that is a value
)

var labelled = regexp.MustCompile(`^([\p{L}\d][^:.?!]{1,60}): (\S.*)$`)

// Of reads the records of a document.
func Of(d *doc.Document) []Record {
	r := reader{doc: d, until: Until(d)}
	for i := range d.Blocks {
		b := &d.Blocks[i]
		switch b.Kind {
		case doc.Table:
			r.table(i, b.Grid)
		case doc.Item, doc.Paragraph:
			r.item(i, b)
		case doc.Heading:
			r.section(i)
		}
	}
	if len(r.page.Cells) > leastSections {
		r.add(r.page)
	}
	return r.out
}

// leastSections is how many labelled sections make a record of a page, its name counted.
const leastSections = 2

type reader struct {
	doc   *doc.Document
	until string
	out   []Record
	page  Record
}

func (r *reader) scope(block int) []string {
	return slices.Compact(append([]string{r.doc.Title}, r.doc.Path(block)...))
}

func (r *reader) add(x Record) {
	x.until = r.until
	for i := range x.Cells {
		look(&x.Cells[i])
	}
	x.year = yearOf(x.Scope)
	if n := len(r.out); n > 0 && slices.Equal(r.out[n-1].Scope, x.Scope) {
		x.under = r.out[n-1].under // shared, so that a question reads it once
	} else {
		x.under = stemsOf(x.Scope...)
	}
	r.out = append(r.out, x)
}

var yearIn = regexp.MustCompile(`\b(?:19|20)\d\d\b`)

// table makes a record of each row.
func (r *reader) table(block int, g *doc.Grid) {
	if len(g.Rows) > mostRows || len(r.out)+len(g.Rows) > mostRecords {
		return
	}
	keys := keysOf(g)
	scope := r.scope(block)
	if g.Caption != "" {
		scope = append(scope, g.Caption)
	}
	set := "table " + strings.ToLower(strings.Join(g.Header, "|"))
	if len(g.Header) == 0 {
		set += strings.Join(scope, "|")
	}
	for i := range g.Rows {
		row := &g.Rows[i]
		x := Record{Scope: scope, Span: row.Span, set: set}
		for c, cell := range row.Cells {
			if cell.Text == "" {
				continue
			}
			name := ""
			if c < len(g.Header) {
				name = g.Header[c]
			}
			if n := len(x.Cells); n > 0 && x.Cells[n-1].Text == cell.Text && x.Cells[n-1].Name == name {
				continue // a merged cell
			}
			x.Cells = append(x.Cells, Cell{Name: name, Text: cell.Text, Span: cell.Span, Key: keys[c]})
		}
		if len(x.Cells) > 1 {
			r.add(x)
		}
	}
}

// item makes a record of an item or paragraph "label: value".
func (r *reader) item(block int, b *doc.Block) {
	s := r.doc.Of(b.Span)
	if len(s) > mostLine || len(r.out) >= mostRecords {
		return
	}
	m := labelled.FindStringSubmatchIndex(s)
	if m == nil || strings.ContainsRune(s, '\n') {
		return
	}
	label, value := s[m[2]:m[3]], s[m[4]:m[5]]
	if len(text.Words(label)) > mostLabel || len(text.Words(value)) > mostValue {
		return
	}
	scope := r.scope(block)
	name := scope[len(scope)-1]
	at := func(from, to int) doc.Span { return doc.Span{Start: b.Span.Start + from, End: b.Span.Start + to} }
	r.add(Record{Scope: scope, Span: b.Span, set: "item " + strings.ToLower(name), Cells: []Cell{{Text: label, Span: at(m[2], m[3]), Key: true}, {Name: name, Text: value, Span: at(m[4], m[5])}}})
}

// section takes a heading with one short paragraph under it as an attribute of the page.
func (r *reader) section(block int) {
	d := r.doc
	if block+1 >= len(d.Blocks) || d.Blocks[block].Level < 2 {
		return
	}
	body := &d.Blocks[block+1]
	alone := block+2 >= len(d.Blocks) || d.Blocks[block+2].Kind == doc.Heading
	value := d.Of(body.Span)
	if body.Kind != doc.Paragraph || !alone || len(text.Words(value)) > mostSection || strings.HasSuffix(value, ".") && len(text.Words(value)) > 4 {
		return
	}
	if len(r.page.Cells) == 0 {
		r.page = Record{Scope: []string{d.Title}, Span: body.Span, set: ofPage, until: r.until, Cells: []Cell{{Text: d.Title, Key: true}}}
	}
	r.page.Span.End = body.Span.End
	r.page.Cells = append(r.page.Cells, Cell{Name: d.Of(d.Blocks[block].Span), Text: value, Span: body.Span})
}

// nameHeads are headers of columns that name what a row is about. (Common practice, no published source.)
var nameHeads = en.Set("name-header")

// keysOf tells which columns of a table name its rows: the first whose values are words and all different, one that is called a name
// before others; where no single one is,
// the first columns of words; else the first column.
func keysOf(g *doc.Grid) map[int]bool {
	wide := 0
	for i := range g.Rows {
		wide = max(wide, len(g.Rows[i].Cells))
	}
	wordy, first := -1, -1
	for c := range wide {
		seen := map[string]bool{}
		words := true
		for i := range g.Rows {
			if c >= len(g.Rows[i].Cells) {
				words = false
				break
			}
			s := strings.ToLower(g.Rows[i].Cells[c].Text)
			if figureOnly(s) || s == "" || sayYes(s) || sayNo(s) {
				words = false
				break
			}
			seen[s] = true
		}
		if !words {
			continue
		}
		if len(seen) == len(g.Rows) {
			if c < len(g.Header) && nameHeads[strings.ToLower(g.Header[c])] {
				return map[int]bool{c: true}
			}
			if first < 0 {
				first = c
			}
		}
		if wordy < 0 {
			wordy = c
		}
	}
	if first >= 0 {
		return map[int]bool{first: true}
	}
	if wordy < 0 {
		return map[int]bool{0: true}
	}
	out := map[int]bool{wordy: true}
	if wordy+1 < wide-1 {
		second := true
		for i := range g.Rows {
			if wordy+1 >= len(g.Rows[i].Cells) || figureOnly(strings.ToLower(g.Rows[i].Cells[wordy+1].Text)) {
				second = false
			}
		}
		if second {
			out[wordy+1] = true
		}
	}
	return out
}

// figureOnly reports whether a cell is a figure and little else.
func figureOnly(s string) bool {
	n := 0
	for _, q := range text.Quantities(s) {
		n += q.End - q.Start
	}
	return n > 0 && 3*n >= 2*len(s)
}

var (
	affirms = en.Pattern("affirmed")
	denies  = en.Pattern("denied")
)

func sayYes(s string) bool { return affirms.MatchString(strings.TrimSpace(s)) }

func sayNo(s string) bool { return denies.MatchString(strings.TrimSpace(s)) || shut.MatchString(s) }

// shut finds values that say that something is not open. (Common practice, no published source.)
var shut = en.Pattern("shut")

// holdsUntil finds how a page says until when it holds. (Common practice, no published source.)
var holdsUntil = en.Pattern("holds-until")

// Past reports whether what stands under some titles and headings of a document no longer holds on a day, by what the document says of
// itself: until when it holds, or the year that they name.
func Past(until string, scope []string, day string) bool {
	day = day[:min(len(day), len("2006-01-02"))]
	if until != "" && until < day {
		return true
	}
	year := yearOf(scope)
	return year != "" && len(day) >= 4 && year < day[:4]
}

// yearOf is the last year that some titles and headings name: "2026 to 2027" holds in both.
func yearOf(scope []string) string {
	last := ""
	for _, s := range scope {
		for _, y := range yearIn.FindAllString(s, -1) {
			last = max(last, y)
		}
	}
	return last
}

// heads is in how many of its first blocks a document says until when it holds.
const heads = 12

// Until is the last day on which what a document says holds, as it says itself; "" when it does not.
func Until(d *doc.Document) string {
	for i := range d.Blocks[:min(len(d.Blocks), heads)] {
		b := &d.Blocks[i]
		if b.Kind == doc.Table || b.Kind == doc.Code {
			continue
		}
		s := d.Of(b.Span)
		m := holdsUntil.FindStringIndex(s)
		if m == nil {
			continue
		}
		for _, q := range text.Quantities(s[m[1]:]) {
			if q.Kind == text.Date && len(q.Value) == len("2006-01-02") && q.Value[0] != '-' {
				return q.Value
			}
			break
		}
	}
	return ""
}
