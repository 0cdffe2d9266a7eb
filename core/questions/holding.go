package questions

import (
	"strings"

	"jolvex/core/text"
)

// mostFigures is how many figures of a text are expected of a reply.
const mostFigures = 2

// Holding expects of a reply what a person says is true, in a sentence or a few: the first figures of it, where it has some that tell one answer from
// another, else one of its sentences.
func Holding(fact string) []Expectation {
	var out []Expectation
	for _, q := range text.Quantities(fact) {
		if q.Kind == text.Number || len(out) == mostFigures {
			continue // a bare number says little without what it counts
		}
		out = append(out, Expectation{Kind: Gives, Values: []string{strings.TrimSpace(fact[q.Start:q.End])}})
	}
	if len(out) > 0 {
		return out
	}
	e := Expectation{Kind: Mentions}
	for _, p := range text.Sentences(fact) {
		if s := strings.Trim(strings.Join(strings.Fields(fact[p.Start:p.End]), " "), " .!*_-"); s != "" {
			e.Values = append(e.Values, s)
		}
	}
	return []Expectation{e}
}
