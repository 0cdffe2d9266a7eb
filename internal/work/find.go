package work

import (
	"context"
	"fmt"
	"strings"
	"time"

	"jolvex/core/answer"
	"jolvex/core/doc"
	"jolvex/core/find"
	"jolvex/core/index"
	"jolvex/core/method"
	"jolvex/core/prove"
	"jolvex/core/query"
	"jolvex/core/rule"
	"jolvex/core/text"
	"jolvex/internal/store"
)

// Variant is what differs from the draft in a search that tries something out. Zero fields differ in nothing.
type Variant struct {
	Query    *query.Settings  `json:"query,omitempty" doc:"How the question is rewritten"`
	Find     *find.Settings   `json:"find,omitempty" doc:"How chunks are ranked"`
	Priority map[string]int   `json:"priority,omitempty" doc:"Of sources, by id"`
	Answer   *answer.Settings `json:"answer,omitempty" doc:"How replies are made"`
	Rules    *[]rule.Rule     `json:"rules,omitempty" doc:"House rules" maxItems:"200"`
	Glossary *[]query.Entry   `json:"glossary,omitempty" maxItems:"5000"`
	Filter   index.Filter     `json:"filter,omitzero" doc:"What may be found"`
}

// apply gives the method with the variant's settings; ErrInput, wrapped, when they are out of bounds.
func (v Variant) apply(m method.Method) (method.Method, error) {
	if v.Query != nil {
		m.Query = *v.Query
	}
	if v.Find != nil {
		m.Find = *v.Find
	}
	if v.Answer != nil {
		m.Answer = *v.Answer
	}
	if v.Rules != nil {
		m.Rules = *v.Rules
	}
	if v.Glossary != nil {
		m.Glossary = *v.Glossary
	}
	if v.Priority != nil {
		m.Priority = v.Priority
	}
	if bad := m.Validate(); len(bad) > 0 {
		return m, inputError("%s", strings.Join(bad, "; "))
	}
	if err := v.Filter.Check(); err != nil {
		return m, inputError("%v", err)
	}
	return m, nil
}

// Find ranks chunks for a question under the corpus's draft, or under something else that is tried out. Nothing is weighed, worded
// or kept: there is no reply.
func (a *App) Find(ctx context.Context, who Caller, corpus string, q query.Question, v Variant) (*Reply, error) {
	b, err := a.variantBench(ctx, who, corpus, v)
	if err != nil {
		return nil, err
	}
	if q, err = bounded(q); err != nil {
		return nil, err
	}
	began := time.Now()
	t, _, err := answer.Search(ctx, q, b, false)
	if err != nil {
		return nil, err
	}
	return a.expanded(ctx, t, millis(began))
}

// variantBench is what a question is asked on under a variant of the draft.
func (a *App) variantBench(ctx context.Context, who Caller, corpus string, v Variant) (answer.Bench, error) {
	c, err := a.store.Corpus(ctx, corpus)
	if err != nil {
		return answer.Bench{}, err
	}
	m, err := v.apply(c.Method)
	if err != nil {
		return answer.Bench{}, err
	}
	if err := checkAudience(who.Audience); err != nil {
		return answer.Bench{}, inputError("nobody may ask as %q", who.Audience)
	}
	b, err := a.bench(ctx, who, c, m)
	b.Filter = v.Filter
	return b, err
}

