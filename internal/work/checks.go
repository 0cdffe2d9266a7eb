package work

import (
	"context"

	"golang.org/x/sync/errgroup"

	"jolvex/core/check"
	"jolvex/core/doc"
	"jolvex/internal/store"
)

// severities in words, by number.
var severities = map[int]string{int(check.Low): "low", int(check.Medium): "medium", int(check.High): "high"}

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
func (a *App) checkSoon(ctx context.Context, corpus string) error {
	_, err := a.queue(ctx, corpus, JobCheck, "")
	return err
}

// Check queues a check of all documents.
func (a *App) Check(ctx context.Context, corpus string) (Job, error) {
	c, err := a.store.Corpus(ctx, corpus)
	if err != nil {
		return Job{}, err
	}
	return a.queue(ctx, c.ID, JobCheck, "")
}

// check looks at every document that is taken in, and at what they are to each other. What one document shows by itself is
// kept for as long as it is the same, so that a check after a small change is quick.
func (a *App) check(ctx context.Context, j store.Job, p *progress) error {
	now := a.now().UTC()
	day := now.Format("2006-01-02")
	var looks []*check.Look
	versions := map[string]string{}
	counts, err := a.store.CountStates(ctx, j.Corpus, "")
	if err != nil {
		return err
	}
	total := counts[store.Fetched] + counts[store.Indexed] + counts[store.Unchanged]
	sources, err := a.store.Sources(ctx, j.Corpus)
	if err != nil {
		return err
	}
	brief := map[string]bool{}
	for _, s := range sources {
		brief[s.ID] = s.Kind == store.KindPairs
	}
	for after := ""; ; {
		docs, err := a.store.Indexable(ctx, j.Corpus, []string{store.Fetched, store.Indexed, store.Unchanged}, after, 200)
		if err != nil {
			return err
		}
		if len(docs) == 0 {
			break
		}
		after = docs[len(docs)-1].ID
		more := make([]*check.Look, len(docs))
		g, ctx := errgroup.WithContext(ctx)
		g.SetLimit(a.spareCores())
		for i, d := range docs {
			versions[d.ID] = d.Version
			g.Go(func() error {
				key := d.ID + d.Version + d.LastModified + d.LastMod + day
				if l, ok := a.looks.Get(key); ok {
					more[i] = l
					return ctx.Err()
				}
				body, err := a.Version(ctx, d.Version)
				if err != nil {
					return err
				}
				more[i] = check.At(check.Input{ID: d.ID, Address: d.Address, Source: d.Source, Changed: changedOn(d), Brief: brief[d.Source], Doc: body}, now)
				a.looks.Add(key, more[i])
				return ctx.Err()
			})
		}
		if err := g.Wait(); err != nil {
			return err
		}
		looks = append(looks, more...)
		p.set(ctx, len(looks), total, "checking documents")
	}
	if err := a.store.ReplaceFindings(ctx, j.Corpus, check.Join(looks), versions); err != nil {
		return err
	}
	a.tell(ctx, event(j.Corpus, "findings", map[string]int{"documents": len(looks)}))
	return nil
}

// changedOn is when a sitemap or feed says that a document was changed. What a server says of its files is not believed:
// most give the moment at which they were copied.
func changedOn(d store.Document) string { return d.LastMod }

// Findings lists what content checks found; with a document, what they found about it.
func (a *App) Findings(ctx context.Context, corpus, document string) ([]Finding, error) {
	c, err := a.store.Corpus(ctx, corpus)
	if err != nil {
		return nil, err
	}
	fs, err := a.store.Findings(ctx, c.ID, document)
	if err != nil {
		return nil, err
	}
	out := make([]Finding, len(fs))
	for i, f := range fs {
		out[i] = Finding{
			ID: f.ID, Kind: f.Kind, Severity: severities[f.Severity], Detail: f.Detail, Dismissed: f.Dismissed, FoundAt: f.FoundAt,
			At: FoundAt{f.Document, f.Address, f.Title, f.Span(), f.Passage},
		}
		if f.OtherID != "" {
			out[i].Other = &FoundAt{f.OtherID, f.OtherAddress, f.OtherTitle, doc.Span{Start: f.OtherStart, End: f.OtherEnd}, f.OtherPassage}
		}
	}
	return out, nil
}

// Dismiss marks findings as seen to be in order, or takes that back.
func (a *App) Dismiss(ctx context.Context, corpus string, ids []string, dismissed bool) error {
	c, err := a.store.Corpus(ctx, corpus)
	if err != nil {
		return err
	}
	if err := a.store.DismissFinding(ctx, c.ID, ids, dismissed); err != nil {
		return err
	}
	a.tell(ctx, event(c.ID, "findings", map[string]int{}))
	return nil
}
