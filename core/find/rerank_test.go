package find

import (
	"context"
	"fmt"
	"math"
	"math/rand/v2"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"jolvex/core/doc"
	"jolvex/core/embed"
	"jolvex/core/index"
	"jolvex/core/query"
)

// entryShelf is like shelf, with what is known of each chunk besides its text.
func entryShelf(t *testing.T, entries map[string]index.Entry, bodies map[string]string, order ...string) (*index.View, Library) {
	t.Helper()
	emb, err := embed.NewStatic()
	require.NoError(t, err)
	b := index.NewBuilder(index.Public)
	lib := texts{}
	var said []string
	for _, id := range order {
		var db doc.Builder
		db.Add(doc.Block{Kind: doc.Paragraph}, bodies[id])
		e := entries[id]
		version := e.Version
		if version == "" {
			version = id
		}
		lib[version] = db.Document()
		e.Document, e.Version, e.Address = id, version, id
		if e.Span.Len() == 0 {
			e.Span = doc.Span{Start: 0, End: len(bodies[id])}
		}
		b.Add(e, index.Texts{index.Title: e.Title, index.Path: strings.Join(e.Path, "\n"), index.Body: bodies[id]})
		said = append(said, bodies[id])
	}
	vs, err := emb.Embed(t.Context(), said)
	require.NoError(t, err)
	m, err := NewMemory(10)
	require.NoError(t, err)
	return (&index.Snapshot{Parts: []index.Part{{Segment: b.Build(), Vectors: vs}}}).See(index.Public), Library{Texts: lib, Embedder: emb, Sentence: emb, Memory: m, AsOf: index.Day("2026-06-01")}
}

func signal(r Ranked, name string) Signal {
	for _, s := range r.Signals {
		if s.Name == name {
			return s
		}
	}
	return Signal{}
}

// The points of a chunk's signals sum to its score, whatever the settings.
func TestPointsSumToTheScore(t *testing.T) {
	v, lib := shelf(t, "Dogs must be on a lead on the ferry.", "The ferry leaves at noon from the pier.", "A puppy is a young dog.", "Tickets cost £4.00 at the pier.", "Dogs travel free.")
	r := rand.New(rand.NewPCG(2, 2))
	for n := range 60 {
		s := usual
		s.Fusion = []string{ByScores, ByRanks}[n%2]
		s.Coverage, s.Proximity, s.Named, s.Figure, s.Fresh = r.Float64(), r.Float64(), r.Float64(), r.Float64(), r.Float64()
		s.Fold, s.Diversity = n%3 == 0, float64(n%4)/5
		for _, x := range rank(t, v, lib, s, []string{"how much is a ticket", "dogs on the ferry", "puppies", "who"}[n%4]) {
			sum, share := 0.0, 0.0
			for _, g := range x.Signals {
				sum += g.Points
				share += g.Share
			}
			require.InDelta(t, x.Score, sum, 1e-9)
			require.InDelta(t, 1, share, 1e-9)
			require.NotEmpty(t, Because(x.Signals, x.Terms, 2))
		}
	}
}

func TestSignals(t *testing.T) {
	entries := map[string]index.Entry{
		"near":  {Title: "Kayaks", Dated: index.Day("2026-05-30"), Source: "good"},
		"far":   {Title: "All about boats and kayaks and more", Dated: index.Day("2021-06-01"), Source: "bad"},
		"plain": {Title: "Other"},
	}
	bodies := map[string]string{
		"near":  "A kayak refund is paid within a week.",
		"far":   "A kayak may be hired. If it rains all day long and nobody turns up at all there is a refund of £5.00.",
		"plain": "The lift is at the pier.",
	}
	v, lib := entryShelf(t, entries, bodies, "near", "far", "plain")
	lib.Priority = map[string]int{"good": 1, "bad": -2}
	s := usual
	s.Coverage, s.Proximity, s.Named, s.Figure, s.Fresh, s.Source = 1, 1, 1, 1, 1, 0.5
	by := map[string]Ranked{}
	for _, r := range rank(t, v, lib, s, "how much is the kayak refund") {
		by[r.Entry.Document] = r
	}
	assert.InDelta(t, 1, signal(by["near"], SignalCoverage).Value, 1e-9)
	assert.Zero(t, signal(by["plain"], SignalCoverage).Value)
	assert.Greater(t, signal(by["near"], SignalProximity).Value, 10*signal(by["far"], SignalProximity).Value)
	assert.Greater(t, signal(by["near"], SignalNamed).Value, signal(by["far"], SignalNamed).Value)
	assert.Zero(t, signal(by["near"], SignalFigure).Value)
	assert.InDelta(t, 1, signal(by["far"], SignalFigure).Value, 1e-9, "it gives a price")
	assert.Positive(t, signal(by["near"], SignalFresh).Points)
	assert.Negative(t, signal(by["far"], SignalFresh).Points)
	assert.Zero(t, signal(by["plain"], SignalFresh).Points, "without a date it neither gains nor loses")
	assert.InDelta(t, 0.5, signal(by["near"], SignalSource).Points, 1e-9)
	assert.InDelta(t, -1, signal(by["far"], SignalSource).Points, 1e-9)
	assert.Contains(t, strings.Join(Because(by["near"].Signals, by["near"].Terms, 2), "; "), "holds every word asked for in the title and the text")
}

