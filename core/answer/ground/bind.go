package ground

import (
	"slices"
	"strings"

	"jolvex/core/text"
)

// bind holds each figure and each value of a table that a claim says against the places where it stands: one of them must be of the same
// thing. bound tells that there were such, and that all were; the troubles are those that stand only elsewhere.
func (c *claim) bind(places []place) (bound bool, out []Trouble) {
	tables := tablesOf(places)
	all := true
	for _, q := range c.figures {
		if q.Kind == text.Number && (small[q.Value] || len(q.Value) < 2) {
			if said, other := c.numbered(q, places); other {
				all = false
				out = append(out, trouble(Misplace, said))
			}
			continue
		}
		found, fits := false, false
		for _, t := range tables {
			f, ok := t.holds(c, q.Start, false, func(s string) bool { return same(q, text.Quantities(s)) })
			found, fits = found || f, fits || ok
		}
		if !fits {
			f, ok := c.inSentences(q, places)
			found, fits = found || f, fits || ok
		}
		switch {
		case fits:
			bound = true
		case found:
			all = false
			out = append(out, trouble(Misplace, c.said[q.Start:q.End]))
		}
	}
	for _, t := range tables {
		for _, v := range t.values {
			at := phraseAt(c.said, v.said)
			if at < 0 {
				continue
			}
			switch found, fits := t.holds(c, at, t.inOneColumn(v.value), func(s string) bool { return strings.EqualFold(strings.TrimSpace(s), v.value) }); {
			case fits && len(c.denied) > 0 && !shutIn(v.value) && !limit.MatchString(c.said):
				out = append(out, trouble(Negation, v.said))
			case len(c.denied) > 0:
			case fits:
				bound = true
			case found && !inSentence(v.said, places):
				all = false
				out = append(out, trouble(Misplace, v.said))
			}
		}
	}
	return bound && all, out
}

// numbered reports whether a claim gives a thing another number than the evidence does, which tells it from others of its kind: "berth 5",
// where only berth 3 is spoken of. said is the thing with its number.
func (c *claim) numbered(q text.Quantity, places []place) (said string, other bool) {
	ws := text.Words(c.said)
	at := slices.IndexFunc(ws, func(w text.Word) bool { return w.Start >= q.Start })
	if at < 1 || text.Stop(ws[at-1].Norm) || wordy(ws[at].Norm) || !text.Adjacent(c.said, ws[at-1], ws[at]) {
		return "", false
	}
	for i := range places {
		them := text.Words(places[i].text)
		for k := 1; k < len(them); k++ {
			if them[k-1].Stem != ws[at-1].Stem || wordy(them[k].Norm) {
				continue
			}
			if them[k].Norm == ws[at].Norm {
				return "", false
			}
			other = true
		}
	}
	return c.said[ws[at-1].Start:ws[at].End], other
}

// table is the rows of a table with what tells each row and each column from the others.
type table struct {
	rows   []*Row
	own    []map[string]bool          // stems of each row's label that not all labels hold
	heads  map[string]map[string]bool // by head, in the same way
	words  map[string]bool            // all stems of labels and heads
	values []valued                   // short values without figures
}

// valued is a value of a table and how a claim says it: by itself, or with the head of its column where it is but a letter.
type valued struct{ value, said string }

func tablesOf(places []place) []*table {
	by := map[[2]int]*table{}
	var out []*table
	for i := range places {
		r := places[i].row
		if r == nil {
			continue
		}
		key := [2]int{places[i].source, r.Table}
		if by[key] == nil {
			by[key] = &table{heads: map[string]map[string]bool{}, words: map[string]bool{}}
			out = append(out, by[key])
		}
		by[key].rows = append(by[key].rows, r)
	}
	for _, t := range out {
		t.learn()
	}
	return out
}

func (t *table) learn() {
	labels := make([]map[string]bool, len(t.rows))
	var heads []string
	seen := map[string]bool{}
	for i, r := range t.rows {
		labels[i] = singular(text.Stems(r.Label))
		for d := range daysIn(r.Label) {
			labels[i][d] = true
		}
		for _, x := range r.Cells {
			if !seen["head "+x.Head] {
				seen["head "+x.Head] = true
				heads = append(heads, x.Head)
			}
			v := strings.TrimSpace(x.Text)
			switch {
			case seen[v] || !wordy(v):
			case len(v) == 1:
				seen[v] = true
				t.values = append(t.values, valued{v, x.Head + " " + v})
			case len(strings.Fields(v)) <= 3 && len(v) > 2 && len(text.Content(v)) > 0:
				seen[v] = true
				t.values = append(t.values, valued{v, v})
				if dayOf(v) >= 0 {
					t.values = append(t.values, valued{v, v + "s"})
				}
			}
		}
	}
	t.own = distinct(labels)
	stems := make([]map[string]bool, len(heads))
	for i, h := range heads {
		stems[i] = singular(text.Stems(h))
		for d := range daysIn(h) {
			stems[i][d] = true
		}
	}
	for i, own := range distinct(stems) {
		t.heads[heads[i]] = own
	}
	for _, set := range append(labels, stems...) {
		for s := range set {
			t.words[s] = true
		}
	}
}

