package query

import (
	"regexp"
	"strings"

	"jolvex/core/check"
)

// Orders that are given to the assistant rather than asked of the material, besides those that pages try. (Common practice, no
// published source.)
var orders = []*regexp.Regexp{
	en.Pattern("order-repeat"),
	en.Pattern("order-tell-instructions"),
	en.Pattern("order-instructions-given"),
	en.Pattern("order-answer-with"),
	en.Pattern("order-become"),
	en.Pattern("order-forget"),
}

// commanding reports whether a sentence orders the assistant about.
func commanding(s string) bool {
	for _, r := range orders {
		if r.MatchString(s) {
			return true
		}
	}
	return check.Instructs(s)
}

// WithoutCommands is a message without the sentences that order the assistant about, and those sentences. They have no say in what is
// answered, and their words are not what is asked for.
func WithoutCommands(message string) (rest string, dropped []string) {
	var kept []string
	for _, s := range sentence.FindAllString(message, -1) {
		if s = strings.TrimSpace(s); s == "" {
			continue
		}
		if commanding(s) {
			dropped = append(dropped, s)
		} else {
			kept = append(kept, s)
		}
	}
	if len(dropped) == 0 {
		return message, nil
	}
	return strings.Join(kept, " "), dropped
}

func (w *work) dropCommands() string {
	rest, dropped := WithoutCommands(w.now)
	switch {
	case len(dropped) == 0:
		return "nothing orders the assistant about"
	case w.reword(rest):
		w.replaced = true
		return "left out: “" + strings.Join(dropped, "”, “") + "”"
	}
	w.reading.Kind = Command
	return "it orders the assistant about and asks nothing"
}
