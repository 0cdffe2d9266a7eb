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

// Piece is the smallest part of a chunk that a reply can quote and a question can be compared with: a sentence, an item, a
// table row, a block of code. Text is what is embedded: of a row, its cells with their column names.
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

// Embedded are the vectors of a chunk's title and headings, and of its pieces.
type Embedded struct {
	Headings []embed.Vector
	Pieces   []embed.Vector // [piece], in the order of Pieces
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

// PieceTexts is what is embedded of a chunk besides itself: its title, its headings, then its pieces.
func PieceTexts(d *doc.Document, e *index.Entry) []string {
	out := append([]string{e.Title}, e.Path...)
	for _, p := range Pieces(d, e.Span) {
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
		missing, groups = append(missing, e), append(groups, PieceTexts(d, e))
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
	vs, err := emb.Embed(ctx, PieceTexts(d, e))
	if err != nil {
		return nil, fmt.Errorf("embed the sentences of %s: %w", e.Address, err)
	}
	heads := 1 + len(e.Path)
	out := embedded(d, e, vs[:heads], vs[heads:])
	m.kept.Add(key, out)
	return out, nil
}

func embedded(d *doc.Document, e *index.Entry, headings, pieces []embed.Vector) *Embedded {
	return &Embedded{headings, pieces, sync.OnceValue(func() map[string]bool { return holdings(d.Of(e.Span)) })}
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
	for _, set := range [][]embed.Vector{vs.Headings, vs.Pieces} {
		for _, v := range set {
			best = max(best, embed.Cosine(q, v))
		}
	}
	return best, nil
}
