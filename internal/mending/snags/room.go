// Package snags gathers what went wrong, groups it by meaning, and has it settled.
package snags

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"log/slog"
	"strings"
	"sync"
	"time"

	"jolvex/core/answer"
	"jolvex/core/diagnose"
	"jolvex/core/questions"
	"jolvex/internal/asking"
	"jolvex/internal/event"
	"jolvex/internal/fault"
	"jolvex/internal/job"
	"jolvex/internal/mending/conversations"
	"jolvex/internal/mending/settled"
	"jolvex/internal/store"
	"jolvex/internal/store/talk"
)

// Prover is what snags need of proving.
type Prover interface {
	// Look finds why a question fails under the draft.
	Look(ctx context.Context, corpus string, q questions.Question) (diagnose.Diagnosis, error)
	// Judge asks the draft a question and holds the reply against what is expected of it.
	Judge(ctx context.Context, corpus string, q questions.Question) (Judged, error)
	// AddQuestions puts questions into a set, which is made when it is not there.
	AddQuestions(ctx context.Context, corpus, set string, qs []questions.Question, why string) error
	// Apply brings a change into the draft.
	Apply(ctx context.Context, corpus string, change diagnose.Alteration, note string) error
}

// Judged is the reply of the draft to one question, held against what is expected.
type Judged struct {
	Reply   string
	Outcome answer.Outcome
	Passed  bool
}

// Room keeps the snags of all corpora.
type Room struct {
	store   *store.Store
	talk    *talk.Talk
	events  *event.Stream
	jobs    *job.Queue
	asking  *asking.Asker
	settled *settled.Room
	prover  Prover
	log     *slog.Logger
	now     func() time.Time

	settling sync.Mutex // held from the last look at a snag's version until it is settled
}

// Needs are what the room works with.
type Needs struct {
	Store   *store.Store
	Talk    *talk.Talk
	Events  *event.Stream
	Jobs    *job.Queue
	Asking  *asking.Asker
	Settled *settled.Room
	Prover  Prover
	Log     *slog.Logger
	Now     func() time.Time
}

// New makes the room and registers its job.
func New(n Needs) *Room {
	rm := &Room{store: n.Store, talk: n.Talk, events: n.Events, jobs: n.Jobs, asking: n.Asking, settled: n.Settled, prover: n.Prover, log: n.Log, now: n.Now}
	n.Jobs.Register(job.Snags, true, rm.work)
	return rm
}

// The kinds of snag: the worst that is known of it.
const (
	Unanswered = "unanswered"
	ThumbDown  = "thumb"
	Wrong      = "wrong"
	Verdict    = "verdict"
	Conflict   = "conflict"
)

// Snag is a snag as callers see it.
type Snag struct {
	ID        string              `json:"id"`
	Kind      string              `json:"kind" enum:"unanswered,thumb,wrong,verdict,conflict"`
	Title     string              `json:"title" doc:"The wording most used"`
	State     string              `json:"state" enum:"open,waiting,settled,dismissed"`
	Owner     string              `json:"owner"`
	Note      string              `json:"note"`
	Due       string              `json:"due" doc:"A day, as 2026-12-31"`
	Reason    string              `json:"reason" doc:"Why it was dismissed"`
	How       string              `json:"how" enum:"answer,source,set,change,"`
	Fact      string              `json:"fact" doc:"What a person says is true"`
	Document  string              `json:"document" doc:"Where it is to be mended"`
	Asked     int                 `json:"asked"`
	Visitors  int                 `json:"visitors" doc:"Conversations in which it was asked"`
	Refused   int                 `json:"refused" doc:"How often nothing was answered"`
	First     string              `json:"first"`
	Last      string              `json:"last"`
	Cause     string              `json:"cause" doc:"By the name of a cause; empty while it was not looked for"`
	Why       string              `json:"why"`
	Diagnosis *diagnose.Diagnosis `json:"diagnosis,omitempty"`
	Before    []Reasked           `json:"before" nullable:"false" doc:"What was said when it was settled"`
	After     []Reasked           `json:"after" nullable:"false" doc:"What is said since"`
	CreatedAt string              `json:"createdAt"`
	ChangedAt string              `json:"changedAt"`
	EndedAt   string              `json:"endedAt"`
	Version   int                 `json:"version" doc:"The one that was read: a change is refused when it is another by now"`
}

