package store

import (
	"context"

	"github.com/jmoiron/sqlx"

	"jolvex/core/answer"
	"jolvex/core/doc"
)

// Kept is how often what stands at a place of a document version was kept for a reply.
type Kept struct {
	Document string `db:"document_id"`
	Version  string `db:"version"`
	Start    int    `db:"start"`
	Stop     int    `db:"stop"`
	Times    int    `db:"times"`
}

// Span is the place.
func (k Kept) Span() doc.Span { return doc.Span{Start: k.Start, End: k.Stop} }

// Kept lists what was kept of a document version; of the whole corpus when no document is named.
func (s *Store) Kept(ctx context.Context, corpus, document, version string) ([]Kept, error) {
	var out []Kept
	return out, s.List(ctx, &out, "count what was kept", `SELECT document_id, version, start, stop, times FROM kept
		WHERE corpus_id = ? AND (? = '' OR document_id = ? AND version = ?) ORDER BY document_id, start, stop`, corpus, document, document, version)
}

// countKept adds the candidates that a reply could draw on.
func countKept(ctx context.Context, tx *sqlx.Tx, corpus string, t *answer.Trail) error {
	for _, c := range t.Candidates {
		if !c.Kept {
			continue
		}
		if _, err := tx.ExecContext(ctx, `INSERT INTO kept (corpus_id, document_id, version, start, stop, times) VALUES (?, ?, ?, ?, ?, 1)
			ON CONFLICT DO UPDATE SET times = times + 1`, corpus, c.Document, c.Version, c.Span.Start, c.Span.End); err != nil {
			return err
		}
	}
	return nil
}
