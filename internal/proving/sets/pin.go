package sets

import (
	"context"
	"fmt"
	"strings"

	"jolvex/core/doc"
	"jolvex/core/find"
	"jolvex/core/query"
	"jolvex/core/questions"
	"jolvex/core/text"
	"jolvex/internal/fault"
)

// Pin is a candidate that somebody says is the one for a question.
type Pin struct {
	Set      string       `json:"set" minLength:"1" maxLength:"120" doc:"Name of the question set; made when missing"`
	Question string       `json:"question" minLength:"1" maxLength:"4000"`
	Turns    []query.Turn `json:"turns,omitempty" maxItems:"50" nullable:"false"`
	Document string       `json:"document"`
	Version  string       `json:"version"`
	Span     doc.Span     `json:"span"`
	Passage  string       `json:"passage,omitempty" maxLength:"2000" doc:"The words that matter; the sentence nearest to the question when not given"`
}

// Pin makes an expectation of a candidate: from now on the search should reach this passage for this question. A question
// that the set holds already gets the passage in place of the one it had.
func (rm *Room) Pin(ctx context.Context, corpus string, p Pin) (questions.Question, error) {
	c, err := rm.store.Corpus(ctx, corpus)
	if err != nil {
		return questions.Question{}, err
	}
	d, err := rm.store.Document(ctx, p.Document)
	if err == nil && d.Corpus != c.ID {
		err = fmt.Errorf("document %s: %w", p.Document, fault.ErrMissing)
	}
	if err != nil {
		return questions.Question{}, err
	}
	if err := rm.store.HasVersion(ctx, d.ID, p.Version); err != nil {
		return questions.Question{}, err
	}
	body, err := rm.index.Version(ctx, p.Version)
	if err != nil {
		return questions.Question{}, err
	}
	if p.Passage == "" {
		p.Passage = mostTold(body, p.Span, p.Question)
	}
	if p.Passage == "" {
		return questions.Question{}, fault.Input("there is no text at that place")
	}
	rm.sets.Lock()
	defer rm.sets.Unlock()
	qs, err := rm.questionsOf(ctx, c.ID, p.Set)
	if err != nil {
		return questions.Question{}, err
	}
	want := questions.Expectation{Kind: questions.Reaches, Values: []string{p.Passage}, Document: d.Address}
	at := -1
	for i, q := range qs {
		if strings.EqualFold(strings.TrimSpace(q.Text), strings.TrimSpace(p.Question)) && len(q.Turns) == len(p.Turns) {
			at = i
		}
	}
	if at < 0 {
		at = len(qs)
		qs = append(qs, questions.Question{ID: freshID(qs), Text: strings.TrimSpace(p.Question), Turns: p.Turns, Tags: []string{"pinned"}})
	}
	var kept []questions.Expectation
	for _, e := range qs[at].Expect {
		if e.Kind != questions.Reaches && e.Kind != questions.Refuses {
			kept = append(kept, e)
		}
	}
	qs[at].Expect = append(kept, want)
	_, err = rm.PutQuestions(ctx, c.ID, p.Set, qs)
	return qs[at], err
}

func (rm *Room) questionsOf(ctx context.Context, corpus, set string) ([]questions.Question, error) {
	sets, err := rm.store.QuestionSets(ctx, corpus)
	if err != nil {
		return nil, err
	}
	for _, s := range sets {
		if s.Name == set || s.ID == set {
			return rm.store.Questions(ctx, s.ID)
		}
	}
	return nil, nil
}

// freshID is an id that no question of a set has.
func freshID(qs []questions.Question) string {
	taken := map[string]bool{}
	for _, q := range qs {
		taken[q.ID] = true
	}
	for n := len(qs) + 1; ; n++ {
		if id := fmt.Sprintf("p%d", n); !taken[id] {
			return id
		}
	}
}

// mostTold is the piece of a span that has most words in common with a question; the first one when none has any.
func mostTold(d *doc.Document, s doc.Span, question string) string {
	asked := map[string]bool{}
	for _, w := range text.Content(question) {
		asked[w.Stem] = true
	}
	best, most := "", -1
	for _, p := range find.Pieces(d, s) {
		n := 0
		seen := map[string]bool{}
		said := d.Of(p.Span)
		for _, w := range text.Content(said) {
			if asked[w.Stem] && !seen[w.Stem] {
				seen[w.Stem] = true
				n++
			}
		}
		if n > most && strings.TrimSpace(said) != "" {
			best, most = said, n
		}
	}
	return best
}
