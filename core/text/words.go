// Package text reads natural language: words and their stems, sentences, quantities, normal forms and fingerprints.
// Everything here is a pure function of its input.
package text

import (
	"hash/maphash"
	"strings"
	"sync/atomic"
	"unicode"
	"unicode/utf8"

	"github.com/clipperhouse/uax29/v2/words"
	"github.com/kljensen/snowball/english"
	"golang.org/x/text/unicode/norm"
)

// Version names the algorithm of this package. It is part of the analyse stage's hash: change it whenever the same
// text would give other words, stems or sentences.
const Version = "text-2"

// Word is one word of a text: its bytes [Start, End) there, its folded form and its stem.
type Word struct {
	Start, End int
	Norm       string // lower case, without accents, apostrophes straightened and possessive 's removed
	Stem       string // Snowball English stem of Norm
}

// Words cuts a text at the word boundaries of Unicode UAX #29 and keeps what holds a letter or a digit. Words joined by
// a dot, underscore or the like ("dpkg-deb" is cut by the standard; "foo_bar" and "a.b" are not) also give their parts,
// so that either spelling is found. Stop words are kept: see Stop.
func Words(s string) []Word {
	out := make([]Word, 0, len(s)/6)
	eachWord(s, func(start, end int, folded string) { out = append(out, Word{start, end, folded, Stem(folded)}) })
	return out
}

// Folded gives the folded forms of the words of a text, in their order: what Words gives, without places and stems, for those who know the
// stems of most words already. They may share the text's memory.
func Folded(s string) []string {
	out := make([]string, 0, len(s)/6)
	eachWord(s, func(_, _ int, folded string) { out = append(out, folded) })
	return out
}

// eachWord tells the words of a text in order, and after one that is joined of several, its parts.
func eachWord(s string, tell func(start, end int, folded string)) {
	seg := words.FromString(s)
	for seg.Next() {
		w := seg.Value()
		if !hasWordRune(w) {
			continue
		}
		n := Normalise(w)
		if n == "" {
			continue
		}
		tell(seg.Start(), seg.End(), n)
		if strings.ContainsAny(w, "._:") && !isNumeric(w) {
			eachPart(w, seg.Start(), tell)
		}
	}
}

func eachPart(w string, base int, tell func(start, end int, folded string)) {
	from := 0
	for i := 0; i <= len(w); i++ {
		if i < len(w) && w[i] != '.' && w[i] != '_' && w[i] != ':' {
			continue
		}
		if part := w[from:i]; part != "" && len(part) < len(w) && hasWordRune(part) {
			tell(base+from, base+i, Normalise(part))
		}
		from = i + 1
	}
}

func isNumeric(s string) bool {
	for _, r := range s {
		if unicode.IsLetter(r) {
			return false
		}
	}
	return true
}

func hasWordRune(s string) bool {
	for _, r := range s {
		if unicode.IsLetter(r) || unicode.IsDigit(r) {
			return true
		}
	}
	return false
}

// Normalise folds one word: compatibility composition, lower case, accents removed, typographic apostrophes
// straightened, a possessive 's removed.
func Normalise(w string) string {
	ascii := true
	for i := 0; i < len(w); i++ {
		if w[i] >= utf8.RuneSelf {
			ascii = false
			break
		}
	}
	w = strings.ToLower(w)
	if !ascii {
		var b strings.Builder
		for _, r := range norm.NFKD.String(w) {
			switch {
			case unicode.Is(unicode.Mn, r) || r == '\u00ad':
			case r == '\u2019' || r == '\u2018' || r == '\u02bc':
				b.WriteByte('\'')
			default:
				b.WriteRune(r)
			}
		}
		w = b.String()
	}
	w = strings.TrimSuffix(w, "'s")
	return strings.Trim(w, "'_")
}

// Stem is the Snowball English ("Porter 2") stem of a folded word. Words with a digit are left as they are.
func Stem(w string) string {
	if len(w) < 3 {
		return w
	}
	for i := 0; i < len(w); i++ {
		if w[i] >= '0' && w[i] <= '9' {
			return w
		}
	}
	slot := &stems[maphash.String(stemSeed, w)%uint64(len(stems))]
	if s := slot.Load(); s != nil && s.word == w {
		return s.stem
	}
	s := &stemmed{strings.Clone(w), english.Stem(w, true)}
	slot.Store(s)
	return s.stem
}

// stems remembers the stems of words met lately: stemming takes most of the time of reading a text, and some ten thousand
// words make up most of it. It changes no result. A word takes the place of another that falls on its slot.
var stems [1 << 17]atomic.Pointer[stemmed]

type stemmed struct{ word, stem string }

var stemSeed = maphash.MakeSeed()

// Stop reports whether a folded word carries no subject of its own: articles, pronouns, auxiliaries, prepositions.
// Negations and question words are among them; what asks by those words is read elsewhere.
func Stop(w string) bool {
	return stopWords[w]
}

var stopWords = en.Set("stop")

// Content returns the words of s that are not stop words.
func Content(s string) []Word {
	all := Words(s)
	out := all[:0]
	for _, w := range all {
		if !Stop(w.Norm) {
			out = append(out, w)
		}
	}
	return out
}

// Adjacent reports whether nothing but space stands between two words of a text.
func Adjacent(s string, a, b Word) bool {
	return a.End <= b.Start && strings.TrimSpace(s[a.End:b.Start]) == ""
}
