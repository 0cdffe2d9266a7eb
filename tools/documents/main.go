// Command documents makes the demo's documents and films from their sources: PDF files printed by Chromium, a Word document,
// a workbook and short films recorded from a canvas. What it makes is kept in the repository.
//
//	go run ./tools/documents -from demo/sources -to demo/pages
package main

import (
	"archive/zip"
	"bytes"
	"context"
	"encoding/base64"
	"encoding/xml"
	"flag"
	"fmt"
	"net/http"
	"net/http/httptest"
	"os"
	"path/filepath"
	"strings"
	"time"

	"github.com/chromedp/cdproto/cdp"
	"github.com/chromedp/cdproto/page"
	"github.com/chromedp/chromedp"
	"github.com/xuri/excelize/v2"

	"jolvex/tests/browser"
)

func main() {
	from := flag.String("from", "demo/sources", "folder of the sources")
	to := flag.String("to", "demo/pages", "folder of the site's files")
	films := flag.Bool("films", false, "record the films too; takes two minutes")
	flag.Parse()
	if err := run(*from, *to, *films); err != nil {
		fmt.Fprintln(os.Stderr, err)
		os.Exit(1)
	}
}

func run(from, to string, films bool) error {
	for _, d := range []string{"documents", "videos"} {
		if err := os.MkdirAll(filepath.Join(to, d), 0o755); err != nil {
			return err
		}
	}
	if err := groups(filepath.Join(to, "documents", "groups.docx")); err != nil {
		return fmt.Errorf("the form for groups: %w", err)
	}
	if err := freight(filepath.Join(to, "documents", "freight-rates.xlsx")); err != nil {
		return fmt.Errorf("the freight rates: %w", err)
	}
	ctx, cancel, err := browser.Start(context.Background())
	if err != nil {
		return err
	}
	defer cancel()
	srv := httptest.NewServer(http.FileServer(http.Dir(from)))
	defer srv.Close()
	for name, out := range map[string]string{
		"conditions-of-carriage": to + "/documents", "access-guide": to + "/documents", "fares-leaflet": to + "/documents", "notice-board": to + "/documents", "crew-handbook": filepath.Dir(to) + "/handed-over",
	} {
		if err := printed(ctx, srv.URL+"/"+name+".html", filepath.Join(out, name+".pdf")); err != nil {
			return fmt.Errorf("print %s: %w", name, err)
		}
	}
	if !films {
		return nil
	}
	for name, seconds := range map[string]int{"boarding-with-a-bicycle": 35, "finding-the-pier": 32, "what-happens-in-fog": 34} {
		if err := film(ctx, srv.URL+"/fares-leaflet.html", name, seconds, filepath.Join(to, "videos", name+".webm")); err != nil {
			return fmt.Errorf("record %s: %w", name, err)
		}
	}
	return nil
}

// printed prints a page as PDF with an outline, a running head and page numbers.
func printed(ctx context.Context, address, out string) error {
	if err := chromedp.Do(ctx, chromedp.Navigate(address)); err != nil {
		return err
	}
	body, err := chromedp.Run(ctx, func(ctx context.Context, t *chromedp.Target) ([]byte, error) {
		yes, framed := true, !strings.Contains(address, "notice")
		r, err := cdp.Call(ctx, t, page.PrintToPDF, page.PrintToPDFParams{
			PreferCSSPageSize: &yes, GenerateDocumentOutline: &yes, GenerateTaggedPDF: &yes, PrintBackground: &yes, DisplayHeaderFooter: &framed,
			HeaderTemplate: `<div style="font-size:8px;margin-left:15mm">Tolmouth Ferries</div>`,
			FooterTemplate: `<div style="font-size:8px;width:100%;text-align:center">Page <span class="pageNumber"></span> of <span class="totalPages"></span></div>`,
		})
		return r.Data, err
	})
	if err != nil {
		return err
	}
	if err := os.MkdirAll(filepath.Dir(out), 0o755); err != nil {
		return err
	}
	return os.WriteFile(out, body, 0o644)
}

