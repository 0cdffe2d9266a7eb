package app_test

import (
	"net/http"
	"net/http/httptest"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"jolvex/core/diagnose"
	"jolvex/core/query"
	"jolvex/core/questions"
	"jolvex/internal/app"
	"jolvex/internal/fault"
	"jolvex/internal/proving/runs"
	"jolvex/internal/proving/trials"
	"jolvex/internal/store"
)

// tried runs a set of one question with a change, and gives what came of the question.
func tried(t *testing.T, a *app.App, set string, change diagnose.Alteration) runs.Result {
	t.Helper()
	r, j, err := a.Proving.Runs.StartRun(t.Context(), "c", set, runs.Order{Change: change, Note: "a change"})
	require.NoError(t, err)
	require.Equal(t, "done", ended(t, a, "c", j.ID).State)
	_, rs, err := a.Proving.Runs.RunResults(t.Context(), "c", r.ID)
	require.NoError(t, err)
	require.Len(t, rs, 1)
	require.Empty(t, rs[0].Failed)
	return rs[0]
}

func setOf(t *testing.T, a *app.App, name string, q questions.Question) {
	t.Helper()
	_, err := a.Proving.Sets.PutQuestions(t.Context(), "c", name, []questions.Question{q})
	require.NoError(t, err)
}

func TestASettledAnswerIsTriedAndThenWritten(t *testing.T) {
	a := fresh(t)
	withDogs(t, a)
	q := questions.Question{ID: "q", Text: "Is there a password for the wireless network?", Expect: []questions.Expectation{says("seagull2026")}}
	setOf(t, a, "s", q)
	change := diagnose.Alteration{Settled: []diagnose.Settling{{Question: q.Text, Answer: "The password of the wireless network is seagull2026."}}}
	assert.False(t, tried(t, a, "s", diagnose.Alteration{}).Verdict.Passed)

	x := tried(t, a, "s", change)
	assert.True(t, x.Verdict.Passed, x.Reply)
	rs, err := a.Proving.Runs.Runs(t.Context(), "c", "s")
	require.NoError(t, err)
	r, err := a.Proving.Runs.ResultReply(t.Context(), "c", rs[0].ID, "q")
	require.NoError(t, err)
	require.NotEmpty(t, r.Cited)
	assert.Equal(t, q.Text, r.Cited[0].Address, "what is only tried can be opened, too")
	plain, err := a.Asking.Ask(t.Context(), public, "c", query.Question{Text: q.Text})
	require.NoError(t, err)
	assert.NotContains(t, plain.Reply, "seagull2026", "nothing is applied by trying")

	past, err := a.Proving.Runs.Runs(t.Context(), "c", "s")
	require.NoError(t, err)
	require.GreaterOrEqual(t, len(past), 2)
	other := diagnose.Alteration{Settled: []diagnose.Settling{{Question: q.Text, Answer: "It is heron."}}}
	_, err = a.Proving.Trials.ApplyChange(t.Context(), "c", trials.Applied{Change: other, Run: past[0].ID, Before: past[1].ID})
	assert.ErrorIs(t, err, fault.ErrInput, "another answer was tried")
	_, err = a.Proving.Trials.ApplyChange(t.Context(), "c", trials.Applied{Change: change, Run: past[0].ID, Before: past[1].ID})
	require.NoError(t, err)
	h, err := a.Indexing.MethodHistory(t.Context(), "c")
	require.NoError(t, err)
	require.NotNil(t, h[0].Evidence, "what was measured is kept, though no setting changed")
	assert.Empty(t, h[0].Settings)
	plain, err = a.Asking.Ask(t.Context(), public, "c", query.Question{Text: q.Text})
	require.NoError(t, err)
	assert.Contains(t, plain.Reply, "seagull2026")
	ss, err := a.Gathering.Sources(t.Context(), "c")
	require.NoError(t, err)
	last := ss[len(ss)-1]
	assert.Equal(t, []string{"settled"}, last.Marks)

	// One to the same question is replaced, in a trial as for good.
	change.Settled[0].Answer = "The password of the wireless network is heron2027."
	x = tried(t, a, "s", change)
	assert.False(t, x.Verdict.Passed)
	assert.NotContains(t, x.Reply, "seagull2026")
	_, _, err = a.Proving.Runs.StartRun(t.Context(), "c", "s", runs.Order{Change: diagnose.Alteration{Settled: []diagnose.Settling{{Question: " ", Answer: "x"}}}, Note: "nothing"})
	assert.ErrorIs(t, err, fault.ErrInput)
}

