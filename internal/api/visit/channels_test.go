package visit_test

import (
	"encoding/json"
	"net"
	"net/http"
	"net/http/httptest"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"jolvex/internal/connections"
	"jolvex/internal/serving"
	"jolvex/internal/serving/channels"
	"jolvex/internal/serving/desk"
	"jolvex/internal/sim"
	"jolvex/internal/store/talk"
)

// service connects a messaging service to the corpus.
func (h *harbour) service(set channels.ChannelSettings) (*sim.Messenger, channels.Channel) {
	h.t.Helper()
	m := &sim.Messenger{}
	srv := httptest.NewServer(m.Handler())
	h.t.Cleanup(srv.Close)
	h.app.Serving.VisitorsAt(h.at)
	set.Address = srv.URL + "/messenger/replies"
	c, err := h.app.Channels.Put(h.t.Context(), corpus, "Ada", channels.Channel{Kind: channels.KindService, Name: "Chats", Settings: set}, false)
	require.NoError(h.t, err)
	require.NotEmpty(h.t, c.Secret)
	m.Connect(c.In, c.Secret)
	return m, c
}

// letters connects a mail address to the corpus.
func (h *harbour) letters(set channels.ChannelSettings) (*sim.Mailbox, channels.Channel) {
	h.t.Helper()
	box := &sim.Mailbox{}
	l, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(h.t, err)
	go func() { _ = box.Serve(l) }() // ends with the listener
	h.t.Cleanup(func() { _ = l.Close() })
	_, err = h.app.Connections.ConnectMail(h.t.Context(), connections.ConnectionChange{Base: "smtp://" + l.Addr().String(), Model: "post@harbour.example"})
	require.NoError(h.t, err)
	h.app.Serving.VisitorsAt(h.at)
	set.Address = "ask@harbour.example"
	c, err := h.app.Channels.Put(h.t.Context(), corpus, "Ada", channels.Channel{Kind: channels.KindMail, Name: "Mail", Settings: set}, false)
	require.NoError(h.t, err)
	box.Forward(set.Address, c.In, c.Secret)
	return box, c
}

var answering = channels.ChannelSettings{Mode: channels.ModeAnswer, Markup: channels.MarkupPlain, Silence: 24, Sources: true}

func by(m *sim.Messenger, who string) []sim.Message {
	var out []sim.Message
	for _, s := range m.Messages() {
		if s.By == who {
			out = append(out, s)
		}
	}
	return out
}

func soon(t *testing.T, what func() bool, said string) {
	t.Helper()
	require.Eventually(t, what, 20*time.Second, 20*time.Millisecond, said)
}

func TestAMessagingServiceIsAnswered(t *testing.T) {
	h := open(t)
	m, c := h.service(answering)
	status, err := m.Write("t1", "Ben", "m1", "How much is a dog?")
	require.NoError(t, err)
	assert.Equal(t, http.StatusAccepted, status)
	soon(t, func() bool { return len(by(m, "assistant")) == 1 }, "no reply came")
	assert.Contains(t, by(m, "assistant")[0].Text, "£2.00")

	// The same message again is the same message.
	status, err = m.Write("t1", "Ben", "m1", "How much is a dog?")
	require.NoError(t, err)
	assert.Equal(t, http.StatusOK, status)
	_, err = m.Write("t1", "Ben", "m2", "And a cat?")
	require.NoError(t, err)
	soon(t, func() bool { return len(by(m, "assistant")) == 2 }, "no second reply came")
	assert.Contains(t, by(m, "assistant")[1].Text, "free", "it goes on with what was said")

	log, err := h.app.Mending.Conversations.Log(t.Context(), corpus, talk.Filter{Limit: 10}, false)
	require.NoError(t, err)
	require.Len(t, log, 2)
	assert.Equal(t, log[0].Conversation, log[1].Conversation)
	assert.Equal(t, "messages", log[0].Surface)
	list, err := h.app.Channels.List(t.Context(), corpus)
	require.NoError(t, err)
	require.Len(t, list, 1)
	assert.Equal(t, 2, list[0].Figures.Answered)
	assert.Empty(t, list[0].Secret, "it is told once")

	// Nothing is taken that is not signed, or signed with another secret.
	for name, secret := range map[string]string{"another secret": "whsec_" + strings.Repeat("QUFB", 8), "no secret": ""} {
		other := &sim.Messenger{}
		other.Connect(c.In, secret)
		_, err := other.Write("t2", "Eve", "x1", "How much is a dog?")
		assert.Error(t, err, name)
	}
	got, err := http.Post(c.In, "application/json", strings.NewReader(`{"id":"a","thread":"t","text":"hello"}`))
	require.NoError(t, err)
	assert.Equal(t, http.StatusUnauthorized, got.StatusCode)
	require.NoError(t, got.Body.Close())

	// Whoever writes faster than people do is held off, and nobody else is.
	held := 0
	for range 40 {
		if status, _ := m.Write("t3", "Flood", "", "dog?"); status == http.StatusTooManyRequests {
			held++
		}
	}
	assert.Equal(t, 20, held)
	status, err = m.Write("t4", "Ben", "", "How much is a dog?")
	require.NoError(t, err)
	assert.Equal(t, http.StatusAccepted, status)
}

