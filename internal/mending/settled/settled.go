// Package settled keeps settled answers: questions with an answer that a person wrote and signed off.
package settled

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"maps"
	"slices"
	"strings"
	"time"

	"jolvex/core/diagnose"
	"jolvex/core/text"
	"jolvex/internal/asking"
	"jolvex/internal/event"
	"jolvex/internal/fault"
	"jolvex/internal/indexing"
	"jolvex/internal/store"
	"jolvex/internal/store/talk"
)

// Material is what settled answers need of gathering: each wording is a document of the source of settled answers.
type Material interface {
	// PutSettled writes settled answers; one to the same question is replaced.
	PutSettled(ctx context.Context, corpus string, list ...diagnose.Settling) error
	// DropSettled leaves settled answers out, by their questions.
	DropSettled(ctx context.Context, corpus string, list ...diagnose.Settling) error
}

// Expected are the questions of all sets, which a settled answer may take over.
type Expected interface {
	// ExpectedQuestions lists the questions of all sets of a corpus, each with the name of its set.
	ExpectedQuestions(ctx context.Context, corpus string) (questions, sets []string, err error)
}

// Room keeps the settled answers of all corpora.
type Room struct {
	store    *store.Store
	talk     *talk.Talk
	events   *event.Stream
	asking   *asking.Asker
	material Material
	expected Expected
	now      func() time.Time
}

// New makes the room.
func New(s *store.Store, t *talk.Talk, e *event.Stream, a *asking.Asker, m Material, x Expected, now func() time.Time) *Room {
	return &Room{s, t, e, a, m, x, now}
}

// Answer is a settled answer as callers see it.
type Answer struct {
	ID        string   `json:"id,omitempty"`
	Question  string   `json:"question" minLength:"1" maxLength:"2000" doc:"In key words that users have too: it is what later questions are held against"`
	Answer    string   `json:"answer" minLength:"1" maxLength:"20000" doc:"Markdown"`
	Wordings  []string `json:"wordings" maxItems:"20" nullable:"false" doc:"Other ways to ask it"`
	Owner     string   `json:"owner" maxLength:"120"`
	Expires   string   `json:"expires" maxLength:"10" doc:"A day, as 2026-12-31, from which it is no longer given; empty for never"`
	State     string   `json:"state,omitempty" enum:"inForce,expired,withdrawn,"`
	Version   int      `json:"version,omitempty" doc:"The one that was read: a change is refused when it is another by now"`
	Snag      string   `json:"snag,omitempty"`
	Warning   string   `json:"warning,omitempty" doc:"What a source says now"`
	ChangedAt string   `json:"changedAt,omitempty"`
	Use       talk.Use `json:"use,omitzero"`
}

func view(s talk.SettledAnswer) Answer {
	a := Answer{s.ID, s.Question, s.Answer, []string{}, s.Owner, s.Expires, s.State, s.Version, s.Snag, s.Warning, s.ChangedAt, talk.Use{}}
	if s.Wordings != "" {
		a.Wordings = strings.Split(s.Wordings, "\n")
	}
	return a
}

// all are the questions that an answer is given to.
func (a Answer) all() []diagnose.Settling {
	out := []diagnose.Settling{{Question: a.Question, Answer: a.Answer}}
	for _, w := range a.Wordings {
		out = append(out, diagnose.Settling{Question: w, Answer: a.Answer})
	}
	return out
}

// tidy is an answer in order; ErrInput, wrapped, when it is none.
func (a Answer) tidy() (Answer, error) {
	a.Question, a.Answer = strings.Join(strings.Fields(a.Question), " "), strings.TrimSpace(a.Answer)
	if a.Question == "" || a.Answer == "" {
		return a, fault.Input("a settled answer has a question and an answer")
	}
	if !text.Plain(a.Question) {
		return a, fault.Input("the question has no control characters and none that turn the direction of writing")
	}
	seen := []string{strings.ToLower(a.Question)}
	out := []string{}
	for _, w := range a.Wordings {
		if w = strings.Join(strings.Fields(w), " "); w != "" && !slices.Contains(seen, strings.ToLower(w)) {
			seen, out = append(seen, strings.ToLower(w)), append(out, w)
		}
	}
	a.Wordings = out
	if a.Expires != "" {
		if _, err := time.Parse(time.DateOnly, a.Expires); err != nil {
			return a, fault.Input("%q is no day, as 2026-12-31", a.Expires)
		}
	}
	return a, nil
}

