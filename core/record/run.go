package record

import (
	"math"
	"regexp"
	"slices"
	"sort"
	"strings"

	"jolvex/core/text"
)

// Said is one record that a reply tells of, with the cells that are told.
type Said struct {
	Record *Record
	Cells  []int
	Under  bool // what it stands under was asked for, and is told
}

// Answer is what records say to a question.
type Answer struct {
	Said     []Said
	Of       int     // how many records were compared, or could have met the conditions
	None     bool    // none of them meets the limits; the one that comes nearest is told
	Count    bool    // their number is what was asked
	Verdict  string  // what the first of several earns: "cheaper"; "" for none
	YesNo    int     // 1 for yes, -1 for no, 0 where it is no such question or none can be told
	Explains float64 // the share of the question's words that the records explain, 0 to 1
	Scoped   bool    // several are told because the question leaves open which is meant: each is told with what it stands under
}

// The least share of a question's words that records must explain, and the most records that are told. (Set by hand on the demo and on
// drawn tables.)
const (
	leastExplained = 0.7
	mostTold       = 24
	mostOpen       = 4
)

// view is one record seen from a question.
type view struct {
	*Record
	key   mask   // terms that name it
	scope mask   // terms that it stands under
	heads []mask // [cell] terms that name its attribute, or the kind of its figure
	vals  []mask // [cell] terms that its value says
	share float64
	old   bool
}

// mask is a set of terms.
type mask uint64

// mostTerms is how many words of a question are looked at.
const mostTerms = 60

// Ask executes a question over records. It reports false where they do not fit it.
func Ask(a Asked, records []Record) (Answer, bool) {
	q := read(a)
	if len(q.terms) == 0 || len(q.terms) > mostTerms || len(records) == 0 {
		return Answer{}, false
	}
	views := q.views(records)
	best, found := Answer{}, false
	take := func(x Answer, ok bool) {
		for _, s := range x.Said {
			ok = ok && (len(s.Cells) == 0 || slices.ContainsFunc(s.Cells, func(c int) bool { return q.reaches(&s.Record.Cells[c]) }))
		}
		if ok && (!found || x.Explains > best.Explains+1e-9) {
			best, found = x, true
		}
	}
	switch q.task {
	case anExtreme:
		take(q.compare(views))
		take(q.extreme(views))
	case aList:
		take(q.list(views))
		take(q.value(views))
	default:
		take(q.value(views))
		take(q.list(views))
	}
	return best, found
}

// bracketed is what a name says of itself in brackets: "Child (5 to 15)" is called a child.
var bracketed = regexp.MustCompile(`\([^)]*\)`)

// views sees every record from the question.
func (q *question) views(records []Record) []view {
	out := make([]view, len(records))
	for i := range records {
		r := &records[i]
		v := view{Record: r, heads: make([]mask, len(r.Cells)), vals: make([]mask, len(r.Cells))}
		v.old = r.until != "" && r.until < q.AsOf || r.year != "" && len(q.AsOf) >= 4 && r.year < q.AsOf[:4]
		v.scope = q.standing(r)
		named, all := 0, 0
		for c := range r.Cells {
			x := &r.Cells[c]
			if x.Key {
				ranges := q.ranges(x)
				m := q.names(x.seen.text, x.Text, ranges)
				v.key |= m
				v.scope |= q.names(x.seen.name, x.Name, false)
				for _, s := range x.seen.bare {
					if text.Stop(s) {
						continue
					}
					all++
					if q.saysStem(s) != 0 {
						named++
					}
				}
				if m != 0 && (ranges || q.spans(x.Text)) {
					named, all = 1, 1
				}
				continue
			}
			v.heads[c] = q.heads(x)
			v.vals[c] = q.values(x)
		}
		if all > 0 {
			v.share = float64(named) / float64(all)
		}
		if q.otherNumber(r) {
			v.share /= 2
		}
		out[i] = v
	}
	return out
}

// otherNumber reports whether a record's name holds a number in words that the question does not: "ten singles" are another ticket.
func (q *question) otherNumber(r *Record) bool {
	for i := range r.Cells {
		for _, f := range r.Cells[i].seen.figures {
			if r.Cells[i].Key && f.Kind == text.Number && !strings.ContainsAny(r.Cells[i].Text[f.Start:f.End], "0123456789") && !slices.ContainsFunc(q.figures, func(m text.Quantity) bool { return m.Value == f.Value }) {
				return true
			}
		}
	}
	return false
}

