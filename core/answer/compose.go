package answer

import (
	"math"
	"regexp"
	"slices"
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
	openEnded bool // the question is
	across    bool // it is in another language than the question
	past      bool // what the document says no longer holds, by what it says of itself
	keywords  bool // the question is a few key words
	year      bool // the question asks for a year
	demands   []demand
	often     bool    // the question asks how often something is
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

// composing holds the constants by which sentences are weighed and chosen. Fitted is what they were set on: the open halves of
// debian-faq and of a manual, 108 questions, by `go run ./tools/evaluate -only material`; a fit over 21
// features, cross-validated, did no better. What bears on rows and on what is past was set by hand on the demo and drawn tables.
type composing struct {
	own       float64 // of the question's words that a sentence itself says, its heading's apart; beside a likeness of meaning of 0 to 1
	counted   float64 // the part of own that goes by the number of words, whatever their rarity
	headed    float64 // of the question's words that stand in its heading
	past      float64 // against what no longer holds, where the question does not name its year
	under     float64 // of the question's words that stand in headings further up, or in the title
	figure    float64 // for the kind of figure that is asked for
	opening   float64 // for opening a section whose heading says what was asked, per share of the question over openFrom
	openFrom  float64 // the share of the question's words that a heading must hold to say what was asked
	fade      float64 // by how much the opening weighs less from one sentence to the next
	fragment  float64 // against questions, and what is too short to be a sentence
	row       float64 // of what speaks for one row of a table before the others
	fits      float64 // the share of the question's words that a row and what it stands under must say to be quoted where records do not answer
	sharpness float64 // how fast the chance of a sentence falls with its weight
	sure      float64 // the chance of holding the answer from which a reply says no more
	longer    float64 // by how much a reply may be longer that is not sure
	dear      float64 // what a word costs, in chance
	idle      float64 // the share of its best sentence's chance below which a sentence does not begin a reply
	all       int     // words of a list or of steps that are told as a whole, at most
}

var usualComposing = composing{own: 0.3, counted: 0.3, headed: 0.3, under: 0.2, past: 0.15, figure: 0.15, opening: 0.3, openFrom: 0.3, fade: 0.6, fragment: 0.25, row: 0.3, fits: 0.5, sharpness: 12, sure: 0.5, longer: 1.5, dear: 0.0005, idle: 0.15, all: 220}

// form is what a reply is to look like.
type form int

// The forms of replies: some sentences, all of a list, or steps from the first to the last.
const (
	plainly form = iota
	wholly
	stepwise
)

// howTo finds questions for a way to do something. (Common practice, no published source.)
var howTo = en.Pattern("how-to")

// formOf tells what form the reply to a question is to have.
func formOf(question string) form {
	if howTo.MatchString(question) {
		return stepwise
	}
	if _, all := asksForAll(question); all {
		return wholly
	}
	return plainly
}

// scoreUnits weighs every unit of a passage against the question. spread is how much its likeness of meaning counts.
func scoreUnits(p *passage, terms []asked, amounts []text.Amount, wants []text.QuantityKind, spread float64) {
	w := usualComposing
	var sum float64
	for i := range terms {
		sum += terms[i].weight
	}
	first := map[int]int{}
	headings := map[int]map[string]bool{}
	for i := range p.units {
		u := &p.units[i]
		if _, ok := first[u.section]; !ok {
			first[u.section] = i
			headings[u.section] = text.Stems(p.headingOf(u))
		}
		own, around, headed, under := 0.0, 0.0, 0.0, 0.0
		named, said := 0.0, 0.0 // of the terms, by count: a word that stands everywhere is asked for all the same
		for k := range terms {
			t := &terms[k]
			switch {
			case headings[u.section][t.Stem]:
				headed += t.weight
				named++
			case u.stems[t.Stem]:
				own += t.weight
				said++
			case u.context[t.Stem]:
				under += t.weight
			}
			switch {
			case u.stems[t.Stem]:
				u.coverage += t.weight
			case u.context[t.Stem]:
				around += t.weight
			}
		}
		if sum > 0 {
			own, headed, under, u.coverage = own/sum, headed/sum, under/sum, (u.coverage+around)/sum
		}
		if n := float64(len(terms)); n > 0 {
			own, named = (1-w.counted)*own+w.counted*said/n, named/n
		}
		u.headed = headed
		u.score = w.own*own + w.headed*headed + w.under*under + spread*math.Max(0, u.cosine)
		if hasFigure(*u, wants) {
			u.score += w.figure
		}
		if p.past && !asksOfPast(terms) {
			u.score -= w.past
		}
		if u.row != nil {
			bounds := boundsBonus(u, amounts)
			u.bounded = bounds > 0
			u.score += w.row * (rowBonus(u, terms, sum) + bounds)
			continue
		}
		u.score += w.opening * math.Max(0, min(headed, named)-w.openFrom) * math.Pow(w.fade, float64(i-first[u.section]))
		if len(u.words) < 4 && !yesOrNo(u.text) || strings.HasSuffix(u.text, "?") {
			u.score -= w.fragment
		}
	}
	tightest(p.units, w.row*held)
}

// asksOfPast reports whether a question names a year.
func asksOfPast(terms []asked) bool {
	return slices.ContainsFunc(terms, func(t asked) bool { return year.MatchString(t.Word) })
}

var year = regexp.MustCompile(`^(?:19|20)\d\d$`)

// headingOf is the heading over a unit, the title for none.
func (p *passage) headingOf(u *unit) string {
	if u.section < 0 {
		return p.doc.Title
	}
	return p.doc.Of(p.doc.Blocks[u.section].Span)
}

// run is a run of units of one section of a passage.
type run struct {
	p        *passage
	from, to int
	lead     int // where a long list begins that it is a part of: the sentence before is said first; 0 for none
	words    int
	chance   float64 // that the answer stands in it
}

// compose chooses what to say: the run of sentences that most likely holds the answer, and, while that is not likely enough, another.
// terms are the question's stems with their weights.
func compose(ps []*passage, f form, terms map[string]float64, s Settings) []quote {
	w := usualComposing
	if !s.Records {
		w.fits = 0
	}
	chances(ps, w)
	var out []quote
	taken := map[*passage]bool{}
	likely, words, most := 0.0, 0, s.Words
	for likely < w.sure {
		best := run{}
		for _, p := range ps {
			if len(taken) >= s.Sources && !taken[p] {
				continue
			}
			for from := range p.units {
				if r := best.better(p, from, most-words, len(out) == 0, w); r.p != nil {
					best = r
				}
			}
		}
		if best.p == nil {
			break
		}
		taken[best.p] = true
		if u := &best.p.units[best.top()]; len(out) == 0 && u.row != nil {
			return rows(best.p, best.top(), most, terms)
		}
		best = best.begun(w).whole(f, w)
		if best.lead > 0 && !best.p.units[best.lead-1].saidBy(out) {
			out = append(out, quote{best.p, best.lead - 1})
		}
		for i := best.from; i < best.to; i++ {
			q := quote{best.p, i}
			u := &best.p.units[i]
			if !u.saidBy(out) && (len(u.words) >= 2 || yesOrNo(u.text)) && !strings.HasSuffix(u.text, "?") && (best.p.answers() || !yesOrNo(u.text)) {
				out = append(out, q)
			}
			words += len(u.words)
			u.chance = 0
		}
		likely += best.chance
		if f != plainly && best.words > s.Words {
			break
		}
		most = int(float64(s.Words) * w.longer)
	}
	return filled(out)
}

// gap is how many sentences may lie between two that are said for them to be said too: a reply with a hole does not read.
const gap = 2

// filled says what lies between sentences of one section that are said, where that is little.
func filled(qs []quote) []quote {
	said := map[*passage]map[int]bool{}
	for _, q := range qs {
		if said[q.p] == nil {
			said[q.p] = map[int]bool{}
		}
		said[q.p][q.u] = true
	}
	out := qs
	for _, q := range qs {
		end := q.u + 2
		for end < q.u+gap+1 && !said[q.p][end] {
			end++
		}
		if said[q.p][q.u+1] || !said[q.p][end] || q.p.units[end].section != q.p.units[q.u].section {
			continue
		}
		for i := q.u + 1; i < end; i++ {
			if u := &q.p.units[i]; u.row == nil && !strings.HasSuffix(u.text, "?") && !yesOrNo(u.text) && !u.saidBy(out) {
				out = append(out, quote{q.p, i})
			}
		}
	}
	return out
}

// chances shares out among all units the chance that the answer stands in them. What stands in several passages counts once.
func chances(ps []*passage, w composing) {
	top := math.Inf(-1)
	for _, p := range ps {
		for i := range p.units {
			top = math.Max(top, p.units[i].score)
		}
	}
	sum := 0.0
	seen := map[place]bool{}
	for _, p := range ps {
		for i := range p.units {
			u := &p.units[i]
			u.chance = 0
			if at := (place{p.rank.Entry.Version, u.span}); !seen[at] && !u.beyond && (u.row == nil || u.coverage >= w.fits && p.features.Names == 0 || p.across) {
				seen[at] = true
				u.chance = math.Exp(w.sharpness * (u.score - top))
				sum += u.chance
			}
		}
	}
	for _, p := range ps {
		for i := range p.units {
			p.units[i].chance /= sum
		}
	}
}

// better is the run from a unit on that is better than the one so far; without a passage when none is. first allows a single unit that
// is longer than there is room for.
func (r run) better(p *passage, from, room int, first bool, w composing) run {
	out := run{}
	one := run{p: p, from: from}
	for i := from; i < len(p.units) && p.units[i].section == p.units[from].section && p.units[i].chance > 0; i++ {
		u := &p.units[i]
		if (u.row != nil) != (p.units[from].row != nil) {
			break
		}
		if one.words += max(1, len(u.words)); one.words > room && !(first && i == from) {
			break
		}
		one.chance += u.chance
		one.to = i + 1
		if worth := one.worth(w); worth > 0 && (r.p == nil || worth > r.worth(w)) {
			r, out = one, one
		}
	}
	return out
}

func (r run) worth(w composing) float64 { return r.chance - w.dear*float64(r.words) }

// top is the unit of a run that most likely holds the answer.
func (r run) top() int {
	best := r.from
	for i := r.from; i < r.to; i++ {
		if r.p.units[i].chance > r.p.units[best].chance {
			best = i
		}
	}
	return best
}

// begun is a run without the sentences at its beginning that hardly hold the answer: what comes before it and says little is no way to
// begin.
func (r run) begun(w composing) run {
	us := r.p.units
	for top := r.top(); r.from < top && us[r.from].chance < w.idle*us[top].chance; r.from++ {
		r.words -= max(1, len(us[r.from].words))
		r.chance -= us[r.from].chance
	}
	return r
}

// whole widens a run to what must not be cut: where all of something is asked for, to the whole list that it stands in, beside or right
// before, with the sentence that introduces it; steps to the first and the last of their section, where its heading says what is asked;
// whatever is asked, a list of few words to all of its items, and a sentence that announces more to what it announces.
func (r run) whole(f form, w composing) run {
	us := r.p.units
	in := func(i int) bool {
		return i >= 0 && i < len(us) && us[i].section == us[r.from].section && us[i].row == nil
	}
	listed := func(i int) bool { return in(i) && (us[i].kind == doc.Item || us[i].kind == doc.Code && f == stepwise) }
	out := r
	if f == stepwise && us[r.top()].headed >= 2*w.openFrom {
		for in(out.from - 1) {
			out.from--
		}
		out.to = out.from + 1
		for in(out.to) && (countWords(us[out.from:out.to+1]) <= w.all/2 || listed(out.to) && countWords(us[out.from:out.to+1]) <= w.all) {
			out.to++
		}
		if out.to > r.top() {
			out.words = countWords(us[out.from:out.to])
			return out
		}
		out = r // a long way: the part that was found
	}
	most := w.all
	if f == plainly {
		most = w.all / 3
	}
	first := r.from // of the list
	if !listed(r.from) || f != plainly {
		for first = r.from; in(first) && !listed(first) && (f != plainly || first < r.to); first++ {
		}
	}
	if !listed(first) || f == plainly && first > r.to {
		return r.announced(in, w)
	}
	for listed(first - 1) {
		first--
	}
	last := first
	for listed(last) && countWords(us[first:last+1]) <= most {
		last++
	}
	if f == plainly && listed(last) { // a part of a long list, with what introduces it
		if listed(r.from) && in(first-1) {
			r.lead = first
		}
		return r
	}
	out.from, out.to = first, max(last, first+1)
	if in(first-1) && (f != plainly || strings.HasSuffix(us[first-1].text, ":")) {
		out.from--
	}
	if f == plainly {
		out.from, out.to = min(out.from, r.from), max(out.to, r.to)
	}
	out.words = countWords(us[out.from:out.to])
	return out
}

// announces finds sentences that end by announcing what comes next: "There are two things that you should do." (Common practice, no
// published source.)
var announces = en.Pattern("announces")

// announced adds what the last sentence of a run announces, as far as a third of a list's words reach.
func (r run) announced(in func(int) bool, w composing) run {
	us := r.p.units
	if !announces.MatchString(us[r.to-1].text) {
		return r
	}
	for out := r; in(out.to); {
		if out.words += len(us[out.to].words); out.words > r.words+w.all/3 {
			break
		}
		out.to++
		r.to = out.to
	}
	r.words = countWords(us[r.from:r.to])
	return r
}

func countWords(us []unit) int {
	n := 0
	for i := range us {
		n += len(us[i].words)
	}
	return n
}

// saidBy reports whether some quotes say a unit's words already.
func (u *unit) saidBy(out []quote) bool {
	mine := norms(u.words)
	return slices.ContainsFunc(out, func(o quote) bool {
		v := &o.p.units[o.u]
		return v == u || measure.TokenF1(mine, norms(v.words)) > 0.8
	})
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

func norms(ws []text.Word) []string {
	out := make([]string, len(ws))
	for i, w := range ws {
		out[i] = w.Norm
	}
	return out
}

// tightest leaves, of the rows of one table whose ranges hold an amount of the question, only the narrowest: "up to 10 kg" is the
// row for 8 kg where another is for up to 30. The others lose what they gained by it.
func tightest(us []unit, gained float64) {
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
			us[i].score -= gained
			continue
		}
		if ok {
			us[k].bounded = false
			us[k].score -= gained
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