// scene draws the films: the sea, a boat that crosses it, and what each film is about.
const scene = `(async (name, seconds) => {
  const c = document.createElement('canvas'); c.width = 320; c.height = 180; document.body.replaceChildren(c)
  const x = c.getContext('2d'), start = performance.now()
  const draw = () => {
    const t = (performance.now() - start) / 1000
    x.fillStyle = name.includes('fog') ? '#c9d3d8' : '#bfe0ea'; x.fillRect(0, 0, 320, 110)
    x.fillStyle = '#0b5a6f'; x.fillRect(0, 110, 320, 70)
    const b = 20 + (t / seconds) * 240
    x.fillStyle = '#16232e'; x.beginPath(); x.moveTo(b, 118); x.lineTo(b + 60, 118); x.lineTo(b + 52, 134); x.lineTo(b + 8, 134); x.fill()
    x.fillStyle = '#f2f5f6'; x.fillRect(b + 14, 104, 28, 14)
    if (name.includes('fog')) { x.fillStyle = 'rgba(220,228,232,.7)'; x.fillRect(0, 60, 320, 80) }
    if (name.includes('pier')) { x.fillStyle = '#8a5200'; x.fillRect(250, 90, 70, 6); x.fillRect(262, 96, 4, 40); x.fillRect(300, 96, 4, 40) }
    if (name.includes('bicycle')) { x.strokeStyle = '#a82b24'; x.lineWidth = 2; for (const d of [0, 16]) { x.beginPath(); x.arc(b + 20 + d, 112, 5, 0, 7); x.stroke() } }
    x.fillStyle = '#16232e'; x.font = '12px sans-serif'; x.fillText(Math.floor(t) + ' s', 8, 16)
  }
  const clock = setInterval(draw, 250); draw()
  const r = new MediaRecorder(c.captureStream(4), { mimeType: 'video/webm;codecs=vp8', videoBitsPerSecond: 40000 })
  const parts = []; r.ondataavailable = (e) => parts.push(e.data); r.start()
  await new Promise((d) => setTimeout(d, seconds * 1000))
  const ended = new Promise((d) => { r.onstop = d }); r.stop(); await ended; clearInterval(clock)
  const bytes = new Uint8Array(await new Blob(parts).arrayBuffer())
  let s = ''; for (let i = 0; i < bytes.length; i += 4096) s += String.fromCharCode(...bytes.subarray(i, i + 4096))
  return btoa(s)
})(%q, %d)`

func film(ctx context.Context, address, name string, seconds int, out string) error {
	ctx, cancel := context.WithTimeout(ctx, time.Duration(seconds+60)*time.Second)
	defer cancel()
	if err := chromedp.Do(ctx, chromedp.Navigate(address)); err != nil {
		return err
	}
	s, err := chromedp.Run(ctx, chromedp.Evaluate[string](fmt.Sprintf(scene, name, seconds), chromedp.EvalAwaitPromise))
	if err != nil {
		return err
	}
	raw, err := base64.StdEncoding.DecodeString(s)
	if err != nil {
		return err
	}
	return os.WriteFile(out, raw, 0o644)
}

// freight writes the workbook of freight rates: two sheets, with the formats of money and weight that people use.
func freight(path string) error {
	f := excelize.NewFile()
	money, err := f.NewStyle(&excelize.Style{CustomNumFmt: ptr(`"£"#,##0.00`)})
	if err != nil {
		return err
	}
	sheets := map[string][][]any{
		"Rates 2026-27": {
			{"Consignment", "Tolmouth to Sandrel", "Onward to Bracken Holm", "Booked by"},
			{"Parcel up to 10 kg", 5.0, 4.0, "15:00 the day before"},
			{"Parcel up to 30 kg", 9.5, 7.5, "15:00 the day before"},
			{"Pallet up to 500 kg", 48.0, "not carried", "noon, two days before"},
			{"Beer keg, full", 6.25, 5.25, "15:00 the day before"},
			{"Sheep or goat", 7.8, 7.8, "three days before, with a permit"},
			{"Horse in a box", 62.0, "not carried", "a week before"},
		},
		"Supplements": {
			{"Supplement", "Amount", "Remark"},
			{"Dangerous goods", 35.0, "Tuesdays only, with a declaration"},
			{"Cooled transport", 14.5, "a pallet"},
			{"Loading with the crane", 22.0, "each lift, up to 250 kg"},
			{"Storage after 3 days", 2.5, "a day and consignment"},
		},
	}
	for _, name := range []string{"Rates 2026-27", "Supplements"} {
		if _, err := f.NewSheet(name); err != nil {
			return err
		}
		for r, row := range sheets[name] {
			for c, v := range row {
				cell, err := excelize.CoordinatesToCellName(c+1, r+1)
				if err != nil {
					return err
				}
				if err := f.SetCellValue(name, cell, v); err != nil {
					return err
				}
				if _, ok := v.(float64); ok {
					if err := f.SetCellStyle(name, cell, cell, money); err != nil {
						return err
					}
				}
			}
		}
	}
	if err := f.DeleteSheet("Sheet1"); err != nil {
		return err
	}
	if err := f.SetDocProps(&excelize.DocProperties{Title: "Freight rates", Created: "2026-03-01T09:00:00Z", Modified: "2026-03-01T09:00:00Z"}); err != nil {
		return err
	}
	return f.SaveAs(path)
}

func ptr[T any](v T) *T { return &v }