// saysStem tells which terms a stem says: those that are of its word.
func (q *question) saysStem(s string) mask {
	out, ok := q.stemmed[s]
	if ok {
		return out
	}
	for i := range q.terms {
		if kin(s, q.terms[i].Stem) {
			out |= 1 << i
		}
	}
	if q.stemmed == nil {
		q.stemmed = map[string]mask{}
	}
	q.stemmed[s] = out
	return out
}

// says tells which terms some stems say.
func (q *question) says(stems []string) mask {
	var out mask
	for _, s := range stems {
		out |= q.saysStem(s)
	}
	return out
}

// standing tells which terms are said by what a record stands under.
func (q *question) standing(r *Record) mask {
	if len(r.under) == 0 {
		return q.calendar(r.Scope...)
	}
	out, ok := q.stands[&r.under[0]]
	if !ok {
		out = q.says(r.under) | q.calendar(r.Scope...)
		if q.stands == nil {
			q.stands = map[*string]mask{}
		}
		q.stands[&r.under[0]] = out
	}
	return out
}

// calendar tells which terms are days and months that some words name, by ranges of them, too.
func (q *question) calendar(ss ...string) mask {
	if len(q.days) == 0 && len(q.months) == 0 {
		return 0
	}
	var out mask
	for _, s := range ss {
		days, months := q.daysOf(s), q.monthsOf(s)
		for i := range q.terms {
			if t := &q.terms[i]; t.day > 0 && days[t.day] || t.month > 0 && months[t.month] {
				out |= 1 << i
			}
		}
	}
	return out
}

// kin reports whether two stems are of one word: "teach" and "teacher".
func kin(a, b string) bool {
	if a == b {
		return true
	}
	if len(a) > len(b) {
		a, b = b, a
	}
	return len(a) >= 4 && strings.HasPrefix(b, a) && len(b)-len(a) <= 3
}

// names tells which terms some words say; days and months are said by ranges of them, too, and amounts by ranges of figures.
func (q *question) names(stems []string, s string, ranges bool) mask {
	out := q.says(stems) | q.calendar(s)
	if ranges {
		for i := range q.terms {
			if q.terms[i].figure {
				out |= 1 << i
			}
		}
	}
	return out
}

// spans reports whether a label is a range of days or months that holds one of the question's.
func (q *question) spans(s string) bool {
	days, months := q.daysOf(s), q.monthsOf(s)
	for d := range q.days {
		if days[d] {
			return true
		}
	}
	for m := range q.months {
		if months[m] {
			return true
		}
	}
	return false
}

// ranges reports whether a label is a range of figures that holds an amount of the question.
func (q *question) ranges(x *Cell) bool {
	b := x.seen.bounds
	return x.seen.bounded && slices.ContainsFunc(q.amounts, func(a text.Amount) bool { return a.Unit == b.Unit && b.Holds(a.Value) })
}

// daysOf are the days of the week that a label names, ranges filled.
func (q *question) daysOf(s string) map[int]bool {
	if len(q.days) == 0 {
		return nil
	}
	return between(s, 7, func(w string) int { return dayWords[w] })
}

// monthsOf are the months that a label names, ranges filled.
func (q *question) monthsOf(s string) map[int]bool {
	if len(q.months) == 0 {
		return nil
	}
	return between(s, 12, monthOf)
}

var to = en.Set("range-word")

// between lists the places in a cycle that a text names, and those between two with a word or stroke of range between them.
func between(s string, cycle int, at func(string) int) map[int]bool {
	out := map[int]bool{}
	last, end := 0, 0
	for _, w := range text.Words(s) {
		n := at(w.Norm)
		if n == 0 {
			if !to[w.Norm] {
				last = 0
			}
			continue
		}
		gap := strings.TrimSpace(strings.ToLower(s[end:w.Start]))
		if last > 0 && (to[gap] || strings.ContainsAny(gap, "-–—")) {
			for k := last; k != n; k = k%cycle + 1 {
				out[k] = true
			}
		}
		out[n] = true
		last, end = n, w.End
	}
	return out
}

// nearName is the likeness of meaning from which a word of the question names an attribute. (Set by hand.)
const nearName = 0.62

// heads tells which terms name an attribute: by its name, by the kind of its figures, or by what it is.
func (q *question) heads(x *Cell) mask {
	key := naming{x.Name, x.seen.kind, x.seen.shut, q.task}
	out, ok := q.headed[key]
	if !ok {
		out = q.headsOf(x)
		if q.headed == nil {
			q.headed = map[naming]mask{}
		}
		q.headed[key] = out
	}
	return out
}

