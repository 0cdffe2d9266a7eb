package answer

import (
	"fmt"
	"strings"

	"jolvex/core/query"
	"jolvex/core/text"
)

// compared is set where a table was compared as a whole.
const compared = "its table is compared"

// answerSides answers a question that compares two things: each is answered for itself, under its name, and where one figure of
// each decides, the one that has it comes first. It gives the reply to the whole question when one table holds both, or when
// a side has no answer of its own.
func answerSides(q query.Question, names, questions [2]string, b Bench) (*Trail, error) {
	whole, err := answerOne(q, b)
	if err != nil || strings.HasSuffix(whole.Why, compared) || whole.Outcome == ByRule {
		return whole, err
	}
	var sides [2]*Trail
	one := b
	one.Answer.Words = max(30, b.Answer.Words/2)
	one.Answer.Sources = 1
	for i := range sides {
		if sides[i], err = answerOne(query.Question{Text: questions[i], Turns: q.Turns}, one); err != nil {
			return nil, err
		}
		about, err := sides[i].speaksOf(termsOf(names[i]), b.Texts)
		if err != nil {
			return nil, err
		}
		if sides[i].Outcome != Answered || !about {
			return whole, nil
		}
	}
	t := &Trail{Question: q.Text, Turns: q.Turns, Bar: b.Answer.Bar, Pins: b.Pins, Candidates: []Candidate{}, Reading: whole.Reading, Outcome: Answered}
	t.Timings, t.Written = whole.Timings, sides[0].Written.and(sides[1].Written)
	order, word := decided(q.Text, sides)
	places, spoken := map[place]int{}, map[place]bool{}
	for n, i := range order {
		side := sides[i]
		at := t.take(side.Candidates, places)
		t.Left, t.Timings = append(t.Left, side.Left...), append(t.Timings, side.Timings...)
		t.Support = max(t.Support, side.Support)
		part := Part{Question: questions[i], Reading: side.Reading, Outcome: side.Outcome, Why: side.Why, Support: side.Support, From: len(t.Reply)}
		label := strings.ToUpper(names[i][:1]) + names[i][1:]
		if n == 0 && word != "" {
			label += " (" + word + ")"
		}
		for _, s := range side.Reply {
			if s.Candidate >= 0 {
				if key := (place{s.Version, s.Span}); spoken[key] {
					continue
				} else {
					spoken[key] = true
				}
				s.Candidate = at[s.Candidate]
			}
			if label != "" {
				s.Text, label = label+": "+s.Text, ""
			}
			t.Reply = append(t.Reply, s)
		}
		part.To = len(t.Reply)
		if part.From == part.To { // both stand in the same words: the whole question's reply says them once
			return whole, nil
		}
		t.Parts = append(t.Parts, part)
	}
	t.Why = fmt.Sprintf("%s and %s are answered side by side", names[0], names[1])
	return t, nil
}

// decided gives the order of two sides, and the word of the question that the first of them earns by its figure; no word when
// the question asks for no such figure, or a side has none or several.
func decided(question string, sides [2]*Trail) (order [2]int, word string) {
	order = [2]int{0, 1}
	for _, e := range extremes {
		m := e.re.FindString(question)
		if m == "" {
			continue
		}
		for _, k := range e.kinds {
			a, unitA, okA := onlyAmount(sides[0], k)
			b, unitB, okB := onlyAmount(sides[1], k)
			if !okA || !okB || unitA != unitB || a == b {
				continue
			}
			if (b > a) == e.most {
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
		for _, q := range text.Quantities(s.Text) {
			if q.Kind == kind {
				n++
			}
		}
		if n == 0 {
			continue
		}
		if n > 1 || ok {
			return 0, "", false
		}
		v, unit, ok = amountIn(s.Text, kind)
	}
	return v, unit, ok
}

func termsOf(name string) []query.Term {
	var out []query.Term
	for s := range stems(name) {
		out = append(out, query.Term{Stem: s})
	}
	return out
}
