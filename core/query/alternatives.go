package query

import (
	"regexp"
	"strings"

	"jolvex/core/text"
)

// comparing are the ways to ask how two things differ. (Common practice, no published source.)
var comparing = regexp.MustCompile(`(?i)\b(?:difference|differ|differs|compare|compared|versus|vs|better|best|rather|cheaper|dearer|more|less|fewer|faster|quicker|slower|longer|shorter|earlier|later|sooner|larger|bigger|smaller|heavier|lighter|higher|lower|easier|safer|closer|nearer|warmer|older|newer)\b`)

const things = `((?:[\p{L}\d'’-]+\s+){0,4}?[\p{L}\d'’-]+)`

// pairs are the forms in which two things are put side by side, the things as groups 1 and 2.
var pairs = []*regexp.Regexp{
	regexp.MustCompile(`(?i)\b(?:difference|differences) between ` + things + ` and (?:the |an? )?` + things + `\s*[?.!]*$`),
	regexp.MustCompile(`(?i)^(?:how do(?:es)? )` + things + ` and (?:the |an? )?` + things + ` differ\s*[?.!]*$`),
	regexp.MustCompile(`(?i)^(?:please )?compare (?:the |an? )?` + things + ` (?:and|with|to) (?:the |an? )?` + things + `\s*[?.!]*$`),
	regexp.MustCompile(`(?i)(?:^|[,:]\s*)(?:the |an? )?` + things + ` (?:versus|vs\.?) (?:the |an? )?` + things + `\s*[?.!]*$`),
	regexp.MustCompile(`(?i)[,:]\s*(?:the |an? |on |in |to |by |with |from )*` + things + ` or (?:the |an? |on |in |to |by |with |from )*` + things + `\s*[?.!]*$`),
	regexp.MustCompile(`(?i)\b(?:is|are|was|does|do) (?:the |an? )?` + things + ` or (?:the |an? )?` + things + ` (?:the )?(?:\w+(?:er)\b|better|more|less|cost|costs)`),
	regexp.MustCompile(`(?i)\b(?:to|with|by|on|from|in|the|an?) ` + things + ` or (?:to |with |by |on |from |in |the |an? )*` + things + `\s*[?.!]*$`),
}

// Alternatives finds the two things that a question compares, and gives the question of each alone: "Which is cheaper, the
// kayak or the canoe?" asks "kayak, which is cheaper" and the same of the canoe. It reports false for any other question, "A or B"
// without a comparison among them: there, either may be the answer.
func Alternatives(question string) (names, questions [2]string, ok bool) {
	q := strings.TrimSpace(question)
	if !comparing.MatchString(q) && !regexp.MustCompile(`(?i)\bdiffer`).MatchString(q) {
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
var linking = regexp.MustCompile(`(?i)\b(?:what is|what's|what are|the|differences?|differ|between|compare|please|how do(?:es)?|which is|which are|versus|vs|or|to|with|by|on|from|in|an?)\b`)

// edge are words that no name of a thing begins or ends with.
var edge = regexp.MustCompile(`(?i)^(?:(?:is|are|was|were|it|that|this|the|an?|for|to|of|by|in|on|at|with|from|do|does|i|we|you|go|going|use|take|travel)\s+)+`)

func trimThing(s string) string {
	return strings.TrimSpace(edge.ReplaceAllString(strings.TrimSpace(s), ""))
}
