package index

import (
	"fmt"
	"math/rand/v2"
	"sort"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"jolvex/core/embed"
	"jolvex/core/text"
)

// skewed makes texts whose words are as unevenly spread as in language, so that lists are long and short.
func skewed(r *rand.Rand, n int) string {
	var out []string
	z := rand.NewZipf(r, 1.3, 2, 300)
	for range n {
		out = append(out, fmt.Sprintf("w%dx", z.Uint64()))
	}
	return strings.Join(out, " ")
}

func skewedView(r *rand.Rand, chunks, parts int) *View {
	s := &Snapshot{Name: "skewed"}
	for range parts {
		b := NewBuilder(Public)
		var vs []embed.Vector
		for i := range chunks {
			b.Add(Entry{Document: fmt.Sprint(len(s.Parts), "-", i), Kind: []string{"page", "file"}[i%2], Source: fmt.Sprint(i % 3)}, Texts{skewed(r, 2), skewed(r, 3), skewed(r, 5+r.IntN(80))})
			v := make(embed.Vector, 8)
			for j := range v {
				v[j] = int8(r.IntN(9) - 4) // coarse, so that there are ties
			}
			vs = append(vs, v)
		}
		p := Part{Segment: b.Build(), Vectors: vs}
		for range chunks / 10 {
			p.Dead = p.Dead.With(r.IntN(chunks))
		}
		s.Parts = append(s.Parts, p)
	}
	return s.See(Public)
}

// exhaustive scores every chunk that may be found, one by one, and keeps the best k with all that tie with the last.
func exhaustive(v *View, k int, allowed Bits, score func(n int) float64) map[int]float64 {
	var hits []Hit
	v.Each(func(n int, _ *Entry) bool {
		if x := score(n); x > 0 && (allowed == nil || allowed.Has(n)) {
			hits = append(hits, Hit{n, x})
		}
		return true
	})
	sort.Slice(hits, func(i, j int) bool { return hits[i].Score > hits[j].Score })
	out := map[int]float64{}
	for i, h := range hits {
		if i < k || h.Score == hits[k-1].Score {
			out[h.Number] = h.Score
		}
	}
	return out
}

func asMap(hits []Hit) map[int]float64 {
	out := map[int]float64{}
	for _, h := range hits {
		out[h.Number] = h.Score
	}
	return out
}

// What pruning leaves out could not have been among the best: chunks and scores are those of scoring everything, to the
// last bit, for any settings, filters, removals and number of parts.
func TestPrunedEqualsExhaustive(t *testing.T) {
	r := rand.New(rand.NewPCG(21, 4))
	for round := range 12 {
		v := skewedView(r, 120, 1+r.IntN(3))
		for range 60 {
			m := BM25{K1: []float64{0, 0.5, 1.2, 3}[r.IntN(4)], B: [Fields]float64{r.Float64(), r.Float64(), r.Float64()}, Weight: [Fields]float64{float64(r.IntN(4)), float64(r.IntN(3)), float64(r.IntN(2))}}
			var terms []Term
			for _, w := range strings.Fields(skewed(r, 1+r.IntN(9))) {
				terms = append(terms, Term{text.Words(w)[0].Stem, []float64{0, 0.3, 0.5, 1}[r.IntN(4)]})
			}
			terms = append(terms, Term{"absent", 1})
			var allowed Bits
			if r.IntN(2) == 0 {
				allowed = v.Where(Filter{Kinds: []string{"page"}, Sources: []string{"0", "2"}})
			}
			k := 1 + r.IntN(40)
			if r.IntN(3) == 0 {
				k = 1 + r.IntN(3)
			}
			want := exhaustive(v, k, allowed, func(n int) float64 { return v.Score(n, terms, m) })
			require.Equal(t, want, asMap(v.Best(terms, m, k, allowed)), "round %d, k %d, %v, %+v", round, k, terms, m)
		}
	}
}

func TestNearestEqualsExhaustive(t *testing.T) {
	r := rand.New(rand.NewPCG(8, 1))
	v := skewedView(r, 200, 2)
	for range 40 {
		q := make(embed.Vector, 8)
		for j := range q {
			q[j] = int8(r.IntN(9) - 4)
		}
		allowed := Bits(nil)
		if r.IntN(2) == 0 {
			allowed = v.Where(Filter{Sources: []string{"1"}})
		}
		k := 1 + r.IntN(30)
		require.Equal(t, exhaustive(v, k, allowed, func(n int) float64 { return v.Cosine(n, q) }), asMap(v.Nearest(q, k, allowed, Exactly)))
	}
	assert.InDelta(t, -1, v.Cosine(0, embed.Vector{1}), 0, "a vector of another size cannot be compared")
}

