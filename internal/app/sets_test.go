package app_test

import (
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"jolvex/core/diagnose"
	"jolvex/core/prove"
	"jolvex/core/query"
	"jolvex/core/questions"
	"jolvex/internal/app"
	"jolvex/internal/fault"
	"jolvex/internal/proving/runs"
	"jolvex/internal/proving/sets"
)

func TestASetKeepsItsHistory(t *testing.T) {
	a := fresh(t)
	withDogs(t, a)
	lead := questions.Question{ID: "lead", Text: "Must dogs be on a lead?", Expect: []questions.Expectation{says("muzzle")}}
	_, err := a.Proving.Sets.PutQuestions(t.Context(), "c", "s", []questions.Question{lead})
	require.NoError(t, err)
	lead.Expect = []questions.Expectation{says("lead")}
	_, err = a.Proving.Sets.Amend(t.Context(), "c", "s", lead, " ")
	require.ErrorIs(t, err, fault.ErrInput, "a reason is asked for")
	_, err = a.Proving.Sets.Amend(t.Context(), "c", "s", lead, "the page never spoke of muzzles")
	require.NoError(t, err)
	_, err = a.Proving.Sets.AddQuestions(t.Context(), "c", "s", []questions.Question{{ID: "lead", Text: "lead dogs", Expect: lead.Expect}}, "stress")
	require.NoError(t, err)
	h, err := a.Proving.Sets.SetHistory(t.Context(), "c", "s")
	require.NoError(t, err)
	require.Len(t, h, 3)
	assert.Equal(t, []string{"lead 2"}, h[0].Added, "an id that is taken gets a number")
	assert.Equal(t, []string{"lead"}, h[1].Changed)
	assert.Equal(t, "lead: the page never spoke of muzzles", h[1].Why)
	_, err = a.Proving.Sets.RestoreSet(t.Context(), "c", "s", h[2].At)
	require.NoError(t, err)
	s, err := a.Proving.Sets.QuestionSet(t.Context(), "c", "s")
	require.NoError(t, err)
	require.Len(t, s.Questions, 1)
	assert.Equal(t, []string{"muzzle"}, s.Questions[0].Expect[0].Values)
	_, err = a.Proving.Sets.RestoreSet(t.Context(), "c", "s", "never")
	assert.ErrorIs(t, err, fault.ErrMissing)
	require.NoError(t, a.Proving.Sets.RemoveSet(t.Context(), "c", "s"))
	_, err = a.Proving.Sets.SetHistory(t.Context(), "c", "s")
	assert.ErrorIs(t, err, fault.ErrMissing)
}

func TestAnExpectationWhoseSourceChangedIsFlagged(t *testing.T) {
	a := fresh(t)
	withDogs(t, a)
	_, err := a.Proving.Sets.PutQuestions(t.Context(), "c", "s", []questions.Question{
		{ID: "old", Text: "Must dogs be on a lead?", Expect: []questions.Expectation{says("lead"), cites("animals.md")}},
		{ID: "beside", Text: "Who won the cup?", Expect: []questions.Expectation{{Kind: questions.Refuses}}},
	})
	require.NoError(t, err)
	ds, err := a.Proving.Sets.Doubts(t.Context(), "c", "s")
	require.NoError(t, err)
	assert.Empty(t, ds)
	_, err = a.Gathering.Upload(t.Context(), "c", "animals.md", "", []byte("# Animals\n\nDogs must wear a muzzle.\n"))
	require.NoError(t, err)
	ds, err = a.Proving.Sets.Doubts(t.Context(), "c", "s")
	require.NoError(t, err)
	require.Len(t, ds, 1)
	assert.Equal(t, "old", ds[0].Question)
	assert.Equal(t, "animals.md", ds[0].Address)
	assert.Equal(t, []string{"lead"}, ds[0].Lost, "what is lost is listed")
	_, err = a.Gathering.Upload(t.Context(), "c", "animals.md", "", []byte("# Animals\n\nOn the quay dogs walk on a lead.\n"))
	require.NoError(t, err)
	ds, err = a.Proving.Sets.Doubts(t.Context(), "c", "s")
	require.NoError(t, err)
	require.Len(t, ds, 1)
	assert.Empty(t, ds[0].Lost, "it is found again by its text")
	_, err = a.Gathering.Upload(t.Context(), "c", "animals.md", "", []byte("# Animals\n\nDogs must wear a muzzle.\n"))
	require.NoError(t, err)
	_, err = a.Proving.Sets.Amend(t.Context(), "c", "s", questions.Question{ID: "old", Text: "Must dogs wear a muzzle?", Expect: []questions.Expectation{says("muzzle"), cites("animals.md")}}, "the page changed")
	require.NoError(t, err)
	ds, err = a.Proving.Sets.Doubts(t.Context(), "c", "s")
	require.NoError(t, err)
	assert.Empty(t, ds, "what was written since is believed")
}

