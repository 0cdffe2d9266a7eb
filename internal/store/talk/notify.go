package talk

import (
	"context"
	"encoding/json"
	"time"

	"github.com/google/uuid"
	"github.com/jmoiron/sqlx"

	"jolvex/internal/store"
)

// Posts reads and writes who is told of what, and the messages that go out.
type Posts struct{ s *store.Store }

// NewPosts are the posts of a store.
func NewPosts(s *store.Store) *Posts { return &Posts{s} }

// Subscription says who is told of what, by mail or webhook.
type Subscription struct {
	ID        string `db:"id"`
	Corpus    string `db:"corpus_id"`
	Recipient string `db:"recipient"`
	Kinds     string `db:"kinds"` // one a line
	Pace      string `db:"pace"`
	Hour      int    `db:"hour"`
	QuietFrom int    `db:"quiet_from"`
	QuietTo   int    `db:"quiet_to"`
	Zone      string `db:"zone"`
	Most      int    `db:"most"`
	Sealed    []byte `db:"sealed"`
	CreatedAt string `db:"created_at"`
	SeenAt    string `db:"seen_at"`
	DigestOn  string `db:"digest_on"`
}

// Delivery is one message that goes out, or went.
type Delivery struct {
	ID           string `db:"id"`
	Corpus       string `db:"corpus_id"`
	Subscription string `db:"subscription_id"`
	Recipient    string `db:"recipient"`
	Kind         string `db:"kind"`
	Subject      string `db:"subject"`
	Body         string `db:"body"`
	State        string `db:"state"`
	Tries        int    `db:"tries"`
	DueAt        string `db:"due_at"`
	Problem      string `db:"problem"`
	CreatedAt    string `db:"created_at"`
	SentAt       string `db:"sent_at"`
	Channel      string `db:"channel_id"`      // by which it goes out; empty for none
	Conversation string `db:"conversation_id"` // that it is said in
	Sender       string `db:"sender"`          // of mail: the address that it comes from; empty for the usual
	Headers      string `db:"headers"`         // of mail: further ones, JSON
	Sealed       []byte `db:"sealed"`          // of a channel: the secret to sign with
}

// Subscriptions lists those of a corpus, or of all when it is empty, the oldest first.
func (t *Posts) Subscriptions(ctx context.Context, corpus string) ([]Subscription, error) {
	out := []Subscription{}
	return out, t.s.List(ctx, &out, "who is told", `SELECT * FROM subscriptions WHERE ? = '' OR corpus_id = ? ORDER BY created_at, rowid`, corpus, corpus)
}

// PutSubscription keeps a subscription; a new one, without an id, begins now.
func (t *Posts) PutSubscription(ctx context.Context, s Subscription) (Subscription, error) {
	if s.ID == "" {
		s.ID, s.CreatedAt = uuid.NewString(), t.s.Stamp()
		s.SeenAt = s.CreatedAt
	}
	return s, t.s.Write(ctx, "keep who is told", func(tx *sqlx.Tx) error {
		_, err := tx.NamedExecContext(ctx, `INSERT INTO subscriptions (id, corpus_id, recipient, kinds, pace, hour, quiet_from, quiet_to, zone, most, sealed, created_at, seen_at, digest_on)
			VALUES (:id, :corpus_id, :recipient, :kinds, :pace, :hour, :quiet_from, :quiet_to, :zone, :most, :sealed, :created_at, :seen_at, :digest_on)
			ON CONFLICT (id) DO UPDATE SET recipient = excluded.recipient, kinds = excluded.kinds, pace = excluded.pace, hour = excluded.hour, quiet_from = excluded.quiet_from, quiet_to = excluded.quiet_to,
			zone = excluded.zone, most = excluded.most, sealed = excluded.sealed, seen_at = excluded.seen_at, digest_on = excluded.digest_on`, s)
		return err
	})
}

// DropSubscription removes one.
func (t *Posts) DropSubscription(ctx context.Context, corpus, id string) error {
	return t.s.Write(ctx, "tell somebody no more", func(tx *sqlx.Tx) error {
		r, err := tx.ExecContext(ctx, `DELETE FROM subscriptions WHERE corpus_id = ? AND id = ?`, corpus, id)
		if err != nil {
			return err
		}
		if n, err := r.RowsAffected(); err != nil || n == 0 {
			return store.ErrMissing
		}
		return nil
	})
}

