package store

import (
	"bytes"
	"context"
	"encoding/json"
	"fmt"

	"github.com/jmoiron/sqlx"

	"jolvex/core/method"
)

// mostMethods is how many changes of a draft are kept.
const mostMethods = 200

// Measured is what speaks for a change of the draft.
type Measured struct {
	Run   string `json:"run,omitempty"`   // that tried it
	Trial string `json:"trial,omitempty"` // out of which it came
	Text  string `json:"text"`            // what was measured, in words
}

// MethodChange is what the draft's settings became by one change.
type MethodChange struct {
	Number   int // from 0, which is what they were before the first
	At       string
	Why      string
	Evidence *Measured // nil for none
	Method   method.Method
}

type methodRow struct {
	Corpus   string `db:"corpus_id"`
	Number   int    `db:"number"`
	At       string `db:"at"`
	Why      string `db:"why"`
	Evidence string `db:"evidence"`
	Method   []byte `db:"method"`
}

// SaveMethod replaces a corpus's settings and keeps what they were; why says what the change is for. Settings that are the same are
// no change, unless something was measured: then it is the material that was changed.
func (s *Store) SaveMethod(ctx context.Context, corpus string, m method.Method, why string, e *Measured) error {
	raw, err := json.Marshal(m)
	if err != nil {
		return err
	}
	evidence := ""
	if e != nil {
		b, err := json.Marshal(e)
		if err != nil {
			return err
		}
		evidence = string(b)
	}
	return s.Write(ctx, "save settings", func(tx *sqlx.Tx) error {
		var before string
		if err := tx.GetContext(ctx, &before, `SELECT method FROM corpora WHERE id = ?`, corpus); err != nil {
			return err
		}
		old := method.Default()
		if err := json.Unmarshal([]byte(before), &old); err != nil {
			return fmt.Errorf("read the settings so far: %w", err)
		}
		if same, err := json.Marshal(old); err != nil || e == nil && bytes.Equal(same, raw) {
			return err
		}
		var last int
		if err := tx.GetContext(ctx, &last, `SELECT coalesce(max(number), -1) FROM methods WHERE corpus_id = ?`, corpus); err != nil {
			return err
		}
		add := func(m method.Method, row methodRow) error {
			if row.Method, err = s.Pack(m); err != nil {
				return err
			}
			last++
			row.Corpus, row.Number, row.At = corpus, last, s.Stamp()
			_, err := tx.NamedExecContext(ctx, `INSERT INTO methods (corpus_id, number, at, why, evidence, method) VALUES (:corpus_id, :number, :at, :why, :evidence, :method)`, row)
			return err
		}
		if last < 0 {
			if err := add(old, methodRow{}); err != nil {
				return err
			}
		}
		if err := add(m, methodRow{Why: why, Evidence: evidence}); err != nil {
			return err
		}
		if _, err := tx.ExecContext(ctx, `DELETE FROM methods WHERE corpus_id = ? AND number < ?`, corpus, last-mostMethods); err != nil {
			return err
		}
		_, err := tx.ExecContext(ctx, `UPDATE corpora SET method = ? WHERE id = ?`, string(raw), corpus)
		return err
	})
}

// MethodChanges lists what the draft's settings were, the newest first.
func (s *Store) MethodChanges(ctx context.Context, corpus string) ([]MethodChange, error) {
	var rows []methodRow
	if err := s.List(ctx, &rows, "list what the settings were", `SELECT * FROM methods WHERE corpus_id = ? ORDER BY number DESC`, corpus); err != nil {
		return nil, err
	}
	out := make([]MethodChange, len(rows))
	for i, r := range rows {
		out[i] = MethodChange{Number: r.Number, At: r.At, Why: r.Why, Method: method.Default()}
		if err := s.Unpack(r.Method, &out[i].Method); err != nil {
			return nil, fmt.Errorf("read what the settings were: %w", err)
		}
		if r.Evidence != "" {
			out[i].Evidence = &Measured{}
			if err := json.Unmarshal([]byte(r.Evidence), out[i].Evidence); err != nil {
				return nil, fmt.Errorf("read what spoke for a change: %w", err)
			}
		}
	}
	return out, nil
}
