package query

import (
	"strings"

	"jolvex/core/text"
)

// weakWords shape a question without being its subject; they count for less. (Common practice, no published source.)
var weakWords = func() map[string]bool {
	m := map[string]bool{}
	for _, w := range strings.Fields(`able actually anything ask available best bit bring case change come difference different do does easy
		else ever exactly example explain find give go good guess happen happens help idea information info instead kind know like long look lot
		make many mean means need new number often old people person place possible problem question reason right say see show someone something soon sort stuff
		supposed sure take tell thing things think time try type understand use used user using usually want way ways whats wonder wondering work works wrong`) {
		m[w] = true
	}
	return m
}()

func termsOf(s string) []Term {
	var out []Term
	all := text.Words(s)
	for _, w := range all {
		if text.Stop(w.Norm) {
			continue
		}
		weight := 1.0
		if weakWords[w.Norm] {
			weight = 0.5
		}
		out = addTerms(out, []Term{{w.Stem, w.Norm, weight, "asked"}})
	}
	if len(out) == 0 { // "who are you", "what is this about": nothing but stop words; search for those that are left
		for _, w := range all {
			out = addTerms(out, []Term{{w.Stem, w.Norm, 0.3, "asked"}})
		}
	}
	return out
}

func addTerms(to, more []Term) []Term {
next:
	for _, m := range more {
		for _, t := range to {
			if t.Stem == m.Stem {
				continue next
			}
		}
		to = append(to, m)
	}
	return to
}
