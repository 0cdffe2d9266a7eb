package store

import (
	"fmt"
	"slices"
	"testing"

	"github.com/jmoiron/sqlx"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"jolvex/core/answer"
	"jolvex/core/diagnose"
	"jolvex/core/method"
	"jolvex/core/questions"
)

func asked(text string) []questions.Question {
	return []questions.Question{{ID: "1", Text: text, Expect: []questions.Expectation{{Kind: questions.Refuses}}}}
}

func TestASetHasAHistory(t *testing.T) {
	s := open(t)
	c, _ := site(t, s)
	first, err := s.PutQuestions(t.Context(), c.ID, "release", asked("one"), "made")
	require.NoError(t, err)
	second, err := s.PutQuestions(t.Context(), c.ID, "release", asked("two"), "worded anew")
	require.NoError(t, err)
	assert.Equal(t, first.ID, second.ID)
	assert.NotEqual(t, first.Version, second.Version)
	vs, err := s.SetVersions(t.Context(), first.ID)
	require.NoError(t, err)
	require.Len(t, vs, 2)
	assert.Equal(t, "worded anew", vs[0].Why, "the newest first")
	qs, err := s.QuestionsOf(vs[1])
	require.NoError(t, err)
	assert.Equal(t, asked("one"), qs)
	for i := range mostVersions + 5 {
		_, err = s.PutQuestions(t.Context(), c.ID, "release", asked(fmt.Sprint("wording ", i)), "again")
		require.NoError(t, err)
	}
	vs, err = s.SetVersions(t.Context(), first.ID)
	require.NoError(t, err)
	assert.Len(t, vs, mostVersions, "the oldest are given up")

	_, err = s.PutQuestions(t.Context(), c.ID, "another", append(asked("one"), asked("two")...), "")
	require.Error(t, err, "two questions of one id")
	sets, err := s.QuestionSets(t.Context(), c.ID)
	require.NoError(t, err)
	require.Len(t, sets, 1, "of a set that cannot be stored, nothing is")
	require.NoError(t, s.DeleteQuestionSet(t.Context(), first.ID))
	_, err = s.QuestionSet(t.Context(), c.ID, "release")
	assert.ErrorIs(t, err, ErrMissing)
}

func TestResultsBelongToWhatTheRunIsPinnedTo(t *testing.T) {
	s := open(t)
	c, _ := site(t, s)
	set, err := s.PutQuestions(t.Context(), c.ID, "release", asked("one"), "")
	require.NoError(t, err)
	tried := Tried{Brought: []Brought{{Document: "tried:x", Version: "h", Kind: KindPairs, Address: "x"}}, LeftOut: []string{"d"}}
	r, err := s.CreateRun(t.Context(), set, asked("one"), method.Default(), Order{Note: "a settled answer", Tried: tried})
	require.NoError(t, err)
	assert.Equal(t, 1, r.Repeats)
	pins := answer.Pins{Method: "m", Snapshot: "one", AsOf: "2026-03-01T12:00:00Z"}
	require.NoError(t, s.PinRun(t.Context(), r.ID, pins))
	require.NoError(t, s.AddResults(t.Context(), r.ID, []Result{{Question: "1", Trail: &answer.Trail{Candidates: []answer.Candidate{{Document: "d", Version: "v", Kept: true}}}}}))
	require.NoError(t, s.PutCause(t.Context(), r.ID, "1", diagnose.Diagnosis{Cause: diagnose.NotGathered, Why: "no document says so"}))

	pins.AsOf = "2026-03-01T13:00:00Z"
	require.NoError(t, s.PinRun(t.Context(), r.ID, pins))
	rs, err := s.Results(t.Context(), r.ID, true)
	require.NoError(t, err)
	require.Len(t, rs, 1, "gone on with later, over the same")
	require.NotNil(t, rs[0].Cause)
	assert.Equal(t, diagnose.NotGathered, rs[0].Cause.Cause)
	require.NotNil(t, rs[0].Trail)

	pins.Snapshot = "two"
	require.NoError(t, s.PinRun(t.Context(), r.ID, pins))
	rs, err = s.Results(t.Context(), r.ID, false)
	require.NoError(t, err)
	assert.Empty(t, rs, "over another index it begins again")

	again, err := s.Run(t.Context(), r.ID)
	require.NoError(t, err)
	assert.Equal(t, tried, again.Tried)
	list, err := s.Runs(t.Context(), c.ID, set.ID, 10)
	require.NoError(t, err)
	require.Len(t, list, 1)
	assert.Equal(t, "a settled answer", list[0].Note)
	kept := 0
	require.NoError(t, s.Write(t.Context(), "count", func(tx *sqlx.Tx) error {
		return tx.GetContext(t.Context(), &kept, `SELECT count(*) FROM kept`)
	}))
	assert.Zero(t, kept, "what is only tried leaves no trace in what is used")
}

func TestWhatWasAskedLately(t *testing.T) {
	s := open(t)
	c, _ := site(t, s)
	for i, q := range []struct {
		text    string
		outcome answer.Outcome
	}{{"How much?", answer.Refused}, {"hello", answer.Courteous}, {"When?", answer.Answered}, {"how much?", answer.Answered}} {
		require.NoError(t, s.AddReply(t.Context(), c.ID, fmt.Sprint(i), &answer.Trail{Question: q.text, Outcome: q.outcome}, alone))
	}
	got, err := s.Asked(t.Context(), c.ID, 10)
	require.NoError(t, err)
	require.Len(t, got, 2, "each question once, and no courtesy")
	assert.Equal(t, []string{"how much?", "When?"}, []string{got[0].Question, got[1].Question})
	assert.Equal(t, answer.Answered, got[0].Outcome, "its last reply")
	got, err = s.Asked(t.Context(), c.ID, 1)
	require.NoError(t, err)
	assert.Len(t, got, 1)
}

