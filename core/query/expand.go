package query

import (
	"cmp"
	"context"
	"fmt"
	"slices"
	"strings"

	"jolvex/core/text"
)

// relatedMost is how many related terms stand for one word.
const relatedMost = 3

// addRelated puts beside a word that the corpus lacks the corpus's words most alike to it in meaning. Words that the corpus
// holds say what they say: related terms would only drift away from them.
func (w *work) addRelated() string {
	var why []string
	for _, t := range termsOf(w.now) {
		if t.Weight < 1 || w.tools.Corpus.Frequency(t.Stem) > 0 {
			continue
		}
		var ts []Term
		for _, n := range w.tools.Lexicon.Near(t.Word, relatedMost, w.set.Nearness, func(word string) bool {
			return w.tools.Corpus.WordCount(word) > 0 && !text.Stop(word)
		}) {
			ts = append(ts, Term{text.Stem(n.Word), n.Word, n.Like * n.Like, PassRelated})
		}
		if said := w.beside(ts); said != "" {
			why = append(why, t.Word+" → "+said)
		}
	}
	if len(why) == 0 {
		return "the corpus holds every word, or nothing related to those that it lacks"
	}
	return strings.Join(why, ", ")
}

// feedBack takes words over from the first results: a relevance model mixed with the question (RM3: Abdul-Jaleel et al.
// 2004, "UMass at TREC 2004: Novelty and HARD"). A word's weight is its share of each chunk's words, summed over the chunks by
// their scores; the weights taken over sum to Share of all.
func (w *work) feedBack(ctx context.Context) string {
	if w.tools.Look == nil {
		return "nothing can be searched yet"
	}
	first := w.finish()
	w.reading.Searches, w.reading.Terms = nil, nil
	found, err := w.tools.Look(ctx, first, w.set.Chunks)
	if err != nil {
		return "the first search failed: " + err.Error()
	}
	own := 0.0
	for _, t := range first.Terms {
		own += t.Weight
	}
	ts := relevance(found, w.set.Words, own*w.set.Share/(1-w.set.Share))
	said := w.beside(ts)
	if said == "" {
		return "the first results bring no new word"
	}
	return fmt.Sprintf("from the first %d: %s", len(found), said)
}

// relevance gives the words that weigh most in what was found, their weights summing to sum.
func relevance(found []Found, most int, sum float64) []Term {
	weight := map[string]*Term{}
	for _, f := range found {
		ws := text.Content(f.Text)
		for _, x := range ws {
			if len(x.Norm) < 3 {
				continue
			}
			t := weight[x.Stem]
			if t == nil {
				t = &Term{Stem: x.Stem, Word: x.Norm, Pass: PassFeedback}
				weight[x.Stem] = t
			}
			t.Weight += f.Score / float64(len(ws))
			if len(x.Norm) < len(t.Word) || len(x.Norm) == len(t.Word) && x.Norm < t.Word {
				t.Word = x.Norm
			}
		}
	}
	out := make([]Term, 0, len(weight))
	for _, t := range weight {
		out = append(out, *t)
	}
	slices.SortFunc(out, func(a, b Term) int {
		return cmp.Or(cmp.Compare(b.Weight, a.Weight), strings.Compare(a.Stem, b.Stem))
	})
	out = out[:min(most, len(out))]
	all := 0.0
	for _, t := range out {
		all += t.Weight
	}
	for i := range out {
		out[i].Weight *= sum / all
	}
	return out
}

// modelWeight is how much what a model's wordings find counts.
const modelWeight = 0.9

// askModel has the connected model word the question.
func (w *work) askModel(ctx context.Context) string {
	if w.tools.Write == nil {
		return "no model is connected"
	}
	got, err := w.tools.Write(ctx, w.question, w.now)
	if err != nil {
		return "the model did not do it: " + err.Error()
	}
	var why []string
	if hasWord(got.Alone) && w.reading.Language != "" { // in the corpus's language: what is searched for from here on
		w.reword(got.Alone)
		w.replaced, w.translated = true, true
		why = append(why, "in the corpus's language: “"+got.Alone+"”")
	} else if hasWord(got.Alone) {
		w.written = append(w.written, Search{PassModel, got.Alone, termsOf(got.Alone), modelWeight})
		why = append(why, "“"+got.Alone+"”")
	}
	for _, s := range got.Wordings {
		if hasWord(s) {
			w.written = append(w.written, Search{PassModel, s, termsOf(s), modelWeight})
			why = append(why, "“"+s+"”")
		}
	}
	if hasWord(got.Passage) {
		w.written = append(w.written, Search{SearchPassage, got.Passage, nil, modelWeight})
		why = append(why, "a passage that might answer it")
	}
	if len(why) == 0 {
		return "the model gave nothing that can be used"
	}
	return strings.Join(why, "; ")
}
