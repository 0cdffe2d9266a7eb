// Package check finds in a document what will hurt answers.
package check

import (
	"jolvex/core/text"
)

// Version names the algorithm.
const Version = "check-4"

// Wordings by which a page speaks to an assistant rather than to its readers. (Common practice, no published source.)
var instructing = []text.Prefilter{
	text.NewPrefilter(en.Pattern("instructs-to-ignore")),
	text.NewPrefilter(en.Pattern("instructs-by-note")),
	text.NewPrefilter(en.Pattern("instructs-assistants")),
	text.NewPrefilter(en.Pattern("instructs-if-assistant")),
	text.NewPrefilter(en.Pattern("instructs-to-reveal")),
}

// past finds what is said of the past: that assistants should have done a thing asks nothing of one.
var past = en.Pattern("instructs-past")

// Instructs reports whether a passage tries to instruct an assistant. Such a passage is never quoted in a reply.
func Instructs(passage string) bool {
	folded := text.Sift(passage)
	for _, p := range instructing {
		if !p.May(folded) {
			continue
		}
		for _, m := range p.Regexp().FindAllString(passage, -1) {
			if !past.MatchString(m) {
				return true
			}
		}
	}
	return false
}

// instructions finds what speaks to an assistant, in the open or hidden from readers.
func (l *Look) instructions(in Input, list []sentence) {
	for _, s := range list {
		if Instructs(s.text) {
			l.find(Finding{Kind: Instruction, Severity: High, At: Passage{in.ID, s.span, clip(s.text)}, Detail: "speaks to an assistant rather than to readers; it is never quoted"})
		}
	}
	for _, h := range in.Doc.Hidden {
		if Instructs(h) {
			l.find(Finding{Kind: Instruction, Severity: High, At: Passage{Document: in.ID, Text: clip(h)}, Detail: "speaks to an assistant, hidden from readers by the page's style; hidden text is never taken in"})
		}
	}
}
