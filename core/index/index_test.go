package index

import (
	"fmt"
	"math"
	"math/rand/v2"
	"sort"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"jolvex/core/doc"
	"jolvex/core/embed"
)

var plain = BM25{K1: 1.2, B: [Fields]float64{0.75, 0.75, 0.75}, Weight: [Fields]float64{3, 2, 1}}

type item struct {
	id, audience string
	texts        Texts
}

func words(r *rand.Rand, n int) string {
	all := strings.Fields("ferry pier boat island ticket fare dog bicycle lift ramp crew berth weather tide morning return single office lost found")
	var out []string
	for range n {
		out = append(out, all[r.IntN(len(all))])
	}
	return strings.Join(out, " ")
}

func build(items []item) *Snapshot {
	by := map[string]*Builder{}
	vs := map[string][]embed.Vector{}
	for _, it := range items {
		if by[it.audience] == nil {
			by[it.audience] = NewBuilder(it.audience)
		}
		by[it.audience].Add(Entry{Document: it.id, Address: it.id, Version: it.id, Span: doc.Span{Start: 0, End: 5}}, it.texts)
		vs[it.audience] = append(vs[it.audience], embed.Vector{int8(len(it.id)), 1})
	}
	s := &Snapshot{Name: "test"}
	for _, au := range []string{Public, Staff} {
		if by[au] != nil {
			s.Parts = append(s.Parts, Part{Segment: by[au].Build(), Vectors: vs[au]})
		}
	}
	return s
}

func scores(v *View, terms []Term) map[string]float64 {
	out := map[string]float64{}
	for _, h := range v.Best(terms, plain, v.size+1, nil) {
		out[v.Entry(h.Number).Document] = h.Score
	}
	return out
}

// Manning, Raghavan and Schutze (2008), section 11.4.3, equation 11.32: BM25 by hand for one field.
func TestBM25ByHand(t *testing.T) {
	s := build([]item{{"a", Public, Texts{Body: "ferry ferry pier"}}, {"b", Public, Texts{Body: "pier boat crew tide lost"}}, {"c", Public, Texts{Body: "boat"}}})
	v := s.See(Public)
	got := scores(v, []Term{{"ferri", 1}, {"pier", 2}})
	mean, idf := 3.0, func(df float64) float64 { return math.Log(1 + (3-df+0.5)/(df+0.5)) }
	tf := func(c, l float64) float64 { return c * 2.2 / (c + 1.2*(0.25+0.75*l/mean)) }
	assert.InDelta(t, idf(1)*tf(2, 3)+2*idf(2)*tf(1, 3), got["a"], 1e-12)
	assert.InDelta(t, 2*idf(2)*tf(1, 5), got["b"], 1e-12)
	assert.NotContains(t, got, "c")
}

func TestFieldsWeighAndExplainSums(t *testing.T) {
	s := build([]item{{"title", Public, Texts{Title: "dog", Path: "pier", Body: "boat boat"}}, {"body", Public, Texts{Title: "boat", Path: "pier", Body: "dog boat"}}})
	v := s.See(Public)
	got := scores(v, []Term{{"dog", 1}})
	assert.Greater(t, got["title"], got["body"])
	for n := range 2 {
		sum := 0.0
		for _, c := range v.Explain(n, []Term{{"dog", 1}, {"boat", 1}, {"absent", 1}}, plain) {
			fields := 0.0
			for _, f := range c.Field {
				fields += f
			}
			assert.InDelta(t, c.Score, fields, 1e-12)
			sum += c.Score
		}
		assert.InDelta(t, v.Score(n, []Term{{"dog", 1}, {"boat", 1}}, plain), sum, 1e-12)
	}
}

// Any order of additions, replacements, removals and merges gives the totals, scores and vocabulary of a fresh build.
func TestUpdatesEqualAFreshBuild(t *testing.T) {
	r := rand.New(rand.NewPCG(3, 5))
	for round := range 60 {
		live := map[string]item{}
		var parts []Part
		for step := range 12 {
			b := NewBuilder(Public)
			var vs []embed.Vector
			for range 1 + r.IntN(4) {
				it := item{fmt.Sprintf("d%d", r.IntN(9)), Public, Texts{words(r, 2), words(r, 1), words(r, 1+r.IntN(20))}}
				if _, twice := live[it.id]; twice {
					for p := range parts {
						for i, e := range parts[p].Segment.Entries {
							if e.Document == it.id {
								parts[p].Dead = parts[p].Dead.With(i)
							}
						}
					}
				}
				dup := false
				for _, e := range b.entries {
					dup = dup || e.Document == it.id
				}
				if dup {
					continue
				}
				live[it.id] = it
				b.Add(Entry{Document: it.id, Address: it.id}, it.texts)
				vs = append(vs, embed.Vector{int8(len(it.texts[Body])), 1})
			}
			if b.Len() > 0 {
				parts = append(parts, Part{Segment: b.Build(), Vectors: vs})
			}
			if r.IntN(4) == 0 && len(parts) > 1 {
				seg, from := Merge(Public, parts)
				vs := make([]embed.Vector, len(from))
				for i, o := range from {
					vs[i] = parts[o.Part].Vectors[o.Chunk]
				}
				parts = []Part{{Segment: seg, Vectors: vs}}
			}
			_ = step
		}
		var items []item
		for _, it := range live {
			items = append(items, it)
		}
		sort.Slice(items, func(i, j int) bool { return items[i].id < items[j].id })
		updated, fresh := (&Snapshot{Parts: parts}).See(Public), build(items).See(Public)
		require.Equal(t, fresh.Chunks(), updated.Chunks(), "round %d", round)
		require.Equal(t, fresh.totals, updated.totals)
		query := []Term{{"ferri", 1}, {"ticket", 0.5}, {"dog", 1}, {"lost", 1}}
		require.Equal(t, scores(fresh, query), scores(updated, query), "to the last bit")
		count := func(v *View) map[string]int {
			out := map[string]int{}
			v.Words("", func(w Word) { out[w.Word] += w.Chunks })
			return out
		}
		require.Equal(t, count(fresh), count(updated))
		require.Equal(t, fresh.Frequency("pier"), updated.Frequency("pier"))
		require.Equal(t, fresh.WordCount("ferry"), updated.WordCount("ferry"))
	}
}

