package asking

import (
	"context"
	"slices"
	"strings"

	"jolvex/core/query"
	"jolvex/internal/fault"
)

// Try answers a question under something that is tried out. Nothing is kept, and what house rules ask for is not carried out.
func (as *Asker) Try(ctx context.Context, who Caller, corpus string, q query.Question, v Variant) (*Reply, error) {
	b, err := as.variantBench(ctx, who, corpus, v)
	if err != nil {
		return nil, err
	}
	t, ms, err := AskOn(ctx, b, q)
	if err != nil {
		return nil, err
	}
	return as.expanded(ctx, t, ms)
}

// mostOnSheet is how many questions a sheet holds.
const mostOnSheet = 40

// Sheet lists the questions that are answered again whenever the manner changes.
func (as *Asker) Sheet(ctx context.Context, corpus string) ([]string, error) {
	c, err := as.store.Corpus(ctx, corpus)
	if err != nil {
		return nil, err
	}
	return as.store.Sheet(ctx, c.ID)
}

// SaveSheet replaces them.
func (as *Asker) SaveSheet(ctx context.Context, corpus string, questions []string) ([]string, error) {
	c, err := as.store.Corpus(ctx, corpus)
	if err != nil {
		return nil, err
	}
	out := []string{}
	for _, q := range questions {
		if q = strings.TrimSpace(q); q != "" && !slices.Contains(out, q) {
			out = append(out, q)
		}
	}
	if len(out) > mostOnSheet {
		return nil, fault.Input("a sheet holds at most %d questions, not %d", mostOnSheet, len(out))
	}
	return out, as.store.SaveSheet(ctx, c.ID, out)
}