func TestAPersonAnswersInAChannel(t *testing.T) {
	h := open(t)
	set := answering
	set.Mode = channels.ModeSure
	m, _ := h.service(set)
	_, err := m.Write("t1", "Ben", "m1", "How much is a dog?")
	require.NoError(t, err)
	soon(t, func() bool { return len(by(m, "assistant")) == 1 }, "what the material answers is answered")
	_, err = m.Write("t1", "Ben", "m2", "Who was the first emperor of China?")
	require.NoError(t, err)
	waiting := func() []desk.Handover {
		hs, err := h.app.Desk.List(t.Context(), corpus, false, "Ada")
		require.NoError(t, err)
		return hs
	}
	soon(t, func() bool { return len(waiting()) == 1 }, "it waits for a person")
	one := waiting()[0]
	assert.Equal(t, "Chats", one.Channel)
	assert.Equal(t, "Ben", one.Who)
	_, err = h.app.Desk.Answer(t.Context(), corpus, one.ID, "Ada", desk.Written{Text: "Ask a library."})
	require.NoError(t, err)
	soon(t, func() bool { return len(by(m, "person")) == 1 }, "the person's answer goes out")
	assert.Equal(t, sim.Message{Thread: "t1", By: "person", Text: "Ask a library."}, by(m, "person")[0])
	_, err = m.Write("t1", "Ben", "m3", "Which one?")
	require.NoError(t, err)
	soon(t, func() bool {
		o, err := h.app.Desk.Open(t.Context(), corpus, one.ID, "Ada")
		return err == nil && len(o.Lines) == 2
	}, "what is written then goes to the person")
	assert.Len(t, by(m, "assistant"), 1)
}

func TestMailIsAnsweredInItsThread(t *testing.T) {
	h := open(t)
	box, c := h.letters(answering)
	write := func(mail string) int {
		t.Helper()
		status, err := box.Write("ask@harbour.example", strings.ReplaceAll(mail, "\n", "\r\n"))
		require.NoError(t, err)
		return status
	}
	first := "From: Ben <ben@customers.example>\nTo: ask@harbour.example\nSubject: My dog\nMessage-ID: <1@customers.example>\n\nHello,\n\nhow much is a dog each way?\n\n-- \nBen, 12 Quay Street\n"
	assert.Equal(t, http.StatusAccepted, write(first))
	soon(t, func() bool { return len(box.Letters()) == 1 }, "no mail came back")
	got := box.Letters()[0]
	assert.Equal(t, "ben@customers.example", got.To)
	assert.Equal(t, "ask@harbour.example", got.From)
	assert.Equal(t, "Re: My dog", got.Subject)
	assert.Equal(t, "<1@customers.example>", got.Answers)
	assert.Equal(t, "auto-replied", got.Auto)
	assert.Contains(t, got.Text, "£2.00")
	assert.Equal(t, http.StatusOK, write(first), "taken once")

	// A wrong secret is refused before the mail is read.
	box.Forward("wrong@harbour.example", c.In, "whsec_d3Jvbmc=")
	status, err := box.Write("wrong@harbour.example", first)
	require.NoError(t, err)
	assert.Equal(t, http.StatusUnauthorized, status)

	// It goes on in its thread, and what is quoted is not asked.
	write("From: Ben <ben@customers.example>\nSubject: Re: My dog\nMessage-ID: <2@customers.example>\nIn-Reply-To: " + got.ID + "\n\nAnd a cat?\n\nOn Monday, 4 May 2026, at 10:12, ask@harbour.example wrote:\n> A dog costs £2.00 each way.\n")
	soon(t, func() bool { return len(box.Letters()) == 2 }, "no second mail came back")
	assert.Contains(t, box.Letters()[1].Text, "free")
	assert.NotContains(t, box.Letters()[1].Text, "£2.00")

	// Somebody else who knows the id of a mail is not told what was said in its thread, and machines are not answered.
	for _, x := range []string{"Auto-Submitted: auto-replied", "Auto-Submitted: auto-generated", "Precedence: bulk", "List-Id: <all.example>", "Return-Path: <>", "X-A: b\nReply-To: ask@harbour.example"} {
		write("From: Bot <bot@customers.example>\nSubject: Out of office\n" + x + "\n\nHow much is a dog?\n")
	}
	write("From: MAILER-DAEMON@customers.example\nSubject: Undelivered\n\nHow much is a dog?\n")
	assert.Equal(t, http.StatusUnprocessableEntity, write("no mail at all"))
	write("From: Eve <eve@customers.example>\nSubject: Re: My dog\nMessage-ID: <9@customers.example>\nIn-Reply-To: " + got.ID + "\n\nHow much is a dog?\n")
	soon(t, func() bool { return len(box.Letters()) == 3 }, "the last one is answered")
	assert.Equal(t, "eve@customers.example", box.Letters()[2].To)
	list, err := h.app.Channels.List(t.Context(), corpus)
	require.NoError(t, err)
	assert.Equal(t, 7, list[0].Figures.Dropped)
	assert.Equal(t, 3, list[0].Figures.Answered)
}

