package extract

import (
	"cmp"
	"slices"
	"strings"
)

// readingOrder sorts boxes into regions that are read one after another: a page is cut where a white gap runs through it,
// upright gaps that part columns before level ones that part what stands under each other (the recursive X-Y cut of Nagy
// and Seth, 1984, with the cut chosen by what columns look like).
func readingOrder(boxes []Box, body float32) [][]int {
	all := make([]int, len(boxes))
	for i := range all {
		all[i] = i
	}
	var out [][]int
	var cut func(idx []int, depth int)
	cut = func(idx []int, depth int) {
		if len(idx) == 0 {
			return
		}
		if depth < 12 {
			if left, right := columns(boxes, idx, body); left != nil {
				cut(left, depth+1)
				cut(right, depth+1)
				return
			}
			if above, below := levels(boxes, idx, body); above != nil {
				cut(above, depth+1)
				cut(below, depth+1)
				return
			}
		}
		slices.SortStableFunc(idx, func(a, b int) int {
			x, y := boxes[a], boxes[b]
			if overlap := min(x.Y1, y.Y1) - max(x.Y0, y.Y0); overlap > 0.5*min(x.Y1-x.Y0, y.Y1-y.Y0) {
				return cmp.Compare(x.X0, y.X0)
			}
			return cmp.Compare(x.Y0, y.Y0)
		})
		out = append(out, idx)
	}
	cut(all, 0)
	return out
}

// columns parts boxes by an upright gap, when both sides look like columns of text: several lines each, wide against the
// gap, and not the cells of one table.
func columns(boxes []Box, idx []int, body float32) (left, right []int) {
	byX := slices.Clone(idx)
	slices.SortFunc(byX, func(a, b int) int { return cmp.Compare(boxes[a].X0, boxes[b].X0) })
	edge := boxes[byX[0]].X1
	bestGap, at := float32(0), float32(0)
	for _, i := range byX[1:] {
		if gap := boxes[i].X0 - edge; gap > bestGap && gap >= 0.9*body && columnar(boxes, idx, edge, boxes[i].X0) {
			bestGap, at = gap, edge+gap/2
		}
		edge = max(edge, boxes[i].X1)
	}
	if bestGap == 0 {
		return nil, nil
	}
	for _, i := range idx {
		if boxes[i].midX() < at {
			left = append(left, i)
		} else {
			right = append(right, i)
		}
	}
	return left, right
}

// columnar tells whether what stands on both sides of a gap are columns of running text rather than cells of a table: each
// side has four lines or more, and most of them fill more than a half of the side's width.
func columnar(boxes []Box, idx []int, from, to float32) bool {
	for _, side := range []bool{true, false} {
		n := 0
		var x0, x1, sum float32 = 1e9, 0, 0
		for _, i := range idx {
			if (boxes[i].midX() < (from+to)/2) != side {
				continue
			}
			n++
			x0, x1, sum = min(x0, boxes[i].X0), max(x1, boxes[i].X1), sum+boxes[i].X1-boxes[i].X0
		}
		if n < 4 || x1-x0 < 90 || sum < 0.5*float32(n)*(x1-x0) {
			return false
		}
	}
	return true
}

// levels parts boxes by the widest level gap below which, or above which, the page may fall into columns.
func levels(boxes []Box, idx []int, body float32) (above, below []int) {
	byY := slices.Clone(idx)
	slices.SortFunc(byY, func(a, b int) int { return cmp.Compare(boxes[a].Y0, boxes[b].Y0) })
	edge := boxes[byY[0]].Y1
	type gap struct {
		size, at float32
	}
	var gaps []gap
	for _, i := range byY[1:] {
		if g := boxes[i].Y0 - edge; g > 0.25*body {
			gaps = append(gaps, gap{g, edge + g/2})
		}
		edge = max(edge, boxes[i].Y1)
	}
	slices.SortStableFunc(gaps, func(a, b gap) int { return cmp.Compare(b.size, a.size) })
	for _, g := range gaps[:min(len(gaps), 12)] {
		var up, down []int
		for _, i := range idx {
			if boxes[i].midY() < g.at {
				up = append(up, i)
			} else {
				down = append(down, i)
			}
		}
		if l, _ := columns(boxes, down, body); l != nil {
			return up, down
		}
		if l, _ := columns(boxes, up, body); l != nil {
			return up, down
		}
	}
	return nil, nil
}

