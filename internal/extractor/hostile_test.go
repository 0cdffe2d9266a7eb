package extractor_test

import (
	"archive/zip"
	"bytes"
	"compress/zlib"
	"fmt"
	"os"
	"runtime"
	"slices"
	"strconv"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"jolvex/core/extract"
	"jolvex/internal/extractor"
)

// hostile are files that were made to exhaust whoever reads them. All are small, or within the limit of 20 MB.
func hostile() map[string]func() []byte {
	rep := func(s string, n int) func() []byte { return func() []byte { return []byte(strings.Repeat(s, n)) } }
	around := func(a, s string, n int, b string) func() []byte {
		return func() []byte { return []byte(a + strings.Repeat(s, n) + b) }
	}
	each := func(a string, n int, form, b string) func() []byte {
		return func() []byte {
			var out strings.Builder
			out.WriteString(a)
			for i := range n {
				fmt.Fprintf(&out, form, i)
			}
			out.WriteString(b)
			return []byte(out.String())
		}
	}
	const document = `<?xml version="1.0"?><w:document xmlns:w="w"><w:body>`
	return map[string]func() []byte{
		"spans.html":      around("<table>", "<tr><td rowspan=65534 colspan=1000>x</td></tr>", 150, "</table>"),
		"wide.html":       around("<table><tr>", "<td colspan=1000>x", 5000, "</table>"),
		"tables.html":     around("", "<table><tr><td>", 20_000, "x"),
		"cells.html":      around("<table>", "<tr><td>1<td>2<td>3<td>4", 400_000, ""),
		"deep.html":       rep("<div>", 500_000),
		"bold.html":       rep("<b><i>", 200_000),
		"formatting.html": around("", "<a><b><p>", 30_000, "x"),
		"paragraphs.html": rep("<p>a", 1_500_000),
		"line.html":       around("<p>", "word ", 3_600_000, ""),
		"links.html":      each("", 300_000, "<a href=/%d>x</a>", ""),
		"attributes.html": each("<p ", 900_000, "a%d=1 ", ">x"),
		"entities.html":   rep("&amp;", 3_900_000),
		"angles.html":     rep("<", 19<<20),
		"lists.html":      rep("<ul><li>a", 100_000),
		"options.html":    around("<select>", "<option>a", 900_000, ""),
		"details.html":    rep("<details><summary>a</summary>", 100_000),
		"headings.html":   rep("<h1>a</h1>", 1_500_000),
		"ld.html": func() []byte {
			return []byte(`<p>a<script type="application/ld+json">` + strings.Repeat(`{"a":`, 2_000_000))
		},
		"faq.html":       around(`<p>a<script type="application/ld+json">{"@type":"FAQPage","mainEntity":[`, `{"@type":"Question","name":"q","acceptedAnswer":{"text":"a"}},`, 200_000, `{}]}</script>`),
		"halflink.md":    rep("[a](<b", 500_000),
		"quotes.md":      rep(">", 500_000),
		"quotelines.md":  each("", 5000, "%d\n> > > > > > > > > > > > > > > > >", ""),
		"references.md":  each("", 200_000, "[a%[1]d]: /x\n[a%[1]d] ", ""),
		"emphasis.md":    rep("*a **b ", 600_000),
		"underscores.md": rep("_a __b ", 600_000),
		"ticks.md": func() []byte {
			var b strings.Builder
			for i := range 3000 {
				b.WriteString("a" + strings.Repeat("`", i))
			}
			return []byte(b.String())
		},
		"pictures.md": rep("![[]()", 1_000_000),
		"brackets.md": rep("[", 1_000_000),
		"pipes.md": func() []byte {
			return []byte(strings.Repeat("|a", 500_000) + "\n" + strings.Repeat("|-", 500_000) + "\n" + strings.Repeat("|b", 500_000))
		},
		"autolinks.md": rep("<a@b.c", 1_000_000),
		"listdeep.md": func() []byte {
			var b strings.Builder
			for i := range 3000 {
				b.WriteString(strings.Repeat(" ", 2*i) + "- a\n")
			}
			return []byte(b.String())
		},
		"line.txt":     rep("word ", 3_600_000),
		"letters.txt":  rep("a", 18<<20),
		"newlines.txt": rep("a\n\n", 6_000_000),
		"marks.txt":    rep("a\u0301", 6_000_000),
		"keys.json":    func() []byte { return each("{", 1_200_000, `"k%d":1,`, `"z":1}`)() },
		"nested.json":  rep("[", 10_000_000),
		"objects.json": rep(`{"a":`, 3_000_000),
		"numbers.json": around("[", "1,", 5_000_000, "1]"),
		"records.json": around("[", `{"a":1,"b":2},`, 1_000_000, `{}]`),
		"lines.jsonl":  rep("{\"a\":1}\n", 2_000_000),
		"string.json":  around(`{"a":"`, "word ", 3_600_000, `"}`),
		"commas.csv":   rep(",", 18<<20),
		"rows.csv":     rep("a,b\n", 4_000_000),
		"quotes.csv":   rep(`"`, 18<<20),
		"cues.vtt": func() []byte {
			return each("WEBVTT\n\n", 400_000, "00:00:%02[1]d.000 --> 00:00:59.000\nx%[1]d\n\n", "")()
		},
		"deep.ttml":       around(`<tt xmlns="http://www.w3.org/ns/ttml"><body>`, "<div>", 500_000, ""),
		"laughs.docx":     zipped("word/document.xml", []byte(`<!DOCTYPE l [<!ENTITY a "aaaaaaaaaa"><!ENTITY b "&a;&a;&a;&a;&a;&a;&a;&a;">]>`+document+`<w:p><w:r><w:t>&b;</w:t></w:r></w:p></w:body></w:document>`)),
		"zeros.docx":      zipped("word/document.xml", bytes.Repeat([]byte(" "), 200<<20)),
		"grid.docx":       zipped("word/document.xml", []byte(document+`<w:tbl>`+strings.Repeat(`<w:tr><w:tc><w:tcPr><w:gridSpan w:val="1000000"/><w:vMerge/></w:tcPr><w:p><w:r><w:t>x</w:t></w:r></w:p></w:tc></w:tr>`, 2000)+`</w:tbl></w:body></w:document>`)),
		"tables.docx":     zipped("word/document.xml", []byte(document+strings.Repeat(`<w:tbl><w:tr><w:tc>`, 130)+`<w:p/>`)),
		"paragraphs.docx": zipped("word/document.xml", []byte(document+strings.Repeat(`<w:p><w:r><w:t>x</w:t></w:r></w:p>`, 900_000))),
		"repeated.ods":    zipped("content.xml", []byte(`<office:document-content xmlns:office="o" xmlns:table="t" xmlns:text="x"><office:body><office:spreadsheet><table:table>`+strings.Repeat(`<table:table-row table:number-rows-repeated="1000000"><table:table-cell table:number-columns-repeated="16000"><text:p>x</text:p></table:table-cell></table:table-row>`, 200)+`</table:table></office:spreadsheet></office:body></office:document-content>`)),
		"spine.epub":      spine(20_000, 100_000),
		"entries.epub":    entries(60_000),
		"sheet.xlsx":      sheet(400_000),
		"outline.pdf":     pdfOf("<</Type/Catalog/Pages 2 0 R/Outlines 5 0 R>>", "<</Type/Pages/Kids[3 0 R]/Count 1>>", page, "", "<</First 6 0 R/Last 6 0 R/Count 2>>", "<</Title(a)/Parent 5 0 R/Next 6 0 R/First 6 0 R/Last 6 0 R>>"),
		"form.pdf":        pdfOf("<</Type/Catalog/Pages 2 0 R>>", "<</Type/Pages/Kids[3 0 R]/Count 1>>", "<</Type/Page/Parent 2 0 R/MediaBox[0 0 99 99]/Contents 4 0 R/Resources<</XObject<</F 5 0 R>>>>>>", stream("", []byte("/F Do /F Do")), stream("/Type/XObject/Subtype/Form/BBox[0 0 9 9]/Resources<</XObject<</F 5 0 R>>>>", []byte("/F Do /F Do"))),
		"forms.pdf":       forms(30),
		"bomb.pdf":        pdfOf("<</Type/Catalog/Pages 2 0 R>>", "<</Type/Pages/Kids[3 0 R]/Count 1>>", page, stream("/Filter[/FlateDecode/FlateDecode]", deflate(deflate(bytes.Repeat([]byte("0 0 m "), 100<<20))))),
		"cycle.pdf":       pdfOf("<</Type/Catalog/Pages 2 0 R>>", "<</Type/Pages/Kids[2 0 R 2 0 R]/Count 100000>>"),
		"kids.pdf":        pdfOf("<</Type/Catalog/Pages 2 0 R>>", "<</Type/Pages/Kids["+strings.Repeat("3 0 R ", 100_000)+"]/Count 100000>>", page, stream("", []byte("BT ET"))),
		"strokes.pdf":     pdfOf("<</Type/Catalog/Pages 2 0 R>>", "<</Type/Pages/Kids[3 0 R]/Count 1>>", page, stream("/Filter/FlateDecode", deflate(bytes.Repeat([]byte("0 0 m 9 9 l S "), 6_000_000)))),
	}
}

