package served

import (
	"context"
	"errors"

	"github.com/google/uuid"
	"github.com/jmoiron/sqlx"

	"jolvex/internal/store"
)

// Channels reads and writes messaging services and mail addresses at which corpora answer.
type Channels struct{ s *store.Store }

// NewChannels are the channels of a store.
func NewChannels(s *store.Store) *Channels { return &Channels{s} }

// Channel is a messaging service, or a mail address.
type Channel struct {
	ID        string `db:"id"`
	Corpus    string `db:"corpus_id"`
	Kind      string `db:"kind"`
	Name      string `db:"name"`
	Settings  string `db:"settings"` // JSON
	Sealed    []byte `db:"sealed"`
	MadeBy    string `db:"made_by"`
	CreatedAt string `db:"created_at"`
}

// Thread is what belongs together in a channel.
type Thread struct {
	ID           int64   `db:"id"`
	Channel      string  `db:"channel_id"`
	Thread       string  `db:"thread"`
	Conversation *string `db:"conversation_id"` // nil before the first message was answered
	Who          string  `db:"who"`
	Address      string  `db:"address"`
	Subject      string  `db:"subject"`
	LastMessage  string  `db:"last_message"`
	LastAt       string  `db:"last_at"`
	PausedAt     string  `db:"paused_at"`
}

// The states of a message.
const (
	MessageWaiting  = "waiting"
	MessageAnswered = "answered"
	MessageDrafted  = "drafted" // a person sends what was prepared
	MessagePassed   = "passed"  // to the person who has the conversation
	MessageDropped  = "dropped" // not to be answered
	MessageFailed   = "failed"
	MessageSent     = "sent" // by us; kept to find what answers it
)

// ChannelMessage is one message of a channel.
type ChannelMessage struct {
	Place   int64  `db:"place"`
	Channel string `db:"channel_id"`
	Message string `db:"message"` // its id there
	Thread  int64  `db:"thread_id"`
	State   string `db:"state"`
	Text    string `db:"text"` // while it waits
	Problem string `db:"problem"`
	Tries   int    `db:"tries"`
	DueAt   string `db:"due_at"`
	At      string `db:"at"`
}

// List lists the channels of a corpus, the oldest first.
func (v *Channels) List(ctx context.Context, corpus string) ([]Channel, error) {
	out := []Channel{}
	return out, v.s.List(ctx, &out, "channels", `SELECT * FROM channels WHERE corpus_id = ? ORDER BY created_at, id`, corpus)
}

// One is a channel. ErrMissing, wrapped, when there is none.
func (v *Channels) One(ctx context.Context, id string) (Channel, error) {
	var c Channel
	return c, v.s.Get(ctx, &c, "channel", `SELECT * FROM channels WHERE id = ?`, id)
}

// Put keeps a channel; a new one has no id yet.
func (v *Channels) Put(ctx context.Context, c Channel) (Channel, error) {
	if c.ID == "" {
		c.ID, c.CreatedAt = uuid.NewString(), v.s.Stamp()
	}
	return c, v.s.Write(ctx, "keep a channel", func(tx *sqlx.Tx) error {
		_, err := tx.NamedExecContext(ctx, `INSERT INTO channels (id, corpus_id, kind, name, settings, sealed, made_by, created_at) VALUES (:id, :corpus_id, :kind, :name, :settings, :sealed, :made_by, :created_at)
			ON CONFLICT (id) DO UPDATE SET name = excluded.name, settings = excluded.settings, sealed = excluded.sealed`, c)
		return err
	})
}

// Hasten has what waits in a channel answered now.
func (v *Channels) Hasten(ctx context.Context, id string) error {
	return v.s.Write(ctx, "hasten the messages of a channel", func(tx *sqlx.Tx) error {
		_, err := tx.ExecContext(ctx, `UPDATE channel_messages SET due_at = ? WHERE channel_id = ? AND state = 'waiting'`, v.s.Stamp(), id)
		return err
	})
}

