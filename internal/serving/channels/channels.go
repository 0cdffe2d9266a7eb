// Package channels answers where no page of ours is shown: in messaging services, which call a webhook and are called back, and by mail, which a mail
// server hands in and takes out. What is written there goes the one path of a question and becomes a conversation.
package channels

import (
	"context"
	"encoding/json"
	"fmt"
	"log/slog"
	"net/mail"
	"net/url"
	"strings"
	"time"

	"jolvex/internal/asking"
	"jolvex/internal/connections"
	"jolvex/internal/fault"
	"jolvex/internal/model"
	"jolvex/internal/serving"
	"jolvex/internal/store"
	"jolvex/internal/store/served"
	"jolvex/internal/store/talk"
)

// Sender sends what is kept to go out.
type Sender interface{ Wake() }

// Room is the channels of all corpora.
type Room struct {
	store       *store.Store
	channels    *served.Channels
	posts       *talk.Posts
	connections *connections.Connections
	serving     *serving.Server
	sender      Sender
	log         *slog.Logger
	now         func() time.Time
	woken       chan struct{}
}

// Needs are what the room works with.
type Needs struct {
	Store       *store.Store
	Connections *connections.Connections
	Serving     *serving.Server
	Sender      Sender
	Log         *slog.Logger
	Now         func() time.Time
}

// New makes the room.
func New(n Needs) *Room {
	return &Room{
		store: n.Store, channels: served.NewChannels(n.Store), posts: talk.NewPosts(n.Store), connections: n.Connections, serving: n.Serving, sender: n.Sender, log: n.Log, now: n.Now,
		woken: make(chan struct{}, 1),
	}
}

// The kinds of channel.
const (
	KindService = "service"
	KindMail    = "mail"
)

// What is done with a reply before it goes out.
const (
	ModeAnswer = "answer" // it is sent
	ModeSure   = "sure"   // it is sent when the material answers; else a person answers
	ModeDraft  = "draft"  // a person sends it
)

// The ways in which emphasis and links are written.
const (
	MarkupPlain    = "plain"
	MarkupMarkdown = "markdown"
	MarkupHTML     = "html"
)

// ChannelSettings are how a channel answers.
type ChannelSettings struct {
	Address string `json:"address" maxLength:"500" doc:"Of a messaging service: where replies are posted to. Of mail: the address that replies come from"`
	Mode    string `json:"mode" enum:"answer,sure,draft" doc:"What is done with a reply: send it; send it when the material answers, else a person does; a person sends each"`
	Markup  string `json:"markup" enum:"plain,markdown,html" doc:"How links are written; mail is plain"`
	Longest int    `json:"longest" minimum:"0" maximum:"100000" doc:"Characters in one message; what is longer is sent in parts. 0 for any length"`
	Silence int    `json:"silence" minimum:"1" maximum:"8760" doc:"Hours without a message after which the next one begins a new conversation"`
	Sources bool   `json:"sources" doc:"The sources stand below a reply"`
	Paused  bool   `json:"paused" doc:"Nobody is answered here; messages wait"`
}

// leastLongest is the least that a message can hold.
const leastLongest = 160

// Channel is a messaging service or a mail address at which a corpus answers.
type Channel struct {
	ID        string                `json:"id,omitempty" doc:"Empty to make one"`
	Kind      string                `json:"kind" enum:"service,mail"`
	Name      string                `json:"name" minLength:"1" maxLength:"120"`
	Settings  ChannelSettings       `json:"settings"`
	In        string                `json:"in,omitempty" doc:"Address at which messages are handed in"`
	MadeBy    string                `json:"madeBy,omitempty"`
	CreatedAt string                `json:"createdAt,omitempty"`
	Figures   served.ChannelFigures `json:"figures"`
	Secret    string                `json:"secret,omitempty" doc:"That both sides sign with (Standard Webhooks); told once, when it is made"`
}

// List lists the channels of a corpus.
func (rm *Room) List(ctx context.Context, corpus string) ([]Channel, error) {
	c, err := rm.store.Corpus(ctx, corpus)
	if err != nil {
		return nil, err
	}
	rows, err := rm.channels.List(ctx, c.ID)
	out := make([]Channel, len(rows))
	for n, row := range rows {
		if out[n], err = rm.view(ctx, row); err != nil {
			return nil, err
		}
	}
	return out, err
}

func (rm *Room) view(ctx context.Context, row served.Channel) (Channel, error) {
	set, err := settings(row)
	if err != nil {
		return Channel{}, err
	}
	out := Channel{ID: row.ID, Kind: row.Kind, Name: row.Name, Settings: set, MadeBy: row.MadeBy, CreatedAt: row.CreatedAt}
	if base := rm.serving.Visitors(); base != "" {
		out.In = base + "/c/" + row.ID
	}
	out.Figures, err = rm.channels.Figures(ctx, row.ID)
	return out, err
}

func settings(row served.Channel) (ChannelSettings, error) {
	var set ChannelSettings
	if err := json.Unmarshal([]byte(row.Settings), &set); err != nil {
		return set, fmt.Errorf("read how a channel answers: %w", err)
	}
	return set, nil
}

