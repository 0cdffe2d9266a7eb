package extract

import (
	"bytes"
	"encoding/csv"
	"errors"
	"fmt"
	"io"
	"regexp"
	"strings"

	"github.com/xuri/excelize/v2"

	"jolvex/core/doc"
)

// fromXLSX reads a workbook: each sheet is a heading and a table, its cells as they are shown.
func fromXLSX(in Input) (*doc.Document, error) {
	a, err := openArchive(in.Body)
	if err != nil {
		return nil, err
	}
	if a.files["xl/workbook.xml"] == nil {
		return nil, fmt.Errorf("%w: it holds no xl/workbook.xml", ErrKind)
	}
	f, err := excelize.OpenReader(bytes.NewReader(in.Body), excelize.Options{UnzipSizeLimit: MaxUnpacked, UnzipXMLSizeLimit: MaxUnpacked})
	if err != nil {
		return nil, fmt.Errorf("damaged: %w", err)
	}
	defer f.Close()
	var b doc.Builder
	if p, err := f.GetDocProps(); err == nil && p.Title != "" {
		b.Doc().Title = p.Title
	} else {
		b.Doc().Title = nameOf(in.Address)
	}
	cells, trimmed := 0, false
	for _, sheet := range f.GetSheetList() {
		if visible, err := f.GetSheetVisible(sheet); err == nil && !visible {
			continue
		}
		rows, more, err := sheetRows(f, sheet, &cells)
		if err != nil {
			return nil, fmt.Errorf("sheet %s: %w", sheet, err)
		}
		trimmed = trimmed || more
		addSheet(&b, sheet, rows)
	}
	d := b.Document()
	if trimmed {
		d.Notes = append(d.Notes, fmt.Sprintf("cut short: more than %d cells", MaxCells))
	}
	n, err := uncalculated(a)
	if err != nil {
		return nil, err
	}
	if n > 0 {
		d.Notes = append(d.Notes, fmt.Sprintf("formulas without their values in %s: open the file in a spreadsheet program and save it", cellsOf(n)))
	}
	return d, nil
}

func cellsOf(n int) string {
	if n == 1 {
		return "1 cell"
	}
	return fmt.Sprintf("%d cells", n)
}

// formula finds a cell that holds a formula and no value (ECMA-376, part 1, section 18.3.1.4).
var formula = regexp.MustCompile(`<c [^>]*>\s*<f(?:\s[^>]*)?(?:/>|>[^<]*</f>)\s*(?:<v\s*/>|<v></v>)?\s*</c>`)

// uncalculated counts the cells of a workbook whose formulas nobody has calculated: programs that write workbooks leave that to those that
// open them.
func uncalculated(a *archive) (int, error) {
	n := 0
	for name := range a.files {
		if !strings.HasPrefix(name, "xl/worksheets/") || !strings.HasSuffix(name, ".xml") {
			continue
		}
		b, err := a.read(name)
		if err != nil {
			return 0, err
		}
		n += len(formula.FindAllIndex(b, -1))
	}
	return n, nil
}

func sheetRows(f *excelize.File, sheet string, cells *int) (out [][]string, trimmed bool, err error) {
	rows, err := f.Rows(sheet)
	if err != nil {
		return nil, false, err
	}
	defer rows.Close()
	for rows.Next() {
		if *cells > MaxCells {
			return out, true, nil
		}
		row, err := rows.Columns()
		if err != nil {
			return nil, false, err
		}
		*cells += len(row) + 1
		out = append(out, row)
	}
	return out, false, rows.Error()
}

// addSheet adds a sheet's rows as tables: an empty row ends one, a row of one cell before a table is its caption or a line
// of text.
func addSheet(b *doc.Builder, name string, rows [][]string) {
	start := len(b.Doc().Blocks)
	b.Add(doc.Block{Kind: doc.Heading, Level: 2}, name)
	var table [][]string
	caption := ""
	flush := func() {
		if len(table) > 1 || len(table) == 1 && len(table[0]) > 1 {
			b.AddTable(doc.Place{}, caption, tableHeader(&table, 0), table)
			caption = ""
		} else if len(table) == 1 {
			b.Add(doc.Block{Kind: doc.Paragraph}, table[0][0])
		}
		table = nil
	}
	for _, row := range rows {
		filled := 0
		for _, c := range row {
			if strings.TrimSpace(c) != "" {
				filled++
			}
		}
		switch {
		case filled == 0:
			flush()
		case filled == 1 && len(table) == 0 && strings.TrimSpace(row[0]) != "":
			if caption != "" {
				b.Add(doc.Block{Kind: doc.Paragraph}, caption)
			}
			caption = row[0]
		default:
			table = append(table, row)
		}
	}
	if caption != "" && len(table) == 0 {
		b.Add(doc.Block{Kind: doc.Paragraph}, caption)
	}
	flush()
	if len(b.Doc().Blocks) == start+1 { // a sheet without a cell
		b.Drop()
	}
}

// fromCSV reads a table of values (RFC 4180) separated by commas, semicolons or tabs, whichever the first lines use. The
// first row names the columns.
func fromCSV(in Input) (*doc.Document, error) {
	src := decode(in.Body, in.MediaType)
	r := csv.NewReader(strings.NewReader(src))
	r.Comma = separator(src)
	r.LazyQuotes, r.FieldsPerRecord = true, -1
	var b doc.Builder
	b.Doc().Title = nameOf(in.Address)
	var rows [][]string
	cells, trimmed := 0, false
	for {
		row, err := r.Read()
		if errors.Is(err, io.EOF) {
			break
		}
		if err != nil {
			return nil, fmt.Errorf("damaged: %w", err)
		}
		if cells += len(row); cells > MaxCells || len(src) > MaxText {
			trimmed = true
			break
		}
		rows = append(rows, row)
	}
	var header []string
	if len(rows) > 1 {
		header, rows = rows[0], rows[1:]
	}
	b.AddTable(doc.Place{}, "", header, rows)
	d := b.Document()
	if trimmed {
		d.Notes = append(d.Notes, fmt.Sprintf("cut short: more than %d cells", MaxCells))
	}
	return d, nil
}

func separator(src string) rune {
	head := src[:min(len(src), 4096)]
	best, most := ',', 0
	for _, c := range []rune{',', ';', '\t'} {
		if n := strings.Count(head, string(c)); n > most {
			best, most = c, n
		}
	}
	return best
}
