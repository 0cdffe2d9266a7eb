package ground

import (
	"math"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"unicode"
	"unicode/utf8"

	"jolvex/core/text"
)

// same reports whether a figure is among others, whatever way they are written: "half past six" is 18:30 where no half of the day is
// told, "eighteen months" a year and a half, "a fortnight" 14 days, "1,000 kg" a tonne.
func same(q text.Quantity, among []text.Quantity) bool {
	return slices.ContainsFunc(among, func(o text.Quantity) bool { return equal(q, o) })
}

func equal(q, o text.Quantity) bool {
	if q.Kind == o.Kind && q.Value == o.Value {
		return true
	}
	switch {
	case q.Kind != o.Kind:
		return false
	case q.Kind == text.Clock:
		a, _, ok1 := q.Amount()
		b, _, ok2 := o.Amount()
		return ok1 && ok2 && math.Abs(a-b) == 12*60 && min(a, b) > 0
	case q.Kind == text.Duration:
		return span(q) == span(o)
	case q.Kind == text.Measure:
		a, u, ok1 := q.Base()
		b, v, ok2 := o.Base()
		return ok1 && ok2 && u == v && math.Abs(a-b) < 1e-9*math.Max(1, math.Abs(a))
	case q.Kind == text.Date && strings.HasPrefix(q.Value, "--"):
		return strings.HasSuffix(o.Value, q.Value[1:]) // the day without its year
	}
	return false
}

// duration is a span of time in months, or in minutes where no month is in it: a month has no certain number of days.
type duration struct{ months, minutes float64 }

func span(q text.Quantity) duration {
	v, _, _ := q.Amount()
	switch {
	case strings.HasSuffix(q.Value, "year"):
		return duration{months: math.Round(v/525600*1200) / 100}
	case strings.HasSuffix(q.Value, "month"):
		return duration{months: math.Round(v/43200*100) / 100}
	}
	return duration{minutes: math.Round(v*60) / 60}
}

// unknownFigures lists the figures of a claim that neither the evidence nor the question holds. Bare numbers up to two, as in "one of",
// say nothing; a length of time may be worked out from two times of day, and "half" is 50 %.
func (c *claim) unknownFigures(evidence []Source) []Trouble {
	have, numbers := []text.Quantity{}, map[string]bool{}
	take := func(s string) {
		qs := text.Quantities(s)
		for i, q := range qs {
			have = append(have, q)
			for _, n := range bareNumber.FindAllString(q.Value, -1) {
				numbers[strings.TrimLeft(n, "0")] = true
			}
			if i > 0 && q.Kind == text.Clock && qs[i-1].Kind == text.Clock && q.Start-qs[i-1].End < 8 {
				from, _, _ := qs[i-1].Amount()
				to, _, _ := q.Amount()
				if d := to - from; d > 0 {
					have = append(have, minutes(d))
				}
			}
		}
		for _, n := range bareNumber.FindAllString(s, -1) {
			numbers[strings.TrimLeft(n, "0")] = true
		}
		if halved.MatchString(s) {
			have = append(have, text.Quantity{Kind: text.Percent, Value: "50%"})
		}
	}
	for _, e := range evidence {
		take(e.Text)
		take(e.Heading)
	}
	take(c.asked)
	var out []Trouble
	for _, q := range c.figures {
		switch {
		case same(q, have):
			continue
		case q.Kind == text.Number && (small[q.Value] || numbers[strings.TrimLeft(q.Value, "0")]):
			continue
		case q.Kind == text.Number && sameHour(q, have):
			continue
		}
		out = append(out, trouble(Figure, c.said[q.Start:q.End]))
	}
	return out
}

// minutes is a span of time as a figure.
func minutes(n float64) text.Quantity {
	if n >= 60 && math.Mod(n, 30) == 0 {
		return text.Quantity{Kind: text.Duration, Value: trimmed(n/60) + " hour"}
	}
	return text.Quantity{Kind: text.Duration, Value: trimmed(n) + " minute"}
}

// sameHour reports whether a bare number is a full hour among times of day: "from ten until two".
func sameHour(q text.Quantity, among []text.Quantity) bool {
	n, _, ok := q.Amount()
	return ok && slices.ContainsFunc(among, func(o text.Quantity) bool {
		v, _, is := o.Amount()
		return is && o.Kind == text.Clock && (v == 60*n || v == 60*(n+12))
	})
}

