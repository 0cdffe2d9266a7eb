package asking

import (
	"context"
	"fmt"
	"strings"
	"time"

	"jolvex/core/answer"
	"jolvex/core/find"
	"jolvex/core/index"
	"jolvex/core/method"
	"jolvex/core/query"
	"jolvex/core/rule"
	"jolvex/internal/fault"
	"jolvex/internal/indexing"
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

// Apply gives the method with the variant's settings; ErrInput, wrapped, when they are out of bounds.
func (v Variant) Apply(m method.Method) (method.Method, error) {
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
		return m, fault.Input("%s", strings.Join(bad, "; "))
	}
	if err := v.Filter.Check(); err != nil {
		return m, fault.Input("%v", err)
	}
	return m, nil
}

// Find ranks chunks for a question under the corpus's draft, or under something else that is tried out. Nothing is weighed, worded
// or kept: there is no reply.
func (as *Asker) Find(ctx context.Context, who Caller, corpus string, q query.Question, v Variant) (*Reply, error) {
	b, err := as.variantBench(ctx, who, corpus, v)
	if err != nil {
		return nil, err
	}
	return as.SearchOn(ctx, b, q)
}

// SearchOn ranks chunks for a question on a bench. Nothing is weighed, worded or kept.
func (as *Asker) SearchOn(ctx context.Context, b answer.Bench, q query.Question) (*Reply, error) {
	q, err := bounded(q)
	if err != nil {
		return nil, err
	}
	began := time.Now()
	t, _, err := answer.Search(ctx, q, b, false)
	if err != nil {
		return nil, err
	}
	return as.expanded(ctx, t, millis(began))
}

// variantBench is what a question is asked on under a variant of the draft.
func (as *Asker) variantBench(ctx context.Context, who Caller, corpus string, v Variant) (answer.Bench, error) {
	c, err := as.store.Corpus(ctx, corpus)
	if err != nil {
		return answer.Bench{}, err
	}
	m, err := v.Apply(c.Method)
	if err != nil {
		return answer.Bench{}, err
	}
	if err := indexing.CheckAudience(who.Audience); err != nil {
		return answer.Bench{}, fault.Input("nobody may ask as %q", who.Audience)
	}
	b, err := as.Bench(ctx, who, c, m)
	b.Filter = v.Filter
	return b, err
}

// LeftOut is a chunk that could have been a candidate and is not, for reading.
type LeftOut struct {
	answer.Left
	Address string   `json:"address"`
	Title   string   `json:"title"`
	Path    []string `json:"path" nullable:"false"`
	Text    string   `json:"text"`
}

func (as *Asker) leftOut(ctx context.Context, documents map[string]store.Document, ls []answer.Left) ([]LeftOut, error) {
	out := []LeftOut{}
	for _, l := range ls {
		body, err := as.index.Version(ctx, l.Version)
		if err != nil {
			return nil, fmt.Errorf("open what was left out: %w", err)
		}
		d, err := as.DocumentOrStandIn(ctx, l.Document, documents)
		if err != nil {
			return nil, fmt.Errorf("open what was left out: %w", err)
		}
		out = append(out, LeftOut{l, d.Address, body.Title, body.PathAt(l.Span), body.Of(l.Span)})
	}
	return out, nil
}
