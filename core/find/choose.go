package find

import (
	"jolvex/core/embed"
	"jolvex/core/index"
)

// What makes one chunk a repeat of another: the share of words they have in common (Broder 1997 calls it resemblance),
// looked at when their vectors are about as alike as that needs; and no figure may differ.
const (
	repeatWords  = 0.9
	repeatCosine = 0.9
)

// choose takes the best in order, folds repeats behind what they repeat, and holds likes apart (maximal marginal
// relevance: Carbonell and Goldstein 1998, "The Use of MMR, Diversity-Based Reranking").
func (k *ranker) choose(rs []Ranked, limit int) Ranking {
	var out Ranking
	pool := rs
	if k.set.Diversity > 0 {
		pool = append([]Ranked(nil), rs...)
	}
	worth := k.worth(rs)
	for len(out.Ranked) < limit && len(pool) > 0 {
		at := 0
		if k.set.Diversity > 0 {
			at = k.next(pool, out.Ranked, worth)
		}
		r := pool[at]
		if k.set.Diversity > 0 {
			pool = append(pool[:at], pool[at+1:]...)
		} else {
			pool = pool[1:]
		}
		if of, why := k.repeats(r, out.Ranked); of > 0 {
			out.Left = append(out.Left, Left{r.Entry, why, of})
			continue
		}
		out.Ranked = append(out.Ranked, r)
	}
	return out
}

// worth brings scores to 0 to 1, by the best and the worst of them.
func (k *ranker) worth(rs []Ranked) func(Ranked) float64 {
	if len(rs) == 0 {
		return nil
	}
	high, low := rs[0].Score, rs[len(rs)-1].Score
	return func(r Ranked) float64 {
		if high-low < 1e-12 {
			return 1
		}
		return (r.Score - low) / (high - low)
	}
}

// next is the place in the pool of what is worth most beside what was chosen already. The pool is in order of score.
func (k *ranker) next(pool, chosen []Ranked, worth func(Ranked) float64) int {
	best, top := 0, -2.0
	for i, r := range pool[:min(len(pool), 3*reranked)] {
		like := 0.0
		for _, c := range chosen {
			like = max(like, k.alike(r.Number, c.Number))
		}
		if x := (1-k.set.Diversity)*worth(r) - k.set.Diversity*like; x > top {
			best, top = i, x
		}
	}
	return best
}

func (k *ranker) alike(a, b int) float64 {
	x, y := k.view.Vector(a), k.view.Vector(b)
	if len(x) == 0 || len(x) != len(y) {
		return 0
	}
	return embed.Cosine(x, y)
}

// repeats gives the rank of the chunk that r repeats; 0 when it says something of its own. A small chunk whose section
// another one brings along has nothing to add either.
func (k *ranker) repeats(r Ranked, before []Ranked) (rank int, why string) {
	for i, b := range before {
		if r.Entry.Parent.Len() > 0 && r.Entry.Version == b.Entry.Version && r.Entry.Evidence() == b.Entry.Evidence() {
			return i + 1, Section
		}
		if k.set.Fold && k.alike(r.Number, b.Number) >= repeatCosine && !sameDocument(r.Entry, b.Entry) {
			if share, figures := k.view.Resemblance(r.Number, b.Number); share >= repeatWords && figures {
				return i + 1, Repeats
			}
		}
	}
	return 0, ""
}

// sameDocument reports whether two chunks stand in one document: what a document says twice is its own affair, and
// overlapping chunks are alike by design.
func sameDocument(a, b *index.Entry) bool { return a.Document == b.Document }

// barred lists the best chunks that the filter held back, as many as were ranked.
func (k *ranker) barred(limit int) []Left {
	if k.lib.Filter.Empty() {
		return nil
	}
	free := *k
	free.allowed = nil
	rs := free.fuse()
	order(rs)
	var out []Left
	for _, r := range rs {
		if why := k.lib.Filter.Bars(r.Entry); why != "" && len(out) < max(limit, 5) {
			out = append(out, Left{Entry: r.Entry, Why: "filter: " + why})
		}
	}
	return out
}