func ran(t *testing.T, a *app.App, set string) (runs.Run, []runs.Result) {
	t.Helper()
	r, j, err := a.Proving.Runs.StartRun(t.Context(), "c", set, runs.Order{})
	require.NoError(t, err)
	require.Equal(t, "done", ended(t, a, "c", j.ID).State)
	run, results, err := a.Proving.Runs.RunResults(t.Context(), "c", r.ID)
	require.NoError(t, err)
	return run, results
}

func TestAScriptIsPlayedWithExpectationsAtEveryTurn(t *testing.T) {
	a := fresh(t)
	withDogs(t, a)
	_, err := a.Proving.Sets.PutQuestions(t.Context(), "c", "s", []questions.Question{
		{ID: "talk", Text: "And must it be on a lead?", Expect: []questions.Expectation{says("on a lead")}, Script: []questions.ScriptLine{{Text: "How much is a dog?", Expect: []questions.Expectation{figure("£2.00")}}}},
		{ID: "fails early", Text: "Must dogs be on a lead?", Expect: []questions.Expectation{says("on a lead")}, Script: []questions.ScriptLine{{Text: "Who won the cup?", Expect: []questions.Expectation{says("Italy")}}}},
	})
	require.NoError(t, err)
	_, rs := ran(t, a, "s")
	assert.True(t, rs[0].Verdict.Passed, "%+v", rs[0].Verdict)
	require.Len(t, rs[0].Verdict.Findings, 2)
	assert.Equal(t, 1, rs[0].Verdict.Findings[0].Turn)
	assert.False(t, rs[1].Verdict.Passed, "the last reply is right, and one before it is not")
	require.NotNil(t, rs[1].Cause)
	assert.Equal(t, diagnose.NotGathered, rs[1].Cause.Cause, "the cause is that of the message that fails first")
}

func TestVariantsThatEndAlikeAreMeasured(t *testing.T) {
	a := fresh(t)
	withDogs(t, a)
	_, err := a.Proving.Sets.PutQuestions(t.Context(), "c", "s", []questions.Question{
		{ID: "1", Group: "g", Text: "Must dogs be on a lead?", Expect: []questions.Expectation{says("on a lead")}, Answers: []string{"Dogs must be on a lead."}},
		{ID: "2", Group: "g", Text: "lead dogs", Expect: []questions.Expectation{says("no such words")}},
		{ID: "3", Group: "h", Text: "How much is a dog?", Expect: []questions.Expectation{figure("£2.00"), cites("animals.md")}},
		{ID: "4", Group: "h", Text: "dog price", Expect: []questions.Expectation{figure("£2.00"), cites("animals.md")}},
	})
	require.NoError(t, err)
	run, _ := ran(t, a, "s")
	figures := map[string]prove.Figure{}
	for _, f := range run.Summary.Figures {
		figures[f.Key] = f
		assert.LessOrEqual(t, f.Interval.Low, f.Value+1e-9, f.Key)
		assert.GreaterOrEqual(t, f.Interval.High, f.Value-1e-9, f.Key)
	}
	assert.Equal(t, 0.5, figures["agreement"].Value, "of two groups one ends alike")
	assert.Equal(t, 1.0, figures["grounded"].Value, "sentences of the evidence are carried by it")
	assert.Equal(t, 1.0, figures["citeRecall"].Value)
	assert.Positive(t, figures["f1"].Value)
	assert.Equal(t, 1, figures["f1"].Of)
	assert.Equal(t, 1.0, figures["ndcg"].Value)
}