func TestStaffLeaksNothingIntoThePublicView(t *testing.T) {
	public := []item{{"a", Public, Texts{Title: "pier", Body: "ferry pier dog"}}, {"b", Public, Texts{Body: "boat pier"}}}
	with := build(append([]item{{"secret", Staff, Texts{Title: "ferry", Body: "ferry ferry salary bonus"}}}, public...)).See(Public)
	without := build(public).See(Public)
	assert.Equal(t, without.Chunks(), with.Chunks())
	assert.Equal(t, without.totals, with.totals)
	assert.Equal(t, without.Frequency("ferri"), with.Frequency("ferri"))
	assert.Zero(t, with.WordCount("salary"))
	with.Words("", func(w Word) { assert.NotEqual(t, "bonus", w.Word) })
	assert.Equal(t, scores(without, []Term{{"ferri", 1}, {"salari", 1}}), scores(with, []Term{{"ferri", 1}, {"salari", 1}}))
	staff := build(append([]item{{"secret", Staff, Texts{Body: "salary"}}}, public...)).See(Staff)
	assert.Equal(t, 1, staff.WordCount("salary"))
	assert.Equal(t, 3, staff.Chunks())
}

func TestEncodeAndDecode(t *testing.T) {
	r := rand.New(rand.NewPCG(1, 2))
	b := NewBuilder(Staff)
	for i := range 40 {
		b.Add(Entry{Document: fmt.Sprint(i), Version: "v", Source: "s", Address: "http://a/ü", Title: "T", Path: []string{"x", "y"}, Span: doc.Span{Start: i, End: i + 9}, Ordinal: i, Tokens: 3}, Texts{words(r, 2), "", words(r, 30)})
	}
	s := b.Build()
	raw := s.Encode()
	assert.Equal(t, raw, s.Encode(), "the same segment gives the same bytes")
	back, err := DecodeSegment(raw)
	require.NoError(t, err)
	assert.Equal(t, s, back)
	vs := []embed.Vector{{1, -127}, {0, 127}}
	got, err := DecodeVectors(EncodeVectors(vs, 2))
	require.NoError(t, err)
	assert.Equal(t, vs, got)
}

func FuzzDecode(f *testing.F) {
	b := NewBuilder(Public)
	b.Add(Entry{Document: "d", Path: []string{"p"}}, Texts{"title", "path", "body text here"})
	f.Add(b.Build().Encode())
	f.Add(EncodeVectors([]embed.Vector{{1, 2}}, 2))
	f.Add([]byte(segmentMagic + "\xff\xff\xff\xff\xff\xff\xff\x7f"))
	f.Fuzz(func(t *testing.T, raw []byte) {
		if s, err := DecodeSegment(raw); err == nil {
			(&Snapshot{Parts: []Part{{Segment: s}}}).See(Public).Chunks()
		} else {
			require.ErrorIs(t, err, ErrCorrupt)
		}
		if _, err := DecodeVectors(raw); err != nil {
			require.ErrorIs(t, err, ErrCorrupt)
		}
	})
}

func TestEveryDamageIsNoticedOrHarmless(t *testing.T) {
	b := NewBuilder(Public)
	b.Add(Entry{Document: "d", Address: "a"}, Texts{"title", "path", "body text"})
	raw := b.Build().Encode()
	for i := range raw {
		bad := append([]byte(nil), raw...)
		bad[i] ^= 0x5a
		assert.NotEqual(t, Hash(raw), Hash(bad))
		if _, err := DecodeSegment(bad); err != nil {
			assert.ErrorIs(t, err, ErrCorrupt)
		}
	}
	_, err := DecodeSegment(raw[:len(raw)-1])
	assert.ErrorIs(t, err, ErrCorrupt)
}

func TestBits(t *testing.T) {
	var b Bits
	for _, i := range []int{0, 63, 64, 200} {
		b = b.With(i)
	}
	assert.Equal(t, []int{0, 63, 64, 200}, b.Members())
	assert.False(t, b.Has(1))
	assert.False(t, b.Has(10_000))
}

// Chunks that go in together, their texts cut into words on all cores, make the bytes that they make one by one.
func TestTogetherAsOneByOne(t *testing.T) {
	r := rand.New(rand.NewPCG(8, 1))
	pool := strings.Fields("the boats of Tolmouth run daily; a_b c.d dogs' Dogs dog's ÉTÉ été naïve 12.50 3pm not running runs ran stone-walls")
	var es []Entry
	var ts []Texts
	one := NewBuilder(Public)
	for i := range 2*ahead + 7 {
		var words []string
		for range r.IntN(12) {
			words = append(words, pool[r.IntN(len(pool))])
		}
		e, x := Entry{Document: fmt.Sprint(i), Version: "v"}, Texts{Title: pool[i%len(pool)], Body: strings.Join(words, " ")}
		es, ts = append(es, e), append(ts, x)
		one.Add(e, x)
	}
	all := NewBuilder(Public)
	all.AddAll(es, ts)
	assert.Equal(t, one.Build().Encode(), all.Build().Encode())
	none := NewBuilder(Public)
	none.AddAll(nil, nil)
	assert.Zero(t, none.Len())
}
