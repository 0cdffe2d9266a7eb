// Package support tells whether passages carry an answer to a question: features of the two, and one calibrated figure made of them.
package support

import (
	"math"
	"slices"
	"sort"
	"strings"
	"unicode"
	"unicode/utf8"

	"jolvex/core/lang"
	"jolvex/core/text"
)

// en is the language whose words are looked for.
var en = lang.English()

// Features of a question and the passage that would answer it. Support is made of them.
type Features struct {
	Soft    float64 `json:"soft"`    // coverage of the question's terms, like words counted in part, 0 to 1
	Exact   float64 `json:"exact"`   // coverage by shared words, 0 to 1
	Cosine  float64 `json:"cosine"`  // likeness of meaning of question and passage, -1 to 1
	Near    float64 `json:"near"`    // likeness of meaning of the question and the best single sentence or heading
	Unit    float64 `json:"unit"`    // the best single sentence's coverage, its headings included, 0 to 1
	Figure  float64 `json:"figure"`  // 1 when the kind of figure that is asked for stands there, -1 when not, 0 when none is asked for
	Heading float64 `json:"heading"` // how much of the nearest heading the question names, 0 to 1
	Margin  float64 `json:"margin"`  // how far Cosine stands out from that of the chunks that are merely about
	Missing float64 `json:"missing"` // 1 when a price or a way to reach somebody is asked for and no kept passage holds any, or the price is of something else
	Names   float64 `json:"names"`   // names, codes and figures in the question that the section of the best sentence does not hold, by count
	Lacks   float64 `json:"lacks"`   // the heaviest of the question's words that the section of the best sentence does not hold, not even by a like word: its share of their weight, 0 to 1
	Held    float64 `json:"held"`    // coverage of the question's terms by the section of the best sentence with its headings, like words counted in part, 0 to 1
	Told    float64 `json:"told"`    // likeness of meaning of the question and the best sentence in its surroundings, -1 to 1
	Strange float64 `json:"strange"` // names in the question that the whole corpus lacks, by count
}

// Calibration turns features into support, a logistic function of them: 0.5 is where answering and refusing weigh the same.
// The likenesses and the coverage of ByEncoder rest on a fit over public FAQs and manuals (tools/evaluate/fit.py), rounded; its bias and
// the weights of names, of what is lacking and of figures were set by hand on debian-faq and the open half of developers-reference: see
// docs/decisions/0003-support.md.
type Calibration struct {
	bias, soft, exact, held, cosine, near, unit, figure, without, heading, margin, names, lacks, missing, strange float64
}

var (
	ByWords   = Calibration{bias: -3.9, soft: 3.2, exact: 2.4, cosine: 3.1, near: 1.2, unit: 0.9, figure: 0.4, without: 0.4, heading: 0.2, names: -4, missing: -1.5, strange: -0.8}
	ByEncoder = Calibration{bias: -2.9, held: 1.0, cosine: 4.6, margin: 7.4, figure: 0.3, without: 0.7, names: -4, lacks: -3, missing: -1.5, strange: -1.2}
)

// ByMany is for the encoder of many languages, where question and passage are of one language; Across for those of two, which share no words:
// there, likeness of meaning and what is written alike in all languages, names and figures, is all there is. Set by hand on debian-reference in
// four languages (tools/evaluate -only languages -samples FILE) so that of its headings about one in twenty is wrongly refused within a
// language, and few questions about something else are answered: see docs/decisions/0027-languages.md.
var (
	ByMany = Calibration{bias: -2.3, held: 1, cosine: 4, margin: 9, figure: 0.3, without: 0.7, names: -4, lacks: -1.5, missing: -1.5, strange: -1.2}
	Across = Calibration{bias: -1.9, cosine: 4, margin: 9, names: -2, missing: -1.5}
)

// lacksFrom is the share of a question's weight from which a word that is lacking counts: below it, other words say what is asked.
const lacksFrom = 0.35

// Support is how likely a passage with some features answers, 0 to 1.
func (c Calibration) Support(f Features) float64 {
	z := c.bias + c.soft*f.Soft + c.exact*f.Exact + c.held*f.Held + c.cosine*f.Cosine + c.near*f.Near + c.unit*f.Unit + c.figured(f.Figure) + c.heading*f.Heading + c.margin*f.Margin + c.names*f.Names + c.lacks*max(0, f.Lacks-lacksFrom) + c.strange*f.Strange
	return 1 / (1 + math.Exp(-z))
}

