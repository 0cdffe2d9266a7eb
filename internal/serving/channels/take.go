package channels

import (
	"context"
	"crypto/subtle"
	"encoding/json"
	"errors"
	"net/http"
	"strings"
	"time"
	"unicode/utf8"

	webhook "github.com/standard-webhooks/standard-webhooks/libraries/go"

	"jolvex/internal/fault"
	"jolvex/internal/store"
	"jolvex/internal/store/served"
)

// Refusals of what is handed in.
var (
	ErrSigned  = errors.New("this was not signed with the secret of the channel, or longer ago than five minutes")
	ErrTooMany = errors.New("too many messages of one thread: try again in a minute")
)

// Bounds on what comes in.
const (
	MostMail     = 10 << 20 // bytes of a mail with all that is attached
	MostMessage  = 64 << 10 // bytes of a message
	mostText     = 4000     // bytes of what was written: what a question has at most
	mostName     = 200
	perThread    = 20 // messages a minute
	mailsADay    = 30 // of one address: whoever writes more is a machine, or in a loop with one
	bearerPrefix = "Bearer "
)

// Inward is a message as a messaging service hands it in.
type Inward struct {
	ID     string `json:"id"`     // the same whenever it is handed in again
	Thread string `json:"thread"` // what belongs together: a chat, a telephone number
	Text   string `json:"text"`
	From   struct {
		ID   string `json:"id"`
		Name string `json:"name"`
	} `json:"from"`
}

// Most is how many bytes whoever sends these headers may hand in to a channel. ErrMissing, wrapped, when there is none of that id; ErrSigned when the
// headers alone show that it was not signed, so that nothing is read of it.
func (rm *Room) Most(ctx context.Context, id string, h http.Header) (int64, error) {
	row, err := rm.channels.One(ctx, id)
	if err != nil {
		return 0, err
	}
	most := int64(MostMessage)
	if row.Kind == KindMail {
		most = MostMail
	}
	if h.Get(webhook.HeaderWebhookSignature) != "" {
		return most, nil // that takes the whole
	}
	secret, err := rm.connections.Unseal(row.Sealed)
	if err == nil && !bears(row.Kind, string(secret), h) {
		err = ErrSigned
	}
	return most, err
}

// Take keeps what is handed in to be answered: JSON as Inward of a messaging service, a whole mail (RFC 5322) of a mail server. Both are signed as
// Standard Webhooks says; a mail server, which signs nothing, may send the secret as a bearer token in its place. It is false when the message was taken
// before. ErrSigned, ErrTooMany, ErrInput and ErrMissing, wrapped.
func (rm *Room) Take(ctx context.Context, id string, h http.Header, body []byte) (bool, error) {
	row, err := rm.channels.One(ctx, id)
	if err != nil {
		return false, err
	}
	secret, err := rm.connections.Unseal(row.Sealed)
	if err != nil {
		return false, err
	}
	if !signed(row.Kind, string(secret), h, body) {
		return false, ErrSigned
	}
	t, m, err := rm.thread(ctx, row, body)
	if err != nil {
		return false, err
	}
	t.Channel, m.Channel = row.ID, row.ID
	taken, err := rm.channels.Take(ctx, t, m)
	if taken && m.State == served.MessageWaiting {
		rm.wake()
	}
	return taken, err
}

func signed(kind, secret string, h http.Header, body []byte) bool {
	if bears(kind, secret, h) {
		return true
	}
	w, err := webhook.NewWebhook(secret)
	return err == nil && w.Verify(body, h) == nil
}

// bears reports whether the headers hold the secret itself, as a mail server sends it.
func bears(kind, secret string, h http.Header) bool {
	given, ok := strings.CutPrefix(h.Get("Authorization"), bearerPrefix)
	return ok && kind == KindMail && subtle.ConstantTimeCompare([]byte(given), []byte(secret)) == 1
}

// thread is what was handed in, and what it belongs to.
func (rm *Room) thread(ctx context.Context, row served.Channel, body []byte) (served.Thread, served.ChannelMessage, error) {
	if row.Kind == KindMail {
		return rm.mailed(ctx, row, body)
	}
	var in Inward
	if err := json.Unmarshal(body, &in); err != nil {
		return served.Thread{}, served.ChannelMessage{}, fault.Input("a message is JSON with id, thread and text")
	}
	in.Text = strings.TrimSpace(in.Text)
	for name, s := range map[string]string{"id": in.ID, "thread": in.Thread, "name of who writes": in.From.Name, "id of who writes": in.From.ID} {
		if len(s) > mostName || s == "" && (name == "id" || name == "thread") {
			return served.Thread{}, served.ChannelMessage{}, fault.Input("the %s of a message has at most %d bytes, and is there", name, mostName)
		}
	}
	if in.Text == "" || len(in.Text) > mostText || !utf8.ValidString(in.Text) {
		return served.Thread{}, served.ChannelMessage{}, fault.Input("the text of a message has between 1 and %d bytes of UTF-8", mostText)
	}
	t := served.Thread{Thread: in.Thread, Who: short(in.From.Name, mostName), Address: in.From.ID}
	if t.Address == "" {
		t.Address = in.Thread
	}
	n, err := rm.channels.WroteSince(ctx, row.ID, t.Address, store.Stamp(rm.now().Add(-time.Minute)))
	if err == nil && n >= perThread {
		err = ErrTooMany
	}
	return t, served.ChannelMessage{Message: in.ID, State: served.MessageWaiting, Text: in.Text}, err
}

func (rm *Room) mailed(ctx context.Context, row served.Channel, body []byte) (served.Thread, served.ChannelMessage, error) {
	l, err := readLetter(body)
	if err != nil {
		return served.Thread{}, served.ChannelMessage{}, err
	}
	set, err := settings(row)
	if err != nil {
		return served.Thread{}, served.ChannelMessage{}, err
	}
	m := served.ChannelMessage{Message: l.id, State: served.MessageWaiting, Text: asked(l), Problem: l.machine}
	t := served.Thread{Thread: l.id, Who: short(l.from.Name, mostName), Address: l.to, Subject: l.subject}
	have, err := rm.channels.ThreadOf(ctx, row.ID, l.answers)
	switch {
	case errors.Is(err, fault.ErrMissing):
	case err != nil:
		return t, m, err
	case strings.EqualFold(have.Address, l.to): // what somebody else writes into a thread is none of it
		t = have
	}
	if strings.EqualFold(l.from.Address, set.Address) || strings.EqualFold(l.to, set.Address) {
		m.Problem = "it came from the address of the channel itself"
	}
	if m.Problem == "" {
		n, err := rm.channels.WroteSince(ctx, row.ID, t.Address, store.Stamp(rm.now().Add(-24*time.Hour)))
		if err != nil {
			return t, m, err
		}
		if n >= mailsADay {
			m.Problem = "more came from this address in a day than a person writes"
		}
	}
	if m.Problem == "" && m.Text == "" {
		m.Problem = "nothing is written in it"
	}
	if m.Problem != "" {
		m.State, m.Text = served.MessageDropped, ""
	}
	return t, m, nil
}

// asked is what a mail asks: what is written in it, or its subject when nothing is.
func asked(l letter) string {
	s := within(l.text)
	if s == "" {
		s = l.subject
	}
	for len(s) > mostText {
		s = s[:mostText]
		for !utf8.ValidString(s) {
			s = s[:len(s)-1]
		}
	}
	return strings.TrimSpace(strings.ToValidUTF8(s, ""))
}
