package record

import (
	"regexp"
	"slices"
	"strings"
	"unicode"
	"unicode/utf8"

	"jolvex/core/text"
)

// Asked is a question as it is put to records.
type Asked struct {
	Text  string
	Wants []text.QuantityKind // kinds of figure that would answer it
	AsOf  string              // the day on which it is asked, as 2006-01-02
	// Known tells whether a stem occurs in the material at all; what does not must be explained by a record or there is none.
	Known func(stem string) bool
	// Like is how alike in meaning two folded words are, -1 to 1; nil for not at all.
	Like func(a, b string) float64
}

// term is one word of a question.
type term struct {
	text.Word
	hard   bool // a name, a code or a figure, or unknown to the material: nothing stands in for it
	weight float64
	day    int // 1 for Monday to 7; 0 for none
	month  int // 1 to 12; 0 for none
	op     bool
	figure bool // part of a figure: "three" of "three days"
	kind   bool // of the things that are asked for: "which rooms"
}

// task is what a question asks of records.
type task int

const (
	aValue task = iota
	aList
	aCount
	anExtreme
)

// question is a question as it was read.
type question struct {
	Asked
	terms   []term
	ops     mask // terms that only say what is to be done
	task    task
	yesNo   bool
	closed  bool // what is shut, or denied, is asked for
	most    bool // the extreme that is asked for
	kinds   []text.QuantityKind
	limits  []limit
	figures []text.Quantity
	amounts []text.Amount
	days    map[int]bool
	months  map[int]bool

	stemmed map[string]mask  // terms that a stem says
	stands  map[*string]mask // terms that the stems of what records stand under say, by the first of them
	headed  map[naming]mask  // terms that name an attribute, by what that depends on: a column has one name for all its rows
}

// naming is what it depends on which terms name an attribute.
type naming struct {
	name string
	kind text.QuantityKind
	shut bool
	task task
}

// limit is a condition on a figure.
type limit struct {
	bounds     text.Bounds
	start, end int
}

// Extreme is a way to ask for the most or least of something.
type Extreme struct {
	Asked *regexp.Regexp
	Kinds []text.QuantityKind // that decide, the likeliest first; nil for whatever is counted
	Most  bool
}

// Extremes are the ways to ask for the most or least of something. It is not to be changed.
func Extremes() []Extreme { return extremes }

var extremes = []Extreme{
	{en.Pattern("most-cheap"), []text.QuantityKind{text.Money}, false},
	{en.Pattern("most-dear"), []text.QuantityKind{text.Money}, true},
	{en.Pattern("most-early"), []text.QuantityKind{text.Clock, text.Date}, false},
	{en.Pattern("most-late"), []text.QuantityKind{text.Clock, text.Date}, true},
	{en.Pattern("most-heavy"), []text.QuantityKind{text.Weight}, true},
	{en.Pattern("most-lightweight"), []text.QuantityKind{text.Weight}, false},
	{en.Pattern("most-short"), []text.QuantityKind{text.Duration, text.Length}, false},
	{en.Pattern("most-long"), []text.QuantityKind{text.Duration, text.Length}, true},
	{en.Pattern("most-large"), []text.QuantityKind{text.Number, text.Measure, text.Length, text.Weight}, true},
	{en.Pattern("most-small"), []text.QuantityKind{text.Number, text.Measure, text.Length, text.Weight}, false},
	{en.Pattern("most-of"), nil, true},
	{en.Pattern("least-of"), nil, false},
}

var (
	forAll     = en.Pattern("for-all")
	whichOne   = en.Pattern("which-one")
	howMany    = en.Pattern("how-many-are")
	asksYesNo  = en.Pattern("seeks-yes-no")
	asksClosed = en.Pattern("asks-closed")
	scaffold   = en.Set("record-scaffold")
	dayWords   = weekdays()
	asksKind   = map[text.QuantityKind]map[string]bool{
		text.Money: en.Set("asks-money"), text.Clock: en.Set("asks-clock"), text.Duration: en.Set("asks-duration"), text.Weight: en.Set("asks-weight"),
		text.Length: en.Set("asks-length"), text.Number: en.Set("asks-number"), text.Date: en.Set("asks-date"), text.Phone: en.Set("asks-phone"), text.Mail: en.Set("asks-mail"),
	}
	lightVerbs          = text.Stems(en.List("light-verb")...)
	asksPlace, asksOpen = en.Set("asks-place"), en.Set("asks-open")
)

func weekdays() map[string]int {
	out := map[string]int{}
	for i, d := range en.List("weekday") {
		out[d], out[d+"s"], out[d[:3]] = i+1, i+1, i+1
	}
	return out
}

