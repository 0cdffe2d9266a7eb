package query

import (
	"regexp"
	"strings"

	"jolvex/core/text"
)

// comparing are the ways to ask how two things differ. (Common practice, no published source.)
var comparing = en.Pattern("comparing")

// pairs are the forms in which two things are put side by side, the things as groups 1 and 2.
var pairs = []*regexp.Regexp{
	en.Pattern("sides-difference"),
	en.Pattern("sides-differ"),
	en.Pattern("sides-compare"),
	en.Pattern("sides-versus"),
	en.Pattern("sides-or-after-comma"),
	en.Pattern("sides-or-before-more"),
	en.Pattern("sides-or"),
}

// Alternatives finds the two things that a question compares, and gives the question of each alone: "Which is cheaper, the
// kayak or the canoe?" asks "kayak, which is cheaper" and the same of the canoe. It reports false for any other question, "A or B"
// without a comparison among them: there, either may be the answer.
func Alternatives(question string) (names, questions [2]string, ok bool) {
	q := strings.TrimSpace(question)
	if !comparing.MatchString(q) && !en.Pattern("differ").MatchString(q) {
		return names, questions, false
	}
	for _, form := range pairs {
		m := form.FindStringSubmatchIndex(q)
		if m == nil {
			continue
		}
		a, b := trimThing(q[m[2]:m[3]]), trimThing(q[m[4]:m[5]])
		if len(text.Content(a)) == 0 || len(text.Content(b)) == 0 || strings.EqualFold(a, b) {
			continue
		}
		// What is asked of both: the question without either of them.
		rest := strings.TrimSpace(q[:m[2]] + " " + q[m[5]:])
		rest = strings.Trim(linking.ReplaceAllString(rest, " "), " ,:?.!")
		for i, name := range []string{a, b} {
			names[i] = name
			questions[i] = strings.TrimSpace(name + " " + rest)
		}
		return names, questions, true
	}
	return names, questions, false
}

// linking are the words that tie two things together and say nothing of either.
var linking = en.Pattern("linking")

// edge are words that no name of a thing begins or ends with.
var edge = en.Pattern("edge")

func trimThing(s string) string {
	return strings.TrimSpace(edge.ReplaceAllString(strings.TrimSpace(s), ""))
}
