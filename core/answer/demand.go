package answer

import (
	"regexp"
	"slices"
	"strings"
	"unicode"
	"unicode/utf8"

	"jolvex/core/embed"
	"jolvex/core/text"
)

// demand is what a question, by the way it is put, demands of whatever answers it: the dimension of "how deep", the thing of "is there a
// piano", a number of them for "how many days", a name for "who is the leader". What a question merely names may be said in other words;
// without these the section is about something else. (Common practice, no published source.)
type demand struct {
	any     map[string]bool     // stems of which one must stand there
	things  []text.Word         // or words like these in meaning: one of them, or each
	each    bool                // each of things must stand there
	figure  []text.QuantityKind // a figure of one of these kinds must stand there, or that it costs nothing
	year    bool                // or a year
	literal string              // or a path, an address or an option, letter by letter, or the last part of it
	count   bool                // a number must stand by it
	name    map[string]bool     // a name must stand there that is none of these stems
	mark    [2]string           // or two words in a row, by their stem and as written: "pier B"
	weighs  float64             // what it counts when it is not met, where a missing name counts 1
}

// What demands count that are not met. A dimension has few words, and a name none but itself; a thing may go by another name.
const (
	demandsWord  = 1
	demandsThing = 0.5
)

var (
	asksDimension = en.Pattern("demands-dimension")
	asksThing     = en.Pattern("demands-thing")
	asksCount     = en.Pattern("demands-count")
	asksName      = en.Pattern("demands-name")
	thingEnds     = en.Set("thing-ends")
	noThing       = en.Set("no-thing")
	thatPlace     = en.Pattern("that-place")
	priceOf       = en.Pattern("demands-price-of")
	attributeOf   = en.Pattern("demands-attribute-of")
	asksMoney     = en.Pattern("demands-money")
	auxiliaries   = en.Set("auxiliary")
	whichOf       = en.Pattern("demands-which")
	pastDate      = en.Pattern("demands-past-date")
	whenIsThe     = en.Pattern("demands-when-is-the")
	ofThe         = en.Pattern("demands-of-the")
	literal       = regexp.MustCompile(`^/[a-z][\w.-]*(?:/[\w.-]+)*/?$|^(?:~?/[\w.-]+){2,}/?$|^--[a-zA-Z][\w-]*$|^-[a-zA-Z]$`)
	versioned     = regexp.MustCompile(`\b(\p{Lu}[\p{L}-]+) (\d[\d.]*)\b`)
	calendarDay   = en.Set("calendar-name")
	numberedThing = en.Pattern("numbered-thing")
)

// demandsOf are the demands of a question.
func demandsOf(question string, wants []text.QuantityKind) []demand {
	var out []demand
	if m := asksDimension.FindStringSubmatch(question); m != nil {
		if ws := en.List("dimension-" + strings.ToLower(m[1])); len(ws) > 0 {
			out = append(out, demand{any: text.Stems(ws...), weighs: demandsWord})
		}
	}
	after := func(re *regexp.Regexp, from int, add func(things []text.Word, end string)) (at int) {
		m := re.FindStringIndex(question[from:])
		if m == nil {
			return -1
		}
		if things, end := thingAt(question[from+m[1]:]); len(things) > 0 {
			add(things, end)
		}
		return from + m[1]
	}
	if at := after(asksThing, 0, func(ws []text.Word, _ string) {
		out = append(out, demand{things: ws[len(ws)-1:], weighs: demandsThing})
	}); at >= 0 {
		after(thatPlace, at, func(ws []text.Word, _ string) {
			out = append(out, demand{things: ws, each: true, weighs: demandsThing})
		})
	}
	if at := after(asksCount, 0, func(ws []text.Word, _ string) {
		out = append(out, demand{things: ws[len(ws)-1:], count: true, weighs: demandsThing})
	}); at >= 0 {
		after(thatPlace, at, func(ws []text.Word, _ string) {
			out = append(out, demand{things: ws, each: true, weighs: demandsThing})
		})
	}
	for _, re := range []*regexp.Regexp{priceOf, attributeOf, whenIsThe, ofThe} {
		after(re, 0, func(ws []text.Word, _ string) { out = append(out, demand{things: ws, weighs: demandsThing}) })
	}
	after(whichOf, 0, func(ws []text.Word, end string) {
		if auxiliaries[end] { // "which licence does it have", not "what happens when"
			out = append(out, demand{things: ws, weighs: demandsThing})
		}
	})
	if len(wants) > 0 && wants[0] == text.Money && asksMoney.MatchString(question) {
		out = append(out, demand{figure: []text.QuantityKind{text.Money}, weighs: demandsWord})
	}
	if pastDate.MatchString(question) {
		out = append(out, demand{figure: []text.QuantityKind{text.Date}, year: true, weighs: demandsThing})
	}
	for _, w := range strings.Fields(question) {
		if w = strings.Trim(w, ",;:?!()\"'“”‘’."); literal.MatchString(w) {
			out = append(out, demand{literal: w, weighs: demandsWord})
		}
	}
	for _, m := range versioned.FindAllStringSubmatch(question, -1) {
		if norm := text.Normalise(m[1]); !calendarDay[norm] {
			out = append(out, demand{mark: [2]string{text.Stem(norm), m[2]}, weighs: demandsWord})
		}
	}
	for _, m := range numberedThing.FindAllStringSubmatch(question, -1) {
		out = append(out, demand{mark: [2]string{text.Stem(text.Normalise(m[1])), strings.ToLower(m[2])}, weighs: demandsWord})
	}
	after(asksName, 0, func(ws []text.Word, _ string) {
		out = append(out, demand{name: text.Stems(question), things: ws, weighs: demandsWord})
	})
	return out
}

