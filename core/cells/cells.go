// Package cells reads and writes rows of comma-separated values (RFC 4180) that people open in spreadsheets.
//
// A spreadsheet takes a cell that begins with =, +, -, @, a tab or a carriage return for something to be worked out, whoever wrote it: a question that a
// visitor asked could so read other cells or open an address (OWASP, "CSV Injection"). Such cells are written with an apostrophe before them, by which
// spreadsheets know text, and read back without it: what is written is read unchanged.
package cells

import (
	"encoding/csv"
	"io"
	"regexp"
	"strings"
)

// number is a cell that is nothing but a number, which may have a sign.
var number = regexp.MustCompile(`^[+-]?\d[\d.,]*%?$`)

// worked reports whether a spreadsheet would work a cell out. The signs of full width are taken for those of ASCII by some.
func worked(s string) bool {
	return s != "" && (strings.ContainsRune("=+-@\t\r", rune(s[0])) || strings.HasPrefix(s, "＝") || strings.HasPrefix(s, "＋") || strings.HasPrefix(s, "－") || strings.HasPrefix(s, "＠"))
}

// Defuse is a cell as text that a spreadsheet does not work out. Numbers stay numbers.
func Defuse(s string) string {
	if worked(strings.TrimLeft(s, "'")) && !number.MatchString(s) {
		return "'" + s
	}
	return s
}

// Plain is what a cell said before it was defused.
func Plain(s string) string {
	if rest, ok := strings.CutPrefix(s, "'"); ok && worked(strings.TrimLeft(rest, "'")) {
		return rest
	}
	return s
}

// Writer writes rows whose cells no spreadsheet works out.
type Writer struct{ *csv.Writer }

// NewWriter writes to w.
func NewWriter(w io.Writer) Writer { return Writer{csv.NewWriter(w)} }

// Write writes a row.
func (w Writer) Write(row []string) error {
	out := make([]string, len(row))
	for i, s := range row {
		out[i] = Defuse(s)
	}
	return w.Writer.Write(out)
}

// WriteAll writes rows and flushes.
func (w Writer) WriteAll(all [][]string) error {
	for _, row := range all {
		if err := w.Write(row); err != nil {
			return err
		}
	}
	w.Flush()
	return w.Error()
}

// Reader reads rows as they were before a Writer wrote them, and those of others as they are.
type Reader struct{ *csv.Reader }

// NewReader reads from r.
func NewReader(r io.Reader) Reader { return Reader{csv.NewReader(r)} }

// Read reads a row; io.EOF after the last.
func (r Reader) Read() ([]string, error) {
	row, err := r.Reader.Read()
	for i, s := range row {
		row[i] = Plain(s)
	}
	return row, err
}

// ReadAll reads all rows that are left.
func (r Reader) ReadAll() ([][]string, error) {
	all, err := r.Reader.ReadAll()
	for _, row := range all {
		for i, s := range row {
			row[i] = Plain(s)
		}
	}
	return all, err
}
