package answer

import (
	"context"
	"fmt"
	"strings"

	"jolvex/core/find"
	"jolvex/core/query"
	"jolvex/core/text"
)

// plan is one way to deal with a message: what was understood and found, what comes of it, and what would be said of it in
// sentences of the evidence. Several may be made of one message - with the conversation and without it, whole and side by
// side -; one is picked, and that one alone is worded.
type plan struct {
	*Trail
	passages []*passage // that the wording may draw on, best first; their indexes are those of the trail's candidates
	able     bool       // they carry an answer, so that a model may word it
	compared bool       // a table was compared as a whole
	words    int        // how long the reply may be
	// What is said before and after the wording, whoever words it: courtesies, and what has no answer.
	before, after []Sentence
}

// best is the support of the best passage that was found.
func (t *Trail) best() float64 {
	out := 0.0
	for _, c := range t.Candidates {
		out = max(out, c.Support)
	}
	return out
}

// Best is the support of the best passage that was found for a message, or for the best of its parts: where the evidence bar would
// have to lie for the message to be refused. It is at least that of what is said.
func (t *Trail) Best() float64 { return t.best() }

// said is the support of what some sentences say: that of the best passage among those that they are taken from, or, where
// nothing is taken from any, of the best that was found.
func (t *Trail) said(reply []Sentence) float64 {
	out, any := 0.0, false
	for _, s := range reply {
		if s.Candidate >= 0 {
			out, any = max(out, t.Candidates[s.Candidate].Support), true
		}
	}
	if !any {
		return t.best()
	}
	return out
}

// planAll deals with a message: part by part when it asks several things, side by side when it compares two.
func (a *asking) planAll(ctx context.Context, q query.Question) (*plan, error) {
	if a.Query.Split {
		message := q.Text
		if a.Query.Commands {
			message, _ = query.WithoutCommands(message)
		}
		if said, parts := query.Split(message); len(parts) > 1 {
			return a.planParts(ctx, q, said, parts)
		}
	}
	if a.Answer.Lists {
		if names, questions, ok := query.Alternatives(q.Text); ok {
			return a.planSides(ctx, q, names, questions)
		}
	}
	return a.planOne(ctx, q, a.Answer, alone)
}

// leaning tells how much a question leans on what was said before it.
type leaning float64

const (
	alone  leaning = -changed // a message of its own: it has changed the subject when by itself it is answered nearly as well
	joined leaning = changed  // one of several in a message: only when by itself it is answered better
)

// changed is how much less support a question by itself may have than together with the conversation.
const changed = 0.05

// planOne plans the reply to one question. One that says little, without pointing back at the conversation, is also planned by
// itself: of the two plans that one is picked that has more support.
func (a *asking) planOne(ctx context.Context, q query.Question, s Settings, lean leaning) (*plan, error) {
	p, err := a.planOnce(ctx, q, s, a.Query)
	if err != nil {
		return p, err
	}
	if !p.Reading.Guessed {
		return a.withBefore(ctx, q, s, p)
	}
	passes := a.Query
	passes.Model = false // what a model words is paid for once
	bare, err := a.planOnce(ctx, query.Question{Text: q.Text}, s, passes)
	if err != nil || bare.Outcome != Answered {
		return p, err
	}
	if bare.best() < p.best()+float64(lean) {
		if on, err := a.speaksOf(ctx, p.Trail, bare.Reading.Terms); on || err != nil {
			return p, err
		}
	}
	bare.Turns = q.Turns
	bare.Timings = append(p.Timings, bare.Timings...)
	bare.Why += "; it stands alone: what was said before lends it no more support"
	return bare, nil
}

// short is the number of words from which on a question says enough to stand alone, whatever was said before it.
const short = 5

