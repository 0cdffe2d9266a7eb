package app_test

import (
	"net"
	"net/http/httptest"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"jolvex/core/answer"
	"jolvex/core/query"
	"jolvex/core/rule"
	"jolvex/internal/app"
	"jolvex/internal/asking"
	"jolvex/internal/connections"
	"jolvex/internal/fault"
	"jolvex/internal/sim"
)

// ruled is a corpus on dogs with house rules, and the mailbox that stands in for a mail server and a webhook.
func ruled(t *testing.T, rules func(hook string) []rule.Rule) (*app.App, *sim.Mailbox) {
	t.Helper()
	box := &sim.Mailbox{}
	hook := httptest.NewServer(box.Handler())
	t.Cleanup(hook.Close)
	l, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	t.Cleanup(func() { l.Close() })
	go func() { _ = box.Serve(l) }() // ends when the listener closes
	a := fresh(t)
	withDogs(t, a)
	_, err = a.Connections.ConnectMail(t.Context(), connections.ConnectionChange{Base: "smtp://" + l.Addr().String(), Model: "jolvex@tolmouth.example"})
	require.NoError(t, err)
	m, err := a.Indexing.Method(t.Context(), "c")
	require.NoError(t, err)
	m.Rules = rules(hook.URL + "/hook")
	_, err = a.Indexing.SaveMethod(t.Context(), "c", m)
	require.NoError(t, err)
	return a, box
}

func TestAnAlertGoesOutBesideTheAnswer(t *testing.T) {
	a, box := ruled(t, func(hook string) []rule.Rule {
		return []rule.Rule{{ID: "bite", Name: "A bite", When: rule.When{Contains: []string{"bitten", "bite"}}, Then: []rule.Action{
			{Kind: rule.Alert, To: hook, Purpose: "somebody was bitten"},
			{Kind: rule.Alert, To: "duty@tolmouth.example", Purpose: "somebody was bitten"},
			{Kind: rule.Line, Text: "The crew has a first-aid box."},
		}}}
	})
	r, err := a.Asking.Ask(t.Context(), public, "c", query.Question{Text: "A dog has bitten me. Must a dog be on a lead?", Turns: []query.Turn{{Role: "user", Text: "hello"}, {Role: "assistant", Text: "Hello."}}})
	require.NoError(t, err)
	assert.Contains(t, r.Reply, "lead", "the sources answer")
	assert.True(t, strings.HasSuffix(r.Reply, "The crew has a first-aid box."))
	require.Eventually(t, func() bool { return len(box.Letters()) == 2 }, 10*time.Second, 10*time.Millisecond)
	for _, l := range box.Letters() {
		assert.Contains(t, l.Text, "somebody was bitten")
		assert.Contains(t, l.Text, "A dog has bitten me.", "with the conversation")
		if l.Way == "mail" {
			assert.Equal(t, "duty@tolmouth.example", l.To)
			assert.Contains(t, l.Subject, "A bite: hello / A dog has bitten me.")
		}
	}
	require.Eventually(t, func() bool {
		ns, err := a.Asking.Notices(t.Context(), "c")
		require.NoError(t, err)
		return len(ns) == 2 && ns[0].State == "sent" && ns[1].State == "sent"
	}, 10*time.Second, 10*time.Millisecond)
}

func TestAnAlertThatCannotBeSentSaysWhy(t *testing.T) {
	a, _ := ruled(t, func(string) []rule.Rule {
		return []rule.Rule{{ID: "x", Name: "X", When: rule.When{Contains: []string{"bite"}}, Then: []rule.Action{{Kind: rule.Alert, To: "duty@tolmouth.example"}}}}
	})
	_, err := a.Connections.ConnectMail(t.Context(), connections.ConnectionChange{})
	require.NoError(t, err)
	_, err = a.Asking.Ask(t.Context(), public, "c", query.Question{Text: "Do dogs bite?"})
	require.NoError(t, err)
	require.Eventually(t, func() bool {
		ns, err := a.Asking.Notices(t.Context(), "c")
		require.NoError(t, err)
		return len(ns) == 1 && ns[0].State == "failed" && strings.Contains(ns[0].Problem, "no mail server")
	}, 10*time.Second, 10*time.Millisecond)
	for _, bad := range []connections.ConnectionChange{{Base: "http://x", Model: "a@b.example"}, {Base: "smtp://x", Model: "nobody"}} {
		_, err := a.Connections.ConnectMail(t.Context(), bad)
		assert.ErrorIs(t, err, fault.ErrInput)
	}
}

