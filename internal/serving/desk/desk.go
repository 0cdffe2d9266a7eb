// Package desk is where people who answer others work: conversations that were handed over to a person, replies that are prepared for them from
// everything they may read, and what they make of those.
package desk

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"net/mail"
	"slices"
	"strings"
	"time"
	"unicode"

	"jolvex/core/index"
	"jolvex/core/query"
	"jolvex/core/rule"
	"jolvex/internal/asking"
	"jolvex/internal/event"
	"jolvex/internal/fault"
	"jolvex/internal/serving"
	"jolvex/internal/store"
	"jolvex/internal/store/served"
	"jolvex/internal/store/talk"
)

// Corrections is what the desk needs of mending: what people change in a reply that was prepared for them becomes something to mend.
type Corrections interface {
	Corrected(ctx context.Context, corpus, exchange, said, written, by string) error
}

// Carrier is what the desk needs of channels: conversations that are held elsewhere than on a page of ours.
type Carrier interface {
	Held(ctx context.Context, conversation string) (name string, drafted bool, err error)
	Carry(ctx context.Context, conversation, text, name string) (bool, error)
}

// Room is the desk of all corpora.
type Room struct {
	store       *store.Store
	served      *served.Served
	talk        *talk.Talk
	posts       *talk.Posts
	events      *event.Stream
	serving     *serving.Server
	corrections Corrections
	carrier     Carrier
	now         func() time.Time
}

// Needs are what the room works with.
type Needs struct {
	Store       *store.Store
	Talk        *talk.Talk
	Events      *event.Stream
	Serving     *serving.Server
	Corrections Corrections
	Carrier     Carrier
	Now         func() time.Time
}

// New makes the room.
func New(n Needs) *Room {
	return &Room{
		store: n.Store, served: served.New(n.Store), talk: n.Talk, posts: talk.NewPosts(n.Store), events: n.Events, serving: n.Serving, corrections: n.Corrections, carrier: n.Carrier, now: n.Now,
	}
}

// mostListed is how many hand-overs are listed.
const mostListed = 500

// Handover is a conversation that waits for a person, or is with one.
type Handover struct {
	ID           string       `json:"id"`
	Conversation string       `json:"conversation"`
	Rule         string       `json:"rule" doc:"Name of the house rule"`
	Team         string       `json:"team"`
	Purpose      string       `json:"purpose"`
	Who          string       `json:"who" doc:"Name that the site gives of the asker; empty when it gives none"`
	State        string       `json:"state" enum:"waiting,taken,closed"`
	TakenBy      string       `json:"takenBy,omitempty"`
	Mine         bool         `json:"mine" doc:"It is the caller's"`
	OpenedAt     string       `json:"openedAt"`
	ChangedAt    string       `json:"changedAt"`
	Summary      string       `json:"summary" doc:"What was asked, in the asker's words"`
	Page         string       `json:"page" doc:"On which it was asked"`
	Told         []rule.Told  `json:"told" nullable:"false" doc:"Details that the asker told; hidden in part while nobody has taken it"`
	Mail         bool         `json:"mail" doc:"The asker left a mail address"`
	Channel      string       `json:"channel,omitempty" doc:"By which the asker writes, and is answered; empty for a page of ours"`
	Drafted      bool         `json:"drafted,omitempty" doc:"Replies in it were prepared and not sent: a person sends them"`
	Said         []HandedTurn `json:"said,omitempty" nullable:"false" doc:"Of an opened one: the conversation"`
	Lines        []HandedLine `json:"lines,omitempty" nullable:"false" doc:"Of an opened one: what was said after it was handed over"`
}

// HandedTurn is a question of the conversation with the reply that it got.
type HandedTurn struct {
	ID    string `json:"id"`
	Asked string `json:"asked"`
	Said  string `json:"said"`
	At    string `json:"at"`
}

// HandedLine is something that was said after a hand-over.
type HandedLine struct {
	ID     int64  `json:"id"`
	Author string `json:"author" enum:"staff,visitor"`
	Name   string `json:"name"`
	Text   string `json:"text"`
	Mailed bool   `json:"mailed"`
	At     string `json:"at"`
}

func line(l served.Line) HandedLine {
	return HandedLine{l.ID, l.Author, l.Name, l.Text, l.Mailed, l.At}
}

// List lists the hand-overs of a corpus: those that are open, the longest waiting first, or those that were closed.
func (rm *Room) List(ctx context.Context, corpus string, closed bool, by string) ([]Handover, error) {
	c, err := rm.store.Corpus(ctx, corpus)
	if err != nil {
		return nil, err
	}
	hs, err := rm.served.Handovers(ctx, c.ID, closed, mostListed)
	if err != nil {
		return nil, err
	}
	out := make([]Handover, len(hs))
	for n, h := range hs {
		if out[n], err = rm.view(ctx, h, by, false); err != nil {
			return nil, err
		}
	}
	return out, nil
}

