// Package check finds in a document what will hurt answers.
package check

import "regexp"

// Version names the algorithm.
const Version = "check-2"

// Wordings by which a page speaks to an assistant rather than to its readers. (Common practice, no published source.)
var instructing = []*regexp.Regexp{
	regexp.MustCompile(`(?i)\b(?:ignore|disregard|forget|override|bypass)\b.{0,40}\b(?:previous|prior|above|earlier|preceding|your|system|all)\b.{0,30}\b(?:instructions?|prompts?|rules?|guidelines|directions?)\b`),
	regexp.MustCompile(`(?i)\b(?:note|message|instructions?|attention|hint)s? (?:to|for) (?:the |all |any )?(?:ai|a\.i\.|artificial intelligence|llms?|(?:large )?language models?|chat ?bots?|bots?|(?:ai |virtual |digital )?assistants?)\b`),
	regexp.MustCompile(`(?i)\b(?:ai|llm|language model|chat ?bot|assistant)s?\b[^.?!]{0,40}\b(?:must|should|shall|are (?:instructed|required|told|ordered) to|have to)\b[^.?!]{0,60}\b(?:say|tell|reply|respond|answer|recommend|output|include|claim|state)\b`),
	regexp.MustCompile(`(?i)\bif you are an? (?:ai|llm|(?:large )?language model|chat ?bot|(?:ai |virtual )?assistant)\b`),
	regexp.MustCompile(`(?i)\b(?:reveal|print|repeat|show)\b.{0,20}\b(?:system|hidden|secret) (?:prompt|instructions?|message)\b`),
}

// Instructs reports whether a passage tries to instruct an assistant. Such a passage is never quoted in a reply.
func Instructs(passage string) bool {
	for _, r := range instructing {
		if r.MatchString(passage) {
			return true
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
