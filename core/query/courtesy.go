package query

import (
	"regexp"
	"strings"

	"jolvex/core/text"
)

var courtesies = []struct {
	kind Kind
	re   *regexp.Regexp
}{
	{Greeting, en.Pattern("greeting")},
	{Thanks, en.Pattern("thanks")},
	{Goodbye, en.Pattern("goodbye")},
	{Assent, en.Pattern("assent")},
}

func courtesy(s string) Kind {
	if len(s) > 80 {
		return Ask
	}
	for _, c := range courtesies {
		if c.re.MatchString(s) {
			return c.kind
		}
	}
	return Ask
}

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
	return "it is no question: " + string(w.reading.Kind)
}

func (w *work) dropFiller() string {
	short, dropped := dropFiller(w.now)
	if w.reword(short) {
		return "dropped: " + dropped
	}
	return "there is none"
}
