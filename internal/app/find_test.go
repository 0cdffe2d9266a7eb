package app_test

import (
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"jolvex/core/chunk"
	"jolvex/core/doc"
	"jolvex/core/index"
	"jolvex/core/method"
	"jolvex/core/query"
	"jolvex/core/questions"
	"jolvex/internal/app"
	"jolvex/internal/asking"
	"jolvex/internal/fault"
	"jolvex/internal/proving/runs"
	"jolvex/internal/proving/sets"
	"jolvex/internal/proving/trials"
	"jolvex/internal/store"
)

// library is a corpus of a dozen short documents on different things, and a set with two questions on each.
func library(t *testing.T) *app.App {
	t.Helper()
	a := fresh(t)
	create(t, a, "c")
	var qs []questions.Question
	for i, s := range strings.Split("dog|bicycle|kayak|pram|wheelchair|car|trailer|caravan|parcel|letter|piano|sheep", "|") {
		text := fmt.Sprintf("# Taking a %s\n\nA %s costs £%d.50 each way.\n\n## Where it goes\n\nEvery %s stands at berth %d until the boat has left.\n", s, s, i+1, s, i+3)
		_, err := a.Gathering.Upload(t.Context(), "c", s+".md", "", []byte(text))
		require.NoError(t, err)
		for k, ask := range []string{"How much is a " + s + "?", "At which berth is the " + s + "?"} {
			q := expected(fmt.Sprintf("%s%d", s, k), ask, questions.Expectation{Kind: questions.Cites, Values: []string{s + ".md"}})
			q.Group = s
			qs = append(qs, q)
		}
	}
	_, err := a.Proving.Sets.PutQuestions(t.Context(), "c", "set", qs)
	require.NoError(t, err)
	return a
}

func TestTryingOutChangesNothing(t *testing.T) {
	a := library(t)
	q := query.Question{Text: "How much is a dog?"}
	draft, err := a.Asking.Find(t.Context(), public, "c", q, asking.Variant{})
	require.NoError(t, err)
	m, err := a.Indexing.Method(t.Context(), "c")
	require.NoError(t, err)
	f := m.Find
	f.Dense, f.Fusion = 1, "ranks"
	tried, err := a.Asking.Find(t.Context(), public, "c", q, asking.Variant{Find: &f})
	require.NoError(t, err)
	assert.NotEqual(t, draft.Evidence[0].Score, tried.Evidence[0].Score)
	assert.NotEqual(t, draft.Trail.Pins.Method, tried.Trail.Pins.Method)
	again, err := a.Asking.Find(t.Context(), public, "c", q, asking.Variant{})
	require.NoError(t, err)
	assert.Equal(t, draft.Evidence, again.Evidence)
	f.Dense = 7
	_, err = a.Asking.Find(t.Context(), public, "c", q, asking.Variant{Find: &f})
	require.ErrorIs(t, err, fault.ErrInput)
	assert.ErrorContains(t, err, "find.dense: 7 is outside 0 to 1")
	_, err = a.Asking.Find(t.Context(), public, "c", q, asking.Variant{Filter: index.Filter{Until: "tomorrow"}})
	require.ErrorIs(t, err, fault.ErrInput)

	narrow, err := a.Asking.Find(t.Context(), public, "c", q, asking.Variant{Filter: index.Filter{Kinds: []string{"film"}}})
	require.NoError(t, err)
	assert.Empty(t, narrow.Evidence)
	require.NotEmpty(t, narrow.Left)
	assert.Equal(t, "filter: kind", narrow.Left[0].Why)
	assert.Equal(t, draft.Evidence[0].Document, narrow.Left[0].Document, "what would have been first is told")
}