// Put makes a channel, or changes one. A new one gets a secret, which is told this once; renew gives another one a new secret.
func (rm *Room) Put(ctx context.Context, corpus, by string, ch Channel, renew bool) (Channel, error) {
	c, err := rm.store.Corpus(ctx, corpus)
	if err != nil {
		return ch, err
	}
	if err := check(&ch); err != nil {
		return ch, err
	}
	raw, err := json.Marshal(ch.Settings)
	if err != nil {
		return ch, err
	}
	row := served.Channel{Corpus: c.ID, Kind: ch.Kind, MadeBy: by}
	if ch.ID != "" {
		if row, err = rm.one(ctx, c.ID, ch.ID); err != nil {
			return ch, err
		}
		if row.Kind != ch.Kind {
			return ch, fault.Input("a channel stays of its kind: make a new one")
		}
	}
	row.Name, row.Settings = strings.TrimSpace(ch.Name), string(raw)
	secret := ""
	if ch.ID == "" || renew {
		secret = model.WebhookSecret()
		if row.Sealed, err = rm.connections.Seal([]byte(secret)); err != nil {
			return ch, err
		}
	}
	if row, err = rm.channels.Put(ctx, row); err != nil {
		return ch, err
	}
	if err := rm.channels.Hasten(ctx, row.ID); err != nil { // what waited while it was paused
		return ch, err
	}
	rm.wake()
	out, err := rm.view(ctx, row)
	out.Secret = secret
	return out, err
}

func check(ch *Channel) error {
	set := &ch.Settings
	set.Address = strings.TrimSpace(set.Address)
	if set.Longest > 0 && set.Longest < leastLongest {
		return fault.Input("a message holds at least %d characters", leastLongest)
	}
	if ch.Kind == KindMail {
		set.Markup, set.Longest = MarkupPlain, 0
		if a, err := mail.ParseAddress(set.Address); err != nil || a.Address != set.Address {
			return fault.Input("%q is no mail address", set.Address)
		}
		return nil
	}
	if u, err := url.Parse(set.Address); err != nil || u.Scheme != "http" && u.Scheme != "https" || u.Host == "" || u.User != nil {
		return fault.Input("replies are posted to an address that begins with https:// and names a host, unlike %q", set.Address)
	}
	return nil
}

func (rm *Room) one(ctx context.Context, corpus, id string) (served.Channel, error) {
	row, err := rm.channels.One(ctx, id)
	if err == nil && row.Corpus != corpus {
		err = fmt.Errorf("channel %s: %w", id, fault.ErrMissing)
	}
	return row, err
}

// Drop removes a channel: nothing is taken in there any more, and what waits to go out does not.
func (rm *Room) Drop(ctx context.Context, corpus, id string) error {
	c, err := rm.store.Corpus(ctx, corpus)
	if err != nil {
		return err
	}
	return rm.channels.Drop(ctx, c.ID, id)
}

// Try has a channel send something at once. It gives what went wrong in words; empty when it was taken.
func (rm *Room) Try(ctx context.Context, corpus, id, to string) (string, error) {
	c, err := rm.store.Corpus(ctx, corpus)
	if err != nil {
		return "", err
	}
	row, err := rm.one(ctx, c.ID, id)
	if err != nil {
		return "", err
	}
	set, err := settings(row)
	if err != nil {
		return "", err
	}
	const said = "This is a trial of the channel. Nobody has asked anything."
	if row.Kind == KindMail {
		if a, err := mail.ParseAddress(to); err != nil || a.Address != to {
			return "", fault.Input("%q is no mail address", to)
		}
		m, err := rm.connections.Mailer(ctx)
		if err != nil {
			return "", err
		}
		return told(m.Send(ctx, model.Letter{From: set.Address, To: to, Subject: "Trial of " + row.Name, Text: said, Headers: automatic(nil)})), nil
	}
	secret, err := rm.connections.Unseal(row.Sealed)
	if err != nil {
		return "", err
	}
	out := Outward{Channel: row.Name, Thread: "trial", Parts: []string{said}, Markup: set.Markup, Options: []string{}, Sources: []serving.Source{}, Outcome: "trial", By: ByAssistant}
	return told(model.Webhook{Address: set.Address, ID: "trial-" + talk.Stamp(rm.now()), Secret: string(secret), Tries: 1}.Post(ctx, out)), nil
}

func told(err error) string {
	if err == nil {
		return ""
	}
	return err.Error()
}

// Held is the channel that a conversation is held in, and whether what was prepared in it waits for a person to send it. ErrMissing, wrapped, when it is
// held elsewhere.
func (rm *Room) Held(ctx context.Context, conversation string) (name string, drafted bool, err error) {
	t, err := rm.channels.ThreadWith(ctx, conversation)
	if err != nil {
		return "", false, err
	}
	row, err := rm.channels.One(ctx, t.Channel)
	if err != nil {
		return "", false, err
	}
	set, err := settings(row)
	return row.Name, set.Mode == ModeDraft, err
}

// surface says as what a conversation of a channel is kept.
func surface(kind string) string {
	if kind == KindMail {
		return asking.SurfaceMail
	}
	return asking.SurfaceService
}