// thingAt are the content words of the name of a thing that a text begins with, up to where the name ends; none when it names nothing that
// must stand anywhere. end is the word at which it ends.
func thingAt(s string) (things []text.Word, end string) {
	for _, w := range text.Words(s) {
		if thingEnds[w.Norm] {
			end = w.Norm
			break
		}
		if !text.Stop(w.Norm) {
			things = append(things, w)
		}
	}
	if len(things) == 0 || noThing[things[len(things)-1].Norm] {
		return nil, end
	}
	return things, end
}

// alikeThing is the likeness of meaning from which a word stands for a thing that is asked for.
const alikeThing = 0.55

// met reports whether some units meet a demand; heads are the words of the headings above them.
func (d *demand) met(units []unit, heads []text.Word, cache *wordCache) bool {
	if d.name != nil {
		return slices.ContainsFunc(units, func(u unit) bool {
			return holdsName(u.text, d.name) && slices.ContainsFunc(d.things, func(t text.Word) bool { return u.stems[t.Stem] || u.context[t.Stem] })
		})
	}
	if d.mark[0] != "" {
		return slices.ContainsFunc(units, func(u unit) bool { return d.marks(&u) }) || inARow(heads, d.mark)
	}
	if d.figure != nil {
		return slices.ContainsFunc(units, func(u unit) bool { return holdsFigure(&u, d.figure) || d.year && aYear.MatchString(u.text) })
	}
	if d.literal != "" {
		last := d.literal[strings.LastIndexByte(d.literal, '/')+1:]
		return slices.ContainsFunc(units, func(u unit) bool {
			return strings.Contains(u.text, d.literal) || len(last) > 3 && last != d.literal && strings.Contains(u.text, last)
		}) || slices.ContainsFunc(heads, func(w text.Word) bool { return w.Norm == strings.ToLower(d.literal) })
	}
	if d.any != nil {
		return d.holds(units, heads, func(w text.Word) bool { return d.any[w.Stem] })
	}
	for _, t := range d.things {
		held := d.holds(units, heads, func(w text.Word) bool {
			return w.Stem == t.Stem || embed.Cosine(cache.get(w.Norm), cache.get(t.Norm)) >= alikeThing
		})
		if held != d.each {
			return held
		}
	}
	return d.each
}

// holds reports whether some units, or the headings above them, hold a word; where a number of it is demanded, with a number.
func (d *demand) holds(units []unit, heads []text.Word, like func(text.Word) bool) bool {
	for i := range units {
		u := &units[i]
		if d.count {
			if numbers(u, like) {
				return true
			}
			continue
		}
		if slices.ContainsFunc(u.words, like) || u.grid != nil && slices.ContainsFunc(text.Words(strings.Join(u.grid.Header, " ")), like) {
			return true
		}
	}
	return !d.count && slices.ContainsFunc(heads, like)
}

// marks reports whether a unit speaks of the thing with the letter or number that is asked for: "pier B", or B in the column of piers.
func (d *demand) marks(u *unit) bool {
	if inARow(u.words, d.mark) {
		return true
	}
	if u.row == nil {
		return false
	}
	for i, c := range u.row.Cells {
		if strings.EqualFold(strings.TrimSpace(c.Text), d.mark[1]) && i < len(u.grid.Header) && text.Stems(u.grid.Header[i])[d.mark[0]] {
			return true
		}
	}
	return false
}

func inARow(ws []text.Word, mark [2]string) bool {
	for i := 1; i < len(ws); i++ {
		if ws[i-1].Stem == mark[0] && ws[i].Norm == mark[1] {
			return true
		}
	}
	return false
}

// numbers reports whether a unit gives a number of a thing: a figure within four words of it, or none of it.
func numbers(u *unit, like func(text.Word) bool) bool {
	if u.row != nil { // a column or the row says what is counted
		return len(u.figures) > 0
	}
	for k, w := range u.words {
		if !like(w) {
			continue
		}
		for _, q := range u.figures {
			if q.Start <= w.Start && w.End <= q.End {
				return true
			}
		}
		for n := max(0, k-5); n < min(len(u.words), k+5); n++ {
			if countless[u.words[n].Norm] || slices.ContainsFunc(u.figures, func(q text.Quantity) bool { return q.Start < u.words[n].End && u.words[n].Start < q.End }) {
				return true
			}
		}
	}
	return false
}

var countless = en.Set("count-word")

// holdsName reports whether a text holds a name that the question does not: two words with capitals in a row, the second of which begins
// no sentence.
func holdsName(s string, question map[string]bool) bool {
	ws := text.Words(s)
	for i := 1; i < len(ws); i++ {
		a, _ := utf8.DecodeRuneInString(s[ws[i-1].Start:])
		b, _ := utf8.DecodeRuneInString(s[ws[i].Start:])
		if unicode.IsUpper(a) && unicode.IsUpper(b) && text.Adjacent(s, ws[i-1], ws[i]) && !question[ws[i].Stem] && !question[ws[i-1].Stem] {
			return true
		}
	}
	return false
}
