// Package ground tells whether evidence carries a sentence: figures, names and denials to the letter, the rest by words and meaning.
package ground

import (
	"context"
	"fmt"
	"math"
	"regexp"
	"slices"
	"strings"
	"unicode"
	"unicode/utf8"

	"jolvex/core/embed"
	"jolvex/core/text"
)

// The kinds of trouble that a sentence can have with its evidence.
const (
	Figure   = "figure"   // a number, price, date, time, link, telephone number or address that does not stand there
	Name     = "name"     // a name that does not stand there
	Negation = "negation" // it denies what stands there, or says what is denied there
	Opposite = "opposite" // it says the opposite: open for closed, before for after
	Deed     = "deed"     // it claims to have done what the assistant cannot do
	Subject  = "subject"  // nothing there is about this
)

// Trouble is one reason why a sentence is not what its evidence says.
type Trouble struct {
	Kind string `json:"kind" enum:"figure,name,negation,opposite,deed,subject"`
	Said string `json:"said"` // the words in question
}

// Grounding is how well evidence carries one sentence.
type Grounding struct {
	Score    float64   `json:"score"` // 0 to 1; 0.5 is where it is more likely carried than not
	Contain  float64   `json:"contain" doc:"Share of the sentence's words that stand in the nearest passage, rare ones counting more"`
	Like     float64   `json:"like" doc:"Likeness of meaning to the nearest sentence of the evidence"`
	Troubles []Trouble `json:"troubles,omitempty" nullable:"false"`
	Opinion  string    `json:"opinion,omitempty" enum:"yes,no" doc:"What the model says to whether the evidence carries it, where it was asked"`
}

// Grounder weighs sentences against evidence.
type Grounder struct {
	Sentence embed.Embedder
	Encoded  bool                      // Sentence is the sentence encoder
	Rarity   func(stem string) float64 // how rare a stem is in the corpus; nil counts all alike
}

// Source is a passage that a sentence is held against.
type Source struct {
	Text    string
	Heading string // title and headings: words that stand there stand in the passage, too
}

// Check weighs a sentence against passages. asked is the question: its figures and names may be said again.
func (g Grounder) Check(ctx context.Context, said, asked string, evidence []Source) (Grounding, error) {
	var out Grounding
	if deed := deeds.FindString(said); deed != "" {
		out.Troubles = append(out.Troubles, Trouble{Deed, deed})
	}
	out.Troubles = append(out.Troubles, unknownFigures(said, asked, evidence)...)
	out.Troubles = append(out.Troubles, unknownCodes(said, asked, evidence)...)
	out.Troubles = append(out.Troubles, unknownNames(said, asked, evidence)...)
	windows := windowsOf(evidence)
	if len(windows) == 0 {
		out.Troubles = append(out.Troubles, Trouble{Subject, said})
		return out, nil
	}
	words := text.Content(said)
	best, closest, bestAt := -1.0, -1.0, 0
	for i, w := range windows {
		best = max(best, g.contained(words, w.stems))
		if o := overlap(said, w.text); o > closest {
			closest, bestAt = o, i
		}
	}
	out.Contain = max(0, best)
	like, nearest, err := g.nearest(ctx, said, windows)
	if err != nil {
		return out, err
	}
	out.Like = like
	against := windows[bestAt]
	if out.Contain < 0.5 && nearest >= 0 {
		against = windows[nearest]
	}
	if t, ok := denies(said, against); ok {
		out.Troubles = append(out.Troubles, t)
	}
	out.Score = g.score(out, len(words))
	if out.Contain < unrelated && out.Like < unlike {
		out.Troubles = append(out.Troubles, Trouble{Subject, said})
	}
	return out, nil
}

// Below both, nothing of the evidence is about the sentence.
const (
	unrelated = 0.3
	unlike    = 0.35
)

// score is a logistic function of containment and likeness; each trouble takes it below a half. The weights were set by hand
// so that a sentence of which half the words stand there, and that means much the same, lies at a half; tools/evaluate measures
// what comes of them on pairs made from the Debian FAQ and the demo by listed corruptions.
func (g Grounder) score(x Grounding, words int) float64 {
	z := -4.2 + 4.6*x.Contain + 3.4*x.Like
	if !g.Encoded {
		z = -4.0 + 5.2*x.Contain + 2.2*x.Like
	}
	if words < 3 { // little can be told of few words
		z = max(z, 0.2)
	}
	for _, t := range x.Troubles {
		z = min(z, 0) - weightOf[t.Kind]
	}
	return 1 / (1 + math.Exp(-z))
}

