package text

import "strings"

// Flat is a text as its words in their normal form, with one space around each: what can be searched for other such texts.
func Flat(s string) string {
	var b strings.Builder
	b.WriteByte(' ')
	for _, w := range Words(s) {
		b.WriteString(w.Norm)
		b.WriteByte(' ')
	}
	return b.String()
}
