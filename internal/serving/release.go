package serving

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"

	"jolvex/core/index"
	"jolvex/core/method"
	"jolvex/core/query"
	"jolvex/internal/asking"
	"jolvex/internal/event"
	"jolvex/internal/fault"
	"jolvex/internal/indexing"
	"jolvex/internal/store"
)

// Release is a frozen method plus index.
type Release struct {
	Number   int    `json:"number"`
	Note     string `json:"note"`
	At       string `json:"at"`
	Snapshot string `json:"snapshot" doc:"Hash of the index's manifest"`
	Method   string `json:"method" doc:"Hash of all settings and lists"`
}

// Since is what became of the draft since the last release.
type Since struct {
	Release
	Settings []indexing.SettingPair `json:"settings" nullable:"false" doc:"In which the draft differs"`
	Index    bool                   `json:"index" doc:"The index is another one"`
}

func releaseView(r store.Release) (Release, error) {
	hash, err := r.Method.Hash()
	return Release{r.Number, r.Note, r.At, r.Snapshot, hash}, err
}

// MakeRelease freezes the draft and the index in force. What is gathered and changed afterwards does not touch it.
func (sv *Server) MakeRelease(ctx context.Context, corpus, note string) (Release, error) {
	c, err := sv.store.Corpus(ctx, corpus)
	if err != nil {
		return Release{}, err
	}
	s, err := sv.index.Shelf(ctx, c)
	if err != nil {
		return Release{}, err
	}
	s.Change.Lock() // so that method and index belong together
	defer s.Change.Unlock()
	st, err := c.Method.Stages(sv.index.Target(c.Method).ID())
	if err != nil {
		return Release{}, err
	}
	if built, _ := s.Stage.Load().(string); built != st.Index {
		return Release{}, fault.Input("the index has not been built with the draft's settings yet: wait until it is")
	}
	if n := unread(s.Snapshot.Load()); n > 0 {
		return Release{}, fault.Input("%d chunks are still being read for their meaning: wait until they are, or the release would find them by their words alone", n)
	}
	r, err := sv.store.AddRelease(ctx, c.ID, strings.TrimSpace(note), c.Method)
	if err != nil {
		return Release{}, err
	}
	event.Tell(ctx, sv.events, event.Method, c.ID, event.MethodBody{Release: r.Number})
	return releaseView(r)
}

// unread counts the chunks of an index that wait for what made the vectors in force.
func unread(snap *index.Snapshot) int {
	n := 0
	for _, p := range snap.Parts {
		if len(p.Vectors) == 0 {
			n += len(p.Segment.Entries) - p.Dead.Count()
		}
	}
	return n
}

// Releases lists a corpus's releases, the newest first.
func (sv *Server) Releases(ctx context.Context, corpus string) ([]Release, error) {
	c, err := sv.store.Corpus(ctx, corpus)
	if err != nil {
		return nil, err
	}
	rs, err := sv.store.Releases(ctx, c.ID, 100)
	if err != nil {
		return nil, err
	}
	out := make([]Release, len(rs))
	for i, r := range rs {
		if out[i], err = releaseView(r); err != nil {
			return nil, err
		}
	}
	return out, nil
}

func (sv *Server) lastRelease(ctx context.Context, corpus string) (store.Release, error) {
	rs, err := sv.store.Releases(ctx, corpus, 1)
	if err == nil && len(rs) == 0 {
		err = fmt.Errorf("a release: %w", fault.ErrMissing)
	}
	if err != nil {
		return store.Release{}, err
	}
	return rs[0], nil
}

// Since tells what became of the draft since the last release; nil when there is none.
func (sv *Server) Since(ctx context.Context, c store.Corpus, snapshot string) (*Since, error) {
	r, err := sv.lastRelease(ctx, c.ID)
	if errors.Is(err, fault.ErrMissing) {
		return nil, nil
	}
	if err != nil {
		return nil, err
	}
	v, err := releaseView(r)
	return &Since{v, indexing.SettingPairs(r.Method, c.Method), r.Snapshot != snapshot}, err
}

// frozen is the index of a release in memory.
type frozen struct {
	release  string
	snapshot *index.Snapshot
	method   method.Method
}

// released opens the last release of a corpus; it stays open until there is another.
func (sv *Server) released(ctx context.Context, c store.Corpus) (*frozen, error) {
	r, err := sv.lastRelease(ctx, c.ID)
	if err != nil {
		return nil, err
	}
	sv.mu.Lock()
	f := sv.frozen[c.ID]
	sv.mu.Unlock()
	if f != nil && f.release == r.ID {
		return f, nil
	}
	parts, err := sv.index.ReadParts(r.Manifest)
	if err != nil {
		return nil, fmt.Errorf("open the index of release %d: %w", r.Number, err)
	}
	f = &frozen{r.ID, &index.Snapshot{Name: r.Snapshot, Embedder: r.Manifest.Embedder, Sentences: r.Manifest.Sentences, Parts: parts}, r.Method}
	sv.mu.Lock()
	sv.frozen[c.ID] = f
	sv.mu.Unlock()
	return f, nil
}

// AskReleased answers a question under the last release, and keeps nothing.
func (sv *Server) AskReleased(ctx context.Context, who asking.Caller, corpus string, q query.Question) (*asking.Reply, error) {
	if err := indexing.CheckAudience(who.Audience); err != nil {
		return nil, fault.Input("nobody may ask as %q", who.Audience)
	}
	c, err := sv.store.Corpus(ctx, corpus)
	if err != nil {
		return nil, err
	}
	f, err := sv.released(ctx, c)
	if err != nil {
		return nil, err
	}
	snap, err := sv.withheld(ctx, c.ID, f.snapshot)
	if err != nil {
		return nil, err
	}
	b, err := sv.asking.BenchOn(ctx, who, snap, f.method)
	if err != nil {
		return nil, err
	}
	t, ms, err := asking.AskOn(ctx, b, q)
	if err != nil {
		return nil, err
	}
	r, err := sv.asking.Expand(ctx, t)
	if err == nil {
		r.Millis = ms
	}
	return r, err
}

// withheld takes out of what everybody may see in a frozen index the documents that are not for everybody any more: a mark takes
// effect at once, in what is released too.
func (sv *Server) withheld(ctx context.Context, corpus string, snap *index.Snapshot) (*index.Snapshot, error) {
	ids, err := sv.store.Restricted(ctx, corpus)
	if err != nil || len(ids) == 0 {
		return snap, err
	}
	gone := map[string]bool{}
	for _, id := range ids {
		gone[id] = true
	}
	out := &index.Snapshot{Name: snap.Name, Embedder: snap.Embedder, Sentences: snap.Sentences, Parts: slices.Clone(snap.Parts)}
	for i := range out.Parts {
		if out.Parts[i].Segment.Audience == index.Public {
			out.Parts[i], _ = out.Parts[i].Without(gone)
		}
	}
	return out, nil
}
