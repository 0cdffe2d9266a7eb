package serving

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"slices"
	"strings"
	"sync"

	"jolvex/core/index"
	"jolvex/core/method"
	"jolvex/core/query"
	"jolvex/internal/asking"
	"jolvex/internal/event"
	"jolvex/internal/fault"
	"jolvex/internal/indexing"
	"jolvex/internal/store"
	"jolvex/internal/store/served"
)

// Release is a frozen method plus index.
type Release struct {
	ID       string `json:"id"`
	Number   int    `json:"number"`
	Note     string `json:"note"`
	At       string `json:"at"`
	Snapshot string `json:"snapshot" doc:"Hash of the index's manifest"`
	Method   string `json:"method" doc:"Hash of all settings and lists"`
	MadeBy   string `json:"madeBy,omitempty"`
	Live     bool   `json:"live" doc:"What visitors get"`
	Gate     []Held `json:"gate" nullable:"false" doc:"What the gate said when it was made"`
	Overrule string `json:"overruled,omitempty" doc:"Why it was made against the gate"`
}

// Making is what is said of a release when it is made.
type Making struct {
	Note     string
	By       string
	Overrule string // why it is made although the gate is shut
}

// Since is what became of the draft since the last release.
type Since struct {
	Release
	Settings []indexing.SettingPair `json:"settings" nullable:"false" doc:"In which the draft differs"`
	Index    bool                   `json:"index" doc:"The index is another one"`
}

func releaseView(r served.Release) (Release, error) {
	hash, err := r.Method.Hash()
	v := Release{r.ID, r.Number, r.Note, r.At, r.Snapshot, hash, r.MadeBy, false, []Held{}, r.Overrule}
	if err == nil && r.Gate != "" {
		err = json.Unmarshal([]byte(r.Gate), &v.Gate)
	}
	return v, err
}

// MakeRelease freezes the draft and the index in force, which is what visitors get from now on. What is gathered and changed afterwards does
// not touch it. A gate that is shut holds it back unless it is overruled with a reason.
func (sv *Server) MakeRelease(ctx context.Context, corpus string, making Making) (Release, error) {
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
	gate, err := sv.gate(ctx, c, s.Snapshot.Load().Name)
	if err != nil {
		return Release{}, err
	}
	making.Overrule = strings.TrimSpace(making.Overrule)
	if gate.Open {
		making.Overrule = ""
	} else if making.Overrule == "" {
		return Release{}, fault.Input("the gate is shut: %s", gate.Why)
	}
	raw, err := json.Marshal(gate.Sets)
	if err != nil {
		return Release{}, err
	}
	r, err := sv.served.AddRelease(ctx, served.Release{Corpus: c.ID, Note: strings.TrimSpace(making.Note), Method: c.Method, MadeBy: making.By, Gate: string(raw), Overrule: making.Overrule, Documents: madeOf(s.Snapshot.Load())})
	if err != nil {
		return Release{}, err
	}
	event.Tell(ctx, sv.events, event.Method, c.ID, event.MethodBody{Release: r.Number})
	v, err := releaseView(r)
	v.Live = true
	return v, err
}

// GoLive has visitors get a release that was made before: going back to it takes nothing but this. Conversations that have begun with another one
// end with that.
func (sv *Server) GoLive(ctx context.Context, corpus string, number int) error {
	c, err := sv.store.Corpus(ctx, corpus)
	if err != nil {
		return err
	}
	rs, err := sv.served.Releases(ctx, c.ID, mostReleases)
	if err != nil {
		return err
	}
	at := slices.IndexFunc(rs, func(r served.Release) bool { return r.Number == number })
	if at < 0 {
		return fmt.Errorf("release %d: %w", number, fault.ErrMissing)
	}
	if _, err := sv.open(ctx, rs[at]); err != nil {
		return fault.Input("release %d cannot be served: %v", number, err)
	}
	p, err := sv.served.Of(ctx, c.ID)
	if err != nil {
		return err
	}
	p.Release = rs[at].ID
	if err := sv.served.Put(ctx, p); err != nil {
		return err
	}
	event.Tell(ctx, sv.events, event.Method, c.ID, event.MethodBody{Release: number})
	return nil
}

// mostReleases is how many releases of a corpus are looked at.
const mostReleases = 1000

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
	rs, err := sv.served.Releases(ctx, c.ID, mostReleases)
	if err != nil {
		return nil, err
	}
	live, err := sv.live(ctx, c.ID)
	if err != nil && !errors.Is(err, fault.ErrMissing) {
		return nil, err
	}
	out := make([]Release, len(rs))
	for i, r := range rs {
		if out[i], err = releaseView(r); err != nil {
			return nil, err
		}
		out[i].Live = r.ID == live.ID
	}
	return out, nil
}

// live is the release that visitors get: the one that was chosen, or the newest.
func (sv *Server) live(ctx context.Context, corpus string) (served.Release, error) {
	p, err := sv.served.Of(ctx, corpus)
	if err != nil {
		return served.Release{}, err
	}
	if p.Release != "" {
		return sv.served.Release(ctx, corpus, p.Release)
	}
	rs, err := sv.served.Releases(ctx, corpus, 1)
	if err == nil && len(rs) == 0 {
		err = fmt.Errorf("a release: %w", fault.ErrMissing)
	}
	if err != nil {
		return served.Release{}, err
	}
	return rs[0], nil
}

