package proving

import (
	"context"
	"fmt"
	"strings"

	"jolvex/core/answer"
	"jolvex/core/doc"
	"jolvex/core/find"
	"jolvex/core/query"
	"jolvex/core/questions"
	"jolvex/core/text"
	"jolvex/internal/asking"
	"jolvex/internal/fault"
)

// Asking is one question of a batch. Without expectations its best chunk is all that is told.
type Asking struct {
	ID     string                  `json:"id" maxLength:"200"`
	Text   string                  `json:"question" maxLength:"4000"`
	Turns  []query.Turn            `json:"turns,omitempty" maxItems:"50" nullable:"false"`
	Expect []questions.Expectation `json:"expect,omitempty" maxItems:"50" nullable:"false"`
}

// Placed is how a question fares under each of the variants asked for.
type Placed struct {
	ID    string  `json:"id"`
	Text  string  `json:"question"`
	Under []Under `json:"under" nullable:"false" doc:"In the order of the variants"`
}

// Under is how a question fares under one variant.
type Under struct {
	Rank     int      `json:"rank" doc:"Of the expected candidate: 0 when it is not among the first twenty, -1 when none is expected"`
	Document string   `json:"document" doc:"Of the best chunk; empty when there is none"`
	Title    string   `json:"title"`
	Path     []string `json:"path" nullable:"false"`
	Span     doc.Span `json:"span"`
	Version  string   `json:"version"`
}

// mostAtOnce is how many questions of a batch are asked in one call: callers ask the rest in further calls, and can stop
// between them.
const mostAtOnce = 50

// Place ranks several questions under several variants.
func (pv *Prover) Place(ctx context.Context, who asking.Caller, corpus string, qs []Asking, vs []asking.Variant) ([]Placed, error) {
	if len(qs) == 0 || len(qs) > mostAtOnce || len(vs) == 0 || len(vs) > 4 {
		return nil, fault.Input("a call takes 1 to %d questions and 1 to 4 variants, not %d and %d", mostAtOnce, len(qs), len(vs))
	}
	c, err := pv.store.Corpus(ctx, corpus)
	if err != nil {
		return nil, err
	}
	out := make([]Placed, len(qs))
	asked := make([]questions.Question, len(qs))
	for i, q := range qs {
		out[i] = Placed{ID: q.ID, Text: q.Text, Under: make([]Under, len(vs))}
		asked[i] = questions.Question{ID: q.ID, Text: q.Text, Turns: q.Turns, Expect: q.Expect}
	}
	for k, v := range vs {
		m, err := v.Apply(c.Method)
		if err != nil {
			return nil, err
		}
		b, err := pv.asking.Bench(ctx, who, c, m)
		if err != nil {
			return nil, err
		}
		b.Filter = v.Filter
		err = pv.eachQuestion(ctx, asked, func(int) {}, func(i int, q questions.Question) error {
			var err error
			out[i].Under[k], err = pv.place(ctx, q, b)
			return err
		})
		if err != nil {
			return nil, err
		}
	}
	return out, nil
}

func (pv *Prover) place(ctx context.Context, q questions.Question, b answer.Bench) (Under, error) {
	out := Under{Rank: -1, Path: []string{}}
	_, r, err := answer.Search(ctx, query.Question{Text: q.Text, Turns: q.Turns}, b, false)
	if err != nil {
		return out, err
	}
	if len(r.Ranked) > 0 {
		e := r.Ranked[0].Entry
		out.Document, out.Title, out.Span, out.Version = e.Document, e.Title, e.Span, e.Version
		out.Path = append(out.Path, e.Path...)
	}
	ds, err := pv.candidates(ctx, r.Ranked)
	if err != nil {
		return out, err
	}
	out.Rank = q.RankOf(ds)
	return out, nil
}

