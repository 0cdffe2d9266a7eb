package query

import (
	"regexp"
	"strings"

	"jolvex/core/check"
)

// Orders that are given to the assistant rather than asked of the material, besides those that pages try. (Common practice, no
// published source.)
var orders = []*regexp.Regexp{
	regexp.MustCompile(`(?i)\brepeat (?:after me|the following|this)\b`),
	regexp.MustCompile(`(?i)\b(?:print|show|reveal|repeat|output|tell me|give me|write out|list|what (?:are|were|is)|leak)\b.{0,30}\b(?:your|you were given|you have been given)\b.{0,25}\b(?:instructions?|prompts?|guidelines|rules|system message|configuration)\b`),
	regexp.MustCompile(`(?i)\b(?:print|show|reveal|repeat|output|leak)\b.{0,20}\b(?:instructions?|prompts?|guidelines|rules)\b.{0,20}\byou (?:were|have been|are) given\b`),
	regexp.MustCompile(`(?i)\b(?:answer|reply|respond) (?:only |just |simply )?with (?:nothing but |exactly |only )?(?:the |one |a single )+(?:word|words|sentence|phrase)\b`),
	regexp.MustCompile(`(?i)\b(?:you are now|from now on,? you|pretend (?:that )?(?:you|to be)|act as (?:if you|an? )|role-?play|play the (?:role|part) of)\b`),
	regexp.MustCompile(`(?i)^\W*(?:forget|disregard|ignore) (?:everything|anything|all|what)\b.{0,30}\b(?:said|told|given|above|before|know)\b`),
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
