package chunk

import (
	"fmt"
	"math/rand/v2"
	"strings"
	"testing"
	"unicode/utf8"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"jolvex/core/doc"
)

// Token counts of the cl100k vocabulary as its publisher's cookbook gives them ("How to count tokens", the comparison
// table): "antidisestablishmentarianism" 6, "2 + 2 = 4" 7, "お誕生日おめでとう" 9.
func TestTokeniseAgainstPublishedCounts(t *testing.T) {
	for s, want := range map[string]int{"antidisestablishmentarianism": 6, "2 + 2 = 4": 7, "お誕生日おめでとう": 9, "": 0} {
		got, err := Tokenise(s)
		require.NoError(t, err)
		assert.Len(t, got, want, s)
	}
}

// randomDocument makes a document of headings, paragraphs, lists and tables.
func randomDocument(r *rand.Rand) *doc.Document {
	words := strings.Fields("ferry pier boat Sandrel ticket fare dog bicycle über naïve 12 £4.50 lift ramp crew berth weather tide morning return single")
	say := func(n int) string {
		var out []string
		for range n {
			out = append(out, words[r.IntN(len(words))])
		}
		return strings.Join(out, " ")
	}
	var b doc.Builder
	b.Doc().Title = "Random"
	for range 3 + r.IntN(25) {
		switch r.IntN(6) {
		case 0, 1:
			b.Add(doc.Block{Kind: doc.Heading, Level: 1 + r.IntN(4)}, say(1+r.IntN(5)))
		case 2:
			for range 1 + r.IntN(6) {
				b.Add(doc.Block{Kind: doc.Item, Level: 1}, say(1+r.IntN(12)))
			}
		case 3:
			var rows [][]string
			for range 1 + r.IntN(30) {
				rows = append(rows, []string{say(2), say(1), say(1)})
			}
			b.AddTable(doc.Place{}, say(2), []string{"Kind", "Single", "Return"}, rows)
		default:
			for range 1 + r.IntN(3) {
				b.Add(doc.Block{Kind: doc.Paragraph}, strings.Repeat(say(3+r.IntN(25))+". ", 1+r.IntN(6)))
			}
		}
	}
	b.Add(doc.Block{Kind: doc.Paragraph}, say(5)+".")
	return b.Document()
}

// Whatever the settings: chunks come in order, hold whole characters, stay within the size (one unbreakable piece aside),
// cover every block, and repeat nothing when no overlap is asked for.
func TestCutProperties(t *testing.T) {
	r := rand.New(rand.NewPCG(7, 11))
	for n := range 300 {
		d := randomDocument(r)
		tokens, err := Tokenise(d.Text)
		require.NoError(t, err)
		s := Settings{Strategy: []string{Fixed, Structure}[n%2], Size: 32 + r.IntN(300), Least: r.IntN(40)}
		if n%3 > 0 {
			s.Overlap = r.IntN(s.Size / 2)
		}
		name := fmt.Sprintf("document %d, %+v", n, s)
		chunks := Cut(d, tokens, s)
		require.NotEmpty(t, chunks, name)
		covered := make([]bool, len(d.Text))
		for i, c := range chunks {
			require.Equal(t, i, c.Ordinal)
			require.True(t, c.Span.Start < c.Span.End && c.Span.End <= len(d.Text), name)
			require.True(t, utf8.ValidString(d.Of(c.Span)), name)
			require.LessOrEqual(t, c.Tokens, s.Size+s.Overlap+8, name)
			if i > 0 {
				require.Greater(t, c.Span.End, chunks[i-1].Span.End, name)
				if s.Overlap == 0 {
					require.GreaterOrEqual(t, c.Span.Start, chunks[i-1].Span.End, name)
				}
			}
			for k := c.Span.Start; k < c.Span.End; k++ {
				covered[k] = true
			}
		}
		for _, b := range d.Blocks {
			for k := b.Span.Start; k < b.Span.End; k++ {
				if !covered[k] && d.Text[k] != ' ' && d.Text[k] != '\n' {
					require.Failf(t, "a byte is in no chunk", "%s: %q", name, d.Of(b.Span))
				}
			}
		}
	}
}

func cutOf(t *testing.T, d *doc.Document, s Settings) []Chunk {
	t.Helper()
	tokens, err := Tokenise(d.Text)
	require.NoError(t, err)
	return Cut(d, tokens, s)
}

