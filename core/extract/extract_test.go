package extract

import (
	"bytes"
	"compress/gzip"
	"io"
	"os"
	"path/filepath"
	"regexp"
	"sort"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"jolvex/core/doc"
	"jolvex/core/measure"
	"jolvex/core/text"
)

func fromPage(t *testing.T, body string) *doc.Document {
	t.Helper()
	d, err := Extract(Input{Address: "https://example.org/a/b", MediaType: "text/html; charset=utf-8", Body: []byte(body)})
	require.NoError(t, err)
	require.NoError(t, d.Check())
	return d
}

func outline(d *doc.Document) []string {
	var out []string
	for _, b := range d.Blocks {
		out = append(out, string(b.Kind)+": "+strings.ReplaceAll(d.Of(b.Span), "\n", " / "))
	}
	return out
}

func TestHTMLStructure(t *testing.T) {
	d := fromPage(t, `<html lang="en"><head><title>Dogs | Example Line</title><meta name=description content=" All about dogs "></head><body>
<header>Example Line</header><nav><a href=/x>X</a></nav><script>var x = "nothing"</script>
<main><h1>Dogs</h1><p>Dogs travel <b>for £2</b>.<br>Bring a lead.</p><p style="display: none">hidden text</p>
<ul><li>small<li><p>large</p><ol start=3><li>very large</ol></ul><dl><dt>Cats<dd>In a box.</dl>
<pre>a  b
 c</pre><img src=x alt="A dog on the open deck of the boat in the sun"></main><footer>Imprint</footer></body></html>`)
	assert.Equal(t, "Dogs", d.Title, "the one first heading stands in the title")
	assert.Equal(t, "All about dogs", d.Description)
	assert.Equal(t, "en", d.Language)
	assert.Equal(t, []string{
		"heading: Dogs", "paragraph: Dogs travel for £2. Bring a lead.", "item: small", "item: large", "item: very large", "heading: Cats", "paragraph: In a box.",
		"code: a  b /  c", "picture: A dog on the open deck of the boat in the sun",
	}, outline(d))
	assert.Equal(t, "3.", d.Blocks[4].Ordinal)
	assert.Equal(t, 2, d.Blocks[4].Level)
}

// Forming a table (HTML standard, section 4.9.12): cells reach over rows and columns.
func TestHTMLTables(t *testing.T) {
	d := fromPage(t, `<main><table><caption>Fares</caption><tr><th>Who<th>Single<th>Return<tr><td rowspan=2>Adult<td>1<td>2<tr><td colspan=2>by arrangement</table></main>`)
	g := d.Blocks[0].Grid
	assert.Equal(t, "Fares", g.Caption)
	assert.Equal(t, []string{"Who", "Single", "Return"}, g.Header)
	require.Len(t, g.Rows, 2)
	row := func(i int) []string {
		var out []string
		for _, c := range g.Rows[i].Cells {
			out = append(out, c.Text)
		}
		return out
	}
	assert.Equal(t, []string{"Adult", "1", "2"}, row(0))
	assert.Equal(t, []string{"Adult", "by arrangement", "by arrangement"}, row(1))

	two := fromPage(t, `<main><table><tr><th rowspan=2>Who<th colspan=2>Fare<tr><th>Single<th>Return<tr><td>Adult<td>1<td>2</table></main>`).Blocks[0].Grid
	assert.Equal(t, []string{"Who", "Fare Single", "Fare Return"}, two.Header, "two header lines become one")

	bare := fromPage(t, `<main><table><tr><td>Day<td>Hours<tr><td>Monday<td>9 to 5</table></main>`).Blocks[0].Grid
	assert.Equal(t, []string{"Day", "Hours"}, bare.Header, "a first line without figures over figures names the columns")

	layout := fromPage(t, `<main><table><tr><td><p>Only layout.</p><ul><li>one</ul></table></main>`)
	assert.Equal(t, []string{"paragraph: Only layout.", "item: one"}, outline(layout))
}

// schema.org, FAQPage: questions with accepted answers; what the page shows already is not repeated.
func TestFAQData(t *testing.T) {
	d := fromPage(t, `<main><h2>Shown?</h2><p>Yes it is.</p></main><script type="application/ld+json">{"@context":"https://schema.org","@type":"FAQPage","mainEntity":[
		{"@type":"Question","name":"Shown?","acceptedAnswer":{"@type":"Answer","text":"Yes it is."}},
		{"@type":"Question","name":"Hidden?","acceptedAnswer":{"@type":"Answer","text":"<p>Only <b>here</b>.</p>"}}]}</script><script type="application/ld+json">{broken</script>`)
	assert.Equal(t, []string{"heading: Shown?", "paragraph: Yes it is.", "heading: Hidden?", "paragraph: Only here."}, outline(d))
}