const page = "<</Type/Page/Parent 2 0 R/MediaBox[0 0 99 99]/Contents 4 0 R>>"

func deflate(b []byte) []byte {
	var out bytes.Buffer
	w := zlib.NewWriter(&out)
	_, _ = w.Write(b) // to memory
	_ = w.Close()
	return out.Bytes()
}

func stream(dict string, body []byte) string {
	return "<</Length " + strconv.Itoa(len(body)) + dict + ">>stream\n" + string(body) + "\nendstream"
}

// pdfOf is a file of numbered objects, the first of which is its catalogue.
func pdfOf(objects ...string) func() []byte {
	return func() []byte {
		var b bytes.Buffer
		b.WriteString("%PDF-1.7\n")
		at := make([]int, len(objects))
		for i, o := range objects {
			at[i] = b.Len()
			fmt.Fprintf(&b, "%d 0 obj\n%s\nendobj\n", i+1, o)
		}
		start := b.Len()
		fmt.Fprintf(&b, "xref\n0 %d\n0000000000 65535 f \n", len(objects)+1)
		for _, n := range at {
			fmt.Fprintf(&b, "%010d 00000 n \n", n)
		}
		fmt.Fprintf(&b, "trailer<</Size %d/Root 1 0 R>>\nstartxref\n%d\n%%%%EOF", len(objects)+1, start)
		return b.Bytes()
	}
}

