package find

import (
	"regexp"

	"jolvex/core/text"
)

// What a passage may hold besides figures. The patterns are common practice, no published source.
var held = map[string]*regexp.Regexp{
	"place":  en.Pattern("holds-place"),
	"person": en.Pattern("holds-person"),
	"yes-no": en.Pattern("holds-yes-no"),
}

// holdings tells which kinds of thing a passage holds: the kinds of quantity, and place, person, yes-no.
func holdings(s string) map[string]bool {
	out := map[string]bool{}
	for _, q := range text.Quantities(s) {
		out[string(q.Kind)], out[string(q.Dimension())] = true, true
	}
	for kind, re := range held {
		if re.MatchString(s) {
			out[kind] = true
		}
	}
	return out
}
