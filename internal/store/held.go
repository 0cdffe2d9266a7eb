package store

import (
	"context"
	"encoding/json"
	"fmt"

	"github.com/jmoiron/sqlx"

	"jolvex/core/doc"
)

// What a person decided about a change that was held back.
const (
	Take = "take" // make the change
	Keep = "keep" // stay with the old version for as long as the change is this one
)

// Held is what a visit would make of a document that is in. It waits until the visit has ended.
type Held struct {
	Document string
	Address  string
	Before   string // the version that is in
	Outcome  Outcome
	Decided  string // Take, Keep; "" while nobody has decided
	Refused  string // the version in whose place a person kept the old one before; "" for none
}

// Removes reports whether the change would take the document out.
func (h Held) Removes() bool { return h.Outcome.Hash == "" }

// same reports whether two outcomes change a document alike.
func (o Outcome) same(p Outcome) bool {
	return o.State == p.State && o.Reason == p.Reason && o.Hash == p.Hash
}

// Hold keeps what a visit would make of a document that is in. The document stays as it is; pages found on it go to the frontier. A
// decision to keep the old version stands for as long as the change is the same.
func (s *Store) Hold(ctx context.Context, d Document, src Source, o Outcome) error {
	return s.Write(ctx, "hold a change of "+d.Address, func(tx *sqlx.Tx) error {
		var before []struct{ Outcome, Decided, Refused string }
		if err := tx.SelectContext(ctx, &before, `SELECT outcome, decided, refused FROM held WHERE document_id = ?`, d.ID); err != nil {
			return err
		}
		decided, refused := "", ""
		if len(before) > 0 {
			refused = before[0].Refused
			var was Outcome
			if err := json.Unmarshal([]byte(before[0].Outcome), &was); err != nil {
				return fmt.Errorf("read a change that was held: %w", err)
			}
			if before[0].Decided == Keep {
				refused = was.Hash
				if was.same(o) {
					decided = Keep
				}
			}
		}
		if o.Content != nil {
			if err := s.putBody(ctx, tx, o.Hash, o.Content); err != nil {
				return err
			}
		}
		found := o.Found
		o.Content, o.Found = nil, nil
		raw, err := json.Marshal(o)
		if err != nil {
			return err
		}
		if _, err := tx.ExecContext(ctx, `INSERT INTO held (document_id, source_id, outcome, hash, decided, refused, at) VALUES (?, ?, ?, ?, ?, ?, ?)
			ON CONFLICT (document_id) DO UPDATE SET outcome = excluded.outcome, hash = excluded.hash, decided = excluded.decided, refused = excluded.refused, at = excluded.at`,
			d.ID, src.ID, string(raw), o.Hash, decided, refused, s.Stamp()); err != nil {
			return err
		}
		if _, err := tx.ExecContext(ctx, `UPDATE documents SET revisit = 0, attempts = ? WHERE id = ?`, o.Attempts, d.ID); err != nil {
			return err
		}
		_, err = s.addAddresses(ctx, tx, src, d.Depth+1, o.Cap, found)
		return err
	})
}

// Drop forgets what was held of documents: they are as they were, or have been settled.
func (s *Store) Drop(ctx context.Context, documents ...string) error {
	return s.each(ctx, documents, "forget held changes", `DELETE FROM held WHERE document_id IN (?)`)
}

// DropUndecided forgets the changes of a source that nobody has decided about.
func (s *Store) DropUndecided(ctx context.Context, source string) error {
	return s.Write(ctx, "forget held changes", func(tx *sqlx.Tx) error {
		_, err := tx.ExecContext(ctx, `DELETE FROM held WHERE source_id = ? AND decided = ''`, source)
		return err
	})
}

// Held lists what is held of a source's documents that are in, in the order in which its documents were found. Contents are read apart: see Version.
func (s *Store) Held(ctx context.Context, source string) ([]Held, error) {
	var rows []struct{ Document, Address, Before, Outcome, Decided, Refused string }
	if err := s.List(ctx, &rows, "list held changes", `SELECT d.id AS document, d.address, d.version AS before, h.outcome, h.decided, h.refused
		FROM held h JOIN documents d ON d.id = h.document_id WHERE h.source_id = ? AND d.choice = 'in' AND d.version <> '' ORDER BY d.rowid`, source); err != nil {
		return nil, err
	}
	out := make([]Held, len(rows))
	for i, r := range rows {
		out[i] = Held{Document: r.Document, Address: r.Address, Before: r.Before, Decided: r.Decided, Refused: r.Refused}
		if err := json.Unmarshal([]byte(r.Outcome), &out[i].Outcome); err != nil {
			return nil, fmt.Errorf("read what is held of %s: %w", r.Address, err)
		}
	}
	return out, nil
}

// Decide records what a person decided about all changes of a source that wait.
func (s *Store) Decide(ctx context.Context, source, decision string) error {
	return s.Write(ctx, "decide about held changes", func(tx *sqlx.Tx) error {
		if _, err := tx.ExecContext(ctx, `UPDATE held SET decided = ? WHERE source_id = ? AND decided = ''`, decision, source); err != nil {
			return err
		}
		_, err := tx.ExecContext(ctx, `UPDATE sources SET held_since = '', held_why = '' WHERE id = ?`, source)
		return err
	})
}

// KeepStill records that a change is the one that a person has refused already.
func (s *Store) KeepStill(ctx context.Context, document string) error {
	return s.each(ctx, []string{document}, "keep the old version still", `UPDATE held SET decided = 'keep' WHERE document_id IN (?)`)
}

// Guarded records that changes of a source wait for a person, and why; "" that none do. The moment of the first time stays.
func (s *Store) Guarded(ctx context.Context, source, why string) error {
	return s.Write(ctx, "record the guard of a source", func(tx *sqlx.Tx) error {
		_, err := tx.ExecContext(ctx, `UPDATE sources SET held_why = ?, held_since = CASE WHEN ? = '' THEN '' WHEN held_since = '' THEN ? ELSE held_since END WHERE id = ?`,
			why, why, s.Stamp(), source)
		return err
	})
}

// Troubled records what kept a visit from reaching a source; "" when nothing did. The moment of the first time stays.
func (s *Store) Troubled(ctx context.Context, source, what string) error {
	return s.Write(ctx, "record the trouble of a source", func(tx *sqlx.Tx) error {
		_, err := tx.ExecContext(ctx, `UPDATE sources SET trouble = ?, trouble_since = CASE WHEN ? = '' THEN '' WHEN trouble_since = '' THEN ? ELSE trouble_since END WHERE id = ?`,
			what, what, s.Stamp(), source)
		return err
	})
}

// HeldSources counts the sources of a corpus whose changes wait for a person.
func (s *Store) HeldSources(ctx context.Context, corpus string) (int, error) {
	var n int
	return n, s.Get(ctx, &n, "count sources that wait", `SELECT count(*) FROM sources WHERE corpus_id = ? AND held_since <> ''`, corpus)
}

// Stands reports whether a document is in.
func (d Document) Stands() bool {
	return d.Version != "" && d.Choice == Taken && (d.State == Fetched || d.State == Indexed || d.State == Unchanged)
}

// Content gives what is held the text that it was read as.
func (s *Store) Content(ctx context.Context, h Held) (*doc.Document, error) {
	if h.Removes() {
		return nil, nil
	}
	return s.Version(ctx, h.Outcome.Hash)
}
