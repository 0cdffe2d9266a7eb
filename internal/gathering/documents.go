package gathering

import (
	"context"
	"time"

	"jolvex/core/doc"
	"jolvex/internal/event"
	"jolvex/internal/fault"
	"jolvex/internal/indexing"
	"jolvex/internal/job"
	"jolvex/internal/store"
)

// DocumentChange says what of a document is to be another; nil leaves it.
type DocumentChange struct {
	Audience *string   `json:"audience,omitempty" doc:"Empty for its source's"`
	Marks    *[]string `json:"marks,omitempty" nullable:"false"`
	AsSource bool      `json:"asSource,omitempty" doc:"Take audience and marks from its source again"`
}

// ChangeDocument gives a document an audience and marks of its own. It is indexed anew at once.
func (ga *Gatherer) ChangeDocument(ctx context.Context, corpus, id string, ch DocumentChange) (indexing.Document, error) {
	d, err := ga.index.DocumentOf(ctx, corpus, id)
	if err != nil {
		return indexing.Document{}, err
	}
	audience, marks := d.OwnAudience, (*string)(nil)
	if d.OwnMarks {
		marks = &d.Marks
	}
	if ch.Audience != nil {
		if audience = *ch.Audience; audience != "" {
			if err := indexing.CheckAudience(audience); err != nil {
				return indexing.Document{}, err
			}
		}
	}
	if ch.Marks != nil {
		s, err := ga.store.Source(ctx, d.Source)
		if err != nil {
			return indexing.Document{}, err
		}
		m, err := marksText(s.Kind, *ch.Marks)
		if err != nil {
			return indexing.Document{}, err
		}
		marks = &m
	}
	if ch.AsSource {
		audience, marks = "", nil
	}
	if err := ga.store.MarkDocument(ctx, d.ID, audience, marks); err != nil {
		return indexing.Document{}, err
	}
	if err := ga.takeIn(ctx, d.Corpus); err != nil {
		return indexing.Document{}, err
	}
	if d, err = ga.store.Document(ctx, d.ID); err != nil {
		return indexing.Document{}, err
	}
	v := indexing.DocumentView(d)
	event.Tell(ctx, ga.events, indexing.DocumentEvent, d.Corpus, v)
	return v, nil
}

// RemoveDocument removes a document that was handed over, with its history. It leaves the index first.
func (ga *Gatherer) RemoveDocument(ctx context.Context, corpus, id string) error {
	d, err := ga.index.DocumentOf(ctx, corpus, id)
	if err != nil {
		return err
	}
	s, err := ga.store.Source(ctx, d.Source)
	if err != nil {
		return err
	}
	if s.Kind != store.KindUpload && s.Kind != store.KindText && s.Kind != store.KindPairs {
		return fault.Input("a page or file of a source that is visited would come back: leave it out instead")
	}
	if err := ga.store.LeaveOut(ctx, []string{d.ID}, "removed"); err != nil {
		return err
	}
	if err := ga.takeIn(ctx, d.Corpus); err != nil {
		return err
	}
	if err := ga.store.DeleteDocument(ctx, d.ID); err != nil {
		return err
	}
	event.Tell(ctx, ga.events, event.Source, d.Corpus, event.SourceBody{ID: s.ID})
	return ga.checkSoon(ctx, d.Corpus)
}

// LeaveOut takes documents out of the index, or takes them in again.
func (ga *Gatherer) LeaveOut(ctx context.Context, corpus string, ids []string, out bool) error {
	c, err := ga.store.Corpus(ctx, corpus)
	if err != nil {
		return err
	}
	for _, id := range ids {
		d, err := ga.store.Document(ctx, id)
		if err != nil {
			return err
		}
		if d.Corpus != c.ID {
			return fault.ErrMissing
		}
	}
	if out {
		err = ga.store.LeaveOut(ctx, ids, "left out by hand")
	} else {
		err = ga.store.TakeBack(ctx, ids)
	}
	if err != nil {
		return err
	}
	if err := ga.takeIn(ctx, c.ID); err != nil {
		return err
	}
	if !out { // what was never fetched is fetched now
		for _, id := range ids {
			if d, err := ga.store.Document(ctx, id); err != nil {
				return err
			} else if d.State == store.Waiting {
				if _, err := ga.jobs.Add(ctx, c.ID, job.Gather, d.Source); err != nil {
					return err
				}
			}
		}
	}
	event.Tell(ctx, ga.events, event.Source, c.ID, event.SourceBody{})
	return ga.checkSoon(ctx, c.ID)
}

