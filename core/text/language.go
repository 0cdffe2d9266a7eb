package text

import (
	"maps"
	"slices"
	"strings"
	"sync"

	"github.com/abadojack/whatlanggo"

	"jolvex/core/lang"
)

// languages are those told apart. Fewer are told apart better: a short question in English is easily taken for Afrikaans.
var languages = map[whatlanggo.Lang]bool{
	whatlanggo.Eng: true, whatlanggo.Deu: true, whatlanggo.Fra: true, whatlanggo.Spa: true, whatlanggo.Ita: true, whatlanggo.Por: true, whatlanggo.Nld: true,
	whatlanggo.Pol: true, whatlanggo.Swe: true, whatlanggo.Dan: true, whatlanggo.Ces: true, whatlanggo.Ron: true, whatlanggo.Hun: true, whatlanggo.Fin: true,
	whatlanggo.Tur: true, whatlanggo.Rus: true, whatlanggo.Ukr: true, whatlanggo.Ell: true, whatlanggo.Arb: true, whatlanggo.Heb: true, whatlanggo.Hin: true,
	whatlanggo.Cmn: true, whatlanggo.Jpn: true, whatlanggo.Kor: true, whatlanggo.Vie: true,
}

// Language tells in which language a text is written (ISO 639-1), by its letters and their sequences; sure is false when
// it is too short or too mixed to tell.
func Language(s string) (code string, sure bool) {
	info := whatlanggo.DetectWithOptions(s, whatlanggo.Options{Whitelist: languages})
	return info.Lang.Iso6391(), info.IsReliable()
}

// Of a long text, so many bytes tell its language, and so many function words of one language alone.
const (
	tellBy       = 4000
	tellingWords = 3
)

// LanguageOfText tells in which language a text of some length is written (ISO 639-1); "" when that cannot be told.
func LanguageOfText(s string) string {
	if len(s) > tellBy {
		s = strings.ToValidUTF8(s[:tellBy], "")
	}
	if code, n := ByFunctionWords(Words(s)); n >= tellingWords { // surer than letters, where there are lists of them
		return code
	}
	if code, sure := Language(s); sure && among[code] == 0 && code != "" {
		return code
	}
	return ""
}

// among are the languages that there are lists of, as whatlanggo names them.
var among = map[string]whatlanggo.Lang{"en": whatlanggo.Eng, "de": whatlanggo.Deu, "fr": whatlanggo.Fra, "es": whatlanggo.Spa}

// LanguageAmong is the likeliest language of a text (ISO 639-1) among those that there are lists of, but one, however short it is: by letters
// that few of them have, else by their sequences.
func LanguageAmong(s, but string) string {
	var codes []string
	for code := range among {
		if code != but {
			codes = append(codes, code)
		}
	}
	return LanguageOf(s, codes)
}

// LanguageOf is the likeliest of some languages (ISO 639-1) that there are lists of.
func LanguageOf(s string, codes []string) string {
	for _, own := range []struct{ letters, code string }{{"äöüßÄÖÜ", "de"}, {"ñÑ¿¡áíóú", "es"}, {"çÇœèêàùâîôû", "fr"}} {
		if slices.Contains(codes, own.code) && strings.ContainsAny(s, own.letters) {
			return own.code
		}
	}
	list := map[whatlanggo.Lang]bool{}
	for _, code := range codes {
		list[among[code]] = true
	}
	return whatlanggo.DetectWithOptions(s, whatlanggo.Options{Whitelist: list}).Lang.Iso6391()
}

// functionWords says in which languages a folded word is one that carries no subject of its own.
var functionWords = sync.OnceValue(func() map[string][]string {
	out := map[string][]string{}
	for _, l := range lang.All() {
		seen := map[string]bool{}
		for _, w := range l.List("stop") {
			if n := Normalise(w); n != "" && !seen[n] {
				seen[n] = true
				out[n] = append(out[n], l.Code)
			}
		}
	}
	return out
})

// FunctionWord gives the languages (ISO 639-1) in which a folded word carries no subject of its own; none when it does in all that are known.
func FunctionWord(folded string) []string { return functionWords()[folded] }

// inNames are function words that stand in English, too, as words or in names.
var inNames = sync.OnceValue(func() map[string]bool {
	out := map[string]bool{}
	for _, w := range en.List("elsewhere") {
		out[Normalise(w)] = true
	}
	return out
})

// ByFunctionWords tells the language of a few words by those among them that carry no subject and belong to one language alone: the one
// with the most of them, and how many. It is "" when there are none, or as many of another language.
func ByFunctionWords(words []Word) (code string, n int) {
	first, n := countedByFunctionWords(words)
	if len(first) != 1 {
		return "", n
	}
	return first[0], n
}

// TiedByFunctionWords are the languages of which equally many of the words carry no subject and belong to one alone, and of no other as many;
// none when there are no such words.
func TiedByFunctionWords(words []Word) []string {
	first, _ := countedByFunctionWords(words)
	return first
}

func countedByFunctionWords(words []Word) (first []string, n int) {
	counts := map[string]int{}
	for _, w := range words {
		if in := FunctionWord(w.Norm); len(in) == 1 && !inNames()[w.Norm] {
			counts[in[0]]++
		}
	}
	for _, c := range slices.Sorted(maps.Keys(counts)) {
		switch {
		case counts[c] > n:
			first, n = []string{c}, counts[c]
		case counts[c] == n:
			first = append(first, c)
		}
	}
	return first, n
}
