package store

import (
	"context"
	"encoding/json"
	"fmt"

	"github.com/jmoiron/sqlx"

	"jolvex/core/answer"
)

// DeleteCorpus removes a corpus with everything that belongs to it. What it shared with others - texts, vectors, files of the index - stays
// until it is collected.
func (s *Store) DeleteCorpus(ctx context.Context, id string) error {
	return s.Write(ctx, "delete a corpus", func(tx *sqlx.Tx) error {
		if _, err := tx.ExecContext(ctx, `DELETE FROM events WHERE corpus_id = ?`, id); err != nil {
			return err
		}
		if _, err := tx.ExecContext(ctx, `DELETE FROM corpora WHERE id = ?`, id); err != nil {
			return err
		}
		_, err := tx.ExecContext(ctx, `DELETE FROM withdrawn WHERE corpus_id = ?`, id)
		return err
	})
}

// OldRuns lists the runs of a corpus beyond the newest of each set that nothing refers to: no change of the draft rests on them.
func (s *Store) OldRuns(ctx context.Context, corpus string, kept int) ([]string, error) {
	var out []string
	return out, s.List(ctx, &out, "list old runs", `SELECT id FROM (SELECT id, row_number() OVER (PARTITION BY set_id ORDER BY created_at DESC, rowid DESC) AS place FROM runs WHERE corpus_id = ? AND ended_at <> '')
		WHERE place > ? AND NOT EXISTS (SELECT 1 FROM methods m WHERE m.corpus_id = ? AND m.evidence LIKE '%' || id || '%')`, corpus, kept, corpus)
}

// DeleteRuns removes runs with their results.
func (s *Store) DeleteRuns(ctx context.Context, ids []string) error {
	return s.Write(ctx, "delete old runs", func(tx *sqlx.Tx) error {
		for _, id := range ids {
			if _, err := tx.ExecContext(ctx, `DELETE FROM runs WHERE id = ?`, id); err != nil {
				return err
			}
		}
		return nil
	})
}

// Orphans lists the document versions that no document has or had and that were last written before a stamp: what is written just now may
// be on its way to a run. A stored reply or run may still show them: see CitedVersions.
func (s *Store) Orphans(ctx context.Context, before string) ([]string, error) {
	var out []string
	return out, s.List(ctx, &out, "list versions without a document", `SELECT hash FROM versions v
		WHERE v.created_at < ? AND NOT EXISTS (SELECT 1 FROM document_versions d WHERE d.version = v.hash) AND NOT EXISTS (SELECT 1 FROM documents d WHERE d.version = v.hash)
		AND NOT EXISTS (SELECT 1 FROM held h WHERE v.hash IN (h.hash, h.refused))`, before)
}

// CitedVersions calls found with every document version that a stored reply, the result of a run, or what a run tried refers to.
func (s *Store) CitedVersions(ctx context.Context, found func(version string)) error {
	take := func(t *answer.Trail) {
		for _, c := range t.Candidates {
			found(c.Version)
		}
		for _, l := range t.Left {
			found(l.Version)
		}
		for _, x := range t.Reply {
			found(x.Version)
		}
	}
	const batch = 200
	for _, table := range []string{"replies", "results"} {
		for last := int64(0); ; {
			var rows []struct {
				trailRow
				Row int64 `db:"rowid"`
			}
			if err := s.List(ctx, &rows, "read what replies cite", `SELECT rowid, trail, format FROM `+table+` WHERE rowid > ? AND trail IS NOT NULL ORDER BY rowid LIMIT ?`, last, batch); err != nil {
				return err
			}
			for _, r := range rows {
				t, err := s.trail(r.Trail, r.Format)
				if err != nil {
					return err
				}
				take(t)
				last = r.Row
			}
			if len(rows) < batch {
				break
			}
		}
	}
	var tried []string
	if err := s.List(ctx, &tried, "read what runs tried", `SELECT tried FROM runs WHERE tried <> ''`); err != nil {
		return err
	}
	for _, raw := range tried {
		var t Tried
		if err := json.Unmarshal([]byte(raw), &t); err != nil {
			return fmt.Errorf("read what a run tried: %w", err)
		}
		for _, b := range t.Brought {
			found(b.Version)
		}
	}
	return nil
}

// DeleteVersions removes document versions, but for those that a document has got, or that were written again, meanwhile.
func (s *Store) DeleteVersions(ctx context.Context, hashes []string, before string) error {
	return s.Write(ctx, "delete document versions", func(tx *sqlx.Tx) error {
		for _, h := range hashes {
			if _, err := tx.ExecContext(ctx, `DELETE FROM versions WHERE hash = ? AND created_at < ?
				AND NOT EXISTS (SELECT 1 FROM document_versions d WHERE d.version = versions.hash) AND NOT EXISTS (SELECT 1 FROM documents d WHERE d.version = versions.hash)
				AND NOT EXISTS (SELECT 1 FROM held x WHERE versions.hash IN (x.hash, x.refused))`, h, before); err != nil {
				return err
			}
		}
		return nil
	})
}

// SweepVectors removes the kept vectors of an embedder whose texts are not among those in use. It gives their number.
func (s *Store) SweepVectors(ctx context.Context, embedder string, used func(hash []byte) bool) (int, error) {
	var all [][]byte
	if err := s.List(ctx, &all, "list kept vectors", `SELECT hash FROM vectors WHERE embedder = ?`, embedder); err != nil {
		return 0, err
	}
	var idle [][]byte
	for _, h := range all {
		if !used(h) {
			idle = append(idle, h)
		}
	}
	const batch = 1000
	for from := 0; from < len(idle); from += batch {
		some := idle[from:min(from+batch, len(idle))]
		if err := s.Write(ctx, "delete kept vectors", func(tx *sqlx.Tx) error {
			for _, h := range some {
				if _, err := tx.ExecContext(ctx, `DELETE FROM vectors WHERE embedder = ? AND hash = ?`, embedder, h); err != nil {
					return err
				}
			}
			return nil
		}); err != nil {
			return 0, err
		}
	}
	return len(idle), nil
}

// Space is how large the database is and how much of that is free to be used again, in bytes.
func (s *Store) Space(ctx context.Context) (size, free int64, err error) {
	var pages, empty, bytes int64
	for _, x := range []struct {
		into   *int64
		pragma string
	}{{&pages, "page_count"}, {&empty, "freelist_count"}, {&bytes, "page_size"}} {
		if err := s.Get(ctx, x.into, "measure the database", `PRAGMA `+x.pragma); err != nil {
			return 0, 0, err
		}
	}
	return pages * bytes, empty * bytes, nil
}