// Open is one hand-over with its conversation.
func (rm *Room) Open(ctx context.Context, corpus, id, by string) (Handover, error) {
	_, h, err := rm.find(ctx, corpus, id)
	if err != nil {
		return Handover{}, err
	}
	return rm.view(ctx, h, by, true)
}

func (rm *Room) find(ctx context.Context, corpus, id string) (store.Corpus, served.Handover, error) {
	c, err := rm.store.Corpus(ctx, corpus)
	if err != nil {
		return c, served.Handover{}, err
	}
	h, err := rm.served.Handover(ctx, c.ID, id)
	return c, h, err
}

// How many questions of a conversation are shown with its hand-over, and how many are in its summary.
const (
	mostSaid   = 300
	summarised = 5
)

func (rm *Room) view(ctx context.Context, h served.Handover, by string, whole bool) (Handover, error) {
	out := Handover{ID: h.ID, Conversation: h.Conversation, Rule: h.Rule, Team: h.Team, Purpose: h.Purpose, Who: h.Who, State: h.State, TakenBy: h.TakenBy, Mine: h.TakenBy != "" && h.TakenBy == by, OpenedAt: h.OpenedAt, ChangedAt: h.ChangedAt, Told: []rule.Told{}}
	most := summarised
	if whole {
		most = mostSaid
	}
	c, es, err := rm.talk.Conversation(ctx, h.Corpus, h.Conversation, 0, most)
	if err != nil {
		return out, err
	}
	out.Page = c.Page
	if out.Channel, out.Drafted, err = rm.carrier.Held(ctx, h.Conversation); err != nil && !errors.Is(err, fault.ErrMissing) {
		return out, err
	}
	var asked []string
	for _, e := range es {
		asked = append(asked, e.Question)
		if whole {
			out.Said = append(out.Said, HandedTurn{e.ID, e.Question, e.Said, e.At})
		}
	}
	out.Summary = short(strings.Join(asked, " / "), 160)
	told, err := rm.told(ctx, h.Conversation)
	if err != nil {
		return out, err
	}
	out.Mail = addressOf(told) != ""
	for _, t := range told {
		if h.State == served.Waiting {
			t.Value = covered(t.Value)
		}
		out.Told = append(out.Told, t)
	}
	if !whole {
		return out, nil
	}
	ls, err := rm.served.Lines(ctx, h.ID, 0)
	for _, l := range ls {
		out.Lines = append(out.Lines, line(l))
	}
	return out, err
}

// told are the details of a conversation, each as it was told last.
func (rm *Room) told(ctx context.Context, conversation string) ([]rule.Told, error) {
	lists, err := rm.served.Told(ctx, conversation)
	if err != nil {
		return nil, err
	}
	var out []rule.Told
	for _, raw := range lists {
		var some []rule.Told
		if err := json.Unmarshal([]byte(raw), &some); err != nil {
			return nil, fmt.Errorf("read the details of a conversation: %w", err)
		}
		for _, t := range some {
			if t.Value != "" && !slices.ContainsFunc(out, func(x rule.Told) bool { return x.Name == t.Name }) {
				out = append(out, t)
			}
		}
	}
	return out, nil
}

// addressOf is the mail address among details; empty when there is none.
func addressOf(told []rule.Told) string {
	for _, t := range told {
		if a, err := mail.ParseAddress(strings.TrimSpace(t.Value)); err == nil && a.Address == strings.TrimSpace(t.Value) {
			return a.Address
		}
	}
	return ""
}

// covered hides what is personal in a value: its letters and figures but the first and the last.
func covered(s string) string {
	rs := []rune(s)
	for n := 1; n < len(rs)-1; n++ {
		if unicode.IsLetter(rs[n]) || unicode.IsDigit(rs[n]) {
			rs[n] = '•'
		}
	}
	if len(rs) < 4 {
		return "•••"
	}
	return string(rs)
}

func short(s string, most int) string {
	s = strings.Join(strings.Fields(s), " ")
	if rs := []rune(s); len(rs) > most {
		return string(rs[:most-1]) + "…"
	}
	return s
}