// RFC 3986, section 5.4.1: normal examples of reference resolution, those that lead to http addresses.
func TestLinksAgainstRFC3986(t *testing.T) {
	cases := map[string]string{
		"g": "http://a/b/c/g", "./g": "http://a/b/c/g", "g/": "http://a/b/c/g/", "/g": "http://a/g", "//g": "http://g", "?y": "http://a/b/c/d;p?y",
		"g?y": "http://a/b/c/g?y", "#s": "http://a/b/c/d;p?q#s", "g#s": "http://a/b/c/g#s", "g?y#s": "http://a/b/c/g?y#s", ";x": "http://a/b/c/;x", "g;x": "http://a/b/c/g;x",
		"g;x?y#s": "http://a/b/c/g;x?y#s", ".": "http://a/b/c/", "./": "http://a/b/c/", "..": "http://a/b/", "../": "http://a/b/", "../g": "http://a/b/g", "../..": "http://a/",
		"../../": "http://a/", "../../g": "http://a/g",
	}
	for ref, want := range cases {
		d, err := Extract(Input{Address: "http://a/b/c/d;p?q", MediaType: "text/html", Body: []byte(`<p>x <a href="` + ref + `">y</a></p>`)})
		require.NoError(t, err)
		require.Len(t, d.Links, 1, ref)
		assert.Equal(t, want, d.Links[0].Address, ref)
	}
	based := fromPage(t, `<head><base href="https://other.example/x/"></head><p>x <a href="y" rel="nofollow">z</a> <a href="mailto:a@b.example">m</a></p>`)
	assert.Equal(t, []doc.Link{{Address: "https://other.example/x/y", Text: "z", NoFollow: true}}, based.Links)
}

func TestMetaRobotsAndCanonical(t *testing.T) {
	d := fromPage(t, `<head><meta name="ROBOTS" content="NoIndex, nofollow"><link rel=canonical href="/c"></head><p>x</p>`)
	assert.True(t, d.NoIndex)
	assert.True(t, d.NoFollow)
	assert.Equal(t, "https://example.org/c", d.Canonical)
}

func TestMarkdown(t *testing.T) {
	d, err := Extract(Input{Address: "guide.md", Body: []byte("---\ntitle: \"Guide\"\n---\n# One\n\nText with `code` and\na [link](x.md).\n\n1. first\n2. second\n   - deeper\n\n| A | B |\n|---|---|\n| 1 | 2 |\n\n```\nx  y\n```\n\n<!-- note -->\n<table><tr><th>C<tr><td>3</table>\n")})
	require.NoError(t, err)
	require.NoError(t, d.Check())
	assert.Equal(t, "Guide", d.Title)
	assert.Equal(t, []string{
		"heading: One", "paragraph: Text with code and a link.", "item: first", "item: second", "item: deeper", "table: A | B / 1 | 2", "code: x  y", "table: C / 3",
	}, outline(d))
	assert.Equal(t, "2.", d.Blocks[3].Ordinal)
}

func TestPlainText(t *testing.T) {
	d, err := Extract(Input{Address: "notes.txt", Body: []byte("Opening hours\n=============\n\nWe open at nine\nand close at five.\n\n- first\n- second\n\nIS THERE PARKING?\n\nYes.\n\n2.1. More about it\n\nText.\n")})
	require.NoError(t, err)
	assert.Equal(t, []string{
		"heading: Opening hours", "paragraph: We open at nine and close at five.", "item: first", "item: second", "heading: IS THERE PARKING?", "paragraph: Yes.",
		"heading: 2.1. More about it", "paragraph: Text.",
	}, outline(d))
}

func TestEncodings(t *testing.T) {
	cases := map[string]Input{
		"declared in the header": {MediaType: "text/html; charset=iso-8859-1", Body: []byte("<p>caf\xe9</p>")},
		"declared in the page":   {MediaType: "text/html", Body: []byte("<meta charset=windows-1252><p>caf\xe9</p>")},
		"UTF-8 with a mark":      {MediaType: "text/plain", Body: []byte("\xef\xbb\xbfcafé")},
		"UTF-16":                 {MediaType: "text/plain", Body: []byte("\xff\xfec\x00a\x00f\x00\xe9\x00")},
		"nothing declared":       {MediaType: "text/html", Body: []byte("<p>caf\xe9</p>")},
	}
	for name, in := range cases {
		in.Address = "x"
		d, err := Extract(in)
		require.NoError(t, err, name)
		assert.Equal(t, "café", d.Text, name)
	}
}

