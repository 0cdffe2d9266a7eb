package indexing

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"jolvex/core/method"
	"jolvex/internal/event"
	"jolvex/internal/fault"
	"jolvex/internal/job"
	"jolvex/internal/store"
)

// MethodChange is one change of the draft.
type MethodChange struct {
	Number   int             `json:"number" doc:"From 0, which is what the draft was before the first"`
	At       string          `json:"at"`
	Why      string          `json:"why"`
	Settings []SettingPair   `json:"settings" nullable:"false" doc:"What it changed"`
	Evidence *store.Measured `json:"evidence,omitempty" doc:"What was measured before it was applied"`
}

// MethodHistory tells how the draft came to be what it is, the newest change first.
func (ix *Indexer) MethodHistory(ctx context.Context, corpus string) ([]MethodChange, error) {
	c, err := ix.store.Corpus(ctx, corpus)
	if err != nil {
		return nil, err
	}
	rows, err := ix.store.MethodChanges(ctx, c.ID)
	if err != nil {
		return nil, err
	}
	out := make([]MethodChange, len(rows))
	for i, r := range rows {
		out[i] = MethodChange{Number: r.Number, At: r.At, Why: r.Why, Evidence: r.Evidence, Settings: []SettingPair{}}
		if i+1 < len(rows) {
			out[i].Settings = SettingPairs(rows[i+1].Method, r.Method)
		}
	}
	return out, nil
}

// RestoreMethod makes the draft what it was after a change.
func (ix *Indexer) RestoreMethod(ctx context.Context, corpus string, number int) (*job.Job, error) {
	c, err := ix.store.Corpus(ctx, corpus)
	if err != nil {
		return nil, err
	}
	rows, err := ix.store.MethodChanges(ctx, c.ID)
	if err != nil {
		return nil, err
	}
	at := slices.IndexFunc(rows, func(r store.MethodChange) bool { return r.Number == number })
	if at < 0 {
		return nil, fmt.Errorf("change %d of the draft: %w", number, fault.ErrMissing)
	}
	return ix.ChangeMethod(ctx, corpus, rows[at].Method, fmt.Sprintf("as it was after change %d", number), nil)
}

// SaveMethod saves the draft. When the change reaches the index, a job that rebuilds it is queued and returned.
func (ix *Indexer) SaveMethod(ctx context.Context, corpus string, m method.Method) (*job.Job, error) {
	return ix.ChangeMethod(ctx, corpus, m, "", nil)
}

// ChangeMethod is the one operation that changes the draft: it is checked and kept with its reason and what was measured for it, told, and
// the index is built anew when it has to be; that job is given.
func (ix *Indexer) ChangeMethod(ctx context.Context, corpus string, m method.Method, why string, e *store.Measured) (*job.Job, error) {
	c, err := ix.store.Corpus(ctx, corpus)
	if err != nil {
		return nil, err
	}
	if bad := m.Validate(); len(bad) > 0 {
		return nil, fault.Input("%s", strings.Join(bad, "; "))
	}
	if err := ix.store.SaveMethod(ctx, c.ID, m, strings.TrimSpace(why), e); err != nil {
		return nil, err
	}
	event.Tell(ctx, ix.events, event.Method, c.ID, event.MethodBody{Changed: method.Difference(c.Method, m)})
	return ix.RebuildWhenStale(ctx, c.ID, m)
}
