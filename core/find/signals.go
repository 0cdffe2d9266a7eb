package find

import (
	"context"
	"maps"
	"math"
	"slices"

	"jolvex/core/index"
	"jolvex/core/query"
	"jolvex/core/text"
)

// The signals of which a score is made.
const (
	SignalTitle     = "title"
	SignalHeadings  = "headings"
	SignalBody      = "body"
	SignalMeaning   = "meaning"
	SignalSentence  = "sentence"
	SignalCoverage  = "coverage"
	SignalProximity = "proximity"
	SignalNamed     = "named"
	SignalFigure    = "figure"
	SignalFresh     = "fresh"
	SignalSource    = "source"
	SignalSettled   = "settled"
)

// SignalKind is one row of the table of signals. A signal is added here and, when it has a weight of its own, as a setting; everything
// else - the ranking, its reasons in words, fitting, what each part is worth, names on screen - reads the table.
type SignalKind struct {
	Name  string `json:"name"`
	Label string `json:"label" doc:"As people call it"`
	// Setting is the key of the setting that weighs it, in Settings' JSON; "" for a signal of words, of which the fusion makes points.
	Setting string `json:"setting,omitempty"`

	weight func(*Settings) *float64
	// value of a chunk; false where it says nothing. nil for what fusion and the nearest sentence give.
	value func(ctx context.Context, k *ranker, r *Ranked) (float64, bool, error)
	// middle is the value that neither adds nor takes.
	middle float64
	words  func(value float64) string // "" for those that are told together
	end    float64                    // how far a fit may move its weight, from 0; 0 for not at all
	// without is the weight at which it has no say.
	without float64
}

// Signals is the one table of ranking signals, in the order in which they are shown. It is not to be changed.
func Signals() []SignalKind { return signals }

// signals is made once: every ranking reads it.
var signals = table()

// signalNamed finds a row of the table.
func signalNamed(name string) (SignalKind, bool) {
	for _, k := range signals {
		if k.Name == name {
			return k, true
		}
	}
	return SignalKind{}, false
}

func table() []SignalKind {
	return []SignalKind{
		{Name: SignalTitle, Label: "title", Setting: "title", weight: func(s *Settings) *float64 { return &s.Title }, without: 1},
		{Name: SignalHeadings, Label: "headings", Setting: "path", weight: func(s *Settings) *float64 { return &s.Path }, without: 1},
		{Name: SignalBody, Label: "body"},
		{Name: SignalMeaning, Label: "meaning", Setting: "dense", words: degrees("means much the same", "is alike in meaning", "is little alike in meaning")},
		{
			Name: SignalSentence, Label: "nearest sentence", Setting: "sentence", weight: func(s *Settings) *float64 { return &s.Sentence }, end: 1,
			words: degrees("one sentence says nearly this", "one sentence comes near", "no sentence comes near"),
		},
		{
			Name: SignalCoverage, Label: "words covered", Setting: "coverage", weight: func(s *Settings) *float64 { return &s.Coverage }, end: 2,
			value: func(_ context.Context, k *ranker, r *Ranked) (float64, bool, error) {
				return k.coverage(r.Number), true, nil
			},
			words: degrees("covers the rare words too", "covers some of the rare words", "misses the rare words"),
		},
		{
			Name: SignalProximity, Label: "words together", Setting: "proximity", weight: func(s *Settings) *float64 { return &s.Proximity }, end: 2,
			value: func(_ context.Context, k *ranker, r *Ranked) (float64, bool, error) {
				return k.proximity(r.Number), true, nil
			},
			words: degrees("the words stand together", "the words stand near each other", "the words stand apart"),
		},
		{
			Name: SignalNamed, Label: "heading says it", Setting: "named", weight: func(s *Settings) *float64 { return &s.Named }, end: 2,
			value: func(_ context.Context, k *ranker, r *Ranked) (float64, bool, error) {
				return k.named(r.Entry), true, nil
			},
			words: degrees("its heading is what was asked", "its heading comes near", "its heading touches on it"),
		},
		{
			Name: SignalFigure, Label: "kind of answer", Setting: "figure", weight: func(s *Settings) *float64 { return &s.Figure }, end: 1,
			value: kindOfAnswer,
			words: func(float64) string { return "holds the kind of thing asked for" },
		},
		{
			Name: SignalFresh, Label: "freshness", Setting: "fresh", weight: func(s *Settings) *float64 { return &s.Fresh }, end: 1, middle: 0.5,
			value: func(_ context.Context, k *ranker, r *Ranked) (float64, bool, error) {
				dated := r.Entry.Dated
				return math.Exp2(-float64(max(0, k.lib.AsOf-dated)) / halfLife), dated > 0 && k.lib.AsOf > 0, nil
			},
			words: degrees("was changed lately", "was changed some time ago", "was changed long ago"),
		},
		{
			Name: SignalSource, Label: "source priority", Setting: "source", weight: func(s *Settings) *float64 { return &s.Source },
			value: func(_ context.Context, k *ranker, r *Ranked) (float64, bool, error) {
				p := float64(k.lib.Priority[r.Entry.Source])
				return p, p != 0, nil
			},
			words: func(value float64) string {
				if value > 0 {
					return "comes from a preferred source"
				}
				return "comes from a source held back"
			},
		},
		{
			Name: SignalSettled, Label: "settled answer", Setting: "settled", weight: func(s *Settings) *float64 { return &s.Settled },
			value: func(_ context.Context, k *ranker, r *Ranked) (float64, bool, error) {
				if r.Entry.Marks&index.Settled == 0 {
					return 0, false, nil
				}
				return Catches(k.reading.Alone, settledFor(r.Entry), r.Nearest, k.rare), true, nil
			},
			words: func(float64) string { return "is a settled answer" },
		},
	}
}

