package rule

import (
	"context"
	"fmt"
)

// The kinds of warning.
const (
	Overlap  = "overlap"  // two rules hold for the same message
	Behind   = "behind"   // a rule is never reached
	Shadows  = "shadows"  // a fixed reply stands before what the sources say
	Disagree = "disagree" // a fixed reply gives other figures than the sources
)

// Warning points at a rule that may not do what it is meant to.
type Warning struct {
	Rule  string `json:"rule"` // id
	Kind  string `json:"kind" enum:"overlap,behind,shadows,disagree"`
	Other string `json:"other,omitempty" doc:"Id of the other rule"`
	Text  string `json:"text"`
}

// Warnings finds rules that hold for another rule's examples, and rules behind one that holds for everything and stops.
func (m *Matcher) Warnings(ctx context.Context, rules []Rule) ([]Warning, error) {
	out := []Warning{}
	for i, a := range rules {
		if a.Off {
			continue
		}
		if !a.When.said() && !a.When.somewhere() && !a.When.Unanswered && a.Stop {
			for _, b := range rules[i+1:] {
				out = append(out, Warning{b.ID, Behind, a.ID, fmt.Sprintf("it is never reached: “%s” holds for whatever is said, and stops", a.Name)})
			}
		}
		for _, b := range rules[i+1:] {
			if b.Off {
				continue
			}
			w, err := m.overlap(ctx, a, b)
			if err != nil {
				return nil, err
			}
			out = append(out, w...)
		}
	}
	return out, nil
}

// overlap warns once of two rules of which one holds for an example of the other.
func (m *Matcher) overlap(ctx context.Context, a, b Rule) ([]Warning, error) {
	for _, pair := range [][2]Rule{{a, b}, {b, a}} {
		holds, of := pair[0], pair[1]
		if !holds.When.said() {
			continue
		}
		for _, example := range append(append([]string{}, of.When.Like...), of.When.Contains...) {
			x, err := m.Match(ctx, holds, Message{Text: example})
			if err != nil {
				return nil, err
			}
			if !x.Holds {
				continue
			}
			text := fmt.Sprintf("“%s” of “%s” fires “%s” too: %s", example, of.Name, holds.Name, x.Why)
			if a.Stop {
				text += fmt.Sprintf(". “%s” comes first and stops", a.Name)
			}
			return []Warning{{b.ID, Overlap, a.ID, text}}, nil
		}
	}
	return nil, nil
}

// Labelled is a message with the rules that ought to fire for it.
type Labelled struct {
	Text  string   `json:"text" maxLength:"4000"`
	Rules []string `json:"rules" nullable:"false" doc:"Ids; empty for none"`
}

// Tested is how a rule fares on labelled messages.
type Tested struct {
	Rule      string   `json:"rule"`
	Right     int      `json:"right"`
	Wrong     []string `json:"wrong" nullable:"false" doc:"Messages for which it fired and ought not to have"`
	Missed    []string `json:"missed" nullable:"false" doc:"Messages for which it ought to have fired"`
	Precision float64  `json:"precision"`
	Recall    float64  `json:"recall"`
}

// Test holds each rule against labelled messages, one at a time, whatever stands before it.
func (m *Matcher) Test(ctx context.Context, rules []Rule, messages []Labelled) ([]Tested, error) {
	out := make([]Tested, len(rules))
	for i, r := range rules {
		t := Tested{Rule: r.ID, Wrong: []string{}, Missed: []string{}}
		for _, l := range messages {
			x, err := m.Match(ctx, r, Message{Text: l.Text})
			if err != nil {
				return nil, err
			}
			want := false
			for _, id := range l.Rules {
				want = want || id == r.ID
			}
			switch {
			case x.Holds && want:
				t.Right++
			case x.Holds:
				t.Wrong = append(t.Wrong, l.Text)
			case want:
				t.Missed = append(t.Missed, l.Text)
			}
		}
		t.Precision, t.Recall = share(t.Right, len(t.Wrong)), share(t.Right, len(t.Missed))
		out[i] = t
	}
	return out, nil
}

func share(right, wrong int) float64 {
	if right+wrong == 0 {
		return 0
	}
	return float64(right) / float64(right+wrong)
}
