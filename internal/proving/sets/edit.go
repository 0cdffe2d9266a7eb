package sets

import (
	"context"
	"errors"
	"fmt"
	"strings"

	"jolvex/core/questions"
	"jolvex/internal/event"
	"jolvex/internal/fault"
)

// Amend replaces the expectations of one question: the reply of a run was right, and the expectation wrong. Why is kept.
func (rm *Room) Amend(ctx context.Context, corpus, set string, q questions.Question, why string) (QuestionSet, error) {
	c, err := rm.store.Corpus(ctx, corpus)
	if err != nil {
		return QuestionSet{}, err
	}
	if strings.TrimSpace(why) == "" {
		return QuestionSet{}, fault.Input("say why the expectation is changed")
	}
	rm.sets.Lock()
	defer rm.sets.Unlock()
	s, err := rm.store.QuestionSet(ctx, c.ID, set)
	if err != nil {
		return QuestionSet{}, err
	}
	qs, err := rm.store.Questions(ctx, s.ID)
	if err != nil {
		return QuestionSet{}, err
	}
	for i := range qs {
		if qs[i].ID == q.ID {
			qs[i] = q
			return rm.PutQuestionsBecause(ctx, corpus, s.Name, qs, q.ID+": "+why)
		}
	}
	return QuestionSet{}, fmt.Errorf("question %s of set %s: %w", q.ID, set, fault.ErrMissing)
}

// AddQuestions puts questions at the end of a set, which is made when there is none; ids that are taken get a number.
func (rm *Room) AddQuestions(ctx context.Context, corpus, set string, more []questions.Question, why string) (QuestionSet, error) {
	c, err := rm.store.Corpus(ctx, corpus)
	if err != nil {
		return QuestionSet{}, err
	}
	rm.sets.Lock()
	defer rm.sets.Unlock()
	var qs []questions.Question
	name := set
	switch s, err := rm.store.QuestionSet(ctx, c.ID, set); {
	case errors.Is(err, fault.ErrMissing): // it is made
	case err != nil:
		return QuestionSet{}, err
	default:
		name = s.Name
		if qs, err = rm.store.Questions(ctx, s.ID); err != nil {
			return QuestionSet{}, err
		}
	}
	taken := byID(qs)
	for _, q := range more {
		id := q.ID
		for n := 2; ; n++ {
			if _, ok := taken[q.ID]; !ok && q.ID != "" {
				break
			}
			q.ID = fmt.Sprintf("%s %d", strings.TrimSpace(id), n)
		}
		taken[q.ID] = q
		qs = append(qs, q)
	}
	return rm.PutQuestionsBecause(ctx, corpus, name, qs, why)
}

// Edit is a change of some questions of a set.
type Edit struct {
	Over  string               `json:"over" doc:"The version that was read: another one is not written over"`
	Put   []questions.Question `json:"put,omitempty" nullable:"false" doc:"New questions, which go to the end, and changed ones, which stay where they are"`
	Drop  []string             `json:"drop,omitempty" nullable:"false" doc:"Ids"`
	Order []string             `json:"order,omitempty" nullable:"false" doc:"All ids in their new order, when it is another"`
}

// EditQuestions changes some questions of a set; ErrChanged, wrapped, when somebody has changed it meanwhile.
func (rm *Room) EditQuestions(ctx context.Context, corpus, set string, e Edit) (QuestionSet, error) {
	c, err := rm.store.Corpus(ctx, corpus)
	if err != nil {
		return QuestionSet{}, err
	}
	rm.sets.Lock()
	defer rm.sets.Unlock()
	s, err := rm.store.QuestionSet(ctx, c.ID, set)
	if err != nil {
		return QuestionSet{}, err
	}
	if e.Over != s.Version {
		return QuestionSet{}, fmt.Errorf("question set %s was %w: read it again before changing it", s.Name, fault.ErrChanged)
	}
	qs, err := rm.store.Questions(ctx, s.ID)
	if err != nil {
		return QuestionSet{}, err
	}
	put, drop := byID(e.Put), map[string]bool{}
	for _, id := range e.Drop {
		drop[id] = true
	}
	known := map[string]bool{}
	kept := make([]questions.Question, 0, len(qs)+len(e.Put))
	for _, q := range qs {
		known[q.ID] = true
		if drop[q.ID] {
			continue
		}
		if now, ok := put[q.ID]; ok {
			q = now
		}
		kept = append(kept, q)
	}
	for _, q := range e.Put {
		if !known[q.ID] {
			kept = append(kept, q)
		}
	}
	if len(e.Order) > 0 {
		if kept, err = inOrderOf(kept, e.Order); err != nil {
			return QuestionSet{}, err
		}
	}
	return rm.PutQuestions(ctx, corpus, s.Name, kept)
}