// Drop removes a channel with what is still to go out by it. The conversations stay.
func (v *Channels) Drop(ctx context.Context, corpus, id string) error {
	return v.s.Write(ctx, "remove a channel", func(tx *sqlx.Tx) error {
		r, err := tx.ExecContext(ctx, `DELETE FROM channels WHERE corpus_id = ? AND id = ?`, corpus, id)
		if err != nil {
			return err
		}
		if n, err := r.RowsAffected(); err != nil || n == 0 {
			return errors.Join(err, store.ErrMissing)
		}
		_, err = tx.ExecContext(ctx, `DELETE FROM deliveries WHERE channel_id = ? AND state = 'waiting'`, id)
		return err
	})
}

// Take keeps a message that came in, to be answered, or as one that is not. A new thread is begun where it belongs to none. It is false when the
// message was taken before.
func (v *Channels) Take(ctx context.Context, t Thread, m ChannelMessage) (bool, error) {
	taken := false
	return taken, v.s.Write(ctx, "take a message", func(tx *sqlx.Tx) error {
		m.At = v.s.Stamp()
		m.DueAt = m.At
		var had int
		if err := tx.GetContext(ctx, &had, `SELECT count(*) FROM channel_messages WHERE channel_id = ? AND message = ?`, m.Channel, m.Message); err != nil || had > 0 {
			return err
		}
		t.LastAt = m.At
		if _, err := tx.NamedExecContext(ctx, `INSERT INTO channel_threads (channel_id, thread, who, address, subject, last_at) VALUES (:channel_id, :thread, :who, :address, :subject, :last_at)
			ON CONFLICT (channel_id, thread) DO UPDATE SET who = CASE excluded.who WHEN '' THEN who ELSE excluded.who END`, t); err != nil {
			return err
		}
		if err := tx.GetContext(ctx, &m.Thread, `SELECT id FROM channel_threads WHERE channel_id = ? AND thread = ?`, t.Channel, t.Thread); err != nil {
			return err
		}
		_, err := tx.NamedExecContext(ctx, `INSERT INTO channel_messages (channel_id, message, thread_id, state, text, problem, due_at, at) VALUES (:channel_id, :message, :thread_id, :state, :text, :problem, :due_at, :at)`, m)
		taken = err == nil
		return err
	})
}

// ThreadOf is the thread of one of these messages, the first that is known. ErrMissing, wrapped, when none is.
func (v *Channels) ThreadOf(ctx context.Context, channel string, messages []string) (Thread, error) {
	for _, m := range messages {
		var t Thread
		err := v.s.Get(ctx, &t, "thread", `SELECT t.* FROM channel_threads t JOIN channel_messages m ON m.thread_id = t.id WHERE m.channel_id = ? AND m.message = ?`, channel, m)
		if !errors.Is(err, store.ErrMissing) {
			return t, err
		}
	}
	return Thread{}, store.ErrMissing
}

// Thread is one by its number.
func (v *Channels) Thread(ctx context.Context, id int64) (Thread, error) {
	var t Thread
	return t, v.s.Get(ctx, &t, "thread", `SELECT * FROM channel_threads WHERE id = ?`, id)
}

// ThreadWith is the thread that a conversation is held in. ErrMissing, wrapped, when it is held elsewhere.
func (v *Channels) ThreadWith(ctx context.Context, conversation string) (Thread, error) {
	var t Thread
	return t, v.s.Get(ctx, &t, "thread", `SELECT * FROM channel_threads WHERE conversation_id = ?`, conversation)
}

// WroteSince counts what came in from an address since a stamp.
func (v *Channels) WroteSince(ctx context.Context, channel, address, since string) (int, error) {
	var n int
	return n, v.s.Get(ctx, &n, "messages of an address", `SELECT count(*) FROM channel_messages m JOIN channel_threads t ON t.id = m.thread_id WHERE m.channel_id = ? AND t.address = ? AND m.state <> 'sent' AND m.at >= ?`, channel, address, since)
}