func TestDistance(t *testing.T) {
	for _, c := range []struct {
		a, b []int
		want int
	}{
		{[]int{3}, []int{4}, 1},
		{[]int{4}, []int{3}, 2},          // the other way round
		{[]int{1, 50}, []int{10, 48}, 3}, // two words before, which counts one more
		{[]int{0, 20}, []int{9, 22}, 2},
		{nil, []int{1}, 0},
	} {
		assert.Equal(t, c.want, distance(c.a, c.b), "%v %v", c.a, c.b)
	}
}

// Cormack, Clarke and Büttcher 2009: each list gives 1/(60+rank); a chunk that a list lacks gets nothing from it.
func TestReciprocalRanks(t *testing.T) {
	rs := []Ranked{{Number: 0}, {Number: 1}, {Number: 2}, {Number: 3}}
	got := reciprocalOf(rs, []float64{5, 9, 5, 1}, map[int]float64{0: 5, 1: 9, 2: 5})
	assert.Equal(t, []float64{1.0 / 62, 1.0 / 61, 1.0 / 62, 0}, got, "those that tie share the better rank")
	a, b := reciprocal(rs, []float64{5, 9, 5, 1}, []float64{.1, .2, .3, .4}, map[int]float64{0: 5, 1: 9}, map[int]float64{1: .2, 3: .4}, 0.5)
	best, sum := 0, make([]float64, 4)
	for i := range rs {
		if sum[i] = a[i] + b[i]; sum[i] > sum[best] {
			best = i
		}
	}
	assert.Equal(t, 1, best, "second in one list and first in the other")
}

func TestRepeatsAreFolded(t *testing.T) {
	long := "The ferry to Sandrel leaves the pier at %s and takes thirty minutes; bicycles travel free of charge, dogs need a lead, and kayaks are carried on deck when there is room for them on the day."
	v, lib := shelf(t, fmt.Sprintf(long, "09:10"), fmt.Sprintf(long, "09:10"), fmt.Sprintf(long, "09:40"), "Something else about the ferry.")
	s := usual
	s.Fold = true
	q := query.Read(t.Context(), query.Question{Text: "ferry to Sandrel"}, query.Tools{Corpus: v, Lexicon: lib.Embedder.(*embed.Static)}, query.Settings{})
	out, err := Rank(t.Context(), q, v, lib, s, 10)
	require.NoError(t, err)
	assert.Len(t, out.Ranked, 3, "the one with another time stays: a figure differs")
	require.Len(t, out.Left, 1)
	assert.Equal(t, Left{out.Left[0].Entry, Repeats, 1}, out.Left[0])
	s.Fold = false
	out, err = Rank(t.Context(), q, v, lib, s, 10)
	require.NoError(t, err)
	assert.Len(t, out.Ranked, 4)
}

// Of the small chunks of one section the best stands for all.
func TestOneChunkForEachSection(t *testing.T) {
	parent := doc.Span{Start: 0, End: 40}
	entries := map[string]index.Entry{
		"a": {Version: "same", Span: doc.Span{Start: 0, End: 18}, Parent: parent},
		"b": {Version: "same", Span: doc.Span{Start: 19, End: 40}, Parent: parent},
		"c": {},
	}
	v, lib := entryShelf(t, entries, map[string]string{"a": "Dogs go free here.", "b": "Dogs go free there and there.", "c": "Dogs pay."}, "a", "b", "c")
	out, err := Rank(t.Context(), query.Read(t.Context(), query.Question{Text: "dogs free"}, query.Tools{Corpus: v, Lexicon: lib.Embedder.(*embed.Static)}, query.Settings{}), v, lib, usual, 10)
	require.NoError(t, err)
	require.Len(t, out.Ranked, 2)
	require.Len(t, out.Left, 1)
	assert.Equal(t, Section, out.Left[0].Why)
}

// Carbonell and Goldstein 1998: with diversity, what is like the first gives way to what is not.
func TestDiversity(t *testing.T) {
	v, lib := shelf(t, "Kayak hire at the lagoon costs ten pounds.", "Kayak hire at the lagoon costs ten pounds a day.", "Kayak hire at the lagoon costs ten pounds per person.", "Kayaks on the ferry need a ticket.")
	s := usual
	first := rank(t, v, lib, s, "kayak hire lagoon")
	assert.Equal(t, "d03", first[3].Entry.Document)
	s.Diversity = 0.7
	spread := rank(t, v, lib, s, "kayak hire lagoon")
	assert.Equal(t, first[0].Entry.Document, spread[0].Entry.Document, "the best stays")
	assert.Equal(t, "d03", spread[1].Entry.Document)
}

