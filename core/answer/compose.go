package answer

import (
	"math"
	"slices"
	"sort"
	"strings"

	"jolvex/core/doc"
	"jolvex/core/find"
	"jolvex/core/measure"
	"jolvex/core/text"
)

// passage is one kept chunk, opened.
type passage struct {
	rank      find.Ranked
	index     int // in Trail.Candidates
	doc       *doc.Document
	units     []unit
	support   float64
	features  Features
	special   bool    // holds every word of the question where the first passage does not
	share     float64 // how much of the reply it may have
	openEnded bool    // the question is
	headed    float64 // likeness of meaning of the question and the nearest heading
}

// answers tells whether a "yes" or "no" of the passage answers the question at hand: it answers its own heading, and the
// question can be answered so.
func (p *passage) answers() bool { return p.headed >= sameQuestion && !p.openEnded }

// openEnded finds questions that no yes or no answers. (Common practice, no published source.)
var openEnded = en.Pattern("open-ended")

// sameQuestion is the likeness of meaning from which a heading asks what was asked.
const sameQuestion = 0.6

// quote is a unit chosen for the reply.
type quote struct {
	p *passage
	u int
}

// lacking is what a passage without the figure asked for is put back by, and beside how much less alike its best sentence
// may be than that of the first passage for it to be quoted too.
const (
	lacking = 1.5
	beside  = 0.1
)

// every is what a passage gains that holds every word of a question of several words, of which the first passage lacks one
// that is rare.
const (
	every    = 2
	several  = 4
	allWords = 0.95
	lacksOne = 0.75
)

// specials marks the passages that hold every word of a question of several words, when the first lacks a good part of them.
func specials(ps []*passage, terms []asked) {
	if len(terms) < several || len(ps) == 0 || ps[0].features.Exact > lacksOne {
		return
	}
	for _, p := range ps {
		p.special = p.features.Exact >= allWords
	}
}

// spread is how fast the claim of a chunk falls with its score (z-scores): a chunk 1.0 below the best has a third of its claim.
const spread = 0.9

// compose chooses what to say. Passages come best first. terms are the question's stems with their weights.
func compose(passages []*passage, terms map[string]float64, wants []text.QuantityKind, s Settings) []quote {
	use := claim(passages, s.Sources)
	var out []quote
	left := s.Words
	for _, p := range use {
		budget := int(math.Round(float64(s.Words) * p.share))
		if len(out) == 0 {
			budget = max(budget, s.Words/2)
		}
		budget = min(budget, left)
		for _, q := range pick(p, budget, terms, wants) {
			if !said(out, q) && (p.answers() || !yesOrNo(p.units[q.u].text)) {
				out = append(out, q)
				left -= len(q.p.units[q.u].words)
			}
		}
	}
	return out
}

// claim shares the reply among the first passages by score and support; those with a small share get none.
func claim(ps []*passage, most int) []*passage {
	if len(ps) == 0 {
		return nil
	}
	// Where the kind of figure that is asked for stands in some passages, those without it have little to say.
	some := slices.ContainsFunc(ps, func(p *passage) bool { return p.features.Figure > 0 })
	worth := func(p *passage) float64 {
		w := p.rank.Score + p.support
		if p.special {
			w += every
		}
		if some && p.features.Figure < 0 {
			w -= lacking
		}
		return w
	}
	top := math.Inf(-1)
	for _, p := range ps {
		top = math.Max(top, worth(p))
	}
	for _, p := range ps {
		p.share = math.Exp((worth(p) - top) / spread)
	}
	sorted := append([]*passage(nil), ps...)
	sort.SliceStable(sorted, func(i, j int) bool { return sorted[i].share > sorted[j].share })
	out := sorted[:1]
	for _, p := range sorted[1:] {
		if len(out) < most && p.share > 0.3*sorted[0].share && p.features.Near > sorted[0].features.Near-beside {
			out = append(out, p)
		}
	}
	sum := 0.0
	for _, p := range out {
		sum += p.share
	}
	for _, p := range out {
		p.share /= sum
	}
	return out
}

// pick chooses units of one passage, in order of place, for about budget words: table rows by their labels, else the
// run of sentences that says most.
func pick(p *passage, budget int, terms map[string]float64, wants []text.QuantityKind) []quote {
	best := -1
	for i := range p.units {
		if best < 0 || p.units[i].score > p.units[best].score {
			best = i
		}
	}
	if best < 0 || budget < 8 {
		return nil
	}
	if !hasFigure(p.units[best], wants) {
		best = figured(p.units, best, wants)
	}
	if p.units[best].row != nil {
		return rows(p, best, budget, terms)
	}
	a, b := window(p.units, best, budget, wants)
	var out []quote
	for i := a; i < b; i++ {
		if u := &p.units[i]; (len(u.words) >= 2 || yesOrNo(u.text)) && !strings.HasSuffix(u.text, "?") {
			out = append(out, quote{p, i})
		}
	}
	return out
}