func TestPriorityLiftsASource(t *testing.T) {
	a := library(t)
	_, err := a.Gathering.PutText(t.Context(), "c", "Notes on the dog", "A dog is an animal. The dog of the pier is called Rex.")
	require.NoError(t, err)
	ss, err := a.Gathering.Sources(t.Context(), "c")
	require.NoError(t, err)
	id := ""
	for _, s := range ss {
		if s.Kind == "text" {
			id = s.ID
		}
	}
	q := query.Question{Text: "dog"}
	high, err := a.Asking.Find(t.Context(), public, "c", q, asking.Variant{Priority: map[string]int{id: 3}})
	require.NoError(t, err)
	low, err := a.Asking.Find(t.Context(), public, "c", q, asking.Variant{Priority: map[string]int{id: -3}})
	require.NoError(t, err)
	place := func(r *asking.Reply) int {
		for i, e := range r.Evidence {
			if strings.Contains(e.Text, "Rex") {
				return i
			}
		}
		return 99
	}
	assert.Zero(t, place(high))
	assert.Positive(t, place(low))
	assert.Contains(t, strings.Join(high.Evidence[0].Why, "; "), "comes from a preferred source")
}

func TestPlacingManyQuestions(t *testing.T) {
	a := library(t)
	m, err := a.Indexing.Method(t.Context(), "c")
	require.NoError(t, err)
	words := m.Find
	words.Dense, words.DenseWords, words.Sentence = 0, 0, 0
	got, err := a.Proving.Trials.Place(t.Context(), public, "c", []trials.Asking{
		{ID: "1", Text: "How much is a dog?", Expect: []questions.Expectation{{Kind: questions.Cites, Values: []string{"dog.md"}}}},
		{ID: "2", Text: "What does my puppy cost?", Expect: []questions.Expectation{{Kind: questions.Cites, Values: []string{"nowhere.md"}}}},
		{ID: "3", Text: "piano"},
	}, []asking.Variant{{}, {Find: &words}})
	require.NoError(t, err)
	require.Len(t, got, 3)
	assert.Equal(t, 1, got[0].Under[0].Rank)
	assert.Equal(t, 0, got[1].Under[1].Rank, "not found")
	assert.Equal(t, -1, got[2].Under[0].Rank, "nothing is expected")
	assert.Equal(t, "Taking a piano", got[2].Under[1].Title)
	_, err = a.Proving.Trials.Place(t.Context(), public, "c", nil, []asking.Variant{{}})
	require.ErrorIs(t, err, fault.ErrInput)
	_, err = a.Proving.Trials.Place(t.Context(), public, "c", make([]trials.Asking, 51), []asking.Variant{{}})
	require.ErrorIs(t, err, fault.ErrInput)
}

// "This is the one": the candidate becomes an expectation, the run judges by it, the preview marks it, and another pin of
// the same question takes its place.
func TestPinning(t *testing.T) {
	a := library(t)
	q := "Where does the piano go?"
	r, err := a.Asking.Find(t.Context(), public, "c", query.Question{Text: q}, asking.Variant{})
	require.NoError(t, err)
	e := r.Evidence[0]
	pin := sets.Pin{Set: "mine", Question: q, Document: e.Document, Version: e.Version, Span: e.Span}
	got, err := a.Proving.Sets.Pin(t.Context(), "c", pin)
	require.NoError(t, err)
	require.Len(t, got.Expect, 1)
	assert.Equal(t, questions.Reaches, got.Expect[0].Kind)
	assert.Contains(t, got.Expect[0].Values[0], "piano")
	pin.Passage = "stands at berth 13"
	again, err := a.Proving.Sets.Pin(t.Context(), "c", pin)
	require.NoError(t, err)
	assert.Equal(t, got.ID, again.ID)
	s, err := a.Proving.Sets.QuestionSet(t.Context(), "c", "mine")
	require.NoError(t, err)
	require.Len(t, s.Questions, 1)
	assert.Equal(t, []string{"stands at berth 13"}, s.Questions[0].Expect[0].Values)

	run, job, err := a.Proving.Runs.StartRun(t.Context(), "c", "mine", runs.Order{})
	require.NoError(t, err)
	require.Equal(t, "done", ended(t, a, "c", job.ID).State)
	_, results, err := a.Proving.Runs.RunResults(t.Context(), "c", run.ID)
	require.NoError(t, err)
	assert.True(t, results[0].Verdict.Findings[0].Held, results[0].Verdict.Findings[0].Note)

	p, err := a.Indexing.Preview(t.Context(), "c", e.Document, method.Default().Chunk, nil)
	require.NoError(t, err)
	require.Len(t, p.Passages, 1, "the pin: what the other set cites names no wording")
	assert.Equal(t, "stands at berth 13", p.Document.Text[p.Passages[0].Span.Start:p.Passages[0].Span.End])
	assert.False(t, p.Passages[0].Cut)
	pin.Span = doc.Span{Start: 1 << 20, End: 1<<20 + 5}
	pin.Passage = ""
	_, err = a.Proving.Sets.Pin(t.Context(), "c", pin)
	require.ErrorIs(t, err, fault.ErrInput)
	pin.Document = "unknown"
	_, err = a.Proving.Sets.Pin(t.Context(), "c", pin)
	require.ErrorIs(t, err, fault.ErrMissing)
}

