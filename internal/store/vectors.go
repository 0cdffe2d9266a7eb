package store

import (
	"context"
	"fmt"

	"github.com/jmoiron/sqlx"
)

// Vectors gives the kept vectors of an embedder by the hashes of their texts: [len(keys)], nil where there is none.
func (s *Store) Vectors(ctx context.Context, embedder string, keys [][]byte) ([][]byte, error) {
	at := make(map[string][]int, len(keys))
	for i, k := range keys {
		at[string(k)] = append(at[string(k)], i)
	}
	out := make([][]byte, len(keys))
	for from := 0; from < len(keys); from += 500 {
		q, args, err := sqlx.In(`SELECT hash, vector FROM vectors WHERE embedder = ? AND hash IN (?)`, embedder, keys[from:min(from+500, len(keys))])
		if err != nil {
			return nil, err
		}
		var rows []struct{ Hash, Vector []byte }
		if err := s.List(ctx, &rows, "read vectors", q, args...); err != nil {
			return nil, err
		}
		for _, r := range rows {
			for _, i := range at[string(r.Hash)] {
				out[i] = r.Vector
			}
		}
	}
	return out, nil
}

// PutVectors keeps vectors by the hashes of their texts.
func (s *Store) PutVectors(ctx context.Context, embedder string, keys, vectors [][]byte) error {
	return s.Write(ctx, fmt.Sprintf("keep %d vectors", len(keys)), func(tx *sqlx.Tx) error {
		for i, k := range keys {
			if _, err := tx.ExecContext(ctx, `INSERT INTO vectors (embedder, hash, vector) VALUES (?, ?, ?) ON CONFLICT DO NOTHING`, embedder, k, vectors[i]); err != nil {
				return err
			}
		}
		return nil
	})
}
