package index

import (
	"errors"
	"fmt"
	"os"
	"runtime"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"jolvex/core/embed"
)

// wordVectors are real vectors that nobody made for this: those of the first words of the built-in table.
func wordVectors(t testing.TB, n int) []embed.Vector {
	raw, err := os.ReadFile("../embed/data/words.txt")
	require.NoError(t, err)
	var words []string
	for w := range strings.Lines(string(raw)) {
		if w = strings.TrimSpace(w); len(w) > 2 && !strings.ContainsAny(w, "#[") {
			words = append(words, w)
		}
	}
	for i := 0; len(words) < n; i++ { // pairs of words once they run out
		words = append(words, words[i]+" "+words[(i*7+3)%len(words)])
	}
	static, err := embed.NewStatic()
	require.NoError(t, err)
	vs, err := static.Embed(t.Context(), words[:n])
	require.NoError(t, err)
	return Flat(vs)
}

func grown(t testing.TB, vs []embed.Vector, cores int) *Graph {
	g, err := Grow(vs, cores, func(int) error { return nil })
	require.NoError(t, err)
	return g
}

// recall is the share of the k nearest that a graph finds, over every step-th vector as a question.
func recall(vs []embed.Vector, g *Graph, k, breadth, step int) float64 {
	seg := &Segment{Audience: Public, Entries: make([]Entry, len(vs)), lengths: make([][Fields]uint32, len(vs))}
	v := (&Snapshot{Parts: []Part{{Segment: seg, Vectors: vs}}}).See(Public)
	found, all := 0, 0
	for q := 0; q < len(vs); q += step {
		exact := v.Nearest(vs[q], k, nil, Exactly)
		least := make([]float64, 0, len(exact))
		for _, h := range exact {
			least = append(least, h.Score)
		}
		slices.Sort(least)
		bar := least[max(0, len(least)-k)]
		for _, h := range g.Nearest(vs, vs[q], k, breadth) {
			if h.Score >= bar {
				found++
			}
		}
		all += min(k, len(exact))
	}
	return float64(found) / float64(all)
}

func TestGraphFindsTheNearest(t *testing.T) {
	vs := wordVectors(t, 6000)
	g := grown(t, vs, runtime.GOMAXPROCS(0))
	// "At least 0.95 of the ten nearest": common practice, no published source.
	require.Greater(t, recall(vs, g, 10, 100, 29), 0.95)
	require.Greater(t, recall(vs, g, 100, 200, 59), 0.95)
}

func TestGraphIsTheSameOnAnyNumberOfCores(t *testing.T) {
	vs := wordVectors(t, 1500)
	require.Equal(t, grown(t, vs, 1).Encode(), grown(t, vs, 5).Encode())
}

func TestGraphOfFew(t *testing.T) {
	for _, n := range []int{0, 1, 2, 17} {
		vs := wordVectors(t, 17)[:n]
		g := grown(t, vs, 2)
		again, err := DecodeGraph(g.Encode())
		require.NoError(t, err, n)
		if n == 0 {
			require.Empty(t, again.Nearest(vs, wordVectors(t, 1)[0], 3, 10))
			continue
		}
		hits := again.Nearest(vs, vs[n-1], 20, 50)
		require.Len(t, hits, n)
		require.Equal(t, n-1, hits[0].Number)
		require.Nil(t, again.Nearest(vs, vs[0][:9], 3, 10), "of another dimension")
	}
}

func TestGrowingStops(t *testing.T) {
	stop := errors.New("enough")
	_, err := Grow(wordVectors(t, 300), 2, func(done int) error {
		if done > 100 {
			return stop
		}
		return nil
	})
	require.ErrorIs(t, err, stop)
}

func TestDamagedGraphs(t *testing.T) {
	vs := wordVectors(t, 400)
	raw := grown(t, vs, 2).Encode()
	for i := range 3000 {
		b := slices.Clone(raw)
		b[(i*7919)%len(b)] ^= byte(1 + i%255)
		if i%10 == 0 {
			b = b[:(i*104729)%len(b)]
		}
		g, err := DecodeGraph(b)
		if err != nil {
			require.ErrorIs(t, err, ErrCorrupt)
			continue
		}
		require.NotPanics(t, func() { g.Nearest(vs, vs[i%len(vs)], 5, 20) }, fmt.Sprint(i))
	}
}

// A part with a graph is searched along it; removed chunks and filters hold all the same.
func TestViewGoesAlongTheGraph(t *testing.T) {
	vs := wordVectors(t, 3000)
	seg := &Segment{Audience: Public, Entries: make([]Entry, len(vs)), lengths: make([][Fields]uint32, len(vs))}
	var dead Bits
	for i := 0; i < len(vs); i += 3 {
		dead = dead.With(i)
	}
	with := (&Snapshot{Parts: []Part{{Segment: seg, Vectors: vs, Dead: dead, Graph: grown(t, vs, 2)}}}).See(Public)
	numbers := func(hs []Hit) []int {
		var out []int
		for _, h := range hs {
			out = append(out, h.Number)
		}
		slices.Sort(out)
		return out
	}
	few := Bits{}
	for i := 1; i < len(vs); i += 100 {
		few = few.With(i)
	}
	same, all := 0, 0
	for q := 1; q < len(vs); q += 97 {
		exact, along := numbers(with.Nearest(vs[q], 10, nil, Exactly)), numbers(with.Nearest(vs[q], 10, nil, AlongGraphs))
		for _, n := range along {
			require.False(t, dead.Has(n))
			if slices.Contains(exact, n) {
				same++
			}
		}
		all += len(exact)
		require.Equal(t, numbers(with.Nearest(vs[q], 10, few, Exactly)), numbers(with.Nearest(vs[q], 10, few, AlongGraphs)), "few are allowed: each is looked at")
	}
	require.Greater(t, float64(same)/float64(all), 0.9)
}
