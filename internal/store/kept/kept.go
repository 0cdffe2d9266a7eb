// Package kept reads and writes for how long things are kept, and finds those whose time is over.
package kept

import (
	"context"
	"errors"

	"github.com/jmoiron/sqlx"

	"jolvex/internal/store"
)

// Kept is what is kept of a store, and for how long.
type Kept struct{ s *store.Store }

// New is the retention of a store.
func New(s *store.Store) *Kept { return &Kept{s} }

// Retention is for how many days things of a corpus are kept; 0 for ever.
type Retention struct {
	Conversations int `db:"conversations" json:"conversations" minimum:"0" maximum:"36500" doc:"Days after the last message; those that wait for a person, or hold an open snag, stay. 0 for ever"`
	Runs          int `db:"runs" json:"runs" minimum:"0" maximum:"36500" doc:"Days after a run ended; the newest of each set stays, and those that a change of the draft rests on. 0 for the newest hundred of each set"`
	Versions      int `db:"versions" json:"versions" minimum:"0" maximum:"36500" doc:"Days after an earlier text of a document was fetched; those that a release holds stay. 0 for ever"`
}

// Retention is that of a corpus.
func (k *Kept) Retention(ctx context.Context, corpus string) (Retention, error) {
	var r Retention
	err := k.s.Get(ctx, &r, "retention", `SELECT conversations, runs, versions FROM retention WHERE corpus_id = ?`, corpus)
	if errors.Is(err, store.ErrMissing) {
		err = nil
	}
	return r, err
}

// SetRetention sets that of a corpus.
func (k *Kept) SetRetention(ctx context.Context, corpus string, r Retention) error {
	return k.s.Write(ctx, "set the retention", func(tx *sqlx.Tx) error {
		_, err := tx.ExecContext(ctx, `INSERT INTO retention (corpus_id, conversations, runs, versions) VALUES (?, ?, ?, ?)
			ON CONFLICT (corpus_id) DO UPDATE SET conversations = excluded.conversations, runs = excluded.runs, versions = excluded.versions`, corpus, r.Conversations, r.Runs, r.Versions)
		return err
	})
}

// RunsBefore lists the runs of a corpus that ended before a stamp, but for the newest of each set and those that a change of the draft rests on.
func (k *Kept) RunsBefore(ctx context.Context, corpus, before string) ([]string, error) {
	var out []string
	return out, k.s.List(ctx, &out, "runs whose time is over", `SELECT id FROM (SELECT id, ended_at, row_number() OVER (PARTITION BY set_id ORDER BY created_at DESC, rowid DESC) AS place FROM runs WHERE corpus_id = ?1 AND ended_at <> '')
		WHERE place > 1 AND ended_at < ?2 AND NOT EXISTS (SELECT 1 FROM methods m WHERE m.corpus_id = ?1 AND m.evidence LIKE '%' || id || '%')`, corpus, before)
}

// Version is an earlier text of a document.
type Version struct {
	Document string `db:"document_id"`
	Version  string `db:"version"`
}

// VersionsBefore lists the earlier texts of a corpus's documents that were fetched before a stamp.
func (k *Kept) VersionsBefore(ctx context.Context, corpus, before string) ([]Version, error) {
	var out []Version
	return out, k.s.List(ctx, &out, "texts whose time is over", `SELECT v.document_id, v.version FROM document_versions v JOIN documents d ON d.id = v.document_id
		WHERE d.corpus_id = ? AND v.version <> d.version AND v.fetched_at < ?`, corpus, before)
}

// DropVersions takes earlier texts out of the history of their documents; what nothing else holds is collected.
func (k *Kept) DropVersions(ctx context.Context, vs []Version) error {
	return k.s.Write(ctx, "drop earlier texts", func(tx *sqlx.Tx) error {
		for _, v := range vs {
			if _, err := tx.ExecContext(ctx, `DELETE FROM document_versions WHERE document_id = ? AND version = ?`, v.Document, v.Version); err != nil {
				return err
			}
		}
		return nil
	})
}
