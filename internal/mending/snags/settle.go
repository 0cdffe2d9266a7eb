package snags

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"slices"
	"strings"

	"jolvex/core/answer"
	"jolvex/core/diagnose"
	"jolvex/core/query"
	"jolvex/core/questions"
	"jolvex/internal/fault"
	"jolvex/internal/job"
	"jolvex/internal/mending/settled"
	"jolvex/internal/store"
	"jolvex/internal/store/talk"
)

// The ways to settle a snag.
const (
	ByAnswer = "answer" // a settled answer
	BySource = "source" // to be mended at the source
	BySet    = "set"    // as an expected question
	ByChange = "change" // of a rule, the glossary, a setting, or what is gathered
)

// Settlement says how a snag is settled.
type Settlement struct {
	Version  int                  `json:"version"`
	How      string               `json:"how" enum:"answer,source,set,change"`
	Answer   *settled.Answer      `json:"answer,omitempty" doc:"The settled answer to write"`
	Document string               `json:"document,omitempty" doc:"The document that is to be mended, by id"`
	Set      string               `json:"set,omitempty" maxLength:"120" doc:"The question set that its questions go into"`
	Change   *diagnose.Alteration `json:"change,omitempty" doc:"The change of the draft"`
	Note     string               `json:"note,omitempty" maxLength:"300"`
}

// How many different questions of a snag are asked again: fewer where a model words replies, which costs money.
const (
	mostReasked      = 12
	mostReaskedModel = 3
)

// Settle settles a snag. Where the draft changes by it, its questions are asked again when that is done, by a job: what was said before and what is
// said after stand in the snag, which is open again when it is not cured.
func (rm *Room) Settle(ctx context.Context, corpus, id string, x Settlement) (Snag, error) {
	c, s, err := rm.find(ctx, corpus, id)
	if err != nil {
		return Snag{}, err
	}
	if s.Version != x.Version {
		return Snag{}, fmt.Errorf("snag %s: %w: %w", id, fault.ErrChanged, talk.ErrVersion)
	}
	if x.Answer != nil && s.Fact == "" {
		s.Fact = x.Answer.Answer
	}
	before, err := rm.ask(ctx, c, s)
	if err != nil {
		return Snag{}, err
	}
	if s.Before, err = packed(before); err != nil {
		return Snag{}, err
	}
	rm.settling.Lock() // two who settle it at the same moment: the second is told before anything is done
	defer rm.settling.Unlock()
	if _, now, err := rm.find(ctx, corpus, id); err != nil || now.Version != x.Version {
		return Snag{}, errors.Join(err, fmt.Errorf("snag %s: %w: %w", id, fault.ErrChanged, talk.ErrVersion))
	}
	s.How, s.After, s.State = x.How, "", talk.Settled
	if note := strings.TrimSpace(x.Note); note != "" {
		s.Note = note
	}
	again := true
	switch {
	case x.How == ByAnswer && x.Answer != nil:
		a := *x.Answer
		a.Snag = s.ID
		_, err = rm.settled.Put(ctx, c.ID, a)
	case x.How == BySource && x.Document != "":
		var d store.Document
		if d, err = rm.store.Document(ctx, x.Document); err == nil && d.Corpus != c.ID {
			err = fmt.Errorf("document %s: %w", x.Document, fault.ErrMissing)
		}
		s.Document, s.Seen, s.State, again = x.Document, d.Version, talk.Waiting, false
	case x.How == BySet && x.Set != "":
		err, again = rm.intoSet(ctx, c, s, x.Set), false
	case x.How == ByChange && x.Change != nil:
		note := "settles “" + s.Title + "”"
		err = rm.prover.Apply(ctx, c.ID, *x.Change, note[:min(len(note), 290)])
	default:
		err = fault.Input("how it is settled is not said in full")
	}
	if err != nil {
		return Snag{}, err
	}
	out, err := rm.save(ctx, c.ID, s, x.Version)
	if err != nil || !again {
		return out, err
	}
	_, err = rm.jobs.Add(ctx, c.ID, job.Snags, s.ID) // after the one that brings the change into the index
	return out, err
}

func packed(rs []Reasked) (string, error) {
	raw, err := json.Marshal(rs)
	return string(raw), err
}

// intoSet puts the snag's wordings into a question set, expecting what is true.
func (rm *Room) intoSet(ctx context.Context, c store.Corpus, s talk.Snag, set string) error {
	if s.Fact == "" {
		return fault.Input("say what is true first: that is what will be expected")
	}
	var qs []questions.Question
	texts, err := rm.wordings(ctx, c.ID, s)
	if err != nil {
		return err
	}
	for i, t := range texts {
		qs = append(qs, questions.Question{ID: fmt.Sprintf("snag-%d", i+1), Text: t, Group: "snag-" + s.ID[:8], Tags: []string{"asked"}, Expect: questions.Holding(s.Fact)})
	}
	return rm.prover.AddQuestions(ctx, c.ID, set, qs, "from the snag “"+s.Title+"”")
}

// wordings are the different questions of a snag, its title first.
func (rm *Room) wordings(ctx context.Context, corpus string, s talk.Snag) ([]string, error) {
	es, err := rm.gathered(ctx, corpus, s.ID)
	if err != nil {
		return nil, err
	}
	out, seen := []string{}, map[string]bool{}
	add := func(t string) {
		key := strings.ToLower(strings.Join(strings.Fields(t), " "))
		if !seen[key] && len(out) < mostReasked && len(t) <= 4000 {
			seen[key] = true
			out = append(out, t)
		}
	}
	add(s.Title)
	for _, e := range es {
		add(e.Asks())
	}
	return out, nil
}

