package query

import (
	"fmt"
	"slices"
	"strings"

	"jolvex/core/text"
)

// Entry is one term of a glossary and what it means: an acronym and its long form, or words that people use for one thing.
type Entry struct {
	Term  string   `json:"term" maxLength:"200"`
	Means []string `json:"means" maxItems:"20" nullable:"false"`
}

// Check reports what is wrong with an entry, in words; "" when nothing is.
func (e Entry) Check() string {
	switch {
	case !hasWord(e.Term):
		return "an entry has no term"
	case len(e.Means) == 0:
		return fmt.Sprintf("“%s” means nothing", e.Term)
	case !slices.ContainsFunc(e.Means, hasWord):
		return fmt.Sprintf("what “%s” means has no word", e.Term)
	case len(e.Means) > 20:
		return fmt.Sprintf("“%s” means more than 20 things", e.Term)
	}
	return ""
}

// glossaryWeight is how much a word counts that the glossary brings.
const glossaryWeight = 0.9

// lookUpGlossary puts beside each term what it means, and beside what it means the term.
func (w *work) lookUpGlossary() string {
	if len(w.tools.Glossary) == 0 {
		return "the glossary is empty"
	}
	asked := normsOf(w.now)
	var why []string
	for _, e := range w.tools.Glossary {
		forms := append([]string{e.Term}, e.Means...)
		at := slices.IndexFunc(forms, func(f string) bool { return within(asked, normsOf(f)) })
		if at < 0 {
			continue
		}
		var ts []Term
		for i, f := range forms {
			if i != at && (at == 0 || i == 0) { // what it means says the term, not all else that it means
				for _, t := range w.held(termsOf(f)) {
					t.Weight, t.Pass = t.Weight*glossaryWeight, PassGlossary
					ts = append(ts, t)
				}
			}
		}
		if said := w.beside(ts); said != "" {
			why = append(why, forms[at]+" → "+said)
			w.context = strings.TrimSpace(w.context + " " + said)
			w.shown = strings.TrimSpace(strings.TrimSuffix(w.shown, said))
			w.replaced = true
		}
	}
	if len(why) == 0 {
		return "no term of the glossary is asked about"
	}
	return strings.Join(why, ", ")
}

// held gives a form's terms when the corpus holds all of them: half of a name finds something else.
func (w *work) held(ts []Term) []Term {
	for _, t := range ts {
		if w.tools.Corpus.Frequency(t.Stem) == 0 {
			return nil
		}
	}
	return ts
}

func normsOf(s string) []string {
	ws := text.Words(s)
	out := make([]string, len(ws))
	for i, x := range ws {
		out[i] = x.Norm
	}
	return out
}

// within reports whether a run of words stands in another.
func within(in, run []string) bool {
	for i := 0; len(run) > 0 && i+len(run) <= len(in); i++ {
		if slices.Equal(in[i:i+len(run)], run) {
			return true
		}
	}
	return false
}
