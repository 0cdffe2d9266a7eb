package trials

import (
	"context"

	"jolvex/core/answer"
	"jolvex/core/doc"
	"jolvex/core/query"
	"jolvex/core/questions"
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
func (rm *Room) Place(ctx context.Context, who asking.Caller, corpus string, qs []Asking, vs []asking.Variant) ([]Placed, error) {
	if len(qs) == 0 || len(qs) > mostAtOnce || len(vs) == 0 || len(vs) > 4 {
		return nil, fault.Input("a call takes 1 to %d questions and 1 to 4 variants, not %d and %d", mostAtOnce, len(qs), len(vs))
	}
	c, err := rm.store.Corpus(ctx, corpus)
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
		b, err := rm.asking.Bench(ctx, who, c, m)
		if err != nil {
			return nil, err
		}
		b.Filter = v.Filter
		err = rm.eachQuestion(ctx, asked, func(int) {}, func(i int, q questions.Question) error {
			var err error
			out[i].Under[k], err = rm.place(ctx, q, b)
			return err
		})
		if err != nil {
			return nil, err
		}
	}
	return out, nil
}

func (rm *Room) place(ctx context.Context, q questions.Question, b answer.Bench) (Under, error) {
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
	ds, err := rm.candidates(ctx, r.Ranked)
	if err != nil {
		return out, err
	}
	out.Rank = q.RankOf(ds)
	return out, nil
}