func (q *question) headsOf(x *Cell) mask {
	var out mask
	kind, said := x.seen.kind, q.says(x.seen.name)
	address := slices.ContainsFunc(x.seen.name, func(s string) bool { return kin(s, "address") })
	for i := range q.terms {
		t := &q.terms[i]
		if said&(1<<i) != 0 || asksKind[kind][t.Norm] || t.op && q.task == anExtreme {
			out |= 1 << i
			continue
		}
		if asksOpen[t.Norm] && (kind == text.Clock || x.seen.shut) || asksPlace[t.Norm] && address {
			out |= 1 << i
			continue
		}
		if q.Like == nil || t.hard || t.kind {
			continue
		}
		for _, w := range x.seen.nameWords {
			if q.Like(t.Norm, w) >= nearName {
				out |= 1 << i
			}
		}
	}
	return out
}

// values tells which terms a value says.
func (q *question) values(x *Cell) mask {
	var out mask
	figures, said := x.seen.figures, q.says(x.seen.text)
	for i := range q.terms {
		t := &q.terms[i]
		if strings.ContainsAny(t.Norm, "0123456789") {
			same := slices.ContainsFunc(q.figures, func(m text.Quantity) bool {
				return m.Start <= t.Start && t.End <= m.End && slices.ContainsFunc(figures, func(f text.Quantity) bool { return f.Kind == m.Kind && f.Value == m.Value })
			})
			if same || said&(1<<i) != 0 && len(figures) == 0 {
				out |= 1 << i
			}
			continue
		}
		if said&(1<<i) != 0 || t.day > 0 && q.daysOf(x.Text)[t.day] {
			out |= 1 << i
		}
	}
	return out
}

// ofKind is how much the word for the things that are asked for counts beside another: a table of drills need not say "tools".
const ofKind = 0.4

// explained is the share of the question's words in a mask, and whether nothing hard is missing. Words of the operation explain
// themselves; the word for the things that are asked for counts less.
func (q *question) explained(m mask, met float64) (float64, bool) {
	got, all := met, met
	whole := true
	for i := range q.terms {
		t := &q.terms[i]
		if t.op {
			continue
		}
		w := t.weight
		if t.kind {
			w *= ofKind
		}
		all += w
		if m&(1<<i) != 0 {
			got += w
		} else if t.hard {
			whole = false
		}
	}
	if all == 0 {
		return 1, whole
	}
	return got / all, whole
}

// limited tells whether a cell can be held against the question's limits, whether it meets them, and by how much it misses the nearer one.
func (q *question) limited(x *Cell) (bears, meets bool, off float64) {
	for _, l := range q.limits {
		for _, f := range x.seen.figures {
			v, unit, ok := f.Amount()
			if ok && string(f.Dimension())+" "+unit == l.bounds.Unit {
				return true, l.bounds.Holds(v), min(math.Abs(v-l.bounds.Low), math.Abs(v-l.bounds.High))
			}
		}
	}
	return false, false, 0
}

// wanted reports whether a cell is of a kind that is asked for.
func (q *question) wanted(x *Cell) bool {
	kind := x.seen.kind
	return slices.ContainsFunc(q.Wants, func(w text.QuantityKind) bool {
		return w == kind || w == text.Clock && x.seen.shut
	})
}

// reaches reports whether a cell can be the way to reach somebody that is asked for: a mail address or a telephone number, and nothing that
// goes by a like name.
func (q *question) reaches(x *Cell) bool {
	for _, w := range q.Wants {
		if w == text.Mail || w == text.Phone {
			return slices.ContainsFunc(text.Quantities(x.Text), func(f text.Quantity) bool { return f.Kind == text.Mail || f.Kind == text.Phone || f.Kind == text.Web })
		}
	}
	return true
}

// byName is how much it counts that a record's whole name is asked for: "ten singles" is another ticket than "single".
const byName = 0.15

// hit is one cell that may answer.
type hit struct {
	v       *view
	cell    int
	covered float64
}