func TestPreviewOfTwoSettings(t *testing.T) {
	a := library(t)
	ds, _, err := a.Indexing.Documents(t.Context(), "c", store.Filter{Text: "piano", Limit: 1})
	require.NoError(t, err)
	d := ds[0]
	r, err := a.Asking.Ask(t.Context(), public, "c", query.Question{Text: "At which berth is the piano?"})
	require.NoError(t, err)
	require.NotEmpty(t, r.Cited)
	s := method.Default().Chunk
	s.Least = 0
	other := s
	other.Strategy, other.Size, other.Overlap = chunk.Fixed, 32, 0
	p, err := a.Indexing.Preview(t.Context(), "c", d.ID, s, &other)
	require.NoError(t, err)
	require.NotNil(t, p.Other)
	seen := 0
	for _, l := range p.Chunks {
		seen += l.Seen
	}
	assert.Positive(t, seen, "what was kept for the reply is counted")
	for _, l := range p.Chunks {
		same := false
		for _, o := range p.Other.Chunks {
			same = same || o.Span == l.Span
		}
		assert.Equal(t, same, l.Same)
	}
	other.Overlap = 99
	_, err = a.Indexing.Preview(t.Context(), "c", d.ID, s, &other)
	require.ErrorIs(t, err, fault.ErrInput)
	assert.ErrorContains(t, err, "99 tokens of overlap must be fewer than the size of 32")
}

func TestFiguresOfTheWholeCorpus(t *testing.T) {
	a := library(t)
	s := method.Default().Chunk
	got, err := a.Indexing.CuttingFigures(t.Context(), "c", s, nil, true)
	require.NoError(t, err)
	assert.Equal(t, 12, got.Total)
	assert.Equal(t, 12, got.Stats.Documents)
	c, err := a.Corpus(t.Context(), "c")
	require.NoError(t, err)
	assert.Equal(t, c.Chunks, got.Stats.Chunks, "the figures of the settings in force are those of the index")
	ss, err := a.Gathering.Sources(t.Context(), "c")
	require.NoError(t, err)
	own := s
	own.Strategy, own.Inner = chunk.Small, 0
	small, err := a.Indexing.CuttingFigures(t.Context(), "c", s, map[string]chunk.Settings{ss[0].ID: own}, false)
	require.NoError(t, err)
	assert.Greater(t, small.Stats.Chunks, got.Stats.Chunks)
	own.Window = 0
	_, err = a.Indexing.CuttingFigures(t.Context(), "c", s, map[string]chunk.Settings{ss[0].ID: own}, false)
	require.ErrorIs(t, err, fault.ErrInput)
}

