package extract

import (
	"archive/zip"
	"bytes"
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// archived makes a zip archive of files, each written by its function.
func archived(t *testing.T, files map[string]func(w *bytes.Buffer)) []byte {
	t.Helper()
	var out bytes.Buffer
	z := zip.NewWriter(&out)
	for name, write := range files {
		var b bytes.Buffer
		write(&b)
		w, err := z.Create(name)
		require.NoError(t, err)
		_, err = w.Write(b.Bytes())
		require.NoError(t, err)
	}
	require.NoError(t, z.Close())
	return out.Bytes()
}

func said(s string) func(*bytes.Buffer) { return func(b *bytes.Buffer) { b.WriteString(s) } }

// Hostile documents give a failed document with a reason, or one that was cut short and says so; none takes the process
// down, and none unpacks to more than the limits.
func TestHostileDocuments(t *testing.T) {
	entities := `<?xml version="1.0"?><!DOCTYPE lolz [<!ENTITY a "aaaaaaaaaa">` + func() string {
		var b strings.Builder
		for c := 'b'; c <= 'j'; c++ {
			fmt.Fprintf(&b, `<!ENTITY %c "%s">`, c, strings.Repeat("&"+string(c-1)+";", 10))
		}
		return b.String()
	}() + `]><w:document xmlns:w="x"><w:body><w:p><w:r><w:t>&j;</w:t></w:r></w:p></w:body></w:document>`
	many := map[string]func(*bytes.Buffer){}
	for i := range MaxEntries + 1 {
		many[fmt.Sprintf("f%d", i)] = said("")
	}
	zeros := func(b *bytes.Buffer) { b.Write(make([]byte, MaxUnpacked+1)) }
	for name, c := range map[string]struct {
		body []byte
		want string // of the error; "" when it is read
	}{
		"bomb.docx":       {archived(t, map[string]func(*bytes.Buffer){"word/document.xml": zeros}), "too large"},
		"bomb.odt":        {archived(t, map[string]func(*bytes.Buffer){"content.xml": zeros}), "too large"},
		"bomb.epub":       {archived(t, map[string]func(*bytes.Buffer){"META-INF/container.xml": zeros}), "too large"},
		"entities.docx":   {archived(t, map[string]func(*bytes.Buffer){"word/document.xml": said(entities)}), ""},
		"many.docx":       {archived(t, many), "too large"},
		"truncated.xlsx":  {archived(t, map[string]func(*bytes.Buffer){"xl/workbook.xml": said("<workbook")})[:60], "damaged"},
		"half.pptx":       {archived(t, map[string]func(*bytes.Buffer){"ppt/presentation.xml": said("<p:presentation")}), "no slides"},
		"locked.xlsx":     {[]byte("\xd0\xcf\x11\xe0\xa1\xb1\x1a\xe1rest"), "encrypted"},
		"deep.html":       {[]byte(strings.Repeat("<div>", 100_000) + "x"), "too large"},
		"deep.json":       {[]byte(strings.Repeat("[", 100_000) + strings.Repeat("]", 100_000)), "depth"},
		"deep.md":         {[]byte(strings.Repeat("> ", 20_000) + "x"), ""},
		"wide.html":       {[]byte("<table><tr><td colspan=1000000 rowspan=1000000>x</td></tr><tr><td>y</td></tr></table>"), ""},
		"cells.csv":       {bytes.Repeat([]byte("a,b,c,d,e,f,g,h,i,j\n"), MaxCells/10+1000), ""},
		"line.txt":        {bytes.Repeat([]byte("word "), 1_000_000), ""},
		"noise.vtt":       {[]byte("WEBVTT\n\n99:99:99.999 --> 00:00:00.000\nx\n"), ""},
		"negative.ttml":   {[]byte(`<tt><body><p begin="-5s" dur="1e308s">x</p></body></tt>`), ""},
		"quote.csv":       {[]byte("a,\"b\nc,d\n"), ""},
		"nul.txt":         {[]byte("a\x00b"), "not text"},
		"surrogates.json": {[]byte(`{"a":"\ud800"}`), ""},
	} {
		d, err := Extract(Input{Address: name, Body: c.body})
		if c.want == "" {
			if err != nil {
				assert.ErrorIs(t, err, ErrNoText, name)
				continue
			}
			assert.NoError(t, d.Check(), name)
			assert.LessOrEqual(t, len(d.Text), 2*MaxText, name)
			continue
		}
		assert.ErrorContains(t, err, c.want, name)
	}
}
