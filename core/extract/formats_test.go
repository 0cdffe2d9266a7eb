package extract

import (
	"archive/zip"
	"bytes"
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"github.com/xuri/excelize/v2"

	"jolvex/core/doc"
)

func zipped(t testing.TB, files map[string]string) []byte {
	t.Helper()
	var b bytes.Buffer
	z := zip.NewWriter(&b)
	for name, body := range files {
		w, err := z.Create(name)
		require.NoError(t, err)
		_, err = w.Write([]byte(body))
		require.NoError(t, err)
	}
	require.NoError(t, z.Close())
	return b.Bytes()
}

// listing says a document block by block: kind, level or ordinal, text.
func listing(d *doc.Document) []string {
	var out []string
	for _, b := range d.Blocks {
		s := string(b.Kind)
		if b.Level > 0 {
			s += fmt.Sprint(b.Level)
		}
		s += " " + b.Ordinal + strings.ReplaceAll(d.Of(b.Span), "\n", " / ")
		out = append(out, s)
	}
	return out
}

func extracted(t *testing.T, name string, body []byte) *doc.Document {
	t.Helper()
	d, err := Extract(Input{Address: name, Body: body})
	require.NoError(t, err, name)
	require.NoError(t, d.Check(), name)
	return d
}

const w = `xmlns:w="http://schemas.openxmlformats.org/wordprocessingml/2006/main"`

func docx(body string) map[string]string {
	return map[string]string{
		"word/document.xml": `<?xml version="1.0"?><w:document ` + w + `><w:body>` + body + `</w:body></w:document>`,
		// Ids of built-in styles differ between languages; their names do not (ECMA-376, part 1, section 17.7.4.9).
		"word/styles.xml":     `<w:styles ` + w + `><w:style w:styleId="berschrift2"><w:name w:val="heading 2"/></w:style><w:style w:styleId="Own"><w:name w:val="Own"/><w:basedOn w:val="berschrift2"/></w:style><w:style w:styleId="T"><w:name w:val="Title"/></w:style></w:styles>`,
		"word/numbering.xml":  `<w:numbering ` + w + `><w:abstractNum w:abstractNumId="1"><w:lvl w:ilvl="0"><w:numFmt w:val="decimal"/></w:lvl><w:lvl w:ilvl="1"><w:numFmt w:val="bullet"/></w:lvl></w:abstractNum><w:num w:numId="5"><w:abstractNumId w:val="1"/></w:num></w:numbering>`,
		"word/footnotes.xml":  `<w:footnotes ` + w + `><w:footnote w:id="2"><w:p><w:r><w:t>Not on public holidays.</w:t></w:r></w:p></w:footnote></w:footnotes>`,
		"docProps/core.xml":   `<cp xmlns:dc="x"><dc:title>Group rates</dc:title></cp>`,
		"[Content_Types].xml": `<Types/>`,
	}
}

func para(style, text string) string {
	return `<w:p><w:pPr><w:pStyle w:val="` + style + `"/></w:pPr><w:r><w:t xml:space="preserve">` + text + `</w:t></w:r></w:p>`
}

func TestDOCX(t *testing.T) {
	item := func(level, text string) string {
		return `<w:p><w:pPr><w:numPr><w:ilvl w:val="` + level + `"/><w:numId w:val="5"/></w:numPr></w:pPr><w:r><w:t>` + text + `</w:t></w:r></w:p>`
	}
	cell := func(props, text string) string {
		return `<w:tc><w:tcPr>` + props + `</w:tcPr><w:p><w:r><w:t>` + text + `</w:t></w:r></w:p></w:tc>`
	}
	body := para("T", "Groups") + para("berschrift2", "Rates") +
		`<w:p><w:r><w:t>Ten or more </w:t></w:r><w:del><w:r><w:delText>never </w:delText></w:r></w:del><w:ins><w:r><w:t>always</w:t></w:r></w:ins><w:r><w:t> pay less.</w:t><w:footnoteReference w:id="2"/></w:r></w:p>` +
		item("0", "Book") + item("1", "by mail") + item("0", "Pay") + para("Own", "Table") +
		`<w:tbl><w:tr><w:trPr><w:tblHeader/></w:trPr>` + cell("", "Group") + cell(`<w:gridSpan w:val="2"/>`, "Fare") + `</w:tr>` +
		`<w:tr>` + cell(`<w:vMerge w:val="restart"/>`, "School") + cell("", "£4.00") + cell("", "£7.00") + `</w:tr>` +
		`<w:tr>` + cell(`<w:vMerge/>`, "") + cell("", "£5.00") + cell("", "£9.00") + `</w:tr></w:tbl>`
	d := extracted(t, "groups.docx", zipped(t, docx(body)))
	assert.Equal(t, "Group rates", d.Title)
	assert.Equal(t, []string{
		"heading1 Groups", "heading2 Rates", "paragraph Ten or more always pay less.", "paragraph Not on public holidays.",
		"item1 1.Book", "item2 by mail", "item1 2.Pay", "heading2 Table", "table Group | Fare | Fare / School | £4.00 | £7.00 / School | £5.00 | £9.00",
	}, listing(d))
	assert.Equal(t, []string{"Group", "Fare", "Fare"}, d.Blocks[8].Grid.Header)
}

