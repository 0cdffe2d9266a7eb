package serving

import (
	"context"
	"errors"
	"slices"
	"strings"

	"jolvex/core/index"
	"jolvex/internal/fault"
	"jolvex/internal/store/served"
)

// Changes are what a release of the draft would change for visitors, besides settings.
type Changes struct {
	Release int          `json:"release" doc:"Number of the one that visitors get; 0 when there is none"`
	Known   bool         `json:"known" doc:"What that release was made of is known: it was made since releases keep it"`
	Added   []Material   `json:"added" nullable:"false"`
	Altered []Material   `json:"altered" nullable:"false"`
	Gone    []Material   `json:"gone" nullable:"false"`
	Counts  MaterialSums `json:"counts"`
	Flips   []Flip       `json:"flips" nullable:"false" doc:"Expected questions of the gate's sets that pass under one and not under the other"`
}

// MaterialSums count documents: the lists are cut at so many.
type MaterialSums struct {
	Added   int `json:"added"`
	Altered int `json:"altered"`
	Gone    int `json:"gone"`
}

// Material is a document that is another, or not there, in the draft.
type Material struct {
	ID      string `json:"id"`
	Title   string `json:"title"`
	Address string `json:"address"`
}

// Flip is an expected question with another verdict.
type Flip struct {
	Set      string `json:"set" doc:"Name"`
	Question string `json:"question" doc:"Id"`
	Text     string `json:"text"`
	Fixed    bool   `json:"fixed" doc:"It passes under the draft, and did not under the release"`
	Run      string `json:"run" doc:"Of the draft"`
	Before   string `json:"before" doc:"Run of the release"`
}

// mostMaterial is how many documents of a kind are listed.
const mostMaterial = 100

// Changes says what a release of the draft would change for visitors: in the material, and in which expected questions pass.
func (sv *Server) Changes(ctx context.Context, corpus string) (Changes, error) {
	out := Changes{Added: []Material{}, Altered: []Material{}, Gone: []Material{}, Flips: []Flip{}}
	c, err := sv.store.Corpus(ctx, corpus)
	if err != nil {
		return out, err
	}
	r, err := sv.live(ctx, c.ID)
	if errors.Is(err, fault.ErrMissing) {
		return out, nil
	}
	if err != nil {
		return out, err
	}
	out.Release = r.Number
	made, err := sv.served.MadeOf(ctx, r.ID)
	if err != nil {
		return out, err
	}
	s, err := sv.index.Shelf(ctx, c)
	if err != nil {
		return out, err
	}
	snap := s.Snapshot.Load()
	if out.Known = len(made) > 0; out.Known {
		if err := sv.material(ctx, &out, made, snap); err != nil {
			return out, err
		}
	}
	gate, err := sv.gate(ctx, c, snap.Name)
	if err != nil {
		return out, err
	}
	v, err := releaseView(r)
	if err != nil {
		return out, err
	}
	for _, now := range gate.Sets {
		at := slices.IndexFunc(v.Gate, func(h Held) bool { return h.ID == now.ID })
		if now.Run == "" || at < 0 || v.Gate[at].Run == "" || v.Gate[at].Run == now.Run {
			continue
		}
		fs, err := sv.flips(ctx, now, v.Gate[at].Run)
		if err != nil {
			return out, err
		}
		out.Flips = append(out.Flips, fs...)
	}
	return out, nil
}

// material holds what a release was made of against an index.
func (sv *Server) material(ctx context.Context, out *Changes, made []served.Frozen, snap *index.Snapshot) error {
	before, now := map[string]string{}, map[string]string{}
	for _, m := range made {
		before[m.Document] = m.Version
	}
	for _, p := range snap.Parts {
		for i := range p.Segment.Entries {
			e := &p.Segment.Entries[i]
			if p.Dead.Has(i) || now[e.Document] != "" {
				continue
			}
			now[e.Document] = e.Version
			m := Material{e.Document, e.Title, e.Address}
			switch v, was := before[e.Document]; {
			case !was:
				out.Added = append(out.Added, m)
			case v != e.Version:
				out.Altered = append(out.Altered, m)
			}
		}
	}
	for _, m := range made {
		if now[m.Document] != "" {
			continue
		}
		d, err := sv.store.Document(ctx, m.Document)
		if err != nil && !errors.Is(err, fault.ErrMissing) {
			return err
		}
		out.Gone = append(out.Gone, Material{m.Document, d.Title, d.Address})
	}
	out.Counts = MaterialSums{len(out.Added), len(out.Altered), len(out.Gone)}
	for _, list := range []*[]Material{&out.Added, &out.Altered, &out.Gone} {
		slices.SortFunc(*list, func(x, y Material) int { return strings.Compare(x.Title+"\x00"+x.ID, y.Title+"\x00"+y.ID) })
		*list = (*list)[:min(mostMaterial, len(*list))]
	}
	return nil
}

// flips are the questions of a set that pass in one of two runs alone. What could not be judged in either flips nothing.
func (sv *Server) flips(ctx context.Context, now Held, before string) ([]Flip, error) {
	was, err := sv.store.Results(ctx, before, false)
	if errors.Is(err, fault.ErrMissing) { // collected meanwhile
		return nil, nil
	}
	if err != nil {
		return nil, err
	}
	passed := map[string]bool{}
	for _, r := range was {
		if r.Failed == "" {
			passed[r.Question] = r.Verdict.Passed
		}
	}
	is, err := sv.store.Results(ctx, now.Run, false)
	if err != nil {
		return nil, err
	}
	qs, err := sv.store.Questions(ctx, now.ID)
	if err != nil {
		return nil, err
	}
	texts := map[string]string{}
	for _, q := range qs {
		texts[q.ID] = q.Text
	}
	var out []Flip
	for _, r := range is {
		p, known := passed[r.Question]
		if !known || r.Failed != "" || p == r.Verdict.Passed {
			continue
		}
		out = append(out, Flip{now.Set, r.Question, texts[r.Question], r.Verdict.Passed, now.Run, before})
	}
	return out, nil
}