// least is the share of the words, by rarity, of the one of two questions that says less, that both must have, so that a settled answer takes a
// question that is not as good as its own. Of 130 questions to a swimming bath (`evaluate -only grouping`), 17 answers of three wordings take 2.8 %
// of the others without it, and 1.5 % with it; of other wordings of the same 18 of 25, and 11.
const least = .3

// Catches is how far a settled answer takes a question for its own, 0 to 1: by how alike it is to the question that the answer was written for, and
// not at all where the two speak of different things of one kind, or have in common only what everybody says. rarity weighs a stem.
func Catches(asked, settled string, likeness float64, rarity func(stem string) float64) float64 {
	if likeness <= alike || query.Other(asked, settled) {
		return 0
	}
	if likeness < same && shared(text.Stems(asked), text.Stems(settled), rarity) < least {
		return 0
	}
	return min(1, (likeness-alike)/(same-alike))
}

// shared is the share, by rarity, of the words of the one of two texts that says less, that the other has too.
func shared(a, b map[string]bool, rarity func(string) float64) float64 {
	sum := func(of map[string]bool, in func(string) bool) float64 {
		x := 0.0
		for _, w := range slices.Sorted(maps.Keys(of)) { // the sum of floats depends on their order
			if in(w) {
				x += rarity(w)
			}
		}
		return x
	}
	all := func(string) bool { return true }
	small := min(sum(a, all), sum(b, all))
	if small == 0 {
		return 0
	}
	return sum(a, func(w string) bool { return b[w] }) / small
}

// settledFor is the question that a settled answer was written for: it answers near wordings of it, and nothing about another thing.
func settledFor(e *index.Entry) string {
	if n := len(e.Path); n > 0 {
		return e.Path[n-1]
	}
	return e.Title
}

// Weight is where settings hold the signal's weight; nil for a signal that has none of its own.
func (k SignalKind) Weight(s *Settings) *float64 {
	if k.weight == nil {
		return nil
	}
	return k.weight(s)
}

// Without is the weight at which the signal has no say.
func (k SignalKind) Without() float64 { return k.without }

// points are what a value adds to the score under a weight.
func (k SignalKind) points(weight, value float64) float64 { return weight * (value - k.middle) }

// degrees words a value of 0 to 1 by its height.
func degrees(high, middle, low string) func(float64) string {
	return func(v float64) string {
		switch {
		case v >= 0.6:
			return high
		case v >= 0.35:
			return middle
		}
		return low
	}
}

// kindOfAnswer tells whether a chunk holds the kind of thing that the question asks for.
func kindOfAnswer(ctx context.Context, k *ranker, r *Ranked) (float64, bool, error) {
	if len(k.reading.Wants)+len(k.reading.Seeks) == 0 {
		return 0, false, nil
	}
	holds, err := k.lib.Memory.Holds(ctx, r.Entry, k.lib.Texts, k.lib.Sentence)
	if err != nil {
		return 0, false, err
	}
	for _, w := range k.reading.Wants {
		if holds[string(w)] {
			return 1, true, nil
		}
	}
	return 1, len(k.reading.Wants) == 0 && holds[k.reading.Seeks[0]], nil
}
