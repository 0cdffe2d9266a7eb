package query

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"

	"jolvex/core/index"
)

// No word of one language is put right into one of another, and no term of the glossary into anything.
func TestNothingIsMendedIntoAnotherLanguage(t *testing.T) {
	b := index.NewBuilder(index.Public)
	b.Add(index.Entry{Document: "a"}, index.Texts{index.Body: "A combine costs nothing and is cute; the ram and the war; hand luggage; und so weiter"})
	v := (&index.Snapshot{Parts: []index.Part{{Segment: b.Build()}}}).See(index.Public)
	ask := func(q string) Reading {
		return Read(t.Context(), Question{Text: q}, Tools{Corpus: v, Lexicon: english, Glossary: []Entry{{Term: "RMA", Means: []string{"return of goods"}}}}, all)
	}
	for q, language := range map[string]string{"Combien coûte": "fr", "Combien ça coûte?": "fr", "Wieviel kostet ein Hund?": "de", "¿Cuánto cuesta?": "es"} {
		r := ask(q)
		assert.Equal(t, language, r.Language, q)
		for _, s := range r.Steps {
			assert.False(t, s.Pass == PassSpelling && s.Changed, "%s: %s", q, s.After)
		}
	}
	r := ask("RMA number")
	assert.NotContains(t, stems(r), "ram", "a term of the glossary is written as it is meant to be")
	fixed, _ := correct("hund", v, english, nil)
	assert.NotEqual(t, "und", fixed, "a word is never mended into one that carries no subject")
	fixed, _ = correct("handd", v, english, nil)
	assert.Equal(t, "hand", fixed, "what is misspelt is mended still")
}

// A word of more letters than any has is not mended: finding what is near it would take long.
func TestTheLongestWordsAreLeft(t *testing.T) {
	v := corpus()
	long := strings.Repeat("timetable", 5)
	fixed, note := correct("the "+long+"s and the timetabel", v, english, nil)
	assert.Equal(t, "the "+long+"s and the timetable", fixed)
	assert.NotContains(t, note, long)
	assert.Empty(t, compounds(long, v))
}
