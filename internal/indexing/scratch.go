package indexing

import (
	"context"
	"fmt"
	"strings"

	"jolvex/core/embed"
	"jolvex/core/index"
	"jolvex/core/method"
	"jolvex/internal/job"
	"jolvex/internal/store"
)

// IndexFor is an index that was built with the method: the corpus's own, or else one made for the purpose and kept nowhere.
func (ix *Indexer) IndexFor(ctx context.Context, c store.Corpus, m method.Method, p *job.Progress) (*index.Snapshot, error) {
	s, err := ix.Shelf(ctx, c)
	if err != nil {
		return nil, err
	}
	st, err := m.Stages(ix.Target(m).ID())
	if err != nil {
		return nil, err
	}
	if built, _ := s.Stage.Load().(string); built != "" && built != st.Index {
		return ix.scratch(ctx, c, m, func(done, total int) { p.Set(ctx, done, total, "making an index to try it on") })
	}
	return s.Snapshot.Load(), nil
}

// scratch builds an index in memory under a method and keeps nothing of it but the vectors of chunks, by their content.
func (ix *Indexer) scratch(ctx context.Context, c store.Corpus, m method.Method, tell func(done, total int)) (*index.Snapshot, error) {
	var cuts []cut
	after, seen := "", 0
	for {
		docs, err := ix.store.Indexable(ctx, c.ID, []string{store.Fetched, store.Indexed, store.Unchanged}, after, 100)
		if err != nil {
			return nil, err
		}
		if len(docs) == 0 {
			break
		}
		after = docs[len(docs)-1].ID
		more, err := ix.Prepare(ctx, docs, m)
		if err != nil {
			return nil, fmt.Errorf("cut documents: %w", err)
		}
		cuts, seen = append(cuts, more...), seen+len(docs)
		tell(seen, seen+1)
	}
	return ix.snapshotOf(ctx, cuts, m, tell)
}

// snapshotOf makes segments of cuts, with vectors of the embedder that the method asks for.
func (ix *Indexer) snapshotOf(ctx context.Context, cuts []cut, m method.Method, tell func(done, total int)) (*index.Snapshot, error) {
	b := ix.Behind(m)
	parts, hashes, err := ix.partsOf(ctx, cuts, b, tell)
	if err != nil {
		return nil, err
	}
	out := &index.Snapshot{Embedder: ix.Target(m).ID(), Parts: parts}
	out.Name = index.Hash([]byte(out.Embedder + strings.Join(hashes, "")))
	if by, ok := b.(encoderReader); ok {
		for _, c := range cuts {
			if err := ix.encodeSentences(ctx, by.Encoder, c.entries); err != nil {
				return nil, err
			}
		}
		out.Sentences = true
	}
	return out, nil
}

// partsOf makes a segment of each audience's cuts, with word vectors or those of a reader, and gives their hashes, too.
func (ix *Indexer) partsOf(ctx context.Context, cuts []cut, b reader, tell func(done, total int)) (parts []index.Part, hashes []string, err error) {
	var vs []embed.Vector
	if b != nil {
		var texts []string
		for _, c := range cuts {
			for _, t := range c.texts {
				texts = append(texts, whole(t))
			}
		}
		if vs, err = ix.remembered(ctx, b, texts); err != nil {
			return nil, nil, err
		}
		const batch = 64
		for from := 0; from < len(texts); from += batch {
			to := min(from+batch, len(texts))
			if err := ix.encodeMissing(ctx, b, texts[from:to], vs[from:to]); err != nil {
				return nil, nil, err
			}
			tell(to, len(texts))
		}
	}
	collected, sets := map[string]*chunksOf{}, map[string][]embed.Vector{}
	var order []string
	at := 0
	for _, c := range cuts {
		b := collected[c.audience]
		if b == nil {
			b = new(chunksOf)
			collected[c.audience] = b
			order = append(order, c.audience)
		}
		b.add(c)
		if vs == nil {
			sets[c.audience] = append(sets[c.audience], c.words...)
		} else {
			sets[c.audience] = append(sets[c.audience], vs[at:at+len(c.texts)]...)
		}
		at += len(c.texts)
	}
	for _, au := range order {
		if len(collected[au].entries) == 0 {
			continue
		}
		seg := collected[au].segment(au)
		hashes = append(hashes, index.Hash(seg.Encode()))
		parts = append(parts, index.Part{Segment: seg, Vectors: index.Flat(sets[au])})
	}
	return parts, hashes, nil
}