// Take gives an open hand-over to a person. from is who has it as the caller knows; ErrInput, wrapped, when that is another by now.
func (rm *Room) Take(ctx context.Context, corpus, id, from, by string) (Handover, error) {
	c, h, err := rm.find(ctx, corpus, id)
	if err != nil {
		return Handover{}, err
	}
	ok, err := rm.served.TakeHandover(ctx, h.ID, from, by)
	if err != nil {
		return Handover{}, err
	}
	if !ok {
		if h.State == served.Closed {
			return Handover{}, fault.Input("this conversation was closed")
		}
		return Handover{}, fault.Input("%s has taken it meanwhile", h.TakenBy)
	}
	rm.tell(ctx, c.ID, h.ID)
	return rm.Open(ctx, corpus, id, by)
}

// mostText is the most bytes that a person writes in one go.
const mostText = 20_000

// Written is what a person wrote to somebody.
type Written struct {
	Text     string `json:"text" minLength:"1" maxLength:"20000"`
	Mail     bool   `json:"mail,omitempty" doc:"Send it to the address that the asker left, too"`
	Prepared string `json:"prepared,omitempty" maxLength:"80" doc:"The exchange of the prepared reply that it was made of"`
}

// Answer says something to the asker, who sees it where they asked, and by mail when that is wanted. What was changed in a prepared reply becomes a
// snag.
func (rm *Room) Answer(ctx context.Context, corpus, id, by string, w Written) (Handover, error) {
	c, h, err := rm.find(ctx, corpus, id)
	if err != nil {
		return Handover{}, err
	}
	if w.Text = strings.TrimSpace(w.Text); w.Text == "" || len(w.Text) > mostText {
		return Handover{}, fault.Input("an answer has between 1 and %d bytes", mostText)
	}
	to := ""
	if w.Mail {
		told, err := rm.told(ctx, h.Conversation)
		if err != nil {
			return Handover{}, err
		}
		if to = addressOf(told); to == "" {
			return Handover{}, fault.Input("the asker left no mail address")
		}
	}
	if _, err := rm.prepared(ctx, c.ID, w.Prepared, h.Conversation); err != nil { // before anything is said
		return Handover{}, err
	}
	if h.State == served.Taken && h.TakenBy != by {
		return Handover{}, fault.Input("%s has this conversation: take it first", h.TakenBy)
	}
	if h.State == served.Waiting {
		if _, err := rm.Take(ctx, corpus, id, "", by); err != nil {
			return Handover{}, err
		}
	}
	if _, err := rm.served.AddLine(ctx, served.Line{Handover: h.ID, Author: served.ByStaff, Name: by, Text: w.Text, Mailed: to != ""}); err != nil {
		if errors.Is(err, fault.ErrMissing) {
			err = fault.Input("this conversation was closed")
		}
		return Handover{}, err
	}
	if _, err := rm.carrier.Carry(ctx, h.Conversation, w.Text, by); err != nil {
		return Handover{}, err
	}
	if to != "" {
		if err := rm.post(ctx, c.ID, to, "Your question to us", w.Text+"\n\n"+by+"\n"); err != nil {
			return Handover{}, err
		}
	}
	if err := rm.correct(ctx, c.ID, w.Prepared, h.Conversation, w.Text, by); err != nil {
		return Handover{}, err
	}
	rm.tell(ctx, c.ID, h.ID)
	return rm.Open(ctx, corpus, id, by)
}

// Close ends a hand-over. What the asker writes next is answered by the assistant again.
func (rm *Room) Close(ctx context.Context, corpus, id, by string) (Handover, error) {
	c, h, err := rm.find(ctx, corpus, id)
	if err != nil {
		return Handover{}, err
	}
	if _, err := rm.served.CloseHandover(ctx, h.ID); err != nil {
		return Handover{}, err
	}
	rm.tell(ctx, c.ID, h.ID)
	return rm.Open(ctx, corpus, id, by)
}

func (rm *Room) post(ctx context.Context, corpus, to, subject, body string) error {
	return rm.posts.Deliver(ctx, nil, []talk.Delivery{{Corpus: corpus, Recipient: to, Kind: "answer", Subject: subject, Body: body, DueAt: talk.Stamp(rm.now())}})
}

func (rm *Room) tell(ctx context.Context, corpus, id string) {
	event.Tell(ctx, rm.events, event.Handover, corpus, event.HandoverBody{ID: id})
}

// Prepare makes a reply for somebody who answers others, from all that staff may read, under the release that visitors get, or the draft while there is
// none. tone is how a model is to word it; empty for the draft's own.
func (rm *Room) Prepare(ctx context.Context, corpus, question, tone string) (*asking.Reply, error) {
	return rm.serving.Persons.AskStaff(ctx, asking.Caller{Audience: index.Staff, Surface: asking.SurfaceStaff}, corpus, query.Question{Text: question}, tone)
}

