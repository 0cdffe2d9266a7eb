package answer

import (
	"context"
	"fmt"
	"strings"

	"jolvex/core/query"
	"jolvex/core/record"
	"jolvex/core/text"
)

// planSides plans the reply to a question that compares two things: each is answered for itself, under its name, and where one
// figure of each decides, the one that has it comes first. The plan for the whole question is picked when one table holds both, or
// when a side has no answer of its own.
func (a *asking) planSides(ctx context.Context, q query.Question, names, questions [2]string) (*plan, error) {
	whole, err := a.planOne(ctx, q, a.Answer, alone)
	if err != nil || whole.compared {
		return whole, err
	}
	s := a.Answer
	s.Words, s.Sources = max(30, s.Words/2), 1
	apart := *a
	apart.Query.Model = false // what a model words is paid for once
	var sides [2]*plan
	for i := range sides {
		if sides[i], err = apart.planOne(ctx, query.Question{Text: questions[i], Turns: q.Turns}, s, alone); err != nil {
			return nil, err
		}
		about, err := a.speaksOf(ctx, sides[i].Trail, termsOf(names[i]))
		if err != nil {
			return nil, err
		}
		if sides[i].Outcome != Answered || !about {
			return whole, nil
		}
	}
	t := a.trail(q)
	t.Reading, t.Outcome, t.Timings = whole.Reading, Answered, whole.Timings
	m := merging{plan: &plan{Trail: t}, places: map[place]int{}, spoken: map[place]bool{}}
	order, word := decided(q.Text, [2]*Trail{sides[0].Trail, sides[1].Trail})
	for n, i := range order {
		side := sides[i]
		part := Part{Question: questions[i], Reading: side.Reading, Outcome: side.Outcome, Why: side.Why, From: len(t.Reply)}
		label := capital(names[i])
		if n == 0 && word != "" {
			label += " (" + word + ")"
		}
		m.say(side.Reply, m.take(side), label)
		part.To = len(t.Reply)
		if part.From == part.To { // both stand in the same words: the whole question's reply says them once
			return whole, nil
		}
		t.Parts = append(t.Parts, part)
	}
	t.Why = fmt.Sprintf("%s and %s are answered side by side", names[0], names[1])
	return m.plan, nil
}

// decided gives the order of two sides, and the word of the question that the first of them earns by its figure; no word when
// the question asks for no such figure, or a side has none or several.
func decided(question string, sides [2]*Trail) (order [2]int, word string) {
	order = [2]int{0, 1}
	for _, e := range record.Extremes() {
		m := e.Asked.FindString(question)
		if m == "" {
			continue
		}
		for _, k := range e.Kinds {
			a, unitA, okA := onlyAmount(sides[0], k)
			b, unitB, okB := onlyAmount(sides[1], k)
			if !okA || !okB || unitA != unitB || a == b {
				continue
			}
			if (b > a) == e.Most {
				order = [2]int{1, 0}
			}
			return order, strings.ToLower(m)
		}
	}
	return order, ""
}

// onlyAmount is the one figure of a kind in a reply; false when there is none, or another.
func onlyAmount(t *Trail, kind text.QuantityKind) (v float64, unit string, ok bool) {
	for _, s := range t.Reply {
		n := 0
		var first text.Quantity
		for _, q := range text.Quantities(s.Text) {
			if q.Is(kind) {
				if n++; n == 1 {
					first = q
				}
			}
		}
		if n == 0 {
			continue
		}
		if n > 1 || ok {
			return 0, "", false
		}
		v, unit, ok = first.Amount()
	}
	return v, unit, ok
}

func termsOf(name string) []query.Term {
	var out []query.Term
	for s := range text.Stems(name) {
		out = append(out, query.Term{Stem: s})
	}
	return out
}