func TestAPageIsTriedAndThenGathered(t *testing.T) {
	srv := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		w.Header().Set("Content-Type", "text/html")
		switch r.URL.Path {
		case "/robots.txt":
			w.Header().Set("Content-Type", "text/plain")
			_, _ = w.Write([]byte("User-agent: *\nDisallow: /secret\n"))
		case "/":
			_, _ = w.Write([]byte("<title>Home</title><h1>Home</h1><p>The harbour office is open every day from nine to five.</p>"))
		case "/cabins", "/secret":
			_, _ = w.Write([]byte("<title>Cabins</title><h1>Sleeping cabins</h1><p>A sleeping cabin has two berths and costs £40.00 for a night.</p>"))
		case "/shy":
			_, _ = w.Write([]byte(`<title>Shy</title><meta name="robots" content="noindex"><p>A sleeping cabin costs nothing at all.</p>`))
		default:
			http.NotFound(w, r)
		}
	}))
	defer srv.Close()
	a := fresh(t)
	gather(t, a, "c", srv.URL)
	setOf(t, a, "s", questions.Question{ID: "q", Text: "What does a sleeping cabin cost?", Expect: []questions.Expectation{cites("/cabins"), figure("£40")}})
	x := tried(t, a, "s", diagnose.Alteration{})
	require.False(t, x.Verdict.Passed)
	require.NotNil(t, x.Cause)
	require.Equal(t, diagnose.NotGathered, x.Cause.Cause)
	fix := x.Cause.Fixes[0]
	require.NotNil(t, fix.Change, "the page would be on the one host that is visited")
	assert.Equal(t, []string{srv.URL + "/cabins"}, fix.Change.Pages)
	assert.False(t, fix.Cures, "nothing is fetched unasked")

	x = tried(t, a, "s", *fix.Change)
	assert.True(t, x.Verdict.Passed, x.Reply)
	_, n, err := a.Indexing.Documents(t.Context(), "c", store.Filter{Limit: 10})
	require.NoError(t, err)
	assert.Equal(t, 1, n, "nothing is applied by trying")

	for at, want := range map[string]string{"/secret": "robots.txt", "/shy": "not to be indexed", "/none": "404"} {
		_, _, err := a.Proving.Runs.StartRun(t.Context(), "c", "s", runs.Order{Change: diagnose.Alteration{Pages: []string{srv.URL + at}}, Note: "a page"})
		require.ErrorIs(t, err, fault.ErrInput, at)
		assert.ErrorContains(t, err, want)
	}
	other := httptest.NewServer(http.NotFoundHandler())
	defer other.Close()
	_, _, err = a.Proving.Runs.StartRun(t.Context(), "c", "s", runs.Order{Change: diagnose.Alteration{Pages: []string{other.URL}}, Note: "a page"})
	assert.ErrorIs(t, err, fault.ErrInput, "a private host that no source may reach")

	j, err := a.Proving.Trials.ApplyChange(t.Context(), "c", trials.Applied{Change: *fix.Change})
	require.NoError(t, err)
	require.NotNil(t, j)
	require.Equal(t, "done", ended(t, a, "c", j.ID).State)
	r, err := a.Asking.Ask(t.Context(), public, "c", query.Question{Text: "What does a sleeping cabin cost?"})
	require.NoError(t, err)
	assert.Contains(t, r.Reply, "£40")
}

