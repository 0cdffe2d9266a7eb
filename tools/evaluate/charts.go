package main

import (
	"context"
	"errors"
	"fmt"
	"log/slog"
	"math"
	"slices"
	"strings"

	"jolvex/core/chart"
	"jolvex/core/index"
	"jolvex/core/questions"
	"jolvex/internal/app"
	"jolvex/internal/asking"
	"jolvex/internal/fault"
	"jolvex/internal/store"
)

// charts draws the chart of each collection with its questions and tells how true the layout is to the meanings, at 12 neighbours.
func charts(ctx context.Context, half, keep, only string, set list) error {
	a, err := app.Open(ctx, keep, slog.New(slog.DiscardHandler), app.Options{})
	if err != nil {
		return err
	}
	defer a.Close()
	s := &session{ctx, a, set.change, false}
	var vectors [][]float32 // of all chunks of all collections: a chart of many
	for _, m := range materials(half) {
		if !strings.HasPrefix(m.name, only) {
			continue
		}
		if _, err := s.ask(m); err != nil {
			return fmt.Errorf("%s: %w", m.name, err)
		}
		found, err := a.Corpus(ctx, m.name)
		if err != nil {
			return err
		}
		drafted, err := a.Indexing.Method(ctx, m.name)
		if err != nil {
			return err
		}
		corpus := store.Corpus{ID: found.ID, Name: found.Name, Method: drafted}
		qs, err := m.questions()
		if err != nil {
			return err
		}
		able := slices.DeleteFunc(slices.Clone(qs), func(q questions.Question) bool { return q.Check() != nil })
		if err := a.Proving.Sets.RemoveSet(ctx, m.name, "chart"); err != nil && !errors.Is(err, fault.ErrMissing) {
			return err
		}
		if _, err := a.Proving.Sets.PutQuestions(ctx, m.name, "chart", able); err != nil {
			return err
		}
		if _, err := a.Proving.Coverage.DrawChart(ctx, m.name, "chart"); err != nil {
			return err
		}
		if err := s.idle(m.name); err != nil {
			return err
		}
		got, err := a.Proving.Coverage.Chart(ctx, m.name, "chart")
		if err != nil || got.Chart == nil {
			return errors.Join(err, fmt.Errorf("%s: no chart was drawn", m.name))
		}
		c := got.Chart
		b, err := a.Asking.Bench(ctx, asking.Caller{Audience: index.Public, Surface: "chart"}, corpus, corpus.Method)
		if err != nil {
			return err
		}
		vectors = append(vectors, chunkVectors(b.View)...)
		var names []string
		for _, r := range c.Regions {
			names = append(names, r.Name)
		}
		fmt.Printf("%-28s %4d documents %3d questions  trustworthiness %.3f  continuity %.3f  regions: %s\n", m.name, len(c.Documents), len(c.Questions), c.Trustworthiness, c.Continuity, strings.Join(names, " | "))
	}
	for _, n := range []int{60, 120, 200, 300, 500} { // smaller collections: so many of them, evenly
		if n < len(vectors) {
			few := make([][]float32, n)
			for i := range few {
				few[i] = vectors[i*len(vectors)/n]
			}
			t, c := chart.Trust(few, chart.Project(few), 12)
			pt, pc := chart.Trust(few, chart.Plane(few), 12)
			fmt.Printf("%d of the chunks: trustworthiness %.3f  continuity %.3f  of the plane of two components %.3f %.3f\n", n, t, c, pt, pc)
		}
	}
	ps, plane := chart.Project(vectors), chart.Plane(vectors)
	t, c := chart.Trust(vectors, ps, 12)
	pt, pc := chart.Trust(vectors, plane, 12)
	fmt.Printf("all %d chunks: trustworthiness %.3f  continuity %.3f  of the plane of two components %.3f %.3f\n", len(vectors), t, c, pt, pc)
	return nil
}

func chunkVectors(v *index.View) [][]float32 {
	var out [][]float32
	v.Each(func(n int, _ *index.Entry) bool {
		q := v.Vector(n)
		x, sum := make([]float32, len(q)), 0.0
		for _, k := range q {
			sum += float64(k) * float64(k)
		}
		for i, k := range q {
			x[i] = float32(float64(k) / math.Sqrt(max(sum, 1)))
		}
		if sum > 0 {
			out = append(out, x)
		}
		return true
	})
	return out
}