// Deliver keeps messages to go out, and with them up to when their subscription was told of.
func (t *Posts) Deliver(ctx context.Context, s *Subscription, ds []Delivery) error {
	return t.s.Write(ctx, "keep messages to go out", func(tx *sqlx.Tx) error {
		if err := t.DeliverIn(ctx, tx, ds); err != nil || s == nil {
			return err
		}
		_, err := tx.NamedExecContext(ctx, `UPDATE subscriptions SET seen_at = :seen_at, digest_on = :digest_on WHERE id = :id`, s)
		return err
	})
}

// DeliverIn keeps messages to go out within a transaction.
func (t *Posts) DeliverIn(ctx context.Context, tx *sqlx.Tx, ds []Delivery) error {
	for _, d := range ds {
		d.ID, d.CreatedAt, d.State = "msg_"+uuid.NewString(), t.s.Stamp(), "waiting"
		if _, err := tx.NamedExecContext(ctx, `INSERT INTO deliveries (id, corpus_id, subscription_id, recipient, kind, subject, body, state, due_at, created_at, channel_id, conversation_id, sender, headers, sealed)
			VALUES (:id, :corpus_id, :subscription_id, :recipient, :kind, :subject, :body, :state, :due_at, :created_at, :channel_id, :conversation_id, :sender, :headers, :sealed)`, d); err != nil {
			return err
		}
	}
	return nil
}

// DueDeliveries lists messages whose time has come; of those of one conversation the first that waits.
func (t *Posts) DueDeliveries(ctx context.Context) ([]Delivery, error) {
	out := []Delivery{}
	return out, t.s.List(ctx, &out, "messages to go out", `SELECT * FROM deliveries d WHERE state = 'waiting' AND due_at <= ?
		AND NOT EXISTS (SELECT 1 FROM deliveries e WHERE d.conversation_id <> '' AND e.conversation_id = d.conversation_id AND e.conversation_id <> '' AND e.state = 'waiting' AND e.rowid < d.rowid) ORDER BY due_at, rowid LIMIT 50`, t.s.Stamp())
}

// Delivered keeps what came of a message.
func (t *Posts) Delivered(ctx context.Context, d Delivery) error {
	return t.s.Write(ctx, "keep what came of a message", func(tx *sqlx.Tx) error {
		_, err := tx.NamedExecContext(ctx, `UPDATE deliveries SET state = :state, tries = :tries, due_at = :due_at, problem = :problem, sent_at = :sent_at WHERE id = :id`, d)
		return err
	})
}

// Deliveries lists the latest messages of a corpus; of what is said in channels what could not be sent.
func (t *Posts) Deliveries(ctx context.Context, corpus string, most int) ([]Delivery, error) {
	out := []Delivery{}
	return out, t.s.List(ctx, &out, "messages", `SELECT * FROM deliveries WHERE corpus_id = ? AND (channel_id = '' OR state = 'failed') ORDER BY created_at DESC, rowid DESC LIMIT ?`, corpus, most)
}

// SentSince counts the messages of a subscription that were made since a stamp.
func (t *Posts) SentSince(ctx context.Context, subscription, since string) (int, error) {
	var n int
	return n, t.s.Get(ctx, &n, "messages of a day", `SELECT count(*) FROM deliveries WHERE subscription_id = ? AND created_at >= ?`, subscription, since)
}

// Retry puts a failed message back among those to go out.
func (t *Posts) Retry(ctx context.Context, corpus, id string) error {
	return t.s.Write(ctx, "send a message again", func(tx *sqlx.Tx) error {
		_, err := tx.ExecContext(ctx, `UPDATE deliveries SET state = 'waiting', tries = 0, due_at = ? WHERE corpus_id = ? AND id = ? AND state = 'failed'`, t.s.Stamp(), corpus, id)
		return err
	})
}

