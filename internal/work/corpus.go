package work

import (
	"context"
	"errors"
	"strings"

	"jolvex/core/doc"
	"jolvex/core/embed"
	"jolvex/core/index"
	"jolvex/core/measure"
	"jolvex/internal/store"
)

// Corpus is a corpus with its telling figures.
type Corpus struct {
	ID        string         `json:"id"`
	Name      string         `json:"name"`
	CreatedAt string         `json:"createdAt"`
	States    map[string]int `json:"states" doc:"Documents by state"`
	Documents int            `json:"documents" doc:"Documents that can be found"`
	Failed    int            `json:"failed"`
	Chunks    int            `json:"chunks"`
	Stale     bool           `json:"stale" doc:"The index was built with other settings than the draft has"`
	Meaning   string         `json:"meaning" enum:"encoder,words," doc:"What the vectors in force were made by: the sentence encoder or, until its pass is through, word vectors"`
	Bar       float64        `json:"bar"`
	LastRun   *RunFigures    `json:"lastRun,omitempty"`
	Answered  *float64       `json:"answered,omitempty" doc:"Share of answerable questions answered in the last run"`
}

// RunFigures are the headline of a run.
type RunFigures struct {
	ID       string           `json:"id"`
	Set      string           `json:"set"`
	Pass     float64          `json:"pass"`
	Interval measure.Interval `json:"interval"`
	Hit5     float64          `json:"hit5"`
	At       string           `json:"at"`
}

// CreateCorpus makes an empty corpus.
func (a *App) CreateCorpus(ctx context.Context, name string) (Corpus, error) {
	name = strings.TrimSpace(name)
	if name == "" || len(name) > 120 || strings.ContainsAny(name, "/\\\n\r\t") {
		return Corpus{}, inputError("a corpus needs a name of 1 to 120 characters without slashes")
	}
	c, err := a.store.CreateCorpus(ctx, name)
	if err != nil {
		return Corpus{}, err
	}
	a.tell(ctx, event(c.ID, "corpus", map[string]string{"id": c.ID, "name": c.Name}))
	return a.figures(ctx, c)
}

// Corpora lists all corpora.
func (a *App) Corpora(ctx context.Context) ([]Corpus, error) {
	cs, err := a.store.Corpora(ctx)
	if err != nil {
		return nil, err
	}
	out := make([]Corpus, len(cs))
	for i, c := range cs {
		if out[i], err = a.figures(ctx, c); err != nil {
			return nil, err
		}
	}
	return out, nil
}

// Corpus gives one corpus by id or name.
func (a *App) Corpus(ctx context.Context, idOrName string) (Corpus, error) {
	c, err := a.store.Corpus(ctx, idOrName)
	if err != nil {
		return Corpus{}, err
	}
	return a.figures(ctx, c)
}

func (a *App) figures(ctx context.Context, c store.Corpus) (Corpus, error) {
	out := Corpus{ID: c.ID, Name: c.Name, CreatedAt: c.CreatedAt, Bar: c.Method.Answer.Bar}
	var err error
	if out.States, err = a.store.CountStates(ctx, c.ID, ""); err != nil {
		return out, err
	}
	out.Documents, out.Failed = out.States[store.Indexed]+out.States[store.Unchanged], out.States[store.Failed]
	s, err := a.shelf(ctx, c)
	if err != nil {
		return out, err
	}
	snap := s.snapshot.Load()
	out.Chunks = snap.See(index.Staff).Chunks()
	switch snap.Embedder {
	case a.encoder.ID():
		out.Meaning = embed.GradeEncoder
	case a.words.ID():
		out.Meaning = embed.GradeWords
	}
	st, err := c.Method.Stages(a.target(c.Method).ID())
	if err != nil {
		return out, err
	}
	if built, _ := s.stage.Load().(string); built != "" && built != st.Index {
		out.Stale = true
	}
	runs, err := a.store.Runs(ctx, c.ID, "", 5)
	if err != nil {
		return out, err
	}
	for _, r := range runs {
		if r.Summary == nil {
			continue
		}
		set, err := a.store.QuestionSet(ctx, c.ID, r.Set)
		if err != nil {
			return out, err
		}
		sum := r.Summary
		out.LastRun = &RunFigures{r.ID, set.Name, sum.Passed.Rate, sum.Passed.Interval, sum.Hit5, r.EndedAt}
		answerable := sum.Questions - sum.Unjudged - sum.RightRefusals - sum.MissedRefusals
		if answerable > 0 {
			share := 1 - float64(sum.WrongRefusals)/float64(answerable)
			out.Answered = &share
		}
		break
	}
	return out, nil
}

// Document is a document as callers see it, without its text.
type Document struct {
	ID        string `json:"id"`
	Source    string `json:"source"`
	Address   string `json:"address"`
	Title     string `json:"title"`
	State     string `json:"state" enum:"waiting,fetched,indexed,unchanged,left out,failed"`
	Reason    string `json:"reason"`
	Status    int    `json:"status" doc:"HTTP status, 0 when none came"`
	Words     int    `json:"words"`
	Version   string `json:"version"`
	FoundOn   string `json:"foundOn"`
	ChangedAt string `json:"changedAt"`
}

func documentView(d store.Document) Document {
	return Document{d.ID, d.Source, d.Address, d.Title, d.State, d.Reason, d.Status, d.Words, d.Version, d.FoundOn, d.ChangedAt}
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
	out := OpenDocument{Document: documentView(d), Blocks: []Block{}, Notes: []string{}}
	if version == "" {
		version = d.Version
	}
	if version == "" {
		return out, nil
	}
	body, err := a.Version(version)
	if err != nil {
		return out, err
	}
	out.Version, out.Description, out.Text = version, body.Description, body.Text
	out.Notes = append(out.Notes, body.Notes...)
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
