package store

import (
	"context"

	"github.com/google/uuid"
	"github.com/jmoiron/sqlx"
)

// Notice is what a house rule had to tell somebody.
type Notice struct {
	ID        string `db:"id"`
	Corpus    string `db:"corpus_id"`
	Kind      string `db:"kind"` // details, handOver, alert
	Rule      string `db:"rule"`
	Name      string `db:"name"`
	Purpose   string `db:"purpose"`
	Recipient string `db:"recipient"`
	Told      string `db:"told"`
	Talk      string `db:"talk"`
	Surface   string `db:"surface"`
	Reply     string `db:"reply_id"`
	State     string `db:"state"`
	Problem   string `db:"problem"`
	At        string `db:"at"`
}

// The states of a notice.
const (
	NoticeKept    = "kept"
	NoticeSending = "sending"
	NoticeSent    = "sent"
	NoticeFailed  = "failed"
)

// AddNotices keeps notices; they get their ids and time.
func (s *Store) AddNotices(ctx context.Context, ns []Notice) error {
	if len(ns) == 0 {
		return nil
	}
	for i := range ns {
		ns[i].ID, ns[i].At = uuid.NewString(), s.Stamp()
	}
	return s.Write(ctx, "keep notices", func(tx *sqlx.Tx) error {
		_, err := tx.NamedExecContext(ctx, `INSERT INTO notices (id, corpus_id, kind, rule, name, purpose, recipient, told, talk, surface, reply_id, state, at)
			VALUES (:id, :corpus_id, :kind, :rule, :name, :purpose, :recipient, :told, :talk, :surface, :reply_id, :state, :at)`, ns)
		return err
	})
}

// Notices lists a corpus's notices, newest first.
func (s *Store) Notices(ctx context.Context, corpus string, most int) ([]Notice, error) {
	out := []Notice{}
	return out, s.List(ctx, &out, "notices", `SELECT * FROM notices WHERE corpus_id = ? ORDER BY at DESC, rowid DESC LIMIT ?`, corpus, most)
}

// Unsent lists alerts that are still to be sent.
func (s *Store) Unsent(ctx context.Context) ([]Notice, error) {
	out := []Notice{}
	return out, s.List(ctx, &out, "unsent alerts", `SELECT * FROM notices WHERE state = 'sending' ORDER BY at, rowid LIMIT 100`)
}

// EndNotice records what became of an alert.
func (s *Store) EndNotice(ctx context.Context, id, state, problem string) error {
	return s.Write(ctx, "record an alert", func(tx *sqlx.Tx) error {
		_, err := tx.ExecContext(ctx, `UPDATE notices SET state = ?, problem = ? WHERE id = ?`, state, problem, id)
		return err
	})
}
