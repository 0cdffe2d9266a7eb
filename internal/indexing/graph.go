package indexing

import (
	"context"
	"slices"

	"jolvex/core/index"
	"jolvex/internal/job"
	"jolvex/internal/store"
)

// GraphFrom is from how many chunks on a segment gets a graph over its vectors: below, looking at all of them takes less
// than the rest of an answer (make bench).
const GraphFrom = 50_000

// graphDue reports whether a segment is to get a graph over the vectors in force.
func (ix *Indexer) graphDue(p index.Part) bool {
	return len(p.Vectors) >= ix.graphFrom && p.Graph == nil
}

// graphWhenDue queues the growing of graphs when a segment is due for one.
func (ix *Indexer) graphWhenDue(ctx context.Context, c store.Corpus, s *Shelf) error {
	if !slices.ContainsFunc(s.Snapshot.Load().Parts, ix.graphDue) {
		return nil
	}
	_, err := ix.jobs.Add(ctx, c.ID, job.Graph, "")
	return err
}

// growGraphs grows the graphs that are due, one after another, and puts each in force. Every vector is looked at until
// then. A graph whose segment was replaced meanwhile is thrown away: the one that came instead is due in its turn.
func (ix *Indexer) growGraphs(ctx context.Context, j store.Job, p *job.Progress) error {
	c, err := ix.store.Corpus(ctx, j.Corpus)
	if err != nil {
		return err
	}
	s, err := ix.Shelf(ctx, c)
	if err != nil {
		return err
	}
	for {
		s.Change.Lock()
		m, parts := s.manifest, s.Snapshot.Load().Parts
		s.Change.Unlock()
		i := slices.IndexFunc(parts, ix.graphDue)
		if i < 0 {
			return nil
		}
		of := parts[i]
		g, err := index.Grow(of.Vectors, ix.SpareCores(), func(done int) error {
			p.Set(ctx, done, len(of.Vectors), "a shortcut through the vectors is made")
			return ctx.Err()
		})
		if err != nil {
			return err
		}
		if err := ix.adoptGraph(ctx, c, s, m.Segments[i].Hash, of.File, g); err != nil {
			return err
		}
	}
}

// adoptGraph puts a graph in force where its segment and vectors still are.
func (ix *Indexer) adoptGraph(ctx context.Context, c store.Corpus, s *Shelf, segment, vectors string, g *index.Graph) error {
	s.Change.Lock()
	defer s.Change.Unlock()
	m := s.manifest
	m.Segments = slices.Clone(m.Segments)
	parts := slices.Clone(s.Snapshot.Load().Parts)
	for i := range m.Segments {
		r := &m.Segments[i]
		if r.Hash != segment || parts[i].File != vectors {
			continue
		}
		var err error
		if r.Graph, err = ix.files.Write(g.Encode()); err != nil {
			return err
		}
		r.GraphOf, parts[i].Graph = vectors, g
		return ix.publish(ctx, c.ID, s, m, parts, nil)
	}
	return nil
}
