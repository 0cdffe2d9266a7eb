package app_test

import (
	"encoding/json"
	"fmt"
	"net"
	"net/http"
	"net/http/httptest"
	"strings"
	"sync/atomic"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"jolvex/core/query"
	"jolvex/core/rule"
	"jolvex/internal/app"
	"jolvex/internal/asking"
	"jolvex/internal/connections"
	"jolvex/internal/fault"
	"jolvex/internal/mending/notices"
	"jolvex/internal/mending/settled"
	"jolvex/internal/mending/snags"
	servingroom "jolvex/internal/serving"
	"jolvex/internal/sim"
)

// posted is a corpus whose clock a test moves, with a mailbox that stands in for a mail server and a webhook.
type posted struct {
	*app.App
	box *sim.Mailbox
	at  atomic.Int64
}

func (p *posted) set(t *testing.T, at string) {
	t.Helper()
	x, err := time.Parse(time.RFC3339, at)
	require.NoError(t, err)
	p.at.Store(x.UnixNano())
}

func (p *posted) look(t *testing.T) []sim.Letter {
	t.Helper()
	before := len(p.box.Letters())
	require.NoError(t, p.Mending.Notices.Look(t.Context()))
	return p.box.Letters()[before:]
}

func post(t *testing.T) (*posted, string) {
	t.Helper()
	p := &posted{box: &sim.Mailbox{}}
	p.set(t, "2026-03-02T10:00:00Z")
	p.App = freshWith(t, app.Options{Now: func() time.Time { return time.Unix(0, p.at.Load()) }})
	withDogs(t, p.App)
	hook := httptest.NewServer(p.box.Handler())
	t.Cleanup(hook.Close)
	l, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	t.Cleanup(func() { l.Close() })
	go func() { _ = p.box.Serve(l) }() // ends when the listener closes
	_, err = p.Connections.ConnectMail(t.Context(), connections.ConnectionChange{Base: "smtp://" + l.Addr().String(), Model: "jolvex@tolmouth.example"})
	require.NoError(t, err)
	return p, hook.URL + "/hook"
}

// visitor asks as a user does.
func visitor(t *testing.T, a *app.App, text string, turns ...query.Turn) *asking.Reply {
	t.Helper()
	r, err := a.Asking.Ask(t.Context(), asking.Caller{Audience: "public", Surface: "widget", Visitor: "v"}, "c", query.Question{Text: text, Turns: turns})
	require.NoError(t, err)
	return r
}

func TestPeopleAreToldAtTheirPace(t *testing.T) {
	p, hook := post(t)
	told := func(s notices.Subscription) notices.Subscription {
		out, err := p.Mending.Notices.Put(t.Context(), "c", s)
		require.NoError(t, err)
		return out
	}
	told(notices.Subscription{Recipient: "hourly@tolmouth.example", Kinds: []string{"unanswered"}, Pace: "hour", Zone: "Europe/London", Most: 2})
	h := told(notices.Subscription{Recipient: hook, Kinds: []string{"unanswered", "digest"}, Pace: "once", Hour: 8, QuietFrom: 22, QuietTo: 7, Zone: "Europe/London", Most: 50})
	assert.True(t, strings.HasPrefix(h.Secret, "whsec_"), "told once")
	list, err := p.Mending.Notices.Subscriptions(t.Context(), "c")
	require.NoError(t, err)
	assert.Empty(t, list[1].Secret, "and never again")
	p.look(t) // the day's digest of the day before, which was empty

	p.set(t, "2026-03-02T10:10:00Z")
	visitor(t, p.App, "Who won the football world cup?")
	_, err = p.Asking.Ask(t.Context(), public, "c", query.Question{Text: "What is the capital of Mongolia?"})
	require.NoError(t, err)
	p.set(t, "2026-03-02T10:11:00Z")
	got := p.look(t)
	require.Len(t, got, 1, "at once by the webhook, in an hour by mail")
	var x struct {
		Type string
		Data struct{ Unanswered []string }
	}
	require.NoError(t, json.Unmarshal([]byte(got[0].Text), &x))
	assert.Equal(t, "jolvex.news", x.Type)
	assert.Equal(t, []string{"Who won the football world cup?"}, x.Data.Unanswered, "what is asked by people who work here is none")
	p.set(t, "2026-03-02T11:01:00Z")
	got = p.look(t)
	require.Len(t, got, 1)
	assert.Equal(t, []string{"hourly@tolmouth.example", "c: 1 question without an answer"}, []string{got[0].To, got[0].Subject})
	assert.Empty(t, p.look(t), "nothing is told twice")

	p.set(t, "2026-03-02T23:00:00Z")
	visitor(t, p.App, "How do I bake bread?")
	p.set(t, "2026-03-02T23:30:00Z")
	got = p.look(t)
	require.Len(t, got, 1, "the mail; the webhook has quiet hours")
	assert.Equal(t, "mail", got[0].Way)
	p.set(t, "2026-03-03T06:59:00Z")
	assert.Empty(t, p.look(t))
	p.set(t, "2026-03-03T07:00:00Z")
	require.Len(t, p.look(t), 1, "when they end")
	p.set(t, "2026-03-03T08:00:00Z")
	got = p.look(t)
	require.Len(t, got, 1)
	assert.Contains(t, got[0].Text, `"questions":2`, "the digest of the day before")
	assert.Empty(t, p.look(t), "once a day")

	for hour := range 6 {
		p.at.Add(int64(61 * time.Minute))
		visitor(t, p.App, "How do I bake cake number "+string(rune('a'+hour))+"?")
		p.at.Add(int64(3 * time.Second))
		p.look(t)
	}
	ds, err := p.Mending.Notices.Deliveries(t.Context(), "c")
	require.NoError(t, err)
	mails := 0
	for _, d := range ds {
		if d.Recipient == "hourly@tolmouth.example" && strings.HasPrefix(d.CreatedAt, "2026-03-03") {
			mails++
		}
	}
	assert.Equal(t, 2, mails, "no more than so many a day")
}

