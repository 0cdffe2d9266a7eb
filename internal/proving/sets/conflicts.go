package sets

import (
	"context"
	"fmt"
	"strings"

	"jolvex/core/questions"
	"jolvex/internal/store"
)

// Problem is what is wrong with a question as it was written: it fails, or passes, whatever is replied.
type Problem struct {
	Question string `json:"question" doc:"Id"`
	What     string `json:"what"`
}

// mostSetProblems is how many problems of a set are told.
const mostSetProblems = 500

// Problems tells what is wrong with the questions of a set: expectations that exclude each other, house rules and pages that the corpus does
// not have.
func (rm *Room) Problems(ctx context.Context, corpus, set string) ([]Problem, error) {
	c, err := rm.store.Corpus(ctx, corpus)
	if err != nil {
		return nil, err
	}
	qs, err := rm.QuestionsIn(ctx, c.ID, set)
	if err != nil {
		return nil, err
	}
	ds, err := rm.Documents(ctx, c)
	if err != nil {
		return nil, err
	}
	return problemsOf(c, ds, qs), nil
}

// problemsOf tells what is wrong with questions; without documents, nothing is said of pages.
func problemsOf(c store.Corpus, ds []store.Document, qs []questions.Question) []Problem {
	names := questions.NewDirectory()
	for _, d := range ds {
		names.Add(d.ID, d.Address, d.Title)
	}
	rules := map[string]bool{}
	for _, r := range c.Method.Rules {
		rules[r.ID], rules[strings.ToLower(r.Name)] = true, true
	}
	out := []Problem{}
	for _, q := range qs {
		for _, what := range q.Conflicts() {
			out = append(out, Problem{q.ID, what})
		}
		for _, e := range expectationsOf(q) {
			switch e.Kind {
			case questions.Follows:
				if !anyOf(e.Values, func(v string) bool { return rules[v] || rules[strings.ToLower(v)] }) {
					out = append(out, Problem{q.ID, fmt.Sprintf("there is no house rule “%s”", strings.Join(e.Values, "” or “"))})
				}
			case questions.Cites, questions.Reaches:
				named := e.Values
				if e.Kind == questions.Reaches {
					named = []string{e.Document}
				}
				if len(ds) > 0 && !anyOf(named, func(v string) bool { return len(names.Means(v)) > 0 }) {
					out = append(out, Problem{q.ID, fmt.Sprintf("no page or document is called “%s”", strings.Join(named, "” or “"))})
				}
			}
		}
		if len(out) >= mostSetProblems {
			return out[:mostSetProblems]
		}
	}
	return out
}

func expectationsOf(q questions.Question) []questions.Expectation {
	out := q.Expect
	for _, l := range q.Script {
		out = append(out[:len(out):len(out)], l.Expect...)
	}
	return out
}

func anyOf(values []string, is func(string) bool) bool {
	for _, v := range values {
		if is(v) {
			return true
		}
	}
	return false
}