// Sent keeps what a person made of a prepared reply, and mails it when there is somebody to mail it to. What was changed becomes a snag.
func (rm *Room) Sent(ctx context.Context, corpus, exchange, by, text, to string) error {
	c, err := rm.store.Corpus(ctx, corpus)
	if err != nil {
		return err
	}
	if text = strings.TrimSpace(text); text == "" || len(text) > mostText {
		return fault.Input("an answer has between 1 and %d bytes", mostText)
	}
	if _, err := rm.prepared(ctx, c.ID, exchange, ""); err != nil { // before anything is sent
		return err
	}
	if to = strings.TrimSpace(to); to != "" {
		if a, err := mail.ParseAddress(to); err != nil || a.Address != to {
			return fault.Input("%q is no mail address", to)
		}
		if err := rm.post(ctx, c.ID, to, "Your question to us", text+"\n\n"+by+"\n"); err != nil {
			return err
		}
	}
	return rm.correct(ctx, c.ID, exchange, "", text, by)
}

// prepared is the exchange of a prepared reply, or of one in a conversation that was not sent; the zero value where none is named.
func (rm *Room) prepared(ctx context.Context, corpus, exchange, conversation string) (talk.Exchange, error) {
	if exchange == "" {
		return talk.Exchange{}, nil
	}
	e, err := rm.talk.Exchange(ctx, corpus, exchange)
	if err == nil && e.Surface != asking.SurfaceStaff && (conversation == "" || e.Conversation != conversation) {
		err = fault.Input("that reply was not prepared here")
	}
	return e, err
}

// correct makes a snag of a prepared reply that a person changed. Words put around it, such as a greeting, change nothing.
func (rm *Room) correct(ctx context.Context, corpus, exchange, conversation, written, by string) error {
	if exchange == "" {
		return nil
	}
	e, err := rm.prepared(ctx, corpus, exchange, conversation)
	if err != nil {
		return err
	}
	plain := func(s string) string { return strings.Join(strings.Fields(s), " ") }
	if said := plain(e.Said); said != "" && strings.Contains(plain(written), said) {
		return nil
	}
	return rm.corrections.Corrected(ctx, corpus, e.ID, e.Said, written, by)
}

// leastDetails is how many details have to match before anything of a person is shown.
const leastDetails = 2

// ByDetails finds the conversations of somebody who tells at least two details as they told them before: a name and a telephone number, a booking number
// and a mail address. Fewer open nothing.
func (rm *Room) ByDetails(ctx context.Context, corpus, by string, given []string) ([]Handover, error) {
	c, err := rm.store.Corpus(ctx, corpus)
	if err != nil {
		return nil, err
	}
	var want []string
	for _, g := range given {
		if k := detailKey(g); k != "" && !slices.Contains(want, k) {
			want = append(want, k)
		}
	}
	if len(want) < leastDetails {
		return nil, fault.Input("two different details are needed, each with at least four letters or figures")
	}
	rows, err := rm.served.Detailed(ctx, c.ID)
	if err != nil {
		return nil, err
	}
	found, order := map[string]map[string]bool{}, []string{}
	for _, r := range rows {
		var told []rule.Told
		if err := json.Unmarshal([]byte(r.Told), &told); err != nil {
			return nil, fmt.Errorf("read the details of a conversation: %w", err)
		}
		for _, t := range told {
			k := detailKey(t.Value)
			if k == "" || !slices.Contains(want, k) {
				continue
			}
			if found[r.Conversation] == nil {
				found[r.Conversation] = map[string]bool{}
				order = append(order, r.Conversation)
			}
			found[r.Conversation][k] = true
		}
	}
	out := []Handover{}
	for _, id := range order {
		if len(found[id]) < len(want) { // every detail that was given has to be right
			continue
		}
		h, err := rm.served.HandoverOf(ctx, c.ID, id)
		if errors.Is(err, fault.ErrMissing) {
			h, err = served.Handover{Corpus: c.ID, Conversation: id, State: served.Closed}, nil
		}
		if err != nil {
			return nil, err
		}
		v, err := rm.view(ctx, h, by, true)
		if err != nil {
			return nil, err
		}
		if h.State == served.Waiting { // who knows two details may read all of them
			if v.Told, err = rm.told(ctx, id); err != nil {
				return nil, err
			}
		}
		out = append(out, v)
	}
	return out, nil
}

// detailKey is a detail in the form in which two tellings of it are alike: letters and figures alone. Empty when it is too short to tell people apart.
func detailKey(s string) string {
	k := strings.Map(func(r rune) rune {
		if unicode.IsLetter(r) || unicode.IsDigit(r) {
			return unicode.ToLower(r)
		}
		return -1
	}, s)
	if len([]rune(k)) < 4 {
		return ""
	}
	return k
}
