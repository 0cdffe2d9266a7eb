package text

import "strings"

// Cell keeps a spreadsheet from taking a text for a formula when it is a cell of a file of values: it gets an apostrophe before it (OWASP, "CSV
// Injection", from memory).
func Cell(s string) string {
	if s != "" && strings.ContainsRune("=+-@\t\r", rune(s[0])) {
		return "'" + s
	}
	return s
}

// FromCell takes back what Cell did, for files that come in again.
func FromCell(s string) string {
	if len(s) > 1 && s[0] == '\'' && Cell(s[1:]) == s {
		return s[1:]
	}
	return s
}
