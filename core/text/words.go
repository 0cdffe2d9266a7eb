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
const Version = "text-1"

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
	seg := words.FromString(s)
	for seg.Next() {
		w := seg.Value()
		if !hasWordRune(w) {
			continue
		}
		start, end := seg.Start(), seg.End()
		n := Normalise(w)
		if n == "" {
			continue
		}
		out = append(out, Word{start, end, n, Stem(n)})
		if strings.ContainsAny(w, "._:") && !isNumeric(w) {
			out = appendParts(out, w, start)
		}
	}
	return out
}

func appendParts(out []Word, w string, base int) []Word {
	from := 0
	for i := 0; i <= len(w); i++ {
		if i < len(w) && w[i] != '.' && w[i] != '_' && w[i] != ':' {
			continue
		}
		if part := w[from:i]; part != "" && len(part) < len(w) && hasWordRune(part) {
			n := Normalise(part)
			out = append(out, Word{base + from, base + i, n, Stem(n)})
		}
		from = i + 1
	}
	return out
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

// stems remembers the stems of words met lately: stemming takes most of the time of reading a text, and a few thousand
// words make up most of it. It changes no result. A word takes the place of another that falls on its slot.
var stems [1 << 15]atomic.Pointer[stemmed]

type stemmed struct{ word, stem string }

var stemSeed = maphash.MakeSeed()

// Stop reports whether a folded word carries no subject of its own: articles, pronouns, auxiliaries, prepositions.
// Negations and question words are among them; what asks by those words is read elsewhere.
func Stop(w string) bool {
	_, ok := stopWords[w]
	return ok
}

var stopWords = func() map[string]struct{} {
	m := map[string]struct{}{}
	for _, w := range strings.Fields(`a about above after again against all also am an and any are aren't as at be because been before being below
between both but by can can't cannot could couldn't did didn't do does doesn't doing don't down during each either else ever few for from further get
gets getting got had hadn't has hasn't have haven't having he he'd he'll he's her here here's hers herself him himself his how how's i i'd i'll i'm
i've if in into is isn't it it'd it'll it's its itself just let let's may me might mine more most much must mustn't my myself no nor not of off on once
one only or other ought our ours ourselves out over own per please quite rather really same shall shan't she she'd she'll she's should shouldn't so some
such than that that's the their theirs them themselves then there there's these they they'd they'll they're they've this those through to too under
until up upon us very via was wasn't we we'd we'll we're we've were weren't what what's whatever when when's where where's whether which while who
who's whom whose why why's will with within without won't would wouldn't yes yet you you'd you'll you're you've your yours yourself yourselves
im ive dont doesnt didnt isnt cant wont whats hows wheres id youre theres thats`) {
		m[w] = struct{}{}
	}
	return m
}()

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
