package find

import (
	"context"
	"fmt"
	"strings"
	"sync"

	lru "github.com/hashicorp/golang-lru/v2"

	"jolvex/core/doc"
	"jolvex/core/embed"
	"jolvex/core/index"
	"jolvex/core/text"
)

// Piece is the smallest part of a chunk that a reply can quote: a sentence, an item, a table row, a block of code. Text is how it
// reads: of a row, its cells with their column names.
type Piece struct {
	Span doc.Span
	Text string
}

// Pieces lists the pieces of a chunk in order of place, headings apart. A sentence that the chunk cuts through belongs to
// it whole.
func Pieces(d *doc.Document, span doc.Span) []Piece {
	var out []Piece
	for _, b := range d.Blocks {
		if b.Span.Start >= span.End {
			break
		}
		if b.Kind == doc.Heading || !b.Span.Overlaps(span) {
			continue
		}
		switch b.Kind {
		case doc.Table:
			for i := range b.Grid.Rows {
				if r := &b.Grid.Rows[i]; r.Span.Overlaps(span) {
					out = append(out, Piece{r.Span, sayRow(b.Grid, r)})
				}
			}
		case doc.Code:
			out = append(out, Piece{b.Span, d.Of(b.Span)})
		default:
			s := d.Of(b.Span)
			for _, p := range text.Sentences(s) {
				at := doc.Span{Start: b.Span.Start + p.Start, End: b.Span.Start + p.End}
				if at.Overlaps(span) {
					out = append(out, Piece{at, s[p.Start:p.End]})
				}
			}
		}
	}
	return out
}

func sayRow(g *doc.Grid, r *doc.Row) string {
	var b strings.Builder
	b.WriteString(g.Caption)
	for i, c := range r.Cells {
		if c.Text == "" {
			continue
		}
		if b.Len() > 0 {
			b.WriteString("; ")
		}
		if i < len(g.Header) && g.Header[i] != "" {
			b.WriteString(g.Header[i] + ": ")
		}
		b.WriteString(c.Text)
	}
	return b.String()
}

// together is how many sentences of a section are embedded as one, with its heading before them. A sentence by itself has lost what it
// speaks of: of 141 questions over debian-faq, developers-reference and drawn tables, the first of all opened sentences, by likeness and
// shared words, held what was asked for in 40 of 100 cases when each was embedded alone, in 53 in threes that do not overlap, and in 56
// when each was embedded with its neighbours, for about three times the words to read (estimated).
const together = 3

// Windows lists what is embedded of a chunk besides its title and headings: the sentences and items of each section in threes, each
// three after the section's heading; every table row after all its headings; and every block of code after its heading.
func Windows(d *doc.Document, span doc.Span) []Piece {
	var out []Piece
	section, n := -1, 0 // the section of the window that is being filled, and the sentences in it
	heading, at, seen := "", 0, -1
	for _, p := range Pieces(d, span) {
		i := d.BlockAt(p.Span.Start)
		if seen < 0 {
			heading, at = headingOf(d, i)
		}
		for seen = max(seen, i); seen <= i; seen++ {
			if d.Blocks[seen].Kind == doc.Heading {
				heading, at = d.Of(d.Blocks[seen].Span), seen
			}
		}
		switch kind := d.Blocks[i].Kind; {
		case kind == doc.Table:
			out, n = append(out, Piece{p.Span, strings.Join(append(append([]string{d.Title}, d.Path(i)...), p.Text), "\n")}), 0
		case kind == doc.Code:
			out, n = append(out, Piece{p.Span, heading + "\n" + p.Text}), 0
		case n > 0 && n < together && at == section:
			w := &out[len(out)-1]
			w.Span.End, w.Text = p.Span.End, w.Text+" "+p.Text
			n++
		default:
			out, section, n = append(out, Piece{p.Span, heading + "\n" + p.Text}), at, 1
		}
	}
	return out
}

// headingOf is the heading over a block, and which block it is; the title and -1 for none.
func headingOf(d *doc.Document, block int) (string, int) {
	for i := block; i >= 0; i-- {
		if d.Blocks[i].Kind == doc.Heading {
			return d.Of(d.Blocks[i].Span), i
		}
	}
	return d.Title, -1
}

// Embedded are the vectors of a chunk's title and headings, and of its windows.
type Embedded struct {
	Headings []embed.Vector
	Windows  []embed.Vector // [window], in the order of Windows
	holds    func() map[string]bool
}

