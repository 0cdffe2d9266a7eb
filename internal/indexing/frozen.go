package indexing

import (
	"context"
	"errors"
	"fmt"
	"slices"

	"jolvex/core/embed"
	"jolvex/core/index"
	"jolvex/core/method"
	"jolvex/internal/store"
)

// Open reads an index of which a release keeps the manifest.
func (ix *Indexer) Open(m index.Manifest) ([]index.Part, error) { return ix.files.Parts(m) }

// Refreeze builds an index anew from documents as they were, each with the version and the audience of then, and writes its files. What read the
// chunks for their meaning is remembered where their texts stand in an index still; the others are read now. Documents whose text was purged are not in it.
// It is what was, and of the same vectors.
func (ix *Indexer) Refreeze(ctx context.Context, docs []store.Document, m method.Method, was index.Manifest) (index.Manifest, error) {
	var kept []store.Document
	cutBy := map[string]string{}
	for _, d := range docs {
		_, err := ix.Version(ctx, d.Version)
		if errors.Is(err, store.ErrMissing) {
			continue
		}
		if err != nil {
			return index.Manifest{}, err
		}
		if cutBy[d.Source], err = m.CutOf(d.Source); err != nil {
			return index.Manifest{}, err
		}
		kept = append(kept, d)
	}
	cuts, err := ix.Prepare(ctx, kept, m)
	if err != nil {
		return index.Manifest{}, fmt.Errorf("cut documents: %w", err)
	}
	if b := ix.Behind(m); b != nil {
		if err := ix.readCuts(ctx, b, cuts); err != nil {
			return index.Manifest{}, err
		}
	}
	parts, refs, err := ix.segments(cuts)
	if err != nil {
		return index.Manifest{}, err
	}
	out := index.Manifest{Segments: refs, Cuts: cutBy}
	if err := ix.choose(&out, parts, m, &index.Snapshot{Embedder: was.Embedder}); err != nil {
		return out, err
	}
	out.Sentences = was.Sentences && out.Embedder == was.Embedder // they are read when a question wants them
	return out, nil
}

// readCuts gives cuts the vectors of what reads behind, of all their chunks.
func (ix *Indexer) readCuts(ctx context.Context, b reader, cuts []cut) error {
	for i := range cuts {
		texts := make([]string, len(cuts[i].texts))
		for k, t := range cuts[i].texts {
			texts[k] = whole(t)
		}
		have, err := ix.remembered(ctx, b, texts)
		if err != nil {
			return err
		}
		if slices.ContainsFunc(have, func(v embed.Vector) bool { return v == nil }) {
			if err := ix.encodeMissing(ctx, b, texts, have); err != nil {
				return err
			}
		}
		if len(have) > 0 {
			cuts[i].encoded, cuts[i].by = have, b
		}
	}
	return nil
}
