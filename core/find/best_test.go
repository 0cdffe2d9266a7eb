package find

import (
	"math/rand/v2"
	"slices"
	"sort"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"jolvex/core/doc"
	"jolvex/core/embed"
)

// The heap gives what sorting everything gives: the k best and all that tie with the last of them.
func TestBestEqualsSorting(t *testing.T) {
	r := rand.New(rand.NewPCG(6, 6))
	for range 500 {
		n, k := 1+r.IntN(60), 1+r.IntN(20)
		score := make([]float64, n)
		from := make([]int, n)
		for i := range score {
			score[i], from[i] = float64(r.IntN(12)), i // many ties
		}
		sorted := append([]int(nil), from...)
		sort.SliceStable(sorted, func(i, j int) bool { return score[sorted[i]] > score[sorted[j]] })
		cut := min(k, n)
		for cut < n && score[sorted[cut]] == score[sorted[cut-1]] {
			cut++
		}
		want := append([]int(nil), sorted[:cut]...)
		got := best(score, from, k)
		slices.Sort(want)
		slices.Sort(got)
		require.Equal(t, want, got)
	}
}

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
	part := Pieces(d, doc.Span{Start: at.Start, End: at.Start + 4})
	require.Len(t, part, 1)
	assert.Equal(t, "Pay at the pier.", part[0].Text, "a sentence that is cut through belongs to the chunk whole")
}

// grouping counts how often it is asked.
type grouping struct {
	embed.Embedder
	single, groups int
}

func (g *grouping) Embed(texts []string) ([]embed.Vector, error) {
	g.single++
	return g.Embedder.Embed(texts)
}

func (g *grouping) EmbedGroups(groups [][]string) ([][]embed.Vector, error) {
	g.groups++
	out := make([][]embed.Vector, len(groups))
	for i, texts := range groups {
		var err error
		if out[i], err = g.Embedder.Embed(texts); err != nil {
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
	assert.Equal(t, 1, g.single, "the question alone")
	rank(t, v, lib, usual, "puppy")
	assert.Equal(t, 1, g.groups, "they are remembered")
	e := v.Entry(0)
	vs, err := m.Chunk(e, lib.Texts, g)
	require.NoError(t, err)
	assert.Len(t, vs.Pieces, 1)
	assert.Len(t, vs.Headings, 1, "the title")
}
