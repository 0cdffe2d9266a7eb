package query

import (
	"regexp"
	"strings"
	"unicode"

	"jolvex/core/lang"
	"jolvex/core/text"
)

// courtesies are the messages that ask nothing; of several in one message the first in this list says what it is.
var courtesies = []struct {
	kind       Kind
	re, abroad *regexp.Regexp // abroad: in the words of other languages, which people use in English, too
}{
	{Goodbye, en.Pattern("goodbye"), en.Pattern("goodbye-abroad")},
	{Thanks, en.Pattern("thanks"), en.Pattern("thanks-abroad")},
	{Greeting, en.Pattern("greeting"), en.Pattern("greeting-abroad")},
	{Assent, en.Pattern("assent"), en.Pattern("assent-abroad")},
}

// longestCourtesy is the length in bytes from which a message is no courtesy, whatever it begins with.
const longestCourtesy = 80

// courtesy tells what a message is that asks nothing. A message of several courtesies is its last word: "ok bye", "thanks, that helps",
// "merci, au revoir".
func courtesy(s string) Kind {
	if len(s) > longestCourtesy {
		return Ask
	}
	if k := courtesyWhole(s); k != Ask {
		return k
	}
	out, rank := Ask, len(courtesies)
	for piece := range strings.FieldsFuncSeq(between.ReplaceAllString(s, ", "), func(r rune) bool { return strings.ContainsRune(",.!;:()–", r) || unicode.Is(unicode.So, r) }) {
		piece = strings.TrimSpace(tiedOn.ReplaceAllString(strings.TrimSpace(piece), ""))
		if piece == "" {
			continue
		}
		k := courtesyWhole(piece)
		for k == Ask { // "ok bye": what is agreed to first says least
			m := assenting.FindString(piece)
			if m == "" || m == piece {
				return Ask
			}
			piece = piece[len(m):]
			k = courtesyWhole(piece)
		}
		for i, c := range courtesies {
			if c.kind == k && (out == Ask || i < rank) {
				out, rank = k, i
			}
		}
	}
	return out
}

func courtesyWhole(s string) Kind {
	for _, c := range courtesies {
		if c.re.MatchString(s) || c.abroad.MatchString(s) {
			return c.kind
		}
	}
	return Ask
}

var (
	between   = en.Pattern("courtesy-between")
	tiedOn    = en.Pattern("courtesy-joined")
	assenting = en.Pattern("courtesy-lead")
)

var (
	leadFiller = en.Pattern("lead-filler")
	tailFiller = en.Pattern("tail-filler")
)

func dropFiller(s string) (short, dropped string) {
	short = s
	for range 4 {
		next := leadFiller.ReplaceAllString(short, "")
		next = tailFiller.ReplaceAllString(next, "$1")
		if next == short || len(text.Content(next)) == 0 {
			break
		}
		short = next
	}
	var gone []string
	if at := strings.Index(s, short); at > 0 {
		gone = append(gone, "“"+strings.TrimSpace(s[:at])+"”")
	} else if short != s {
		gone = append(gone, "courtesies")
	}
	return short, strings.Join(gone, ", ")
}

func (w *work) tellCourtesy() string {
	w.reading.Kind = courtesy(w.now)
	if w.reading.Kind == Ask {
		return "it is a question"
	}
	w.reading.Tongue = courtesyIn(w.now)
	return "it is no question: " + string(w.reading.Kind)
}

func (w *work) dropFiller() string {
	short, dropped := dropFiller(w.now)
	if w.reword(short) {
		return "dropped: " + dropped
	}
	return "there is none"
}

// courtesyIn is the language to which a courtesy belongs alone; "" for English.
func courtesyIn(s string) string {
	said := folded(s)
	for _, l := range lang.All()[1:] {
		for _, c := range l.List("courtesies") {
			if n := folded(c); n == said || strings.HasPrefix(said, n+" ") || strings.HasSuffix(said, " "+n) {
				return l.Code
			}
		}
	}
	return ""
}

// folded is a text as its folded words with spaces between.
func folded(s string) string {
	var ws []string
	for _, w := range text.Words(s) {
		ws = append(ws, w.Norm)
	}
	return strings.Join(ws, " ")
}