// Pin is a candidate that somebody says is the one for a question.
type Pin struct {
	Set      string       `json:"set" minLength:"1" maxLength:"120" doc:"Name of the question set; made when missing"`
	Question string       `json:"question" minLength:"1" maxLength:"4000"`
	Turns    []query.Turn `json:"turns,omitempty" maxItems:"50" nullable:"false"`
	Document string       `json:"document"`
	Version  string       `json:"version"`
	Span     doc.Span     `json:"span"`
	Passage  string       `json:"passage,omitempty" maxLength:"2000" doc:"The words that matter; the sentence nearest to the question when not given"`
}

// Pin makes an expectation of a candidate: from now on the search should reach this passage for this question. A question
// that the set holds already gets the passage in place of the one it had.
func (pv *Prover) Pin(ctx context.Context, corpus string, p Pin) (questions.Question, error) {
	c, err := pv.store.Corpus(ctx, corpus)
	if err != nil {
		return questions.Question{}, err
	}
	d, err := pv.store.Document(ctx, p.Document)
	if err == nil && d.Corpus != c.ID {
		err = fmt.Errorf("document %s: %w", p.Document, fault.ErrMissing)
	}
	if err != nil {
		return questions.Question{}, err
	}
	if err := pv.store.HasVersion(ctx, d.ID, p.Version); err != nil {
		return questions.Question{}, err
	}
	body, err := pv.index.Version(ctx, p.Version)
	if err != nil {
		return questions.Question{}, err
	}
	if p.Passage == "" {
		p.Passage = mostTold(body, p.Span, p.Question)
	}
	if p.Passage == "" {
		return questions.Question{}, fault.Input("there is no text at that place")
	}
	pv.sets.Lock()
	defer pv.sets.Unlock()
	qs, err := pv.questionsOf(ctx, c.ID, p.Set)
	if err != nil {
		return questions.Question{}, err
	}
	want := questions.Expectation{Kind: questions.Reaches, Values: []string{p.Passage}, Document: d.Address}
	at := -1
	for i, q := range qs {
		if strings.EqualFold(strings.TrimSpace(q.Text), strings.TrimSpace(p.Question)) && len(q.Turns) == len(p.Turns) {
			at = i
		}
	}
	if at < 0 {
		at = len(qs)
		qs = append(qs, questions.Question{ID: freshID(qs), Text: strings.TrimSpace(p.Question), Turns: p.Turns, Tags: []string{"pinned"}})
	}
	var kept []questions.Expectation
	for _, e := range qs[at].Expect {
		if e.Kind != questions.Reaches && e.Kind != questions.Refuses {
			kept = append(kept, e)
		}
	}
	qs[at].Expect = append(kept, want)
	_, err = pv.PutQuestions(ctx, c.ID, p.Set, qs)
	return qs[at], err
}

func (pv *Prover) questionsOf(ctx context.Context, corpus, set string) ([]questions.Question, error) {
	sets, err := pv.store.QuestionSets(ctx, corpus)
	if err != nil {
		return nil, err
	}
	for _, s := range sets {
		if s.Name == set || s.ID == set {
			return pv.store.Questions(ctx, s.ID)
		}
	}
	return nil, nil
}

// freshID is an id that no question of a set has.
func freshID(qs []questions.Question) string {
	taken := map[string]bool{}
	for _, q := range qs {
		taken[q.ID] = true
	}
	for n := len(qs) + 1; ; n++ {
		if id := fmt.Sprintf("p%d", n); !taken[id] {
			return id
		}
	}
}

// mostTold is the piece of a span that has most words in common with a question; the first one when none has any.
func mostTold(d *doc.Document, s doc.Span, question string) string {
	asked := map[string]bool{}
	for _, w := range text.Content(question) {
		asked[w.Stem] = true
	}
	best, most := "", -1
	for _, p := range find.Pieces(d, s) {
		n := 0
		seen := map[string]bool{}
		said := d.Of(p.Span)
		for _, w := range text.Content(said) {
			if asked[w.Stem] && !seen[w.Stem] {
				seen[w.Stem] = true
				n++
			}
		}
		if n > most && strings.TrimSpace(said) != "" {
			best, most = said, n
		}
	}
	return best
}