// inOrderOf puts questions into the order of their ids; ErrInput, wrapped, when these are not just the questions.
func inOrderOf(qs []questions.Question, ids []string) ([]questions.Question, error) {
	by := byID(qs)
	out := make([]questions.Question, 0, len(qs))
	for _, id := range ids {
		q, ok := by[id]
		if !ok {
			return nil, fault.Input("the set has no question %s, or it stands in the order twice", id)
		}
		delete(by, id)
		out = append(out, q)
	}
	if len(by) > 0 {
		return nil, fault.Input("the order leaves out %d questions", len(by))
	}
	return out, nil
}

// PutQuestions makes or replaces a set. All questions must be in order, or none goes in.
func (rm *Room) PutQuestions(ctx context.Context, corpus, name string, qs []questions.Question) (QuestionSet, error) {
	return rm.PutQuestionsBecause(ctx, corpus, name, qs, "")
}

// ReplaceQuestions replaces a set that is still the version that the caller has read; ErrChanged, wrapped, when somebody has
// changed it meanwhile. Without a version, it replaces whatever is there.
func (rm *Room) ReplaceQuestions(ctx context.Context, corpus, name, version string, qs []questions.Question) (QuestionSet, error) {
	c, err := rm.store.Corpus(ctx, corpus)
	if err != nil {
		return QuestionSet{}, err
	}
	rm.sets.Lock()
	defer rm.sets.Unlock()
	if version != "" {
		s, err := rm.store.QuestionSet(ctx, c.ID, name)
		if err != nil {
			return QuestionSet{}, err
		}
		if s.Version != version {
			return QuestionSet{}, fmt.Errorf("question set %s was %w: read it again before replacing it", s.Name, fault.ErrChanged)
		}
	}
	return rm.PutQuestions(ctx, corpus, name, qs)
}

// PutQuestionsBecause does as PutQuestions, and keeps why.
func (rm *Room) PutQuestionsBecause(ctx context.Context, corpus, name string, qs []questions.Question, why string) (QuestionSet, error) {
	c, err := rm.store.Corpus(ctx, corpus)
	if err != nil {
		return QuestionSet{}, err
	}
	if name == "" || len(name) > 120 {
		return QuestionSet{}, fault.Input("a question set needs a name of 1 to 120 characters")
	}
	if len(qs) == 0 || len(qs) > questions.MaxQuestions {
		return QuestionSet{}, fault.Input("a question set holds 1 to %d questions, not %d", questions.MaxQuestions, len(qs))
	}
	seen := map[string]bool{}
	for _, q := range qs {
		if err := q.Check(); err != nil {
			return QuestionSet{}, fault.Input("%v", err)
		}
		if seen[q.ID] {
			return QuestionSet{}, fault.Input("two questions have the id %s", q.ID)
		}
		seen[q.ID] = true
	}
	s, err := rm.store.PutQuestions(ctx, c.ID, name, qs, why)
	if err != nil {
		return QuestionSet{}, err
	}
	event.Tell(ctx, rm.events, event.Questions, c.ID, event.QuestionsBody{Set: s.ID})
	return QuestionSet{s.ID, s.Name, s.Version, s.Questions, nil}, nil
}
