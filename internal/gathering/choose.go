package gathering

import (
	"context"
	"strings"

	"jolvex/internal/event"
	"jolvex/internal/gather"
	"jolvex/internal/indexing"
	"jolvex/internal/job"
)

// Page is a page of a source as it stands for choosing.
type Page struct {
	ID      string   `json:"id"`
	Address string   `json:"address"`
	Title   string   `json:"title"`
	State   string   `json:"state"`
	Reason  string   `json:"reason"`
	Words   int      `json:"words"`
	Choice  string   `json:"choice" enum:"in,out,open"`
	Clutter []string `json:"clutter" doc:"What it looks like that seldom answers a question, such as a basket or a list of tags" nullable:"false"`
	Caught  string   `json:"caught" enum:"include,exclude," doc:"Which of the patterns asked about catch it; exclude goes before include"`
}

// PageList is what a source has found.
type PageList struct {
	Pages   []Page `json:"pages" nullable:"false"`
	Include int    `json:"include" doc:"Pages that the include patterns catch"`
	Exclude int    `json:"exclude" doc:"Pages that the exclude patterns catch"`
}

// Pages lists what a source has found, with what patterns would catch of it.
func (ga *Gatherer) Pages(ctx context.Context, corpus, source string, include, exclude []string) (PageList, error) {
	s, err := ga.sourceOf(ctx, corpus, source)
	if err != nil {
		return PageList{}, err
	}
	ds, err := ga.store.Pages(ctx, s.ID)
	if err != nil {
		return PageList{}, err
	}
	inc, exc := gather.Anywhere(nonEmpty(include), nil), gather.Anywhere(nil, nonEmpty(exclude))
	out := PageList{Pages: make([]Page, len(ds))}
	for i, d := range ds {
		v := indexing.DocumentView(d)
		p := Page{ID: d.ID, Address: d.Address, Title: d.Title, State: v.State, Reason: d.Reason, Words: d.Words, Choice: d.Choice, Clutter: indexing.ClutterOf(d)}
		switch {
		case len(nonEmpty(exclude)) > 0 && !exc.Holds(d.Address):
			p.Caught = "exclude"
			out.Exclude++
		case len(nonEmpty(include)) > 0 && inc.Takes(d.Address):
			p.Caught = "include"
			out.Include++
		}
		out.Pages[i] = p
	}
	return out, nil
}

func nonEmpty(list []string) []string {
	var out []string
	for _, s := range list {
		if s = strings.TrimSpace(s); s != "" {
			out = append(out, s)
		}
	}
	return out
}

// Choice is what a person chose of what a source has found.
type Choice struct {
	Taken    []string `json:"taken" maxItems:"100000" doc:"Ids of the pages to take in; all others are left out" nullable:"false"`
	Include  []string `json:"include,omitempty" doc:"Path patterns of what to take in at later visits" nullable:"false"`
	Exclude  []string `json:"exclude,omitempty" doc:"Path patterns of what to leave alone at later visits" nullable:"false"`
	NewPages string   `json:"newPages,omitempty" enum:"ask,take,leave," doc:"What becomes of pages found later; ask when not given"`
}

// Chosen tells what a choice came to.
type Chosen struct {
	In  int     `json:"in"`
	Out int     `json:"out"`
	Job job.Job `json:"job"`
}

// Choose takes in the pages that are named and leaves out the rest. What was fetched for the choice is not fetched again.
func (ga *Gatherer) Choose(ctx context.Context, corpus, source string, ch Choice) (Chosen, error) {
	s, err := ga.sourceOf(ctx, corpus, source)
	if err != nil {
		return Chosen{}, err
	}
	set, err := s.Settings()
	if err != nil {
		return Chosen{}, err
	}
	set.Choose, set.NewPages, set.Include, set.Exclude = true, ch.NewPages, nonEmpty(ch.Include), nonEmpty(ch.Exclude)
	var out Chosen
	if out.In, out.Out, err = ga.store.Choose(ctx, s.ID, ch.Taken); err != nil {
		return Chosen{}, err
	}
	s.Chosen = true
	if s.Raw, err = rawOf(set); err != nil {
		return Chosen{}, err
	}
	if err := ga.store.SaveSource(ctx, s); err != nil {
		return Chosen{}, err
	}
	// The job indexes what is at hand and fetches what is not, such as pages that a person picked though they were left out.
	if out.Job, err = ga.jobs.Add(ctx, s.Corpus, job.Gather, s.ID); err != nil {
		return Chosen{}, err
	}
	event.Tell(ctx, ga.events, event.Source, s.Corpus, event.SourceBody{ID: s.ID})
	return out, nil
}