func TestAMessageThatDoesNotGoOutIsTriedAgain(t *testing.T) {
	p, _ := post(t)
	_, err := p.Connections.ConnectMail(t.Context(), connections.ConnectionChange{})
	require.NoError(t, err)
	_, err = p.Mending.Notices.Put(t.Context(), "c", notices.Subscription{Recipient: "a@tolmouth.example", Kinds: []string{"unanswered"}, Pace: "once", Zone: "UTC", Most: 9})
	require.NoError(t, err)
	p.at.Add(int64(time.Minute))
	visitor(t, p.App, "Who won the football world cup?")
	p.at.Add(int64(3 * time.Second))
	p.look(t)
	state := func() notices.Delivery {
		ds, err := p.Mending.Notices.Deliveries(t.Context(), "c")
		require.NoError(t, err)
		require.Len(t, ds, 1)
		return ds[0]
	}
	assert.Equal(t, []any{"waiting", 1}, []any{state().State, state().Tries})
	assert.Contains(t, state().Problem, "no mail server")
	p.look(t)
	assert.Equal(t, 1, state().Tries, "not before its time")
	for range 7 {
		p.at.Add(int64(15 * time.Hour))
		p.look(t)
	}
	assert.Equal(t, []any{"failed", 8}, []any{state().State, state().Tries}, "in the end it has failed")
	require.NoError(t, p.Mending.Notices.Retry(t.Context(), "c", state().ID))
	p.look(t)
	assert.Equal(t, []any{"waiting", 1}, []any{state().State, state().Tries})

	for _, bad := range []notices.Subscription{{Recipient: "nobody", Zone: "UTC"}, {Recipient: "ftp://x.example/", Zone: "UTC"}, {Recipient: "a@b.example", Zone: "Nowhere/City"}} {
		bad.Kinds = []string{"digest"}
		_, err := p.Mending.Notices.Put(t.Context(), "c", bad)
		assert.ErrorIs(t, err, fault.ErrInput)
	}
}

func TestAWebhookThatIsDeadForADayLosesNothing(t *testing.T) {
	p, _ := post(t)
	var dead atomic.Bool
	var calls atomic.Int32
	dead.Store(true)
	hook := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, q *http.Request) {
		calls.Add(1)
		if dead.Load() {
			w.WriteHeader(http.StatusBadGateway)
			return
		}
		p.box.Handler().ServeHTTP(w, q)
	}))
	t.Cleanup(hook.Close)
	for _, to := range []string{hook.URL + "/hook", "a@tolmouth.example"} {
		_, err := p.Mending.Notices.Put(t.Context(), "c", notices.Subscription{Recipient: to, Kinds: []string{"unanswered"}, Pace: "once", Zone: "UTC", Most: 99})
		require.NoError(t, err)
	}
	const asked = 12
	mails := 0
	for n := range asked { // every two hours
		visitor(t, p.App, fmt.Sprintf("Who won the football world cup of %d?", 1950+4*n))
		for range 120 / 5 {
			p.at.Add(int64(5 * time.Minute))
			for _, l := range p.look(t) {
				assert.Equal(t, "mail", l.Way)
				mails++
			}
		}
		assert.Equal(t, n+1, mails, "the others are told meanwhile")
	}
	assert.LessOrEqual(t, int(calls.Load()), 8*asked, "nobody is called all the time")
	dead.Store(false)
	told := map[string]int{}
	for range 15 * 12 {
		p.at.Add(int64(5 * time.Minute))
		for _, l := range p.look(t) {
			told[l.Text]++
		}
	}
	assert.Len(t, told, asked, "all of them arrive")
	for text, n := range told {
		assert.Equal(t, 1, n, text)
	}
}

