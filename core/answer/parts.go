package answer

import (
	"fmt"
	"strings"

	"jolvex/core/doc"
	"jolvex/core/query"
)

// answerParts answers the questions of a message one after another. Each may lean on those before it and on what was said
// with them; what one has said, the next does not say again; one without an answer is told as such.
func answerParts(q query.Question, said string, parts []string, b Bench) (*Trail, error) {
	t := &Trail{Question: q.Text, Turns: q.Turns, Bar: b.Answer.Bar, Pins: b.Pins, Candidates: []Candidate{}, Outcome: Refused}
	turns := q.Turns
	if said != "" {
		turns = append(turns[:len(turns):len(turns)], query.Turn{Role: "user", Text: said})
	}
	b.oneMessage = true
	b.Answer.Words = max(40, b.Answer.Words*2/len(parts))
	places := map[place]int{} // of candidates
	spoken := map[place]bool{}
	for _, p := range parts {
		one, err := answerOne(query.Question{Text: p, Turns: turns}, b)
		if err != nil {
			return nil, err
		}
		turns = append(turns[:len(turns):len(turns)], query.Turn{Role: "user", Text: p})
		part := Part{Question: p, Reading: one.Reading, Outcome: one.Outcome, Why: one.Why, Support: one.Support, From: len(t.Reply)}
		at := t.take(one.Candidates, places)
		t.Left = append(t.Left, one.Left...)
		t.Timings = append(t.Timings, one.Timings...)
		t.Written = t.Written.and(one.Written)
		switch one.Outcome {
		case Refused:
			t.Reply = append(t.Reply, inOwnWords(strings.ReplaceAll(b.Answer.Unfound, "{question}", strings.TrimRight(p, "?.! ")))...)
		default:
			for _, s := range one.Reply {
				if key := (place{s.Version, s.Span}); s.Candidate >= 0 {
					if spoken[key] {
						continue
					}
					spoken[key] = true
					s.Candidate = at[s.Candidate]
				}
				t.Reply = append(t.Reply, s)
			}
			if one.Outcome != Courteous || t.Outcome == Refused {
				t.Outcome = one.Outcome
			}
		}
		part.To = len(t.Reply)
		t.Parts = append(t.Parts, part)
		t.Support = max(t.Support, one.Support)
	}
	t.Reading = t.Parts[0].Reading
	answered := 0
	for _, p := range t.Parts {
		if p.Outcome != Refused {
			answered++
		}
	}
	t.Why = fmt.Sprintf("%d of its %d questions have an answer", answered, len(parts))
	if answered == 0 {
		refuse(t, b.Answer, t.Why)
		for i := range t.Parts {
			t.Parts[i].From, t.Parts[i].To = 0, len(t.Reply)
		}
	}
	return t, nil
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
