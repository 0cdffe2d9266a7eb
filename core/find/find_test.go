package find

import (
	"context"
	"fmt"
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"jolvex/core/doc"
	"jolvex/core/embed"
	"jolvex/core/index"
	"jolvex/core/query"
)

type texts map[string]*doc.Document

func (t texts) Version(ctx context.Context, h string) (*doc.Document, error) {
	if d := t[h]; d != nil {
		return d, nil
	}
	return nil, fmt.Errorf("no version %s", h)
}

func shelf(t *testing.T, bodies ...string) (*index.View, Library) {
	t.Helper()
	emb, err := embed.NewStatic()
	require.NoError(t, err)
	b := index.NewBuilder(index.Public)
	lib := texts{}
	for i, s := range bodies {
		var db doc.Builder
		db.Add(doc.Block{Kind: doc.Paragraph}, s)
		id := fmt.Sprintf("d%02d", i)
		lib[id] = db.Document()
		b.Add(index.Entry{Document: id, Version: id, Address: id, Span: doc.Span{Start: 0, End: len(s)}}, index.Texts{index.Body: s})
	}
	vs, err := emb.Embed(t.Context(), bodies)
	require.NoError(t, err)
	m, err := NewMemory(10)
	require.NoError(t, err)
	return (&index.Snapshot{Parts: []index.Part{{Segment: b.Build(), Vectors: vs}}}).See(index.Public), Library{Texts: lib, Embedder: emb, Sentence: emb, Memory: m}
}

var usual = Settings{K1: 1.2, B: 0.7, Title: 1.5, Path: 3, DenseWords: 0.25, Sentence: 0.2, Candidates: 100, Keep: 8}

func rank(t *testing.T, v *index.View, lib Library, s Settings, q string) []Ranked {
	t.Helper()
	out, err := Rank(t.Context(), query.Read(t.Context(), query.Question{Text: q}, query.Tools{Corpus: v, Lexicon: lib.Embedder.(*embed.Static)}, query.Settings{}), v, lib, s, 10)
	require.NoError(t, err)
	return out.Ranked
}

func TestSharesSumToOne(t *testing.T) {
	v, lib := shelf(t, "Dogs must be on a lead.", "The ferry leaves at noon.", "A puppy is a young dog.", "Tickets cost four pounds.")
	for _, q := range []string{"dogs on a lead", "puppies", "price of tickets"} {
		for i, r := range rank(t, v, lib, usual, q) {
			sum := 0.0
			for _, s := range r.Signals {
				assert.GreaterOrEqual(t, s.Share, 0.0)
				sum += s.Share
			}
			assert.InDelta(t, 1, sum, 1e-9, "%s, rank %d", q, i+1)
			assert.Equal(t, i+1, r.Rank)
		}
	}
}

func TestMeaningReachesWhatWordsDoNot(t *testing.T) {
	v, lib := shelf(t, "Suitcases may be left in the lockers.", "The ferry leaves at noon.", "Tickets cost four pounds.", "The café sells soup.")
	assert.Equal(t, "d00", rank(t, v, lib, usual, "luggage")[0].Entry.Document)
	words := usual
	words.Dense, words.Sentence = 0, 0
	for _, r := range rank(t, v, lib, words, "ferry") {
		if r.Entry.Document != "d01" {
			assert.Zero(t, r.Lexical)
		}
	}
}

func TestTiesGoByAddress(t *testing.T) {
	v, lib := shelf(t, "same words here", "same words here", "same words here", "other text")
	got := rank(t, v, lib, usual, "same words")
	for i, want := range []string{"d00", "d01", "d02"} {
		assert.Equal(t, want, got[i].Entry.Document)
	}
}

func TestNothingToRank(t *testing.T) {
	v, lib := shelf(t)
	assert.Empty(t, rank(t, v, lib, usual, "anything"))
}

func TestAMissingTextIsAnError(t *testing.T) {
	v, lib := shelf(t, "some text")
	lib.Texts = texts{}
	_, err := Rank(t.Context(), query.Read(t.Context(), query.Question{Text: "text"}, query.Tools{Corpus: v, Lexicon: lib.Embedder.(*embed.Static)}, query.Settings{}), v, lib, usual, 5)
	assert.ErrorContains(t, err, "no version")
}

func TestStandard(t *testing.T) {
	z := standard([]float64{1, 2, 3})
	assert.InDelta(t, -math.Sqrt(1.5), z[0], 1e-12)
	assert.InDelta(t, 0, z[1], 1e-12)
	assert.Zero(t, standard([]float64{5, 5})[0])
	assert.Empty(t, standard(nil))
}

func TestLit(t *testing.T) {
	s := "Refunds: a refund is paid."
	got := Lit(s, []query.Term{{Stem: "refund"}})
	require.Len(t, got, 2)
	assert.Equal(t, "Refunds", s[got[0].Start:got[0].End])
	assert.Equal(t, "refund", s[got[1].Start:got[1].End])
}
