package register

import (
	"context"
	"database/sql"
	"errors"
	"fmt"
	"time"

	"github.com/alexedwards/scs/v2"
	"github.com/jmoiron/sqlx"

	"jolvex/internal/store"
)

func missing(err error) error {
	if errors.Is(err, sql.ErrNoRows) {
		return store.ErrMissing
	}
	return err
}

// Keys of what a session holds; all are strings.
const (
	SessionID      = "id"
	SessionPerson  = "person"
	SessionAgent   = "agent"
	SessionAddress = "address"
	SessionBegan   = "began"
	SessionSeen    = "seen"
)

// Session is one browser in which somebody is signed in.
type Session struct {
	Token     string `db:"token"` // SHA-256 of what the cookie carries
	ID        string `db:"id"`
	Person    string `db:"person_id"`
	Data      []byte `db:"data"`
	Agent     string `db:"agent"`
	Address   string `db:"address"`
	BeganAt   string `db:"began_at"`
	SeenAt    string `db:"seen_at"`
	ExpiresAt string `db:"expires_at"`
}

// Sessions keeps browser sessions for scs, which hands over hashes of the cookies' tokens.
type Sessions struct{ s *store.Store }

// NewSessions are the sessions of a store.
func NewSessions(s *store.Store) *Sessions { return &Sessions{s} }

// FindCtx gives a session's data.
func (k *Sessions) FindCtx(ctx context.Context, token string) ([]byte, bool, error) {
	var raw []byte
	err := k.s.Get(ctx, &raw, "session", `SELECT data FROM sessions WHERE token = ? AND expires_at > ?`, token, k.s.Stamp())
	if errors.Is(err, store.ErrMissing) {
		return nil, false, nil
	}
	return raw, err == nil, err
}

// CommitCtx keeps a session's data, and beside it what lists show.
func (k *Sessions) CommitCtx(ctx context.Context, token string, raw []byte, expiry time.Time) error {
	_, values, err := (scs.GobCodec{}).Decode(raw)
	if err != nil {
		return fmt.Errorf("read a session: %w", err)
	}
	text := func(key string) string {
		s, _ := values[key].(string) // what is not there is empty
		return s
	}
	row := Session{
		token, text(SessionID), text(SessionPerson), raw, text(SessionAgent), text(SessionAddress), text(SessionBegan), text(SessionSeen), store.Stamp(expiry),
	}
	return k.s.Write(ctx, "keep a session", func(tx *sqlx.Tx) error {
		if _, err := tx.ExecContext(ctx, `DELETE FROM sessions WHERE expires_at <= ?`, k.s.Stamp()); err != nil {
			return err
		}
		_, err := tx.NamedExecContext(ctx, `INSERT INTO sessions (token, id, person_id, data, agent, address, began_at, seen_at, expires_at)
			VALUES (:token, :id, :person_id, :data, :agent, :address, :began_at, :seen_at, :expires_at)
			ON CONFLICT (token) DO UPDATE SET data = excluded.data, person_id = excluded.person_id, seen_at = excluded.seen_at, expires_at = excluded.expires_at`, row)
		return err
	})
}

// DeleteCtx ends a session.
func (k *Sessions) DeleteCtx(ctx context.Context, token string) error {
	return k.s.Write(ctx, "end a session", func(tx *sqlx.Tx) error {
		_, err := tx.ExecContext(ctx, `DELETE FROM sessions WHERE token = ?`, token)
		return err
	})
}

// Find, Commit and Delete are the forms without a context that scs asks for.
func (k *Sessions) Find(token string) ([]byte, bool, error) {
	return k.FindCtx(context.Background(), token)
}

// Commit is CommitCtx.
func (k *Sessions) Commit(token string, raw []byte, expiry time.Time) error {
	return k.CommitCtx(context.Background(), token, raw, expiry)
}

// Delete is DeleteCtx.
func (k *Sessions) Delete(token string) error { return k.DeleteCtx(context.Background(), token) }

// Of lists a person's sessions, the latest first.
func (k *Sessions) Of(ctx context.Context, person string) ([]Session, error) {
	out := []Session{}
	return out, k.s.List(ctx, &out, "sessions", `SELECT * FROM sessions WHERE person_id = ? AND expires_at > ? ORDER BY seen_at DESC, id`, person, k.s.Stamp())
}

// End ends one session of a person, or all when id is empty, but never the one that is to be kept. It gives how many.
func (k *Sessions) End(ctx context.Context, person, id, keep string) (int, error) {
	var n int64
	err := k.s.Write(ctx, "end sessions", func(tx *sqlx.Tx) error {
		r, err := tx.ExecContext(ctx, `DELETE FROM sessions WHERE person_id = ? AND (? = '' OR id = ?) AND id <> ?`, person, id, id, keep)
		if err == nil {
			n, err = r.RowsAffected()
		}
		return err
	})
	return int(n), err
}
