package sets

import (
	"bytes"
	"context"
	"strings"

	"jolvex/core/questions"
	"jolvex/internal/fault"
	"jolvex/internal/store"
)

// ImportQrels gives the questions of a set the documents that TREC's relevance judgements name for them.
func (rm *Room) ImportQrels(ctx context.Context, corpus, set string, body []byte) (ImportedSet, error) {
	out := ImportedSet{Form: FormQrels, Columns: []string{}, Problems: []string{}, Doubtful: []Problem{}}
	c, err := rm.store.Corpus(ctx, corpus)
	if err != nil {
		return out, err
	}
	rm.sets.Lock()
	defer rm.sets.Unlock()
	qs, err := rm.QuestionsIn(ctx, c.ID, set)
	if err != nil {
		return out, err
	}
	judged, bad, err := questions.ReadQrels(bytes.NewReader(body))
	if err != nil {
		return out, fault.Input("%v", err)
	}
	out.Problems = append(out.Problems, bad...)
	qs, strangers := questions.Relevant(qs, judged)
	for _, id := range strangers[:min(len(strangers), 200)] {
		out.Problems = append(out.Problems, "the set has no question "+id)
	}
	out.Questions = len(judged) - len(strangers)
	if out.Questions == 0 {
		return out, fault.Input("none of the judgements is about a question of the set")
	}
	s, err := rm.PutQuestionsBecause(ctx, corpus, set, qs, "relevance judgements")
	out.Set = &s
	return out, err
}

// ImportedSet is what came of a file of expected questions.
type ImportedSet struct {
	Set       *QuestionSet `json:"set,omitempty" doc:"Missing when it was read without being kept"`
	Form      string       `json:"form" enum:"jsonl,csv,squad,beir,qrels"`
	Columns   []string     `json:"columns" nullable:"false"`
	Questions int          `json:"questions"`
	Documents int          `json:"documents" doc:"That came with the questions"`
	Problems  []string     `json:"problems" nullable:"false" doc:"Rows that did not go in, and why"`
	Doubtful  []Problem    `json:"doubtful" nullable:"false" doc:"Questions that go in and cannot be meant so: expectations that exclude each other, house rules and pages that the corpus does not have"`
}

// ImportSet reads a file of expected questions in whichever form it comes: our own JSONL, CSV, SQuAD, or a BEIR collection. With
// keep, the questions become the set, whole; with documents, those that came with them are taken in, too.
func (rm *Room) ImportSet(ctx context.Context, corpus, set string, body []byte, keep, documents bool) (ImportedSet, error) {
	c, err := rm.store.Corpus(ctx, corpus)
	if err != nil {
		return ImportedSet{}, err
	}
	m, err := questions.ReadSet(body)
	if err != nil {
		return ImportedSet{}, fault.Input("%v", err)
	}
	out := ImportedSet{Form: m.Form, Columns: m.Columns, Questions: len(m.Questions), Documents: len(m.Documents), Problems: m.Problems}
	var ds []store.Document
	if !documents || len(m.Documents) == 0 { // else the pages come with the questions
		if ds, err = rm.Documents(ctx, c); err != nil {
			return out, err
		}
	}
	out.Doubtful = problemsOf(c, ds, m.Questions)
	for _, x := range m.Misplaced {
		out.Doubtful = append(out.Doubtful, Problem{x.Question, x.Why})
	}
	if !keep {
		return out, nil
	}
	if len(m.Questions) == 0 {
		return out, fault.Input("none of its rows can go in: %s", strings.Join(m.Problems[:min(3, len(m.Problems))], "; "))
	}
	s, err := rm.PutQuestions(ctx, corpus, set, m.Questions)
	if err != nil {
		return out, err
	}
	out.Set = &s
	if documents && len(m.Documents) > 0 {
		err = rm.gathering.ImportTexts(ctx, c, set, m.Documents)
	}
	return out, err
}