// withBefore plans a short question once more together with the one before it, where the conversation was not taken over: no form of words
// tells every follow-up. The other plan is picked when it has clearly more support, or when the question by itself is refused.
func (a *asking) withBefore(ctx context.Context, q query.Question, s Settings, p *plan) (*plan, error) {
	before := ""
	for _, t := range q.Turns {
		if t.Role == "user" {
			before = t.Text
		}
	}
	if !a.Query.FollowUp || before == "" || p.Reading.Context != "" || p.Reading.Kind != query.Ask || len(text.Content(q.Text)) >= short {
		return p, nil
	}
	passes := a.Query
	passes.Model = false // what a model words is paid for once
	both, err := a.planOnce(ctx, query.Question{Text: strings.TrimRight(q.Text, " ?.!") + " " + before}, s, passes)
	if err != nil || both.Outcome != Answered {
		return p, err
	}
	if p.Outcome == Answered && both.best() < p.best()+2*changed {
		return p, nil
	}
	if on, err := a.speaksOf(ctx, both.Trail, p.Reading.Terms); !on || err != nil {
		return p, err // only the question before it is answered
	}
	both.Question, both.Turns = q.Text, q.Turns
	both.Reading.Context = before
	both.Timings = append(p.Timings, both.Timings...)
	both.Why += "; it was put together with the question before it"
	return both, nil
}

// speaksOf reports whether a passage that a reply stands on holds one of some terms.
func (a *asking) speaksOf(ctx context.Context, t *Trail, terms []query.Term) (bool, error) {
	for _, s := range t.Reply {
		if s.Candidate < 0 {
			continue
		}
		d, err := a.Texts.Version(ctx, s.Version)
		if err != nil {
			return false, fmt.Errorf("open a passage of the reply: %w", err)
		}
		has := text.Stems(append(pathOf(d, s.Span), d.Title, d.Of(t.Candidates[s.Candidate].Evidence()))...)
		for _, x := range terms {
			if has[x.Stem] {
				return true, nil
			}
		}
	}
	return false, nil
}

// planOnce understands a question in one way, retrieves for it, judges what was found and plans a reply.
func (a *asking) planOnce(ctx context.Context, q query.Question, s Settings, passes query.Settings) (*plan, error) {
	one := *a
	one.Query, one.Answer, one.own = passes, s, s
	p := &plan{Trail: a.trail(q), words: s.Words}
	t := p.Trail
	lap := a.laps(t)
	one.understand(ctx, t, q)
	s = one.Answer // in the language of the question
	lap("read")
	if own := courtesy(t.Reading.Kind, s); own != "" {
		t.Outcome, t.Why = Courteous, "a courtesy, not a question: "+string(t.Reading.Kind)
		t.Reply = inOwnWords(own)
		return p, nil
	}
	if t.Reading.Kind == query.Command {
		refuse(t, s, "it orders the assistant about and asks nothing that sources could answer")
		return p, nil
	}
	ranking, passages, err := one.retrieve(ctx, t.Reading, false)
	if err != nil {
		return nil, err
	}
	t.found(ranking, passages)
	lap("search")
	terms, err := one.judge(ctx, t, ranking.Ranked, passages)
	if err != nil {
		return nil, err
	}
	lap("weigh")
	done, err := one.executed(ctx, p, ranking.Further)
	if err != nil {
		return nil, err
	}
	lap("records")
	if !done {
		one.pick(p, passages, terms)
	}
	lap("compose")
	return p, nil
}

// judge gives every passage its support.
func (a *asking) judge(ctx context.Context, t *Trail, ranked []find.Ranked, passages []*passage) ([]asked, error) {
	terms := weigh(t.Reading, a.Bench)
	if err := judge(ctx, t.Reading, ranked, passages, terms, a.Bench); err != nil {
		return nil, err
	}
	t.weighed(passages)
	return terms, nil
}

// pick decides between answering, asking back and refusing, and on which evidence.
func (a *asking) pick(p *plan, passages []*passage, terms []asked) {
	t := p.Trail
	switch best := t.best(); {
	case t.Reading.Kind == query.Empty:
		refuse(t, a.Answer, "nothing was asked")
	case len(passages) == 0:
		refuse(t, a.Answer, "nothing in the corpus resembles the question")
	case best < a.Answer.Bar:
		refuse(t, a.Answer, fmt.Sprintf("the best evidence has a support of %.2f, below the bar of %.2f", best, a.Answer.Bar))
		t.nearBy(passages, a.Answer)
	default:
		p.passages, p.able = passages, true
		say(t, passages, terms, a.Bench)
	}
}
