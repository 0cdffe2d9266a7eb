package sets

import (
	"context"

	"jolvex/core/questions"
	"jolvex/internal/store"
)

// mostUnpacked is how many questions the versions of a set that are looked at together hold at most: of a set of 100,000 its last three.
const mostUnpacked = 3 * questions.MaxQuestions

// The forms in which a set or a run is written.
const (
	FormJSONL = "jsonl"
	FormCSV   = "csv"
	FormQrels = "qrels"
	FormBEIR  = "beir"
	FormSquad = "squad"
)

// QuestionSet is a question set as callers see it.
type QuestionSet struct {
	ID        string               `json:"id"`
	Name      string               `json:"name"`
	Version   string               `json:"version"`
	Count     int                  `json:"count"`
	Questions []questions.Question `json:"questions,omitempty" nullable:"false"`
}

// QuestionSets lists a corpus's sets.
func (rm *Room) QuestionSets(ctx context.Context, corpus string) ([]QuestionSet, error) {
	c, err := rm.store.Corpus(ctx, corpus)
	if err != nil {
		return nil, err
	}
	ss, err := rm.store.QuestionSets(ctx, c.ID)
	if err != nil {
		return nil, err
	}
	out := make([]QuestionSet, len(ss))
	for i, s := range ss {
		out[i] = QuestionSet{ID: s.ID, Name: s.Name, Version: s.Version, Count: s.Questions}
	}
	return out, nil
}

// QuestionSet reads one set with its questions.
func (rm *Room) QuestionSet(ctx context.Context, corpus, set string) (QuestionSet, error) {
	c, err := rm.store.Corpus(ctx, corpus)
	if err != nil {
		return QuestionSet{}, err
	}
	s, err := rm.store.QuestionSet(ctx, c.ID, set)
	if err != nil {
		return QuestionSet{}, err
	}
	qs, err := rm.store.Questions(ctx, s.ID)
	return QuestionSet{s.ID, s.Name, s.Version, s.Questions, qs}, err
}

// QuestionPage reads one page of a set: so many questions from a place on. A limit of 0 is for all of them.
func (rm *Room) QuestionPage(ctx context.Context, corpus, set string, from, limit int) (QuestionSet, error) {
	if limit == 0 {
		limit = -1
	}
	c, err := rm.store.Corpus(ctx, corpus)
	if err != nil {
		return QuestionSet{}, err
	}
	s, err := rm.store.QuestionSet(ctx, c.ID, set)
	if err != nil {
		return QuestionSet{}, err
	}
	qs, err := rm.store.QuestionPage(ctx, s.ID, from, limit)
	return QuestionSet{s.ID, s.Name, s.Version, s.Questions, qs}, err
}

func (rm *Room) CorpusAndSet(ctx context.Context, corpus, set string) (store.Corpus, store.QuestionSet, error) {
	c, err := rm.store.Corpus(ctx, corpus)
	if err != nil {
		return c, store.QuestionSet{}, err
	}
	s, err := rm.store.QuestionSet(ctx, c.ID, set)
	return c, s, err
}

func (rm *Room) QuestionsIn(ctx context.Context, corpus, set string) ([]questions.Question, error) {
	s, err := rm.store.QuestionSet(ctx, corpus, set)
	if err != nil {
		return nil, err
	}
	return rm.store.Questions(ctx, s.ID)
}