func TestCoverageTellsWhatNoQuestionReaches(t *testing.T) {
	a := fresh(t)
	d := withDogs(t, a)
	_, err := a.Gathering.Upload(t.Context(), "c", "parking.md", "", []byte("# Parking\n\nThe car park behind the school costs £4.00 a day. Is it full? Then turn back.\n"))
	require.NoError(t, err)
	_, err = a.Proving.Sets.PutQuestions(t.Context(), "c", "s", []questions.Question{
		{ID: "1", Text: "Must dogs be on a lead?", Expect: []questions.Expectation{says("on a lead"), cites("animals.md")}},
		{ID: "2", Text: "Is there a swimming pool?", Expect: []questions.Expectation{says("heated pool")}},
	})
	require.NoError(t, err)
	before, err := a.Proving.Coverage.Coverage(t.Context(), "c", "s")
	require.NoError(t, err)
	assert.Empty(t, before.Run)
	run, _ := ran(t, a, "s")
	got, err := a.Proving.Coverage.Coverage(t.Context(), "c", "s")
	require.NoError(t, err)
	assert.Equal(t, run.ID, got.Run)
	assert.Equal(t, 1, got.Untested)
	assert.Equal(t, []string{"Is there a swimming pool?"}, got.Uncovered)
	for _, u := range got.Documents {
		if u.Document == d.ID {
			assert.Equal(t, 1, u.Tested)
			assert.Equal(t, 1, u.Cited)
			assert.Equal(t, []string{"1"}, u.Asks)
			require.NotEmpty(t, u.Strata)
			assert.Positive(t, u.Strata[0].Cited)
		}
	}
	ps, err := a.Proving.Sets.Proposals(t.Context(), "c")
	require.NoError(t, err)
	require.NotEmpty(t, ps)
	assert.Equal(t, "parking.md", ps[0].Address, "what no question tests comes first")
	_, err = a.Proving.Sets.AddQuestions(t.Context(), "c", "s", []questions.Question{ps[0].Question}, "proposed")
	require.NoError(t, err)
	after, err := a.Proving.Sets.Proposals(t.Context(), "c")
	require.NoError(t, err)
	for _, p := range after {
		assert.NotEqual(t, ps[0].Question.Text, p.Question.Text, "what a set asks already is not proposed")
	}
	vs, err := a.Proving.Sets.Stress(t.Context(), "c", questions.Question{ID: "x", Text: "How much is parking?", Expect: []questions.Expectation{figure("£4.00")}})
	require.NoError(t, err)
	assert.NotEmpty(t, vs)
}

func TestSetsAndRunsAreWritten(t *testing.T) {
	a := fresh(t)
	withDogs(t, a)
	_, err := a.Proving.Sets.PutQuestions(t.Context(), "c", "s", []questions.Question{{ID: "1", Text: "Must dogs be on a lead?", Turns: []query.Turn{}, Expect: []questions.Expectation{says("on a lead"), cites("animals.md")}}})
	require.NoError(t, err)
	for form, want := range map[string]string{"jsonl": `"question":"Must dogs be on a lead?"`, "csv": "1,Must dogs be on a lead?,on a lead", "qrels": "1 0 animals.md 1", "squad": `"text":"on a lead"`} {
		raw, err := a.Proving.Sets.ExportSet(t.Context(), "c", "s", form)
		require.NoError(t, err)
		assert.Contains(t, string(raw), want)
	}
	raw, err := a.Proving.Sets.ExportSet(t.Context(), "c", "s", "beir")
	require.NoError(t, err)
	m, err := questions.ReadSet(raw)
	require.NoError(t, err)
	assert.Len(t, m.Questions, 1)
	got, err := a.Proving.Sets.ImportQrels(t.Context(), "c", "s", []byte("1 0 /rules 1\n9 0 /x 1\n"))
	require.NoError(t, err)
	assert.Equal(t, []string{"the set has no question 9"}, got.Problems)
	s, err := a.Proving.Sets.QuestionSet(t.Context(), "c", "s")
	require.NoError(t, err)
	assert.Equal(t, []string{"/rules"}, s.Questions[0].Expect[1].Values)
	_, err = a.Proving.Sets.ImportQrels(t.Context(), "c", "s", []byte("9 0 /x 1\n"))
	require.ErrorIs(t, err, fault.ErrInput)
	_, err = a.Proving.Sets.ExportSet(t.Context(), "c", "s", "xml")
	require.ErrorIs(t, err, fault.ErrInput)
	run, _ := ran(t, a, "s")
	raw, err = a.Proving.Runs.ExportRun(t.Context(), "c", run.ID, runs.FormRun)
	require.NoError(t, err)
	assert.True(t, strings.HasPrefix(string(raw), "1 Q0 animals.md 1 "), string(raw))
}