// forms is a file whose forms each draw the next one ten times.
func forms(n int) func() []byte {
	objects := []string{"<</Type/Catalog/Pages 2 0 R>>", "<</Type/Pages/Kids[3 0 R]/Count 1>>", "<</Type/Page/Parent 2 0 R/MediaBox[0 0 99 99]/Contents 4 0 R/Resources<</XObject<</F 5 0 R>>>>>>", stream("", []byte("/F Do"))}
	for i := range n {
		objects = append(objects, stream(fmt.Sprintf("/Type/XObject/Subtype/Form/BBox[0 0 9 9]/Resources<</XObject<</F %d 0 R>>>>", i+6), []byte(strings.Repeat("/F Do ", 10))))
	}
	return pdfOf(append(objects, stream("/Type/XObject/Subtype/Form/BBox[0 0 9 9]", []byte("0 0 m 9 9 l S")))...)
}

// archive is a zip file of files by name.
func archive(files map[string]string) []byte {
	var out bytes.Buffer
	z := zip.NewWriter(&out)
	for name, body := range files {
		w, err := z.Create(name)
		if err == nil {
			_, err = w.Write([]byte(body))
		}
		if err != nil {
			panic(err)
		}
	}
	_ = z.Close() // to memory
	return out.Bytes()
}

func zipped(name string, body []byte) func() []byte {
	return func() []byte { return archive(map[string]string{name: string(body)}) }
}

// spine is a book that names one chapter again and again.
func spine(times, letters int) func() []byte {
	return func() []byte {
		return archive(map[string]string{
			"META-INF/container.xml": `<container><rootfiles><rootfile full-path="b.opf"/></rootfiles></container>`,
			"b.opf":                  `<package><metadata/><manifest><item id="a" href="a.html" media-type="application/xhtml+xml"/></manifest><spine>` + strings.Repeat(`<itemref idref="a"/>`, times) + `</spine></package>`,
			"a.html":                 "<html><body><!--" + strings.Repeat("x", letters) + "--><p>a</p></body></html>",
		})
	}
}

