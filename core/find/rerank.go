package find

import (
	"context"
	"strings"

	"jolvex/core/index"
	"jolvex/core/query"
	"jolvex/core/text"
)

// A settled answer begins to gain when something of it is alike to the question, and gains all of the signal's weight when
// it is as good as the same question. Of 55 reworded questions of the Debian FAQ, half are over 0.51 by the encoder to the
// heading that they are about and a quarter over 0.66; nine in ten are under 0.47 to the most alike of 51 others.
const (
	alike = 0.4
	same  = 0.65
)

// halfLife is after how many days a change counts half as fresh.
const halfLife = 365

// rerank adds to the first candidates what takes a closer look: the nearest single sentence, how the question's words
// stand in the chunk, what kind of thing it holds, and what is known of its document.
func (k *ranker) rerank(ctx context.Context, first []Ranked) error {
	if len(first) == 0 {
		return nil
	}
	entries := make([]*index.Entry, len(first))
	settled := false
	for i := range first {
		entries[i] = first[i].Entry
		settled = settled || k.set.Settled > 0 && entries[i].Marks&index.Settled != 0
	}
	weight := k.lib.sentence(k.set)
	if weight > 0 || k.lib.Probe || k.set.Figure > 0 || settled {
		if err := k.lib.Memory.warm(ctx, entries, k.lib.Texts, k.lib.Sentence); err != nil {
			return err
		}
		near := make([]float64, len(first))
		for i := range first {
			x, err := k.lib.Memory.nearest(ctx, k.question.sentence, first[i].Entry, k.lib.Texts, k.lib.Sentence)
			if err != nil {
				return err
			}
			first[i].Nearest, near[i] = x, x
		}
		for i, z := range standard(near) {
			first[i].nearest = z
			if weight > 0 {
				first[i].add(SignalSentence, first[i].Nearest, weight*z)
			}
		}
	}
	for _, kind := range Signals() {
		if kind.value == nil {
			continue
		}
		weight := *kind.weight(&k.set)
		if weight <= 0 && !k.lib.Probe { // what has no say is not looked for
			continue
		}
		for i := range first {
			v, says, err := kind.value(ctx, k, &first[i])
			if err != nil {
				return err
			}
			if says && v != 0 {
				first[i].add(kind.Name, v, kind.points(weight, v))
			}
		}
	}
	return nil
}

// rare tells how rare a stem is among the chunks.
func (k *ranker) rare(stem string) float64 {
	return index.Rarity(k.view.Chunks(), k.view.Frequency(stem))
}

// coverage is the share of the question's words that a chunk holds in any field, by rarity.
func (k *ranker) coverage(n int) float64 {
	have, all := 0.0, 0.0
	for i, t := range k.terms {
		all += k.rarity[i]
		if k.view.Holds(n, t.Stem) {
			have += k.rarity[i]
		}
	}
	if all == 0 {
		return 0
	}
	return have / all
}

// proximity is how near to each other the question's neighbouring words stand in the body, 0 to 1: the mean over the
// pairs of 1/d², d being the least distance, one word less when they stand in the order asked (after Büttcher, Clarke and
// Lushman 2006, "Term Proximity Scoring for Ad-Hoc Retrieval", whose pairs add 1/d²).
func (k *ranker) proximity(n int) float64 {
	if len(k.terms) < 2 {
		return 0
	}
	sum := 0.0
	before := k.view.Places(n, k.terms[0].Stem)
	for _, t := range k.terms[1:] {
		at := k.view.Places(n, t.Stem)
		if d := distance(before, at); d > 0 {
			sum += 1 / float64(d*d)
		}
		before = at
	}
	return sum / float64(len(k.terms)-1)
}

// distance is the least distance from a place in a to one in b, both rising: 1 for the next word, 2 for the word before
// or the next but one; 0 when either is empty.
func distance(a, b []int) int {
	least := 0
	for i, j := 0, 0; i < len(a) && j < len(b); {
		d := b[j] - a[i]
		if d < 0 {
			d = 1 - d
		}
		if d > 0 && (least == 0 || d < least) {
			least = d
		}
		if a[i] < b[j] {
			i++
		} else {
			j++
		}
	}
	return least
}

// named tells how well the title or the last heading says what was asked, no more and no less: the harmonic mean of the
// share of its words that were asked for and the share of what was asked for that it says.
func (k *ranker) named(e *index.Entry) float64 {
	best := k.says(e.Title)
	if n := len(e.Path); n > 0 {
		best = max(best, k.says(e.Path[n-1]))
	}
	return best
}

