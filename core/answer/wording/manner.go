// Package wording is about how replies read: the manner, drafted from what an engineer says of it or from a sample of writing.
package wording

import (
	"fmt"
	"regexp"
	"strings"

	"jolvex/core/text"
)

// Guide is what an engineer says of how replies are to read, for the manner to be drafted from.
type Guide struct {
	Of      string `json:"of,omitempty" maxLength:"120" doc:"Who speaks: the organisation's name"`
	Readers string `json:"readers,omitempty" maxLength:"200" doc:"Who reads it"`
	Tone    string `json:"tone,omitempty" enum:"plain,warm,formal" default:"plain"`
	Length  string `json:"length,omitempty" enum:"short,middle,long" default:"middle"`
	Contact string `json:"contact,omitempty" maxLength:"300" doc:"Where to turn when there is no answer"`
	Sample  string `json:"sample,omitempty" maxLength:"20000" doc:"Some of the organisation's own writing; it outweighs the tone"`
}

// Drafted is a manner drafted from a guide. It is a proposal, to be read and changed.
type Drafted struct {
	Tone     string   `json:"tone"`
	Words    int      `json:"words"`
	Greeting string   `json:"greeting"`
	Refusal  string   `json:"refusal"`
	TurnTo   string   `json:"turnTo"`
	Noticed  []string `json:"noticed" nullable:"false" doc:"What was seen in the sample"`
}

// Draft makes a manner of a guide.
func Draft(g Guide) Drafted {
	out := Drafted{Words: map[string]int{"short": 60, "long": 220}[g.Length], Noticed: []string{}}
	if out.Words == 0 {
		out.Words = 130
	}
	var tone []string
	switch g.Tone {
	case "warm":
		tone = append(tone, "Warm and helpful, as one would speak to a guest; no exclamation marks.")
		out.Greeting, out.Refusal = "Hello, and welcome. What can I tell you?", "I am sorry: I have found nothing about that in the material I answer from."
	case "formal":
		tone = append(tone, "Formal and exact; no contractions.")
		out.Greeting, out.Refusal = "Good day. What would you like to know?", "The material from which I answer holds nothing about that."
	default:
		tone = append(tone, "Plain and brief; the answer first.")
		out.Greeting, out.Refusal = "Hello. What would you like to know?", "I have found nothing about that in the material I answer from."
	}
	if strings.TrimSpace(g.Sample) != "" {
		seen := readSample(g.Sample)
		out.Noticed = seen
		tone = seen
	}
	if r := strings.TrimSpace(g.Readers); r != "" {
		tone = append(tone, "Readers: "+strings.TrimSuffix(r, ".")+".")
	}
	if o := strings.TrimSpace(g.Of); o != "" {
		tone = append(tone, "Speak for "+o+".")
		out.Greeting = strings.Replace(out.Greeting, ".", ". This is the assistant of "+o+".", 1)
	}
	if c := strings.TrimSpace(g.Contact); c != "" {
		out.TurnTo = c
		if !strings.HasSuffix(c, ".") {
			out.TurnTo += "."
		}
	}
	out.Tone = strings.Join(tone, " ")
	return out
}

var (
	contraction = en.Pattern("contraction")
	british     = en.Pattern("british")
	american    = en.Pattern("american")
	toReader    = en.Pattern("to-reader")
	ofUs        = en.Pattern("of-us")
)

// readSample says how a text is written: by the length of its sentences, contractions, whom it speaks to, its exclamation
// marks, its spelling. (Common practice, no published source.)
func readSample(s string) []string {
	sentences := max(1, len(text.Sentences(s)))
	words := max(1, len(text.Words(s)))
	var out []string
	switch per := words / sentences; {
	case per <= 12:
		out = append(out, fmt.Sprintf("Short sentences, about %d words.", per))
	case per <= 20:
		out = append(out, fmt.Sprintf("Sentences of about %d words.", per))
	default:
		out = append(out, fmt.Sprintf("Long sentences, about %d words.", per))
	}
	share := func(re *regexp.Regexp) float64 { return float64(len(re.FindAllString(s, -1))) / float64(sentences) }
	if share(contraction) > 0.15 {
		out = append(out, "Contractions, as in speech.")
	} else {
		out = append(out, "No contractions.")
	}
	switch you, we := share(toReader), share(ofUs); {
	case you > 0.3 && we > 0.2:
		out = append(out, "Speaks as “we” to “you”.")
	case you > 0.3:
		out = append(out, "Speaks to “you”.")
	case we > 0.2:
		out = append(out, "Speaks as “we”.")
	default:
		out = append(out, "Speaks of things, not to the reader.")
	}
	if float64(strings.Count(s, "!"))/float64(sentences) < 0.02 {
		out = append(out, "No exclamation marks.")
	}
	switch b, a := len(british.FindAllString(s, -1)), len(american.FindAllString(s, -1)); {
	case b > a:
		out = append(out, "British spelling.")
	case a > b:
		out = append(out, "American spelling.")
	}
	return out
}
