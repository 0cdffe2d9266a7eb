// Package questions holds expected questions as data: what is asked, what must hold of the reply, where in a document what is expected
// stands, and the files that sets are read from and written to. It also proposes questions, and puts them in other ways.
package questions

import (
	"fmt"
	"slices"
	"strconv"
	"strings"

	"jolvex/core/query"
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
		if err := e.Check(); err != nil {
			return err
		}
	}
	return nil
}

// Check reports what is wrong with an expectation.
func (e Expectation) Check() error {
	k, ok := KindOf(e.Kind)
	if !ok {
		return fmt.Errorf("unknown expectation %q", e.Kind)
	}
	if e.Within < 0 || e.Within > 0 && e.Kind != Gives {
		return fmt.Errorf("%q cannot be off by %g", e.Kind, e.Within)
	}
	return k.check(e)
}

// Is reports whether an expectation is of one of some sorts.
func (e Expectation) Is(sorts ...Sort) bool {
	k, ok := KindOf(e.Kind)
	return ok && slices.Contains(sorts, k.Sort)
}

// MostWords is how many words a reply may have that an expectation wants short; 0 when it does not say.
func MostWords(e Expectation) int {
	n, err := strconv.Atoi(strings.TrimSpace(e.Values[0]))
	if err != nil {
		return 0
	}
	return n
}