// figured is what the kind of figure that is asked for is worth: that it stands there says little, that it does not says more.
func (c Calibration) figured(figure float64) float64 {
	if figure < 0 {
		return c.without * figure
	}
	return c.figure * figure
}

// Chunks that are merely about: those after the first few by likeness of meaning. A small corpus has few of them, so that
// some of a usual likeness are added.
const (
	aboutFrom  = 5
	aboutTo    = 20
	usual      = 0.15
	usualCount = 5
)

// Background is the likeness of meaning that a question has with chunks that are merely about.
func Background(cosines []float64) float64 {
	sorted := append([]float64(nil), cosines...)
	sort.Sort(sort.Reverse(sort.Float64Slice(sorted)))
	sum, n := float64(usualCount*usual), usualCount
	for i := aboutFrom; i < len(sorted) && i < aboutTo; i++ {
		sum += sorted[i]
		n++
	}
	return sum / float64(n)
}

// Strangers counts the names in a question that the corpus lacks: words with a capital that stand neither first nor in a
// text of capitals.
func Strangers(question, tongue string, v interface{ Frequency(stem string) int }) float64 {
	if allNouns[tongue] {
		return 0
	}
	n := 0
	small := strings.ToUpper(question) != question
	for i, w := range text.Words(question) {
		r, _ := utf8.DecodeRuneInString(question[w.Start:])
		if i > 0 && small && unicode.IsUpper(r) && len(w.Norm) > 2 && !text.Stop(w.Norm) && v.Frequency(w.Stem) == 0 {
			n++
		}
	}
	return float64(min(n, 2))
}

// ordinal finds numbers that count in a row: "12th".
var ordinal = en.Pattern("counting-number")

// abbreviation is how much a word all in capitals counts beside a name: the material may spell it out.
const abbreviation = 0.5

// allNouns are the languages (ISO 639-1) that begin every noun with a capital: it tells no name there.
var allNouns = map[string]bool{"de": true}

// Names are the stems of the names and numbers in a question, with how much each counts: words that begin with a capital and go on in
// small letters, other than the first, words of two digits or more, and words of three letters or more that are all capitals.
func Names(question, tongue string) map[string]float64 {
	out := map[string]float64{}
	figures := text.Quantities(question)
	for i, w := range text.Words(question) {
		if slices.ContainsFunc(figures, func(f text.Quantity) bool { return f.Kind != text.Number && f.Start <= w.Start && w.End <= f.End }) {
			continue // an amount is told by a range, or denied
		}
		word := question[w.Start:w.End]
		r, n := utf8.DecodeRuneInString(word)
		next, _ := utf8.DecodeRuneInString(word[n:])
		digits := 0
		for _, r := range word {
			if unicode.IsDigit(r) {
				digits++
			}
		}
		if ordinal.MatchString(w.Norm) {
			digits = 0
		}
		switch {
		case digits >= 2, i > 0 && !allNouns[tongue] && unicode.IsUpper(r) && unicode.IsLower(next) && !text.Stop(w.Norm):
			out[w.Stem] = 1
		case len(word) >= 3 && strings.ContainsFunc(word[n:], unicode.IsUpper) && word != strings.ToUpper(word): // macOS
			out[w.Stem] = 1
		case len(word) >= 3 && word == strings.ToUpper(word) && question != strings.ToUpper(question):
			out[w.Stem] = abbreviation
		}
	}
	return out
}

// Lacking is a support of passages of which none holds the kind of figure that is asked for.
func (c Calibration) Lacking(support float64) float64 { return less(support, c.missing) }

// less takes from a support what a further weight takes from its logit.
func less(support, weight float64) float64 {
	return 1 / (1 + (1-support)/support*math.Exp(-weight))
}

// How much the likeness of meaning of a sentence counts under the encoder of many languages, whose cosines lie closer than those of the one of
// English (the median of right passages .42 and, across languages, .36, against .61: tools/evaluate -only languages -samples); and across
// languages, where no words tell sentences apart beside it, twice that.
const (
	SpreadMany   = 1.5
	SpreadAcross = 3.0
)