func entries(n int) func() []byte {
	return func() []byte {
		files := map[string]string{}
		for i := range n {
			files[strconv.Itoa(i)] = ""
		}
		return archive(files)
	}
}

// sheet is a workbook with so many cells, each as far out as can be.
func sheet(rows int) func() []byte {
	return func() []byte {
		var s strings.Builder
		s.WriteString(`<worksheet xmlns="http://schemas.openxmlformats.org/spreadsheetml/2006/main"><dimension ref="A1:XFD1048576"/><sheetData>`)
		for i := range rows {
			fmt.Fprintf(&s, `<row r="%d"><c r="XFD%d"><v>1</v></c></row>`, i+1, i+1)
		}
		s.WriteString(`</sheetData><mergeCells><mergeCell ref="A1:XFD1048576"/></mergeCells></worksheet>`)
		return archive(map[string]string{
			"[Content_Types].xml":        `<Types xmlns="http://schemas.openxmlformats.org/package/2006/content-types"><Default Extension="xml" ContentType="application/xml"/><Default Extension="rels" ContentType="application/vnd.openxmlformats-package.relationships+xml"/><Override PartName="/xl/workbook.xml" ContentType="application/vnd.openxmlformats-officedocument.spreadsheetml.sheet.main+xml"/><Override PartName="/xl/worksheets/sheet1.xml" ContentType="application/vnd.openxmlformats-officedocument.spreadsheetml.worksheet+xml"/></Types>`,
			"_rels/.rels":                `<Relationships xmlns="http://schemas.openxmlformats.org/package/2006/relationships"><Relationship Id="r" Type="http://schemas.openxmlformats.org/officeDocument/2006/relationships/officeDocument" Target="xl/workbook.xml"/></Relationships>`,
			"xl/workbook.xml":            `<workbook xmlns="http://schemas.openxmlformats.org/spreadsheetml/2006/main" xmlns:r="http://schemas.openxmlformats.org/officeDocument/2006/relationships"><sheets><sheet name="a" sheetId="1" r:id="r"/></sheets></workbook>`,
			"xl/_rels/workbook.xml.rels": `<Relationships xmlns="http://schemas.openxmlformats.org/package/2006/relationships"><Relationship Id="r" Type="http://schemas.openxmlformats.org/officeDocument/2006/relationships/worksheet" Target="worksheets/sheet1.xml"/></Relationships>`,
			"xl/worksheets/sheet1.xml":   s.String(),
		})
	}
}

// However a file is made, it ends: as a document, or as one that failed with its reason, within the limits, while the program that had it
// read stays small and goes on reading others. make torture reads all of them; this is a choice, but for TORTURE=1.
func TestNothingHostileExhaustsTheProgram(t *testing.T) {
	p := pool(t, extractor.Limits{})
	all := hostile()
	var names []string
	for name := range all {
		names = append(names, name)
	}
	slices.Sort(names)
	if only := os.Getenv("HOSTILE"); only != "" {
		names = []string{only}
	} else if os.Getenv("TORTURE") == "" {
		names = []string{"bomb.pdf", "commas.csv", "keys.json", "listdeep.md", "outline.pdf", "quotes.md", "references.md", "spans.html", "spine.epub"}
	}
	for _, name := range names {
		body := all[name]()
		runtime.GC()
		var before, after runtime.MemStats
		runtime.ReadMemStats(&before)
		began := time.Now()
		d, err := p.Read(t.Context(), extract.Input{Address: name, Body: body})
		took := time.Since(began)
		runtime.ReadMemStats(&after)
		t.Logf("%-18s %8d kB  %6.2f s  here %4d MB  peak %4d MB  %v", name, len(body)>>10, took.Seconds(), (after.TotalAlloc-before.TotalAlloc)>>20, p.Peak()>>20, err)
		assert.Less(t, took, extractor.UsualTime+3*time.Second, name)
		assert.Less(t, p.Peak(), int64(extractor.UsualMemory)*5/4, name)
		if err == nil {
			assert.NoError(t, d.Check(), name)
		}
		d, err = p.Read(t.Context(), extract.Input{Address: "next.html", Body: []byte("<p>The next one is read.</p>")})
		require.NoError(t, err, "after %s", name)
		assert.Equal(t, "The next one is read.", d.Text)
	}
}