// LiveID names the release that visitors get, and with it all that they may not see of it any more. fault.ErrMissing, wrapped, when there is none.
func (sv *Server) LiveID(ctx context.Context, corpus string) (string, error) {
	r, err := sv.live(ctx, corpus)
	if err != nil {
		return "", err
	}
	rs, err := sv.served.Restricted(ctx, corpus)
	return hashed(fmt.Sprint(r.ID, rs)), err
}

// Since tells what became of the draft since the release that visitors get; nil when there is none.
func (sv *Server) Since(ctx context.Context, c store.Corpus, snapshot string) (*Since, error) {
	r, err := sv.live(ctx, c.ID)
	if errors.Is(err, fault.ErrMissing) {
		return nil, nil
	}
	if err != nil {
		return nil, err
	}
	v, err := releaseView(r)
	v.Live = true
	return &Since{v, indexing.SettingPairs(r.Method, c.Method), r.Snapshot != snapshot}, err
}

// frozen is a release in memory.
type frozen struct {
	release  string // id
	number   int
	snapshot *index.Snapshot
	method   method.Method

	mu         sync.Mutex
	restricted []served.Restriction // what without was made for
	without    *index.Snapshot
}

// mostFrozen is how many releases of all corpora are kept in memory.
const mostFrozen = 16

// released opens the release that visitors of a corpus get.
func (sv *Server) released(ctx context.Context, c store.Corpus) (*frozen, error) {
	r, err := sv.live(ctx, c.ID)
	if err != nil {
		return nil, err
	}
	return sv.open(ctx, r)
}

// open gives a release in memory, reading its files when it is not there. Releases that were not asked for longest leave first. One whose files are
// damaged or gone is built anew of what it was made of.
func (sv *Server) open(ctx context.Context, r served.Release) (*frozen, error) {
	if f, ok := sv.frozen.Get(r.ID); ok {
		return f, nil
	}
	got, err, _ := sv.opening.Do(r.ID, func() (any, error) {
		if f, ok := sv.frozen.Get(r.ID); ok {
			return f, nil
		}
		parts, err := sv.index.Open(r.Manifest)
		if err != nil {
			if parts, err = sv.mend(context.WithoutCancel(ctx), &r, err); err != nil {
				return nil, fmt.Errorf("open the index of release %d: %w", r.Number, err)
			}
		}
		f := &frozen{release: r.ID, number: r.Number, snapshot: &index.Snapshot{Name: r.Snapshot, Embedder: r.Manifest.Embedder, Sentences: r.Manifest.Sentences, Parts: parts}, method: r.Method}
		sv.frozen.Add(r.ID, f)
		return f, nil
	})
	if err != nil {
		return nil, err
	}
	return got.(*frozen), nil
}

// mend builds the index of a release anew from the versions of documents that it was made of.
func (sv *Server) mend(ctx context.Context, r *served.Release, why error) ([]index.Part, error) {
	made, err := sv.served.MadeOf(ctx, r.ID)
	if err != nil {
		return nil, errors.Join(why, err)
	}
	if len(made) == 0 {
		return nil, fmt.Errorf("%w; it was made before releases kept what they are made of", why)
	}
	sv.log.Warn("the index of a release is built anew", "corpus", r.Corpus, "release", r.Number, "reason", why)
	var docs []store.Document
	for _, m := range made {
		d, err := sv.store.Document(ctx, m.Document)
		if errors.Is(err, fault.ErrMissing) { // removed since: it would be withheld
			continue
		}
		if err != nil {
			return nil, err
		}
		d.Version, d.Audience = m.Version, m.Audience
		docs = append(docs, d)
	}
	if r.Manifest, err = sv.index.Refreeze(ctx, docs, r.Method, r.Manifest); err != nil {
		return nil, errors.Join(why, err)
	}
	if err := sv.served.Refreeze(ctx, r.ID, r.Manifest); err != nil {
		return nil, err
	}
	return sv.index.Open(r.Manifest)
}

// madeOf are the documents in an index.
func madeOf(snap *index.Snapshot) []served.Frozen {
	out, seen := []served.Frozen{}, map[string]bool{}
	for _, p := range snap.Parts {
		for i, e := range p.Segment.Entries {
			if !p.Dead.Has(i) && !seen[e.Document] {
				seen[e.Document] = true
				out = append(out, served.Frozen{Document: e.Document, Version: e.Version, Audience: p.Segment.Audience})
			}
		}
	}
	return out
}

// AskReleased answers a question under the release that visitors get, and keeps nothing.
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
	snap, err := sv.withheld(ctx, c.ID, f)
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

// withheld is a frozen index without the documents that may not be seen in it any more: a mark takes effect at once, in what is released too, and
// what was removed is gone.
func (sv *Server) withheld(ctx context.Context, corpus string, f *frozen) (*index.Snapshot, error) {
	rs, err := sv.served.Restricted(ctx, corpus)
	if err != nil || len(rs) == 0 {
		return f.snapshot, err
	}
	f.mu.Lock()
	defer f.mu.Unlock()
	if f.without != nil && slices.Equal(rs, f.restricted) {
		return f.without, nil
	}
	out := &index.Snapshot{Name: f.snapshot.Name, Embedder: f.snapshot.Embedder, Sentences: f.snapshot.Sentences, Parts: slices.Clone(f.snapshot.Parts)}
	for i := range out.Parts {
		gone, audience := map[string]bool{}, out.Parts[i].Segment.Audience
		for _, r := range rs {
			if r.Audience == "" || audience != index.Staff && r.Audience != audience {
				gone[r.Document] = true
			}
		}
		out.Parts[i], _ = out.Parts[i].Without(gone)
	}
	f.restricted, f.without = rs, out
	return out, nil
}
