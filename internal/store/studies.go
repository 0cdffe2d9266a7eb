package store

import (
	"context"
	"encoding/json"
	"fmt"

	"github.com/google/uuid"
	"github.com/jmoiron/sqlx"

	"jolvex/core/method"
)

// Study is something measured over a question set besides its verdicts.
type Study struct {
	ID         string
	Corpus     string
	Kind       string
	Set        string
	SetVersion string
	Method     method.Method
	Snapshot   string
	Plan       json.RawMessage // of a trial, what is tried; nil for other kinds
	Outcome    json.RawMessage // nil until it has ended
	CreatedAt  string
	EndedAt    string
}

type studyRow struct {
	ID         string `db:"id"`
	Corpus     string `db:"corpus_id"`
	Kind       string `db:"kind"`
	Set        string `db:"set_id"`
	SetVersion string `db:"set_version"`
	Method     string `db:"method"`
	Snapshot   string `db:"snapshot"`
	Outcome    string `db:"outcome"`
	Plan       string `db:"plan"`
	CreatedAt  string `db:"created_at"`
	EndedAt    string `db:"ended_at"`
}

func (r studyRow) study() (Study, error) {
	out := Study{ID: r.ID, Corpus: r.Corpus, Kind: r.Kind, Set: r.Set, SetVersion: r.SetVersion, Method: method.Default(), Snapshot: r.Snapshot, CreatedAt: r.CreatedAt, EndedAt: r.EndedAt}
	if r.Plan != "" {
		out.Plan = json.RawMessage(r.Plan)
	}
	if r.Outcome != "" {
		out.Outcome = json.RawMessage(r.Outcome)
	}
	if err := json.Unmarshal([]byte(r.Method), &out.Method); err != nil {
		return out, fmt.Errorf("read the settings of study %s: %w", r.ID, err)
	}
	return out, nil
}

// CreateStudy makes a study over the set as it is now; plan is what a trial tries.
func (s *Store) CreateStudy(ctx context.Context, kind string, set QuestionSet, m method.Method, plan json.RawMessage) (Study, error) {
	raw, err := json.Marshal(m)
	if err != nil {
		return Study{}, err
	}
	r := studyRow{ID: uuid.NewString(), Corpus: set.Corpus, Kind: kind, Set: set.ID, SetVersion: set.Version, Method: string(raw), Plan: string(plan), CreatedAt: s.Stamp()}
	err = s.Write(ctx, "create a study", func(tx *sqlx.Tx) error {
		_, err := tx.NamedExecContext(ctx, `INSERT INTO studies (id, corpus_id, kind, set_id, set_version, method, plan, created_at) VALUES (:id, :corpus_id, :kind, :set_id, :set_version, :method, :plan, :created_at)`, r)
		return err
	})
	if err != nil {
		return Study{}, err
	}
	return r.study()
}

// EndStudy stores what came of a study and the index it was measured on.
func (s *Store) EndStudy(ctx context.Context, id, snapshot string, outcome any) error {
	raw, err := json.Marshal(outcome)
	if err != nil {
		return err
	}
	return s.Write(ctx, "end a study", func(tx *sqlx.Tx) error {
		_, err := tx.ExecContext(ctx, `UPDATE studies SET outcome = ?, snapshot = ?, ended_at = ? WHERE id = ?`, string(raw), snapshot, s.Stamp(), id)
		return err
	})
}

// SaveStudy stores what has come of a study so far.
func (s *Store) SaveStudy(ctx context.Context, id string, outcome any) error {
	raw, err := json.Marshal(outcome)
	if err != nil {
		return err
	}
	return s.Write(ctx, "store what has come of a study", func(tx *sqlx.Tx) error {
		_, err := tx.ExecContext(ctx, `UPDATE studies SET outcome = ? WHERE id = ?`, string(raw), id)
		return err
	})
}

// Study finds a study by id.
func (s *Store) Study(ctx context.Context, id string) (Study, error) {
	var r studyRow
	if err := s.Get(ctx, &r, "study "+id, `SELECT * FROM studies WHERE id = ?`, id); err != nil {
		return Study{}, err
	}
	return r.study()
}

// Studies lists a corpus's latest studies, newest first.
func (s *Store) Studies(ctx context.Context, corpus string, limit int) ([]Study, error) {
	var rows []studyRow
	if err := s.List(ctx, &rows, "list studies", `SELECT * FROM studies WHERE corpus_id = ? ORDER BY created_at DESC, rowid DESC LIMIT ?`, corpus, limit); err != nil {
		return nil, err
	}
	out := make([]Study, 0, len(rows))
	for _, r := range rows {
		x, err := r.study()
		if err != nil {
			return nil, err
		}
		out = append(out, x)
	}
	return out, nil
}
