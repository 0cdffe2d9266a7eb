package query

import (
	"strings"

	"jolvex/core/text"
)

// ownWords is the share of a question's words known to the corpus or to general English from which it is not in another
// language, whatever its letters look like. (Common practice, no published source.)
const ownWords = 0.6

// findLanguage tells a question in another language than the corpus's.
func (w *work) findLanguage() string {
	code, sure := text.Language(w.now)
	corpus, _, _ := strings.Cut(w.tools.Language, "-")
	if corpus == "" {
		corpus = "en"
	}
	switch {
	case code == corpus:
		return "it is in the corpus's language, " + corpus
	case !sure:
		return "too short to tell; taken for the corpus's, " + corpus
	}
	known, all := 0, 0
	for _, x := range text.Words(w.now) {
		all++
		if w.tools.Corpus.WordCount(x.Norm) > 0 || text.Stop(x.Norm) {
			known++
		}
	}
	if float64(known) >= ownWords*float64(all) {
		return "its words are the corpus's: " + corpus
	}
	w.reading.Language = code
	return "it is in another language: " + code
}