// read reads a question.
func read(a Asked) *question {
	q := &question{Asked: a, days: map[int]bool{}, months: map[int]bool{}}
	q.yesNo, q.closed = asksYesNo.MatchString(a.Text), asksClosed.MatchString(a.Text)
	ops := [][]int{}
	limits := limitsIn(a.Text)
	held := func(m []int) bool { // "less than 5 kg" asks for no extreme
		return slices.ContainsFunc(limits, func(l limit) bool { return m[0] < l.end && l.start < m[1] })
	}
	for _, e := range extremes {
		if m := e.Asked.FindStringIndex(a.Text); m != nil && !held(m) {
			q.task, q.kinds, q.most = anExtreme, e.Kinds, e.Most
			ops = append(ops, m)
			break
		}
	}
	for _, l := range limits {
		ops = append(ops, []int{l.start, l.end})
	}
	q.limits = limits
	var kind []int
	switch {
	case q.task == anExtreme:
	case howMany.MatchString(a.Text):
		m := howMany.FindStringSubmatchIndex(a.Text)
		q.task, kind = aCount, group(m)
		ops = append(ops, []int{0, kind[0]})
	case forAll.MatchString(a.Text):
		q.task, kind = aList, group(forAll.FindStringSubmatchIndex(a.Text))
	case whichOne.MatchString(a.Text):
		q.task, kind = aList, group(whichOne.FindStringSubmatchIndex(a.Text))
	}
	q.figures, q.amounts = text.Quantities(a.Text), text.Amounts(a.Text)
	for i, w := range text.Words(a.Text) {
		t := term{Word: w, weight: 1, day: dayWords[w.Norm], month: monthOf(w.Norm)}
		r, _ := utf8.DecodeRuneInString(a.Text[w.Start:])
		digit := strings.ContainsFunc(w.Norm, unicode.IsDigit)
		t.figure = slices.ContainsFunc(q.figures, func(f text.Quantity) bool { return w.Start >= f.Start && w.End <= f.End })
		for _, o := range ops {
			t.op = t.op || w.Start < o[1] && w.End > o[0]
		}
		t.kind = kind != nil && w.Start >= kind[0] && w.End <= kind[1]
		if t.day == 0 && t.month == 0 && !digit && (text.Stop(w.Norm) || scaffold[w.Norm]) && !t.op {
			continue
		}
		t.hard = digit || i > 0 && unicode.IsUpper(r) || a.Known != nil && !a.Known(w.Stem)
		if t.day > 0 {
			q.days[t.day] = true
		}
		if t.month > 0 {
			q.months[t.month] = true
		}
		switch {
		case lightVerbs[w.Stem]:
			t.hard, t.weight = false, 0.3
		case asksWord(w.Norm):
			t.hard, t.weight = false, 0.5
		case t.hard:
			t.weight = 1.5
		}
		if t.op {
			q.ops |= 1 << len(q.terms)
		}
		q.terms = append(q.terms, t)
	}
	return q
}

// asksWord reports whether a word asks for some kind of figure: it says of which kind the answer is, not of what.
func asksWord(w string) bool {
	for _, words := range asksKind {
		if words[w] {
			return true
		}
	}
	return asksPlace[w] || asksOpen[w]
}

// group is where the first group of a match that took part stands.
func group(m []int) []int {
	for i := 2; i+1 < len(m); i += 2 {
		if m[i] >= 0 {
			return m[i : i+2]
		}
	}
	return nil
}

func monthOf(w string) int {
	for i, m := range en.List("month") {
		if w == m || len(w) >= 3 && w != "may" && strings.HasPrefix(m, w) {
			return i + 1
		}
	}
	return 0
}

var limitForms = []struct {
	re   *regexp.Regexp
	make func(x float64) text.Bounds
}{
	{en.Pattern("less-than"), func(x float64) text.Bounds { return text.Bounds{Low: -1e18, High: x, OpenHigh: true} }},
	{en.Pattern("more-than"), func(x float64) text.Bounds { return text.Bounds{Low: x, High: 1e18, OpenLow: true} }},
	{en.Pattern("at-most"), func(x float64) text.Bounds { return text.Bounds{Low: -1e18, High: x} }},
	{en.Pattern("at-least"), func(x float64) text.Bounds { return text.Bounds{Low: x, High: 1e18} }},
}

// limitsIn finds conditions on figures: "less than £100", "at least 15 kg".
func limitsIn(s string) []limit {
	var out []limit
	for _, f := range limitForms {
		for _, m := range f.re.FindAllStringIndex(s, -1) {
			figures := text.Quantities(s[m[1]:])
			if len(figures) == 0 || strings.TrimSpace(s[m[1]:m[1]+figures[0].Start]) != "" {
				continue
			}
			if v, unit, ok := figures[0].Amount(); ok {
				b := f.make(v)
				b.Unit = string(figures[0].Dimension()) + " " + unit
				out = append(out, limit{b, m[0], m[1] + figures[0].End})
			}
		}
	}
	return out
}

// Days are the days of the week that a text speaks of, 1 for Monday to 7 for Sunday, with those between the two of a range.
func Days(s string) map[int]bool {
	return between(s, 7, func(w string) int { return dayWords[w] })
}
