package check

import (
	"regexp"
	"slices"
	"strings"

	"jolvex/core/text"
)

// longNumber is a number that a person may be known by: a booking, an account, an identity card.
var longNumber = regexp.MustCompile(`\b(?:[A-Z]{1,3}[ -]?)?\d[\d -]{5,}\d\b`)

// Hide masks in a text what may belong to a person: mail addresses, telephone and other long numbers, bank accounts. Names are left, for they
// cannot be told from other words with certainty.
func Hide(s string) string {
	type span struct{ from, to int }
	var found []span
	for _, q := range text.Quantities(s) {
		if q.Kind == text.Mail || q.Kind == text.Phone {
			found = append(found, span{q.Start, q.End})
		}
	}
	for _, re := range []*regexp.Regexp{account, longNumber} {
		for _, m := range re.FindAllStringIndex(s, -1) {
			if !dates.MatchString(s[m[0]:m[1]]) {
				found = append(found, span{m[0], m[1]})
			}
		}
	}
	slices.SortFunc(found, func(a, b span) int { return a.from - b.from })
	var b strings.Builder
	at := 0
	for _, f := range found {
		if f.from < at {
			continue
		}
		for s[f.from] == ' ' {
			f.from++
		}
		b.WriteString(s[at:f.from])
		b.WriteString("▇▇▇")
		at = f.to
	}
	b.WriteString(s[at:])
	return b.String()
}