// List lists the settled answers of a corpus, with how often they were used.
func (rm *Room) List(ctx context.Context, corpus string) ([]Answer, error) {
	c, err := rm.store.Corpus(ctx, corpus)
	if err != nil {
		return nil, err
	}
	if err := rm.Adopt(ctx, c.ID); err != nil {
		return nil, err
	}
	ss, err := rm.talk.SettledAnswers(ctx, c.ID)
	if err != nil {
		return nil, err
	}
	documents, err := rm.documents(ctx, c.ID)
	if err != nil {
		return nil, err
	}
	out := make([]Answer, len(ss))
	for i, s := range ss {
		out[i] = view(s)
		var ids []string
		for _, x := range out[i].all() {
			if id := documents[strings.ToLower(x.Question)]; id != "" {
				ids = append(ids, id)
			}
		}
		if out[i].Use, err = rm.talk.UseOf(ctx, c.ID, ids); err != nil {
			return nil, err
		}
	}
	return out, nil
}

// Put writes a settled answer: a new one without an id, else over the version that was read. It is found once it is indexed, which a job does.
func (rm *Room) Put(ctx context.Context, corpus string, a Answer) (Answer, error) {
	a, err := a.tidy()
	if err != nil {
		return a, err
	}
	c, err := rm.store.Corpus(ctx, corpus)
	if err != nil {
		return a, err
	}
	s := talk.SettledAnswer{Corpus: c.ID, Question: a.Question, Answer: a.Answer, Wordings: strings.Join(a.Wordings, "\n"), Owner: a.Owner, Expires: a.Expires, State: talk.InForce, Snag: a.Snag}
	if s.Expires != "" && s.Expires <= rm.today() {
		s.State = talk.Expired
	}
	others, err := rm.talk.SettledAnswers(ctx, c.ID)
	if err != nil {
		return a, err
	}
	var old []diagnose.Settling
	for _, o := range others {
		if o.ID == a.ID {
			s.ID, s.Version, s.CreatedAt, s.Snag = o.ID, a.Version, o.CreatedAt, o.Snag
			old = view(o).all()
			continue
		}
		if o.State != talk.InForce {
			continue
		}
		for _, w := range view(o).all() {
			if slices.ContainsFunc(a.all(), func(x diagnose.Settling) bool { return strings.EqualFold(x.Question, w.Question) }) {
				return a, fault.Input("“%s” is answered by another settled answer already, “%s”", w.Question, o.Question)
			}
		}
	}
	if a.ID != "" && s.ID == "" {
		return a, errors.Join(fault.ErrMissing)
	}
	if s, err = rm.talk.PutSettledAnswer(ctx, s); err != nil {
		return a, changed(err)
	}
	return view(s), rm.place(ctx, s, old)
}

// place brings the documents of a settled answer up to what it says now, with what it said before.
func (rm *Room) place(ctx context.Context, s talk.SettledAnswer, old []diagnose.Settling) error {
	now := view(s).all()
	if s.State != talk.InForce {
		now, old = nil, append(old, now...)
	}
	var gone []diagnose.Settling
	for _, o := range old {
		if !slices.ContainsFunc(now, func(n diagnose.Settling) bool { return strings.EqualFold(n.Question, o.Question) }) {
			gone = append(gone, o)
		}
	}
	if err := rm.material.DropSettled(ctx, s.Corpus, gone...); err != nil {
		return err
	}
	event.Tell(ctx, rm.events, event.Talk, s.Corpus, event.TalkBody{})
	if len(now) == 0 {
		return nil
	}
	return rm.material.PutSettled(ctx, s.Corpus, now...)
}

