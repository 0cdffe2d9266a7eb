package text

import (
	"strings"
	"unicode"
	"unicode/utf8"

	"github.com/clipperhouse/uax29/v2/sentences"
)

// Piece is a run of bytes [Start, End) of a text.
type Piece struct {
	Start int `json:"start"`
	End   int `json:"end"`
}

// Sentences cuts a text at the sentence boundaries of Unicode UAX #29, then joins what the standard cuts too early:
// after an abbreviation ("e.g.", "Dr.", "3 p.m."), inside brackets, or before a small letter. Line breaks do not end a
// sentence unless a blank line follows. Surrounding white space is left out.
func Sentences(s string) []Piece {
	flat := unwrap(s)
	var out []Piece
	seg := sentences.FromString(flat)
	for seg.Next() {
		start, end := trimSpan(s, seg.Start(), seg.End())
		if start >= end {
			continue
		}
		if n := len(out); n > 0 && joins(s, out[n-1], start) {
			out[n-1].End = end
			continue
		}
		out = append(out, Piece{start, end})
	}
	return out
}

// unwrap replaces single line breaks by spaces, byte for byte, so that offsets stay.
func unwrap(s string) string {
	if !strings.ContainsAny(s, "\n\r") {
		return s
	}
	b := []byte(s)
	for i := range b {
		if b[i] != '\n' && b[i] != '\r' {
			continue
		}
		blank := (i+1 < len(b) && s[i+1] == '\n') || (i > 0 && s[i-1] == '\n')
		if !blank {
			b[i] = ' '
		}
	}
	return string(b)
}

func trimSpan(s string, start, end int) (int, int) {
	for start < end {
		r, n := utf8.DecodeRuneInString(s[start:end])
		if !unicode.IsSpace(r) {
			break
		}
		start += n
	}
	for start < end {
		r, n := utf8.DecodeLastRuneInString(s[start:end])
		if !unicode.IsSpace(r) {
			break
		}
		end -= n
	}
	return start, end
}

var abbreviations = func() map[string]bool {
	m := map[string]bool{}
	for _, a := range strings.Fields(`e.g. i.e. cf. etc. vs. dr. mr. mrs. ms. prof. rev. st. no. nos. fig. figs. eq. sec. ch. vol. pp. p. ed. eds. al. approx.
		inc. ltd. co. corp. dept. tel. ext. jan. feb. mar. apr. jun. jul. aug. sep. sept. oct. nov. dec. mon. tue. tues. wed. thu. thur. thurs. fri. sat. sun. jr. sr. resp. ca. incl. excl. max. min. ref.`) {
		m[a] = true
	}
	return m
}()

// These end a sentence as often as not: they join only before a small letter or a digit.
var softAbbreviations = map[string]bool{"etc.": true, "a.m.": true, "p.m.": true, "inc.": true, "ltd.": true, "co.": true, "corp.": true, "al.": true, "no.": true, "sat.": true, "sun.": true, "mar.": true, "max.": true, "min.": true}

func joins(s string, prev Piece, next int) bool {
	gap := s[prev.End:next]
	if strings.Count(gap, "\n") > 1 {
		return false
	}
	before := s[prev.Start:prev.End]
	after, _ := utf8.DecodeRuneInString(s[next:])
	if strings.HasSuffix(before, ".") {
		last := before[strings.LastIndexAny(before, " \n\t(\u00a0")+1:]
		low := strings.ToLower(last)
		switch {
		case softAbbreviations[low]:
			return unicode.IsLower(after) || unicode.IsDigit(after)
		case abbreviations[low]:
			return true
		case len(last) == 2 && unicode.IsUpper(rune(last[0])):
			return last != "I." // an initial: "J. Smith"
		}
	}
	if unicode.IsLower(after) {
		return true
	}
	if len(before) >= 400 {
		return false
	}
	return strings.Count(before, "(") > strings.Count(before, ")") && !strings.HasSuffix(before, ")")
}