// Asking is one question of a batch. Without expectations its best chunk is all that is told.
type Asking struct {
	ID     string              `json:"id" maxLength:"200"`
	Text   string              `json:"question" maxLength:"4000"`
	Turns  []query.Turn        `json:"turns,omitempty" maxItems:"50" nullable:"false"`
	Expect []prove.Expectation `json:"expect,omitempty" maxItems:"50" nullable:"false"`
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
func (a *App) Place(ctx context.Context, who Caller, corpus string, qs []Asking, vs []Variant) ([]Placed, error) {
	if len(qs) == 0 || len(qs) > mostAtOnce || len(vs) == 0 || len(vs) > 4 {
		return nil, inputError("a call takes 1 to %d questions and 1 to 4 variants, not %d and %d", mostAtOnce, len(qs), len(vs))
	}
	c, err := a.store.Corpus(ctx, corpus)
	if err != nil {
		return nil, err
	}
	out := make([]Placed, len(qs))
	asked := make([]prove.Question, len(qs))
	for i, q := range qs {
		out[i] = Placed{ID: q.ID, Text: q.Text, Under: make([]Under, len(vs))}
		asked[i] = prove.Question{ID: q.ID, Text: q.Text, Turns: q.Turns, Expect: q.Expect}
	}
	for k, v := range vs {
		m, err := v.apply(c.Method)
		if err != nil {
			return nil, err
		}
		b, err := a.bench(ctx, who, c, m)
		if err != nil {
			return nil, err
		}
		b.Filter = v.Filter
		err = a.eachQuestion(ctx, asked, func(int) {}, func(i int, q prove.Question) error {
			var err error
			out[i].Under[k], err = a.place(ctx, q, b)
			return err
		})
		if err != nil {
			return nil, err
		}
	}
	return out, nil
}

func (a *App) place(ctx context.Context, q prove.Question, b answer.Bench) (Under, error) {
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
	ds, err := a.candidates(ctx, r.Ranked)
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
func (a *App) Pin(ctx context.Context, corpus string, p Pin) (prove.Question, error) {
	c, err := a.store.Corpus(ctx, corpus)
	if err != nil {
		return prove.Question{}, err
	}
	d, err := a.store.Document(ctx, p.Document)
	if err == nil && d.Corpus != c.ID {
		err = fmt.Errorf("document %s: %w", p.Document, ErrMissing)
	}
	if err != nil {
		return prove.Question{}, err
	}
	body, err := a.Version(ctx, p.Version)
	if err != nil {
		return prove.Question{}, err
	}
	if p.Passage == "" {
		p.Passage = mostTold(body, p.Span, p.Question)
	}
	if p.Passage == "" {
		return prove.Question{}, inputError("there is no text at that place")
	}
	a.sets.Lock()
	defer a.sets.Unlock()
	qs, err := a.questionsOf(ctx, c.ID, p.Set)
	if err != nil {
		return prove.Question{}, err
	}
	want := prove.Expectation{Kind: prove.Reaches, Values: []string{p.Passage}, Document: d.Address}
	at := -1
	for i, q := range qs {
		if strings.EqualFold(strings.TrimSpace(q.Text), strings.TrimSpace(p.Question)) && len(q.Turns) == len(p.Turns) {
			at = i
		}
	}
	if at < 0 {
		at = len(qs)
		qs = append(qs, prove.Question{ID: freshID(qs), Text: strings.TrimSpace(p.Question), Turns: p.Turns, Tags: []string{"pinned"}})
	}
	var kept []prove.Expectation
	for _, e := range qs[at].Expect {
		if e.Kind != prove.Reaches && e.Kind != prove.Refuses {
			kept = append(kept, e)
		}
	}
	qs[at].Expect = append(kept, want)
	_, err = a.PutQuestions(ctx, c.ID, p.Set, qs)
	return qs[at], err
}

func (a *App) questionsOf(ctx context.Context, corpus, set string) ([]prove.Question, error) {
	sets, err := a.store.QuestionSets(ctx, corpus)
	if err != nil {
		return nil, err
	}
	for _, s := range sets {
		if s.Name == set || s.ID == set {
			return a.store.Questions(ctx, s.ID)
		}
	}
	return nil, nil
}

// freshID is an id that no question of a set has.
func freshID(qs []prove.Question) string {
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

// LeftOut is a chunk that could have been a candidate and is not, for reading.
type LeftOut struct {
	answer.Left
	Address string   `json:"address"`
	Title   string   `json:"title"`
	Path    []string `json:"path" nullable:"false"`
	Text    string   `json:"text"`
}

func (a *App) leftOut(ctx context.Context, documents map[string]store.Document, ls []answer.Left) ([]LeftOut, error) {
	out := []LeftOut{}
	for _, l := range ls {
		body, err := a.Version(ctx, l.Version)
		if err != nil {
			return nil, fmt.Errorf("open what was left out: %w", err)
		}
		d, err := a.whatever(ctx, l.Document, documents)
		if err != nil {
			return nil, fmt.Errorf("open what was left out: %w", err)
		}
		out = append(out, LeftOut{l, d.Address, body.Title, pathAt(body, l.Span), body.Of(l.Span)})
	}
	return out, nil
}
