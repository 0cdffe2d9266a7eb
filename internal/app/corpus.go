package app

import (
	"cmp"
	"context"
	"maps"
	"slices"
	"strings"

	"jolvex/core/embed"
	"jolvex/core/index"
	"jolvex/core/measure"
	"jolvex/core/text"
	"jolvex/internal/event"
	"jolvex/internal/fault"
	"jolvex/internal/gathering"
	"jolvex/internal/serving"
	"jolvex/internal/store"
	"jolvex/internal/store/talk"
)

// Corpus is a corpus with its telling figures.
type Corpus struct {
	ID        string         `json:"id"`
	Name      string         `json:"name"`
	CreatedAt string         `json:"createdAt"`
	States    map[string]int `json:"states" doc:"Documents by state"`
	Documents int            `json:"documents" doc:"Documents that can be found"`
	Failed    int            `json:"failed"`
	Found     int            `json:"found" doc:"Documents that were found and nobody has chosen yet"`
	Held      int            `json:"held" doc:"Sources whose last visit would have taken away too much: a person decides"`
	Findings  map[string]int `json:"findings" doc:"Findings of content checks that are not dismissed, by severity"`
	Chunks    int            `json:"chunks"`
	Stale     bool           `json:"stale" doc:"The index was built with other settings than the draft has"`
	Meaning   string         `json:"meaning" enum:"encoder,many,words,endpoint," doc:"What the vectors in force were made by: the sentence encoder or, until its pass is through, word vectors"`
	Unread    int            `json:"unread" doc:"Chunks that the sentence encoder, or the endpoint that the draft asks for, has not read: they are found by words, or by word vectors"`
	Sentences int            `json:"unreadSentences" doc:"Chunks whose sentences the sentence encoder has not read: replies about them are judged less finely"`
	Languages map[string]int `json:"languages" doc:"Chunks by the language of their document (ISO 639-1), where it is known"`
	Foreign   []string       `json:"foreign" nullable:"false" doc:"Languages of a good part of the chunks that the embedding of the draft is not made for, the most frequent first"`
	Bar       float64        `json:"bar"`
	LastRun   *RunFigures    `json:"lastRun,omitempty"`
	Release   *serving.Since `json:"release,omitempty" doc:"The last release, and what became of the draft since"`
	Snags     int            `json:"snags" doc:"Things to mend that are open"`
	Answered  *float64       `json:"answered,omitempty" doc:"Share of answerable questions answered in the last run"`
}

// RunFigures are the headline of a run.
type RunFigures struct {
	ID       string           `json:"id"`
	Set      string           `json:"set"`
	Pass     float64          `json:"pass"`
	Interval measure.Interval `json:"interval"`
	Hit5     *float64         `json:"hit5,omitempty" doc:"Left out where no question names a page"`
	At       string           `json:"at"`
}

// CreateCorpus makes an empty corpus.
func (a *App) CreateCorpus(ctx context.Context, name string) (Corpus, error) {
	name = strings.TrimSpace(name)
	if name == "" || len(name) > 120 || strings.ContainsAny(name, "/\\\n\r\t") {
		return Corpus{}, fault.Input("a corpus needs a name of 1 to 120 characters without slashes")
	}
	if !text.Plain(name) {
		return Corpus{}, fault.Input("the name of a corpus has no control characters and none that turn the direction of writing")
	}
	c, err := a.store.CreateCorpus(ctx, name)
	if err != nil {
		return Corpus{}, err
	}
	event.Tell(ctx, a.Events, event.Corpus, c.ID, event.CorpusBody{ID: c.ID, Name: c.Name})
	return a.figures(ctx, c)
}

// Corpora lists the corpora whose id seen says yes to.
func (a *App) Corpora(ctx context.Context, seen func(id string) bool) ([]Corpus, error) {
	cs, err := a.store.Corpora(ctx)
	if err != nil {
		return nil, err
	}
	out := []Corpus{}
	for _, c := range cs {
		if !seen(c.ID) {
			continue
		}
		one, err := a.figures(ctx, c)
		if err != nil {
			return nil, err
		}
		out = append(out, one)
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
	out.Found = out.States[store.Found]
	if out.Held, err = a.store.HeldSources(ctx, c.ID); err != nil {
		return out, err
	}
	counts, err := a.store.FindingCounts(ctx, c.ID)
	if err != nil {
		return out, err
	}
	out.Findings = map[string]int{}
	for n, name := range gathering.Severities {
		out.Findings[name] = counts[n]
	}
	snags, err := a.talk.CountSnags(ctx, c.ID)
	if err != nil {
		return out, err
	}
	out.Snags = snags[talk.Open]
	s, err := a.Indexing.Shelf(ctx, c)
	if err != nil {
		return out, err
	}
	snap := s.Snapshot.Load()
	out.Chunks, out.Languages = snap.See(index.Staff).Chunks(), snap.See(index.Staff).Languages()
	out.Foreign = foreign(out.Languages, out.Chunks, c.Method.Embed.Grade)
	switch snap.Embedder {
	case a.Indexing.Encoder().ID():
		out.Meaning = embed.GradeEncoder
	case embed.ManyID:
		out.Meaning = embed.GradeMany
	case a.Indexing.Words().ID():
		out.Meaning = embed.GradeWords
	default:
		if len(snap.Parts) > 0 {
			out.Meaning = embed.GradeEndpoint
		}
	}
	out.Unread, out.Sentences = a.Indexing.Unread(c, s)
	if out.Stale, err = a.Indexing.Stale(c, s); err != nil {
		return out, err
	}
	if out.Release, err = a.Serving.Since(ctx, c, snap.Name); err != nil {
		return out, err
	}
	runs, err := a.store.Runs(ctx, c.ID, "", 10)
	if err != nil {
		return out, err
	}
	for _, r := range runs {
		if r.Summary == nil || r.Note != "" { // what was tried says nothing of the draft
			continue
		}
		set, err := a.store.QuestionSet(ctx, c.ID, r.Set)
		if err != nil {
			return out, err
		}
		sum := r.Summary
		out.LastRun = &RunFigures{ID: r.ID, Set: set.Name, Pass: sum.Passed.Rate, Interval: sum.Passed.Interval, At: r.EndedAt}
		if sum.Ranked > 0 {
			out.LastRun.Hit5 = &sum.Hit5
		}
		answerable := sum.Questions - sum.Unjudged - sum.RightRefusals - sum.MissedRefusals
		if answerable > 0 {
			share := 1 - float64(sum.WrongRefusals)/float64(answerable)
			out.Answered = &share
		}
		break
	}
	return out, nil
}

// foreignShare is the part of the chunks from which on a language counts that the embedding is not made for.
const foreignShare = 0.05

// foreign lists the languages of a good part of the chunks that a grade of embedding is not made for: those that are built in for English know
// English alone.
func foreign(languages map[string]int, chunks int, grade string) []string {
	out := []string{}
	if grade != embed.GradeEncoder && grade != embed.GradeWords {
		return out
	}
	for _, l := range slices.SortedFunc(maps.Keys(languages), func(a, b string) int { return cmp.Or(languages[b]-languages[a], strings.Compare(a, b)) }) {
		if l != "en" && float64(languages[l]) >= foreignShare*float64(chunks) {
			out = append(out, l)
		}
	}
	return out
}
