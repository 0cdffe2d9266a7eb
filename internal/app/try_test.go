package app_test

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"jolvex/core/query"
	"jolvex/core/questions"
	"jolvex/core/rule"
	"jolvex/internal/asking"
	"jolvex/internal/fault"
)

func TestTryingKeepsNothing(t *testing.T) {
	a := fresh(t)
	withDogs(t, a)
	m, err := a.Indexing.Method(t.Context(), "c")
	require.NoError(t, err)
	strict := m.Answer
	strict.Bar = 1
	q := query.Question{Text: "Must dogs be on a lead?"}
	r, err := a.Asking.Try(t.Context(), public, "c", q, asking.Variant{Answer: &strict})
	require.NoError(t, err)
	assert.True(t, r.Refused)
	assert.Empty(t, r.ID)
	rules := []rule.Rule{{ID: "x", Name: "X", Then: []rule.Action{{Kind: rule.Alert, To: "http://127.0.0.1:1/"}, {Kind: rule.Reply, Text: "No."}}}}
	r, err = a.Asking.Try(t.Context(), public, "c", q, asking.Variant{Rules: &rules})
	require.NoError(t, err)
	assert.Equal(t, "No.", r.Reply)
	ns, err := a.Asking.Notices(t.Context(), "c")
	require.NoError(t, err)
	assert.Empty(t, ns, "no alert is raised by trying")
	strict.Bar = 2
	_, err = a.Asking.Try(t.Context(), public, "c", q, asking.Variant{Answer: &strict})
	assert.ErrorIs(t, err, fault.ErrInput)
}

func TestTheSheetIsKept(t *testing.T) {
	a := fresh(t)
	withDogs(t, a)
	got, err := a.Asking.SaveSheet(t.Context(), "c", []string{" Must dogs be on a lead? ", "", "Must dogs be on a lead?", "Fog?"})
	require.NoError(t, err)
	assert.Equal(t, []string{"Must dogs be on a lead?", "Fog?"}, got)
	got, err = a.Asking.Sheet(t.Context(), "c")
	require.NoError(t, err)
	assert.Len(t, got, 2)
	many := make([]string, 41)
	for i := range many {
		many[i] = strings.Repeat("x", i+1)
	}
	_, err = a.Asking.SaveSheet(t.Context(), "c", many)
	assert.ErrorIs(t, err, fault.ErrInput)
}

func TestQuestionsAreWeighedForTheCurve(t *testing.T) {
	a := fresh(t)
	withDogs(t, a)
	_, err := a.Proving.Sets.PutQuestions(t.Context(), "c", "s", []questions.Question{
		{ID: "a", Text: "Must dogs be on a lead?", Expect: []questions.Expectation{{Kind: questions.Mentions, Values: []string{"lead"}}}},
		{ID: "b", Text: "Who won the football world cup?", Expect: []questions.Expectation{{Kind: questions.Refuses}}},
		{ID: "c", Text: "thanks", Expect: []questions.Expectation{{Kind: questions.Mentions, Values: []string{"welcome"}}}},
	})
	require.NoError(t, err)
	got, err := a.Proving.Trials.Weigh(t.Context(), public, "c", "s", 0, asking.Variant{})
	require.NoError(t, err)
	require.Equal(t, 3, got.Of)
	assert.True(t, got.Weighed[0].Right)
	assert.True(t, got.Weighed[1].Refusal)
	assert.False(t, got.Weighed[1].Right, "answering it is wrong")
	assert.Greater(t, got.Weighed[0].Support, got.Weighed[1].Support)
	assert.True(t, got.Weighed[2].Fixed, "the bar has no say in a courtesy")
	rest, err := a.Proving.Trials.Weigh(t.Context(), public, "c", "s", 2, asking.Variant{})
	require.NoError(t, err)
	assert.Len(t, rest.Weighed, 1)
	_, err = a.Proving.Trials.Weigh(t.Context(), public, "c", "s", 9, asking.Variant{})
	assert.ErrorIs(t, err, fault.ErrInput)
}

func TestTheTextsProposeAGlossary(t *testing.T) {
	a := fresh(t)
	create(t, a, "c")
	for name, body := range map[string]string{
		"kayaks.md":   "# Kayaks\n\nA stand-up paddleboard (SUP) travels as a kayak does.\n",
		"glossary.md": "# Glossary\n\n- Muster station: where people gather in an emergency. Look for the green sign.\n",
	} {
		_, err := a.Gathering.Upload(t.Context(), "c", name, "", []byte(body))
		require.NoError(t, err)
	}
	got, err := a.Asking.SuggestGlossary(t.Context(), "c")
	require.NoError(t, err)
	require.Len(t, got, 2)
	assert.Equal(t, query.Entry{Term: "Muster station", Means: []string{"where people gather in an emergency"}}, got[0].Entry)
	assert.Equal(t, query.Entry{Term: "SUP", Means: []string{"stand-up paddleboard"}}, got[1].Entry)
	require.NoError(t, a.Asking.DismissSuggestion(t.Context(), "c", "Muster station"))
	m, err := a.Indexing.Method(t.Context(), "c")
	require.NoError(t, err)
	m.Glossary = []query.Entry{got[1].Entry}
	_, err = a.Indexing.SaveMethod(t.Context(), "c", m)
	require.NoError(t, err)
	got, err = a.Asking.SuggestGlossary(t.Context(), "c")
	require.NoError(t, err)
	assert.Empty(t, got, "what is there or was dismissed is not proposed")
	file, err := a.Asking.Glossary(t.Context(), "c")
	require.NoError(t, err)
	back, err := asking.ReadGlossary(file)
	require.NoError(t, err)
	assert.Equal(t, m.Glossary, back.Entries, "what is exported can be imported")
	back, err = asking.ReadGlossary([]byte("lorry,truck;HGV\nnothing\n"))
	require.NoError(t, err)
	assert.Len(t, back.Problems, 1)
	r, err := a.Asking.Ask(t.Context(), public, "c", query.Question{Text: "Can I bring a SUP?"})
	require.NoError(t, err)
	assert.Contains(t, r.Reply, "paddleboard")
}