// ruledTables finds grids of rules and takes the lines that stand in them for their cells. A missing rule between two cells
// joins them.
func ruledTables(rules []Box, lines []line) (tables []pdfTable, rest []line) {
	var level, upright []Box
	for _, r := range rules {
		switch w, h := r.X1-r.X0, r.Y1-r.Y0; {
		case h <= 3 && w > 12:
			level = append(level, r)
		case w <= 3 && h > 6:
			upright = append(upright, r)
		}
	}
	rest = lines
	for _, g := range grids(level, upright) {
		t, used := g.fill(rest)
		if t == nil {
			continue
		}
		tables = append(tables, *t)
		rest = slices.DeleteFunc(slices.Clone(rest), func(ln line) bool { return used(ln.box) })
	}
	return tables, rest
}

// grid is a set of rules that cross each other.
type grid struct {
	box            Box
	xs, ys         []float32
	level, upright []Box
}

// grids groups rules that touch, and keeps the groups that make two cells or more.
func grids(level, upright []Box) []grid {
	all := append(slices.Clone(level), upright...)
	if len(all) > 4000 {
		return nil // a drawing
	}
	group := make([]int, len(all))
	for i := range group {
		group[i] = i
	}
	var find func(int) int
	find = func(i int) int {
		if group[i] != i {
			group[i] = find(group[i])
		}
		return group[i]
	}
	const reach = 3
	for i, a := range all {
		for j := i + 1; j < len(all); j++ {
			b := all[j]
			if a.X0-reach < b.X1 && b.X0-reach < a.X1 && a.Y0-reach < b.Y1 && b.Y0-reach < a.Y1 {
				group[find(i)] = find(j)
			}
		}
	}
	by := map[int]*grid{}
	var order []int
	for i, r := range all {
		k := find(i)
		g := by[k]
		if g == nil {
			g = &grid{box: r}
			by[k] = g
			order = append(order, k)
		}
		g.box = g.box.join(r)
		if i < len(level) {
			g.level, g.ys = append(g.level, r), append(g.ys, r.midY())
		} else {
			g.upright, g.xs = append(g.upright, r), append(g.xs, r.midX())
		}
	}
	var out []grid
	for _, k := range order {
		g := by[k]
		// A table may lack the rules at its sides: it reaches as far as the others do.
		for _, r := range g.level {
			g.xs = append(g.xs, r.X0, r.X1)
		}
		for _, r := range g.upright {
			g.ys = append(g.ys, r.Y0, r.Y1)
		}
		g.xs, g.ys = merged(g.xs), merged(g.ys)
		if len(g.xs) >= 3 && len(g.ys) >= 3 && len(g.upright) > 0 && len(g.level) > 0 && len(g.xs)*len(g.ys) < 20_000 {
			out = append(out, *g)
		}
	}
	return out
}

// merged sorts positions and puts those together that are nearly the same.
func merged(xs []float32) []float32 {
	slices.Sort(xs)
	var out []float32
	for _, x := range xs {
		if len(out) == 0 || x-out[len(out)-1] > 4 {
			out = append(out, x)
		}
	}
	return out
}

// fill puts lines into the cells of a grid. It gives nil when next to nothing stands in it.
func (g grid) fill(lines []line) (*pdfTable, func(Box) bool) {
	cols, rows := len(g.xs)-1, len(g.ys)-1
	cells := make([][]string, rows)
	for i := range cells {
		cells[i] = make([]string, cols)
	}
	inside := func(b Box) bool {
		return b.midX() > g.xs[0]-2 && b.midX() < g.xs[cols]+2 && b.midY() > g.ys[0]-2 && b.midY() < g.ys[rows]+2
	}
	bold := make([]bool, rows)
	filled := 0
	var own []line
	for _, ln := range lines {
		if inside(ln.box) {
			own = append(own, ln)
		}
	}
	slices.SortStableFunc(own, func(a, b line) int {
		if abs(a.box.midY()-b.box.midY()) > 2 {
			return cmp.Compare(a.box.midY(), b.box.midY())
		}
		return cmp.Compare(a.box.X0, b.box.X0)
	})
	for _, ln := range own {
		r, c := slot(g.ys, ln.box.midY()), slot(g.xs, (ln.box.X0+min(ln.box.X1, ln.box.X0+20))/2)
		if cells[r][c] != "" {
			cells[r][c] += " "
		} else {
			filled++
		}
		cells[r][c] += ln.text
		bold[r] = bold[r] || ln.bold
	}
	if filled < 4 || filled*3 < rows*cols {
		return nil, nil
	}
	// A cell that reaches over others stands in each of them.
	for r := range cells {
		for c := 1; c < cols; c++ {
			if cells[r][c] == "" && cells[r][c-1] != "" && !g.parted(g.xs[c], g.ys[r], g.ys[r+1]) {
				cells[r][c] = cells[r][c-1]
			}
		}
	}
	for c := range cols {
		for r := 1; r < rows; r++ {
			if cells[r][c] == "" && cells[r-1][c] != "" && !g.ruled(g.ys[r], g.xs[c], g.xs[c+1]) {
				cells[r][c] = cells[r-1][c]
			}
		}
	}
	t := &pdfTable{box: g.box, rows: cells}
	if rows > 1 && (bold[0] && !bold[rows-1] || labelRow(cells)) {
		t.header, t.rows = cells[0], cells[1:]
	}
	return t, inside
}

