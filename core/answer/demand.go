package answer

import (
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
	any    map[string]bool // stems of which one must stand there
	thing  text.Word       // or a word like this one in meaning
	count  bool            // a number must stand by it
	name   map[string]bool // a name must stand there that is none of these stems
	mark   [2]string       // or two words in a row, by their stem and as written: "pier B"
	weighs float64         // what it counts when it is not met, where a missing name counts 1
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
	numberedThing = en.Pattern("numbered-thing")
)

// demandsOf are the demands of a question.
func demandsOf(question string) []demand {
	var out []demand
	if m := asksDimension.FindStringSubmatch(question); m != nil {
		if ws := en.List("dimension-" + strings.ToLower(m[1])); len(ws) > 0 {
			out = append(out, demand{any: text.Stems(ws...), weighs: demandsWord})
		}
	}
	if m := asksThing.FindStringIndex(question); m != nil {
		if w, ok := thingAt(question[m[1]:]); ok {
			out = append(out, demand{thing: w, weighs: demandsThing})
		}
		if at := thatPlace.FindStringIndex(question[m[1]:]); at != nil {
			if w, ok := thingAt(question[m[1]+at[1]:]); ok {
				out = append(out, demand{thing: w, weighs: demandsThing})
			}
		}
	}
	if m := asksCount.FindStringIndex(question); m != nil {
		if w, ok := thingAt(question[m[1]:]); ok {
			out = append(out, demand{thing: w, count: true, weighs: demandsThing})
		}
	}
	for _, m := range numberedThing.FindAllStringSubmatch(question, -1) {
		out = append(out, demand{mark: [2]string{text.Stem(text.Normalise(m[1])), strings.ToLower(m[2])}, weighs: demandsWord})
	}
	if asksName.MatchString(question) {
		out = append(out, demand{name: text.Stems(question), weighs: demandsWord})
	}
	return out
}

// thingAt is the head of the name of a thing that a text begins with: the last word before the name ends.
func thingAt(s string) (text.Word, bool) {
	var head text.Word
	found := false
	for _, w := range text.Words(s) {
		if thingEnds[w.Norm] {
			break
		}
		if !text.Stop(w.Norm) {
			head, found = w, true
		}
	}
	return head, found && !noThing[head.Norm]
}

// alikeThing is the likeness of meaning from which a word stands for a thing that is asked for.
const alikeThing = 0.55

// met reports whether some units meet a demand; heads are the words of the headings above them.
func (d *demand) met(units []unit, heads []text.Word, cache *wordCache) bool {
	if d.name != nil {
		return slices.ContainsFunc(units, func(u unit) bool { return holdsName(u.text, d.name) })
	}
	if d.mark[0] != "" {
		return slices.ContainsFunc(units, func(u unit) bool { return d.marks(&u) }) || inARow(heads, d.mark)
	}
	like := func(w text.Word) bool {
		if d.any != nil {
			return d.any[w.Stem]
		}
		return w.Stem == d.thing.Stem || embed.Cosine(cache.get(w.Norm), cache.get(d.thing.Norm)) >= alikeThing
	}
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