func TestODT(t *testing.T) {
	const ns = `xmlns:office="o" xmlns:text="t" xmlns:table="b"`
	body := `<office:document-content ` + ns + `><office:automatic-styles><text:list-style style:name="L1" xmlns:style="s"><text:list-level-style-number/></text:list-style></office:automatic-styles><office:body><office:text>
		<text:h text:outline-level="1">Freight</text:h><text:p>Bring it<text:s/>to the<text:tab/>shed.<text:note><text:note-citation>1</text:note-citation><text:note-body><text:p>Gate 2.</text:p></text:note-body></text:note></text:p>
		<text:list text:style-name="L1"><text:list-item><text:p>Weigh</text:p></text:list-item><text:list-item><text:p>Label</text:p><text:list><text:list-item><text:p>in ink</text:p></text:list-item></text:list></text:list-item></text:list>
		<table:table><table:table-header-rows><table:table-row><table:table-cell><text:p>Weight</text:p></table:table-cell><table:table-cell><text:p>Price</text:p></table:table-cell></table:table-row></table:table-header-rows>
		<table:table-row><table:table-cell><text:p>up to 10 kg</text:p></table:table-cell><table:table-cell><text:p>£6.00</text:p></table:table-cell><table:table-cell table:number-columns-repeated="1000"/></table:table-row></table:table>
		</office:text></office:body></office:document-content>`
	d := extracted(t, "freight.odt", zipped(t, map[string]string{"content.xml": body}))
	assert.Equal(t, []string{"heading1 Freight", "paragraph Bring it to the shed.", "paragraph Gate 2.", "item1 1.Weigh", "item1 2.Label", "item2 1.in ink", "table Weight | Price / up to 10 kg | £6.00"}, listing(d))
	_, err := Extract(Input{Address: "x.odt", Body: zipped(t, map[string]string{"content.xml": body, "META-INF/manifest.xml": "<manifest:encryption-data/>"})})
	assert.ErrorIs(t, err, ErrEncrypted)
}

func TestPPTX(t *testing.T) {
	slide := func(title, text string) string {
		return `<p:sld xmlns:p="p" xmlns:a="a"><p:sp><p:nvSpPr><p:nvPr><p:ph type="title"/></p:nvPr></p:nvSpPr><p:txBody><a:p><a:r><a:t>` + title + `</a:t></a:r></a:p></p:txBody></p:sp><p:sp><p:txBody>` + text + `</p:txBody></p:sp></p:sld>`
	}
	d := extracted(t, "safety.pptx", zipped(t, map[string]string{
		"ppt/slides/slide2.xml":            slide("First", `<a:p><a:r><a:t>Put on </a:t></a:r><a:r><a:t>the vest</a:t></a:r></a:p><a:p><a:pPr lvl="1"/><a:r><a:t>over the coat</a:t></a:r></a:p>`),
		"ppt/slides/slide1.xml":            slide("Second", `<a:p><a:r><a:t>Wait at the muster station.</a:t></a:r></a:p>`),
		"ppt/presentation.xml":             `<p:presentation xmlns:p="p" xmlns:r="r"><p:sldIdLst><p:sldId r:id="rId9"/><p:sldId r:id="rId3"/></p:sldIdLst></p:presentation>`,
		"ppt/_rels/presentation.xml.rels":  `<Relationships><Relationship Id="rId9" Target="slides/slide2.xml"/><Relationship Id="rId3" Target="slides/slide1.xml"/></Relationships>`,
		"ppt/slides/_rels/slide1.xml.rels": `<Relationships><Relationship Id="rId1" Target="../notesSlides/notesSlide1.xml"/></Relationships>`,
		"ppt/notesSlides/notesSlide1.xml":  `<p:notes xmlns:p="p" xmlns:a="a"><p:sp><p:nvSpPr><p:nvPr><p:ph type="body"/></p:nvPr></p:nvSpPr><p:txBody><a:p><a:r><a:t>Say it slowly.</a:t></a:r></a:p></p:txBody></p:sp></p:notes>`,
	}))
	assert.Equal(t, []string{"heading2 First", "item1 Put on the vest", "item2 over the coat", "heading2 Second", "paragraph Wait at the muster station.", "paragraph Say it slowly."}, listing(d))
	assert.Equal(t, 2, d.Blocks[4].Place.Page)
}

