// Package prove judges replies against what was expected of them, and sums up runs.
package prove

import (
	"fmt"
	"strconv"
	"strings"

	"jolvex/core/query"
	"jolvex/core/text"
)

// Version names the algorithm.
const Version = "prove-3"

// The kinds of expectation.
const (
	Mentions    = "mentions"    // one of the wordings stands in the reply
	NotMentions = "notMentions" // none of them does
	Gives       = "gives"       // the reply gives the figure: a number, price, time, date, duration, telephone number
	Cites       = "cites"       // a sentence of the reply is supported by this document: address, end of address, or title
	Reaches     = "reaches"     // the search finds this passage of this document, and the reply may draw on it
	Refuses     = "refuses"     // the assistant refuses
	AsksBack    = "asksBack"    // something has to be told first, and the assistant asks for it
	HandsOver   = "handsOver"   // the assistant hands over to a person
	Follows     = "follows"     // a house rule fires: its name or id
	Short       = "short"       // the reply has at most so many words
	Language    = "language"    // the reply is in this language: ISO 639-1
)

// Expectation is one thing that must hold of a reply. Values are alternatives: one of them is enough (for NotMentions,
// none may occur).
type Expectation struct {
	Kind     string   `json:"kind" enum:"mentions,notMentions,gives,cites,reaches,refuses,asksBack,handsOver,follows,short,language"`
	Values   []string `json:"values,omitempty" nullable:"false"`
	Document string   `json:"document,omitempty" doc:"reaches: the document that holds the passage, as address, end of address, or title"`
	Within   float64  `json:"within,omitempty" minimum:"0" doc:"gives: by how much the figure may differ, in its own unit: pounds, minutes, days, kilograms"`
}

// ScriptLine is one message of a conversation that is played before the question is put.
type ScriptLine struct {
	Text   string        `json:"say"`
	Expect []Expectation `json:"expect,omitempty" nullable:"false"`
}

// Question is one expected question.
type Question struct {
	ID     string        `json:"id"`
	Text   string        `json:"question"`
	Turns  []query.Turn  `json:"turns,omitempty" nullable:"false"`
	Tags   []string      `json:"tags,omitempty" nullable:"false"`
	Group  string        `json:"group,omitempty" doc:"Variants of one question share a group: they count as one piece of evidence"`
	Expect []Expectation `json:"expect" nullable:"false"`
	// Script is played first, each message with what is expected of the reply to it; the replies are the assistant's own, unlike
	// those of Turns, which stand as they are written.
	Script  []ScriptLine `json:"script,omitempty" nullable:"false"`
	Answers []string     `json:"answers,omitempty" nullable:"false" doc:"Reference answers, to measure the wording of replies against; they decide no verdict"`
	Notes   string       `json:"notes,omitempty"`
	Owner   string       `json:"owner,omitempty"`
}

// Check reports what is wrong with a question as it was written.
func (q Question) Check() error {
	if strings.TrimSpace(q.ID) == "" {
		return fmt.Errorf("a question has no id: %q", q.Text)
	}
	if strings.TrimSpace(q.Text) == "" {
		return fmt.Errorf("question %s has no text", q.ID)
	}
	if len(q.Expect) == 0 {
		return fmt.Errorf("question %s expects nothing: it could not fail", q.ID)
	}
	if len(q.Script) > MaxScript {
		return fmt.Errorf("question %s has a script of %d messages, more than %d", q.ID, len(q.Script), MaxScript)
	}
	for i, s := range q.Script {
		if strings.TrimSpace(s.Text) == "" {
			return fmt.Errorf("question %s: message %d of its script is empty", q.ID, i+1)
		}
		if err := checkAll(s.Expect); err != nil {
			return fmt.Errorf("question %s, message %d of its script: %w", q.ID, i+1, err)
		}
	}
	if err := checkAll(q.Expect); err != nil {
		return fmt.Errorf("question %s: %w", q.ID, err)
	}
	return nil
}

// MaxScript is the most messages that are played before a question.
const MaxScript = 20

func checkAll(es []Expectation) error {
	for _, e := range es {
		if err := e.check(); err != nil {
			return err
		}
	}
	return nil
}

func (e Expectation) check() error {
	if e.Within < 0 || e.Within > 0 && e.Kind != Gives {
		return fmt.Errorf("%q cannot be off by %g", e.Kind, e.Within)
	}
	switch e.Kind {
	case Refuses, AsksBack, HandsOver:
	case Mentions, NotMentions, Cites, Follows:
		if len(e.Values) == 0 {
			return fmt.Errorf("%q names no wording", e.Kind)
		}
	case Reaches:
		if len(e.Values) == 0 || e.Document == "" {
			return fmt.Errorf("%q needs a passage and its document", e.Kind)
		}
	case Gives:
		if len(e.Values) == 0 {
			return fmt.Errorf("%q names no figure", e.Kind)
		}
		for _, v := range e.Values {
			if len(text.Quantities(v)) != 1 {
				return fmt.Errorf("%q is not one figure", v)
			}
		}
	case Short:
		if len(e.Values) != 1 || mostWords(e) <= 0 {
			return fmt.Errorf("%q needs the most words that the reply may have", e.Kind)
		}
	case Language:
		if len(e.Values) == 0 {
			return fmt.Errorf("%q names no language", e.Kind)
		}
		for _, v := range e.Values {
			if len(v) != 2 {
				return fmt.Errorf("%q is no ISO 639-1 code", v)
			}
		}
	default:
		return fmt.Errorf("unknown expectation %q", e.Kind)
	}
	return nil
}

func mostWords(e Expectation) int {
	n, err := strconv.Atoi(strings.TrimSpace(e.Values[0]))
	if err != nil {
		return 0
	}
	return n
}
