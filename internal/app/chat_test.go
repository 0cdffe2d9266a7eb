package app_test

import (
	"fmt"
	"net/http/httptest"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"jolvex/core/prove"
	"jolvex/core/query"
	"jolvex/core/questions"
	"jolvex/internal/app"
	"jolvex/internal/asking"
	"jolvex/internal/connections"
	"jolvex/internal/fault"
	"jolvex/internal/sim"
)

// modelled is a corpus whose replies are worded by the stand-in, behaving in some way.
func modelled(t *testing.T, behaviour string, change func(*connections.ConnectionChange)) *app.App {
	t.Helper()
	stand := httptest.NewServer(sim.Chat("the-key", 10*time.Second))
	t.Cleanup(stand.Close)
	a := freshWith(t, app.Options{Patience: 300 * time.Millisecond})
	create(t, a, "c")
	_, err := a.Gathering.Upload(t.Context(), "c", "dogs.md", "", []byte("# Animals\n\nDogs travel for £2.00 and must be on a lead. Guide dogs travel free of charge. Cats stay in a basket.\n"))
	require.NoError(t, err)
	key := "the-key"
	ch := connections.ConnectionChange{Base: stand.URL + "/v1", Model: sim.Faithful, Key: &key, PriceIn: 1, PriceOut: 2}
	if change != nil {
		change(&ch)
	}
	_, err = a.Connections.ConnectChat(t.Context(), ch)
	require.NoError(t, err)
	if behaviour != sim.Faithful { // the slow and the failing would not be taken when they are tried
		require.NoError(t, a.Behave(t.Context(), behaviour))
	}
	m, err := a.Indexing.Method(t.Context(), "c")
	require.NoError(t, err)
	m.Answer.Composer = "model"
	_, err = a.Indexing.SaveMethod(t.Context(), "c", m)
	require.NoError(t, err)
	return a
}

func TestAModelWordsRepliesAndIsChecked(t *testing.T) {
	q := query.Question{Text: "Must dogs be on a lead?"}
	for behaviour, see := range map[string]func(r *asking.Reply){
		sim.Faithful: func(r *asking.Reply) {
			assert.Contains(t, r.Reply, "must be on a lead")
			assert.Empty(t, r.Trail.Written.Withheld)
			assert.NotEmpty(t, r.Cited)
		},
		sim.LongWinded: func(r *asking.Reply) {
			assert.Contains(t, r.Reply, "must be on a lead")
			assert.NotContains(t, r.Reply, "excellent question")
			assert.NotEmpty(t, r.Trail.Written.Withheld)
		},
		sim.Inventing: func(r *asking.Reply) {
			assert.NotContains(t, r.Reply, "£5.33")
			assert.NotContains(t, r.Reply, "sent you")
			assert.Contains(t, r.Reply, "£2.00", "the evidence speaks when nothing of the model's is carried")
			assert.GreaterOrEqual(t, len(r.Trail.Written.Withheld), 3)
		},
		sim.OverCautious: func(r *asking.Reply) {
			assert.Contains(t, r.Reply, "must be on a lead")
			assert.NotEmpty(t, r.Trail.Written.Note)
		},
		sim.Slow:    func(r *asking.Reply) { assert.Contains(t, r.Trail.Written.Note, "did not answer within") },
		sim.Failing: func(r *asking.Reply) { assert.Contains(t, r.Trail.Written.Note, "503") },
	} {
		t.Run(behaviour, func(t *testing.T) {
			a := modelled(t, behaviour, nil)
			r, err := a.Asking.Ask(t.Context(), public, "c", q)
			require.NoError(t, err)
			see(r)
			assert.False(t, r.Refused)
			c, err := a.Connections.ChatConnection(t.Context())
			require.NoError(t, err)
			if behaviour != sim.Slow && behaviour != sim.Failing {
				assert.Equal(t, 1, c.Calls)
				assert.InDelta(t, r.Trail.Written.Price, c.Spent, 1e-12)
				assert.Positive(t, c.TokensOut)
			}
		})
	}
}

func TestAnOutageIsNotJudged(t *testing.T) {
	a := modelled(t, sim.Failing, nil)
	var qs []questions.Question
	for i := range 45 { // more than are asked at once: after a whole batch without a reply, the rest is not asked
		qs = append(qs, questions.Question{ID: fmt.Sprint(i), Text: "Must dogs be on a lead?", Expect: []questions.Expectation{says("on a lead")}})
	}
	_, err := a.Proving.Sets.PutQuestions(t.Context(), "c", "s", qs)
	require.NoError(t, err)
	run, results := ran(t, a, "s")
	require.Len(t, results, 45)
	assert.Equal(t, 45, run.Summary.Unjudged)
	assert.Zero(t, run.Summary.Passed.Of, "what stood in for the model is in no rate")
	assert.Empty(t, run.Summary.Figures)
	assert.Contains(t, results[0].Failed, "503")
	assert.Contains(t, results[44].Failed, "not asked")
	require.NoError(t, a.Behave(t.Context(), sim.Faithful))
	_, results = ran(t, a, "s")
	assert.True(t, results[0].Verdict.Passed)
	assert.NotEqual(t, prove.Fixed, results[44].Change, "what was not judged before is neither fixed nor broken")
}

func TestAMonthsCapIsKept(t *testing.T) {
	a := modelled(t, sim.Faithful, func(ch *connections.ConnectionChange) { ch.Cap = 1e-9 })
	q := query.Question{Text: "Must dogs be on a lead?"}
	first, err := a.Asking.Ask(t.Context(), public, "c", q)
	require.NoError(t, err)
	require.Empty(t, first.Trail.Written.Note)
	second, err := a.Asking.Ask(t.Context(), public, "c", q)
	require.NoError(t, err)
	assert.Contains(t, second.Trail.Written.Note, "cap")
	assert.Contains(t, second.Reply, "on a lead", "the evidence speaks")
}

func TestAModelWordsQuestions(t *testing.T) {
	a := modelled(t, sim.Faithful, nil)
	m, err := a.Indexing.Method(t.Context(), "c")
	require.NoError(t, err)
	m.Query.Model, m.Answer.Composer = true, "sentences"
	_, err = a.Indexing.SaveMethod(t.Context(), "c", m)
	require.NoError(t, err)
	r, err := a.Asking.Ask(t.Context(), public, "c", query.Question{Text: "Does my dog have to be on a lead?"})
	require.NoError(t, err)
	var passes []string
	for _, s := range r.Trail.Reading.Searches {
		passes = append(passes, s.Pass)
	}
	assert.Contains(t, passes, query.PassModel)
	assert.Contains(t, passes, query.SearchPassage)
	assert.NotEmpty(t, r.Evidence[0].Found, "the trail says which wording found what")
}

func TestAModelThatDoesNotAnswerIsNotConnected(t *testing.T) {
	stand := httptest.NewServer(sim.Chat("", time.Second))
	defer stand.Close()
	a := fresh(t)
	for _, ch := range []connections.ConnectionChange{
		{Base: stand.URL + "/nowhere"}, {Base: "ftp://x"}, {Base: stand.URL + "/v1", Window: 10}, {Base: stand.URL + "/v1", PriceIn: -1}, {Base: stand.URL + "/v1", Wait: 601},
	} {
		_, err := a.Connections.ConnectChat(t.Context(), ch)
		assert.ErrorIs(t, err, fault.ErrInput)
	}
	c, err := a.Connections.ChatConnection(t.Context())
	require.NoError(t, err)
	assert.Empty(t, c.Base)
}