// Reasked is a question of a snag with what the draft said to it.
type Reasked struct {
	Question string `json:"question"`
	Reply    string `json:"reply"`
	Outcome  string `json:"outcome"`
	Passed   bool   `json:"passed" doc:"It says what is true; where nobody said what is, it is answered"`
}

func view(s talk.Snag) (Snag, error) {
	out := Snag{
		ID: s.ID, Kind: s.Kind, Title: s.Title, State: s.State, Owner: s.Owner, Note: s.Note, Due: s.Due, Reason: s.Reason, How: s.How, Fact: s.Fact, Document: s.Document,
		Asked: s.Asked, Visitors: s.Visitors, Refused: s.Refused, First: s.First, Last: s.Last, Before: []Reasked{}, After: []Reasked{}, CreatedAt: s.CreatedAt, ChangedAt: s.ChangedAt, EndedAt: s.EndedAt, Version: s.Version,
	}
	for _, x := range []struct {
		raw  string
		into any
	}{{s.Before, &out.Before}, {s.After, &out.After}, {s.Cause, &out.Diagnosis}} {
		if x.raw == "" {
			continue
		}
		if err := json.Unmarshal([]byte(x.raw), x.into); err != nil {
			return out, fmt.Errorf("read snag %s: %w", s.ID, err)
		}
	}
	if out.Diagnosis != nil {
		out.Cause, out.Why = string(out.Diagnosis.Cause), out.Diagnosis.Why
	}
	return out, nil
}

// List lists the snags of a corpus in a state, or of all, those most asked first.
func (rm *Room) List(ctx context.Context, corpus, state string) ([]Snag, error) {
	c, err := rm.store.Corpus(ctx, corpus)
	if err != nil {
		return nil, err
	}
	ss, err := rm.talk.Snags(ctx, c.ID, state)
	out := make([]Snag, len(ss))
	for i, s := range ss {
		v, bad := view(s)
		v.Diagnosis = nil
		out[i], err = v, errors.Join(err, bad)
	}
	return out, err
}

// OpenSnag is a snag with what was gathered in it.
type OpenSnag struct {
	Snag
	Lines []conversations.Line `json:"lines" nullable:"false" doc:"The latest hundred"`
	Items []talk.Item          `json:"items" nullable:"false"`
}

// Open reads one snag with what was gathered in it.
func (rm *Room) Open(ctx context.Context, corpus, id string) (OpenSnag, error) {
	c, s, err := rm.find(ctx, corpus, id)
	if err != nil {
		return OpenSnag{}, err
	}
	out := OpenSnag{Lines: []conversations.Line{}}
	if out.Snag, err = view(s); err != nil {
		return out, err
	}
	es, err := rm.gathered(ctx, c.ID, id)
	if err != nil {
		return out, err
	}
	for _, e := range es {
		out.Lines = append(out.Lines, conversations.LineOf(e, false, false))
	}
	out.Items, err = rm.talk.Items(ctx, id)
	return out, err
}

func (rm *Room) find(ctx context.Context, corpus, id string) (store.Corpus, talk.Snag, error) {
	c, err := rm.store.Corpus(ctx, corpus)
	if err != nil {
		return c, talk.Snag{}, err
	}
	s, err := rm.talk.Snag(ctx, c.ID, id)
	return c, s, err
}