var (
	bareNumber = regexp.MustCompile(`\d+(?:\.\d+)?`)
	small      = map[string]bool{"0": true, "1": true, "2": true}
	halved     = en.Pattern("halved")
)

// unknownCodes lists the words of letters and digits of a claim - "A380", "gcc12" - and the options of commands, that neither the evidence
// nor the question holds, and that are no figure.
func (c *claim) unknownCodes(evidence []Source) []Trouble {
	have := map[string]bool{}
	for _, e := range append([]Source{{Text: c.asked}}, evidence...) {
		for _, w := range text.Words(e.Text + " " + e.Heading) {
			have[w.Norm] = true
		}
		for _, o := range option.FindAllString(" "+e.Text, -1) {
			have[strings.TrimSpace(o)] = true
		}
	}
	var out []Trouble
	for _, w := range text.Words(c.said) {
		if !mixed.MatchString(w.Norm) || have[w.Norm] || have[strings.TrimSuffix(w.Norm, "s")] || slices.ContainsFunc(c.figures, func(q text.Quantity) bool { return q.Start < w.End && w.Start < q.End }) {
			continue
		}
		out = append(out, trouble(Figure, c.said[w.Start:w.End]))
	}
	for _, o := range option.FindAllString(" "+c.said, -1) {
		if o = strings.TrimSpace(o); !have[o] {
			out = append(out, trouble(Figure, o))
		}
	}
	return out
}

var (
	mixed  = regexp.MustCompile(`^[\p{L}\d]*(?:\p{L}\d|\d\p{L})[\p{L}\d]*$`) // a word of letters and digits
	option = regexp.MustCompile(`\s--?[a-zA-Z][\w-]*`)                       // of a command
)

// unknownNames lists the names of a claim that neither the evidence nor the question holds: words with a capital that do not begin it.
func (c *claim) unknownNames(evidence []Source) []Trouble {
	have := map[string]bool{}
	take := func(s string) {
		for _, w := range text.Words(s) {
			have[w.Norm], have[w.Stem] = true, true
		}
		for d := range daysIn(s) {
			have[d] = true
		}
	}
	for _, e := range evidence {
		take(e.Text)
		take(e.Heading)
	}
	take(c.asked)
	var out []Trouble
	for i, w := range text.Words(c.said) {
		r, _ := utf8.DecodeRuneInString(c.said[w.Start:])
		if i == 0 || !unicode.IsUpper(r) || len(w.Norm) < 3 || text.Stop(w.Norm) || have[w.Norm] || have[w.Stem] {
			continue
		}
		if before := strings.TrimRight(c.said[:w.Start], ` "'“‘(`); before == "" || strings.HasSuffix(before, ".") || strings.HasSuffix(before, ":") || strings.HasSuffix(before, "–") {
			continue // it begins a sentence
		}
		if calendar[w.Norm] {
			out = append(out, trouble(Figure, c.said[w.Start:w.End]))
			continue
		}
		out = append(out, trouble(Name, c.said[w.Start:w.End]))
	}
	return out
}

// daysIn are the stems of the days that a range of days spans, with the words for them together: "Monday to Friday" are weekdays.
func daysIn(s string) map[string]bool {
	out := map[string]bool{}
	for _, m := range dayRange.FindAllStringSubmatch(s, -1) {
		from, to := dayOf(m[1]), dayOf(m[2])
		if from < 0 || to < 0 {
			continue
		}
		for d := from; ; d = (d + 1) % len(week) {
			out[text.Stem(week[d])] = true
			if d == to {
				break
			}
		}
		if from == 0 && to >= 4 {
			out[text.Stem("weekday")] = true
		}
	}
	for _, w := range text.Words(s) {
		switch {
		case dayOf(w.Norm) >= 5:
			out[text.Stem("weekend")] = true
		case w.Stem == text.Stem("daily"):
			for _, d := range week {
				out[text.Stem(d)] = true
			}
		}
	}
	return out
}

// dayOf is a day of the week by its name or its first three letters, from 0 for Monday; -1 for what is none.
func dayOf(s string) int {
	s = strings.ToLower(strings.TrimSuffix(s, "."))
	for i, d := range week {
		if s == d || s == d+"s" || s == d[:3] {
			return i
		}
	}
	return -1
}

func trimmed(n float64) string { return strconv.FormatFloat(n, 'f', -1, 64) }