func (k *ranker) says(heading string) float64 {
	words := map[string]bool{}
	for _, w := range text.Content(heading) {
		words[w.Stem] = true
	}
	both, all := 0.0, 0.0
	for _, t := range k.terms {
		all += t.Weight
		if words[t.Stem] {
			both += t.Weight
		}
	}
	if both == 0 {
		return 0
	}
	of := min(1, both/float64(len(words)))
	share := both / all
	return 2 * of * share / (of + share)
}

// explain divides the lexical points among the fields, and gives every signal its share of what speaks for the chunk.
func (k *ranker) explain(r *Ranked) {
	w := k.reading.Searches[r.search]
	r.Terms = k.view.Explain(r.Number, query.Index(w.Terms), k.model)
	for i := range r.Terms {
		r.Terms[i].Score *= w.Weight
		for f := range r.Terms[i].Field {
			r.Terms[i].Field[f] *= w.Weight
		}
	}
	var field [index.Fields]float64
	sum := 0.0
	for _, t := range r.Terms {
		for f, x := range t.Field {
			field[f] += x
			sum += x
		}
	}
	var out []Signal
	for _, s := range r.Signals {
		if s.Name != signalLexical {
			out = append(out, s)
			continue
		}
		for f := range index.Fields {
			switch {
			case sum > 0:
				out = append(out, Signal{Name: f.String(), Value: field[f], Points: s.Points * field[f] / sum})
			case f == index.Body: // no word is shared: what that costs is the body's
				out = append(out, Signal{Name: f.String(), Points: s.Points})
			}
		}
	}
	r.Signals = out
	total := 0.0
	for _, s := range out {
		total += max(0, s.Points)
	}
	for i := range out {
		switch {
		case total > 0:
			out[i].Share = max(0, out[i].Points) / total
		case out[i].Name == SignalMeaning: // nothing speaks for it beyond the mean: it came in by its meaning
			out[i].Share = 1
		}
	}
}

// Because says in words why a chunk ranks where it does, the strongest reason first.
func Because(signals []Signal, terms []index.Contribution, asked int) []string {
	points := func(names ...string) float64 {
		sum := 0.0
		for _, s := range signals {
			for _, n := range names {
				if s.Name == n {
					sum += s.Points
				}
			}
		}
		return sum
	}
	type reason struct {
		points float64
		words  string
	}
	var out []reason
	if n := len(terms); n > 0 && asked > 0 {
		var where []string
		for _, s := range signals {
			switch {
			case s.Name == SignalTitle && s.Value > 0:
				where = append(where, "the title")
			case s.Name == SignalHeadings && s.Value > 0:
				where = append(where, "its headings")
			case s.Name == SignalBody && s.Value > 0:
				where = append(where, "the text")
			}
		}
		out = append(out, reason{points(SignalTitle, SignalHeadings, SignalBody), words(n, asked) + " in " + list(where)})
	} else {
		out = append(out, reason{points(SignalBody), "shares no word with the question"})
	}
	for _, s := range signals {
		if w := inWords(s); w != "" {
			out = append(out, reason{s.Points, w})
		}
	}
	var said []string
	for len(out) > 0 {
		best := 0
		for i := range out {
			if out[i].points > out[best].points {
				best = i
			}
		}
		said = append(said, out[best].words)
		out = append(out[:best], out[best+1:]...)
	}
	return said
}

func words(n, of int) string {
	if n >= of {
		if of == 1 {
			return "holds the word asked for"
		}
		return "holds every word asked for"
	}
	return "holds " + count(n) + " of the " + count(of) + " words asked for"
}

func count(n int) string {
	names := []string{"none", "one", "two", "three", "four", "five", "six", "seven", "eight", "nine", "ten"}
	if n < len(names) {
		return names[n]
	}
	return "many"
}

func list(xs []string) string {
	if len(xs) < 2 {
		return strings.Join(xs, "")
	}
	return strings.Join(xs[:len(xs)-1], ", ") + " and " + xs[len(xs)-1]
}

// inWords says what a signal speaks for; "" for those of words, which are told together.
func inWords(s Signal) string {
	if k, ok := signalNamed(s.Name); ok && k.words != nil {
		return k.words(s.Value)
	}
	return ""
}
