package find

import (
	"regexp"

	"jolvex/core/text"
)

// What a passage may hold besides figures. The patterns are common practice, no published source.
var held = map[string]*regexp.Regexp{
	"place":  regexp.MustCompile(`(?:\b(?:[Aa]t|[Ii]n|[Oo]n|[Nn]ear|[Bb]eside|[Bb]ehind|[Oo]pposite|[Nn]ext to|[Bb]etween|[Ff]rom|[Oo]utside|[Ii]nside|[Bb]elow|[Aa]bove)(?: the)? [\p{Lu}][\p{L}'-]+|\b(?:street|road|lane|square|quay|pier|floor|building|room|entrance|corner|directory|folder|menu)\b)`),
	"person": regexp.MustCompile(`(?:\b(?:Mr|Mrs|Ms|Dr|Prof|Captain|Sir)\b\.? ?[\p{Lu}]|[\p{L},] [\p{Lu}][\p{Ll}]+ [\p{Lu}][\p{Ll}]+|\b(?:manager|officer|director|team|desk|office|staff|crew|skipper|maintainers?|developers?|authors?|person|people)\b)`),
	"yes-no": regexp.MustCompile(`(?i)\b(?:yes|no|not|cannot|can't|may|must|allowed|permitted|forbidden|free|never|always|only|welcome|required|possible|impossible|supported|available)\b`),
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