// groups writes the form for groups as a Word document (ECMA-376): headings, a list and a table.
func groups(path string) error {
	var b strings.Builder
	esc := func(s string) string {
		var out bytes.Buffer
		_ = xml.EscapeText(&out, []byte(s)) // a buffer takes everything
		return out.String()
	}
	para := func(style, text string) {
		props := ""
		switch {
		case style == "list":
			props = `<w:pPr><w:numPr><w:ilvl w:val="0"/><w:numId w:val="1"/></w:numPr></w:pPr>`
		case style != "":
			props = `<w:pPr><w:pStyle w:val="` + style + `"/></w:pPr>`
		}
		b.WriteString(`<w:p>` + props + `<w:r><w:t xml:space="preserve">` + esc(text) + `</w:t></w:r></w:p>`)
	}
	para("Heading1", "Groups and schools: form and rules")
	para("", "This form is for groups of ten or more. Send it to groups@tolmouthferries.example at least 14 days before the crossing.")
	para("Heading2", "What we need to know")
	for _, s := range []string{"Name and telephone number of the leader of the group", "Day, route and boat, there and back", "Number of adults, of children under 16 and of wheelchairs", "Whether a packed lunch at £6.80 a person is wanted"} {
		para("list", s)
	}
	para("Heading2", "Reductions")
	b.WriteString(`<w:tbl>`)
	for _, row := range [][]string{{"Group", "Reduction", "Free places"}, {"10 to 24 people", "15 %", "none"}, {"25 to 49 people", "20 %", "one in 25"}, {"50 people or more", "25 %", "one in 20"}, {"Schools", "30 %", "one teacher in ten"}} {
		b.WriteString(`<w:tr>`)
		for _, c := range row {
			b.WriteString(`<w:tc><w:p><w:r><w:t>` + esc(c) + `</w:t></w:r></w:p></w:tc>`)
		}
		b.WriteString(`</w:tr>`)
	}
	b.WriteString(`</w:tbl>`)
	para("Heading2", "On the day")
	para("", "The leader collects one ticket for the whole group at the office 30 minutes before departure. Whoever comes late travels on the next boat that has room, at no charge.")
	const ns = `xmlns:w="http://schemas.openxmlformats.org/wordprocessingml/2006/main"`
	style := func(id, name string) string {
		return `<w:style w:type="paragraph" w:styleId="` + id + `"><w:name w:val="` + name + `"/></w:style>`
	}
	files := []struct{ name, body string }{
		{"[Content_Types].xml", `<Types xmlns="http://schemas.openxmlformats.org/package/2006/content-types"><Default Extension="rels" ContentType="application/vnd.openxmlformats-package.relationships+xml"/><Default Extension="xml" ContentType="application/xml"/><Override PartName="/word/document.xml" ContentType="application/vnd.openxmlformats-officedocument.wordprocessingml.document.main+xml"/></Types>`},
		{"_rels/.rels", `<Relationships xmlns="http://schemas.openxmlformats.org/package/2006/relationships"><Relationship Id="r1" Type="http://schemas.openxmlformats.org/officeDocument/2006/relationships/officeDocument" Target="word/document.xml"/></Relationships>`},
		{"word/_rels/document.xml.rels", `<Relationships xmlns="http://schemas.openxmlformats.org/package/2006/relationships"><Relationship Id="s1" Type="http://schemas.openxmlformats.org/officeDocument/2006/relationships/styles" Target="styles.xml"/><Relationship Id="n1" Type="http://schemas.openxmlformats.org/officeDocument/2006/relationships/numbering" Target="numbering.xml"/></Relationships>`},
		{"word/styles.xml", `<w:styles ` + ns + `>` + style("Heading1", "heading 1") + style("Heading2", "heading 2") + `</w:styles>`},
		{"word/numbering.xml", `<w:numbering ` + ns + `><w:abstractNum w:abstractNumId="0"><w:lvl w:ilvl="0"><w:numFmt w:val="bullet"/><w:lvlText w:val="•"/></w:lvl></w:abstractNum><w:num w:numId="1"><w:abstractNumId w:val="0"/></w:num></w:numbering>`},
		{"word/document.xml", `<w:document ` + ns + `><w:body>` + b.String() + `</w:body></w:document>`},
	}
	var out bytes.Buffer
	z := zip.NewWriter(&out)
	for _, f := range files {
		w, err := z.Create(f.name)
		if err != nil {
			return err
		}
		if _, err := w.Write([]byte(`<?xml version="1.0" encoding="UTF-8" standalone="yes"?>` + "\n" + f.body)); err != nil {
			return err
		}
	}
	if err := z.Close(); err != nil {
		return err
	}
	return os.WriteFile(path, out.Bytes(), 0o644)
}
