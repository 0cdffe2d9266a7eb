package find

import (
	"context"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"jolvex/core/doc"
	"jolvex/core/embed"
)

func TestPiecesAreWholeAndInOrder(t *testing.T) {
	var b doc.Builder
	b.Add(doc.Block{Kind: doc.Heading, Level: 1}, "Fares")
	b.Add(doc.Block{Kind: doc.Paragraph}, "Pay at the pier. Cards are taken.")
	b.AddTable(doc.Place{}, "Cars", []string{"Length", "Price"}, [][]string{{"up to 5 m", "£31.00"}, {"longer", ""}})
	b.Add(doc.Block{Kind: doc.Item, Level: 1}, "dogs")
	d := b.Document()
	whole := doc.Span{Start: 0, End: len(d.Text)}
	var texts []string
	for _, p := range Pieces(d, whole) {
		texts = append(texts, p.Text)
		assert.True(t, whole.Contains(p.Span))
	}
	assert.Equal(t, []string{"Pay at the pier.", "Cards are taken.", "Cars; Length: up to 5 m; Price: £31.00", "Cars; Length: longer", "dogs"}, texts)
	at := d.Blocks[1].Span
	texts = nil
	for _, w := range Windows(d, whole) {
		texts = append(texts, w.Text)
	}
	assert.Equal(t, []string{"Fares\nPay at the pier. Cards are taken.", "Fares\nCars; Length: up to 5 m; Price: £31.00", "Fares\nCars; Length: longer", "Fares\ndogs"}, texts, "sentences are embedded together, with what they stand under")
	part := Pieces(d, doc.Span{Start: at.Start, End: at.Start + 4})
	require.Len(t, part, 1)
	assert.Equal(t, "Pay at the pier.", part[0].Text, "a sentence that is cut through belongs to the chunk whole")
}

// grouping counts how often it is asked.
type grouping struct {
	embed.Embedder
	single, groups int
}

func (g *grouping) Embed(ctx context.Context, texts []string) ([]embed.Vector, error) {
	g.single++
	return g.Embedder.Embed(ctx, texts)
}

func (g *grouping) EmbedGroups(ctx context.Context, groups [][]string) ([][]embed.Vector, error) {
	g.groups++
	out := make([][]embed.Vector, len(groups))
	for i, texts := range groups {
		var err error
		if out[i], err = g.Embedder.Embed(ctx, texts); err != nil {
			return nil, err
		}
	}
	return out, nil
}

func TestSentencesOfAllCandidatesAreReadAtOnce(t *testing.T) {
	v, lib := shelf(t, "Dogs must be on a lead.", "The ferry leaves at noon.", "A puppy is a young dog.")
	g := &grouping{Embedder: lib.Sentence}
	lib.Sentence = g
	before := rank(t, v, Library{Texts: lib.Texts, Embedder: lib.Embedder, Sentence: lib.Embedder, Memory: lib.Memory}, usual, "dog lead")
	m, err := NewMemory(10)
	require.NoError(t, err)
	lib.Memory = m
	after := rank(t, v, lib, usual, "dog lead")
	assert.Equal(t, before, after)
	assert.Equal(t, 1, g.groups)
	assert.Zero(t, g.single, "the question was embedded with the chunks' own embedder, of the same name")
	rank(t, v, lib, usual, "puppy")
	assert.Equal(t, 1, g.groups, "they are remembered")
	e := v.Entry(0)
	vs, err := m.Chunk(t.Context(), e, lib.Texts, g)
	require.NoError(t, err)
	assert.Len(t, vs.Windows, 1)
	assert.Len(t, vs.Headings, 1, "the title")
}