func TestXLSX(t *testing.T) {
	f := excelize.NewFile()
	require.NoError(t, f.SetSheetName("Sheet1", "Rates"))
	for cell, v := range map[string]any{"A1": "Freight rates 2026", "A3": "Goods", "B3": "Price", "C3": "Share", "A4": "Pallet", "B4": 48.0, "C4": 0.15, "A5": "Parcel", "B5": 6.5, "C5": 0.5} {
		require.NoError(t, f.SetCellValue("Rates", cell, v))
	}
	money, err := f.NewStyle(&excelize.Style{CustomNumFmt: func() *string { s := `"£"0.00`; return &s }()})
	require.NoError(t, err)
	percent, err := f.NewStyle(&excelize.Style{NumFmt: 9})
	require.NoError(t, err)
	require.NoError(t, f.SetCellStyle("Rates", "B4", "B5", money))
	require.NoError(t, f.SetCellStyle("Rates", "C4", "C5", percent))
	_, err = f.NewSheet("Empty")
	require.NoError(t, err)
	var b bytes.Buffer
	require.NoError(t, f.Write(&b))
	d := extracted(t, "freight-rates.xlsx", b.Bytes())
	assert.Equal(t, []string{"heading2 Rates", "table Freight rates 2026 / Goods | Price | Share / Pallet | £48.00 | 15% / Parcel | £6.50 | 50%"}, listing(d))
	assert.Equal(t, []string{"Goods", "Price", "Share"}, d.Blocks[1].Grid.Header, "a figure is said as it is shown, with its column")
}

// RFC 4180, section 2: quotes, doubled quotes, line breaks within fields.
func TestCSV(t *testing.T) {
	d := extracted(t, "berths.csv", []byte("Boat;Berth\n\"Pellworth\";1\n\"Skerrowe, \"\"the small one\"\"\";\"3\nfar end\"\n"))
	assert.Equal(t, "berths", d.Title)
	assert.Equal(t, []string{`table Boat | Berth / Pellworth | 1 / Skerrowe, "the small one" | 3 far end`}, listing(d))
	d = extracted(t, "x.tsv", []byte("a\tb\n1,5\t2\n"))
	assert.Equal(t, "1,5", d.Blocks[0].Grid.Rows[0].Cells[0].Text)
}

func TestJSON(t *testing.T) {
	cases := map[string][]string{
		`[{"boat":"Pellworth","openDeck":true,"length_m":48.50},{"boat":"Skerrowe","openDeck":false}]`: {"table Boat | Length m | Open deck / Pellworth | 48.50 | yes / Skerrowe |  | no"},
		`{"title":"Questions","faq":[{"question":"May I smoke?","answer":"On the rear deck."}]}`:       {"item1 Title: Questions", "heading2 Faq", "heading3 May I smoke?", "paragraph On the rear deck."},
		"{\"a\":1}\n{\"a\":2}\n": {"table A / 1 / 2"},
		`["x","y"]`:              {"item1 x", "item1 y"},
	}
	for in, want := range cases {
		// Keys come in the order of the alphabet: an object has none of its own (RFC 8259, section 4).
		d := extracted(t, "x.json", []byte(in))
		got := listing(d)
		assert.ElementsMatch(t, want, got, in)
	}
	_, err := Extract(Input{Address: "x.json", Body: []byte(`{"a":`)})
	assert.ErrorContains(t, err, "damaged")
}

