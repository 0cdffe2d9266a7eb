package work

import (
	"context"
	"errors"
	"time"

	"jolvex/core/doc"
	"jolvex/internal/store"
)

// Document is a document as callers see it, without its text.
type Document struct {
	ID        string   `json:"id"`
	Source    string   `json:"source"`
	Address   string   `json:"address"`
	Title     string   `json:"title"`
	State     string   `json:"state" enum:"waiting,found,fetched,indexed,unchanged,left out,failed"`
	Reason    string   `json:"reason"`
	Status    int      `json:"status" doc:"HTTP status, 0 when none came"`
	Words     int      `json:"words"`
	Version   string   `json:"version"`
	FoundOn   string   `json:"foundOn"`
	ChangedAt string   `json:"changedAt"`
	MediaType string   `json:"mediaType"`
	Media     string   `json:"media" doc:"The clip that it is a transcript of; empty for none"`
	Choice    string   `json:"choice" enum:"in,out,open" doc:"Whether it is to be taken in; open: nobody has chosen yet"`
	Clutter   []string `json:"clutter" doc:"What it looks like that seldom answers a question" nullable:"false"`
	Audience  string   `json:"audience" doc:"Its own, else its source's"`
	Marks     []string `json:"marks" doc:"Its own, else its source's" nullable:"false"`
	Own       bool     `json:"own" doc:"It has an audience or marks of its own"`
}

func documentView(d store.Document) Document {
	state := d.State
	if state == store.Fetched && d.Choice == store.Undecided {
		state = store.Found
	}
	choice := d.Choice
	if choice == "" {
		choice = store.Taken
	}
	return Document{
		d.ID, d.Source, d.Address, d.Title, state, d.Reason, d.Status, d.Words, d.Version, d.FoundOn, d.ChangedAt, d.MediaType, d.Media, choice, clutterOf(d),
		d.Audience, marksOf(d.Marks), d.OwnAudience != "" || d.OwnMarks,
	}
}

// Documents lists documents of a corpus by address.
func (a *App) Documents(ctx context.Context, corpus string, f store.Filter) ([]Document, int, error) {
	c, err := a.store.Corpus(ctx, corpus)
	if err != nil {
		return nil, 0, err
	}
	ds, total, err := a.store.Documents(ctx, c.ID, f)
	if err != nil {
		return nil, 0, err
	}
	out := make([]Document, len(ds))
	for i, d := range ds {
		out[i] = documentView(d)
	}
	return out, total, nil
}

// OpenDocument is a document with its canonical text and its cuts.
type OpenDocument struct {
	Document
	Description string   `json:"description"`
	Text        string   `json:"text"`
	Blocks      []Block  `json:"blocks" nullable:"false"`
	Notes       []string `json:"notes" nullable:"false"`
	History     []Past   `json:"history" doc:"Its versions, the newest first" nullable:"false"`
	Original    bool     `json:"original" doc:"The file itself is kept"`
	Language    string   `json:"language" doc:"BCP 47, when the original declares one"`
	Digest      Digest   `json:"digest"`
}

// Digest is what was understood of a document, in figures.
type Digest struct {
	Headings int     `json:"headings"`
	Tables   int     `json:"tables"`
	Rows     int     `json:"rows" doc:"Rows of all tables"`
	Items    int     `json:"items" doc:"Items of lists"`
	Pages    int     `json:"pages" doc:"The last page that a block stands on; 0 when it has no pages"`
	Seconds  float64 `json:"seconds" doc:"The end of the last caption; 0 for none"`
	Hidden   int     `json:"hidden" doc:"Passages that the page hides from readers; they are not taken in"`
}

func digest(d *doc.Document) Digest {
	out := Digest{Hidden: len(d.Hidden)}
	for _, b := range d.Blocks {
		out.Pages, out.Seconds = max(out.Pages, b.Place.Page), max(out.Seconds, b.Place.To)
		switch b.Kind {
		case doc.Heading:
			out.Headings++
		case doc.Item:
			out.Items++
		case doc.Table:
			out.Tables++
			out.Rows += len(b.Grid.Rows)
		}
	}
	return out
}

// Past is one version that a document has had.
type Past struct {
	Version   string `json:"version"`
	FetchedAt string `json:"fetchedAt"`
}

// Block is a block of an opened document with the heading path above it.
type Block struct {
	doc.Block
	Path []string `json:"path" nullable:"false"`
}

