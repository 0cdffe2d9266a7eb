package answer

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"jolvex/core/doc"
	"jolvex/core/query"
)

// planParts plans the reply to the questions of a message, one after another. Each may lean on those before it and on what was said
// with them; what one says, the next does not say again; one without an answer is told as such.
func (a *asking) planParts(ctx context.Context, q query.Question, said string, parts []string) (*plan, error) {
	t := a.trail(q)
	t.Outcome = Refused
	out := &plan{Trail: t}
	turns := q.Turns
	if said != "" {
		turns = append(turns[:len(turns):len(turns)], query.Turn{Role: "user", Text: said})
	}
	s := a.Answer
	s.Words = max(40, s.Words*2/len(parts))
	m := merging{plan: out, places: map[place]int{}, spoken: map[place]bool{}}
	answered := 0
	for _, text := range parts {
		one, err := a.planOne(ctx, query.Question{Text: text, Turns: turns}, s, joined)
		if err != nil {
			return nil, err
		}
		turns = append(turns[:len(turns):len(turns)], query.Turn{Role: "user", Text: text})
		part := Part{Question: text, Reading: one.Reading, Outcome: one.Outcome, Why: one.Why, From: len(t.Reply)}
		at := m.take(one)
		switch one.Outcome {
		case Refused:
			unfound := inOwnWords(strings.ReplaceAll(s.Unfound, "{question}", strings.TrimRight(text, "?.! ")))
			t.Reply, out.after = append(t.Reply, unfound...), append(out.after, unfound...)
		default:
			m.say(one.Reply, at, "")
			if one.Outcome == Courteous {
				out.before = append(out.before, one.Reply...)
			}
			if one.Outcome != Courteous || t.Outcome == Refused {
				t.Outcome = one.Outcome
			}
			answered++
		}
		part.To = len(t.Reply)
		t.Parts = append(t.Parts, part)
	}
	t.Reading = t.Parts[0].Reading
	t.Why = fmt.Sprintf("%d of its %d questions have an answer", answered, len(parts))
	if answered == 0 {
		refuse(t, a.Answer, t.Why)
		for i := range t.Parts {
			t.Parts[i].From, t.Parts[i].To = 0, len(t.Reply)
		}
	}
	return out, nil
}

// merging puts several plans together into one.
type merging struct {
	*plan
	places map[place]int  // where candidates stand
	spoken map[place]bool // what is said already
}

// take takes over what a plan found, its passages among it, and tells where each of its candidates stands now.
func (m *merging) take(one *plan) []int {
	at := m.Trail.take(one.Candidates, m.places)
	m.Left, m.Timings = append(m.Left, one.Left...), append(m.Timings, one.Timings...)
	if one.able {
		m.able = true
		m.words += one.words
		for _, p := range one.passages {
			p.index = at[p.index]
			if !slices.ContainsFunc(m.passages, func(o *passage) bool { return o.index == p.index }) {
				m.passages = append(m.passages, p)
			}
		}
	}
	return at
}

// say takes over sentences that are not said yet, the first of them under a label.
func (m *merging) say(reply []Sentence, at []int, label string) {
	for _, s := range reply {
		if s.Candidate >= 0 {
			key := place{s.Version, s.Span}
			if m.spoken[key] {
				continue
			}
			m.spoken[key] = true
			s.Candidate = at[s.Candidate]
		}
		if label != "" {
			s.Text, label = label+": "+s.Text, ""
		}
		m.Reply = append(m.Reply, s)
	}
}

// place is where a passage stands.
type place struct {
	version string
	span    doc.Span
}

// take adds candidates that are not there yet, and tells where each stands now. One that several parts found keeps the
// better of its ranks.
func (t *Trail) take(cs []Candidate, places map[place]int) []int {
	at := make([]int, len(cs))
	for i, c := range cs {
		key := place{c.Version, c.Span}
		n, ok := places[key]
		if !ok {
			n = len(t.Candidates)
			places[key] = n
			t.Candidates = append(t.Candidates, c)
		} else if had := &t.Candidates[n]; c.Kept && (!had.Kept || c.Support > had.Support) {
			*had = c
		}
		at[i] = n
	}
	return at
}