func TestDetailsAreKeptOnceWithTheirConversation(t *testing.T) {
	a, _ := ruled(t, func(string) []rule.Rule {
		return []rule.Rule{{ID: "call", Name: "Call back", When: rule.When{Person: true}, Then: []rule.Action{
			{Kind: rule.HandOver, Team: "Pier office", Purpose: "call back"},
			{Kind: rule.Ask, Text: "Thank you. Somebody rings you.", Details: []rule.Detail{{Name: "Name", Ask: "What is your name?", Type: "text"}, {Name: "Phone", Ask: "Under which number?", Type: "phone"}}},
		}}}
	})
	var turns []query.Turn
	say := func(text string) *asking.Reply {
		r, err := a.Asking.Ask(t.Context(), public, "c", query.Question{Text: text, Turns: turns})
		require.NoError(t, err)
		turns = append(turns, query.Turn{Role: "user", Text: text}, query.Turn{Role: "assistant", Text: r.Reply})
		return r
	}
	first := say("I want to speak to a human")
	assert.Equal(t, "What is your name?", first.Reply)
	assert.Equal(t, answer.HandedOver, first.Trail.Outcome)
	assert.Equal(t, "Under which number?", say("=cmd() Venn").Reply)
	assert.Equal(t, "A telephone number has no letters. Under which number?", say("no idea").Reply)
	assert.Equal(t, "Thank you. Somebody rings you.", say("01632 960411").Reply)
	assert.Contains(t, say("Must dogs be on a lead?").Reply, "lead", "and it goes on as before")
	ns, err := a.Asking.Notices(t.Context(), "c")
	require.NoError(t, err)
	require.Len(t, ns, 2, "kept once")
	assert.Equal(t, []string{"details", "handOver"}, []string{ns[0].Kind, ns[1].Kind})
	assert.Equal(t, []rule.Told{{Name: "Name", Value: "=cmd() Venn"}, {Name: "Phone", Value: "01632 960411"}}, ns[0].Told)
	assert.Len(t, ns[0].Talk, 8)
	csv, err := a.Asking.ExportNotices(t.Context(), "c")
	require.NoError(t, err)
	assert.Contains(t, string(csv), "'=cmd() Venn", "no spreadsheet takes it for a formula")
}

func TestRulesAreTriedAndWarnedOf(t *testing.T) {
	a := fresh(t)
	withDogs(t, a)
	rules := []rule.Rule{
		{ID: "old", Name: "Old reply", When: rule.When{Like: []string{"Must dogs be on a lead?", "Do dogs need a leash?"}}, Then: []rule.Action{{Kind: rule.Reply, Text: "Dogs travel for £99.00."}}},
		{ID: "again", Name: "Again", When: rule.When{Contains: []string{"dogs"}}, Then: []rule.Action{{Kind: rule.Line, Text: "Woof."}}},
		{ID: "all", Name: "All", Then: []rule.Action{{Kind: rule.Line, Text: "x"}}, Stop: true},
		{ID: "late", Name: "Late", When: rule.When{Contains: []string{"cats"}}, Then: []rule.Action{{Kind: rule.Line, Text: "x"}}},
	}
	got, err := a.Asking.TryRules(t.Context(), public, "c", rules, "Do my dogs need a leash?", "", []rule.Labelled{{Text: "Must a dog be on a lead on board?", Rules: []string{"old"}}, {Text: "What is for lunch?", Rules: []string{}}, {Text: "two dogs", Rules: []string{}}})
	require.NoError(t, err)
	assert.Equal(t, "Dogs travel for £99.00.", got.State.Say)
	assert.Equal(t, 1.0, got.Tested[0].Recall)
	assert.Equal(t, []string{"two dogs"}, got.Tested[1].Wrong)
	kinds := map[string]string{}
	for _, w := range got.Warnings {
		kinds[w.Rule+" "+w.Kind] = w.Text
	}
	assert.Contains(t, kinds, "again overlap")
	assert.Contains(t, kinds, "late behind")
	assert.Contains(t, kinds["old shadows"]+kinds["old disagree"], "lead", "with what the sources say")
	_, err = a.Asking.TryRules(t.Context(), public, "c", []rule.Rule{{ID: "x", Name: "x"}}, "", "", nil)
	assert.ErrorIs(t, err, fault.ErrInput)
}

func TestRulesNarrowTheSourcesAndHeedThePage(t *testing.T) {
	a := fresh(t)
	withDogs(t, a)
	ss, err := a.Gathering.Sources(t.Context(), "c")
	require.NoError(t, err)
	_, err = a.Gathering.PutPairs(t.Context(), "c", []byte("question,answer\nMust dogs be on a lead?,Not in the garden.\n"), "", "")
	require.NoError(t, err)
	m, err := a.Indexing.Method(t.Context(), "c")
	require.NoError(t, err)
	m.Rules = []rule.Rule{{ID: "n", Name: "Boats", When: rule.When{Pages: []string{"/boats"}}, Then: []rule.Action{{Kind: rule.Narrow, Sources: []string{ss[0].ID}}}}}
	_, err = a.Indexing.SaveMethod(t.Context(), "c", m)
	require.NoError(t, err)
	ask := func(page string) string {
		r, err := a.Asking.Ask(t.Context(), asking.Caller{Audience: "public", Surface: "bench", Page: page}, "c", query.Question{Text: "Must dogs be on a lead?"})
		require.NoError(t, err)
		return r.Reply
	}
	assert.Contains(t, ask(""), "garden")
	assert.NotContains(t, ask("https://tolmouth.example/boats/skerrow"), "garden")
}

func TestEveryAlertIsSentHoweverMany(t *testing.T) {
	a, box := ruled(t, func(hook string) []rule.Rule {
		r := rule.Rule{ID: "x", Name: "X", When: rule.When{Contains: []string{"bite"}}, Then: []rule.Action{{Kind: rule.Reply, Text: "Noted."}}}
		for range 9 {
			r.Then = append(r.Then, rule.Action{Kind: rule.Alert, To: hook})
		}
		return []rule.Rule{r}
	})
	for range 13 {
		_, err := a.Asking.Ask(t.Context(), public, "c", query.Question{Text: "a bite"})
		require.NoError(t, err)
	}
	require.Eventually(t, func() bool { return len(box.Letters()) == 13*9 }, 30*time.Second, 20*time.Millisecond)
}
