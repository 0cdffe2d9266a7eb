package answer

import (
	"context"
	"strings"
	"time"

	"jolvex/core/query"
	"jolvex/core/rule"
	"jolvex/core/text"
)

// obey works out what the house rules make of a message.
func (b Bench) obey(ctx context.Context, q query.Question, unanswered bool) (*rule.State, error) {
	if len(b.Rules) == 0 || b.Matcher == nil {
		return nil, nil
	}
	msg := rule.Message{Text: q.Text, Page: b.Page, Campaign: b.Campaign, Place: b.Place}
	if at, err := time.Parse(time.RFC3339, b.Pins.AsOf); err == nil {
		msg.At = at
	}
	if code, sure := text.Language(q.Text); sure {
		msg.Language = code
	}
	s, err := b.Matcher.Walk(ctx, b.Rules, q.Turns, msg, unanswered)
	return &s, err
}

// byRule is a trail whose reply a rule gives; nil when the rules leave the answer to the sources.
func byRule(q query.Question, s *rule.State, b Bench) *Trail {
	if s == nil || s.Say == "" && s.HandOver == nil {
		return nil
	}
	t := &Trail{Question: q.Text, Turns: q.Turns, Bar: b.Answer.Bar, Pins: b.Pins, Candidates: []Candidate{}, Rules: s, Outcome: ByRule, Why: "a house rule: " + firedNames(s)}
	t.Reading = query.Reading{Kind: query.Ask, Wordings: []query.Wording{{Pass: query.PassAsked, Text: strings.TrimSpace(q.Text)}}}
	said := s.Say
	if s.Form != nil && !s.Form.Done && !s.Form.Cancelled && !s.Form.Failed {
		t.Outcome = AskedBack
	}
	if s.HandOver != nil {
		t.Outcome = HandedOver
		if said == "" {
			said = s.HandOver.Text
		}
		if said == "" {
			said = b.Answer.TurnTo
		}
	}
	for _, x := range append(append(append([]string{}, s.Before...), said), s.Lines...) {
		if x = strings.TrimSpace(x); x != "" {
			t.Reply = append(t.Reply, inOwnWords(x)...)
		}
	}
	return t
}

// toAPerson answers somebody who asks for a person where no house rule does: where to turn is told, in place of a reply that none was
// asked for, or after one.
func (a *asking) toAPerson(t *Trail, rules *rule.State) {
	at := rule.AsksForPerson(t.Question)
	if at == nil || rules != nil && len(rules.Fired) > 0 || t.Outcome == ByRule || t.Outcome == HandedOver {
		return
	}
	rest := len(text.Content(t.Question[:at[0]])) + len(text.Content(t.Question[at[1]:]))
	if rest > 1 { // something is asked besides: that it has no answer stays told
		if t.Outcome == Answered && a.Answer.TurnTo != "" && !strings.Contains(t.Text(), a.Answer.TurnTo) {
			t.Reply = append(t.Reply, inOwnWords(a.Answer.TurnTo)...)
		}
		return
	}
	t.Reply, t.Parts, t.Support = inOwnWords(strings.TrimSpace(a.Answer.Person+" "+a.Answer.TurnTo)), nil, 0
	t.Outcome, t.Why = HandedOver, "a person is asked for; where to turn is told"
	if a.Answer.TurnTo == "" {
		t.Outcome, t.Why = Refused, "a person is asked for, and the method does not say where to turn"
	}
}

func firedNames(s *rule.State) string {
	var names []string
	for _, f := range s.Fired {
		names = append(names, f.Name)
	}
	return strings.Join(names, ", ")
}

// beside puts what rules say beside an answer.
func (t *Trail) beside(s *rule.State) {
	if s == nil {
		return
	}
	t.Rules = s
	if t.Outcome == Refused && len(s.Before) > 0 { // what a rule says is an answer: that nothing was found would contradict it
		t.Outcome, t.Why = ByRule, "a house rule: "+firedNames(s)+"; the sources have no answer"
		t.Reply, t.Parts = nil, nil
	}
	var before []Sentence
	for _, x := range s.Before {
		before = append(before, inOwnWords(x)...)
	}
	for i := range t.Parts {
		t.Parts[i].From, t.Parts[i].To = t.Parts[i].From+len(before), t.Parts[i].To+len(before)
	}
	t.Reply = append(before, t.Reply...)
	for _, x := range s.Lines {
		t.Reply = append(t.Reply, inOwnWords(x)...)
	}
}
