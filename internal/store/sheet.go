package store

import (
	"context"

	"github.com/jmoiron/sqlx"
)

// Sheet lists the questions that are answered again whenever the manner changes, in order.
func (s *Store) Sheet(ctx context.Context, corpus string) ([]string, error) {
	out := []string{}
	return out, s.List(ctx, &out, "the sheet", `SELECT question FROM sheet WHERE corpus_id = ? ORDER BY place`, corpus)
}

// SaveSheet replaces them.
func (s *Store) SaveSheet(ctx context.Context, corpus string, questions []string) error {
	return s.Write(ctx, "save the sheet", func(tx *sqlx.Tx) error {
		if _, err := tx.ExecContext(ctx, `DELETE FROM sheet WHERE corpus_id = ?`, corpus); err != nil {
			return err
		}
		for i, q := range questions {
			if _, err := tx.ExecContext(ctx, `INSERT INTO sheet (corpus_id, place, question) VALUES (?, ?, ?)`, corpus, i, q); err != nil {
				return err
			}
		}
		return nil
	})
}

// Dismissed lists the terms that are not to be proposed for the glossary again.
func (s *Store) Dismissed(ctx context.Context, corpus string) ([]string, error) {
	out := []string{}
	return out, s.List(ctx, &out, "dismissed terms", `SELECT term FROM dismissed WHERE corpus_id = ? ORDER BY term`, corpus)
}

// Dismiss keeps a term from being proposed again.
func (s *Store) Dismiss(ctx context.Context, corpus, term string) error {
	return s.Write(ctx, "dismiss a term", func(tx *sqlx.Tx) error {
		_, err := tx.ExecContext(ctx, `INSERT INTO dismissed (corpus_id, term) VALUES (?, ?) ON CONFLICT DO NOTHING`, corpus, term)
		return err
	})
}