func TestStructureCarriesTheHeadingPath(t *testing.T) {
	var b doc.Builder
	b.Doc().Title = "Fares"
	long := strings.Repeat("A sentence about the fares of the line. ", 8)
	b.Add(doc.Block{Kind: doc.Heading, Level: 1}, "Fares")
	b.Add(doc.Block{Kind: doc.Paragraph}, long)
	b.Add(doc.Block{Kind: doc.Heading, Level: 2}, "Vehicles")
	b.Add(doc.Block{Kind: doc.Heading, Level: 3}, "Cars")
	b.Add(doc.Block{Kind: doc.Paragraph}, long)
	b.Add(doc.Block{Kind: doc.Heading, Level: 3}, "Trailers")
	b.Add(doc.Block{Kind: doc.Paragraph}, long)
	chunks := cutOf(t, b.Document(), Settings{Strategy: Structure, Size: 200, Least: 10})
	require.Len(t, chunks, 3)
	assert.Empty(t, chunks[0].Path)
	assert.Equal(t, []string{"Vehicles", "Cars"}, chunks[1].Path)
	assert.Equal(t, []string{"Vehicles", "Trailers"}, chunks[2].Path)
}

func TestLongTableKeepsItsHeader(t *testing.T) {
	var b doc.Builder
	var rows [][]string
	for i := range 60 {
		rows = append(rows, []string{fmt.Sprintf("Berth %d", i), "£4.50"})
	}
	b.AddTable(doc.Place{}, "Berths", []string{"Berth", "Price"}, rows)
	d := b.Document()
	chunks := cutOf(t, d, Settings{Strategy: Structure, Size: 80})
	require.Greater(t, len(chunks), 3)
	assert.Empty(t, chunks[0].Carried, "the first part holds its header itself")
	for _, c := range chunks[1:] {
		assert.Equal(t, "Berths\nBerth | Price", c.Carried)
		assert.True(t, strings.HasPrefix(d.Of(c.Span), "Berth "), "cut between rows")
	}
}

func TestOverlapRepeatsWholeSentences(t *testing.T) {
	var b doc.Builder
	b.Add(doc.Block{Kind: doc.Paragraph}, strings.Repeat("The boat leaves the pier at nine. ", 30))
	d := b.Document()
	chunks := cutOf(t, d, Settings{Strategy: Structure, Size: 60, Overlap: 20})
	require.Greater(t, len(chunks), 2)
	for _, c := range chunks[1:] {
		require.NotZero(t, c.Overlap.Len())
		assert.True(t, strings.HasPrefix(d.Of(c.Overlap), "The boat"), "%q", d.Of(c.Overlap))
	}
	fixed := cutOf(t, d, Settings{Strategy: Fixed, Size: 60, Overlap: 20})
	assert.Equal(t, 60, fixed[0].Tokens)
}

func TestSmallSectionsJoin(t *testing.T) {
	var b doc.Builder
	b.Add(doc.Block{Kind: doc.Heading, Level: 1}, "Top")
	for i := range 4 {
		b.Add(doc.Block{Kind: doc.Heading, Level: 2}, fmt.Sprintf("Part %d", i))
		b.Add(doc.Block{Kind: doc.Paragraph}, "Short.")
	}
	d := b.Document()
	assert.Len(t, cutOf(t, d, Settings{Strategy: Structure, Size: 200, Least: 100}), 1)
	apart := cutOf(t, d, Settings{Strategy: Structure, Size: 200, Least: 1})
	assert.Len(t, apart, 4, "the lone heading goes with what it introduces")
	assert.Zero(t, Judge(d, apart).LoneHeadings)
}

func TestJudge(t *testing.T) {
	var b doc.Builder
	b.Add(doc.Block{Kind: doc.Paragraph}, strings.Repeat("One two three four five six seven eight nine ten. ", 12))
	d := b.Document()
	bad := Judge(d, cutOf(t, d, Settings{Strategy: Fixed, Size: 40}))
	good := Judge(d, cutOf(t, d, Settings{Strategy: Structure, Size: 40}))
	assert.Positive(t, bad.CutSentences)
	assert.Zero(t, good.CutSentences)
	assert.Equal(t, bad.Chunks, len(cutOf(t, d, Settings{Strategy: Fixed, Size: 40})))
	assert.LessOrEqual(t, good.Largest, 40)
	assert.Nil(t, Cut(&doc.Document{}, nil, Settings{}))
}