// enough is the share of the best unit's score from which a unit that holds the figure asked for is better.
const enough = 0.6

// figured is the best unit that holds the figure asked for, when there is one that says nearly as much as the best of all;
// else the best of all.
func figured(us []unit, best int, wants []text.QuantityKind) int {
	out := best
	for i := range us {
		if hasFigure(us[i], wants) && us[i].score >= enough*us[best].score && (out == best || us[i].score > us[out].score) {
			out = i
		}
	}
	return out
}

// yesOrNo tells a sentence that answers by itself, short as it is.
func yesOrNo(s string) bool {
	s = strings.ToLower(strings.Trim(s, " .!,"))
	return s == "yes" || s == "no"
}

// rows gives the best row of a table and those that match the question as well, in order. Where the question names no row
// by its label, it asks for the whole table.
func rows(p *passage, best, budget int, terms map[string]float64) []quote {
	top := p.units[best]
	named := false
	for i := range p.units {
		u := &p.units[i]
		named = named || u.grid == top.grid && namesLabel(u, terms)
	}
	var out []quote
	words := 0
	for i := range p.units {
		u := &p.units[i]
		if u.grid != top.grid || named && u.score < top.score-0.02 {
			continue
		}
		n := len(text.Words(rowText(u, terms)))
		if words+n > budget && len(out) > 0 {
			break
		}
		words += n
		out = append(out, quote{p, i})
	}
	return out
}

// namesLabel tells whether the question names a row or gives an amount for its label.
func namesLabel(u *unit, terms map[string]float64) bool {
	if u.bounded {
		return true
	}
	for i, is := range labelCells(u) {
		if !is {
			continue
		}
		for s := range text.Stems(u.row.Cells[i].Text) {
			if terms[s] > 0 {
				return true
			}
		}
	}
	return false
}

// sharp is the coverage from which one unit that also holds the figure asked for is answer enough.
const sharp = 0.6

// window finds the run of units around best that fits the budget and scores most. It stays in the section of the best
// unit, starts with the lead-in of a list, and is short when one unit answers alone.
func window(us []unit, best, budget int, wants []text.QuantityKind) (from, to int) {
	lo, hi := best, best+1
	for lo > 0 && us[lo-1].section == us[best].section && us[lo-1].row == nil {
		lo--
	}
	for hi < len(us) && us[hi].section == us[best].section && us[hi].row == nil {
		hi++
	}
	if u := us[best]; u.coverage >= sharp && len(wants) > 0 && hasFigure(u, wants) {
		budget = min(budget, max(len(u.words)+20, budget/2))
	}
	bestSum := math.Inf(-1)
	from, to = best, best+1
	for a := lo; a <= best; a++ {
		words, sum := 0, 0.0
		for b := a; b < hi; b++ {
			words += max(1, len(us[b].words))
			if words > budget && b > best {
				break
			}
			sum += us[b].score + 0.05
			if b < best {
				continue
			}
			over := 0.0
			if words > budget {
				over = 10
			}
			if sum-over > bestSum+1e-12 {
				bestSum, from, to = sum-over, a, b+1
			}
		}
	}
	// What comes before the best unit and says much less is no way to begin.
	for from < best && us[from].score < opening*us[best].score {
		from++
	}
	if l := us[from].lead; l >= lo && l < from {
		from = l
	}
	return wholeLists(us, from, to, hi, budget)
}

// opening is the share of the best unit's score that a unit before it must have for a reply to begin with it.
const opening = 0.35

// wholeLists lets a reply that reached into a list have all of it: half a list is a wrong answer. A list that is
// longer than the reply may be is cut at its end, never at its start.
func wholeLists(us []unit, from, to, hi, budget int) (int, int) {
	listed := func(i int) bool { return us[i].kind == doc.Item }
	if listed(from) {
		for from > 0 && us[from].lead >= 0 && from > us[from].lead {
			from--
		}
	}
	words := 0
	for i := from; i < to; i++ {
		words += len(us[i].words)
	}
	for to < hi && (strings.HasSuffix(us[to-1].text, ":") || listed(to) && listed(to-1) && words+len(us[to].words) <= budget+budget/2) {
		words += len(us[to].words)
		to++
	}
	return from, to
}