func TestADocumentIsTakenInOrLeftOutForATrial(t *testing.T) {
	a := harbour(t)
	lost := byPath(t, a, "c")["/lost-property"]
	setOf(t, a, "lost", questions.Question{ID: "q", Text: "How long are lost things kept?", Expect: []questions.Expectation{figure("60 days")}})
	x := tried(t, a, "lost", diagnose.Alteration{})
	require.NotNil(t, x.Cause)
	require.Equal(t, diagnose.LeftOut, x.Cause.Cause)
	require.NotNil(t, x.Cause.Fixes[0].Change)
	assert.Equal(t, []string{lost.ID}, x.Cause.Fixes[0].Change.TakeIn)
	assert.True(t, tried(t, a, "lost", *x.Cause.Fixes[0].Change).Verdict.Passed)

	setOf(t, a, "locker", questions.Question{ID: "q", Text: "What does the storm locker cost for a night?", Expect: []questions.Expectation{cites("lockers-2027.md"), figure("£7.00")}})
	x = tried(t, a, "locker", diagnose.Alteration{})
	require.NotNil(t, x.Cause)
	require.Equal(t, diagnose.OutOfDate, x.Cause.Cause)
	require.NotNil(t, x.Cause.Fixes[0].Change)
	assert.True(t, x.Cause.Fixes[0].Cures, "%+v", x.Cause.Fixes)
	require.NotEmpty(t, x.Cause.Fixes[0].Change.LeaveOut)
	assert.True(t, tried(t, a, "locker", *x.Cause.Fixes[0].Change).Verdict.Passed)

	drill, _, err := a.Indexing.Documents(t.Context(), "c", store.Filter{Text: "drill.md", Limit: 2})
	require.NoError(t, err)
	require.Len(t, drill, 1)
	_, _, err = a.Proving.Runs.StartRun(t.Context(), "c", "lost", runs.Order{Change: diagnose.Alteration{TakeIn: []string{drill[0].ID}}, Note: "staff only"})
	assert.ErrorIs(t, err, fault.ErrInput, "what is for staff is not tried on everybody's questions")
	_, _, err = a.Proving.Runs.StartRun(t.Context(), "c", "lost", runs.Order{Change: diagnose.Alteration{LeaveOut: []string{"nowhere"}}, Note: "nothing"})
	assert.ErrorIs(t, err, fault.ErrMissing)

	_, err = a.Proving.Trials.ApplyChange(t.Context(), "c", trials.Applied{Change: diagnose.Alteration{TakeIn: []string{lost.ID}}})
	require.NoError(t, err)
	r, err := a.Asking.Ask(t.Context(), public, "c", query.Question{Text: "How long are lost things kept?"})
	require.NoError(t, err)
	assert.Contains(t, r.Reply, "60 days")
}

func TestTheExpectedPassageIsShownBesideTheReply(t *testing.T) {
	a := harbour(t)
	setOf(t, a, "sledge", questions.Question{ID: "q", Text: "May I take a sledge on the boat?", Expect: []questions.Expectation{says("car deck"), cites("jetski.md"), {Kind: questions.Short, Values: []string{"400"}}}})
	r, j, err := a.Proving.Runs.StartRun(t.Context(), "c", "sledge", runs.Order{})
	require.NoError(t, err)
	require.Equal(t, "done", ended(t, a, "c", j.ID).State)
	got, err := a.Proving.Runs.Wanted(t.Context(), "c", r.ID, "q")
	require.NoError(t, err)
	require.Len(t, got, 2)
	assert.Contains(t, got[0].Text, "car deck")
	assert.Equal(t, "jetski.md", got[1].Address)
	assert.Empty(t, got[1].Text)
	d, err := a.Indexing.Version(t.Context(), got[0].Version)
	require.NoError(t, err)
	assert.Contains(t, d.Text[got[0].Start:got[0].End], "car deck", "the span leads to the words")
	_, err = a.Proving.Runs.Wanted(t.Context(), "c", r.ID, "none")
	assert.ErrorIs(t, err, fault.ErrMissing)
}

// A settled answer answers its question and near wordings of it, not those about another thing of the same kind.
func TestASettledAnswerLeavesOtherThingsOfItsKind(t *testing.T) {
	a := fresh(t)
	create(t, a, "c")
	_, err := a.Gathering.Upload(t.Context(), "c", "k300.md", "", []byte("# The K300\n\nTo reset the K300, press the blue switch twice. The K300 weighs 40 kg.\n"))
	require.NoError(t, err)
	require.NoError(t, a.Gathering.PutSettled(t.Context(), "c", diagnose.Settling{Question: "How do I reset the K200?", Answer: "Hold the red button for ten seconds."}))
	for q, settled := range map[string]bool{
		"How do I reset the K200?": true, "how can i reset my k200": true,
		"How do I reset the K300?": false, "How do I reset the K400?": false, "How heavy is the K300?": false,
	} {
		r, err := a.Asking.Ask(t.Context(), public, "c", query.Question{Text: q})
		require.NoError(t, err)
		assert.Equal(t, settled, strings.Contains(r.Reply, "red button"), "%s: %s", q, r.Reply)
	}
}
