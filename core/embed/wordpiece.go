package embed

import (
	"strings"
	"unicode"

	"golang.org/x/text/unicode/norm"
)

// wordPiece cuts texts into the pieces of the encoder's vocabulary: the basic tokeniser and the greedy longest match of
// BERT (Devlin et al. 2019, "uncased"; WordPiece, Wu et al. 2016).
type wordPiece struct {
	ids           map[string]int32
	cls, sep, unk int32
}

// longestWord is the most characters of a word that is cut into pieces; a longer one is unknown.
const longestWord = 100

func newWordPiece(vocab string) *wordPiece {
	w := &wordPiece{ids: make(map[string]int32, 31_000)}
	n := int32(0)
	for line := range strings.SplitSeq(strings.TrimSuffix(vocab, "\n"), "\n") {
		w.ids[line] = n
		n++
	}
	w.cls, w.sep, w.unk = w.ids["[CLS]"], w.ids["[SEP]"], w.ids["[UNK]"]
	return w
}

// pieces gives the ids of a text between the marks for start and end, cut off at most of them.
func (w *wordPiece) pieces(s string, most int) []int32 {
	out := append(make([]int32, 0, min(most, len(s)/3+4)), w.cls)
	for _, word := range basicWords(s, most) {
		if out = w.word(out, word); len(out) >= most-1 {
			out = out[:most-1]
			break
		}
	}
	return append(out, w.sep)
}

func (w *wordPiece) word(out []int32, word string) []int32 {
	if len(word) > longestWord && len([]rune(word)) > longestWord {
		return append(out, w.unk)
	}
	from := len(out)
	for at := 0; at < len(word); {
		end := len(word)
		for ; end > at; end-- {
			p := word[at:end]
			if at > 0 {
				p = "##" + p
			}
			if id, ok := w.ids[p]; ok {
				out = append(out, id)
				break
			}
		}
		if end == at {
			return append(out[:from], w.unk)
		}
		at = end
	}
	return out
}

// basicWords cleans a text, lower-cases it, takes accents off and cuts at white space, punctuation and between Chinese
// characters; a few more than most at the most, as each gives at least one piece.
func basicWords(s string, most int) []string {
	var out []string
	var cur strings.Builder
	end := func() {
		if cur.Len() > 0 {
			out = append(out, cur.String())
			cur.Reset()
		}
	}
	add := func(r rune) {
		switch {
		case unicode.Is(unicode.Mn, r):
		case punctuation(r) || chinese(r):
			end()
			out = append(out, string(r))
		default:
			cur.WriteRune(r)
		}
	}
	for _, r := range s {
		if len(out) > most {
			break
		}
		switch {
		case r == 0 || r == '\ufffd':
		case r == ' ' || r == '\t' || r == '\n' || r == '\r' || unicode.Is(unicode.Zs, r) || r == '\u2028' || r == '\u2029':
			end()
		case unicode.Is(unicode.Cc, r) || unicode.Is(unicode.Cf, r) || unicode.Is(unicode.Co, r):
		case r < 0x80:
			add(unicode.ToLower(r))
		default:
			for _, d := range norm.NFD.String(string(r)) {
				for _, l := range strings.ToLower(string(d)) {
					add(l)
				}
			}
		}
	}
	end()
	return out
}

// punctuation holds for everything in ASCII that is no letter, digit or space, and for Unicode's category P.
func punctuation(r rune) bool {
	if r < 0x80 {
		return r > ' ' && r < 0x7f && (r < '0' || r > '9') && (r < 'a' || r > 'z') && (r < 'A' || r > 'Z')
	}
	return unicode.Is(unicode.P, r)
}

func chinese(r rune) bool {
	return r >= 0x4e00 && r <= 0x9fff || r >= 0x3400 && r <= 0x4dbf || r >= 0x20000 && r <= 0x2a6df || r >= 0x2a700 && r <= 0x2b81f ||
		r >= 0x2b820 && r <= 0x2ceaf || r >= 0xf900 && r <= 0xfaff || r >= 0x2f800 && r <= 0x2fa1f
}

func (w *wordPiece) marks() (start, end int32) { return w.cls, w.sep }
