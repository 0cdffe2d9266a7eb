package query

import (
	"slices"
	"strings"

	"jolvex/core/index"
	"jolvex/core/text"
)

func (w *work) correctSpelling() string {
	kept := map[string]bool{} // terms of the glossary are written as they are meant to be
	for _, e := range w.tools.Glossary {
		for _, f := range append([]string{e.Term}, e.Means...) {
			for _, n := range normsOf(f) {
				kept[n] = true
			}
		}
	}
	fixed, note := correct(w.now, w.tools.Corpus, w.tools.Lexicon, kept)
	if !w.reword(fixed) {
		return "every word is known, or nothing is near"
	}
	w.replaced = true
	return note
}

func (w *work) joinAndSplit() string {
	if said := w.beside(compounds(w.now, w.tools.Corpus)); said != "" {
		return "also searched for: " + said
	}
	return "the corpus writes nothing otherwise"
}

// generalFrom is the fewest letters of a word that is mended by general English: short ones are as often names and codes.
const generalFrom = 5

// mostLetters is up to how many letters a word may be to be mended: longer ones are none, and finding what is near them takes long.
const mostLetters = 40

// correct replaces words that neither the corpus nor general English holds: by a word of the corpus one edit away, else by the
// commonest English word one edit away, else by the nearest word of the corpus. What is written like a name is left to the corpus; words
// that are kept, and those by which another language is known, stay as they are.
func correct(s string, c Corpus, lex Lexicon, kept map[string]bool) (fixed, note string) {
	var out strings.Builder
	var notes []string
	at := 0
	for _, w := range text.Words(s) {
		if w.Start < at || len(w.Norm) > mostLetters || text.Stop(w.Norm) || strings.ContainsAny(w.Norm, "0123456789.") {
			continue
		}
		if c.WordCount(w.Norm) > 0 || c.Frequency(w.Stem) > 0 || lex.Knows(w.Norm) || kept[w.Norm] || len(text.FunctionWord(w.Norm)) > 0 {
			continue
		}
		best, far := nearest(w.Norm, c)
		if _, ok := lex.(unlisted); ok && far > 1 {
			continue // another form of the word is as near
		}
		if written := s[w.Start:w.End]; far > 1 && len(w.Norm) >= generalFrom && (strings.ToLower(written) == written || opens(s, w.Start)) {
			if v := lex.OneEdit(w.Norm); v != "" {
				best = v
			}
		}
		if best == "" {
			continue
		}
		out.WriteString(s[at:w.Start])
		out.WriteString(best)
		at = w.End
		notes = append(notes, w.Norm+" → "+best)
	}
	out.WriteString(s[at:])
	return out.String(), strings.Join(notes, ", ")
}

// opens reports whether a sentence begins at a place, where any word may have a capital.
func opens(s string, at int) bool {
	before := strings.TrimRight(s[:at], " \t\n\"'“‘(")
	return before == "" || strings.ContainsAny(before[len(before)-1:], ".?!:;")
}

// nearest finds the corpus word closest to w: one edit for words of four or five letters, two from six on, and for
// three letters a swap alone; among equals the one in most chunks. The first letter must agree unless one edit mends it. The
// edits are given, too; without a word they are more than any limit.
func nearest(w string, c Corpus) (string, int) {
	limit := 0
	switch n := len([]rune(w)); {
	case n >= 6:
		limit = 2
	case n >= 3:
		limit = 1
	}
	if limit == 0 {
		return "", limit + 3
	}
	best, bestDist, bestCount := "", limit+1, 0
	c.Words("", func(v index.Word) {
		if len(v.Word) < 3 || text.Stop(v.Word) || len(text.FunctionWord(v.Word)) > 0 || len(v.Word)-len(w) > limit || len(w)-len(v.Word) > limit || strings.ContainsAny(v.Word, "0123456789") {
			return
		}
		d := Distance(w, v.Word, min(limit, bestDist))
		if d > limit || d == 2 && v.Word[0] != w[0] || len(w) == 3 && !sameLetters(w, v.Word) {
			return
		}
		if d < bestDist || d == bestDist && (v.Chunks > bestCount || v.Chunks == bestCount && v.Word < best) {
			best, bestDist, bestCount = v.Word, d, v.Chunks
		}
	})
	if best == "" {
		bestDist = limit + 3
	}
	return best, bestDist
}

func sameLetters(a, b string) bool {
	x, y := []rune(a), []rune(b)
	slices.Sort(x)
	slices.Sort(y)
	return slices.Equal(x, y)
}

// Distance is the number of insertions, deletions, replacements and swaps of neighbours between a and b, no part being
// edited twice (optimal string alignment, Damerau 1964). Above most it returns most+1.
func Distance(a, b string, most int) int {
	x, y := []rune(a), []rune(b)
	if len(x)-len(y) > most || len(y)-len(x) > most {
		return most + 1
	}
	prev2, prev, cur := make([]int, len(y)+1), make([]int, len(y)+1), make([]int, len(y)+1)
	for j := range prev {
		prev[j] = j
	}
	for i := 1; i <= len(x); i++ {
		cur[0] = i
		low := i
		for j := 1; j <= len(y); j++ {
			cost := 1
			if x[i-1] == y[j-1] {
				cost = 0
			}
			d := min(prev[j]+1, cur[j-1]+1, prev[j-1]+cost)
			if i > 1 && j > 1 && x[i-1] == y[j-2] && x[i-2] == y[j-1] {
				d = min(d, prev2[j-2]+1)
			}
			cur[j] = d
			low = min(low, d)
		}
		if low > most {
			return most + 1
		}
		prev2, prev, cur = prev, cur, prev2
	}
	return min(prev[len(y)], most+1)
}

// compounds gives words of the corpus that the question writes otherwise: two as one, or one as two.
func compounds(s string, c Corpus) []Term {
	var out []Term
	words := text.Words(s)
	for i, w := range words {
		if i+1 < len(words) && len(w.Norm) > 0 && words[i+1].Start > w.End {
			joined := w.Norm + words[i+1].Norm
			if len(joined) >= 5 && !(text.Stop(w.Norm) && text.Stop(words[i+1].Norm)) && c.WordCount(joined) > 0 {
				out = append(out, Term{text.Stem(joined), joined, 1, PassCompound})
			}
		}
		if text.Stop(w.Norm) || len(w.Norm) < 7 || len(w.Norm) > mostLetters || c.Frequency(w.Stem) > 0 {
			continue
		}
		for cut := 3; cut <= len(w.Norm)-3; cut++ {
			a, b := w.Norm[:cut], w.Norm[cut:]
			if text.Stop(a) || text.Stop(b) || c.Frequency(text.Stem(a)) == 0 || c.Frequency(text.Stem(b)) == 0 {
				continue
			}
			out = append(out, Term{text.Stem(a), a, 0.7, PassCompound}, Term{text.Stem(b), b, 0.7, PassCompound})
			break
		}
	}
	return out
}