// The examples of the WebVTT specification (W3C, "WebVTT: The Web Video Text Tracks Format", section 1: introduction).
func TestWebVTT(t *testing.T) {
	const interview = "WEBVTT\n\nSTYLE\n::cue { color: red }\n\nNOTE a remark\n\n00:11.000 --> 00:13.000\n<v Roger Bingham>We are in New York City\n\n00:13.000 --> 00:16.000\n<v Roger Bingham>We're actually at the Lucern Hotel, just down the street\n\n00:16.000 --> 00:18.000\n<v Roger Bingham>from the American Museum of Natural History\n\n00:18.000 --> 00:20.000\n<v Roger Bingham>And with me is Neil deGrasse Tyson\n\n00:20.000 --> 00:22.000\n<v Roger Bingham>Astrophysicist, Director of the Hayden Planetarium\n\n00:35.500 --> 00:38.000 align:start size:50%\n<v Neil deGrasse Tyson><i>Laughs</i> &amp; nods.\n"
	d := extracted(t, "interview.vtt", []byte(interview))
	assert.Equal(t, []string{
		"cue Roger Bingham: We are in New York City We're actually at the Lucern Hotel, just down the street from the American Museum of Natural History And with me is Neil deGrasse Tyson Astrophysicist, Director of the Hayden Planetarium",
		"cue Neil deGrasse Tyson: Laughs & nods.",
	}, listing(d))
	assert.Equal(t, doc.Place{From: 11, To: 22}, d.Blocks[0].Place)
	assert.Equal(t, doc.Place{From: 35.5, To: 38}, d.Blocks[1].Place)
}

func TestSubRipAndBrokenCaptions(t *testing.T) {
	d := extracted(t, "fog.srt", []byte("\ufeff1\r\n00:00:01,000 --> 00:00:02,500\r\nIn fog the boat\r\n\r\n2\r\n00:00:02,500 --> 00:00:04,000\r\nIn fog the boat\r\nsails at half speed.\r\n\r\n3\r\nnonsense --> 7\r\nlost\r\n\r\n4\r\n01:00:00,000 --> 01:00:01,000\r\nHale: Sound the horn!\r\n"))
	assert.Equal(t, []string{"cue In fog the boat sails at half speed.", "cue Hale: Sound the horn!"}, listing(d))
	assert.InDelta(t, 3600, d.Blocks[1].Place.From, 1e-9)
	_, err := Extract(Input{Address: "x.vtt", Body: []byte("WEBVTT\n\nno times here")})
	assert.ErrorIs(t, err, ErrKind)
}

// Time expressions as in TTML2, section 12.3.1, and the "begin"/"end"/"dur" example of its section 12.2.
func TestTTML(t *testing.T) {
	d := extracted(t, "pier.ttml", []byte(`<?xml version="1.0"?><tt xmlns="http://www.w3.org/ns/ttml" frameRate="25"><head><metadata><title>Finding the pier</title></metadata></head><body><div>
		<p begin="0.76s" end="3.45s">Turn left<br/>at the clock.</p><p begin="00:00:05.000" dur="2s">Walk on.</p><p begin="00:01:00:05" end="62s">There.</p></div></body></tt>`))
	assert.Equal(t, "Finding the pier", d.Title)
	assert.Equal(t, []string{"cue Turn left at the clock.", "cue Walk on.", "cue There."}, listing(d))
	assert.Equal(t, doc.Place{From: 5, To: 7}, d.Blocks[1].Place)
	assert.InDelta(t, 60.2, d.Blocks[2].Place.From, 1e-9)
}

func TestEPUB(t *testing.T) {
	d := extracted(t, "guide.epub", zipped(t, map[string]string{
		"META-INF/container.xml": `<container><rootfiles><rootfile full-path="OPS/book.opf"/></rootfiles></container>`,
		"OPS/book.opf":           `<package><metadata><dc:title xmlns:dc="d">Guide</dc:title></metadata><manifest><item id="b" href="two%20b.xhtml" media-type="application/xhtml+xml"/><item id="a" href="one.xhtml" media-type="application/xhtml+xml"/><item id="n" href="nav.xhtml" properties="nav"/></manifest><spine><itemref idref="n"/><itemref idref="a"/><itemref idref="b"/></spine></package>`,
		"OPS/one.xhtml":          `<html><body><h1>One</h1><p>First chapter.</p></body></html>`,
		"OPS/two b.xhtml":        `<html><body><h1>Two</h1><table><tr><th>Tide</th></tr><tr><td>high</td></tr></table></body></html>`,
		"OPS/nav.xhtml":          `<html><body><p>Contents</p></body></html>`,
	}))
	assert.Equal(t, "Guide", d.Title)
	assert.Equal(t, []string{"heading1 One", "paragraph First chapter.", "heading1 Two", "table Tide / high"}, listing(d))
}