// weightOf is how much each kind of trouble takes.
var weightOf = map[string]float64{Figure: 2.5, Name: 1.5, Negation: 2, Opposite: 1.5, Deed: 4, Subject: 1}

// sighted is a sentence of the evidence with the one after it: a claim often needs two.
type sighted struct {
	text  string
	stems map[string]bool
	head  string
}

func windowsOf(evidence []Source) []sighted {
	var out []sighted
	for _, e := range evidence {
		var ss []string
		for _, line := range strings.Split(e.Text, "\n") {
			for _, p := range text.Sentences(line) {
				ss = append(ss, line[p.Start:p.End])
			}
		}
		head := text.Stems(e.Heading)
		for i, s := range ss {
			w := sighted{text: s, stems: text.Stems(s), head: e.Heading}
			if i+1 < len(ss) {
				for k := range text.Stems(ss[i+1]) {
					w.stems[k] = true
				}
			}
			for k := range head {
				w.stems[k] = true
			}
			out = append(out, w)
		}
	}
	return out
}

// contained is the share of a sentence's words that a window holds, by rarity. Figures are looked at by themselves.
func (g Grounder) contained(words []text.Word, has map[string]bool) float64 {
	sum, got := 0.0, 0.0
	for _, w := range words {
		if strings.ContainsAny(w.Norm, "0123456789") {
			continue
		}
		r := 1.0
		if g.Rarity != nil {
			r = g.Rarity(w.Stem)
		}
		sum += r
		if has[w.Stem] {
			got += r
		}
	}
	if sum == 0 {
		return 1
	}
	return got / sum
}

// nearest is the likeness of meaning of a sentence to the most alike of the windows' first sentences, and which that is.
func (g Grounder) nearest(ctx context.Context, said string, ws []sighted) (float64, int, error) {
	texts := make([]string, len(ws))
	for i, w := range ws {
		texts[i] = w.text
	}
	mine, err := g.Sentence.Embed(ctx, []string{said})
	if err != nil {
		return 0, -1, fmt.Errorf("embed a sentence of the reply: %w", err)
	}
	theirs, err := g.Sentence.Embed(ctx, texts)
	if err != nil {
		return 0, -1, fmt.Errorf("embed the evidence: %w", err)
	}
	best, at := -1.0, -1
	for i, v := range theirs {
		if c := embed.Cosine(mine[0], v); c > best {
			best, at = c, i
		}
	}
	return max(0, best), at, nil
}

// unknownFigures lists the figures of a sentence that neither the evidence nor the question holds, whatever way they are
// written: "£12.50" is "12.50 pounds", "half past nine" is "09:30". Bare numbers up to two, as in "one of", say nothing.
func unknownFigures(said, asked string, evidence []Source) []Trouble {
	type figure struct {
		kind  text.QuantityKind
		value string
	}
	have, numbers := map[figure]bool{}, map[string]bool{}
	take := func(s string) {
		for _, q := range text.Quantities(s) {
			have[figure{q.Kind, q.Value}] = true
			for _, n := range bareNumber.FindAllString(q.Value, -1) {
				numbers[strings.TrimLeft(n, "0")] = true
			}
		}
		for _, n := range bareNumber.FindAllString(s, -1) {
			numbers[strings.TrimLeft(n, "0")] = true
		}
	}
	for _, e := range evidence {
		take(e.Text)
		take(e.Heading)
	}
	take(asked)
	var out []Trouble
	for _, q := range text.Quantities(said) {
		words := said[q.Start:q.End]
		switch {
		case have[figure{q.Kind, q.Value}]:
			continue
		case q.Kind == text.Number && (small[q.Value] || numbers[strings.TrimLeft(q.Value, "0")]):
			continue
		}
		out = append(out, Trouble{Figure, words})
	}
	return out
}

var (
	bareNumber = regexp.MustCompile(`\d+(?:\.\d+)?`)
	small      = map[string]bool{"0": true, "1": true, "2": true}
)

// unknownCodes lists the words of letters and digits of a sentence - "A380", "gcc12" - that neither the evidence nor the question holds,
// and that are no figure.
func unknownCodes(said, asked string, evidence []Source) []Trouble {
	have := map[string]bool{}
	for _, e := range append([]Source{{Text: asked}}, evidence...) {
		for _, w := range text.Words(e.Text + " " + e.Heading) {
			have[w.Norm] = true
		}
	}
	figures := text.Quantities(said)
	var out []Trouble
	for _, w := range text.Words(said) {
		if !mixed.MatchString(w.Norm) || have[w.Norm] || slices.ContainsFunc(figures, func(q text.Quantity) bool { return q.Start < w.End && w.Start < q.End }) {
			continue
		}
		out = append(out, Trouble{Figure, said[w.Start:w.End]})
	}
	return out
}

