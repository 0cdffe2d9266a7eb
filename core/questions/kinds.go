package questions

import (
	"fmt"

	"jolvex/core/text"
)

// The kinds of expectation.
const (
	Mentions    = "mentions"
	NotMentions = "notMentions"
	Gives       = "gives"
	Cites       = "cites"
	Reaches     = "reaches"
	Refuses     = "refuses"
	AsksBack    = "asksBack"
	HandsOver   = "handsOver"
	Follows     = "follows"
	Short       = "short"
	Language    = "language"
)

// Sort groups kinds of expectation by what becomes of them: what is measured of them, and where the cause of a failure is looked for.
type Sort string

// The sorts of expectation.
const (
	Fact    Sort = "fact"    // something is said: counts for fact coverage
	Place   Sort = "place"   // something is found or cited: has a rank
	Form    Sort = "form"    // how the reply is to be, and what it is not to say: no reply at all breaches it not
	Outcome Sort = "outcome" // how the reply ends
	Rule    Sort = "rule"    // a house rule fires
)

// Kind is one kind of expectation.
type Kind struct {
	Name   string `json:"name"`
	Label  string `json:"label" doc:"As people call it; the reply, or the search, is its subject"`
	Values string `json:"values" doc:"What stands in its values, in words; empty for nothing"`
	Sort   Sort   `json:"sort" enum:"fact,place,form,outcome,rule"`
	check  func(Expectation) error
}

// Kinds is the one table of kinds of expectation, in the order in which they are offered. What checks a reply for each stands in
// core/prove, where the cause of its failure is looked for in core/diagnose; a kind that lacks either fails a test there. It is not to be
// changed.
func Kinds() []Kind { return kinds }

var kinds = table()

func table() []Kind {
	return []Kind{
		{Mentions, "says", "one of these wordings", Fact, wording},
		{Gives, "gives", "one of these figures", Fact, oneFigureEach},
		{NotMentions, "does not say", "any of these wordings", Form, wording},
		{Cites, "cites", "one of these pages", Place, wording},
		{Reaches, "finds the passage", "words of the passage", Place, func(e Expectation) error {
			if len(e.Values) == 0 || e.Document == "" {
				return fmt.Errorf("%q needs a passage and its document", e.Kind)
			}
			return nil
		}},
		{Refuses, "refuses", "", Outcome, nothing},
		{AsksBack, "asks back", "", Outcome, nothing},
		{HandsOver, "hands over", "", Outcome, nothing},
		{Follows, "follows the house rule", "name of the rule", Rule, wording},
		{Short, "has at most so many words", "a number", Form, func(e Expectation) error {
			if len(e.Values) != 1 || MostWords(e) <= 0 {
				return fmt.Errorf("%q needs the most words that the reply may have", e.Kind)
			}
			return nil
		}},
		{Language, "is in the language", "code, such as en", Form, languageCodes},
	}
}

// KindOf finds a kind by its name.
func KindOf(name string) (Kind, bool) {
	for _, k := range kinds {
		if k.Name == name {
			return k, true
		}
	}
	return Kind{}, false
}

func nothing(Expectation) error { return nil }

func wording(e Expectation) error {
	if len(e.Values) == 0 {
		return fmt.Errorf("%q names no wording", e.Kind)
	}
	return nil
}

func oneFigureEach(e Expectation) error {
	if len(e.Values) == 0 {
		return fmt.Errorf("%q names no figure", e.Kind)
	}
	for _, v := range e.Values {
		if len(text.Quantities(v)) != 1 {
			return fmt.Errorf("%q is not one figure", v)
		}
	}
	return nil
}

func languageCodes(e Expectation) error {
	if len(e.Values) == 0 {
		return fmt.Errorf("%q names no language", e.Kind)
	}
	for _, v := range e.Values {
		if len(v) != 2 {
			return fmt.Errorf("%q is no ISO 639-1 code", v)
		}
	}
	return nil
}
