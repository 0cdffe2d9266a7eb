package store

import (
	"context"
	"encoding/json"
	"fmt"
	"strings"

	"github.com/google/uuid"
	"github.com/jmoiron/sqlx"

	"jolvex/core/index"
	"jolvex/core/method"
)

// Corpus is one body of knowledge.
type Corpus struct {
	ID        string
	Name      string
	Method    method.Method
	CreatedAt string
}

type corpusRow struct {
	ID        string
	Name      string
	Method    string
	CreatedAt string `db:"created_at"`
}

func (r corpusRow) corpus() (Corpus, error) {
	c := Corpus{ID: r.ID, Name: r.Name, CreatedAt: r.CreatedAt, Method: method.Default()}
	// Settings that came later than the row take their defaults.
	if err := json.Unmarshal([]byte(r.Method), &c.Method); err != nil {
		return c, fmt.Errorf("read the settings of corpus %s: %w", r.Name, err)
	}
	return c, nil
}

// CreateCorpus makes an empty corpus; ErrTaken when the name is in use.
func (s *Store) CreateCorpus(ctx context.Context, name string) (Corpus, error) {
	m, err := json.Marshal(method.Default())
	if err != nil {
		return Corpus{}, err
	}
	r := corpusRow{uuid.NewString(), name, string(m), s.Stamp()}
	err = s.Write(ctx, "create corpus "+name, func(tx *sqlx.Tx) error {
		_, err := tx.NamedExecContext(ctx, `INSERT INTO corpora (id, name, method, created_at) VALUES (:id, :name, :method, :created_at)`, r)
		if err != nil && strings.Contains(err.Error(), "UNIQUE") {
			return ErrTaken
		}
		return err
	})
	if err != nil {
		return Corpus{}, err
	}
	return r.corpus()
}

// Corpus finds a corpus by id or name.
func (s *Store) Corpus(ctx context.Context, idOrName string) (Corpus, error) {
	var r corpusRow
	if err := s.Get(ctx, &r, fmt.Sprintf("corpus %q", idOrName), `SELECT id, name, method, created_at FROM corpora WHERE id = ? OR name = ? ORDER BY id = ? DESC LIMIT 1`, idOrName, idOrName, idOrName); err != nil {
		return Corpus{}, err
	}
	return r.corpus()
}

// Corpora lists all corpora by name.
func (s *Store) Corpora(ctx context.Context) ([]Corpus, error) {
	var rows []corpusRow
	if err := s.List(ctx, &rows, "list corpora", `SELECT id, name, method, created_at FROM corpora ORDER BY name`); err != nil {
		return nil, err
	}
	out := make([]Corpus, 0, len(rows))
	for _, r := range rows {
		c, err := r.corpus()
		if err != nil {
			return nil, err
		}
		out = append(out, c)
	}
	return out, nil
}

// Manifest reads which segments make up the corpus's index; ErrMissing before the first.
func (s *Store) Manifest(ctx context.Context, corpus string) (name string, m index.Manifest, err error) {
	var r struct{ Name, Body string }
	if err := s.Get(ctx, &r, "manifest", `SELECT name, body FROM manifests WHERE corpus_id = ?`, corpus); err != nil {
		return "", m, err
	}
	return r.Name, m, json.Unmarshal([]byte(r.Body), &m)
}

// Manifests lists every manifest, those of releases too: the files that none of them names can go.
func (s *Store) Manifests(ctx context.Context) ([]index.Manifest, error) {
	var rows []string
	if err := s.List(ctx, &rows, "list manifests", `SELECT body FROM manifests UNION ALL SELECT manifest FROM releases`); err != nil {
		return nil, err
	}
	out := make([]index.Manifest, len(rows))
	for i, r := range rows {
		if err := json.Unmarshal([]byte(r), &out[i]); err != nil {
			return nil, fmt.Errorf("read a manifest: %w", err)
		}
	}
	return out, nil
}

// Publish puts a manifest in force and marks the documents it brought in as indexed, in one step. A document that has
// got another version meanwhile stays as it is.
func (s *Store) Publish(ctx context.Context, corpus, name string, m index.Manifest, indexed map[string]string) error {
	raw, err := json.Marshal(m)
	if err != nil {
		return err
	}
	return s.Write(ctx, "publish the index", func(tx *sqlx.Tx) error {
		if _, err := tx.ExecContext(ctx, `INSERT INTO manifests (corpus_id, name, body, updated_at) VALUES (?, ?, ?, ?)
			ON CONFLICT (corpus_id) DO UPDATE SET name = excluded.name, body = excluded.body, updated_at = excluded.updated_at`, corpus, name, string(raw), s.Stamp()); err != nil {
			return err
		}
		for id, version := range indexed {
			if _, err := tx.ExecContext(ctx, `UPDATE documents SET state = 'indexed', changed_at = ? WHERE id = ? AND version = ? AND state = 'fetched'`, s.Stamp(), id, version); err != nil {
				return err
			}
		}
		return nil
	})
}
