package main

import (
	"fmt"
	"testing"

	"jolvex/core/embed"
	"jolvex/core/find"
	"jolvex/core/index"
	"jolvex/core/measure"
	"jolvex/core/query"
)

func TestTry(t *testing.T) {
	es, err := loadFAQ("/usr/share/doc/debian/FAQ")
	if err != nil {
		t.Fatal(err)
	}
	emb, _ := embed.NewStatic()
	snap, _ := snapshotOf(es, emb)
	v := snap.See(index.Public)
	fmt.Println(len(es))
	for _, b := range []float64{0.4, 0.6, 0.75} {
		for _, w := range []float64{0, 0.1, 0.2, 0.3, 0.4, 0.5, 0.6, 1} {
			s := find.Settings{K1: 1.2, B: b, Title: 1, Path: 1, Dense: w, Candidates: 100, Keep: 8}
			var h1, h3, h5, mrr float64
			for _, e := range es {
				r := query.Read(query.Question{Text: e.heading}, v, emb, query.Settings{Courtesy: true, Filler: true, Spelling: true})
				rs, _ := find.Rank(r, v, emb, s, 100)
				var ranks []int
				for _, x := range rs {
					if x.Entry.Document == e.id {
						ranks = append(ranks, x.Rank)
					}
				}
				h1 += measure.Hit(ranks, 1)
				h3 += measure.Hit(ranks, 3)
				h5 += measure.Hit(ranks, 5)
				mrr += measure.ReciprocalRank(ranks)
			}
			n := float64(len(es)) / 100
			fmt.Printf("b=%.2f w=%.1f %.0f/%.0f/%.0f/%.0f\n", b, w, h1/n, h3/n, h5/n, mrr/n)
		}
	}
}