// OpenDocument opens a document in its current version, or in the one given.
func (a *App) OpenDocument(ctx context.Context, corpus, id, version string) (OpenDocument, error) {
	d, err := a.documentOf(ctx, corpus, id)
	if err != nil {
		return OpenDocument{}, err
	}
	out := OpenDocument{Document: documentView(d), Blocks: []Block{}, Notes: []string{}, History: []Past{}}
	past, err := a.store.History(ctx, d.ID)
	if err != nil {
		return out, err
	}
	for _, p := range past {
		out.History = append(out.History, Past{p.Version, p.FetchedAt})
	}
	if out.Original, err = a.store.HasOriginal(ctx, d.ID); err != nil {
		return out, err
	}
	if version == "" && d.Version == "" && len(past) > 0 {
		version = past[0].Version // what it was before it went
	}
	if version == "" {
		version = d.Version
	}
	if version == "" {
		return out, nil
	}
	body, err := a.Version(ctx, version)
	if err != nil {
		return out, err
	}
	out.Version, out.Description, out.Text = version, body.Description, body.Text
	out.Notes = append(out.Notes, body.Notes...)
	out.Language, out.Digest = body.Language, digest(body)
	for i, b := range body.Blocks {
		path := body.Path(i)
		if path == nil {
			path = []string{}
		}
		out.Blocks = append(out.Blocks, Block{b, path})
	}
	return out, nil
}

func (a *App) documentOf(ctx context.Context, corpus, id string) (store.Document, error) {
	c, err := a.store.Corpus(ctx, corpus)
	if err != nil {
		return store.Document{}, err
	}
	d, err := a.store.Document(ctx, id)
	if err == nil && d.Corpus != c.ID {
		err = errors.Join(ErrMissing)
	}
	return d, err
}

// DocumentChange says what of a document is to be another; nil leaves it.
type DocumentChange struct {
	Audience *string   `json:"audience,omitempty" doc:"Empty for its source's"`
	Marks    *[]string `json:"marks,omitempty" nullable:"false"`
	AsSource bool      `json:"asSource,omitempty" doc:"Take audience and marks from its source again"`
}

// ChangeDocument gives a document an audience and marks of its own. It is indexed anew at once.
func (a *App) ChangeDocument(ctx context.Context, corpus, id string, ch DocumentChange) (Document, error) {
	d, err := a.documentOf(ctx, corpus, id)
	if err != nil {
		return Document{}, err
	}
	audience, marks := d.OwnAudience, (*string)(nil)
	if d.OwnMarks {
		marks = &d.Marks
	}
	if ch.Audience != nil {
		if audience = *ch.Audience; audience != "" {
			if err := checkAudience(audience); err != nil {
				return Document{}, err
			}
		}
	}
	if ch.Marks != nil {
		s, err := a.store.Source(ctx, d.Source)
		if err != nil {
			return Document{}, err
		}
		m, err := marksText(s.Kind, *ch.Marks)
		if err != nil {
			return Document{}, err
		}
		marks = &m
	}
	if ch.AsSource {
		audience, marks = "", nil
	}
	if err := a.store.MarkDocument(ctx, d.ID, audience, marks); err != nil {
		return Document{}, err
	}
	if err := a.takeIn(ctx, d.Corpus); err != nil {
		return Document{}, err
	}
	if d, err = a.store.Document(ctx, d.ID); err != nil {
		return Document{}, err
	}
	v := documentView(d)
	a.tell(ctx, event(d.Corpus, "document", v))
	return v, nil
}

// RemoveDocument removes a document that was handed over, with its history. It leaves the index first.
func (a *App) RemoveDocument(ctx context.Context, corpus, id string) error {
	d, err := a.documentOf(ctx, corpus, id)
	if err != nil {
		return err
	}
	s, err := a.store.Source(ctx, d.Source)
	if err != nil {
		return err
	}
	if s.Kind != store.KindUpload && s.Kind != store.KindText && s.Kind != store.KindPairs {
		return inputError("a page or file of a source that is visited would come back: leave it out instead")
	}
	if err := a.store.LeaveOut(ctx, []string{d.ID}, "removed"); err != nil {
		return err
	}
	if err := a.takeIn(ctx, d.Corpus); err != nil {
		return err
	}
	if err := a.store.DeleteDocument(ctx, d.ID); err != nil {
		return err
	}
	a.tell(ctx, event(d.Corpus, "source", map[string]string{"id": s.ID}))
	return a.checkSoon(ctx, d.Corpus)
}

