package query

import (
	"regexp"
	"strings"
	"unicode"
)

// Abbreviation is a short form that a text introduces with its long form.
type Abbreviation struct{ Short, Long string }

var bracketed = regexp.MustCompile(`([^()\n]{2,120}?)\s*\(([^()\n]{2,40})\)`)

// Abbreviations finds short forms and their long forms in a text: "Long Form (LF)" and "LF (Long Form)" (Schwartz and Hearst
// 2003, "A Simple Algorithm for Identifying Abbreviation Definitions in Biomedical Text"): the letters of the short form must
// stand in the long form in order, its first at the beginning of a word; the long form has at most min(|short|+5, 2|short|) words.
func Abbreviations(s string) []Abbreviation {
	var out []Abbreviation
	for _, m := range bracketed.FindAllStringSubmatch(s, -1) {
		before, inside := strings.TrimSpace(m[1]), strings.TrimSpace(m[2])
		inside, _, _ = strings.Cut(inside, ";")
		inside, _, _ = strings.Cut(inside, ",")
		if short := inside; isShort(short) {
			if long := longForm(short, lastWords(before, min(len(short)+5, 2*len(short)))); long != "" {
				out = append(out, Abbreviation{short, long})
			}
			continue
		}
		words := strings.Fields(before)
		if len(words) == 0 {
			continue
		}
		short := strings.Trim(words[len(words)-1], `"'“”‘’,;:`)
		if isShort(short) && len(strings.Fields(inside)) <= min(len(short)+5, 2*len(short)) {
			if long := longForm(short, inside); long != "" && strings.EqualFold(long, inside) {
				out = append(out, Abbreviation{short, long})
			}
		}
	}
	return out
}

// isShort reports whether a word can be a short form: two to ten characters, one to two words, a letter among them, and a
// letter or digit first (their section 3). A second capital is asked for besides: prose in brackets has seldom one.
func isShort(s string) bool {
	n := len([]rune(s))
	if n < 2 || n > 10 || len(strings.Fields(s)) > 2 {
		return false
	}
	letters, capitals := 0, 0
	for i, r := range s {
		if i == 0 && !unicode.IsLetter(r) && !unicode.IsDigit(r) {
			return false
		}
		if unicode.IsLetter(r) {
			letters++
		}
		if unicode.IsUpper(r) {
			capitals++
		}
	}
	return letters > 0 && capitals >= 2
}

func lastWords(s string, n int) string {
	ws := strings.Fields(s)
	return strings.Join(ws[max(0, len(ws)-n):], " ")
}

// longForm goes backwards through both forms; "" when the letters do not fit.
func longForm(short, candidate string) string {
	s, l := []rune(short), []rune(candidate)
	li := len(l) - 1
	for si := len(s) - 1; si >= 0; si-- {
		c := unicode.ToLower(s[si])
		if !unicode.IsLetter(c) && !unicode.IsDigit(c) {
			continue
		}
		for li >= 0 && (unicode.ToLower(l[li]) != c || si == 0 && li > 0 && (unicode.IsLetter(l[li-1]) || unicode.IsDigit(l[li-1]))) {
			li--
		}
		if li < 0 {
			return ""
		}
		li--
	}
	from := li + 1
	for from > 0 && l[from-1] != ' ' {
		from--
	}
	long := strings.TrimSpace(string(l[from:]))
	if len([]rune(long)) <= len(s) || strings.EqualFold(long, short) {
		return ""
	}
	return long
}

var defined = en.Pattern("defined")

// Definition reads a line that defines a term, as glossaries have them: "Muster station: where people gather". It reports false
// for any other line.
func Definition(line string) (term, means string, ok bool) {
	m := defined.FindStringSubmatch(line)
	if m == nil || len(strings.Fields(m[1])) > 4 {
		return "", "", false
	}
	return strings.TrimSpace(m[1]), strings.TrimSpace(m[2]), true
}
