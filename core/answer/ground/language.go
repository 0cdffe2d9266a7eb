package ground

import (
	"strings"

	"jolvex/core/lang"
	"jolvex/core/text"
)

// en is the language whose words are looked for.
var en = lang.English()

var (
	// deeds are claims to have done, or to be about to do, what only a person or another system can.
	deeds             = en.Pattern("deeds")
	denial            = en.Pattern("denial")
	negatedComparison = en.Pattern("negated-comparison")
	segment           = en.Pattern("segment")
	exception         = en.Pattern("exception")
	payWords          = text.Stems(en.List("pay-word")...)
	freeWords         = en.Set("free-word")
	ordinals          = en.Set("picks-one")
	untilWords        = en.Set("until-word")
	sinceWords        = en.Set("since-word")
	conditionWords    = en.Set("parallel-condition")
	plainUn           = en.Pattern("plain-un")
	otherwise         = en.Pattern("otherwise")
	condition         = en.Pattern("condition")
	limit             = en.Pattern("limit")
	backward          = en.Pattern("backward")
	dayRange          = en.Pattern("day-range")
	moreThan          = en.Pattern("over-other")
	lessThan          = en.Pattern("under-other")
	ofAllMost         = en.Pattern("of-all-most")
	ofAllLeast        = en.Pattern("of-all-least")
	ofMoney           = en.Pattern("money-comparison")
	shutWords         = en.Set("shut-word")
	universal         = en.Set("universal")
	auxiliary         = en.Set("auxiliary")
	relation          = en.Set("relation")
	hangs             = en.Set("hanging")
	articles          = en.Set("article")
	// calendar holds the days and months that are no names of people or places.
	calendar   = en.Set("calendar")
	opposites  = pairs(en.List("opposite"))
	boundaries = phrases(en.List("bound-opposite"))
	plurals    = stemmed(en.List("plural"))
	week       = en.List("weekday")
)

func pairs(lines []string) map[string][]string {
	m := map[string][]string{}
	for _, l := range lines {
		if a, b, ok := strings.Cut(l, " "); ok {
			m[a], m[b] = append(m[a], b), append(m[b], a)
		}
	}
	return m
}

func stemmed(lines []string) map[string]string {
	m := map[string]string{}
	for _, l := range lines {
		if many, one, ok := strings.Cut(l, " "); ok {
			m[text.Stem(many)] = text.Stem(one)
		}
	}
	return m
}

// phrases are pairs of phrases around a bar.
func phrases(lines []string) [][2]string {
	var out [][2]string
	for _, l := range lines {
		if a, b, ok := strings.Cut(l, "|"); ok {
			out = append(out, [2]string{strings.TrimSpace(a), strings.TrimSpace(b)})
		}
	}
	return out
}
