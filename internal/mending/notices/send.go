package notices

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"net/mail"
	"strings"
	"time"

	"golang.org/x/sync/errgroup"

	"jolvex/internal/fault"
	"jolvex/internal/model"
	"jolvex/internal/store/talk"
)

// waits are how long after a failed try a message is tried again: from seconds to hours, as the Standard Webhooks specification advises: whoever is away for a day gets all of them. After the
// last it has failed.
var waits = []time.Duration{5 * time.Second, 5 * time.Minute, 30 * time.Minute, 2 * time.Hour, 5 * time.Hour, 10 * time.Hour, 14 * time.Hour}

// sentAtOnce is to how many recipients messages go out at the same time.
const sentAtOnce = 8

// Wake has what is due sent at once.
func (rm *Room) Wake() {
	select {
	case rm.woken <- struct{}{}:
	default: // it has been woken
	}
}

// Woken gives something when messages are to be sent at once.
func (rm *Room) Woken() <-chan struct{} { return rm.woken }

// Send sends the messages that are due: to each recipient one after the other, so that one that does not answer holds up nobody else.
func (rm *Room) Send(ctx context.Context) error {
	ds, err := rm.posts.DueDeliveries(ctx)
	if err != nil {
		return err
	}
	to := map[string][]talk.Delivery{}
	for _, d := range ds {
		where := d.Recipient
		if !isHook(where) {
			where = "mail" // by one server
		}
		to[where] = append(to[where], d)
	}
	var all errgroup.Group
	all.SetLimit(sentAtOnce)
	for _, some := range to {
		all.Go(func() error { return rm.sendTo(ctx, some) })
	}
	return all.Wait()
}

// sendTo sends the messages of one recipient. Where the first of them does not come through, the others wait as long.
func (rm *Room) sendTo(ctx context.Context, ds []talk.Delivery) error {
	later := ""
	for _, d := range ds {
		if later != "" && isHook(d.Recipient) {
			d.DueAt = later
			if err := rm.posts.Delivered(ctx, d); err != nil {
				return err
			}
			continue
		}
		gone, err := rm.gone(ctx, d)
		if err != nil {
			return err
		}
		if gone {
			d.State, d.Problem = "failed", "whoever it was for is told no more"
			if err := rm.posts.Delivered(ctx, d); err != nil {
				return err
			}
			continue
		}
		err = rm.sendOne(ctx, d)
		if ctx.Err() != nil {
			return nil // it stays to be sent, and goes at the next start
		}
		d.Tries++
		switch {
		case err == nil:
			d.State, d.Problem, d.SentAt = "sent", "", talk.Stamp(rm.now())
		case d.Tries > len(waits):
			d.State, d.Problem = "failed", err.Error()
			rm.log.Warn("a message was not sent", "to", d.Recipient, "error", err)
		default:
			d.Problem, d.DueAt = err.Error(), talk.Stamp(rm.now().Add(waits[d.Tries-1]))
			later = d.DueAt
		}
		if err := rm.posts.Delivered(ctx, d); err != nil {
			return err
		}
	}
	return nil
}

// gone reports whether the subscription that a message was made for was removed meanwhile.
func (rm *Room) gone(ctx context.Context, d talk.Delivery) (bool, error) {
	if d.Subscription == "" {
		return false, nil // a reply to an asker
	}
	_, err := rm.one(ctx, d.Corpus, d.Subscription)
	if errors.Is(err, fault.ErrMissing) {
		return true, nil
	}
	return false, err
}

func (rm *Room) sendOne(ctx context.Context, d talk.Delivery) error {
	if isHook(d.Recipient) {
		sealed := d.Sealed
		if d.Channel == "" {
			s, err := rm.one(ctx, d.Corpus, d.Subscription)
			if err != nil {
				return err
			}
			sealed = s.Sealed
		}
		secret, err := rm.connections.Unseal(sealed)
		if err != nil {
			return err
		}
		return model.Webhook{Address: d.Recipient, ID: d.ID, Secret: string(secret), Tries: 1}.Post(ctx, json.RawMessage(d.Body))
	}
	m, err := rm.connections.Mailer(ctx)
	if err != nil {
		return err
	}
	l := model.Letter{From: d.Sender, To: d.Recipient, Subject: d.Subject, Text: d.Body}
	if d.Headers != "" {
		if err := json.Unmarshal([]byte(d.Headers), &l.Headers); err != nil {
			return fmt.Errorf("read the headers of a mail: %w", err)
		}
	}
	return m.Send(ctx, l)
}

// Answer mails the settled answer of a snag to those of its askers who left a mail address with a house rule's details, each once. It gives how many
// they are.
func (rm *Room) Answer(ctx context.Context, corpus, snag string) (int, error) {
	c, err := rm.store.Corpus(ctx, corpus)
	if err != nil {
		return 0, err
	}
	s, err := rm.talk.Snag(ctx, c.ID, snag)
	if err != nil {
		return 0, err
	}
	if s.State != talk.Settled || s.After == "" {
		return 0, fault.Input("the snag is not settled yet, or its questions have not been asked again")
	}
	to, err := rm.askers(ctx, c.ID, snag)
	if err != nil {
		return 0, err
	}
	var after []struct {
		Question string `json:"question"`
		Reply    string `json:"reply"`
		Passed   bool   `json:"passed"`
	}
	if err := json.Unmarshal([]byte(s.After), &after); err != nil {
		return 0, err
	}
	reply := ""
	for _, a := range after {
		if a.Passed {
			reply = a.Reply
			break
		}
	}
	if reply == "" || len(to) == 0 {
		return 0, fault.Input("nobody who asked this left a mail address")
	}
	var out []talk.Delivery
	for address, question := range to {
		out = append(out, talk.Delivery{
			Corpus: c.ID, Recipient: address, Kind: "reply", Subject: "Your question: " + question, DueAt: talk.Stamp(rm.now()),
			Body: "You asked: " + question + "\n\n" + reply + "\n",
		})
	}
	return len(out), rm.posts.Deliver(ctx, nil, out)
}

// askers are the mail addresses that askers of a snag left, each with what it asked. Those who have been written to are left out.
func (rm *Room) askers(ctx context.Context, corpus, snag string) (map[string]string, error) {
	es, err := rm.talk.Exchanges(ctx, corpus, talk.Filter{Snag: snag, Limit: 1000})
	if err != nil {
		return nil, err
	}
	asked := map[string]string{}
	for _, e := range es {
		asked[e.Conversation] = e.Question
	}
	left, err := rm.posts.Addresses(ctx, corpus)
	if err != nil {
		return nil, err
	}
	out := map[string]string{}
	for _, l := range left {
		q, ok := asked[l.Conversation]
		if !ok {
			continue
		}
		for _, told := range l.Values() {
			if looksLikeMail(told) {
				out[told] = q
			}
		}
	}
	ds, err := rm.posts.Deliveries(ctx, corpus, 1000)
	if err != nil {
		return nil, err
	}
	for _, d := range ds {
		if d.Kind == "reply" && d.Subject == "Your question: "+out[d.Recipient] {
			delete(out, d.Recipient)
		}
	}
	return out, nil
}

func looksLikeMail(s string) bool {
	a, err := mail.ParseAddress(strings.TrimSpace(s))
	return err == nil && a.Address == strings.TrimSpace(s)
}
