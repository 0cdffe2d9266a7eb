package query

import (
	"slices"
	"strings"

	"jolvex/core/text"
)

// ownWords is the share of a question's words known to the corpus or to general English from which it is not in another
// language, whatever its letters look like. (Common practice, no published source.)
const ownWords = 0.6

// findLanguage tells a question in another language than the corpus's.
func (w *work) findLanguage() string {
	words := text.Words(w.now)
	code, sure := text.Language(w.now)
	corpus, _, _ := strings.Cut(w.tools.Language, "-")
	if corpus == "" {
		corpus = "en"
	}
	if !sure { // too few letters to tell by: by the words that only one language has, if it has any here
		if few, _ := text.ByFunctionWords(words); few != "" {
			code, sure = few, true
		}
	}
	switch {
	case code == corpus:
		return "it is in the corpus's language, " + corpus
	case !sure:
		return "too short to tell; taken for the corpus's, " + corpus
	}
	known := 0
	for _, x := range words {
		if w.tools.Corpus.WordCount(x.Norm) > 0 || slices.Contains(text.FunctionWord(x.Norm), corpus) {
			known++
		}
	}
	if float64(known) >= ownWords*float64(len(words)) {
		return "its words are the corpus's: " + corpus
	}
	w.reading.Language = code
	return "it is in another language: " + code
}