func TestRefusals(t *testing.T) {
	_, err := Extract(Input{Address: "x.png", MediaType: "image/png", Body: []byte{1}})
	assert.ErrorIs(t, err, ErrKind)
	_, err = Extract(Input{Address: "x.bin", Body: []byte{0, 1, 2}})
	assert.ErrorIs(t, err, ErrKind)
	_, err = Extract(Input{Address: "x.txt", MediaType: "text/plain", Body: []byte("a\x00b")})
	assert.ErrorIs(t, err, ErrKind)
	_, err = Extract(Input{Address: "x", MediaType: "text/html", Body: make([]byte, MaxBytes+1)})
	assert.ErrorIs(t, err, ErrTooLarge)
	d, err := Extract(Input{Address: "x", MediaType: "text/html", Body: []byte(`<body><script>document.write("x")</script></body>`)})
	assert.ErrorIs(t, err, ErrNoText)
	require.NotEmpty(t, d.Notes, "the page is told to need a browser")
}

func TestHostileHTML(t *testing.T) {
	deep := strings.Repeat("<div>", 100_000) + "x"
	wide := "<table><tr>" + strings.Repeat("<td colspan=1000 rowspan=65000>x", 2000) + "</table><p>end"
	for name, body := range map[string]string{"deep": deep, "wide": wide, "cut short": "<p>text<table><tr><td", "nested lists": "<p>a</p>" + strings.Repeat("<ul><li>b", 5000)} {
		d, err := Extract(Input{Address: "x", MediaType: "text/html", Body: []byte(body)})
		if err == nil {
			assert.NoError(t, d.Check(), name)
		} else {
			assert.ErrorIs(t, err, ErrTooLarge, name)
		}
	}
}

func FuzzExtract(f *testing.F) {
	for _, s := range []string{"<p>a<table><tr><td rowspan=3>b", "# a\n\n|x|\n|-|\n|y|", "- a\n  1. b\n", "<ul><li><table><td><h2>x", "a\n===\n\n* b", "<dl><dt><dd><summary>q"} {
		f.Add(s)
	}
	f.Fuzz(func(t *testing.T, s string) {
		for _, mt := range []string{"text/html", "text/markdown", "text/plain"} {
			d, err := Extract(Input{Address: "x", MediaType: mt, Body: []byte(s)})
			if err == nil {
				if err := d.Check(); err != nil {
					t.Fatalf("%s: %v", mt, err)
				}
			}
		}
	})
}

const faqDir = "/usr/share/doc/debian/FAQ"

// The Debian FAQ (package debian-faq) comes as HTML and as text, made by its authors: the words of both must agree.
func TestDebianFAQInHTMLAndText(t *testing.T) {
	z, err := os.Open(filepath.Join(faqDir, "debian-faq.en.txt.gz"))
	require.NoError(t, err, "the Debian package debian-faq is needed")
	defer z.Close()
	r, err := gzip.NewReader(z)
	require.NoError(t, err)
	raw, err := io.ReadAll(r)
	require.NoError(t, err)
	plain, err := Extract(Input{Address: "faq.txt", MediaType: "text/plain", Body: raw})
	require.NoError(t, err)

	files, err := filepath.Glob(filepath.Join(faqDir, "*.en.html"))
	require.NoError(t, err)
	sort.Strings(files)
	var page, headings bytes.Buffer
	for _, f := range files {
		body, err := os.ReadFile(f)
		require.NoError(t, err)
		d, err := Extract(Input{Address: f, MediaType: "text/html", Body: body})
		require.NoError(t, err, f)
		require.NoError(t, d.Check(), f)
		page.WriteString(d.Text + "\n")
		for _, b := range d.Blocks {
			if b.Kind == doc.Heading && b.Level > 1 {
				headings.WriteString(d.Of(b.Span) + "\n")
			}
		}
	}
	words := func(s string) []string {
		var out []string
		for _, w := range text.Words(s) {
			out = append(out, w.Norm)
		}
		return out
	}
	f1 := measure.TokenF1(words(page.String()), words(plain.Text))
	t.Logf("token F1 between HTML and text: %.4f", f1)
	assert.Greater(t, f1, 0.94, "the text has a table of contents and addresses in footnotes that the pages lack")
	count := len(regexp.MustCompile(`(?m)^\d+\.\d+\. .*\?$`).FindAllString(headings.String(), -1))
	assert.Greater(t, count, 90, "the questions are headings")
}

// Headings with a mark that leads to themselves, as documentation generators write them.
func TestHeadingMarksAreNoText(t *testing.T) {
	d, err := Extract(Input{Address: "http://example.org/faq.html", MediaType: "text/html", Body: []byte(`<title>Design FAQ — Example documentation</title><main><h1>Design FAQ<a class="headerlink" href="#design" title="Permalink">¶</a></h1><h2 id="why">Why?<a href="#why">#</a></h2><p>Because. See <a href="#x">below</a>.</p></main>`)})
	require.NoError(t, err)
	assert.Equal(t, "Design FAQ", d.Title)
	assert.Equal(t, "Design FAQ\n\nWhy?\n\nBecause. See below.", d.Text)
	assert.Equal(t, "why", d.Blocks[1].Place.Anchor)
}
