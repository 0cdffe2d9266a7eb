package work

import (
	"context"
	"slices"

	"jolvex/core/index"
	"jolvex/internal/store"
)

// GraphFrom is from how many chunks on a segment gets a graph over its vectors: below, looking at all of them takes less
// than the rest of an answer (make bench).
const GraphFrom = 50_000

// graphDue reports whether a segment is to get a graph over the vectors in force.
func (a *App) graphDue(p index.Part) bool { return len(p.Vectors) >= a.graphFrom && p.Graph == nil }

// graphWhenDue queues the growing of graphs when a segment is due for one.
func (a *App) graphWhenDue(ctx context.Context, c store.Corpus, s *shelf) error {
	if !slices.ContainsFunc(s.snapshot.Load().Parts, a.graphDue) {
		return nil
	}
	_, err := a.queue(ctx, c.ID, JobGraph, "")
	return err
}

// growGraphs grows the graphs that are due, one after another, and puts each in force. Every vector is looked at until
// then. A graph whose segment was replaced meanwhile is thrown away: the one that came instead is due in its turn.
func (a *App) growGraphs(ctx context.Context, j store.Job, p *progress) error {
	c, err := a.store.Corpus(ctx, j.Corpus)
	if err != nil {
		return err
	}
	s, err := a.shelf(ctx, c)
	if err != nil {
		return err
	}
	for {
		s.change.Lock()
		m, parts := s.manifest, s.snapshot.Load().Parts
		s.change.Unlock()
		i := slices.IndexFunc(parts, a.graphDue)
		if i < 0 {
			return nil
		}
		of := parts[i]
		g, err := index.Grow(of.Vectors, a.spareCores(), func(done int) error {
			p.set(ctx, done, len(of.Vectors), "a shortcut through the vectors is made")
			return ctx.Err()
		})
		if err != nil {
			return err
		}
		if err := a.adoptGraph(ctx, c, s, m.Segments[i].Hash, of.File, g); err != nil {
			return err
		}
	}
}

// adoptGraph puts a graph in force where its segment and vectors still are.
func (a *App) adoptGraph(ctx context.Context, c store.Corpus, s *shelf, segment, vectors string, g *index.Graph) error {
	s.change.Lock()
	defer s.change.Unlock()
	m := s.manifest
	m.Segments = slices.Clone(m.Segments)
	parts := slices.Clone(s.snapshot.Load().Parts)
	for i := range m.Segments {
		r := &m.Segments[i]
		if r.Hash != segment || parts[i].File != vectors {
			continue
		}
		var err error
		if r.Graph, err = a.writeFile(g.Encode()); err != nil {
			return err
		}
		r.GraphOf, parts[i].Graph = vectors, g
		return a.publish(ctx, c.ID, s, m, parts, nil)
	}
	return nil
}

// readGraph opens a segment's graph when it leads through these vectors. One that cannot be read is forgotten and grown
// anew: searching does not hang on it.
func (a *App) readGraph(r *index.Reference, file string, chunks int) *index.Graph {
	if r.Graph == "" || r.GraphOf != file {
		return nil
	}
	b, err := a.readFile(r.Graph)
	if err == nil {
		var g *index.Graph
		if g, err = index.DecodeGraph(b); err == nil && g.Len() == chunks {
			return g
		}
	}
	a.log.Warn("a shortcut through the vectors is made anew", "file", r.Graph, "reason", err)
	r.Graph, r.GraphOf = "", ""
	return nil
}
