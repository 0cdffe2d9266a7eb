package answer

import (
	"fmt"
	"slices"
	"sort"
	"strings"

	"jolvex/core/doc"
	"jolvex/core/text"
)

// forAll finds questions for all things of a kind, the kind as one of its groups. (Common practice, no published source.)
var forAll = en.Pattern("for-all")

// verbs are words that end like a kind and are none: "which costs more". (Common practice, no published source.)
var verbs = en.Pattern("verbs-in-s")

// wider is how many chunks are opened for a question that asks for all things of a kind.
const wider = 16

// asksForAll gives the stems of the kind of thing of which a question asks for all.
func asksForAll(question string) (map[string]bool, bool) {
	m := forAll.FindStringSubmatch(question)
	if m == nil {
		return nil, false
	}
	word := strings.Join(m[1:], "")
	kind := text.Stems(word)
	return kind, len(kind) > 0 && !verbs.MatchString(word)
}

// light are the stems of verbs that say little by themselves: "take" in "which boats take cars" may stand in the sources as
// "carry". (Common practice, no published source.)
var light = text.Stems(en.List("light-verb")...)

// Limits of a list that is put together: how much of what is asked of the things each entry must say in its own words, how
// many entries are said, and how many make a list.
const (
	carries   = 0.75
	mostItems = 12
	leastList = 2
)

// listed puts together the reply to a question for all things of a kind: what each of several parallel passages says, under its own
// heading. It reports false when the evidence is no such list.
func (t *Trail) listed(ps, able []*passage, terms []asked, b Bench) bool {
	kind, ok := asksForAll(t.Reading.Alone)
	if !ok {
		return false
	}
	var said []asked // of the things
	for _, a := range terms {
		if !kind[a.Stem] && !light[a.Stem] {
			said = append(said, a)
		}
	}
	if len(said) == 0 || len(able) == 0 {
		return false
	}
	weights := map[string]float64{}
	for _, a := range said {
		weights[a.Stem] += a.weight
	}
	return t.abreast(ps, said, weights, b)
}

// entry is one of the things of a list.
type entry struct {
	quote
	label string
	no    bool
}

// abreast says what each of several parallel passages says of what was asked, under the one heading in which they differ.
// Those that say no come last.
func (t *Trail) abreast(ps []*passage, said []asked, weights map[string]float64, b Bench) bool {
	var all []quote
	for _, p := range ps {
		if p.support < near*b.Answer.Bar || pointing(p.rank.Entry.Marks, b.Answer) != "" {
			continue
		}
		if u := telling(p, said); u >= 0 {
			all = append(all, quote{p, u})
		}
	}
	var found []entry
	for i := range all {
		if g := parallelTo(all, i); len(g) > len(found) {
			found = g
		}
	}
	if len(found) < leastList {
		return false
	}
	found = found[:min(len(found), mostItems)]
	sort.SliceStable(found, func(i, j int) bool { return !found[i].no && found[j].no })
	for _, e := range found {
		u := &e.p.units[e.u]
		text := u.plainText(weights)
		if !strings.Contains(strings.ToLower(text), strings.ToLower(e.label)) {
			text = e.label + ": " + text
		}
		t.Reply = append(t.Reply, Sentence{Text: text, Candidate: e.p.index, Version: e.p.rank.Entry.Version, Span: u.span, Support: e.p.support})
	}
	t.Outcome, t.Why = Answered, fmt.Sprintf("the best evidence has a support of %.2f, the bar is %.2f; each of %d parallel passages is told", t.best(), t.Bar, len(found))
	return true
}

// telling is the sentence of a passage that says most of what was asked in its own words; -1 when none says enough of it.
func telling(p *passage, said []asked) int {
	best, most := -1, 0.0
	for i := range p.units {
		u := &p.units[i]
		if u.row != nil || strings.HasSuffix(u.text, "?") {
			continue
		}
		if share := carriedBy(u, said); share >= carries && share+0.01*u.score > most {
			best, most = i, share+0.01*u.score
		}
	}
	return best
}

// denial finds sentences that deny.
var denial = en.Pattern("denial")

// parallelTo are the sentences whose passages differ in one heading from that of the i-th, the same one for all, with that heading
// as their labels; of pages without headings, only those that lie in one folder are of one kind. A question is no label.
func parallelTo(all []quote, i int) []entry {
	first := all[i]
	path := headingsOf(first.p)
	out := []entry{{first, "", denial.MatchString(first.p.units[first.u].text)}}
	at := -1
	for _, q := range all[i+1:] {
		other := headingsOf(q.p)
		k, ok := apartAt(path, other)
		if !ok || at >= 0 && k != at || len(path) == 1 && folder(q.p) != folder(first.p) || strings.HasSuffix(other[k], "?") {
			continue
		}
		if slices.ContainsFunc(out, func(e entry) bool { return e.label == other[k] }) {
			continue
		}
		at = k
		out = append(out, entry{q, other[k], denial.MatchString(q.p.units[q.u].text)})
	}
	if at < 0 || strings.HasSuffix(path[at], "?") {
		return nil
	}
	out[0].label = path[at]
	return out
}

// folder is the address of a passage's document without its last part.
func folder(p *passage) string {
	a := strings.TrimRight(p.rank.Entry.Address, "/")
	return a[:strings.LastIndexByte(a, '/')+1]
}

// carriedBy is the share by weight of the terms that stand in a unit's own words.
func carriedBy(u *unit, terms []asked) float64 {
	own, all := 0.0, 0.0
	for i := range terms {
		all += terms[i].weight
		if u.stems[terms[i].Stem] {
			own += terms[i].weight
		}
	}
	if all == 0 {
		return 0
	}
	return own / all
}

// sectionLists reports whether the section that says most of what was asked, in its heading or in what introduces its items, is a list:
// it is the answer, and none is put together from elsewhere.
func sectionLists(ps []*passage) bool {
	var best *unit
	var of *passage
	for _, p := range ps {
		for i := range p.units {
			if u := &p.units[i]; u.row == nil && (best == nil || u.score > best.score) {
				best, of = u, p
			}
		}
	}
	if best == nil || best.headed < 2*usualComposing.openFrom && best.coverage < carries {
		return false
	}
	n := 0
	for i := range of.units {
		if u := &of.units[i]; u.section == best.section && u.kind == doc.Item {
			n++
		}
	}
	return n >= leastList
}