// mixed is a word of letters and digits.
var mixed = regexp.MustCompile(`^[\p{L}\d]*(?:\p{L}\d|\d\p{L})[\p{L}\d]*$`)

// unknownNames lists the names of a sentence that neither the evidence nor the question holds: words with a capital that do
// not begin it.
func unknownNames(said, asked string, evidence []Source) []Trouble {
	have := map[string]bool{}
	take := func(s string) {
		for _, w := range text.Words(s) {
			have[w.Norm], have[w.Stem] = true, true
		}
	}
	for _, e := range evidence {
		take(e.Text)
		take(e.Heading)
	}
	take(asked)
	var out []Trouble
	for i, w := range text.Words(said) {
		r, _ := utf8.DecodeRuneInString(said[w.Start:])
		if i == 0 || !unicode.IsUpper(r) || len(w.Norm) < 3 || text.Stop(w.Norm) || have[w.Norm] || have[w.Stem] {
			continue
		}
		if before := strings.TrimRight(said[:w.Start], ` "'“‘(`); before == "" || strings.HasSuffix(before, ".") || strings.HasSuffix(before, ":") || strings.HasSuffix(before, "–") {
			continue // it begins a sentence
		}
		if calendar[w.Norm] {
			out = append(out, Trouble{Figure, said[w.Start:w.End]})
			continue
		}
		out = append(out, Trouble{Name, said[w.Start:w.End]})
	}
	return out
}

// calendar holds the days and months that are no names of people or places.
var calendar = en.Set("calendar")

// deeds are claims to have done, or to be about to do, what only a person or another system can. (Common practice, no
// published source.)
var deeds = en.Pattern("deeds")

var denial = en.Pattern("denial")

// opposites are words of which one cannot be said for the other. (Common practice, no published source.)
var opposites = pairs(`open closed; opens closes; before after; first last; minimum maximum; least most; free charged; allowed forbidden; permitted prohibited;
	possible impossible; included excluded; inside outside; arrive depart; arrival departure; early late; earlier later; increase decrease; higher lower; more less; enable disable;
	enabled disabled; always never; required optional; compulsory voluntary; stable unstable; upper lower; left right; north south; east west; morning evening; summer winter; start end; begin finish; accept refuse; all none;
	safe unsafe; same different; public private; old new; online offline; hot cold; full empty; entrance exit; import export; buy sell; weekday weekend`)

func pairs(s string) map[string]string {
	m := map[string]string{}
	for p := range strings.SplitSeq(s, ";") {
		ab := strings.Fields(p)
		m[ab[0]], m[ab[1]] = ab[1], ab[0]
	}
	return m
}

// denies tells a sentence that denies what the nearest passage says, says what it denies, or puts the opposite word.
func denies(said string, against sighted) (Trouble, bool) {
	if len(against.stems) == 0 {
		return Trouble{}, false
	}
	mine, theirs := denial.FindAllString(said, -1), denial.FindAllString(against.text, -1)
	if overlap(said, against.text) >= alikeEnough && (len(mine)%2 != len(theirs)%2) {
		what := strings.Join(mine, " ")
		if what == "" {
			what = "says what “" + strings.Join(theirs, " ") + "” denies"
		}
		return Trouble{Negation, what}, true
	}
	have := map[string]bool{}
	for _, w := range text.Words(against.text) {
		have[w.Norm] = true
	}
	own := normSet(said)
	for _, w := range text.Words(said) {
		if o, ok := opposites[w.Norm]; ok && !have[w.Norm] && have[o] && !own[o] {
			return Trouble{Opposite, said[w.Start:w.End]}, true
		}
	}
	return Trouble{}, false
}

// alikeEnough is the share of its words that a sentence must share with another to deny it.
const alikeEnough = 0.6

func normSet(s string) map[string]bool {
	m := map[string]bool{}
	for _, w := range text.Words(s) {
		m[w.Norm] = true
	}
	return m
}

// overlap is the share of a's words, denials left out, that b holds.
func overlap(a, b string) float64 {
	in := text.Stems(b)
	n, all := 0, 0
	for _, w := range text.Content(a) {
		if denial.MatchString(w.Norm) {
			continue
		}
		all++
		if in[w.Stem] {
			n++
		}
	}
	if all == 0 {
		return 0
	}
	return float64(n) / float64(all)
}

// Has reports whether a grounding has a kind of trouble.
func (g Grounding) Has(kind string) bool {
	return slices.ContainsFunc(g.Troubles, func(t Trouble) bool { return t.Kind == kind })
}