// value answers a question for a value of something that it names.
func (q *question) value(vs []view) (Answer, bool) {
	var hits []hit
	best := 0.0
	for i := range vs {
		v := &vs[i]
		if v.key == 0 || v.share < 0.5 {
			continue
		}
		about := v.key | v.scope
		for c := range v.Cells {
			x := &v.Cells[c]
			if x.Key {
				continue
			}
			if q.task == aCount && x.seen.kind != text.Number {
				continue // what is counted is the records
			}
			if !q.reaches(x) {
				continue // the way to the house is no mail address
			}
			if !q.yesNo && x.seen.kind == "" && q.echoes(x.Text) {
				continue // asked how long a boat is, its name is no answer
			}
			m := about | v.heads[c] | v.vals[c]
			if v.heads[c]&^about == 0 && !q.wanted(x) && (q.yesNo || len(q.Wants)+len(v.Cells) > 2) && !(q.yesNo && v.vals[c]&^about != 0) {
				continue // nothing says that this is the attribute
			}
			if got, whole := q.explained(m, 0); whole && got >= leastExplained {
				covered := got + byName*v.share
				if v.old {
					covered -= 0.05
				}
				best = max(best, covered)
				hits = append(hits, hit{v, c, covered})
			}
		}
	}
	hits = tightest(slices.DeleteFunc(hits, func(h hit) bool { return h.covered < best-1e-9 }))
	if len(hits) == 0 {
		return q.whole(vs)
	}
	out := Answer{Explains: min(1, best)}
	for _, h := range hits {
		k := slices.IndexFunc(out.Said, func(s Said) bool { return s.Record == h.v.Record })
		if k < 0 {
			out.Said, k = append(out.Said, Said{Record: h.v.Record, Under: h.v.scope&^(h.v.key|h.v.heads[h.cell]|h.v.vals[h.cell]) != 0}), len(out.Said)
		}
		out.Said[k].Cells = append(out.Said[k].Cells, h.cell)
	}
	if len(out.Said) > mostOpen {
		return Answer{}, false
	}
	out.Scoped = len(out.Said) > 1
	if q.yesNo && len(out.Said) == 1 && len(out.Said[0].Cells) == 1 {
		switch s := out.Said[0].Record.Cells[out.Said[0].Cells[0]].Text; {
		case sayYes(s):
			out.YesNo = 1
		case sayNo(s):
			out.YesNo = -1
		}
	}
	return out, true
}

// echoes reports whether a value says nothing that the question does not say.
func (q *question) echoes(s string) bool {
	ws := text.Content(s)
	return len(ws) > 0 && !slices.ContainsFunc(ws, func(w text.Word) bool { return q.saysStem(w.Stem) == 0 })
}

// tightest leaves, of hits whose records are named by ranges of figures, those of the narrowest: "up to 10 kg" is the row for 8 kg where
// another is for up to 30.
func tightest(hits []hit) []hit {
	wide := func(h hit) float64 {
		for _, c := range h.v.Cells {
			if c.Key && c.seen.bounded {
				return c.seen.bounds.High - c.seen.bounds.Low
			}
		}
		return 0
	}
	least := map[string]float64{}
	for _, h := range hits {
		if w, ok := least[h.v.set]; !ok || wide(h) < w {
			least[h.v.set] = wide(h)
		}
	}
	return slices.DeleteFunc(hits, func(h hit) bool { return wide(h) > least[h.v.set] })
}

// whole tells all of the one record that a question of few words names: "kayak prices".
func (q *question) whole(vs []view) (Answer, bool) {
	if len(q.terms) > 3 || len(q.Wants) > 0 {
		return Answer{}, false
	}
	var one *view
	for i := range vs {
		v := &vs[i]
		got, whole := q.explained(v.key|v.scope, 0)
		if v.share < 1 || !whole || got < 1 || v.old {
			continue
		}
		if one != nil {
			return Answer{}, false
		}
		one = v
	}
	if one == nil {
		return Answer{}, false
	}
	s := Said{Record: one.Record}
	for c := range one.Cells {
		if x := &one.Cells[c]; !x.Key && (x.seen.kind != "" || !q.echoes(x.Text)) {
			s.Cells = append(s.Cells, c)
		}
	}
	if len(s.Cells) == 0 {
		return Answer{}, false
	}
	return Answer{Said: []Said{s}, Explains: 1}, true
}

// conditions are, for each set of records, the terms that some record of the set has as a value: what has another value, or none, does not
// meet the question.
func (q *question) conditions(vs []view) map[string]mask {
	out := map[string]mask{}
	for i := range vs {
		for c := range vs[i].vals {
			out[vs[i].set] |= vs[i].vals[c] &^ q.ops
		}
	}
	return out
}

// ofKind are the terms that say of which kind the things are that are asked for.
func (q *question) ofKind() mask {
	var out mask
	for i := range q.terms {
		if q.terms[i].kind {
			out |= 1 << i
		}
	}
	return out
}

