package backup

import (
	"context"
	"errors"
	"log/slog"
	"time"
)

// Plan says how a program that serves backs its data folder up.
type Plan struct {
	Into  string // folder; empty for none
	Every time.Duration
	Keep  int // how many
}

// Check says what is wrong with a plan.
func (p Plan) Check() error {
	if p.Into != "" && (p.Every < time.Minute || p.Keep < 1) {
		return errors.New("backups are made at most once a minute, and at least one is kept")
	}
	return nil
}

// again is when a backup that failed is tried again.
const again = 10 * time.Minute

// Run makes a backup whenever one is due, until ctx ends. One that fails is told, and tried again after a while.
func (p Plan) Run(ctx context.Context, data string, log *slog.Logger) {
	for p.Into != "" {
		wait, err := p.due(ctx, data, log)
		if ctx.Err() != nil {
			return
		}
		if err != nil {
			log.Error("no backup was made", "into", p.Into, "error", err)
			wait = again
		}
		select {
		case <-time.After(wait):
		case <-ctx.Done():
			return
		}
	}
}

// due makes a backup when the newest is too old, and gives the time until the next.
func (p Plan) due(ctx context.Context, data string, log *slog.Logger) (time.Duration, error) {
	last, err := Last(p.Into)
	if err != nil {
		return 0, err
	}
	if wait := time.Until(last.Add(p.Every)); wait > 0 {
		return wait, nil
	}
	made, err := Make(ctx, data, p.Into, time.Now())
	if err != nil {
		return 0, err
	}
	log.Info("a backup was made", "file", made.Path, "bytes", made.Bytes, "took", made.Took)
	_, err = Keep(p.Into, p.Keep)
	return p.Every, err
}