// ask asks the draft the questions of a snag.
func (rm *Room) ask(ctx context.Context, c store.Corpus, s talk.Snag) ([]Reasked, error) {
	texts, err := rm.wordings(ctx, c.ID, s)
	if err != nil {
		return nil, err
	}
	if c.Method.Answer.Composer == answer.ByModel || c.Method.Query.Model {
		texts = texts[:min(len(texts), mostReaskedModel)]
	}
	out := []Reasked{}
	for _, t := range texts {
		q := questions.Question{ID: "asked", Text: t}
		if s.Fact != "" {
			q.Expect = questions.Holding(s.Fact)
		}
		j, err := rm.prover.Judge(ctx, c.ID, q)
		if err != nil {
			return nil, err
		}
		passed := j.Passed
		if s.Fact == "" {
			passed = j.Outcome != answer.Refused
		}
		out = append(out, Reasked{t, j.Reply, string(j.Outcome), passed})
	}
	return out, nil
}

// reask asks the questions of a settled snag again. When none of them gets what is true, it is open again.
func (rm *Room) reask(ctx context.Context, corpus, id string) error {
	c, s, err := rm.find(ctx, corpus, id)
	if errors.Is(err, fault.ErrMissing) { // merged into another one meanwhile
		return nil
	}
	if err != nil {
		return err
	}
	after, err := rm.ask(ctx, c, s)
	if err != nil {
		return err
	}
	raw, err := packed(after)
	if err != nil {
		return err
	}
	for try := 0; ; try++ {
		s.After = raw
		if s.State == talk.Settled && !slices.ContainsFunc(after, func(r Reasked) bool { return r.Passed }) {
			s.State = talk.Open
		}
		_, err = rm.save(ctx, c.ID, s, s.Version)
		if !errors.Is(err, fault.ErrChanged) || try == 3 {
			return err
		}
		if _, s, err = rm.find(ctx, corpus, id); err != nil { // somebody noted something meanwhile
			return err
		}
	}
}

// recheck asks the questions of snags again whose source has changed since: they are settled, or come back.
func (rm *Room) recheck(ctx context.Context, corpus string) error {
	c, err := rm.store.Corpus(ctx, corpus)
	if err != nil {
		return err
	}
	ss, err := rm.talk.Snags(ctx, c.ID, talk.Waiting)
	if err != nil {
		return err
	}
	for _, s := range ss {
		d, err := rm.asking.DocumentOrStandIn(ctx, s.Document, map[string]store.Document{})
		if err != nil {
			return err
		}
		if d.Version == s.Seen {
			continue
		}
		after, err := rm.ask(ctx, c, s)
		if err != nil {
			return err
		}
		if s.After, err = packed(after); err != nil {
			return err
		}
		s.Seen, s.State = d.Version, talk.Open
		if !slices.ContainsFunc(after, func(r Reasked) bool { return !r.Passed }) {
			s.State = talk.Settled
		}
		if _, err := rm.save(ctx, c.ID, s, s.Version); err != nil {
			return err
		}
	}
	return nil
}

// Look finds the likely cause of a snag: by what a person says is true, where somebody did, else by an answer being wanted at all.
func (rm *Room) Look(ctx context.Context, corpus, id string) (Snag, error) {
	c, s, err := rm.find(ctx, corpus, id)
	if err != nil {
		return Snag{}, err
	}
	if s.Fact == "" {
		return Snag{}, fault.Input("say what is true first: the cause is found by looking for it in what was gathered")
	}
	d, err := rm.prover.Look(ctx, c.ID, questions.Question{ID: "asked", Text: s.Title, Expect: questions.Holding(s.Fact)})
	if err != nil {
		return Snag{}, err
	}
	raw, err := json.Marshal(d)
	if err != nil {
		return Snag{}, err
	}
	s.Cause = string(raw)
	return rm.save(ctx, c.ID, s, s.Version)
}

// Expecting is an exchange that becomes an expected question.
type Expecting struct {
	Set  string `json:"set" minLength:"1" maxLength:"120"`
	Fact string `json:"fact,omitempty" maxLength:"2000" doc:"What is true; empty when it is to be refused"`
	Cite bool   `json:"cite,omitempty" doc:"The page that the reply cited is the right one"`
}

// Expect puts an exchange into a question set, with what was said before it: a person says what is true.
func (rm *Room) Expect(ctx context.Context, corpus, exchange string, x Expecting) error {
	c, err := rm.store.Corpus(ctx, corpus)
	if err != nil {
		return err
	}
	e, err := rm.talk.Exchange(ctx, c.ID, exchange)
	if err != nil {
		return err
	}
	q := questions.Question{ID: "asked", Text: e.Question, Tags: []string{"asked"}}
	if x.Fact = strings.TrimSpace(x.Fact); x.Fact != "" {
		q.Expect = questions.Holding(x.Fact)
	}
	if cited, _, _ := strings.Cut(e.Cited, "\n"); x.Cite && cited != "" {
		d, err := rm.asking.DocumentOrStandIn(ctx, cited, map[string]store.Document{})
		if err != nil {
			return err
		}
		q.Expect = append(q.Expect, questions.Expectation{Kind: questions.Cites, Values: []string{d.Address}})
	}
	if len(q.Expect) == 0 {
		q.Expect = []questions.Expectation{{Kind: questions.Refuses}}
	}
	if e.Place > 0 {
		_, before, err := rm.talk.Conversation(ctx, c.ID, e.Conversation, max(0, e.Place-5), min(5, e.Place))
		if err != nil {
			return err
		}
		for _, b := range before {
			q.Turns = append(q.Turns, query.Turn{Role: "user", Text: b.Question}, query.Turn{Role: "assistant", Text: b.Said})
		}
	}
	return rm.prover.AddQuestions(ctx, c.ID, x.Set, []questions.Question{q}, "from a conversation")
}
