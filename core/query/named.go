package query

import (
	"slices"
	"strings"
	"unicode"
	"unicode/utf8"

	"jolvex/core/text"
)

// Other reports whether two texts speak of two different things of one kind: "How do I reset the K200?" and "how do i reset the k300",
// "Does the Heron take cars?" and "does the marigold take cars". Words with digits in them, and words with a capital that begin no sentence,
// tell one thing from another of its kind; a slip of the pen in a name is forgiven, in a code it is not. In a text that has no such word, a
// name may be typed without its capital: it is another thing when all else that is said is the same.
func Other(a, b string) bool {
	x, y := marksOf(a), marksOf(b)
	if apart(x.codes, y.codes, 0) || apart(x.names, y.names, 2) {
		return true
	}
	return x.stands(y) || y.stands(x)
}

// marks are the words of a text that tell one thing from another.
type marks struct {
	codes, names []string
	words        []string          // all content words
	after        map[string]string // the word that stands before each word
}

func marksOf(s string) marks {
	m := marks{after: map[string]string{}}
	for _, w := range text.Content(s) {
		m.words = append(m.words, w.Norm)
	}
	last := ""
	figures := text.Quantities(s)
	for _, w := range text.Words(s) {
		m.after[w.Norm], last = last, w.Norm
		r, _ := utf8.DecodeRuneInString(s[w.Start:])
		before := strings.TrimRight(s[:w.Start], ` "'“‘(`)
		switch {
		case strings.ContainsAny(w.Norm, "0123456789"):
			of := slices.IndexFunc(figures, func(q text.Quantity) bool { return q.Start <= w.Start && w.Start < q.End })
			if of < 0 || figures[of].Kind == text.Number && len(w.Norm) > 1 { // no price, date or length of time
				m.codes = append(m.codes, w.Norm)
			}
		case unicode.IsUpper(r) && before != "" && !strings.ContainsAny(before[len(before)-1:], ".:?!") && !text.Stop(w.Norm) && len(w.Norm) > 1:
			m.names = append(m.names, w.Norm)
		}
	}
	return m
}

// apart reports whether each of two lists has a word that the other lacks, up to a number of slips in long words.
func apart(x, y []string, slips int) bool {
	return len(lacking(x, y, slips)) > 0 && len(lacking(y, x, slips)) > 0
}

func lacking(x, y []string, slips int) []string {
	var out []string
	for _, w := range x {
		most := min(slips, len(w)/4)
		if !slices.ContainsFunc(y, func(o string) bool { return Distance(w, o, most) <= most }) {
			out = append(out, w)
		}
	}
	return out
}

// stands reports whether one text says word for word what the other says but for another word in the place of a name
// of it, after the same word.
func (m marks) stands(o marks) bool {
	if len(o.names) == 0 {
		return false
	}
	only, named := lacking(m.words, o.words, 2), lacking(o.words, m.words, 2)
	if len(only) != len(named) || len(named) == 0 || len(named) == len(o.words) || len(lacking(named, o.names, 0)) > 0 {
		return false
	}
	return m.after[only[0]] == o.after[named[0]]
}
