package extract

import (
	"strconv"
	"strings"

	"golang.org/x/net/html"
	"golang.org/x/net/html/atom"

	"jolvex/core/doc"
)

// maxRepeated is how many cells merged ones may stand for, on one page.
const maxRepeated = 50_000

type htmlCell struct {
	text   string
	head   bool
	node   *html.Node
	spaned bool // repeated from a merged cell
}

// table reads a table into a grid by the row and column algorithm of the HTML standard (section "Forming a table"),
// simplified: merged cells are repeated where they reach. A table that only lays out the page is read as text.
func (r *htmlReader) table(n *html.Node) {
	rows, caption := r.gridOf(n)
	if note(rows) {
		for _, row := range rows {
			for _, c := range row {
				if !c.spaned && len(c.text) > noteLabel {
					r.children(c.node)
					r.flush()
				}
			}
		}
		return
	}
	if layout(rows) {
		for _, row := range rows {
			for _, c := range row {
				if !c.spaned && c.node != nil {
					r.children(c.node)
					r.flush()
				}
			}
		}
		return
	}
	var header []string
	body := make([][]string, 0, len(rows))
	for i, row := range rows {
		line := make([]string, len(row))
		heads := 0
		for j, c := range row {
			line[j] = c.text
			if c.head || c.text == "" {
				heads++
			}
		}
		switch {
		case len(row) > 0 && heads == len(row) && len(body) == 0 && (header == nil || i == 1):
			header = joinHeader(header, line)
		default:
			body = append(body, line)
		}
	}
	if header == nil && len(body) > 1 && labelRow(body) {
		header, body = body[0], body[1:]
	}
	r.b.AddTable(doc.Place{Anchor: r.anchor}, caption, header, body)
}

// noteLabel is up to how many bytes a cell may be the mark of a note, such as "Important".
const noteLabel = 16

// note tells a table that lays out a note: a mark of a word or a picture, and one text. The mark says nothing by itself.
func note(rows [][]htmlCell) bool {
	long, marks := 0, 0
	for _, row := range rows {
		for _, c := range row {
			switch {
			case c.spaned || c.text == "":
			case len(c.text) <= noteLabel:
				marks++
			case len(c.text) > 60:
				long++
			default:
				return false
			}
		}
	}
	return long == 1 && marks <= 1 && len(rows) <= 2
}

// joinHeader merges two header lines, as in "Adult" over "single | return".
func joinHeader(top, line []string) []string {
	if top == nil {
		return line
	}
	out := make([]string, max(len(top), len(line)))
	for i := range out {
		a, b := "", ""
		if i < len(top) {
			a = top[i]
		}
		if i < len(line) {
			b = line[i]
		}
		if a == b {
			b = ""
		}
		out[i] = strings.TrimSpace(a + " " + b)
	}
	return out
}

// labelRow tells whether the first line of a table without header cells is one all the same: it holds no figure while
// the lines below do, in the same columns.
func labelRow(rows [][]string) bool {
	digits := func(s string) bool { return strings.ContainsAny(s, "0123456789") }
	below := 0
	for j, c := range rows[0] {
		if c == "" && j > 0 || digits(c) {
			return false
		}
		for _, r := range rows[1:] {
			if j < len(r) && digits(r[j]) {
				below++
				break
			}
		}
	}
	return below > 0
}

// layout tells a table that lays out a page from one that holds data: no header, and one column, or cells that are
// themselves long texts or hold tables.
func layout(rows [][]htmlCell) bool {
	width, long, cells := 0, 0, 0
	for _, row := range rows {
		width = max(width, len(row))
		for _, c := range row {
			if c.head {
				return false
			}
			cells++
			if len(c.text) > 400 {
				long++
			}
		}
	}
	return width <= 1 || long*3 > cells
}

func (r *htmlReader) gridOf(n *html.Node) (rows [][]htmlCell, caption string) {
	type pending struct {
		cell htmlCell
		left int
	}
	hang := map[int]*pending{}
	var visit func(*html.Node)
	visit = func(n *html.Node) {
		for c := n.FirstChild; c != nil; c = c.NextSibling {
			switch c.DataAtom {
			case atom.Caption:
				caption = rawText(c)
			case atom.Thead, atom.Tbody, atom.Tfoot:
				visit(c)
			case atom.Tr:
				if r.cells > MaxCells || r.repeated > maxRepeated {
					r.trimmed = true
					return
				}
				var row []htmlCell
				fill := func() {
					for {
						p := hang[len(row)]
						if p == nil || p.left == 0 {
							return
						}
						p.left--
						row = append(row, p.cell)
						r.repeated++
					}
				}
				for td := c.FirstChild; td != nil; td = td.NextSibling {
					if td.DataAtom != atom.Td && td.DataAtom != atom.Th {
						continue
					}
					fill()
					cell := htmlCell{text: doc.Fold(rawText(td)), head: td.DataAtom == atom.Th, node: td}
					wide := clampSpan(attr(td, "colspan"), 100)
					tall := clampSpan(attr(td, "rowspan"), 1000)
					for k := range wide {
						cc := cell
						cc.spaned = k > 0
						if tall > 1 {
							down := cc
							down.spaned = true
							hang[len(row)] = &pending{down, tall - 1}
						}
						row = append(row, cc)
						if r.cells++; cc.spaned {
							r.repeated++
						}
					}
				}
				fill()
				if len(row) > 0 {
					rows = append(rows, row)
				}
			}
		}
	}
	visit(n)
	return rows, caption
}

func clampSpan(s string, most int) int {
	n, err := strconv.Atoi(strings.TrimSpace(s))
	if err != nil || n < 1 {
		return 1
	}
	return min(n, most)
}