// gathered lists the latest exchanges of a snag, of users and of people who work here.
func (rm *Room) gathered(ctx context.Context, corpus, id string) ([]talk.Exchange, error) {
	const most = 100
	out := []talk.Exchange{}
	for _, tests := range []bool{false, true} {
		es, err := rm.talk.Exchanges(ctx, corpus, talk.Filter{Snag: id, Tests: tests, Limit: most - len(out)})
		if err != nil {
			return nil, err
		}
		out = append(out, es...)
	}
	return out, nil
}

// Report is something to make a snag of: one of its fields names what.
type Report struct {
	Exchange string `json:"exchange,omitempty" doc:"An exchange of the log, or a reply of the ask strip"`
	Run      string `json:"run,omitempty" doc:"With a question: a verdict of a run"`
	Question string `json:"question,omitempty" maxLength:"4000" doc:"Of a run by its id; alone, a question in words"`
	Text     string `json:"text,omitempty" maxLength:"4000" doc:"The question of a verdict in words"`
	Finding  string `json:"finding,omitempty" doc:"A finding of the content checks: two sources that disagree"`
	Fact     string `json:"fact,omitempty" maxLength:"2000" doc:"What is true"`
	Note     string `json:"note,omitempty" maxLength:"2000"`
}

// Add makes a snag of a report, or gives the one that there is of it already.
func (rm *Room) Add(ctx context.Context, corpus string, r Report) (Snag, error) {
	c, err := rm.store.Corpus(ctx, corpus)
	if err != nil {
		return Snag{}, err
	}
	s := talk.Snag{Corpus: c.ID, Fact: strings.TrimSpace(r.Fact), Note: strings.TrimSpace(r.Note)}
	ref, exchanges := "", []string(nil)
	switch {
	case r.Exchange != "":
		e, err := rm.talk.Exchange(ctx, c.ID, r.Exchange)
		if err != nil {
			return Snag{}, err
		}
		if e.Snag != "" {
			return rm.one(ctx, c.ID, e.Snag)
		}
		if err := rm.talk.Mark(ctx, c.ID, []string{e.ID}, talk.Marking{Mark: conversations.Wrong, Note: e.Note, Reviewer: e.Reviewer}, true); err != nil {
			return Snag{}, err
		}
		s.Kind, s.Title, exchanges = Wrong, e.Asks(), []string{e.ID}
	case r.Run != "" && r.Question != "":
		s.Kind, s.Title, ref = Verdict, r.Text, "run/"+r.Run+"/"+r.Question
	case r.Finding != "":
		s.Kind, s.Title, ref = Conflict, r.Text, "finding/"+r.Finding
	case r.Question != "":
		s.Kind, s.Title, ref = Wrong, r.Question, "asked/"+r.Question
	}
	if s.Title = strings.TrimSpace(s.Title); s.Title == "" {
		return Snag{}, fault.Input("what the snag is about is not said")
	}
	if ref != "" {
		id, err := rm.talk.SnagOf(ctx, c.ID, ref)
		if err == nil {
			return rm.one(ctx, c.ID, id)
		}
		if !errors.Is(err, fault.ErrMissing) {
			return Snag{}, err
		}
	}
	if s, err = rm.talk.AddSnag(ctx, s, exchanges, ref, s.Title); err != nil {
		return Snag{}, err
	}
	rm.tell(ctx, c.ID)
	return rm.one(ctx, c.ID, s.ID)
}

func (rm *Room) one(ctx context.Context, corpus, id string) (Snag, error) {
	s, err := rm.talk.Snag(ctx, corpus, id)
	if err != nil {
		return Snag{}, err
	}
	return view(s)
}

