package app_test

import (
	"bytes"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"jolvex/core/answer"
	"jolvex/core/embed"
	"jolvex/core/query"
	"jolvex/core/questions"
	"jolvex/demo"
	"jolvex/internal/app"
)

// visitors is a corpus of the demo's German pages, read by the encoder of many languages.
func visitors(t *testing.T, dir string) *app.App {
	t.Helper()
	a := open(t, dir)
	t.Cleanup(func() { assert.NoError(t, a.Close()) })
	_, err := a.CreateCorpus(t.Context(), "c")
	require.NoError(t, err)
	m, err := a.Indexing.Method(t.Context(), "c")
	require.NoError(t, err)
	m.Embed.Grade = embed.GradeMany
	_, err = a.Indexing.SaveMethod(t.Context(), "c", m)
	require.NoError(t, err)
	for _, f := range demo.VisitorPages() {
		d, err := a.Gathering.Upload(t.Context(), "c", f.Name, "", f.Body)
		require.NoError(t, err)
		assert.Equal(t, "indexed", d.State, f.Name)
	}
	idle(t, a, "c")
	assert.Equal(t, embed.GradeMany, meaning(t, a))
	return a
}

func TestQuestionsInFourLanguagesOverGermanPages(t *testing.T) {
	a := visitors(t, t.TempDir())
	for _, c := range []struct{ question, tongue, leads, says string }{
		{"Was passiert bei Nebel?", "de", "", "20 Minuten länger"},
		{"Combien coûte le transport d’un vélo ?", "fr", "D’après une page en allemand :", "£4.00"},
		{"¿Puedo llevar mi coche a Sandrel?", "es", "De una página en alemán:", "nur nach Sandrel"},
		{"How much is a bicycle?", "", "From a page in German:", "£4.00"},
		{"Is there a lift for wheelchairs?", "", "From a page in German:", "Aufzug"},
		{"Are guide dogs free?", "", "From a page in German:", "Assistenzhunde fahren kostenlos"},
	} {
		r, err := a.Asking.Ask(t.Context(), public, "c", query.Question{Text: c.question})
		require.NoError(t, err)
		require.Equal(t, answer.Answered, r.Trail.Outcome, c.question)
		assert.Equal(t, c.tongue, r.Trail.Reading.Tongue, c.question)
		assert.Contains(t, r.Reply, c.says, c.question)
		first := r.Trail.Reply[0]
		if c.leads == "" {
			assert.GreaterOrEqual(t, first.Candidate, 0, "nothing stands before a reply in the language of the question")
			continue
		}
		assert.Equal(t, c.leads, first.Text)
		assert.Equal(t, -1, first.Candidate)
		assert.Equal(t, "de", r.Trail.Candidates[r.Trail.Reply[1].Candidate].Language)
	}
	for q, says := range map[string]string{"Gibt es an Bord eine Sauna?": "nichts gefunden", "Vielen Dank": "Gern geschehen.", "Bonjour": "Bonjour. Que souhaitez-vous savoir ?", "Thanks": "You are welcome."} {
		r, err := a.Asking.Ask(t.Context(), public, "c", query.Question{Text: q})
		require.NoError(t, err)
		assert.Contains(t, r.Reply, says, q)
	}
}

func TestLanguagesThatTheEmbeddingIsNotMadeForAreTold(t *testing.T) {
	a := fresh(t)
	create(t, a, "c")
	c, err := a.Corpus(t.Context(), "c")
	require.NoError(t, err)
	assert.Empty(t, c.Foreign)
	_, err = a.Gathering.Upload(t.Context(), "c", "dogs.md", "", []byte("# Dogs\n\nDogs travel for £2.00 and must be on a lead.\n"))
	require.NoError(t, err)
	for _, f := range demo.VisitorPages() {
		_, err := a.Gathering.Upload(t.Context(), "c", f.Name, "", f.Body)
		require.NoError(t, err)
	}
	c, err = a.Corpus(t.Context(), "c")
	require.NoError(t, err)
	assert.Equal(t, []string{"de"}, c.Foreign, "told of documents that declare none")
	assert.Equal(t, c.Chunks, c.Languages["de"]+c.Languages["en"], "%v", c.Languages)
	m, err := a.Indexing.Method(t.Context(), "c")
	require.NoError(t, err)
	m.Embed.Grade = embed.GradeMany
	_, err = a.Indexing.SaveMethod(t.Context(), "c", m)
	require.NoError(t, err)
	c, err = a.Corpus(t.Context(), "c")
	require.NoError(t, err)
	assert.Empty(t, c.Foreign)
}

func TestARunTellsFiguresByLanguage(t *testing.T) {
	a := visitors(t, t.TempDir())
	qs, err := questions.ReadQuestions(bytes.NewReader(demo.VisitorQuestions()))
	require.NoError(t, err)
	_, err = a.Proving.Sets.PutQuestions(t.Context(), "c", "s", qs)
	require.NoError(t, err)
	run, _ := ran(t, a, "s")
	of := 0
	for _, l := range run.Summary.Languages {
		assert.Contains(t, []string{"de>de", "fr>de", "es>de", "en>de"}, l.Tag)
		of += l.Passed.Of
	}
	assert.Equal(t, len(qs), of, "each question is in one language")
	assert.Len(t, run.Summary.Languages, 4)
	assert.GreaterOrEqual(t, run.Summary.Passed.Hits, 13, "of %d", len(qs))
}
