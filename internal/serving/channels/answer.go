package channels

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"strings"
	"time"

	"github.com/google/uuid"
	"github.com/jmoiron/sqlx"
	"golang.org/x/sync/errgroup"

	"jolvex/internal/fault"
	"jolvex/internal/serving"
	"jolvex/internal/store"
	"jolvex/internal/store/served"
	"jolvex/internal/store/talk"
)

// How messages are answered.
const (
	atOnce      = 4                // threads
	looked      = time.Minute      // for messages that wait to be tried again
	pausedFor   = 10 * time.Minute // until a message is looked at again that came while nobody is answered
	pausedAgain = 12 * time.Hour   // until it is said again that nobody is answered
	mostTries   = 6
)

func (rm *Room) wake() {
	select {
	case rm.woken <- struct{}{}:
	default: // it has been woken
	}
}

// Run answers what comes in until the context ends. What was taken and not answered is answered at the next start.
func (rm *Room) Run(ctx context.Context) {
	t := time.NewTicker(looked)
	defer t.Stop()
	for {
		for {
			n, err := rm.answerDue(ctx)
			if err != nil && ctx.Err() == nil {
				rm.log.Error("messages of channels were not answered", "error", err)
			}
			if n == 0 || err != nil {
				break
			}
		}
		select {
		case <-t.C:
		case <-rm.woken:
		case <-ctx.Done():
			return
		}
	}
}

func (rm *Room) answerDue(ctx context.Context) (int, error) {
	ms, err := rm.channels.Due(ctx, 16*atOnce)
	if err != nil {
		return 0, err
	}
	var all errgroup.Group
	all.SetLimit(atOnce)
	for _, m := range ms {
		all.Go(func() error { return rm.answer(ctx, m) })
	}
	return len(ms), all.Wait()
}

// answer answers one message. What fails is tried again later, each time after longer, and given up in the end.
func (rm *Room) answer(ctx context.Context, m served.ChannelMessage) error {
	t, err := rm.channels.Thread(ctx, m.Thread)
	if err != nil {
		return fmt.Errorf("answer a message: %w", err)
	}
	row, err := rm.channels.One(ctx, m.Channel)
	if err != nil {
		return fmt.Errorf("answer a message: %w", err)
	}
	err = rm.reply(ctx, row, t, m)
	if err == nil || ctx.Err() != nil {
		return nil // it is answered at the next start
	}
	m.Tries++
	m.Problem = err.Error()
	switch {
	case errors.Is(err, fault.ErrInput) || m.Tries >= mostTries:
		m.State = served.MessageFailed
		m.Problem = strings.TrimPrefix(m.Problem, fault.ErrInput.Error()+": ")
		rm.log.Warn("a message of a channel was not answered", "channel", row.Name, "error", err)
	default:
		m.DueAt = store.Stamp(rm.now().Add(time.Duration(m.Tries*m.Tries) * 10 * time.Second))
	}
	return rm.channels.Done(ctx, m, t, nil)
}

func (rm *Room) reply(ctx context.Context, row served.Channel, t served.Thread, m served.ChannelMessage) error {
	set, err := settings(row)
	if err != nil {
		return err
	}
	now := rm.now()
	a, err := rm.serving.AdmitChannel(ctx, row.Corpus, surface(row.Kind), now)
	if err != nil {
		return err
	}
	if set.Paused || a.Settings.Paused {
		return rm.pause(ctx, row, set, a, t, m)
	}
	conversation := ""
	if at, err := time.Parse(time.RFC3339, t.LastAt); err == nil && t.Conversation != nil && now.Sub(at) < time.Duration(set.Silence)*time.Hour {
		conversation = *t.Conversation
	}
	a.Person.Name = t.Who
	said, err := rm.serving.Ask(ctx, a, serving.Message{Text: m.Text, Conversation: conversation, Visitor: visitor(t), Exchange: exchange(m)})
	if err != nil {
		return err
	}
	first := t.Conversation == nil || *t.Conversation != said.Conversation
	t.Conversation, t.LastMessage, t.LastAt, m.Problem = &said.Conversation, m.Message, store.Stamp(now), ""
	switch {
	case said.Outcome == "passedOn":
		m.State = served.MessagePassed
		return rm.channels.Done(ctx, m, t, nil)
	case set.Mode == ModeDraft, set.Mode == ModeSure && said.Refused:
		m.State = served.MessageDrafted
		if err := rm.serving.Persons.Call(ctx, a, said.Conversation, row.Name, t.Subject); err != nil {
			return err
		}
		return rm.channels.Done(ctx, m, t, nil)
	}
	m.State = served.MessageAnswered
	note := ""
	if first {
		note = a.Settings.Note
	}
	return rm.say(ctx, row, set, t, m, outward(said, set, note))
}