// Memory keeps the sentence vectors of chunks that were met lately. It is safe for use by several at once.
type Memory struct {
	kept *lru.Cache[memoryKey, *Embedded]
}

type memoryKey struct {
	embedder, version string
	span              doc.Span
}

// NewMemory makes a memory for a number of chunks.
func NewMemory(chunks int) (*Memory, error) {
	c, err := lru.New[memoryKey, *Embedded](chunks)
	if err != nil {
		return nil, fmt.Errorf("make a memory for %d chunks: %w", chunks, err)
	}
	return &Memory{c}, nil
}

// WindowTexts is what is embedded of a chunk besides itself: its title, its headings, then its windows.
func WindowTexts(d *doc.Document, e *index.Entry) []string {
	out := append([]string{e.Title}, e.Path...)
	for _, p := range Windows(d, e.Span) {
		out = append(out, p.Text)
	}
	return out
}

// Grouped is an embedder that takes the texts of several chunks at once.
type Grouped interface {
	EmbedGroups(ctx context.Context, groups [][]string) ([][]embed.Vector, error) // [len(groups)][len(groups[i])]
}

// warm takes in the chunks that are not here yet, all at once when the embedder can.
func (m *Memory) warm(ctx context.Context, entries []*index.Entry, texts Texts, emb embed.Embedder) error {
	g, ok := emb.(Grouped)
	if !ok {
		return nil
	}
	var missing []*index.Entry
	var groups [][]string
	for _, e := range entries {
		if m.kept.Contains(memoryKey{emb.ID(), e.Version, e.Span}) {
			continue
		}
		d, err := texts.Version(ctx, e.Version)
		if err != nil {
			return fmt.Errorf("open %s for ranking: %w", e.Address, err)
		}
		missing, groups = append(missing, e), append(groups, WindowTexts(d, e))
	}
	if len(missing) == 0 {
		return nil
	}
	vs, err := g.EmbedGroups(ctx, groups)
	if err != nil {
		return fmt.Errorf("embed the sentences of %d chunks: %w", len(missing), err)
	}
	for i, e := range missing {
		heads := 1 + len(e.Path)
		d, err := texts.Version(ctx, e.Version)
		if err != nil {
			return fmt.Errorf("open %s for ranking: %w", e.Address, err)
		}
		m.kept.Add(memoryKey{emb.ID(), e.Version, e.Span}, embedded(d, e, vs[i][:heads], vs[i][heads:]))
	}
	return nil
}

// Chunk gives the sentence vectors of a chunk.
func (m *Memory) Chunk(ctx context.Context, e *index.Entry, texts Texts, emb embed.Embedder) (*Embedded, error) {
	key := memoryKey{emb.ID(), e.Version, e.Span}
	if vs, ok := m.kept.Get(key); ok {
		return vs, nil
	}
	d, err := texts.Version(ctx, e.Version)
	if err != nil {
		return nil, fmt.Errorf("open %s for ranking: %w", e.Address, err)
	}
	vs, err := emb.Embed(ctx, WindowTexts(d, e))
	if err != nil {
		return nil, fmt.Errorf("embed the sentences of %s: %w", e.Address, err)
	}
	heads := 1 + len(e.Path)
	out := embedded(d, e, vs[:heads], vs[heads:])
	m.kept.Add(key, out)
	return out, nil
}

func embedded(d *doc.Document, e *index.Entry, headings, windows []embed.Vector) *Embedded {
	return &Embedded{headings, windows, sync.OnceValue(func() map[string]bool { return holdings(d.Of(e.Span)) })}
}

// Holds tells which kinds of thing a chunk holds: kinds of quantity by their names, place, person, yes-no.
func (m *Memory) Holds(ctx context.Context, e *index.Entry, texts Texts, emb embed.Embedder) (map[string]bool, error) {
	x, err := m.Chunk(ctx, e, texts, emb)
	if err != nil {
		return nil, err
	}
	return x.holds(), nil
}

// nearest is the best likeness of meaning that a single heading or sentence of a chunk has to a question.
func (m *Memory) nearest(ctx context.Context, q embed.Vector, e *index.Entry, texts Texts, emb embed.Embedder) (float64, error) {
	vs, err := m.Chunk(ctx, e, texts, emb)
	if err != nil {
		return 0, err
	}
	best := 0.0
	for _, set := range [][]embed.Vector{vs.Headings, vs.Windows} {
		for _, v := range set {
			best = max(best, embed.Cosine(q, v))
		}
	}
	return best, nil
}