// list answers a question for all records that meet its conditions, or for their number.
func (q *question) list(vs []view) (Answer, bool) {
	type set struct {
		said     []Said
		of       int
		explains float64
		old      bool
		missed   int     // records that meet all but the limits
		nearest  Said    // of those, the one that comes nearest to a limit
		off      float64 // by how much it misses it
		would    float64 // what these explain
	}
	sets, must := map[string]*set{}, q.conditions(vs)
	var order []string
	for i := range vs {
		v := &vs[i]
		k := sets[v.set]
		if k == nil {
			k = &set{old: v.old}
			sets[v.set], order = k, append(order, v.set)
		}
		m := v.key | v.scope
		var vals mask
		for c := range v.vals {
			vals |= v.vals[c]
		}
		var cells []int
		ok, within, off := true, true, 0.0
		limited := len(q.limits) == 0
		for c := range v.Cells {
			x := &v.Cells[c]
			if x.Key {
				continue
			}
			if bears, meets, by := q.limited(x); bears {
				others := slices.ContainsFunc(v.Cells, func(o Cell) bool {
					return o.Span != x.Span && !o.Key && o.seen.kind == x.seen.kind && q.heads(&o)&^v.heads[c] != 0
				})
				if others {
					continue // another column of the kind is named
				}
				limited, within, off = true, within && meets, max(off, by)
				m |= v.heads[c]
				if !slices.Contains(cells, c) {
					cells = append(cells, c)
				}
				continue
			}
			heads := v.heads[c] &^ q.ops
			switch {
			case v.vals[c]&^m != 0 && !x.seen.shut:
				m |= v.vals[c] | v.heads[c]
				cells = append(cells, c)
			case heads == 0:
			case x.seen.no:
				ok = ok && q.closed
				m |= v.heads[c]
				cells = append(cells, c)
			case x.seen.yes, x.seen.kind == text.Clock, heads&^m != 0 && v.key != 0:
				ok = ok && !q.closed
				m |= v.heads[c]
				cells = append(cells, c)
			}
		}
		got, whole := q.explained(m, float64(len(q.limits)))
		if whole && got >= leastExplained || !ok || !within {
			k.of++
		}
		if ok && limited && !within && whole && got >= leastExplained && must[v.set]&^m == 0 {
			if got > k.would+1e-9 { // these are more nearly of the kind that is asked for
				k.would, k.missed = got, 0
			}
			if got > k.would-1e-9 {
				if k.missed++; k.missed == 1 || off < k.off {
					k.nearest, k.off = Said{Record: v.Record, Cells: cells}, off
				}
			}
		}
		if !ok || !within || !limited || !whole || got < leastExplained || must[v.set]&^m != 0 || len(q.limits) == 0 && q.ofKind()&^m != 0 {
			continue
		}
		if q.task == aValue && vals&^q.ops == 0 {
			continue // nothing but what all of them stand under
		}
		if q.task == aValue && len(q.limits) == 0 && got < 1-1e-9 && !slices.ContainsFunc(cells, func(c int) bool { return v.Cells[c].seen.kind != "" || !q.echoes(v.Cells[c].Text) }) {
			continue // what is asked about it is not told
		}
		k.said = append(k.said, Said{Record: v.Record, Cells: cells})
		k.explains = max(k.explains, got)
	}
	var best *set
	for _, name := range order {
		if k := sets[name]; len(k.said) > 0 && (best == nil || k.explains-old(k.old) > best.explains-old(best.old)+1e-9) {
			best = k
		}
	}
	if best == nil { // all that could meet the limits were looked at: that none does is an answer
		for _, name := range order {
			if k := sets[name]; k.missed > 1 && !k.old && (best == nil || k.would > best.would) {
				best = k
			}
		}
		if best == nil {
			return Answer{}, false
		}
		return Answer{Said: []Said{best.nearest}, Of: best.missed, None: true, Explains: best.would}, true
	}
	if len(best.said) > mostTold {
		return Answer{}, false
	}
	return Answer{Said: best.said, Of: best.of, Count: q.task == aCount, Explains: best.explains}, true
}

func old(is bool) float64 {
	if is {
		return 0.05
	}
	return 0
}

