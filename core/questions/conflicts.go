package questions

import (
	"fmt"
	"math"
	"slices"
	"strings"

	"jolvex/core/text"
)

// Conflicts tells in words which expectations of a question exclude each other, or could hold of anything: such a question fails, or
// passes, whatever is replied.
func (q Question) Conflicts() []string {
	out := conflicts(q.Expect)
	for i, l := range q.Script {
		for _, c := range conflicts(l.Expect) {
			out = append(out, fmt.Sprintf("message %d of its script: %s", i+1, c))
		}
	}
	return out
}

func conflicts(es []Expectation) []string {
	var out []string
	say := func(form string, args ...any) { out = append(out, fmt.Sprintf(form, args...)) }
	var ends, says []string
	for _, e := range es {
		switch k, _ := KindOf(e.Kind); {
		case k.Sort == Outcome && !slices.Contains(ends, k.Label):
			ends = append(ends, k.Label)
		case e.Is(Fact) || e.Kind == Cites:
			says = append(says, k.Label)
		}
	}
	if len(ends) > 1 {
		say("a reply cannot end in two ways: it %s", strings.Join(ends, ", and it "))
	}
	if len(ends) == 1 && ends[0] == kindLabel(Refuses) && len(says) > 0 {
		say("it refuses, and it %s something", says[0])
	}
	least, most, shortest := 0, 0, ""
	for i, e := range es {
		switch e.Kind {
		case Mentions, Gives:
			for _, not := range es {
				if not.Kind == NotMentions && len(e.Values) > 0 && !slices.ContainsFunc(e.Values, func(v string) bool {
					forbidden, _ := Says(v, not.Values)
					return !forbidden
				}) {
					say("“%s” is expected and forbidden", strings.Join(e.Values, "” or “"))
				}
			}
			if w := fewestWords(e.Values); w > least {
				least, shortest = w, e.Values[0]
			}
			if e.Within > 0 {
				out = append(out, unfitting(e)...)
			}
		case Short:
			if n := MostWords(e); most == 0 || n < most {
				most = n
			}
		case Language, Follows:
			for _, o := range es[i+1:] {
				if o.Kind == Language && e.Kind == Language && !slices.ContainsFunc(o.Values, func(v string) bool { return slices.Contains(e.Values, v) }) {
					say("a reply cannot be in %s and in %s", strings.Join(e.Values, " or "), strings.Join(o.Values, " or "))
				}
			}
		}
	}
	if most > 0 && least > most {
		say("“%s” alone has more than %d words", shortest, most)
	}
	return out
}

func kindLabel(name string) string {
	k, _ := KindOf(name)
	return k.Label
}

func fewestWords(values []string) int {
	least := math.MaxInt
	for _, v := range values {
		least = min(least, len(text.Words(v)))
	}
	if len(values) == 0 {
		return 0
	}
	return least
}

// unfitting tells of figures that may be off by more than they are, and of those that cannot be off at all.
func unfitting(e Expectation) []string {
	var out []string
	for _, v := range e.Values {
		for _, q := range text.Quantities(v) {
			x, _, ok := q.Amount()
			switch {
			case !ok:
				out = append(out, fmt.Sprintf("“%s” is no amount: it cannot be off by %g", v, e.Within))
			case q.Kind != text.Date && q.Kind != text.Clock && e.Within >= math.Abs(x):
				out = append(out, fmt.Sprintf("“%s” may be off by %g: nearly anything would do", v, e.Within))
			}
		}
	}
	return out
}
