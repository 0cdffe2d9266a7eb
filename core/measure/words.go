package measure

import (
	"regexp"
	"strings"
	"unicode"
)

// RougeL is the F-measure of the longest common subsequence of two runs of words, recall and precision counting alike
// (Lin 2004, "ROUGE: A Package for Automatic Evaluation of Summaries", section 3.1, with beta 1).
func RougeL(got, want []string) float64 {
	if len(got) == 0 || len(want) == 0 {
		if len(got) == len(want) {
			return 1
		}
		return 0
	}
	row := make([]int, len(want)+1)
	for _, g := range got {
		last := 0
		for j, w := range want {
			keep := row[j+1]
			if g == w {
				row[j+1] = last + 1
			} else {
				row[j+1] = max(row[j+1], row[j])
			}
			last = keep
		}
	}
	n := float64(row[len(want)])
	if n == 0 {
		return 0
	}
	p, r := n/float64(len(got)), n/float64(len(want))
	return 2 * p * r / (p + r)
}

// RougeWords cuts a text into words as the library rouge-score does without its stemmer: lower case, everything but the letters a to z and
// digits parts words.
func RougeWords(s string) []string {
	return strings.FieldsFunc(strings.ToLower(s), func(r rune) bool { return (r < 'a' || r > 'z') && (r < '0' || r > '9') })
}

var wordRuns = regexp.MustCompile(`[\p{L}\p{N}_]+`)

// Squad brings an answer to the form in which the SQuAD script compares them: lower case, no ASCII punctuation, no articles, one
// space between words (Rajpurkar et al. 2016).
func Squad(s string) []string {
	s = strings.Map(func(r rune) rune {
		if r < 128 && (unicode.IsPunct(r) || unicode.IsSymbol(r)) {
			return -1
		}
		return r
	}, strings.ToLower(s))
	return strings.Fields(wordRuns.ReplaceAllStringFunc(s, func(w string) string {
		if w == "a" || w == "an" || w == "the" {
			return " "
		}
		return w
	}))
}

// SquadF1 is the best token F1 of an answer against several reference answers (Rajpurkar et al. 2016). A question without an
// answer has the one reference "", which an empty answer matches (Rajpurkar, Jia and Liang 2018).
func SquadF1(got string, want []string) float64 {
	best := 0.0
	for _, w := range want {
		best = max(best, TokenF1(Squad(got), Squad(w)))
	}
	return best
}

// Precision is the share of the first k results that are right, and Recall the share of what is right that is among them
// (Manning, Raghavan and Schütze 2008, section 8.4). right tells for each result whether it is; all is how many there are.
func Precision(right []bool, k int) float64 {
	if k <= 0 {
		return 0
	}
	return float64(hits(right, k)) / float64(k)
}

// Recall: see Precision. It is 0 when nothing is right anywhere.
func Recall(right []bool, all, k int) float64 {
	if all == 0 {
		return 0
	}
	return float64(hits(right, k)) / float64(all)
}

func hits(right []bool, k int) int {
	n := 0
	for _, r := range right[:min(k, len(right))] {
		if r {
			n++
		}
	}
	return n
}
