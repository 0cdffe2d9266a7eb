package answer

import (
	"slices"
	"strings"

	"jolvex/core/text"
)

// fork is a condition that a question leaves open and on which the evidence parts: passages that say the same of different
// things, seasons or places, or a table of which no row is named.
type fork struct {
	options []string
	ways    []way // for each option, where passages part
}

// way is one side of a fork.
type way struct {
	p     *passage
	label string
}

// How many ways of a fork are all told, how many rows of a table are, and how many options are put at most.
const (
	mostWays    = 3
	mostRows    = 8
	mostOptions = 12
)

// near is the share of the first passage's claim from which another stands beside it.
const near = 0.6

// forked finds passages that answer a question for different conditions: the same headings but for one, figures of the kind
// asked for in both, and different ones. What the question names decides, and is no fork.
func forked(ps []*passage, terms []asked, wants []text.QuantityKind) *fork {
	if len(ps) < 2 || len(wants) == 0 || ps[0].features.Figure <= 0 {
		return nil
	}
	first := ps[0]
	path := headingsOf(first)
	f := &fork{}
	at := -1
	for _, p := range ps[1:] {
		if p.features.Figure <= 0 || p.support < near*first.support || p.rank.Score < first.rank.Score-1 {
			continue
		}
		if resemblance(first, p) < parallel {
			continue
		}
		k, ok := apartAt(path, headingsOf(p))
		if !ok || at >= 0 && k != at || !text.FiguresDiffer(bodyOf(first), bodyOf(p)) {
			continue
		}
		if at = k; len(f.ways) == 0 {
			f.ways = []way{{first, path[k]}}
		}
		label := headingsOf(p)[k]
		if !slices.ContainsFunc(f.ways, func(w way) bool { return w.label == label }) {
			f.ways = append(f.ways, way{p, label})
		}
	}
	if len(f.ways) < 2 || outdone(f, ps) {
		return nil
	}
	for _, w := range f.ways {
		if namesSome(own(w.label, f.ways), terms) {
			return nil
		}
		f.options = append(f.options, w.label)
	}
	return f
}

// parallel is the share of their words that passages have in common which say the same of different things.
const parallel = 0.5

// resemblance is the share of different words, figures left out, that two passages have in common of all that either has.
func resemblance(a, b *passage) float64 {
	x, y := plainWords(a), plainWords(b)
	both := 0
	for w := range x {
		if y[w] {
			both++
		}
	}
	if all := len(x) + len(y) - both; all > 0 {
		return float64(both) / float64(all)
	}
	return 0
}

func plainWords(p *passage) map[string]bool {
	out := map[string]bool{}
	us := p.found()
	for i := range us {
		for _, w := range us[i].words {
			if !strings.ContainsAny(w.Norm, "0123456789") {
				out[w.Norm] = true
			}
		}
	}
	return out
}

// better is by how much more of the question's words a passage beside a fork may carry than the fork's own.
const better = 0.15

// outdone reports whether a passage beside a fork carries more of what was asked than its ways do.
func outdone(f *fork, ps []*passage) bool {
	most := 0.0
	for _, w := range f.ways {
		most = max(most, w.p.features.Exact)
	}
	return slices.ContainsFunc(ps, func(p *passage) bool { return p.features.Exact > most+better })
}

// own are the stems of a label that no other way's label has.
func own(label string, ways []way) map[string]bool {
	out := text.Stems(label)
	for _, w := range ways {
		if w.label == label {
			continue
		}
		for s := range text.Stems(w.label) {
			delete(out, s)
		}
	}
	return out
}

func namesSome(words map[string]bool, terms []asked) bool {
	return slices.ContainsFunc(terms, func(t asked) bool { return words[t.Stem] })
}

func headingsOf(p *passage) []string {
	return append([]string{p.rank.Entry.Title}, p.rank.Entry.Path...)
}

// apartAt tells at which heading two paths differ, when that is the only one.
func apartAt(a, b []string) (int, bool) {
	if len(a) != len(b) {
		return 0, false
	}
	at, n := 0, 0
	for i := range a {
		if a[i] != b[i] {
			at, n = i, n+1
		}
	}
	return at, n == 1
}

func bodyOf(p *passage) string {
	var b strings.Builder
	us := p.found()
	for i := range us {
		b.WriteString(us[i].text)
		b.WriteByte(' ')
	}
	return b.String()
}

// openTable finds a table of more rows than can be told, of which the question names neither row nor column, and a figure of
// which it asks for: it is to be asked which row is meant.
func openTable(quotes []quote, terms []asked, wants []text.QuantityKind) *fork {
	if len(quotes) == 0 || len(wants) == 0 {
		return nil
	}
	p := quotes[0].p
	grid := p.units[quotes[0].u].grid
	if grid == nil {
		return nil
	}
	f := &fork{}
	for i := range p.units {
		u := &p.units[i]
		if u.grid != grid {
			continue
		}
		label := u.row.Cells[0].Text
		if u.bounded || namesSome(text.Stems(label), terms) || !hasFigure(*u, wants) {
			return nil
		}
		if label != "" && !slices.Contains(f.options, label) {
			f.options = append(f.options, label)
		}
	}
	for c, h := range grid.Header {
		if c > 0 && len(grid.Header) > 2 && namesSome(text.Stems(h), terms) { // of one column alone, its name narrows nothing
			return nil
		}
	}
	if len(f.options) <= mostRows || len(f.options) > mostOptions {
		return nil
	}
	return f
}

// put is the question that asks back.
func (f *fork) put(form string) string {
	n := len(f.options)
	return strings.ReplaceAll(form, "{options}", strings.Join(f.options[:n-1], ", ")+" or "+f.options[n-1])
}