func TestSpendingIsSummedByMonth(t *testing.T) {
	s := open(t)
	require.NoError(t, s.SaveConnection(t.Context(), Connection{Kind: "chat", Base: "http://127.0.0.1:1/v1", Model: "m"}))
	for range 2 {
		require.NoError(t, s.Spend(t.Context(), Spending{Kind: "chat", Month: "2026-03", Calls: 1, TokensIn: 100, TokensOut: 20, Price: 0.5}))
	}
	got, err := s.Spent(t.Context(), "chat", "2026-03")
	require.NoError(t, err)
	assert.Equal(t, Spending{Kind: "chat", Month: "2026-03", Calls: 2, TokensIn: 200, TokensOut: 40, Price: 1}, got)
	none, err := s.Spent(t.Context(), "chat", "2026-04")
	require.NoError(t, err)
	assert.Zero(t, none.Calls)
	c, err := s.Connection(t.Context(), "chat")
	require.NoError(t, err)
	assert.Equal(t, []int{200, 40}, []int{c.Tokens, c.TokensOut})
	require.NoError(t, s.SaveConnection(t.Context(), Connection{Kind: "chat"}))
	_, err = s.Connection(t.Context(), "chat")
	assert.ErrorIs(t, err, ErrMissing)
}

func TestNoticesAreKeptUntilTheyAreSent(t *testing.T) {
	s := open(t)
	c, _ := site(t, s)
	require.NoError(t, s.AddNotices(t.Context(), nil))
	require.NoError(t, s.AddNotices(t.Context(), []Notice{
		{Corpus: c.ID, Kind: "alert", Name: "Flood", State: NoticeSending, Told: "{}", Talk: "[]"},
		{Corpus: c.ID, Kind: "details", Name: "Lost things", State: NoticeKept, Told: "{}", Talk: "[]"},
	}))
	due, err := s.Unsent(t.Context())
	require.NoError(t, err)
	require.Len(t, due, 1)
	require.NoError(t, s.EndNotice(t.Context(), due[0].ID, NoticeFailed, "the mailbox is full"))
	due, err = s.Unsent(t.Context())
	require.NoError(t, err)
	assert.Empty(t, due)
	all, err := s.Notices(t.Context(), c.ID, 10)
	require.NoError(t, err)
	require.Len(t, all, 2)
	assert.Equal(t, "the mailbox is full", all[1].Problem)
}

func TestTheSheetAndWhatIsDismissed(t *testing.T) {
	s := open(t)
	c, _ := site(t, s)
	require.NoError(t, s.SaveSheet(t.Context(), c.ID, []string{"b", "a"}))
	require.NoError(t, s.SaveSheet(t.Context(), c.ID, []string{"c", "a"}))
	got, err := s.Sheet(t.Context(), c.ID)
	require.NoError(t, err)
	assert.Equal(t, []string{"c", "a"}, got, "in the order of the sheet")
	for _, term := range []string{"sup", "ada", "sup"} {
		require.NoError(t, s.Dismiss(t.Context(), c.ID, term))
	}
	got, err = s.Dismissed(t.Context(), c.ID)
	require.NoError(t, err)
	assert.Equal(t, []string{"ada", "sup"}, got)
}

func TestAPausedJobGoesOn(t *testing.T) {
	s := open(t)
	c, _ := site(t, s)
	j, err := s.AddJob(t.Context(), c.ID, "gather", "x")
	require.NoError(t, err)
	require.NoError(t, s.EndJob(t.Context(), j.ID, Paused, ""))
	_, err = s.TakeJob(t.Context(), 0)
	require.ErrorIs(t, err, ErrMissing)
	require.NoError(t, s.ResumeJob(t.Context(), j.ID))
	j, err = s.Job(t.Context(), j.ID)
	require.NoError(t, err)
	assert.Equal(t, []string{Queued, ""}, []string{j.State, j.EndedAt})
	taken, err := s.TakeJob(t.Context(), 0)
	require.NoError(t, err)
	assert.Equal(t, j.ID, taken.ID)
	require.NoError(t, s.ResumeJob(t.Context(), j.ID))
	j, err = s.Job(t.Context(), j.ID)
	require.NoError(t, err)
	assert.Equal(t, Running, j.State, "what runs is not resumed")
}

// A change writes what changed alone, and reads back in order.
func TestASetIsChangedInPlace(t *testing.T) {
	s := open(t)
	c, _ := site(t, s)
	var qs []questions.Question
	for i := range 30 {
		qs = append(qs, questions.Question{ID: fmt.Sprint(i), Text: fmt.Sprint("question ", i)})
	}
	set, err := s.PutQuestions(t.Context(), c.ID, "s", qs, "")
	require.NoError(t, err)
	for _, change := range []func(){
		func() { qs[3].Text = "another" },
		func() { qs = append(qs, questions.Question{ID: "new", Text: "new"}) },
		func() { qs = slices.Delete(qs, 10, 12) },
		func() { qs[1], qs[20] = qs[20], qs[1] },
		func() { qs = qs[:5] },
	} {
		change()
		_, err := s.PutQuestions(t.Context(), c.ID, "s", qs, "")
		require.NoError(t, err)
		got, err := s.Questions(t.Context(), set.ID)
		require.NoError(t, err)
		assert.Equal(t, qs, got)
	}
	page, err := s.QuestionPage(t.Context(), set.ID, 3, 10)
	require.NoError(t, err)
	assert.Equal(t, qs[3:], page)
}