func TestATryAppliesNothing(t *testing.T) {
	a := fresh(t)
	withDogs(t, a)
	asked(t, a, 2)
	before, _ := ran(t, a, "s")
	r, j, err := a.Proving.Runs.StartRun(t.Context(), "c", "s", runs.Order{Change: diagnose.Alteration{Settings: map[string]string{"answer.bar": "1"}}, Note: "a bar of 1"})
	require.NoError(t, err)
	require.Equal(t, "done", ended(t, a, "c", j.ID).State)
	m, err := a.Indexing.Method(t.Context(), "c")
	require.NoError(t, err)
	assert.NotEqual(t, 1.0, m.Answer.Bar)
	got, err := a.Proving.Runs.CompareRuns(t.Context(), "c", before.ID, r.ID)
	require.NoError(t, err)
	assert.Equal(t, []string{"0", "1"}, got.Sums.Broken)
	again, _ := ran(t, a, "s")
	assert.Equal(t, before.ID, again.Before, "what was tried is no step of the draft")
	_, _, err = a.Proving.Runs.StartRun(t.Context(), "c", "s", runs.Order{Change: diagnose.Alteration{Settings: map[string]string{"answer.bar": "9"}}, Note: "x"})
	assert.ErrorIs(t, err, fault.ErrInput)
}

func TestOldRunsStayReadableWhenASourceIsDeleted(t *testing.T) {
	a := fresh(t)
	d := withDogs(t, a)
	asked(t, a, 1)
	run, _ := ran(t, a, "s")
	require.NoError(t, a.Gathering.RemoveSource(t.Context(), "c", d.Source))
	_, rs, err := a.Proving.Runs.RunResults(t.Context(), "c", run.ID)
	require.NoError(t, err)
	assert.Contains(t, rs[0].Reply, "lead")
	r, err := a.Proving.Runs.ResultReply(t.Context(), "c", run.ID, "0")
	require.NoError(t, err)
	require.NotEmpty(t, r.Evidence)
	assert.Contains(t, r.Evidence[0].Text, "lead")
	assert.Equal(t, "no longer there", r.Evidence[0].Address)
}

func TestRepeatsOfARun(t *testing.T) {
	a := fresh(t)
	withDogs(t, a)
	asked(t, a, 2)
	r, j, err := a.Proving.Runs.StartRun(t.Context(), "c", "s", runs.Order{Repeats: 3})
	require.NoError(t, err)
	require.Equal(t, "done", ended(t, a, "c", j.ID).State)
	run, rs, err := a.Proving.Runs.RunResults(t.Context(), "c", r.ID)
	require.NoError(t, err)
	assert.Equal(t, []bool{true, true, true}, rs[0].Verdict.Repeats, "without a model the same question gets the same reply")
	for _, f := range run.Summary.Figures {
		if f.Key == "steady" {
			assert.Equal(t, 1.0, f.Value)
		}
	}
	_, _, err = a.Proving.Runs.StartRun(t.Context(), "c", "s", runs.Order{Repeats: 100})
	assert.ErrorIs(t, err, fault.ErrInput)
}

func TestWhatWasAskedIsProposed(t *testing.T) {
	a := fresh(t)
	withDogs(t, a)
	for _, q := range []string{"How much is a dog?", "how much is a dog?", "Who won the cup?", "hello"} {
		_, err := a.Asking.Ask(t.Context(), public, "c", query.Question{Text: q})
		require.NoError(t, err)
	}
	ps, err := a.Proving.Sets.Proposals(t.Context(), "c")
	require.NoError(t, err)
	var talk []questions.Proposal
	for _, p := range ps {
		if p.Kind == questions.FromTalk {
			talk = append(talk, p)
		}
	}
	require.Len(t, talk, 2, "each question once, and no courtesy")
	assert.Equal(t, questions.Refuses, talk[0].Question.Expect[0].Kind)
	assert.Equal(t, []string{"animals.md"}, talk[1].Question.Expect[0].Values)
	_, err = a.Proving.Sets.AddQuestions(t.Context(), "c", "s", []questions.Question{talk[0].Question, talk[1].Question}, "asked")
	require.NoError(t, err)
}

