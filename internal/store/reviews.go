package store

import (
	"context"

	"github.com/jmoiron/sqlx"
)

// Review is what a person says of one verdict of a run.
type Review struct {
	Question string `db:"question_id"`
	Mark     string `db:"mark"`
	Note     string `db:"note"`
	Owner    string `db:"owner"`
	At       string `db:"at"`
}

// PutReview keeps what is said of a verdict; without a mark, a note and an owner it is taken back.
func (s *Store) PutReview(ctx context.Context, run string, r Review) error {
	return s.Write(ctx, "keep what is said of a verdict", func(tx *sqlx.Tx) error {
		if r.Mark == "" && r.Note == "" && r.Owner == "" {
			_, err := tx.ExecContext(ctx, `DELETE FROM reviews WHERE run_id = ? AND question_id = ?`, run, r.Question)
			return err
		}
		_, err := tx.ExecContext(ctx, `INSERT OR REPLACE INTO reviews (run_id, question_id, mark, note, owner, at) VALUES (?, ?, ?, ?, ?, ?)`, run, r.Question, r.Mark, r.Note, r.Owner, s.Stamp())
		return err
	})
}

// Reviews lists what is said of the verdicts of a run.
func (s *Store) Reviews(ctx context.Context, run string) ([]Review, error) {
	out := []Review{}
	return out, s.List(ctx, &out, "what is said of the verdicts of a run", `SELECT question_id, mark, note, owner, at FROM reviews WHERE run_id = ?`, run)
}