// Positions survive building, merging and the file: they are the numbers of the words in the body.
func TestPlaces(t *testing.T) {
	b := NewBuilder(Public)
	b.Add(Entry{Document: "a", Path: []string{"x"}}, Texts{Title: "pier", Body: "the pier and the boat at the pier"})
	b.Add(Entry{Document: "b"}, Texts{Body: "boat"})
	first := b.Build()
	b = NewBuilder(Public)
	b.Add(Entry{Document: "c", Path: []string{}}, Texts{Body: strings.Repeat("tide ", 300) + "pier"})
	merged, _ := Merge(Public, []Part{{Segment: first, Dead: Bits(nil).With(1)}, {Segment: b.Build()}})
	again, err := DecodeSegment(merged.Encode())
	require.NoError(t, err)
	require.Equal(t, merged, again)
	v := (&Snapshot{Parts: []Part{{Segment: again}}}).See(Public)
	assert.Equal(t, []int{1, 7}, v.Places(0, "pier"))
	assert.Equal(t, []int{4}, v.Places(0, "boat"))
	assert.Equal(t, []int{300}, v.Places(1, "pier"))
	assert.Len(t, v.Places(1, "tide"), mostCount, "more are not counted")
	assert.Empty(t, v.Places(1, "boat"))
	assert.Empty(t, v.Places(0, "absent"))
}

func TestFilter(t *testing.T) {
	e := &Entry{Source: "s1", Kind: "page", Language: "en-GB", Dated: Day("2026-03-01")}
	for _, c := range []struct {
		filter Filter
		bars   string
	}{
		{Filter{}, ""},
		{Filter{Sources: []string{"s2", "s1"}}, ""},
		{Filter{Sources: []string{"s2"}}, "source"},
		{Filter{Kinds: []string{"file"}}, "kind"},
		{Filter{Languages: []string{"en"}}, ""},
		{Filter{Languages: []string{"de-AT", "fr"}}, "language"},
		{Filter{Since: "2026-03-01", Until: "2026-03-01"}, ""},
		{Filter{Since: "2026-03-02"}, "since"},
		{Filter{Until: "2026-02-28"}, "until"},
	} {
		assert.Equal(t, c.bars, c.filter.Bars(e), "%+v", c.filter)
		require.NoError(t, c.filter.Check())
	}
	unknown := &Entry{}
	assert.Empty(t, Filter{Languages: []string{"de"}, Since: "2026-01-01"}.Bars(unknown), "what is not known bars nothing")
	assert.ErrorContains(t, Filter{Since: "March"}.Check(), "not a date")
	assert.Zero(t, Day("soon"))
	assert.Equal(t, 1, Day("1970-01-02T10:00:00Z"))
}

// Whatever size a file has: what was sealed opens, and nothing else does.
func TestSealTellsEveryChange(t *testing.T) {
	r := rand.New(rand.NewPCG(9, 9))
	for _, n := range []int{0, 1, 100, sealed - 1, sealed, sealed + 1, 2*sealed + 7} {
		b := make([]byte, n)
		for i := range b {
			b[i] = byte(r.IntN(256))
		}
		s := Seal(b)
		got, err := Unseal(s)
		require.NoError(t, err, n)
		require.Equal(t, len(b), len(got))
		require.Equal(t, Hash(b), Hash(got))
		for range 20 {
			i := r.IntN(len(s))
			s[i] ^= 1 << r.IntN(8)
			_, err := Unseal(append([]byte(nil), s...))
			require.Error(t, err, "byte %d of %d", i, len(s))
			s[i] = append(Seal(b), 0)[i]
		}
		for cut := range min(len(s), 12) {
			_, err := Unseal(s[:cut])
			require.ErrorIs(t, err, ErrCorrupt)
		}
	}
}

// A damaged segment is refused or harmless: reading and asking never step outside it.
func TestDamagedSegments(t *testing.T) {
	r := rand.New(rand.NewPCG(4, 4))
	b := NewBuilder(Public)
	for i := range 40 {
		b.Add(Entry{Document: fmt.Sprint(i), Path: []string{"a"}}, Texts{"title", "path", skewed(r, 60)})
	}
	raw := b.Build().Encode()
	for range 4000 {
		bad := append([]byte(nil), raw...)
		for range 1 + r.IntN(3) {
			bad[r.IntN(len(bad))] = byte(r.IntN(256))
		}
		if r.IntN(5) == 0 {
			bad = bad[:r.IntN(len(bad))]
		}
		s, err := DecodeSegment(bad)
		if err != nil {
			require.ErrorIs(t, err, ErrCorrupt)
			continue
		}
		v := (&Snapshot{Parts: []Part{{Segment: s}}}).See(Public)
		for _, h := range v.Best([]Term{{"w0x", 1}, {"w1x", 1}, {"titl", 1}}, plain, 5, nil) {
			v.Places(h.Number, "w0x")
			v.Explain(h.Number, []Term{{"w0x", 1}}, plain)
		}
	}
}