func TestAMailIsDraftedForAPerson(t *testing.T) {
	h := open(t)
	set := answering
	set.Mode = channels.ModeDraft
	box, _ := h.letters(set)
	_, err := box.Write("ask@harbour.example", "From: Ben <ben@customers.example>\r\nSubject: My dog\r\n\r\nHow much is a dog each way?\r\n")
	require.NoError(t, err)
	var hs []desk.Handover
	soon(t, func() bool {
		hs, err = h.app.Desk.List(t.Context(), corpus, false, "Ada")
		return err == nil && len(hs) == 1
	}, "it waits for a person")
	assert.True(t, hs[0].Drafted)
	assert.Equal(t, "My dog", hs[0].Purpose)
	assert.Empty(t, box.Letters())
	one, err := h.app.Desk.Open(t.Context(), corpus, hs[0].ID, "Ada")
	require.NoError(t, err)
	require.Len(t, one.Said, 1)
	_, err = h.app.Desk.Answer(t.Context(), corpus, one.ID, "Ada", desk.Written{Text: "A dog is £2.00, and we look forward to it.", Prepared: one.Said[0].ID})
	require.NoError(t, err)
	soon(t, func() bool { return len(box.Letters()) == 1 }, "what the person sent goes out")
	snags, err := h.app.Mending.Snags.List(t.Context(), corpus, "open")
	require.NoError(t, err)
	assert.Len(t, snags, 1, "what they changed in the draft is to be mended")
	got := box.Letters()[0]
	assert.Contains(t, got.Text, "£2.00")
	assert.Empty(t, got.Auto, "a person sent it")
	assert.True(t, strings.HasSuffix(strings.TrimSpace(got.Text), "Ada"))
}

func TestADeadServiceHoldsUpNobody(t *testing.T) {
	h := open(t)
	m, c := h.service(answering)
	set := c.Settings
	dead, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	set.Address = "http://" + dead.Addr().String() + "/"
	require.NoError(t, dead.Close())
	_, err = h.app.Channels.Put(t.Context(), corpus, "Ada", channels.Channel{ID: c.ID, Kind: c.Kind, Name: c.Name, Settings: set}, false)
	require.NoError(t, err)
	for _, id := range []string{"a", "b"} {
		_, err = m.Write("t1", "Ben", id, "How much is a dog?")
		require.NoError(t, err)
	}
	soon(t, func() bool {
		list, err := h.app.Channels.List(t.Context(), corpus)
		return err == nil && list[0].Figures.Unsent == 2 && list[0].Figures.Problem != ""
	}, "both replies wait, and the problem is told")
	problem, err := h.app.Channels.Try(t.Context(), corpus, c.ID, "")
	require.NoError(t, err)
	assert.NotEmpty(t, problem)
	ds, err := h.app.Mending.Notices.Deliveries(t.Context(), corpus)
	require.NoError(t, err)
	raw, err := json.Marshal(ds)
	require.NoError(t, err)
	assert.NotContains(t, string(raw), c.Secret)
}