// Change is what a person changes of a snag; fields that are nil stay.
type Change struct {
	Version int     `json:"version"`
	Title   *string `json:"title,omitempty" maxLength:"2000"`
	Owner   *string `json:"owner,omitempty" maxLength:"120"`
	Note    *string `json:"note,omitempty" maxLength:"2000"`
	Due     *string `json:"due,omitempty" maxLength:"10"`
	Fact    *string `json:"fact,omitempty" maxLength:"2000"`
	Dismiss *string `json:"dismiss,omitempty" maxLength:"500" doc:"Dismisses it, for this reason"`
	Reopen  bool    `json:"reopen,omitempty"`
}

// Change changes a snag over the version that was read.
func (rm *Room) Change(ctx context.Context, corpus, id string, x Change) (Snag, error) {
	c, s, err := rm.find(ctx, corpus, id)
	if err != nil {
		return Snag{}, err
	}
	for _, f := range []struct{ from, to *string }{{x.Title, &s.Title}, {x.Owner, &s.Owner}, {x.Note, &s.Note}, {x.Due, &s.Due}, {x.Fact, &s.Fact}} {
		if f.from != nil {
			*f.to = strings.TrimSpace(*f.from)
		}
	}
	if _, err := time.Parse(time.DateOnly, s.Due); s.Due != "" && err != nil {
		return Snag{}, fault.Input("%q is no day, as 2026-12-31", s.Due)
	}
	if s.Title == "" {
		return Snag{}, fault.Input("a snag has a question")
	}
	if x.Dismiss != nil {
		if s.Reason = strings.TrimSpace(*x.Dismiss); s.Reason == "" {
			return Snag{}, fault.Input("a snag is dismissed for a reason")
		}
		s.State = talk.Dismissed
	}
	if x.Reopen {
		s.State, s.Reason = talk.Open, ""
	}
	return rm.save(ctx, c.ID, s, x.Version)
}

// save writes a snag over the version that was read.
func (rm *Room) save(ctx context.Context, corpus string, s talk.Snag, version int) (Snag, error) {
	s.Version = version
	if _, err := rm.talk.ChangeSnag(ctx, s); err != nil {
		if errors.Is(err, talk.ErrVersion) {
			err = errors.Join(fault.ErrChanged, err)
		}
		return Snag{}, err
	}
	rm.tell(ctx, corpus)
	return rm.one(ctx, corpus, s.ID)
}

// Merge puts all that is in a snag into another one.
func (rm *Room) Merge(ctx context.Context, corpus, from, to string) (Snag, error) {
	c, s, err := rm.find(ctx, corpus, to)
	if err != nil {
		return Snag{}, err
	}
	if from == to {
		return Snag{}, fault.Input("a snag is merged with another one")
	}
	if err := rm.talk.MergeSnags(ctx, c.ID, from, s.ID); err != nil {
		return Snag{}, err
	}
	rm.tell(ctx, c.ID)
	return rm.one(ctx, c.ID, s.ID)
}

// Split takes exchanges out of their snag and makes one of their own of them.
func (rm *Room) Split(ctx context.Context, corpus string, exchanges []string) (Snag, error) {
	c, err := rm.store.Corpus(ctx, corpus)
	if err != nil {
		return Snag{}, err
	}
	if len(exchanges) == 0 {
		return Snag{}, fault.Input("nothing is taken out")
	}
	e, err := rm.talk.Exchange(ctx, c.ID, exchanges[0])
	if err != nil {
		return Snag{}, err
	}
	s, err := rm.talk.AddSnag(ctx, talk.Snag{Corpus: c.ID, Kind: kindOf(e), Title: e.Asks()}, exchanges, "", "")
	if err != nil {
		return Snag{}, err
	}
	rm.tell(ctx, c.ID)
	return rm.one(ctx, c.ID, s.ID)
}

func kindOf(e talk.Exchange) string {
	switch {
	case e.Mark == conversations.Wrong:
		return Wrong
	case e.Thumb == "down":
		return ThumbDown
	}
	return Unanswered
}

func (rm *Room) tell(ctx context.Context, corpus string) {
	event.Tell(ctx, rm.events, event.Talk, corpus, event.TalkBody{})
}
