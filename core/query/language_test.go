package query

import (
	"bufio"
	"encoding/json"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"jolvex/core/index"
	"jolvex/core/text"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// in reads a question over a corpus of a language that holds one page.
func in(t *testing.T, q, language, page string) Reading {
	t.Helper()
	b := index.NewBuilder(index.Public)
	b.Add(index.Entry{Document: "a", Language: language}, index.Texts{"", "", page})
	v := (&index.Snapshot{Parts: []index.Part{{Segment: b.Build()}}}).See(index.Public)
	return Read(t.Context(), Question{Text: q}, Tools{Corpus: v, Lexicon: vectors(), Language: language}, all)
}

func TestShortQuestionsTellTheirLanguage(t *testing.T) {
	english, german := "The boats carry bicycles, dogs and cars to Sandrel.", "Die Schiffe nehmen Fahrräder, Hunde und Autos mit nach Sandrel."
	for q, want := range map[string]string{
		"Fundsachen Aufbewahrungsfrist":     "de",
		"Zwischenablage":                    "de",
		"Öffnungszeiten":                    "de",
		"¿dónde está el horario":            "es",
		"embarquement des voitures":         "fr",
		"Combien coûte un vélo":             "fr",
		"Hund mitnehmen erlaubt":            "de",
		"refund kayak":                      "",
		"bycicle pirces":                    "", // slips
		"Volkswagen Tiguan":                 "", // names
		"Pellworth timetable":               "",
		"dpkg-reconfigure locales":          "",
		"wifi":                              "",
		"opening hours for Sandrel museums": "",
	} {
		assert.Equal(t, want, in(t, q, "en", english).Tongue, q)
	}
	for q, want := range map[string]string{
		"Was kostet ein Hund?":           "de",
		"Fahrrad Preis":                  "de",
		"Where can I leave luggage?":     "",
		"luggage lockers":                "",
		"¿Dónde puedo dejar mi maleta?":  "es",
		"Puis-je emmener mon chien ?":    "fr",
		"Hunde Sandrel":                  "de",
		"He perdido mi paraguas a bordo": "es",
		"Wann fährt das erste Schiff ab": "de",
	} {
		assert.Equal(t, want, in(t, q, "de", german).Tongue, q)
	}
}

func TestSpellingInAnotherLanguage(t *testing.T) {
	page := "Kunden fahren mit dem Schiff; die Stornierung ist kostenlos, und das Ticket gilt einen Monat."
	for q, want := range map[string]string{
		"Darf mein Hund mit?":           "Darf mein Hund mit?",
		"Hunde":                         "Hunde", // not Kunden
		"Wie geht eine Stornierng?":     "Wie geht eine stornierung?",
		"Was ist mit den Stornierungen": "Was ist mit den Stornierungen", // another form
	} {
		r := in(t, q, "de", page)
		assert.Equal(t, want, r.Wordings[len(r.Wordings)-1].Text, q)
	}
}

// Questions that were written in English, most of them short, are not taken for another language.
func TestEnglishQuestionsStayEnglish(t *testing.T) {
	files, err := filepath.Glob("../../tools/evaluate/*.jsonl")
	require.NoError(t, err)
	own, err := filepath.Glob("../../demo/sets/[fs]*.jsonl")
	require.NoError(t, err)
	n := 0
	for _, file := range append(files, own...) {
		f, err := os.Open(file)
		require.NoError(t, err)
		sc := bufio.NewScanner(f)
		sc.Buffer(nil, 1<<20)
		for sc.Scan() {
			var q struct{ Question string }
			if json.Unmarshal(sc.Bytes(), &q) != nil || q.Question == "" {
				continue
			}
			n++
			// Over a corpus that holds none of its words, which is the hardest to tell by.
			if r := in(t, q.Question, "en", "nothing"); r.Language != "" {
				assert.Contains(t, []string{"Darf ich meinen Hund mitnehmen?", "Combien coûte un vélo ?"}, q.Question, r.Language)
			}
		}
		require.NoError(t, f.Close())
	}
	assert.Greater(t, n, 300)
}

func TestCourtesiesTellTheirLanguage(t *testing.T) {
	for said, want := range map[string]string{"Vielen Dank!": "de", "Bonjour": "fr", "hola": "es", "Guten Tag zusammen": "de", "thanks": "", "Hello": ""} {
		assert.Equal(t, want, courtesyIn(said), said)
	}
}

// A long message of words that nobody knows is not held against the vocabulary word by word to tell its language.
func TestLongNoiseIsToldByItsLettersAlone(t *testing.T) {
	w := &work{now: strings.Repeat("zwqrtypsd ", 40), tools: Tools{Corpus: nil}} // a look at the corpus would panic
	assert.Empty(t, w.byStrangeWords(text.Words(w.now), "en"))
}
