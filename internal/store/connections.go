package store

import (
	"context"

	"github.com/jmoiron/sqlx"
)

// Connection is an endpoint that others run. Its key is sealed: the store cannot read it.
type Connection struct {
	Kind       string `db:"kind"`
	Base       string `db:"base"`
	Model      string `db:"model"`
	Sealed     []byte `db:"sealed"`
	Dimensions int    `db:"dimensions"`
	Tokens     int    `db:"tokens"`
}

// Connection finds a connection by kind; ErrMissing when there is none.
func (s *Store) Connection(ctx context.Context, kind string) (Connection, error) {
	var out Connection
	return out, s.get(ctx, &out, "the connection for "+kind, `SELECT * FROM connections WHERE kind = ?`, kind)
}

// SaveConnection stores a connection; one without an address is removed.
func (s *Store) SaveConnection(ctx context.Context, c Connection) error {
	return s.write(ctx, "save the connection for "+c.Kind, func(tx *sqlx.Tx) error {
		if c.Base == "" {
			_, err := tx.ExecContext(ctx, `DELETE FROM connections WHERE kind = ?`, c.Kind)
			return err
		}
		if c.Sealed == nil {
			c.Sealed = []byte{}
		}
		_, err := tx.NamedExecContext(ctx, `INSERT INTO connections (kind, base, model, sealed, dimensions, tokens) VALUES (:kind, :base, :model, :sealed, :dimensions, :tokens) ON CONFLICT (kind) DO UPDATE SET base = excluded.base, model = excluded.model, sealed = excluded.sealed, dimensions = excluded.dimensions, tokens = excluded.tokens`, c)
		return err
	})
}

// AddTokens counts what a connection was given to read.
func (s *Store) AddTokens(ctx context.Context, kind string, tokens int) error {
	if tokens == 0 {
		return nil
	}
	return s.write(ctx, "count tokens", func(tx *sqlx.Tx) error {
		_, err := tx.ExecContext(ctx, `UPDATE connections SET tokens = tokens + ? WHERE kind = ?`, tokens, kind)
		return err
	})
}