// A source of its own is cut in its own way, and a small chunk brings its section to the reply.
func TestASourceCutInItsOwnWay(t *testing.T) {
	a := library(t)
	ss, err := a.Gathering.Sources(t.Context(), "c")
	require.NoError(t, err)
	m, err := a.Indexing.Method(t.Context(), "c")
	require.NoError(t, err)
	before, err := a.Corpus(t.Context(), "c")
	require.NoError(t, err)
	own := m.Chunk
	own.Strategy, own.Inner = chunk.Small, 0
	m.Sources = map[string]chunk.Settings{ss[0].ID: own}
	j, err := a.Indexing.SaveMethod(t.Context(), "c", m)
	require.NoError(t, err)
	require.NotNil(t, j)
	require.Equal(t, "done", ended(t, a, "c", j.ID).State)
	idle(t, a, "c")
	after, err := a.Corpus(t.Context(), "c")
	require.NoError(t, err)
	assert.Greater(t, after.Chunks, before.Chunks)
	r, err := a.Asking.Ask(t.Context(), public, "c", query.Question{Text: "At which berth is the piano?"})
	require.NoError(t, err)
	e := r.Evidence[0]
	assert.NotEmpty(t, e.Section)
	assert.Contains(t, e.Section, e.Text)
	assert.Contains(t, r.Reply, "berth 13")
}

func TestStudies(t *testing.T) {
	a := library(t)
	_, j, err := a.Proving.Trials.StartStudy(t.Context(), "c", "set", trials.StudyAblation)
	require.NoError(t, err)
	require.Equal(t, "done", ended(t, a, "c", j.ID).State)
	_, j, err = a.Proving.Trials.StartStudy(t.Context(), "c", "set", trials.StudyFit)
	require.NoError(t, err)
	require.Equal(t, "done", ended(t, a, "c", j.ID).State)
	ss, err := a.Proving.Trials.Studies(t.Context(), "c")
	require.NoError(t, err)
	require.Len(t, ss, 2)
	fit, ablation := ss[0].Fit, ss[1].Ablation
	require.NotNil(t, fit)
	require.NotNil(t, ablation)
	assert.Equal(t, 24, ablation.Whole.Questions)
	assert.Greater(t, ablation.Whole.MRR, 0.8)
	assert.NotEmpty(t, ablation.Parts)
	assert.Equal(t, 12, fit.Clusters, "two variants of each are one cluster")
	assert.GreaterOrEqual(t, fit.After, fit.Before)
	assert.Empty(t, ss[1].Stale)
	m, err := a.Indexing.Method(t.Context(), "c")
	require.NoError(t, err)
	m.Find.Dense = 0.3
	_, err = a.Indexing.SaveMethod(t.Context(), "c", m)
	require.NoError(t, err)
	ss, err = a.Proving.Trials.Studies(t.Context(), "c")
	require.NoError(t, err)
	assert.Equal(t, []string{"find.dense"}, ss[0].Stale)

	_, err = a.Proving.Sets.PutQuestions(t.Context(), "c", "refusals", []questions.Question{expected("1", "Who won the cup?", questions.Expectation{Kind: questions.Refuses})})
	require.NoError(t, err)
	_, j, err = a.Proving.Trials.StartStudy(t.Context(), "c", "refusals", trials.StudyAblation)
	require.NoError(t, err)
	end := ended(t, a, "c", j.ID)
	assert.Equal(t, "failed", end.State)
	assert.Contains(t, end.Error, "names a document to be cited or a passage to be reached")
	_, _, err = a.Proving.Trials.StartStudy(t.Context(), "c", "set", "guess")
	require.ErrorIs(t, err, fault.ErrInput)
	_, _, err = a.Proving.Trials.StartStudy(t.Context(), "c", "missing", trials.StudyFit)
	require.ErrorIs(t, err, fault.ErrMissing)
}