// distinct are the sets without what all of them hold.
func distinct(sets []map[string]bool) []map[string]bool {
	out := make([]map[string]bool, len(sets))
	for i, set := range sets {
		out[i] = map[string]bool{}
		for s := range set {
			if len(sets) == 1 || slices.ContainsFunc(sets, func(o map[string]bool) bool { return !o[s] }) {
				out[i][s] = true
			}
		}
	}
	return out
}

// holds tells whether a cell of the table has what is looked for, and whether one of those is in a row and a column that the claim can
// mean at a place in it; anyColumn takes every column for meant.
func (t *table) holds(c *claim, at int, anyColumn bool, has func(cell string) bool) (found, fits bool) {
	rows := t.meant(c, at, t.own)
	heads, names := t.meantHeads(c, at)
	for i, r := range t.rows {
		for _, x := range r.Cells {
			if !has(x.Text) {
				continue
			}
			found = true
			inRow := len(rows) == 0 || slices.Contains(rows, i)
			inColumn := len(heads) == 0 || slices.Contains(names, x.Head)
			fits = fits || inRow && (inColumn || anyColumn)
		}
	}
	return found, fits
}

// inOneColumn reports whether a value stands in one column alone: it says itself which is meant.
func (t *table) inOneColumn(v string) bool {
	heads := map[string]bool{}
	for _, r := range t.rows {
		for _, x := range r.Cells {
			if strings.EqualFold(strings.TrimSpace(x.Text), v) {
				heads[x.Head] = true
			}
		}
	}
	return len(heads) == 1
}

// meant are the sets of which the claim names most around a place: those that the part at the place names; when it names none, and says
// nothing that the table does not know, those that the part before it names, and so on, then those of the parts after.
func (t *table) meant(c *claim, at int, sets []map[string]bool) []int {
	k := c.partAt(at)
	open := func(p part) bool {
		for _, w := range text.Content(p.text) {
			if wordy(w.Norm) && !t.words[w.Stem] && !auxiliary[w.Norm] {
				return false
			}
		}
		return true
	}
	if got := most(c.parts[k].stems, sets); len(got) > 0 {
		return got
	}
	if !open(c.parts[k]) {
		return nil
	}
	for i := k - 1; i >= 0; i-- {
		if got := most(c.parts[i].stems, sets); len(got) > 0 {
			return got
		}
	}
	for i := k + 1; i < len(c.parts); i++ {
		if got := most(c.parts[i].stems, sets); len(got) > 0 {
			return got
		}
	}
	if backward.MatchString(c.said) {
		return most(singular(text.Stems(c.asked)), sets)
	}
	return nil
}

func (t *table) meantHeads(c *claim, at int) (sets []int, names []string) {
	var own []map[string]bool
	var heads []string
	for h := range t.heads {
		heads = append(heads, h)
	}
	slices.Sort(heads)
	for _, h := range heads {
		own = append(own, t.heads[h])
	}
	sets = t.meant(c, at, own)
	for _, i := range sets {
		names = append(names, heads[i])
	}
	return sets, names
}

// most are the sets of which the words hold the largest share, none when they hold nothing of any.
func most(words map[string]bool, sets []map[string]bool) []int {
	best := 0.0
	var out []int
	for i, set := range sets {
		n := 0
		for s := range set {
			if words[s] && wordy(s) {
				n++
			}
		}
		if n == 0 {
			continue
		}
		switch f := float64(n) + float64(n)/float64(len(set)+1); {
		case f > best+1e-9:
			best, out = f, []int{i}
		case f > best-1e-9:
			out = append(out, i)
		}
	}
	return out
}

func (c *claim) partAt(at int) int {
	for i, p := range c.parts {
		if at < p.end {
			return i
		}
	}
	return max(0, len(c.parts)-1)
}

