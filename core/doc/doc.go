// Package doc holds the canonical document that every part of Jolvex speaks of: one text, cut into blocks, with
// every block knowing where in the text it stands and where in the original it came from.
package doc

import (
	"fmt"
	"strings"
)

// Kind says what a block is.
type Kind string

// The kinds of block.
const (
	Heading   Kind = "heading"
	Paragraph Kind = "paragraph"
	Item      Kind = "item"  // one item of a list
	Table     Kind = "table" // one whole table; see Block.Table
	Code      Kind = "code"
	Cue       Kind = "cue"     // one caption cue
	Picture   Kind = "picture" // what is said of a picture: its caption, number or alternative text; found, but never part of a reply
)

// Span is a half-open range [Start, End) of bytes in Document.Text.
type Span struct {
	Start int `json:"start"`
	End   int `json:"end"`
}

// Len is the number of bytes in the span.
func (s Span) Len() int { return s.End - s.Start }

// Contains reports whether t lies wholly within s.
func (s Span) Contains(t Span) bool { return s.Start <= t.Start && t.End <= s.End }

// Overlaps reports whether s and t share at least one byte.
func (s Span) Overlaps(t Span) bool { return s.Start < t.End && t.Start < s.End }

// Place is where in the original a block came from. Zero fields do not apply.
type Place struct {
	Anchor string  `json:"anchor,omitempty"` // fragment of the page's address, without '#'
	Page   int     `json:"page,omitempty"`   // page number, from 1
	From   float64 `json:"from,omitempty"`   // seconds from the start of the medium
	To     float64 `json:"to,omitempty"`     // seconds
}

// Cell is one table cell and where its text stands.
type Cell struct {
	Span Span   `json:"span"`
	Text string `json:"text"`
}

// Row is one line of a table. Span covers all of its cells.
type Row struct {
	Span  Span   `json:"span"`
	Cells []Cell `json:"cells"`
}

// Grid is the content of a table block. Header may be empty when the table names no columns. Every row has as many
// cells as the widest one: merged cells are repeated, missing ones are empty.
type Grid struct {
	Caption string   `json:"caption,omitempty"`
	Header  []string `json:"header,omitempty"`
	Rows    []Row    `json:"rows"`
}

// Block is the smallest structural piece of a document.
type Block struct {
	Kind  Kind  `json:"kind"`
	Level int   `json:"level,omitempty"` // heading: 1 to 6; item: depth of its list, from 1
	Span  Span  `json:"span"`
	Place Place `json:"place,omitzero"`
	Grid  *Grid `json:"grid,omitempty"`
	// Ordinal is the label of a numbered list item ("3."), empty for a bulleted one.
	Ordinal string `json:"ordinal,omitempty"`
}

// Document is one page, file, transcript or text in canonical form.
type Document struct {
	Title       string   `json:"title"`
	Description string   `json:"description,omitempty"`
	Language    string   `json:"language,omitempty"` // BCP 47, when the original declares one
	Canonical   string   `json:"canonical,omitempty"`
	NoIndex     bool     `json:"noindex,omitempty"`
	NoFollow    bool     `json:"nofollow,omitempty"`
	Links       []Link   `json:"links,omitempty"`
	Notes       []string `json:"notes,omitempty"`  // what the reader of the document should know: cut short, scripts only
	Hidden      []string `json:"hidden,omitempty"` // passages that the page hides from its readers; not part of Text
	Dated       string   `json:"dated,omitempty"`  // when the original says that it was last changed, as a date or moment of RFC 3339
	Until       string   `json:"until,omitempty"`  // from when on it asks not to be shown any more, as written
	Text        string   `json:"text"`
	Blocks      []Block  `json:"blocks"`
}

// Link is a reference to another page or file, absolute, as it stood in the original.
type Link struct {
	Address  string   `json:"address"`
	Text     string   `json:"text,omitempty"`
	NoFollow bool     `json:"nofollow,omitempty"`
	Relation Relation `json:"relation,omitempty"`
	Media    string   `json:"media,omitempty"` // captions: the clip that they belong to
}

// Relation is what a link's target is to the page; "" for an ordinary link.
type Relation string

// The relations that differ from an ordinary link.
const (
	Refresh  Relation = "refresh"  // the page leads on there by itself
	Feed     Relation = "feed"     // lists what is new
	Captions Relation = "captions" // what is said in a clip
	Clip     Relation = "clip"     // a film or recording without captions
)

// Of returns the text of a span, clipped to the document.
func (d *Document) Of(s Span) string {
	a, b := max(0, min(s.Start, len(d.Text))), max(0, min(s.End, len(d.Text)))
	if a >= b {
		return ""
	}
	return d.Text[a:b]
}

// Path is the heading path above block i: the headings that govern it, outermost first. For a heading it is the path
// above that heading, without itself. A first heading that repeats the document's title is left out.
func (d *Document) Path(i int) []string {
	var path []string
	level := 7
	if i < len(d.Blocks) && d.Blocks[i].Kind == Heading {
		level = d.Blocks[i].Level
	}
	for j := i - 1; j >= 0; j-- {
		b := d.Blocks[j]
		if b.Kind == Heading && b.Level < level {
			level = b.Level
			path = append(path, d.Of(b.Span))
		}
	}
	for l, r := 0, len(path)-1; l < r; l, r = l+1, r-1 {
		path[l], path[r] = path[r], path[l]
	}
	if len(path) > 0 && strings.EqualFold(path[0], d.Title) {
		path = path[1:]
	}
	return path
}

// BlockAt returns the index of the block that holds byte offset at, or of the nearest one before it; -1 when the
// document has no block there.
func (d *Document) BlockAt(at int) int {
	lo, hi := 0, len(d.Blocks)
	for lo < hi {
		m := (lo + hi) / 2
		if d.Blocks[m].Span.Start <= at {
			lo = m + 1
		} else {
			hi = m
		}
	}
	return lo - 1
}

// Check reports the first way in which d breaks the rules that the rest of the product relies on: blocks in order,
// without overlap, inside the text; rows inside their table and cells inside their row.
func (d *Document) Check() error {
	at := 0
	for i, b := range d.Blocks {
		if b.Span.Start < at || b.Span.End < b.Span.Start || b.Span.End > len(d.Text) {
			return fmt.Errorf("block %d (%s) has span %v after offset %d in a text of %d bytes", i, b.Kind, b.Span, at, len(d.Text))
		}
		at = b.Span.End
		if (b.Kind == Table) != (b.Grid != nil) {
			return fmt.Errorf("block %d is a %s, grid present: %v", i, b.Kind, b.Grid != nil)
		}
		if b.Grid == nil {
			continue
		}
		for r, row := range b.Grid.Rows {
			if !b.Span.Contains(row.Span) {
				return fmt.Errorf("block %d row %d %v lies outside its table %v", i, r, row.Span, b.Span)
			}
			for c, cell := range row.Cells {
				if !row.Span.Contains(cell.Span) || d.Of(cell.Span) != cell.Text {
					return fmt.Errorf("block %d row %d cell %d is not the text at its span", i, r, c)
				}
			}
		}
	}
	return nil
}
