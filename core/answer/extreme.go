package answer

import (
	"regexp"
	"slices"
	"strings"

	"jolvex/core/text"
)

// extremes are the ways to ask for the most or least of something, the kinds of figure that decide, and whether the most is
// meant. (Common practice, no published source.)
var extremes = []struct {
	re    *regexp.Regexp
	kinds []text.QuantityKind
	most  bool
}{
	{en.Pattern("most-cheap"), []text.QuantityKind{text.Money}, false},
	{en.Pattern("most-dear"), []text.QuantityKind{text.Money}, true},
	{en.Pattern("most-early"), []text.QuantityKind{text.Clock}, false},
	{en.Pattern("most-late"), []text.QuantityKind{text.Clock}, true},
	{en.Pattern("most-short"), []text.QuantityKind{text.Duration}, false},
	{en.Pattern("most-long"), []text.QuantityKind{text.Duration}, true},
	{en.Pattern("most-large"), []text.QuantityKind{text.Measure, text.Number}, true},
	{en.Pattern("most-small"), []text.QuantityKind{text.Measure, text.Number}, false},
}

// extremal picks, when a question asks for the most or least of something and a passage holds a table of such figures, the row
// or rows that have it, each with the cell that decides; false when it does not ask, or no table can tell.
func extremal(question string, ps []*passage, terms map[string]float64) (*passage, []cellQuote, bool) {
	for _, e := range extremes {
		if !e.re.MatchString(question) {
			continue
		}
		for _, p := range ps {
			for _, k := range e.kinds {
				if cells := extremeCells(p, k, e.most, terms); len(cells) > 0 {
					return p, cells, true
				}
			}
		}
	}
	return nil, nil, false
}

// cellQuote is one cell of a table that is said, with its row's name and its column's.
type cellQuote struct {
	unit int
	cell int
}

// extremeCells finds the cells with the extreme figure in a passage's table. Where the question names rows or columns, those
// alone are compared; two rows at least must have a figure, all of one unit.
func extremeCells(p *passage, kind text.QuantityKind, most bool, terms map[string]float64) []cellQuote {
	named := slices.ContainsFunc(p.units, func(u unit) bool { return u.row != nil && namesLabel(&u, terms) })
	columns := namedColumns(p, terms)
	var best float64
	var out []cellQuote
	unitOf, rows := "", 0
	for i := range p.units {
		u := &p.units[i]
		if u.row == nil || named && !namesLabel(u, terms) {
			continue
		}
		labels, any := labelCells(u), false
		for c, cell := range u.row.Cells {
			if labels[c] || len(columns) > 0 && !columns[c] {
				continue
			}
			v, unit, ok := amountIn(cell.Text, kind)
			if !ok {
				continue
			}
			if unitOf == "" {
				unitOf = unit
			}
			if unit != unitOf {
				return nil
			}
			any = true
			switch {
			case len(out) == 0 || most && v > best || !most && v < best:
				best, out = v, []cellQuote{{i, c}}
			case v == best:
				out = append(out, cellQuote{i, c})
			}
		}
		if any {
			rows++
		}
	}
	if rows < 2 {
		return nil
	}
	return out
}

// namedColumns are the columns of a passage's first table whose headers the question names.
func namedColumns(p *passage, terms map[string]float64) map[int]bool {
	out := map[int]bool{}
	for i := range p.units {
		g := p.units[i].grid
		if g == nil {
			continue
		}
		for c, h := range g.Header {
			for s := range text.Stems(h) {
				if terms[s] > 0 {
					out[c] = true
				}
			}
		}
		return out
	}
	return out
}

// amountIn is the first figure of a kind in a cell as a number that can be compared, with its unit.
func amountIn(cell string, kind text.QuantityKind) (v float64, unit string, ok bool) {
	for _, q := range text.Quantities(cell) {
		if q.Kind == kind {
			return q.Amount()
		}
	}
	return 0, "", false
}

// cellText says one cell with its row's name and its column's.
func (p *passage) cellText(q cellQuote) string {
	u := &p.units[q.unit]
	labels := labelCells(u)
	var name []string
	for i, c := range u.row.Cells {
		if labels[i] && c.Text != "" {
			name = append(name, c.Text)
		}
	}
	s := strings.Join(name, ", ")
	if s != "" {
		s += " – "
	}
	if q.cell < len(u.grid.Header) && u.grid.Header[q.cell] != "" {
		s += u.grid.Header[q.cell] + ": "
	}
	return s + u.row.Cells[q.cell].Text + "."
}