func outward(s serving.Said, set ChannelSettings, note string) Outward {
	return Outward{Parts: parts(written(s, set, note), set.Longest), Options: s.Options, Sources: s.Sources, Outcome: s.Outcome, By: ByAssistant}
}

// pause has a message wait until people are answered again; whoever wrote it is told so, once in a while, where the corpus is not answering at all.
func (rm *Room) pause(ctx context.Context, row served.Channel, set ChannelSettings, a serving.Admitted, t served.Thread, m served.ChannelMessage) error {
	now := rm.now()
	m.DueAt = store.Stamp(now.Add(pausedFor))
	told, err := time.Parse(time.RFC3339, t.PausedAt)
	if !a.Settings.Paused || a.Settings.PausedText == "" || err == nil && now.Sub(told) < pausedAgain {
		return rm.channels.Done(ctx, m, t, nil)
	}
	t.PausedAt = store.Stamp(now)
	return rm.say(ctx, row, set, t, m, Outward{Parts: parts(escaped(a.Settings.PausedText, set.Markup), set.Longest), Options: []string{}, Sources: []serving.Source{}, Outcome: "paused", By: ByAssistant})
}

// say keeps what became of a message, and what is said in its thread to go out.
func (rm *Room) say(ctx context.Context, row served.Channel, set ChannelSettings, t served.Thread, m served.ChannelMessage, o Outward) error {
	d, sent, err := rm.delivery(row, set, t, m.Message, o)
	if err != nil {
		return err
	}
	err = rm.channels.Done(ctx, m, t, func(tx *sqlx.Tx) error {
		if sent != "" {
			if err := rm.channels.Sent(ctx, tx, t, sent); err != nil {
				return err
			}
		}
		return rm.posts.DeliverIn(ctx, tx, []talk.Delivery{d})
	})
	rm.sender.Wake()
	return err
}

// delivery is what is said in a thread as it goes out, and, of mail, its id.
func (rm *Room) delivery(row served.Channel, set ChannelSettings, t served.Thread, answers string, o Outward) (talk.Delivery, string, error) {
	o.Channel, o.Thread, o.InReplyTo, o.Markup = row.Name, t.Thread, answers, set.Markup
	d := talk.Delivery{Corpus: row.Corpus, Kind: "channel", Recipient: set.Address, Channel: row.ID, Sealed: row.Sealed, DueAt: talk.Stamp(rm.now())}
	if t.Conversation != nil {
		d.Conversation = *t.Conversation
	}
	if row.Kind != KindMail {
		raw, err := json.Marshal(o)
		d.Body = string(raw)
		return d, "", err
	}
	id := newID(uuid.NewString(), set.Address)
	headers := threaded(id, answers)
	if o.By == ByAssistant {
		headers = automatic(headers)
	}
	raw, err := json.Marshal(headers)
	d.Recipient, d.Sender, d.Subject, d.Headers = t.Address, set.Address, subject(t.Subject), string(raw)
	d.Body = strings.Join(o.Parts, "\n\n") + "\n"
	if o.By == ByPerson {
		d.Body += "\n" + o.Name + "\n"
	}
	return d, id, err
}

// Carry says what a person wrote in a conversation where it is held. It is false when that is no channel.
func (rm *Room) Carry(ctx context.Context, conversation, text, name string) (bool, error) {
	t, err := rm.channels.ThreadWith(ctx, conversation)
	if errors.Is(err, fault.ErrMissing) {
		return false, nil
	}
	if err != nil {
		return false, err
	}
	row, err := rm.channels.One(ctx, t.Channel)
	if err != nil {
		return false, err
	}
	set, err := settings(row)
	if err != nil {
		return false, err
	}
	d, sent, err := rm.delivery(row, set, t, t.LastMessage, Outward{Parts: parts(escaped(text, set.Markup), set.Longest), Options: []string{}, Sources: []serving.Source{}, Outcome: "answered", By: ByPerson, Name: name})
	if err != nil {
		return false, err
	}
	err = rm.store.Write(ctx, "say something in a channel", func(tx *sqlx.Tx) error {
		if sent != "" {
			if err := rm.channels.Sent(ctx, tx, t, sent); err != nil {
				return err
			}
		}
		return rm.posts.DeliverIn(ctx, tx, []talk.Delivery{d})
	})
	rm.sender.Wake()
	return err == nil, err
}

// visitor is by what name whoever writes is remembered; what the service calls them stays in the thread.
func visitor(t served.Thread) string {
	sum := sha256.Sum256([]byte(t.Channel + " " + t.Address))
	return hex.EncodeToString(sum[:16])
}

// exchange is the id that the reply to a message is kept under, however often it is answered.
func exchange(m served.ChannelMessage) string {
	return uuid.NewSHA1(uuid.NameSpaceOID, []byte(m.Channel+" "+m.Message)).String()
}
