package indexing

import (
	"context"
	"encoding/json"
	"fmt"

	"jolvex/core/index"
	"jolvex/core/method"
	"jolvex/internal/store"
)

// SettledSource is the address of the source that settled answers are written into.
const SettledSource = "settled"

// TriedPrefix begins the ids of documents that the corpus does not have: what follows is their address.
const TriedPrefix = "tried:"

// With is a snapshot with what is tried brought in and taken out; nothing of it is kept.
func (ix *Indexer) With(ctx context.Context, snap *index.Snapshot, m method.Method, t store.Tried) (*index.Snapshot, error) {
	if len(t.Brought)+len(t.LeftOut) == 0 {
		return snap, nil
	}
	gone := map[string]bool{}
	docs := make([]store.Document, len(t.Brought))
	for i, b := range t.Brought {
		docs[i] = store.Document{ID: b.Document, Version: b.Version, Source: b.Source, SourceKind: b.Kind, Address: b.Address, Marks: b.Marks, MediaType: b.MediaType, Audience: index.Public}
		gone[b.Document] = true
	}
	for _, id := range t.LeftOut {
		gone[id] = true
	}
	raw, err := json.Marshal(t)
	if err != nil {
		return nil, err
	}
	out := &index.Snapshot{Name: index.Hash(append([]byte(snap.Name), raw...)), Embedder: snap.Embedder, Sentences: snap.Sentences}
	for _, p := range snap.Parts {
		p, _ = p.Without(gone)
		out.Parts = append(out.Parts, p)
	}
	cuts, err := ix.Prepare(ctx, docs, m)
	if err != nil {
		return nil, fmt.Errorf("cut what is tried: %w", err)
	}
	b, err := ix.readerBy(snap.Embedder)
	if err != nil {
		return nil, err
	}
	parts, _, err := ix.partsOf(ctx, cuts, b, func(int, int) {})
	if err != nil {
		return nil, err
	}
	out.Parts = append(out.Parts, parts...)
	by, ok := b.(encoderReader)
	if !ok || !snap.Sentences {
		return out, nil
	}
	for _, c := range cuts {
		if err := ix.encodeSentences(ctx, by.Encoder, c.entries); err != nil {
			return nil, err
		}
	}
	return out, nil
}
