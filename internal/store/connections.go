package store

import (
	"context"
	"errors"

	"github.com/jmoiron/sqlx"
)

// Connection is an endpoint that others run. Its key is sealed: the store cannot read it.
type Connection struct {
	Kind       string  `db:"kind"`
	Base       string  `db:"base"`
	Model      string  `db:"model"`
	Sealed     []byte  `db:"sealed"`
	Dimensions int     `db:"dimensions"`
	Tokens     int     `db:"tokens"`
	TokensOut  int     `db:"tokens_out"`
	Window     int     `db:"window"`
	PriceIn    float64 `db:"price_in"`
	PriceOut   float64 `db:"price_out"`
	Cap        float64 `db:"cap"`
	Wait       int     `db:"wait"` // seconds; 0 for the usual
}

// Connection finds a connection by kind; ErrMissing when there is none.
func (s *Store) Connection(ctx context.Context, kind string) (Connection, error) {
	var out Connection
	return out, s.Get(ctx, &out, "the connection for "+kind, `SELECT * FROM connections WHERE kind = ?`, kind)
}

// SaveConnection stores a connection; one without an address is removed.
func (s *Store) SaveConnection(ctx context.Context, c Connection) error {
	return s.Write(ctx, "save the connection for "+c.Kind, func(tx *sqlx.Tx) error {
		if _, err := tx.ExecContext(ctx, `DELETE FROM connections WHERE kind = ?`, c.Kind); err != nil || c.Base == "" {
			return err
		}
		if c.Sealed == nil {
			c.Sealed = []byte{}
		}
		_, err := tx.NamedExecContext(ctx, `INSERT INTO connections (kind, base, model, sealed, dimensions, tokens, tokens_out, window, price_in, price_out, cap, wait)
			VALUES (:kind, :base, :model, :sealed, :dimensions, :tokens, :tokens_out, :window, :price_in, :price_out, :cap, :wait)`, c)
		return err
	})
}

// AddTokens counts what a connection was given to read.
func (s *Store) AddTokens(ctx context.Context, kind string, tokens int) error {
	if tokens == 0 {
		return nil
	}
	return s.Write(ctx, "count tokens", func(tx *sqlx.Tx) error {
		_, err := tx.ExecContext(ctx, `UPDATE connections SET tokens = tokens + ? WHERE kind = ?`, tokens, kind)
		return err
	})
}

// Spending is what a connection has cost in one month.
type Spending struct {
	Kind      string  `db:"kind"`
	Month     string  `db:"month"` // 2026-11, UTC
	Calls     int     `db:"calls"`
	TokensIn  int     `db:"tokens_in"`
	TokensOut int     `db:"tokens_out"`
	Price     float64 `db:"price"`
}

// Spend adds one call to what a connection has cost.
func (s *Store) Spend(ctx context.Context, x Spending) error {
	return s.Write(ctx, "count what "+x.Kind+" costs", func(tx *sqlx.Tx) error {
		if _, err := tx.NamedExecContext(ctx, `INSERT INTO spending (kind, month, calls, tokens_in, tokens_out, price) VALUES (:kind, :month, :calls, :tokens_in, :tokens_out, :price)
			ON CONFLICT (kind, month) DO UPDATE SET calls = calls + excluded.calls, tokens_in = tokens_in + excluded.tokens_in, tokens_out = tokens_out + excluded.tokens_out, price = price + excluded.price`, x); err != nil {
			return err
		}
		_, err := tx.NamedExecContext(ctx, `UPDATE connections SET tokens = tokens + :tokens_in, tokens_out = tokens_out + :tokens_out WHERE kind = :kind`, x)
		return err
	})
}

// Spent is what a connection has cost in a month; the zero of it when nothing was asked.
func (s *Store) Spent(ctx context.Context, kind, month string) (Spending, error) {
	out := Spending{Kind: kind, Month: month}
	err := s.Get(ctx, &out, "what "+kind+" has cost", `SELECT * FROM spending WHERE kind = ? AND month = ?`, kind, month)
	if errors.Is(err, ErrMissing) {
		err = nil
	}
	return out, err
}