// parted tells whether an upright rule stands at x between two heights.
func (g grid) parted(x, y0, y1 float32) bool {
	for _, r := range g.upright {
		if abs(r.midX()-x) < 4 && r.Y0 < y0+0.4*(y1-y0) && r.Y1 > y1-0.4*(y1-y0) {
			return true
		}
	}
	return false
}

// ruled tells whether a level rule stands at y between two sides.
func (g grid) ruled(y, x0, x1 float32) bool {
	for _, r := range g.level {
		if abs(r.midY()-y) < 4 && r.X0 < x0+0.4*(x1-x0) && r.X1 > x1-0.4*(x1-x0) {
			return true
		}
	}
	return false
}

// slot is the number of the interval between sorted edges that holds x.
func slot(edges []float32, x float32) int {
	for i := 1; i < len(edges)-1; i++ {
		if x < edges[i] {
			return i - 1
		}
	}
	return len(edges) - 2
}

// mostTableLines is how many pieces of text one table without rules has at most.
const mostTableLines = 2000

// mostColumns is how many columns such a table has at most.
const mostColumns = 40

// alignedTable finds a table without rules at the head of lines: three rows or more with the same number of cells, two or
// more, whose edges stand under each other. It returns how many lines it takes.
func alignedTable(lines []line, body float32) (*pdfTable, int) {
	if lines[0].mono {
		return nil, 0 // what a terminal shows keeps its own columns
	}
	var rows [][]line
	n := 0
	for n < min(len(lines), mostTableLines) {
		row := []line{lines[n]}
		m := n + 1
		for m < min(len(lines), mostTableLines) && abs(lines[m].box.midY()-row[0].box.midY()) < 0.4*body {
			row = append(row, lines[m])
			m++
		}
		if len(row) > mostColumns {
			return nil, m
		}
		if len(row) < 2 || len(rows) > 0 && (len(row) > len(rows[0]) || row[0].box.Y0-rows[len(rows)-1][0].box.Y1 > 2.5*body) {
			break
		}
		if len(rows) > 0 && len(row) < len(rows[0]) && len(row) < 2 {
			break
		}
		rows = append(rows, row)
		n = m
	}
	if len(rows) < 3 {
		return nil, 0
	}
	width := 0
	for _, r := range rows {
		width = max(width, len(r))
	}
	model := rows[slices.IndexFunc(rows, func(r []line) bool { return len(r) == width })]
	cells := make([][]string, len(rows))
	long := 0
	for i, r := range rows {
		cells[i] = make([]string, width)
		for _, ln := range r {
			c, best := 0, float32(1e9)
			for k, m := range model {
				if d := min(abs(m.box.X0-ln.box.X0), abs(m.box.X1-ln.box.X1), abs(m.box.midX()-ln.box.midX())); d < best {
					c, best = k, d
				}
			}
			if best > 3*body {
				return nil, n
			}
			cells[i][c] = strings.TrimSpace(cells[i][c] + " " + ln.text)
			if len(strings.Fields(ln.text)) > 9 {
				long++
			}
		}
	}
	if long*3 > len(rows) {
		return nil, n // columns of running text
	}
	box := rows[0][0].box
	for _, r := range rows {
		for _, ln := range r {
			box = box.join(ln.box)
		}
	}
	t := &pdfTable{box: box, rows: cells}
	if rows[0][0].bold && !rows[len(rows)-1][len(rows[len(rows)-1])-1].bold || labelRow(cells) {
		t.header, t.rows = cells[0], cells[1:]
	}
	return t, n
}
