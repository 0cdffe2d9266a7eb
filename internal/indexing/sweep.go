package indexing

import (
	"context"
	"errors"
	"fmt"
	"strings"

	"jolvex/core/find"
	"jolvex/core/index"
	"jolvex/internal/store"
)

// Sweep removes the files of indexes that no manifest names.
func (ix *Indexer) Sweep(ctx context.Context) error {
	ms, err := ix.store.Manifests(ctx)
	if err != nil {
		return err
	}
	return ix.files.Sweep(ms, ix.now())
}

// Forget lets go of the index of a corpus that was deleted.
func (ix *Indexer) Forget(corpus string) {
	ix.mu.Lock()
	defer ix.mu.Unlock()
	delete(ix.corpora, corpus)
}

// SweepVectors removes the remembered vectors of texts that stand in no index, and gives their number. Texts of other cuts, as trials make
// them, are read anew when they are wanted again.
func (ix *Indexer) SweepVectors(ctx context.Context) (int, error) {
	used := map[string]map[string]bool{} // embedder -> key
	use := func(embedder string, keys ...[]byte) {
		if used[embedder] == nil {
			used[embedder] = map[string]bool{}
		}
		for _, k := range keys {
			used[embedder][string(k)] = true
		}
	}
	use(ix.encoder.ID())
	cs, err := ix.store.Corpora(ctx)
	if err != nil {
		return 0, err
	}
	for _, c := range cs {
		s, err := ix.Shelf(ctx, c)
		if err != nil {
			return 0, err
		}
		snap := s.Snapshot.Load()
		if stale, err := ix.Stale(c, s); err != nil || stale {
			return 0, err // about to be built anew: nothing can be told of its texts now
		}
		reader := ix.Behind(c.Method)
		for _, p := range snap.Parts {
			if err := ix.keysOf(ctx, c, p.Segment.Entries, func(chunk, sentences []byte) {
				if reader != nil {
					use(reader.ID(), chunk, sentences)
				}
				use(ix.encoder.ID(), chunk, sentences)
			}); err != nil {
				return 0, err
			}
		}
	}
	n := 0
	for embedder, keys := range used {
		gone, err := ix.store.SweepVectors(ctx, embedder, func(h []byte) bool { return keys[string(h)] })
		if err != nil {
			return n, err
		}
		n += gone
	}
	return n, nil
}

// Stale reports whether the index of a corpus was built with other settings than its draft has.
func (ix *Indexer) Stale(c store.Corpus, s *Shelf) (bool, error) {
	st, err := c.Method.Stages(ix.Target(c.Method).ID())
	if err != nil {
		return false, fmt.Errorf("name the stages of %s: %w", c.Name, err)
	}
	built, _ := s.Stage.Load().(string)
	return built != "" && built != st.Index, nil
}

// keysOf gives the keys under which the vectors of chunks, and those of their sentences, are remembered.
func (ix *Indexer) keysOf(ctx context.Context, c store.Corpus, entries []index.Entry, each func(chunk, sentences []byte)) error {
	const batch = 64
	for from := 0; from < len(entries); from += batch {
		some := entries[from:min(from+batch, len(entries))]
		texts, err := ix.chunkTexts(ctx, c, some)
		if err != nil {
			return err
		}
		for i := range some {
			d, err := ix.Version(ctx, some[i].Version)
			if errors.Is(err, store.ErrMissing) { // purged meanwhile
				continue
			}
			if err != nil {
				return err
			}
			each(contentKey(texts[i]), contentKey("sentences\x00"+strings.Join(find.WindowTexts(d, &some[i]), "\x00")))
		}
	}
	return nil
}