func TestAskersWhoLeftAnAddressGetTheSettledAnswer(t *testing.T) {
	p, _ := post(t)
	m, err := p.Indexing.Method(t.Context(), "c")
	require.NoError(t, err)
	m.Rules = []rule.Rule{{ID: "call", Name: "Write back", When: rule.When{Contains: []string{"write to me"}}, Then: []rule.Action{{Kind: rule.Ask, Text: "Thank you.", Details: []rule.Detail{{Name: "Mail", Ask: "What is your address?", Type: "mail"}}}}}}
	_, err = p.Indexing.SaveMethod(t.Context(), "c", m)
	require.NoError(t, err)
	idle(t, p.App, "c")
	who := asking.Caller{Audience: "public", Surface: "widget"}
	var turns []query.Turn
	for _, text := range []string{"Do you sell gift vouchers?", "write to me", "ann@mail.example"} {
		r, err := p.Asking.Ask(t.Context(), who, "c", query.Question{Text: text, Turns: turns})
		require.NoError(t, err)
		who.Conversation = r.Conversation
		turns = append(turns, query.Turn{Role: "user", Text: text}, query.Turn{Role: "assistant", Text: r.Reply})
	}
	ss := gatherSnags(t, p.App)
	require.Len(t, ss, 1)
	_, err = p.Mending.Notices.Answer(t.Context(), "c", ss[0].ID)
	assert.ErrorIs(t, err, fault.ErrInput, "not settled yet")
	_, err = p.Mending.Snags.Settle(t.Context(), "c", ss[0].ID, snags.Settlement{Version: ss[0].Version, How: snags.ByAnswer, Answer: &settled.Answer{Question: "Do you sell gift vouchers?", Answer: "Gift vouchers cost £25.00."}})
	require.NoError(t, err)
	idle(t, p.App, "c")
	n, err := p.Mending.Notices.Answer(t.Context(), "c", ss[0].ID)
	require.NoError(t, err)
	assert.Equal(t, 1, n)
	got := p.look(t)
	require.Len(t, got, 1)
	assert.Equal(t, "ann@mail.example", got[0].To)
	assert.Contains(t, got[0].Text, "Gift vouchers cost £25.00.")
	_, err = p.Mending.Notices.Answer(t.Context(), "c", ss[0].ID)
	assert.ErrorIs(t, err, fault.ErrInput, "nobody is written to twice")
}

// TestProgramsAreToldOfWhatHappens has a webhook told of a release, a conversation that ended, and one that waits for a person, with what each can be
// found by.
func TestProgramsAreToldOfWhatHappens(t *testing.T) {
	p, hook := post(t)
	_, err := p.Mending.Notices.Put(t.Context(), "c", notices.Subscription{Recipient: hook, Kinds: []string{"releases", "ended", "handovers"}, Pace: "once", Zone: "UTC", Most: 50})
	require.NoError(t, err)
	type told struct {
		Data struct {
			Releases, Ended, Handovers []string
			Items                      map[string][]struct{ Ref string }
		}
	}
	look := func() (out []told) {
		for _, l := range p.look(t) {
			var x told
			require.NoError(t, json.Unmarshal([]byte(l.Text), &x))
			out = append(out, x)
		}
		return out
	}
	p.set(t, "2026-03-02T10:10:00Z")
	r, err := p.Serving.MakeRelease(t.Context(), "c", servingroom.Making{Note: "spring fares"})
	require.NoError(t, err)
	asked := visitor(t, p.App, "How much is a dog?")
	_, err = p.Asking.Ask(t.Context(), public, "c", query.Question{Text: "How much is a dog, then?"})
	require.NoError(t, err)
	p.set(t, "2026-03-02T10:10:10Z")
	got := look()
	require.Len(t, got, 1)
	assert.Equal(t, []string{"Release 1: spring fares"}, got[0].Data.Releases)
	assert.Equal(t, r.ID, got[0].Data.Items["releases"][0].Ref)
	assert.Empty(t, got[0].Data.Ended, "it goes on")
	p.set(t, "2026-03-02T10:39:00Z")
	assert.Empty(t, look())
	p.set(t, "2026-03-02T10:41:00Z")
	got = look()
	require.Len(t, got, 1)
	assert.Equal(t, []string{"How much is a dog?"}, got[0].Data.Ended, "what is asked by people who work here is none")
	assert.Equal(t, asked.Conversation, got[0].Data.Items["ended"][0].Ref)
	assert.Empty(t, look(), "nothing is told twice")
}
