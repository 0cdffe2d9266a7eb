package serving

import (
	"context"
	"errors"
	"slices"

	"jolvex/core/index"
	"jolvex/core/query"
	"jolvex/core/rule"
	"jolvex/internal/asking"
	"jolvex/internal/event"
	"jolvex/internal/fault"
	"jolvex/internal/store/served"
)

// maxPassed is the most bytes of a message to a person.
const maxPassed = 4000

// passOn gives a visitor's message to the person who has taken the conversation; false when nobody has.
func (sv Persons) passOn(ctx context.Context, a Admitted, m Message) (Said, bool, error) {
	h, err := sv.served.HandoverOf(ctx, a.Corpus.ID, m.Conversation)
	if errors.Is(err, fault.ErrMissing) || err == nil && h.State != served.Taken {
		return Said{}, false, nil
	}
	if err != nil {
		return Said{}, false, err
	}
	if len(m.Text) > maxPassed {
		return Said{}, false, fault.Input("a message has at most %d bytes", maxPassed)
	}
	_, err = sv.served.AddLine(ctx, served.Line{Handover: h.ID, Author: served.ByVisitor, Text: m.Text})
	if errors.Is(err, fault.ErrMissing) { // closed just now: the assistant answers again
		return Said{}, false, nil
	}
	if err != nil {
		return Said{}, false, err
	}
	event.Tell(ctx, sv.events, event.Handover, a.Corpus.ID, event.HandoverBody{ID: h.ID})
	return Said{Conversation: m.Conversation, Sentences: []Sentence{}, Sources: []Source{}, Options: []string{}, Outcome: "passedOn", Person: served.Taken}, true, nil
}

// handing is the rule and its action by which a reply hands its conversation over; false when none does. Outside staffed hours it is a rule that would
// have, once all details are told that it asks for instead.
func handing(rules []rule.Rule, s *rule.State) (rule.Rule, rule.Action, bool) {
	if s == nil {
		return rule.Rule{}, rule.Action{}, false
	}
	id := ""
	switch {
	case s.HandOver != nil:
		id = s.HandOver.Rule
	case s.Form != nil && s.Form.Done:
		id = s.Form.Rule
	}
	for _, r := range rules {
		if at := slices.IndexFunc(r.Then, func(a rule.Action) bool { return a.Kind == rule.HandOver }); r.ID == id && at >= 0 {
			return r, r.Then[at], true
		}
	}
	return rule.Rule{}, rule.Action{}, false
}

// callPerson has a conversation wait for a person where a house rule hands it over. It gives in which state it is.
func (sv Persons) callPerson(ctx context.Context, a Admitted, rules []rule.Rule, r *asking.Reply) (string, error) {
	if by, act, ok := handing(rules, r.Trail.Rules); ok && a.Surface != asking.SurfaceProgram {
		h, err := sv.served.OpenHandover(ctx, served.Handover{Corpus: a.Corpus.ID, Conversation: r.Conversation, Rule: by.Name, Team: act.Team, Purpose: act.Purpose, Who: a.Person.Name})
		if err != nil {
			return "", err
		}
		event.Tell(ctx, sv.events, event.Handover, a.Corpus.ID, event.HandoverBody{ID: h.ID})
		return h.State, nil
	}
	h, err := sv.served.HandoverOf(ctx, a.Corpus.ID, r.Conversation)
	if errors.Is(err, fault.ErrMissing) || err == nil && h.State == served.Closed {
		return "", nil
	}
	return h.State, err
}

// Call has a conversation wait for a person whom no house rule called. why is told as the rule's name would be, and what it is about as its purpose.
func (sv Persons) Call(ctx context.Context, a Admitted, conversation, why, about string) error {
	h, err := sv.served.OpenHandover(ctx, served.Handover{Corpus: a.Corpus.ID, Conversation: conversation, Rule: why, Purpose: about, Who: a.Person.Name})
	if err == nil {
		event.Tell(ctx, sv.events, event.Handover, a.Corpus.ID, event.HandoverBody{ID: h.ID})
	}
	return err
}

// News is what a person said in a conversation that was handed over.
type News struct {
	State string     `json:"state"` // waiting, taken, closed; empty when it was never handed over
	Lines []NewsLine `json:"lines"`
}

// NewsLine is what one person said.
type NewsLine struct {
	ID   int64  `json:"id"`
	Name string `json:"name"`
	Text string `json:"text"`
	At   string `json:"at"`
}

// News gives what persons said in a visitor's conversation after a line.
func (sv Persons) News(ctx context.Context, a Admitted, conversation string, after int64) (News, error) {
	out := News{Lines: []NewsLine{}}
	c, _, err := sv.talk.Conversation(ctx, a.Corpus.ID, conversation, 0, 0)
	if err != nil || c.Surface != a.Surface || c.Audience != a.audience() {
		return out, errors.Join(err, fault.ErrMissing)
	}
	h, err := sv.served.HandoverOf(ctx, a.Corpus.ID, conversation)
	if errors.Is(err, fault.ErrMissing) {
		return out, nil
	}
	if err != nil {
		return out, err
	}
	out.State = h.State
	ls, err := sv.served.Lines(ctx, h.ID, after)
	for _, l := range ls {
		if l.Author == served.ByStaff {
			out.Lines = append(out.Lines, NewsLine{l.ID, l.Name, l.Text, l.At})
		}
	}
	return out, err
}

// AskStaff answers somebody who answers others, and keeps the reply: under the release that visitors get, or the draft while there is none.
func (sv Persons) AskStaff(ctx context.Context, who asking.Caller, corpus string, q query.Question, tone string) (*asking.Reply, error) {
	c, err := sv.store.Corpus(ctx, corpus)
	if err != nil {
		return nil, err
	}
	f, err := sv.released(ctx, c)
	m, snap := c.Method, (*index.Snapshot)(nil)
	switch {
	case errors.Is(err, fault.ErrMissing):
		s, err := sv.index.Shelf(ctx, c)
		if err != nil {
			return nil, err
		}
		snap = s.Snapshot.Load()
	case err != nil:
		return nil, err
	default:
		m, who.Release = f.method, f.release
		if snap, err = sv.withheld(ctx, c.ID, f); err != nil {
			return nil, err
		}
	}
	m.Rules = nil // they are for visitors
	if tone != "" {
		m.Answer.Tone = tone
	}
	b, err := sv.asking.BenchOn(ctx, who, snap, m)
	if err != nil {
		return nil, err
	}
	return sv.asking.AskAndKeep(ctx, who, c, b, q)
}