// Original is the file that a document was made of.
func (ga *Gatherer) Original(ctx context.Context, corpus, id string) (indexing.Document, store.Original, error) {
	d, err := ga.index.DocumentOf(ctx, corpus, id)
	if err != nil {
		return indexing.Document{}, store.Original{}, err
	}
	o, err := ga.store.Original(ctx, d.ID)
	return indexing.DocumentView(d), o, err
}

// Comparison is how one version of a document differs from another.
type Comparison struct {
	Document indexing.Document `json:"document"`
	From     indexing.Past     `json:"from"`
	To       indexing.Past     `json:"to"`
	Changes  []doc.Change      `json:"changes" nullable:"false"`
}

// Compare tells how a document changed between two of its versions. Without them, the last change.
func (ga *Gatherer) Compare(ctx context.Context, corpus, id, from, to string) (Comparison, error) {
	d, err := ga.index.DocumentOf(ctx, corpus, id)
	if err != nil {
		return Comparison{}, err
	}
	past, err := ga.store.History(ctx, d.ID)
	if err != nil {
		return Comparison{}, err
	}
	at := func(version string, otherwise int) (int, error) {
		if version == "" && otherwise < len(past) {
			return otherwise, nil
		}
		for i, p := range past {
			if p.Version == version {
				return i, nil
			}
		}
		return 0, fault.Input("the document has no such version")
	}
	j, err := at(to, 0)
	if err != nil {
		return Comparison{}, err
	}
	i, err := at(from, min(j+1, len(past)-1))
	if err != nil {
		return Comparison{}, err
	}
	x, err := ga.index.Version(ctx, past[i].Version)
	if err != nil {
		return Comparison{}, err
	}
	y, err := ga.index.Version(ctx, past[j].Version)
	if err != nil {
		return Comparison{}, err
	}
	return Comparison{indexing.DocumentView(d), indexing.Past(past[i]), indexing.Past(past[j]), doc.Compare(x, y)}, nil
}

// ChangeList is what came, changed and went in a corpus since a moment.
type ChangeList struct {
	Since   string              `json:"since"`
	Added   []indexing.Document `json:"added" nullable:"false"`
	Changed []ChangedDocument   `json:"changed" nullable:"false"`
	Gone    []indexing.Document `json:"gone" nullable:"false"`
}

// ChangedDocument is a document that has changed, with the version that it had before.
type ChangedDocument struct {
	indexing.Document
	Before string `json:"before"`
}

// Changes lists what came, changed and went since a moment (RFC 3339).
func (ga *Gatherer) Changes(ctx context.Context, corpus, since string) (ChangeList, error) {
	c, err := ga.store.Corpus(ctx, corpus)
	if err != nil {
		return ChangeList{}, err
	}
	at, err := time.Parse(time.RFC3339, since)
	if err != nil {
		return ChangeList{}, fault.Input("a moment is written as 2026-03-28T09:00:00Z, not %q", since)
	}
	out := ChangeList{store.Stamp(at), []indexing.Document{}, []ChangedDocument{}, []indexing.Document{}}
	cs, err := ga.store.ChangesSince(ctx, c.ID, out.Since)
	if err != nil {
		return ChangeList{}, err
	}
	for _, d := range cs.Added {
		out.Added = append(out.Added, indexing.DocumentView(d))
	}
	for _, d := range cs.Changed {
		out.Changed = append(out.Changed, ChangedDocument{indexing.DocumentView(d.Document), d.Before})
	}
	for _, d := range cs.Gone {
		out.Gone = append(out.Gone, indexing.DocumentView(d))
	}
	return out, nil
}