func changed(err error) error {
	if errors.Is(err, talk.ErrVersion) {
		return errors.Join(fault.ErrChanged, err)
	}
	return err
}

// SetState withdraws a settled answer, or puts it into force again.
func (rm *Room) SetState(ctx context.Context, corpus, id string, version int, state string) (Answer, error) {
	c, err := rm.store.Corpus(ctx, corpus)
	if err != nil {
		return Answer{}, err
	}
	s, err := rm.talk.SettledAnswer(ctx, c.ID, id)
	if err != nil {
		return Answer{}, err
	}
	if state == talk.InForce && s.Expires != "" && s.Expires <= rm.today() {
		return Answer{}, fault.Input("it expired on %s: give it another day first", s.Expires)
	}
	s.State, s.Version = state, version
	if s, err = rm.talk.PutSettledAnswer(ctx, s); err != nil {
		return Answer{}, changed(err)
	}
	return view(s), rm.place(ctx, s, nil)
}

// History lists what a settled answer was, the latest first.
func (rm *Room) History(ctx context.Context, corpus, id string) ([]talk.SettledVersion, error) {
	c, err := rm.store.Corpus(ctx, corpus)
	if err != nil {
		return nil, err
	}
	if _, err := rm.talk.SettledAnswer(ctx, c.ID, id); err != nil {
		return nil, err
	}
	return rm.talk.SettledVersions(ctx, id)
}

func (rm *Room) today() string { return rm.now().Format(time.DateOnly) }

// Expire takes settled answers out of force whose day has come.
func (rm *Room) Expire(ctx context.Context, corpus string) error {
	ss, err := rm.talk.SettledAnswers(ctx, corpus)
	if err != nil {
		return err
	}
	for _, s := range ss {
		if s.State != talk.InForce || s.Expires == "" || s.Expires > rm.today() {
			continue
		}
		s.State = talk.Expired
		if s, err = rm.talk.PutSettledAnswer(ctx, s); err != nil {
			return err
		}
		if err := rm.place(ctx, s, nil); err != nil {
			return err
		}
	}
	return nil
}

// Adopt takes up what stands in the source of settled answers and was not written here: proposed by a diagnosis, or imported.
func (rm *Room) Adopt(ctx context.Context, corpus string) error {
	ss, err := rm.talk.SettledAnswers(ctx, corpus)
	if err != nil {
		return err
	}
	known := map[string]bool{}
	for _, s := range ss {
		for _, x := range view(s).all() {
			known[strings.ToLower(x.Question)] = true
		}
	}
	documents, err := rm.documents(ctx, corpus)
	if err != nil {
		return err
	}
	for _, question := range slices.Sorted(maps.Keys(documents)) {
		if known[question] {
			continue
		}
		o, err := rm.store.Original(ctx, documents[question])
		if err != nil {
			return fmt.Errorf("take up the settled answer to “%s”: %w", question, err)
		}
		var p struct{ Question, Answer string }
		if err := json.Unmarshal(o.Body, &p); err != nil {
			return fmt.Errorf("take up the settled answer to “%s”: %w", question, err)
		}
		if _, err := rm.talk.PutSettledAnswer(ctx, talk.SettledAnswer{Corpus: corpus, Question: p.Question, Answer: p.Answer, State: talk.InForce}); err != nil {
			return err
		}
	}
	return nil
}

// documents are the documents of the source of settled answers, by their questions in small letters.
func (rm *Room) documents(ctx context.Context, corpus string) (map[string]string, error) {
	out := map[string]string{}
	ss, err := rm.store.Sources(ctx, corpus)
	if err != nil {
		return nil, err
	}
	for _, s := range ss {
		if s.Kind != store.KindPairs || s.Address != indexing.SettledSource {
			continue
		}
		ds, err := rm.store.Pages(ctx, s.ID)
		if err != nil {
			return nil, err
		}
		for _, d := range ds {
			if d.State != store.LeftOut { // withdrawn, or a wording that was taken away
				out[strings.ToLower(d.Address)] = d.ID
			}
		}
	}
	return out, nil
}
