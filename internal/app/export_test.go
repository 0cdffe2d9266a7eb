package app

import (
	"context"
	"time"

	"jolvex/internal/connections"
	"jolvex/internal/store"
)

// MakeDue moves the next visit of a source into the past.
func (a *App) MakeDue(ctx context.Context, source string) error {
	s, err := a.store.Source(ctx, source)
	if err != nil {
		return err
	}
	s.NextAt = store.Stamp(time.Now().Add(-time.Hour))
	return a.store.SaveSource(ctx, s)
}

// Behave has the connected language model be asked for by another name.
func (a *App) Behave(ctx context.Context, name string) error {
	c, err := a.store.Connection(ctx, connections.ConnectionChat)
	if err != nil {
		return err
	}
	c.Model = name
	return a.store.SaveConnection(ctx, c)
}