func hasFigure(u unit, wants []text.QuantityKind) bool {
	for _, w := range wants {
		if w == text.Money && free.MatchString(u.text) {
			return true
		}
		for _, f := range u.figures {
			if f.Is(w) {
				return true
			}
		}
	}
	return false
}

// free is the price of what costs nothing.
var free = en.Pattern("free")

// said reports whether the reply says a unit's words already.
func said(out []quote, q quote) bool {
	mine := norms(q.p.units[q.u].words)
	for _, o := range out {
		if o.p == q.p && o.u == q.u {
			return true
		}
		if measure.TokenF1(mine, norms(o.p.units[o.u].words)) > 0.8 {
			return true
		}
	}
	return false
}

func norms(ws []text.Word) []string {
	out := make([]string, len(ws))
	for i, w := range ws {
		out[i] = w.Norm
	}
	return out
}

// likeness is how much a unit's likeness of meaning counts beside the words that it shares with the question.
const likeness = 1.3

// scoreUnits weighs every unit of a passage against the question.
func scoreUnits(p *passage, terms []asked, amounts []text.Amount, wants []text.QuantityKind) {
	var sum float64
	for i := range terms {
		sum += terms[i].weight
	}
	first := map[int]int{}
	for i := range p.units {
		u := &p.units[i]
		if _, ok := first[u.section]; !ok {
			first[u.section] = i
		}
		own, around := 0.0, 0.0
		for k := range terms {
			switch t := &terms[k]; {
			case u.stems[t.Stem]:
				own += t.weight
			case u.context[t.Stem]:
				around += t.weight
			}
		}
		if sum > 0 {
			own /= sum
			around /= sum
		}
		u.coverage = own + around
		u.score = own + 0.6*around + likeness*math.Max(0, u.cosine)
		if hasFigure(*u, wants) {
			u.score += 0.2 + 0.2*u.coverage
		}
		switch place := i - first[u.section]; {
		case u.row != nil:
			bounds := boundsBonus(u, amounts)
			u.bounded = bounds > 0
			u.score += rowBonus(u, terms, sum) + bounds
		case place == 0:
			u.score += 0.15
		case place == 1:
			u.score += 0.07
		}
		if len(u.words) < 4 && u.row == nil || strings.HasSuffix(u.text, "?") {
			u.score -= 0.3
		}
		if u.kind == doc.Code {
			u.score -= 0.15
		}
	}
	tightest(p.units)
}

// tightest leaves, of the rows of one table whose ranges hold an amount of the question, only the narrowest: "up to 10 kg" is the
// row for 8 kg where another is for up to 30.
func tightest(us []unit) {
	best := map[*doc.Grid]int{}
	wide := func(i int) float64 {
		labels := labelCells(&us[i])
		for c, cell := range us[i].row.Cells {
			if b, ok := text.BoundsIn(cell.Text); ok && labels[c] {
				return b.High - b.Low
			}
		}
		return math.Inf(1)
	}
	for i := range us {
		if !us[i].bounded {
			continue
		}
		k, ok := best[us[i].grid]
		if ok && wide(i) >= wide(k) {
			us[i].bounded = false
			us[i].score -= held
			continue
		}
		if ok {
			us[k].bounded = false
			us[k].score -= held
		}
		best[us[i].grid] = i
	}
}

// held is what a row gains whose range holds an amount of the question.
const held = 0.6

// rowBonus favours a row whose label the question names over one that shares only the table's headings.
func rowBonus(u *unit, terms []asked, sum float64) float64 {
	if sum == 0 {
		return 0
	}
	labels := labelCells(u)
	got := 0.0
	for i, c := range u.row.Cells {
		if !labels[i] {
			continue
		}
		in := text.Stems(c.Text)
		extra := 0.0
		for k := range terms {
			if in[terms[k].Stem] {
				got += terms[k].weight
				delete(in, terms[k].Stem)
			}
		}
		// Words of the label that were not asked for make it a more special row: "Child" comes before "Child under 5".
		extra = float64(len(in))
		got -= 0.02 * extra * sum
	}
	return 0.4 * got / sum
}

// boundsBonus favours the row whose label states a range that holds an amount of the question ("2 to 7 days" for "three
// days"), and puts back those whose range does not.
func boundsBonus(u *unit, amounts []text.Amount) float64 {
	if len(amounts) == 0 {
		return 0
	}
	labels := labelCells(u)
	for i, c := range u.row.Cells {
		if !labels[i] {
			continue
		}
		b, ok := text.BoundsIn(c.Text)
		if !ok {
			continue
		}
		for _, a := range amounts {
			if a.Unit != b.Unit {
				continue
			}
			if b.Holds(a.Value) {
				return held
			}
			return -held
		}
	}
	return 0
}
