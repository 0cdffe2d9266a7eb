package work

import (
	"context"
	"time"

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

// Tick does what the schedules do every few seconds.
func (a *App) Tick(ctx context.Context) { a.visitDue(ctx) }

// GraphsFrom has segments get a graph from so many chunks on.
func (a *App) GraphsFrom(n int) { a.graphFrom = n }

// Wait sets how long a language model is waited for.
func (a *App) Wait(d time.Duration) { a.patience = d }

// Behave has the connected language model be asked for by another name.
func (a *App) Behave(ctx context.Context, name string) error {
	c, err := a.store.Connection(ctx, connectionChat)
	if err != nil {
		return err
	}
	c.Model = name
	return a.store.SaveConnection(ctx, c)
}
