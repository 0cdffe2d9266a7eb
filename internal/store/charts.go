package store

import (
	"context"
	"database/sql"
	"errors"
	"fmt"

	"github.com/jmoiron/sqlx"
)

// PutChart keeps the chart of a set in place of the one before; key says of what it was drawn.
func (s *Store) PutChart(ctx context.Context, corpus, set, key string, chart any) error {
	body, err := s.Pack(chart)
	if err != nil {
		return fmt.Errorf("write a chart: %w", err)
	}
	return s.Write(ctx, "keep a chart", func(tx *sqlx.Tx) error {
		_, err := tx.ExecContext(ctx, `INSERT OR REPLACE INTO charts (corpus_id, set_id, key, body) VALUES (?, ?, ?, ?)`, corpus, set, key, body)
		return err
	})
}

// Chart reads the chart of a set into a value, and says of what it was drawn; "" when there is none.
func (s *Store) Chart(ctx context.Context, set string, chart any) (key string, err error) {
	var row struct {
		Key  string `db:"key"`
		Body []byte `db:"body"`
	}
	err = s.r.GetContext(ctx, &row, `SELECT key, body FROM charts WHERE set_id = ?`, set)
	if errors.Is(err, sql.ErrNoRows) {
		return "", nil
	}
	if err != nil {
		return "", fmt.Errorf("read a chart: %w", err)
	}
	return row.Key, s.Unpack(row.Body, chart)
}