// Due lists messages to be answered now: of each thread the one that came first, while it waits.
func (v *Channels) Due(ctx context.Context, most int) ([]ChannelMessage, error) {
	out := []ChannelMessage{}
	return out, v.s.List(ctx, &out, "messages to be answered", `SELECT * FROM channel_messages m WHERE state = 'waiting' AND due_at <= ?
		AND NOT EXISTS (SELECT 1 FROM channel_messages o WHERE o.thread_id = m.thread_id AND o.state = 'waiting' AND o.place < m.place) ORDER BY place LIMIT ?`, v.s.Stamp(), most)
}

// Done keeps what became of a message, of its thread, and, by also, what goes out for it. Its text is kept no longer than it waits.
func (v *Channels) Done(ctx context.Context, m ChannelMessage, t Thread, also func(tx *sqlx.Tx) error) error {
	if m.State != MessageWaiting {
		m.Text = ""
	}
	return v.s.Write(ctx, "keep what became of a message", func(tx *sqlx.Tx) error {
		if _, err := tx.NamedExecContext(ctx, `UPDATE channel_messages SET state = :state, text = :text, problem = :problem, tries = :tries, due_at = :due_at WHERE place = :place`, m); err != nil {
			return err
		}
		if _, err := tx.NamedExecContext(ctx, `UPDATE channel_threads SET conversation_id = :conversation_id, last_message = :last_message, last_at = :last_at, paused_at = :paused_at WHERE id = :id`, t); err != nil {
			return err
		}
		if also == nil {
			return nil
		}
		return also(tx)
	})
}

// Sent keeps the id of a message of ours, so that what answers it is found.
func (v *Channels) Sent(ctx context.Context, tx *sqlx.Tx, t Thread, message string) error {
	_, err := tx.ExecContext(ctx, `INSERT INTO channel_messages (channel_id, message, thread_id, state, due_at, at) VALUES (?, ?, ?, 'sent', ?, ?)`, t.Channel, message, t.ID, v.s.Stamp(), v.s.Stamp())
	return err
}

// ChannelFigures is what came in and went out by a channel.
type ChannelFigures struct {
	Waiting  int    `db:"waiting" json:"waiting"`
	Answered int    `db:"answered" json:"answered"` // drafts and what was passed to a person among them
	Dropped  int    `db:"dropped" json:"dropped"`
	Failed   int    `db:"failed" json:"failed"`
	Unsent   int    `db:"unsent" json:"unsent"` // replies that wait to go out
	Lost     int    `db:"lost" json:"lost"`     // replies that could not be sent
	LastIn   string `db:"last_in" json:"lastIn"`
	Problem  string `db:"problem" json:"problem"` // of the latest message or reply that went wrong
}

// Figures are those of a channel.
func (v *Channels) Figures(ctx context.Context, id string) (ChannelFigures, error) {
	var f ChannelFigures
	return f, v.s.Get(ctx, &f, "figures of a channel", `SELECT
		coalesce(sum(state = 'waiting'), 0) AS waiting, coalesce(sum(state IN ('answered', 'drafted', 'passed')), 0) AS answered, coalesce(sum(state = 'dropped'), 0) AS dropped, coalesce(sum(state = 'failed'), 0) AS failed,
		(SELECT count(*) FROM deliveries WHERE channel_id = ?1 AND state = 'waiting') AS unsent, (SELECT count(*) FROM deliveries WHERE channel_id = ?1 AND state = 'failed') AS lost,
		coalesce(max(CASE WHEN state <> 'sent' THEN at END), '') AS last_in,
		coalesce((SELECT problem FROM deliveries WHERE channel_id = ?1 AND problem <> '' ORDER BY created_at DESC, rowid DESC LIMIT 1), (SELECT problem FROM channel_messages WHERE channel_id = ?1 AND state IN ('failed', 'waiting') AND problem <> '' ORDER BY place DESC LIMIT 1), '') AS problem
		FROM channel_messages WHERE channel_id = ?1`, id)
}
