package gathering

import (
	"context"

	"jolvex/core/check"
	"jolvex/core/doc"
	"jolvex/internal/event"
	"jolvex/internal/job"
	"jolvex/internal/store"

	"golang.org/x/sync/errgroup"
)

// Severities in words, by number.
var Severities = map[int]string{int(check.Low): "low", int(check.Medium): "medium", int(check.High): "high"}

// Finding is a content check's finding as callers see it.
type Finding struct {
	ID        string   `json:"id"`
	Kind      string   `json:"kind" enum:"instruction,contradiction,personal data,out of date,near-duplicate,boilerplate,near-empty"`
	Severity  string   `json:"severity" enum:"low,medium,high"`
	Detail    string   `json:"detail"`
	At        FoundAt  `json:"at"`
	Other     *FoundAt `json:"other,omitempty" doc:"What it is compared with"`
	Dismissed bool     `json:"dismissed"`
	FoundAt   string   `json:"foundAt"`
}

// FoundAt is a passage of a document that a finding is about.
type FoundAt struct {
	Document string   `json:"document"`
	Address  string   `json:"address"`
	Title    string   `json:"title"`
	Span     doc.Span `json:"span" doc:"Empty for the whole document, or for what it hides"`
	Passage  string   `json:"passage"`
}

// checkSoon queues a check of a corpus's documents.
func (ga *Gatherer) checkSoon(ctx context.Context, corpus string) error {
	_, err := ga.jobs.Add(ctx, corpus, job.Check, "")
	return err
}

// Check queues a check of all documents.
func (ga *Gatherer) Check(ctx context.Context, corpus string) (job.Job, error) {
	c, err := ga.store.Corpus(ctx, corpus)
	if err != nil {
		return job.Job{}, err
	}
	return ga.jobs.Add(ctx, c.ID, job.Check, "")
}

// check looks at every document that is taken in, and at what they are to each other. What one document shows by itself is
// kept for as long as it is the same, so that a check after a small change is quick.
func (ga *Gatherer) check(ctx context.Context, j store.Job, p *job.Progress) error {
	now := ga.now().UTC()
	day := now.Format("2006-01-02")
	var looks []*check.Look
	versions := map[string]string{}
	counts, err := ga.store.CountStates(ctx, j.Corpus, "")
	if err != nil {
		return err
	}
	total := counts[store.Fetched] + counts[store.Indexed] + counts[store.Unchanged]
	sources, err := ga.store.Sources(ctx, j.Corpus)
	if err != nil {
		return err
	}
	brief := map[string]bool{}
	for _, s := range sources {
		brief[s.ID] = s.Kind == store.KindPairs
	}
	for after := ""; ; {
		docs, err := ga.store.Indexable(ctx, j.Corpus, []string{store.Fetched, store.Indexed, store.Unchanged}, after, 200)
		if err != nil {
			return err
		}
		if len(docs) == 0 {
			break
		}
		after = docs[len(docs)-1].ID
		more := make([]*check.Look, len(docs))
		g, ctx := errgroup.WithContext(ctx)
		g.SetLimit(ga.index.SpareCores())
		for i, d := range docs {
			versions[d.ID] = d.Version
			g.Go(func() error {
				key := d.ID + d.Version + d.LastModified + d.LastMod + day
				if l, ok := ga.looks.Get(key); ok {
					more[i] = l
					return ctx.Err()
				}
				body, err := ga.index.Version(ctx, d.Version)
				if err != nil {
					return err
				}
				more[i] = check.At(check.Input{ID: d.ID, Address: d.Address, Source: d.Source, Changed: changedOn(d), Brief: brief[d.Source], Doc: body}, now)
				ga.looks.Add(key, more[i])
				return ctx.Err()
			})
		}
		if err := g.Wait(); err != nil {
			return err
		}
		looks = append(looks, more...)
		p.Set(ctx, len(looks), total, "checking documents")
	}
	if err := ga.store.ReplaceFindings(ctx, j.Corpus, check.Join(looks), versions); err != nil {
		return err
	}
	event.Tell(ctx, ga.events, event.Findings, j.Corpus, event.FindingsBody{Documents: len(looks)})
	return nil
}

// changedOn is when a sitemap or feed says that a document was changed. What a server says of its files is not believed:
// most give the moment at which they were copied.
func changedOn(d store.Document) string { return d.LastMod }

// Findings lists what content checks found; with a document, what they found about it.
func (ga *Gatherer) Findings(ctx context.Context, corpus, document string) ([]Finding, error) {
	c, err := ga.store.Corpus(ctx, corpus)
	if err != nil {
		return nil, err
	}
	fs, err := ga.store.Findings(ctx, c.ID, document)
	if err != nil {
		return nil, err
	}
	out := make([]Finding, len(fs))
	for i, f := range fs {
		out[i] = Finding{
			ID: f.ID, Kind: f.Kind, Severity: Severities[f.Severity], Detail: f.Detail, Dismissed: f.Dismissed, FoundAt: f.FoundAt,
			At: FoundAt{f.Document, f.Address, f.Title, f.Span(), f.Passage},
		}
		if f.OtherID != "" {
			out[i].Other = &FoundAt{f.OtherID, f.OtherAddress, f.OtherTitle, doc.Span{Start: f.OtherStart, End: f.OtherEnd}, f.OtherPassage}
		}
	}
	return out, nil
}

// Dismiss marks findings as seen to be in order, or takes that back.
func (ga *Gatherer) Dismiss(ctx context.Context, corpus string, ids []string, dismissed bool) error {
	c, err := ga.store.Corpus(ctx, corpus)
	if err != nil {
		return err
	}
	if err := ga.store.DismissFinding(ctx, c.ID, ids, dismissed); err != nil {
		return err
	}
	event.Tell(ctx, ga.events, event.Findings, c.ID, event.FindingsBody{})
	return nil
}
