package main

import (
	"bufio"
	"encoding/json"
	"fmt"
	"math"
	"os"
	"sort"
	"testing"

	"jolvex/core/embed"
	"jolvex/core/find"
	"jolvex/core/index"
	"jolvex/core/measure"
	"jolvex/core/query"
	"jolvex/core/text"
)

func TestTry(t *testing.T) {
	es, _ := loadFAQ("/usr/share/doc/debian/FAQ")
	emb, _ := embed.NewStatic()
	type qq struct{ kind, text, entry string }
	var qs []qq
	for _, e := range es {
		qs = append(qs, qq{"heading", e.heading, e.id})
	}
	f, _ := os.Open("debian-faq.jsonl")
	sc := bufio.NewScanner(f)
	for sc.Scan() {
		var x struct {
			Question, Entry string
			Tags            []string
		}
		json.Unmarshal(sc.Bytes(), &x)
		for _, e := range es {
			if e.heading == x.Entry {
				qs = append(qs, qq{x.Tags[0], x.Question, e.id})
			}
		}
	}
	for _, withHead := range []bool{false, true} {
		b := index.NewBuilder(index.Public)
		var texts []string
		var sents [][]embed.Vector
		var words [][]string
		for _, e := range es {
			h := ""
			if withHead {
				h = e.heading
			}
			b.Add(index.Entry{Document: e.id, Version: e.id, Address: e.id}, index.Texts{"", h, e.body})
			texts = append(texts, h+"\n"+e.body)
			var ss []string
			if h != "" { ss = append(ss, h) }
			for _, p := range text.Sentences(e.body) {
				ss = append(ss, e.body[p.Start:p.End])
			}
			v, _ := emb.Embed(ss)
			sents = append(sents, v)
			seen := map[string]bool{}
			var ws []string
			for _, w := range text.Content(h + " " + e.body) {
				if !seen[w.Norm] {
					seen[w.Norm] = true
					ws = append(ws, w.Norm)
				}
			}
			words = append(words, ws)
		}
		vs, _ := emb.Embed(texts)
		snap := &index.Snapshot{Parts: []index.Part{{Segment: b.Build(), Vectors: vs}}}
		v := snap.See(index.Public)
		z := func(xs []float64) []float64 {
			m, sd := 0.0, 0.0
			for _, x := range xs {
				m += x
			}
			m /= float64(len(xs))
			for _, x := range xs {
				sd += (x - m) * (x - m)
			}
			sd = math.Sqrt(sd/float64(len(xs))) + 1e-9
			out := make([]float64, len(xs))
			for i, x := range xs {
				out[i] = (x - m) / sd
			}
			return out
		}
		type feat struct {
			kind, entry          string
			lex, den, near, soft []float64
		}
		var fs []feat
		cache := map[string]embed.Vector{}
		wv := func(w string) embed.Vector {
			x, ok := cache[w]
			if !ok {
				x = emb.Word(w)
				cache[w] = x
			}
			return x
		}
		s := find.Settings{K1: 1.2, B: 0.7, Title: 1, Path: 3}
		for _, q := range qs {
			r := query.Read(query.Question{Text: q.text}, v, emb, query.Settings{Filler: true, Spelling: true, Compound: true})
			lex := v.Search(r.Index(), s.Model())
			qv, _ := emb.Embed([]string{q.text})
			den := v.Dense(qv[0])
			near := make([]float64, len(es))
			soft := make([]float64, len(es))
			for i := range es {
				for _, x := range sents[i] {
					near[i] = max(near[i], embed.Cosine(qv[0], x))
				}
				for _, tm := range r.Terms {
					idf := index.Rarity(v.Chunks(), v.Frequency(tm.Stem))
					best := 0.0
					for _, w := range words[i] {
						if text.Stem(w) == tm.Stem {
							best = 1
							break
						}
						best = max(best, embed.Cosine(wv(tm.Word), wv(w)))
					}
					if best > 0.3 {
						soft[i] += tm.Weight * idf * best * best
					}
				}
			}
			fs = append(fs, feat{q.kind, q.entry, z(lex.Score), z(den), z(near), z(soft)})
		}
		for _, w := range [][4]float64{{.7, .3, 0, 0}, {.6, .2, .2, 0}, {.5,.25,.25,0}, {0, 1, 0, 0}, {0, 0, 1, 0}} {
			res := map[string][]float64{}
			for _, x := range fs {
				idx := make([]int, len(es))
				sc := make([]float64, len(es))
				for i := range idx {
					idx[i] = i
					sc[i] = w[0]*x.lex[i] + w[1]*x.den[i] + w[2]*x.near[i] + w[3]*x.soft[i]
				}
				sort.SliceStable(idx, func(a, b int) bool { return sc[idx[a]] > sc[idx[b]] })
				rank := 0
				for k, i := range idx {
					if es[i].id == x.entry {
						rank = k + 1
					}
				}
				r := res[x.kind]
				if r == nil {
					r = make([]float64, 4)
				}
				r[0]++
				r[1] += measure.Hit([]int{rank}, 1)
				r[2] += measure.Hit([]int{rank}, 5)
				r[3] += measure.ReciprocalRank([]int{rank})
				res[x.kind] = r
			}
			fmt.Printf("head=%v %v ", withHead, w)
			for _, k := range []string{"heading", "two-word", "reworded"} {
				r := res[k]
				fmt.Printf(" %s %.0f/%.0f/%.0f", k, 100*r[1]/r[0], 100*r[2]/r[0], 100*r[3]/r[0])
			}
			fmt.Println()
		}
	}
}
