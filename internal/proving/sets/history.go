package sets

import (
	"context"
	"fmt"
	"reflect"

	"jolvex/core/questions"
	"jolvex/internal/event"
	"jolvex/internal/fault"
	"jolvex/internal/store"
)

// SetVersion is what a question set was at some time.
type SetVersion struct {
	Version string   `json:"version"`
	At      string   `json:"at"`
	Why     string   `json:"why"`
	Count   int      `json:"count"`
	Added   []string `json:"added" nullable:"false" doc:"Ids that the version before did not have"`
	Changed []string `json:"changed" nullable:"false"`
	Dropped []string `json:"dropped" nullable:"false"`
}

// SetHistory lists what became of a question set, the newest first.
func (rm *Room) SetHistory(ctx context.Context, corpus, set string) ([]SetVersion, error) {
	vs, lists, err := rm.setVersions(ctx, corpus, set)
	if err != nil {
		return nil, err
	}
	out := make([]SetVersion, len(vs))
	for i, v := range vs {
		out[i] = SetVersion{Version: v.Version, At: v.At, Why: v.Why, Count: len(lists[i]), Added: []string{}, Changed: []string{}, Dropped: []string{}}
		if i+1 == len(vs) {
			break
		}
		before, now := byID(lists[i+1]), byID(lists[i])
		for _, q := range lists[i] {
			if old, ok := before[q.ID]; !ok {
				out[i].Added = append(out[i].Added, q.ID)
			} else if !reflect.DeepEqual(old, q) {
				out[i].Changed = append(out[i].Changed, q.ID)
			}
		}
		for _, q := range lists[i+1] {
			if _, ok := now[q.ID]; !ok {
				out[i].Dropped = append(out[i].Dropped, q.ID)
			}
		}
	}
	return out, nil
}

func byID(qs []questions.Question) map[string]questions.Question {
	m := make(map[string]questions.Question, len(qs))
	for _, q := range qs {
		m[q.ID] = q
	}
	return m
}

func (rm *Room) setVersions(ctx context.Context, corpus, set string) ([]store.SetVersion, [][]questions.Question, error) {
	c, err := rm.store.Corpus(ctx, corpus)
	if err != nil {
		return nil, nil, err
	}
	s, err := rm.store.QuestionSet(ctx, c.ID, set)
	if err != nil {
		return nil, nil, err
	}
	vs, err := rm.store.SetVersions(ctx, s.ID)
	if err != nil {
		return nil, nil, err
	}
	lists := make([][]questions.Question, 0, len(vs))
	all := 0
	for _, v := range vs {
		qs, err := rm.store.QuestionsOf(v)
		if err != nil {
			return nil, nil, err
		}
		if all += len(qs); all > mostUnpacked && len(lists) > 0 {
			break
		}
		lists = append(lists, qs)
	}
	return vs[:len(lists)], lists, nil
}

// RestoreSet brings a version of a set back; what it was in between stays in its history.
func (rm *Room) RestoreSet(ctx context.Context, corpus, set, at string) (QuestionSet, error) {
	vs, lists, err := rm.setVersions(ctx, corpus, set)
	if err != nil {
		return QuestionSet{}, err
	}
	for i, v := range vs {
		if v.At == at {
			return rm.PutQuestionsBecause(ctx, corpus, set, lists[i], "as it was at "+at)
		}
	}
	return QuestionSet{}, fmt.Errorf("question set %s at %s: %w", set, at, fault.ErrMissing)
}

// RemoveSet deletes a set with its runs and its history.
func (rm *Room) RemoveSet(ctx context.Context, corpus, set string) error {
	c, err := rm.store.Corpus(ctx, corpus)
	if err != nil {
		return err
	}
	s, err := rm.store.QuestionSet(ctx, c.ID, set)
	if err != nil {
		return err
	}
	if err := rm.store.DeleteQuestionSet(ctx, s.ID); err != nil {
		return err
	}
	event.Tell(ctx, rm.events, event.Questions, c.ID, event.QuestionsBody{Set: s.ID})
	return nil
}
