package work

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"

	"jolvex/core/index"
	"jolvex/core/method"
	"jolvex/core/query"
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
	Settings []SettingPair `json:"settings" nullable:"false" doc:"In which the draft differs"`
	Index    bool          `json:"index" doc:"The index is another one"`
}

func releaseView(r store.Release) (Release, error) {
	hash, err := r.Method.Hash()
	return Release{r.Number, r.Note, r.At, r.Snapshot, hash}, err
}

// MakeRelease freezes the draft and the index in force. What is gathered and changed afterwards does not touch it.
func (a *App) MakeRelease(ctx context.Context, corpus, note string) (Release, error) {
	c, err := a.store.Corpus(ctx, corpus)
	if err != nil {
		return Release{}, err
	}
	s, err := a.shelf(ctx, c)
	if err != nil {
		return Release{}, err
	}
	s.change.Lock() // so that method and index belong together
	defer s.change.Unlock()
	st, err := c.Method.Stages(a.target(c.Method).ID())
	if err != nil {
		return Release{}, err
	}
	if built, _ := s.stage.Load().(string); built != st.Index {
		return Release{}, inputError("the index has not been built with the draft's settings yet: wait until it is")
	}
	r, err := a.store.AddRelease(ctx, c.ID, strings.TrimSpace(note), c.Method)
	if err != nil {
		return Release{}, err
	}
	a.tell(ctx, event(c.ID, "method", map[string]any{"release": r.Number}))
	return releaseView(r)
}

// Releases lists a corpus's releases, the newest first.
func (a *App) Releases(ctx context.Context, corpus string) ([]Release, error) {
	c, err := a.store.Corpus(ctx, corpus)
	if err != nil {
		return nil, err
	}
	rs, err := a.store.Releases(ctx, c.ID, 100)
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

func (a *App) lastRelease(ctx context.Context, corpus string) (store.Release, error) {
	rs, err := a.store.Releases(ctx, corpus, 1)
	if err == nil && len(rs) == 0 {
		err = fmt.Errorf("a release: %w", ErrMissing)
	}
	if err != nil {
		return store.Release{}, err
	}
	return rs[0], nil
}

// since tells what became of the draft since the last release; nil when there is none.
func (a *App) since(ctx context.Context, c store.Corpus, snapshot string) (*Since, error) {
	r, err := a.lastRelease(ctx, c.ID)
	if errors.Is(err, ErrMissing) {
		return nil, nil
	}
	if err != nil {
		return nil, err
	}
	v, err := releaseView(r)
	return &Since{v, settingPairs(r.Method, c.Method), r.Snapshot != snapshot}, err
}

// frozen is the index of a release in memory.
type frozen struct {
	release  string
	snapshot *index.Snapshot
	method   method.Method
}

// released opens the last release of a corpus; it stays open until there is another.
func (a *App) released(ctx context.Context, c store.Corpus) (*frozen, error) {
	r, err := a.lastRelease(ctx, c.ID)
	if err != nil {
		return nil, err
	}
	a.mu.Lock()
	f := a.frozen[c.ID]
	a.mu.Unlock()
	if f != nil && f.release == r.ID {
		return f, nil
	}
	parts, err := a.readParts(r.Manifest)
	if err != nil {
		return nil, fmt.Errorf("open the index of release %d: %w", r.Number, err)
	}
	f = &frozen{r.ID, &index.Snapshot{Name: r.Snapshot, Embedder: r.Manifest.Embedder, Sentences: r.Manifest.Sentences, Parts: parts}, r.Method}
	a.mu.Lock()
	a.frozen[c.ID] = f
	a.mu.Unlock()
	return f, nil
}

// AskReleased answers a question under the last release, and keeps nothing.
func (a *App) AskReleased(ctx context.Context, who Caller, corpus string, q query.Question) (*Reply, error) {
	if err := checkAudience(who.Audience); err != nil {
		return nil, inputError("nobody may ask as %q", who.Audience)
	}
	c, err := a.store.Corpus(ctx, corpus)
	if err != nil {
		return nil, err
	}
	f, err := a.released(ctx, c)
	if err != nil {
		return nil, err
	}
	snap, err := a.withheld(ctx, c.ID, f.snapshot)
	if err != nil {
		return nil, err
	}
	b, err := a.benchOn(ctx, who, snap, f.method)
	if err != nil {
		return nil, err
	}
	t, ms, err := askOn(ctx, b, q)
	if err != nil {
		return nil, err
	}
	r, err := a.expand(ctx, t)
	if err == nil {
		r.Millis = ms
	}
	return r, err
}

// withheld takes out of what everybody may see in a frozen index the documents that are not for everybody any more: a mark takes
// effect at once, in what is released too.
func (a *App) withheld(ctx context.Context, corpus string, snap *index.Snapshot) (*index.Snapshot, error) {
	ids, err := a.store.Restricted(ctx, corpus)
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
