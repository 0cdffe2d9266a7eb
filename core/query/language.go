package query

import (
	"cmp"
	"maps"
	"slices"
	"strings"
	"unicode"
	"unicode/utf8"

	"jolvex/core/embed"
	"jolvex/core/text"
)

// ownWords is the share of a question's words known to the corpus or to general English from which it is not in another
// language, whatever its letters look like. (Common practice, no published source.)
const ownWords = 0.6

// surelyFrom is from how many words on letters alone tell a language, where none of them is a letter that English lacks.
const surelyFrom = 4

func ascii(s string) bool {
	return strings.IndexFunc(s, func(r rune) bool { return r > unicode.MaxASCII }) < 0
}

// findLanguage tells a question in another language than the corpus's.
func (w *work) findLanguage() string {
	words := text.Words(w.now)
	code, sure := text.Language(w.now)
	corpus, _, _ := strings.Cut(w.tools.Language, "-")
	if corpus == "" {
		corpus = "en"
	}
	if len(words) < surelyFrom && ascii(w.now) {
		sure = false
	}
	if !sure { // too few letters to tell by: by the words that only one language has, if it has any here
		if few, _ := text.ByFunctionWords(words); few != "" {
			code, sure = few, true
		} else if tied := text.TiedByFunctionWords(words); len(tied) > 1 {
			code, sure = text.LanguageOf(w.now, tied), true
		} else if most := mostFunctionWords(words, corpus); most != "" {
			code, sure = most, true
		} else if strange := w.byStrangeWords(words, corpus); strange != "" {
			code, sure = strange, true
		}
	}
	switch {
	case code == corpus:
		return "it is in the corpus's language, " + corpus
	case !sure:
		return "too short to tell; taken for the corpus's, " + corpus
	}
	known := 0
	// Letters alone are often wrong about a few words; that none of them is a function word of that language and most are English says more.
	general := corpus == "en" && !slices.ContainsFunc(words, func(x text.Word) bool { return slices.Equal(text.FunctionWord(x.Norm), []string{code}) })
	for _, x := range words {
		if w.tools.Corpus.WordCount(x.Norm) > 0 || slices.Contains(text.FunctionWord(x.Norm), corpus) || general && w.tools.Lexicon.Knows(x.Norm) {
			known++
		}
	}
	if float64(known) >= ownWords*float64(len(words)) {
		return "its words are the corpus's: " + corpus
	}
	w.reading.Language = code
	return "it is in another language: " + code
}

// mostFunctionWords is the language that has the most of the function words among some words, two at least, where the corpus's has none of them;
// "" when there is none such.
func mostFunctionWords(words []text.Word, corpus string) string {
	counts := map[string]int{}
	for _, x := range words {
		for _, l := range text.FunctionWord(x.Norm) {
			counts[l]++
		}
	}
	best, n, tied := "", 1, false
	for _, l := range slices.Sorted(maps.Keys(counts)) {
		switch {
		case counts[l] > n:
			best, n, tied = l, counts[l], false
		case counts[l] == n:
			tied = true
		}
	}
	if tied || counts[corpus] > 0 {
		return ""
	}
	return best
}

// A word counts from so many letters on. One by itself may be a name or a slip, and needs more.
const (
	strangeFrom     = 4
	strangeNameFrom = 11
)

// mostStrange is up to how many words a message may have to be told by strange ones: each is held against the whole vocabulary, and a longer
// one is told by its letters.
const mostStrange = 12

// byStrangeWords tells the language of a few words of which half or more are neither the corpus's nor general English's, nor one letter away from
// it: by letters that few languages have, else by their sequences among the languages that there are lists of. In a corpus that is not in English,
// words that are all English and mostly not the corpus's are English. It is "" when nothing can be told.
func (w *work) byStrangeWords(words []text.Word, corpus string) string {
	if len(words) > mostStrange {
		return ""
	}
	content, strange, foreign, english := 0, 0, 0, 0
	telling := strings.ContainsAny(w.now, "¿¡")
	for _, x := range words {
		if len(x.Norm) < strangeFrom || strings.ContainsAny(x.Norm, "0123456789._/") {
			continue
		}
		content++
		if w.tools.Corpus.WordCount(x.Norm) > 0 || w.tools.Corpus.Frequency(x.Stem) > 0 {
			continue
		}
		foreign++
		if w.tools.Lexicon.Knows(x.Norm) {
			english++
			continue
		}
		if w.tools.Lexicon.OneEdit(x.Norm) != "" || len(x.Norm) > mostLetters {
			continue
		}
		if near, _ := nearest(x.Norm, w.tools.Corpus); near != "" {
			continue
		}
		strange++
		r, _ := utf8.DecodeRuneInString(w.now[x.Start:])
		telling = telling || !unicode.IsUpper(r) && strange > 1 || len(x.Norm) >= strangeNameFrom || strings.ContainsAny(w.now[x.Start:x.End], ownLetters)
	}
	switch {
	case corpus != "en" && english > 0 && english == foreign && 2*foreign > content:
		return "en"
	case strange == 0 || 2*strange < content || !telling:
		return ""
	}
	return text.LanguageAmong(w.now, corpus)
}

// ownLetters are letters that English words have only where they were taken from another language.
const ownLetters = "äöüßÄÖÜñÑçÇœèêàùâîôûéáíóú"

// tongueOf is the language of a question, "" for English: the one that was told, else the corpus's.
func tongueOf(told, corpus string) string {
	code, _, _ := strings.Cut(strings.ToLower(cmp.Or(told, corpus)), "-")
	if code == "en" {
		return ""
	}
	return code
}

// withoutFunctionWords leaves out the words that carry no subject in the language of the question, as long as others are left.
func (w *work) withoutFunctionWords(ts []Term) []Term {
	tongue := w.reading.Tongue
	if tongue == "" || w.translated {
		return ts
	}
	kept := slices.DeleteFunc(slices.Clone(ts), func(t Term) bool { return slices.Contains(text.FunctionWord(t.Word), tongue) })
	if len(kept) == 0 {
		return ts
	}
	return kept
}

// knownBelow is up to how many bytes a word of a language without a list of its words is taken to be right: among short ones, another word is
// one letter away ("Hunde", "Kunde").
const knownBelow = 8

// unlisted stands for the words of a language of which there is no list. Longer words are known by the corpus alone.
type unlisted struct{}

// Knows implements Lexicon.
func (unlisted) Knows(word string) bool { return len(word) < knownBelow }

// OneEdit implements Lexicon.
func (unlisted) OneEdit(string) string { return "" }

// Likeness implements Lexicon.
func (unlisted) Likeness(a, b string) float64 { return 0 }

// Near implements Lexicon.
func (unlisted) Near(string, int, float64, func(string) bool) []embed.Near { return nil }
