package indexing

import (
	"context"
	"errors"

	"jolvex/core/doc"
	"jolvex/internal/fault"
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

func DocumentView(d store.Document) Document {
	state := d.State
	if state == store.Fetched && d.Choice == store.Undecided {
		state = store.Found
	}
	choice := d.Choice
	if choice == "" {
		choice = store.Taken
	}
	return Document{
		d.ID, d.Source, d.Address, d.Title, state, d.Reason, d.Status, d.Words, d.Version, d.FoundOn, d.ChangedAt, d.MediaType, d.Media, choice, ClutterOf(d),
		d.Audience, MarksOf(d.Marks), d.OwnAudience != "" || d.OwnMarks,
	}
}

// Documents lists documents of a corpus by address.
func (ix *Indexer) Documents(ctx context.Context, corpus string, f store.Filter) ([]Document, int, error) {
	c, err := ix.store.Corpus(ctx, corpus)
	if err != nil {
		return nil, 0, err
	}
	ds, total, err := ix.store.Documents(ctx, c.ID, f)
	if err != nil {
		return nil, 0, err
	}
	out := make([]Document, len(ds))
	for i, d := range ds {
		out[i] = DocumentView(d)
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
	Pictures int     `json:"pictures" doc:"Captions and alternative texts of pictures: they can be found, and are never said"`
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
		case doc.Picture:
			out.Pictures++
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
func (ix *Indexer) OpenDocument(ctx context.Context, corpus, id, version string) (OpenDocument, error) {
	d, err := ix.DocumentOf(ctx, corpus, id)
	if err != nil {
		return OpenDocument{}, err
	}
	out := OpenDocument{Document: DocumentView(d), Blocks: []Block{}, Notes: []string{}, History: []Past{}}
	past, err := ix.store.History(ctx, d.ID)
	if err != nil {
		return out, err
	}
	for _, p := range past {
		out.History = append(out.History, Past{p.Version, p.FetchedAt})
	}
	if out.Original, err = ix.store.HasOriginal(ctx, d.ID); err != nil {
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
	if err := ix.store.HasVersion(ctx, d.ID, version); err != nil {
		return out, err
	}
	body, err := ix.Version(ctx, version)
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

func (ix *Indexer) DocumentOf(ctx context.Context, corpus, id string) (store.Document, error) {
	c, err := ix.store.Corpus(ctx, corpus)
	if err != nil {
		return store.Document{}, err
	}
	d, err := ix.store.Document(ctx, id)
	if err == nil && d.Corpus != c.ID {
		err = errors.Join(fault.ErrMissing)
	}
	return d, err
}