// What was acknowledged is answered once, also when the program was stopped in between and the service hands it in again.
func TestWhatWasTakenIsAnsweredAfterARestart(t *testing.T) {
	dir := t.TempDir()
	h := openIn(t, dir)
	set := answering
	set.Paused = true
	m, c := h.service(set)
	for _, id := range []string{"m1", "m2"} {
		_, err := m.Write("t1", "Ben", id, map[string]string{"m1": "How much is a dog?", "m2": "And a cat?"}[id])
		require.NoError(t, err)
	}
	h.end()
	again := reopen(t, dir)
	m.Connect(again.at+"/c/"+c.ID, c.Secret)
	status, err := m.Write("t1", "Ben", "m1", "How much is a dog?")
	require.NoError(t, err)
	assert.Equal(t, http.StatusOK, status, "it was taken before")
	list, err := again.app.Channels.List(t.Context(), corpus)
	require.NoError(t, err)
	require.Equal(t, 2, list[0].Figures.Waiting)
	on := list[0].Settings
	on.Paused = false
	_, err = again.app.Channels.Put(t.Context(), corpus, "Ada", channels.Channel{ID: c.ID, Kind: c.Kind, Name: c.Name, Settings: on}, false)
	require.NoError(t, err)
	soon(t, func() bool { return len(by(m, "assistant")) == 2 }, "both are answered, in their order")
	assert.Contains(t, by(m, "assistant")[0].Text, "£2.00")
	assert.Contains(t, by(m, "assistant")[1].Text, "free")
	log, err := again.app.Mending.Conversations.Log(t.Context(), corpus, talk.Filter{Limit: 10}, false)
	require.NoError(t, err)
	assert.Len(t, log, 2)
}

// While nobody is answered, whoever writes is told so once; what they wrote is answered afterwards.
func TestMessagesWaitWhileNobodyIsAnswered(t *testing.T) {
	h := open(t)
	m, _ := h.service(answering)
	h.settings(func(s *serving.Settings) { s.Paused, s.PausedText = true, "We are back at nine." })
	for _, id := range []string{"m1", "m2"} {
		_, err := m.Write("t1", "Ben", id, "How much is a dog?")
		require.NoError(t, err)
	}
	soon(t, func() bool { return len(by(m, "assistant")) == 1 }, "it is told")
	assert.Equal(t, "We are back at nine.", by(m, "assistant")[0].Text)
	list, err := h.app.Channels.List(t.Context(), corpus)
	require.NoError(t, err)
	assert.Equal(t, 2, list[0].Figures.Waiting)
	assert.Zero(t, list[0].Figures.Answered)
}

func TestChannelsThatCannotBe(t *testing.T) {
	h := open(t)
	good := channels.Channel{Kind: channels.KindService, Name: "Chats", Settings: answering}
	good.Settings.Address = "https://chat.example/replies"
	for name, change := range map[string]func(*channels.Channel){
		"no address":           func(c *channels.Channel) { c.Settings.Address = "" },
		"no web address":       func(c *channels.Channel) { c.Settings.Address = "ftp://chat.example" },
		"a secret in it":       func(c *channels.Channel) { c.Settings.Address = "https://a:b@chat.example" },
		"mail to the web":      func(c *channels.Channel) { c.Kind = channels.KindMail },
		"a name with the mail": func(c *channels.Channel) { c.Kind, c.Settings.Address = channels.KindMail, "Ben <ben@x.example>" },
		"too short messages":   func(c *channels.Channel) { c.Settings.Longest = 20 },
		"one that is not":      func(c *channels.Channel) { c.ID = "nothing" },
	} {
		c := good
		change(&c)
		_, err := h.app.Channels.Put(t.Context(), corpus, "Ada", c, false)
		assert.Error(t, err, name)
	}
	c, err := h.app.Channels.Put(t.Context(), corpus, "Ada", good, false)
	require.NoError(t, err)
	renewed, err := h.app.Channels.Put(t.Context(), corpus, "Ada", channels.Channel{ID: c.ID, Kind: c.Kind, Name: c.Name, Settings: c.Settings}, true)
	require.NoError(t, err)
	assert.NotEqual(t, c.Secret, renewed.Secret)
	h.app.Serving.VisitorsAt(h.at)
	old := &sim.Messenger{}
	old.Connect(h.at+"/c/"+c.ID, c.Secret)
	_, err = old.Write("t", "Ben", "m", "How much is a dog?")
	assert.Error(t, err, "the secret so far does not work any more")
	require.NoError(t, h.app.Channels.Drop(t.Context(), corpus, c.ID))
	assert.Error(t, h.app.Channels.Drop(t.Context(), corpus, c.ID))
	old.Connect(h.at+"/c/"+c.ID, renewed.Secret)
	status, err := old.Write("t", "Ben", "m", "How much is a dog?")
	assert.Error(t, err)
	assert.Equal(t, http.StatusNotFound, status)
}
