package query

import (
	"cmp"
	"math"
	"regexp"
	"slices"
	"strings"
)

// Together finds what stands for what though no text says so: short forms and the phrases with their initials that are used in
// the same documents more often than chance would have it. The zero value is ready for use.
type Together struct {
	documents int
	shorts    map[string]map[int]bool   // short form -> documents
	phrases   map[string]int            // phrase, lower case -> documents, once counted
	initials  map[string]map[string]int // initials, lower case -> phrase -> documents with the short form
	sentences map[string]string         // a sentence with the short form
}

// Company is a short form and the phrase that keeps company with it.
type Company struct {
	Abbreviation
	Documents int     // that hold both
	Ratio     float64 // log-likelihood ratio
	Example   string
}

var (
	capitals = regexp.MustCompile(`\b[A-Z]{2,5}s?\b`)
	wordRun  = regexp.MustCompile(`[\p{L}][\p{L}'’-]*`)
)

// minor words of a phrase may lack a letter in the short form.
var minor = en.Set("minor-word")

// Add reads a document, block by block, for short forms and the phrases beside them that have their initials. Once all were
// added, Count is to be given them again.
func (t *Together) Add(blocks []string) {
	if t.shorts == nil {
		t.shorts, t.phrases, t.initials, t.sentences = map[string]map[int]bool{}, map[string]int{}, map[string]map[string]int{}, map[string]string{}
	}
	id := t.documents
	t.documents++
	here := map[string]bool{}
	for _, b := range blocks {
		if b == strings.ToUpper(b) {
			continue // shouted: capitals tell nothing
		}
		for _, s := range capitals.FindAllString(b, -1) {
			s = strings.TrimSuffix(s, "s")
			if t.shorts[s] == nil {
				t.shorts[s] = map[int]bool{}
				t.sentences[s] = b
			}
			t.shorts[s][id] = true
			here[strings.ToLower(s)] = true
		}
	}
	if len(here) == 0 {
		return
	}
	for p, initials := range phrasesOf(blocks) {
		if !here[initials] {
			continue
		}
		if t.initials[initials] == nil {
			t.initials[initials] = map[string]int{}
		}
		t.initials[initials][p]++
		t.phrases[p] = 0
	}
}

// Count counts the documents of each phrase that Add has found.
func (t *Together) Count(blocks []string) {
	for p := range phrasesOf(blocks) {
		if n, ok := t.phrases[p]; ok {
			t.phrases[p] = n + 1
		}
	}
}

// phrasesOf gives the phrases of two to five words that count, minor ones between them left in, with their initials.
func phrasesOf(blocks []string) map[string]string {
	out := map[string]string{}
	for _, b := range blocks {
		words := wordRun.FindAllString(strings.ToLower(b), -1)
		for i := range words {
			if minor[words[i]] {
				continue
			}
			initials := ""
			for j := i; j < len(words) && len(initials) < 5 && j < i+8; j++ {
				if minor[words[j]] {
					continue
				}
				if initials += string([]rune(words[j])[0]); len(initials) >= 2 {
					out[strings.Join(words[i:j+1], " ")] = initials
				}
			}
		}
	}
	return out
}

// sure is the log-likelihood ratio from which company is no chance: the 0.1 % point of chi-squared with one degree of freedom.
const sure = 10.83

// Find lists the pairs, the surest first: for each short form the phrase with the highest log-likelihood ratio (Dunning 1993,
// "Accurate Methods for the Statistics of Surprise and Coincidence"), when two documents at least hold both and the ratio is
// beyond chance at 0.1 %. Phrases in one document alone, and short forms that are spelt out in brackets, are for Abbreviations.
func (t *Together) Find() []Company {
	var out []Company
	for short, in := range t.shorts {
		var best Company
		for p, both := range t.initials[strings.ToLower(short)] {
			if both < 2 {
				continue
			}
			r := likelihoodRatio(both, len(in), t.phrases[p], t.documents)
			if r > best.Ratio+1e-9 || r > best.Ratio-1e-9 && p < best.Long {
				best = Company{Abbreviation{short, p}, both, r, t.sentences[short]}
			}
		}
		if best.Ratio >= sure {
			out = append(out, best)
		}
	}
	slices.SortFunc(out, func(a, b Company) int {
		return cmp.Or(cmp.Compare(b.Ratio, a.Ratio), strings.Compare(a.Short, b.Short))
	})
	return out
}

// likelihoodRatio is -2 log lambda of two events in n documents that happen together in both of them, a and b times in all; 0
// when they happen together less often than chance would have it.
func likelihoodRatio(both, a, b, n int) float64 {
	k1, n1, k2, n2 := float64(both), float64(a), float64(b-both), float64(n-a)
	if n2 <= 0 || k1/n1 <= k2/n2 {
		return 0
	}
	l := func(p, k, n float64) float64 {
		s := 0.0
		if k > 0 {
			s += k * math.Log(p)
		}
		if n > k {
			s += (n - k) * math.Log(1-p)
		}
		return s
	}
	p := (k1 + k2) / (n1 + n2)
	return 2 * (l(k1/n1, k1, n1) + l(k2/n2, k2, n2) - l(p, k1, n1) - l(p, k2, n2))
}