func TestFilterHoldsBackAndSaysSo(t *testing.T) {
	entries := map[string]index.Entry{"old": {Dated: index.Day("2020-01-01")}, "new": {Dated: index.Day("2026-01-01")}}
	v, lib := entryShelf(t, entries, map[string]string{"old": "The winter timetable.", "new": "The summer timetable."}, "old", "new")
	lib.Filter = index.Filter{Since: "2025-01-01"}
	q := query.Read(t.Context(), query.Question{Text: "winter timetable"}, query.Tools{Corpus: v, Lexicon: lib.Embedder.(*embed.Static)}, query.Settings{})
	out, err := Rank(t.Context(), q, v, lib, usual, 10)
	require.NoError(t, err)
	require.Len(t, out.Ranked, 1)
	assert.Equal(t, "new", out.Ranked[0].Entry.Document)
	require.Len(t, out.Left, 1)
	assert.Equal(t, "filter: since", out.Left[0].Why)
	lib.Filter.Since = "soon"
	_, err = Rank(t.Context(), q, v, lib, usual, 10)
	assert.ErrorContains(t, err, "not a date")
}

// madeCases are questions whose right candidate is told by one signal, from time to time by chance alone.
func madeCases(n int, right func(r *rand.Rand) float64) []Case {
	r := rand.New(rand.NewPCG(5, 6))
	out := make([]Case, n)
	for i := range out {
		out[i].Cluster = fmt.Sprint("q", i/2) // two variants each
		good := r.IntN(12)
		for k := range 12 {
			x := Ranked{lexical: r.NormFloat64(), dense: r.NormFloat64(), nearest: r.NormFloat64()}
			v := r.Float64() * 0.5
			if k == good {
				v = right(r)
			}
			x.Signals = []Signal{{Name: SignalProximity, Value: v}}
			out[i].Ranked = append(out[i].Ranked, x)
			out[i].Relevant = append(out[i].Relevant, k == good)
		}
	}
	return out
}

func TestFitFindsTheSignalThatTells(t *testing.T) {
	s := Settings{Dense: 0.5, Sentence: 0.4}
	f, err := Fit(context.Background(), madeCases(80, func(*rand.Rand) float64 { return 1 }), s, Encoded{Chunks: true, Sentences: true})
	require.NoError(t, err)
	assert.True(t, f.Kept)
	assert.Positive(t, f.Settings.Proximity)
	assert.Greater(t, f.Unseen, f.Before+0.1)
	assert.Equal(t, 40, f.Clusters)
	again, err := Fit(context.Background(), madeCases(80, func(*rand.Rand) float64 { return 1 }), s, Encoded{Chunks: true, Sentences: true})
	require.NoError(t, err)
	assert.Equal(t, f, again, "the same cases give the same fit")
}

// Where no signal tells the right one, a fit gains on what it saw, nothing on what it did not, and is not kept.
func TestFitDoesNotKeepNoise(t *testing.T) {
	f, err := Fit(context.Background(), madeCases(60, func(r *rand.Rand) float64 { return r.Float64() * 0.5 }), Settings{Dense: 0.5}, Encoded{Chunks: true, Sentences: true})
	require.NoError(t, err)
	assert.GreaterOrEqual(t, f.After, f.Before)
	assert.Greater(t, f.After, f.Unseen, "what it saw flatters it")
	assert.False(t, f.Kept)
	for _, m := range f.Moved {
		if m.Key == "fresh" || m.Key == "named" {
			assert.Equal(t, m.Before, m.After, "a weight that no case heeds stays")
		}
		assert.Len(t, m.Folds, folds)
	}
}

func TestFitWantsEnoughQuestions(t *testing.T) {
	_, err := Fit(context.Background(), madeCases(8, func(*rand.Rand) float64 { return 1 }), Settings{}, Encoded{})
	require.ErrorIs(t, err, ErrTooFew)
	ctx, stop := context.WithCancel(context.Background())
	stop()
	_, err = Fit(ctx, madeCases(80, func(*rand.Rand) float64 { return 1 }), Settings{}, Encoded{})
	assert.ErrorIs(t, err, context.Canceled)
}

// What a fit thinks a candidate is worth is what the ranking gives it.
func TestFitScoresAsRankDoes(t *testing.T) {
	v, lib := shelf(t, "Dogs must be on a lead on the ferry.", "The ferry leaves at noon from the pier.", "A puppy is a young dog.", "Tickets cost £4.00 at the pier.")
	s := usual
	s.Coverage, s.Proximity, s.Figure = 0.4, 0.7, 0.3
	lib.Probe = true
	f := &fitter{encoded: lib.Encoded}
	for _, r := range rank(t, v, lib, s, "how much is a ticket for the ferry") {
		assert.InDelta(t, r.Score, f.score(&r, s), 1e-9)
	}
	assert.False(t, math.IsNaN(f.value(Case{}, s)))
}