// Several who add to one set at once lose nothing of each other's.
func TestQuestionsAddedAtOnceAreAllKept(t *testing.T) {
	a := fresh(t)
	withDogs(t, a)
	const n = 12
	errs := make(chan error, n)
	for i := range n {
		go func() {
			_, err := a.Proving.Sets.AddQuestions(t.Context(), "c", "s", []questions.Question{{ID: "asked", Text: fmt.Sprintf("Question %d?", i), Expect: []questions.Expectation{{Kind: questions.Refuses}}}}, "")
			errs <- err
		}()
	}
	for range n {
		require.NoError(t, <-errs)
	}
	s, err := a.Proving.Sets.QuestionSet(t.Context(), "c", "s")
	require.NoError(t, err)
	texts := map[string]bool{}
	for _, q := range s.Questions {
		texts[q.Text] = true
	}
	assert.Len(t, texts, n)
}

func TestSomeQuestionsOfASetAreChanged(t *testing.T) {
	a := fresh(t)
	withDogs(t, a)
	ask := func(id string, es ...questions.Expectation) questions.Question {
		return questions.Question{ID: id, Text: "What of " + id + "?", Expect: es}
	}
	first, err := a.Proving.Sets.PutQuestions(t.Context(), "c", "s", []questions.Question{ask("a", says("x")), ask("b", says("y")), ask("c", says("z"))})
	require.NoError(t, err)
	changed := ask("b", says("w"))
	second, err := a.Proving.Sets.EditQuestions(t.Context(), "c", "s", sets.Edit{Over: first.Version, Put: []questions.Question{changed, ask("d", says("v"))}, Drop: []string{"a"}, Order: []string{"d", "b", "c"}})
	require.NoError(t, err)
	got, err := a.Proving.Sets.QuestionPage(t.Context(), "c", "s", 0, 2)
	require.NoError(t, err)
	assert.Equal(t, []questions.Question{ask("d", says("v")), changed}, got.Questions)
	assert.Equal(t, 3, got.Count)
	_, err = a.Proving.Sets.EditQuestions(t.Context(), "c", "s", sets.Edit{Over: first.Version, Drop: []string{"c"}})
	require.ErrorIs(t, err, fault.ErrChanged, "somebody else changed it")
	for _, order := range [][]string{{"d", "b"}, {"d", "b", "b"}, {"d", "b", "q"}} {
		_, err = a.Proving.Sets.EditQuestions(t.Context(), "c", "s", sets.Edit{Over: second.Version, Order: order})
		require.ErrorIs(t, err, fault.ErrInput, "%v", order)
	}
}

func TestQuestionsThatCannotBeMeantSo(t *testing.T) {
	a := fresh(t)
	withDogs(t, a)
	qs := []questions.Question{
		{ID: "fine", Text: "Must dogs be on a lead?", Expect: []questions.Expectation{says("on a lead"), {Kind: questions.Cites, Values: []string{"animals.md"}}}},
		{ID: "both", Text: "Who won?", Expect: []questions.Expectation{{Kind: questions.Refuses}, says("Italy")}},
		{ID: "rule", Text: "Help", Expect: []questions.Expectation{{Kind: questions.Follows, Values: []string{"Flood"}}}},
		{ID: "page", Text: "How much?", Expect: []questions.Expectation{{Kind: questions.Cites, Values: []string{"/gone"}}}},
		{ID: "talk", Text: "And?", Expect: []questions.Expectation{says("x")}, Script: []questions.ScriptLine{{Text: "hello", Expect: []questions.Expectation{{Kind: questions.Reaches, Values: []string{"w"}, Document: "/gone"}}}}},
	}
	_, err := a.Proving.Sets.PutQuestions(t.Context(), "c", "s", qs)
	require.NoError(t, err)
	got, err := a.Proving.Sets.Problems(t.Context(), "c", "s")
	require.NoError(t, err)
	by := map[string]string{}
	for _, p := range got {
		by[p.Question] = p.What
	}
	assert.Equal(t, map[string]string{
		"both": "it refuses, and it says something", "rule": "there is no house rule “Flood”",
		"page": "no page or document is called “/gone”", "talk": "no page or document is called “/gone”",
	}, by)
	body, err := a.Proving.Sets.ExportSet(t.Context(), "c", "s", sets.FormJSONL)
	require.NoError(t, err)
	read, err := a.Proving.Sets.ImportSet(t.Context(), "c", "copy", body, false, true)
	require.NoError(t, err)
	assert.Equal(t, got, read.Doubtful, "told before it is kept, too")
	assert.Empty(t, read.Problems, "and nothing of it is refused")
}