// inSentences tells whether sentences hold a figure, and whether one of them says it of what the claim says it of: where it has several
// figures of the kind, the words that stand by this one and by no other decide.
func (c *claim) inSentences(q text.Quantity, places []place) (found, fits bool) {
	mine := bare(c.parts[c.partAt(q.Start)].text)
	for i := range places {
		p := &places[i]
		if p.row != nil || !same(q, p.figures) {
			continue
		}
		found = true
		if p.says(q, mine) {
			return true, true
		}
	}
	return found, false
}

// says tells whether a sentence can say a figure of the words around it in a claim.
func (p *place) says(q text.Quantity, around map[string]bool) bool {
	parts := partsOf(p.text)
	by := make([]map[string]bool, len(p.figures)) // words that stand by each figure of the kind
	last := -1
	for i, f := range p.figures {
		if f.Dimension() != q.Dimension() && f.Kind != text.Number { // "five years ... and two"
			continue
		}
		k := slices.IndexFunc(parts, func(x part) bool { return f.Start < x.end })
		if k < 0 {
			continue
		}
		by[i] = bare(parts[k].text)
		leads := k > 0 && len(text.Content(p.text[parts[k].start:max(parts[k].start, f.Start)])) == 0 // "... and one year on the battery": what was said before the first goes for both
		if leads && last >= 0 {
			for s := range by[last] {
				if text.Stems(p.text[:p.figures[last].Start])[s] {
					delete(by[last], s)
				}
			}
		}
		last = i
	}
	own := slices.IndexFunc(p.figures, func(f text.Quantity) bool { return equal(q, f) })
	for _, x := range parts { // clauses without a figure: "the other is free"
		has := slices.ContainsFunc(p.figures, func(f text.Quantity) bool { return x.start <= f.Start && f.Start < x.end })
		if !has && own >= 0 && x.start > p.figures[own].Start && slices.ContainsFunc(text.Words(x.text), func(w text.Word) bool { return auxiliary[w.Norm] }) {
			by = append(by, bare(x.text))
		}
	}
	acts := map[string]bool{} // verbs after an auxiliary: they go for all parts
	for i, w := range text.Words(p.text) {
		if ws := text.Words(p.text); i > 0 && auxiliary[ws[i-1].Norm] {
			acts[w.Stem] = true
		}
	}
	fit := false
	for i, own := range by {
		if own == nil || i >= len(p.figures) || !equal(q, p.figures[i]) {
			continue
		}
		mine := share(around, own, by, acts)
		fit = fit || !slices.ContainsFunc(by, func(o map[string]bool) bool { return o != nil && !sameSet(o, own) && share(around, o, by, acts) > mine })
	}
	return fit
}

// share is how much of what stands by one figure alone is among some words; acts stand by all.
func share(around, own map[string]bool, all []map[string]bool, acts map[string]bool) float64 {
	n, held := 0, 0
	for s := range own {
		if acts[s] || slices.ContainsFunc(all, func(o map[string]bool) bool { return o != nil && o[s] && !sameSet(o, own) }) {
			continue
		}
		if n++; around[s] {
			held++
		}
	}
	return float64(held) / float64(max(1, n))
}

// bare are the stems of a text without those of its figures.
func bare(s string) map[string]bool {
	for _, q := range text.Quantities(s) {
		if q.Kind == text.Number && !wordy(s[q.Start:q.End]) { // an age, a size
			continue
		}
		s = s[:q.Start] + strings.Repeat(" ", q.End-q.Start) + s[q.End:]
	}
	out := singular(text.Stems(s))
	for w := range out {
		if n := strings.TrimSuffix(w, "s"); !wordy(w) && n != w { // under-25s
			out[n] = true
			delete(out, w)
		}
	}
	return out
}

func sameSet(a, b map[string]bool) bool {
	if len(a) != len(b) {
		return false
	}
	for s := range a {
		if !b[s] {
			return false
		}
	}
	return true
}

// phraseAt is where a text says a phrase, whatever its case, as words; -1 where it does not.
func phraseAt(s, phrase string) int {
	want := text.Words(phrase)
	in := text.Words(s)
	for i := 0; len(want) > 0 && i+len(want) <= len(in); i++ {
		if slices.EqualFunc(want, in[i:i+len(want)], func(a, b text.Word) bool { return a.Norm == b.Norm }) {
			return in[i].Start
		}
	}
	return -1
}

func inSentence(phrase string, places []place) bool {
	return slices.ContainsFunc(places, func(p place) bool { return p.row == nil && phraseAt(p.text, phrase) >= 0 })
}