// Hostile archives give an error with a reason and use bounded memory.
func TestHostileArchives(t *testing.T) {
	deep := strings.Repeat("<w:sdt>", 5000)
	many := map[string]string{}
	for i := range MaxEntries + 1 {
		many[fmt.Sprint("f", i)] = ""
	}
	for name, c := range map[string]struct {
		body []byte
		want error
	}{
		"no zip":         {[]byte("PK\x03\x04 but no more"), nil},
		"another zip":    {zipped(t, map[string]string{"a.txt": "x"}), ErrKind},
		"bomb":           {zipped(t, map[string]string{"word/document.xml": "<w:p>" + strings.Repeat(" ", MaxUnpacked+10)}), ErrTooLarge},
		"deep":           {zipped(t, map[string]string{"word/document.xml": deep}), ErrTooLarge},
		"many":           {zipped(t, many), ErrTooLarge},
		"encrypted":      {append([]byte{0xd0, 0xcf, 0x11, 0xe0, 0xa1, 0xb1, 0x1a, 0xe1}, make([]byte, 600)...), ErrEncrypted},
		"cut off":        {zipped(t, docx(para("", "x")))[:200], nil},
		"entity bomb":    {zipped(t, map[string]string{"word/document.xml": `<!DOCTYPE x [<!ENTITY a "aaaa"><!ENTITY b "&a;&a;&a;">]><w:p><w:r><w:t>&b;</w:t></w:r></w:p>`}), ErrNoText},
		"nothing within": {zipped(t, docx("")), ErrNoText},
	} {
		d, err := Extract(Input{Address: "x.docx", Body: c.body})
		require.Error(t, err, name)
		if c.want != nil {
			assert.ErrorIs(t, err, c.want, name)
		}
		if d != nil {
			assert.Empty(t, d.Blocks, name)
		}
	}
}

func FuzzOffice(f *testing.F) {
	f.Add("x.docx", zipped(f, docx(para("T", "x"))))
	f.Add("x.odt", zipped(f, map[string]string{"content.xml": "<office:body><office:text><text:p>x</text:p></office:text></office:body>"}))
	f.Add("x.vtt", []byte("WEBVTT\n\n00:01.000 --> 00:02.000\nx"))
	f.Add("x.json", []byte(`[{"a":[{}]}]`))
	f.Add("x.csv", []byte("a,\"b\n"))
	f.Add("x.ttml", []byte("<tt><body><p begin='1s'>x</p></body></tt>"))
	f.Fuzz(func(t *testing.T, name string, body []byte) {
		d, err := Extract(Input{Address: name, Body: body})
		if err != nil {
			return
		}
		if err := d.Check(); err != nil {
			t.Fatal(err)
		}
	})
}

// What is brought within the bounds of the grammar keeps its words, tables whole and code as it was.
func TestLongMarkdownKeepsItsTablesAndCode(t *testing.T) {
	var src strings.Builder
	src.WriteString("# Berths\n\n| Berth | Length |\n|---|---|\n")
	for i := range 900 {
		fmt.Fprintf(&src, "| berth %d | %d m |\n", i, i)
	}
	src.WriteString("\n```\n" + strings.Repeat("> > mooring line\n", 1000) + "```\n\n" + strings.Repeat("A line of one paragraph.\n", 1000) + "\n" + strings.Repeat(">", 40) + " quoted\n")
	d, err := Extract(Input{Address: "berths.md", Body: []byte(src.String())})
	require.NoError(t, err)
	tables, code := 0, ""
	for _, b := range d.Blocks {
		if b.Kind == doc.Table {
			tables++
			assert.Len(t, b.Grid.Rows, 900)
		}
		if b.Kind == doc.Code {
			code = d.Of(b.Span)
		}
	}
	assert.Equal(t, 1, tables)
	assert.Equal(t, strings.TrimSpace(strings.Repeat("> > mooring line\n", 1000)), code)
	assert.Equal(t, 1000, strings.Count(d.Text, "A line of one paragraph."))
	assert.Contains(t, d.Text, "quoted")
}

// A workbook that nobody has calculated says so (ECMA-376, part 1, section 18.3.1.4).
func TestFormulasWithoutTheirValuesAreTold(t *testing.T) {
	f := excelize.NewFile()
	require.NoError(t, f.SetCellValue("Sheet1", "A1", "Berths"))
	require.NoError(t, f.SetCellValue("Sheet1", "B1", 12))
	require.NoError(t, f.SetCellValue("Sheet1", "A2", "Twice"))
	require.NoError(t, f.SetCellFormula("Sheet1", "B2", "2*B1"))
	var b bytes.Buffer
	require.NoError(t, f.Write(&b))
	d, err := Extract(Input{Address: "berths.xlsx", Body: b.Bytes()})
	require.NoError(t, err)
	require.Len(t, d.Notes, 1)
	assert.Contains(t, d.Notes[0], "in 1 cell:")
}