// FailedVisits lists visits to sources that failed since a stamp and before another, as their time and error.
func (t *Posts) FailedVisits(ctx context.Context, corpus, since, until string) ([]Item, error) {
	out := []Item{}
	return out, t.s.List(ctx, &out, "failed visits", `SELECT j.id AS ref, coalesce(nullif(s.name, ''), s.address, '') || ': ' || j.error AS question, j.ended_at AS at FROM jobs j LEFT JOIN sources s ON s.id = j.target
		WHERE j.corpus_id = ? AND j.kind = 'gather' AND j.state = 'failed' AND j.ended_at >= ? AND j.ended_at < ? ORDER BY j.ended_at LIMIT 50`, corpus, since, until)
}

// Assigned lists open snags that somebody was named for since a stamp and before another.
func (t *Posts) Assigned(ctx context.Context, corpus, since, until string) ([]Item, error) {
	out := []Item{}
	return out, t.s.List(ctx, &out, "assigned snags", `SELECT id AS ref, title || ' (' || owner || ')' AS question, changed_at AS at FROM snags WHERE corpus_id = ? AND owner <> '' AND state = 'open' AND changed_at >= ? AND changed_at < ? ORDER BY changed_at LIMIT 50`, corpus, since, until)
}

// HandedOver lists conversations of users that were handed over to a person since a stamp and before another.
func (t *Posts) HandedOver(ctx context.Context, corpus, since, until string) ([]Item, error) {
	out := []Item{}
	return out, t.s.List(ctx, &out, "hand-overs", `SELECT h.id AS ref, trim(h.purpose || ' ' || coalesce((SELECT e.question FROM exchanges e WHERE e.conversation_id = h.conversation_id ORDER BY e.place LIMIT 1), '')) AS question, h.opened_at AS at
		FROM handovers h JOIN conversations c ON c.id = h.conversation_id WHERE h.corpus_id = ? AND c.tests = 0 AND h.opened_at >= ? AND h.opened_at < ? ORDER BY h.opened_at LIMIT 50`, corpus, since, until)
}

// endsAfter is after how long without a message a conversation has ended.
const endsAfter = 30 * time.Minute

// Ended lists conversations of users that ended since a stamp and before another: nothing has been said in them for half an hour.
func (t *Posts) Ended(ctx context.Context, corpus, since, until string) ([]Item, error) {
	from, err := earlier(since)
	if err != nil {
		return nil, err
	}
	to, err := earlier(until)
	if err != nil {
		return nil, err
	}
	out := []Item{}
	return out, t.s.List(ctx, &out, "conversations that ended", `SELECT c.id AS ref, coalesce((SELECT e.question FROM exchanges e WHERE e.conversation_id = c.id ORDER BY e.place LIMIT 1), '') AS question, c.last_at AS at
		FROM conversations c WHERE c.corpus_id = ? AND c.tests = 0 AND c.last_at >= ? AND c.last_at < ? ORDER BY c.last_at LIMIT 50`, corpus, from, to)
}

// earlier is the stamp of endsAfter before another.
func earlier(stamp string) (string, error) {
	at, err := time.Parse(time.RFC3339, stamp)
	return store.Stamp(at.Add(-endsAfter)), err
}

// Released lists releases that were made since a stamp and before another.
func (t *Posts) Released(ctx context.Context, corpus, since, until string) ([]Item, error) {
	out := []Item{}
	return out, t.s.List(ctx, &out, "releases", `SELECT id AS ref, 'Release ' || number || CASE note WHEN '' THEN '' ELSE ': ' || note END AS question, at FROM releases WHERE corpus_id = ? AND at >= ? AND at < ? ORDER BY number LIMIT 50`, corpus, since, until)
}

// Left are details that somebody told in a conversation.
type Left struct {
	Conversation string `db:"conversation_id"`
	Told         string `db:"told"`
}

// Values are what was told.
func (l Left) Values() []string {
	var told []struct{ Value string }
	if json.Unmarshal([]byte(l.Told), &told) != nil {
		return nil // written by the program itself; what cannot be read holds no address
	}
	out := make([]string, len(told))
	for i, t := range told {
		out[i] = t.Value
	}
	return out
}

// Addresses lists the details that askers told, with their conversations.
func (t *Posts) Addresses(ctx context.Context, corpus string) ([]Left, error) {
	out := []Left{}
	return out, t.s.List(ctx, &out, "details that were told", `SELECT e.conversation_id, n.told FROM notices n JOIN exchanges e ON e.id = n.reply_id WHERE n.corpus_id = ? AND n.kind = 'details'`, corpus)
}