// deciding is the cell of a record whose figure decides the extreme that is asked for; -1 for none.
func (q *question) deciding(v *view) int {
	best, most := -1, -1.0
	for c := range v.Cells {
		x := &v.Cells[c]
		kind := x.seen.kind
		if x.Key || kind == "" {
			continue
		}
		named := 0.0
		for i := range q.terms {
			switch {
			case q.terms[i].op || v.heads[c]&(1<<i) == 0:
			case q.says(x.seen.name)&(1<<i) != 0:
				named += 2
			default:
				named += 0.5
			}
		}
		if n := slices.Index(q.kinds, kind); n >= 0 {
			named += 0.9 - 0.1*float64(n)
		} else if named == 0 || len(q.kinds) > 0 && q.kinds[0] != text.Number {
			continue
		}
		if named > most {
			best, most = c, named
		}
	}
	return best
}

// extreme answers a question for the record with the most or least of something.
func (q *question) extreme(vs []view) (Answer, bool) {
	type group struct {
		hits     []hit
		all      int // records of the kind, whether they meet the conditions or not
		explains float64
	}
	groups, must := map[string]*group{}, q.conditions(vs)
	var order []string
	best := 0.0
	for i := range vs {
		v := &vs[i]
		c := q.deciding(v)
		if c < 0 {
			continue
		}
		id := v.set + "\x00" + v.Cells[c].Name
		g := groups[id]
		if g == nil {
			g = &group{}
			groups[id], order = g, append(order, id)
		}
		g.all++
		m := v.key | v.scope | v.heads[c]
		for k := range v.vals {
			m |= v.vals[k]
		}
		got, whole := q.explained(m, 0)
		if !whole || got < leastExplained-0.2 || must[v.set]&^m != 0 {
			continue
		}
		if v.old {
			got -= 0.05
		}
		g.hits = append(g.hits, hit{v, c, got})
		g.explains = max(g.explains, got)
		best = max(best, got)
	}
	for _, id := range order {
		g := groups[id]
		if g.explains < best-1e-9 {
			continue
		}
		hits := slices.DeleteFunc(g.hits, func(h hit) bool { return h.covered < g.explains-1e-9 })
		if len(hits) == 0 || g.all < 2 {
			continue // one alone is the most of nothing
		}
		top, ok := q.top(hits)
		if !ok {
			continue
		}
		out := Answer{Of: len(hits), Explains: min(1, g.explains)}
		for _, h := range top {
			out.Said = append(out.Said, Said{Record: h.v.Record, Cells: []int{h.cell}})
		}
		return out, len(out.Said) <= mostOpen
	}
	return Answer{}, false
}

// top are the hits with the most or least, all that tie; false where their units differ.
func (q *question) top(hits []hit) ([]hit, bool) {
	best, unit := math.NaN(), ""
	var out []hit
	for _, h := range hits {
		v, u, ok := amountOf(&h.v.Cells[h.cell])
		if !ok {
			continue
		}
		if len(out) > 0 && u != unit {
			return nil, false
		}
		switch {
		case len(out) == 0 || q.most && v > best || !q.most && v < best:
			best, unit, out = v, u, []hit{h}
		case v == best:
			out = append(out, h)
		}
	}
	return out, len(out) > 0
}

func amountOf(c *Cell) (float64, string, bool) {
	for _, f := range c.seen.figures {
		return f.Amount()
	}
	return 0, "", false
}

// compare answers which of several named things has more or less of something.
func (q *question) compare(vs []view) (Answer, bool) {
	sets := map[string][]hit{}
	var order []string
	for i := range vs {
		v := &vs[i]
		if v.share < 1 || v.old {
			continue
		}
		if c := q.deciding(v); c >= 0 {
			if sets[v.set] == nil {
				order = append(order, v.set)
			}
			sets[v.set] = append(sets[v.set], hit{v, c, 0})
		}
	}
	for _, name := range order {
		hits := sets[name]
		var m mask
		for _, h := range hits {
			m |= h.v.key | h.v.scope | h.v.heads[h.cell]
		}
		got, whole := q.explained(m, 0)
		if len(hits) < 2 || len(hits) > mostOpen || !whole || got < leastExplained {
			continue
		}
		top, ok := q.top(hits)
		if !ok {
			continue
		}
		out := Answer{Of: len(hits), Explains: got}
		if len(top) == 1 {
			for i := range q.terms {
				if q.terms[i].op {
					out.Verdict = strings.TrimSpace(out.Verdict + " " + q.terms[i].Norm)
				}
			}
		}
		sort.SliceStable(hits, func(i, j int) bool { return slices.Contains(top, hits[i]) && !slices.Contains(top, hits[j]) })
		for _, h := range hits {
			out.Said = append(out.Said, Said{Record: h.v.Record, Cells: []int{h.cell}})
		}
		return out, true
	}
	return Answer{}, false
}
