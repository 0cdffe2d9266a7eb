package find

import (
	"fmt"

	lru "github.com/hashicorp/golang-lru/v2"

	"jolvex/core/doc"
	"jolvex/core/embed"
	"jolvex/core/index"
	"jolvex/core/text"
)

// Memory keeps the sentence vectors of chunks that were met lately. It is safe for use by several at once.
type Memory struct {
	kept *lru.Cache[memoryKey, []embed.Vector]
}

type memoryKey struct {
	embedder, version string
	span              doc.Span
}

// NewMemory makes a memory for a number of chunks.
func NewMemory(chunks int) (*Memory, error) {
	c, err := lru.New[memoryKey, []embed.Vector](chunks)
	if err != nil {
		return nil, fmt.Errorf("make a memory for %d chunks: %w", chunks, err)
	}
	return &Memory{c}, nil
}

// sentences gives one vector for each heading and each sentence, item or table row of a chunk.
func (m *Memory) sentences(e *index.Entry, texts Texts, emb embed.Embedder) ([]embed.Vector, error) {
	key := memoryKey{emb.ID(), e.Version, e.Span}
	if vs, ok := m.kept.Get(key); ok {
		return vs, nil
	}
	d, err := texts.Version(e.Version)
	if err != nil {
		return nil, fmt.Errorf("open %s for ranking: %w", e.Address, err)
	}
	parts := append([]string{e.Title}, e.Path...)
	for _, b := range d.Blocks {
		if b.Kind == doc.Heading || !b.Span.Overlaps(e.Span) {
			continue
		}
		if b.Grid != nil {
			for _, r := range b.Grid.Rows {
				if r.Span.Overlaps(e.Span) {
					parts = append(parts, d.Of(r.Span))
				}
			}
			continue
		}
		within := doc.Span{Start: max(b.Span.Start, e.Span.Start), End: min(b.Span.End, e.Span.End)}
		s := d.Of(within)
		for _, p := range text.Sentences(s) {
			parts = append(parts, s[p.Start:p.End])
		}
	}
	vs, err := emb.Embed(parts)
	if err != nil {
		return nil, fmt.Errorf("embed the sentences of %s: %w", e.Address, err)
	}
	m.kept.Add(key, vs)
	return vs, nil
}

// nearest is the best likeness of meaning that a single heading or sentence of a chunk has to a question.
func (m *Memory) nearest(q embed.Vector, e *index.Entry, texts Texts, emb embed.Embedder) (float64, error) {
	vs, err := m.sentences(e, texts, emb)
	if err != nil {
		return 0, err
	}
	best := 0.0
	for _, v := range vs {
		best = max(best, embed.Cosine(q, v))
	}
	return best, nil
}
