package query

import (
	"regexp"
	"strings"

	"jolvex/core/text"
)

// mostParts is how many questions one message is parted into.
const mostParts = 4

var (
	begins   = en.Pattern("begins-question")
	joint    = en.Pattern("joint-question")
	sentence = regexp.MustCompile(`\.?[^?!.\n]+(?:\.[^\s?!.\n][^?!.\n]*)*[?!.\n]*`) // a dot within a word ends none: "sources.list"
)

// Split parts a message that asks several things into its questions, in order. What is said before the first question
// ("We are two adults with a dog.") is given apart: it bears on all of them. One question gives itself alone.
func Split(message string) (said string, parts []string) {
	var stated []string
	for _, s := range sentence.FindAllString(message, -1) {
		s = strings.TrimSpace(s)
		if !hasWord(s) {
			continue
		}
		if !strings.HasSuffix(s, "?") && !begins.MatchString(s) {
			if len(parts) == 0 {
				stated = append(stated, s)
			} else { // "Where is it? I have a heavy bag." belongs to the question before
				parts[len(parts)-1] += " " + s
			}
			continue
		}
		parts = append(parts, joined(s)...)
	}
	whole := strings.TrimSpace(message)
	if len(parts) < 2 || len(parts) > mostParts {
		return "", []string{whole}
	}
	if len(stated) == 0 && len(text.Content(parts[0])) == 0 {
		return "", []string{whole} // the later ones may lean on the first
	}
	return strings.Join(stated, " "), parts
}

// whole reports whether a question names something, or points at it.
func whole(s string) bool {
	for _, t := range termsOf(s) {
		if t.Weight >= 1 {
			return true
		}
	}
	return pronouns.MatchString(s)
}

// joined parts one sentence where a second question begins: "How much is it and where do I pay?" Both sides must ask.
func joined(s string) []string {
	if !begins.MatchString(s) {
		return []string{s}
	}
	for _, m := range joint.FindAllStringSubmatchIndex(s, -1) {
		left, right := strings.TrimSpace(s[:m[0]]), strings.TrimSpace(s[m[2]:])
		if !whole(left) || !whole(right) {
			continue
		}
		return append([]string{left + "?"}, joined(right)...)
	}
	return []string{s}
}