// LeaveOut takes documents out of the index, or takes them in again.
func (a *App) LeaveOut(ctx context.Context, corpus string, ids []string, out bool) error {
	c, err := a.store.Corpus(ctx, corpus)
	if err != nil {
		return err
	}
	for _, id := range ids {
		d, err := a.store.Document(ctx, id)
		if err != nil {
			return err
		}
		if d.Corpus != c.ID {
			return ErrMissing
		}
	}
	if out {
		err = a.store.LeaveOut(ctx, ids, "left out by hand")
	} else {
		err = a.store.TakeBack(ctx, ids)
	}
	if err != nil {
		return err
	}
	if err := a.takeIn(ctx, c.ID); err != nil {
		return err
	}
	if !out { // what was never fetched is fetched now
		for _, id := range ids {
			if d, err := a.store.Document(ctx, id); err != nil {
				return err
			} else if d.State == store.Waiting {
				if _, err := a.queue(ctx, c.ID, JobGather, d.Source); err != nil {
					return err
				}
			}
		}
	}
	a.tell(ctx, event(c.ID, "source", map[string]string{}))
	return a.checkSoon(ctx, c.ID)
}

// Original is the file that a document was made of.
func (a *App) Original(ctx context.Context, corpus, id string) (Document, store.Original, error) {
	d, err := a.documentOf(ctx, corpus, id)
	if err != nil {
		return Document{}, store.Original{}, err
	}
	o, err := a.store.Original(ctx, d.ID)
	return documentView(d), o, err
}

// Comparison is how one version of a document differs from another.
type Comparison struct {
	Document Document     `json:"document"`
	From     Past         `json:"from"`
	To       Past         `json:"to"`
	Changes  []doc.Change `json:"changes" nullable:"false"`
}

// Compare tells how a document changed between two of its versions. Without them, the last change.
func (a *App) Compare(ctx context.Context, corpus, id, from, to string) (Comparison, error) {
	d, err := a.documentOf(ctx, corpus, id)
	if err != nil {
		return Comparison{}, err
	}
	past, err := a.store.History(ctx, d.ID)
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
		return 0, inputError("the document has no such version")
	}
	j, err := at(to, 0)
	if err != nil {
		return Comparison{}, err
	}
	i, err := at(from, min(j+1, len(past)-1))
	if err != nil {
		return Comparison{}, err
	}
	x, err := a.Version(ctx, past[i].Version)
	if err != nil {
		return Comparison{}, err
	}
	y, err := a.Version(ctx, past[j].Version)
	if err != nil {
		return Comparison{}, err
	}
	return Comparison{documentView(d), Past(past[i]), Past(past[j]), doc.Compare(x, y)}, nil
}

// ChangeList is what came, changed and went in a corpus since a moment.
type ChangeList struct {
	Since   string            `json:"since"`
	Added   []Document        `json:"added" nullable:"false"`
	Changed []ChangedDocument `json:"changed" nullable:"false"`
	Gone    []Document        `json:"gone" nullable:"false"`
}

// ChangedDocument is a document that has changed, with the version that it had before.
type ChangedDocument struct {
	Document
	Before string `json:"before"`
}

// Changes lists what came, changed and went since a moment (RFC 3339).
func (a *App) Changes(ctx context.Context, corpus, since string) (ChangeList, error) {
	c, err := a.store.Corpus(ctx, corpus)
	if err != nil {
		return ChangeList{}, err
	}
	at, err := time.Parse(time.RFC3339, since)
	if err != nil {
		return ChangeList{}, inputError("a moment is written as 2026-03-28T09:00:00Z, not %q", since)
	}
	out := ChangeList{store.Stamp(at), []Document{}, []ChangedDocument{}, []Document{}}
	cs, err := a.store.ChangesSince(ctx, c.ID, out.Since)
	if err != nil {
		return ChangeList{}, err
	}
	for _, d := range cs.Added {
		out.Added = append(out.Added, documentView(d))
	}
	for _, d := range cs.Changed {
		out.Changed = append(out.Changed, ChangedDocument{documentView(d.Document), d.Before})
	}
	for _, d := range cs.Gone {
		out.Gone = append(out.Gone, documentView(d))
	}
	return out, nil
}
