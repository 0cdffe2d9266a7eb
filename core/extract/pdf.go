package extract

import (
	"cmp"
	"fmt"
	"math"
	"regexp"
	"slices"
	"strings"
	"unicode"

	"jolvex/core/doc"
)

// Box is a rectangle in points, with the origin at the top left of the page and Y growing downwards.
type Box struct{ X0, Y0, X1, Y1 float32 }

func (b Box) midY() float32 { return (b.Y0 + b.Y1) / 2 }
func (b Box) midX() float32 { return (b.X0 + b.X1) / 2 }

func (b Box) join(c Box) Box {
	return Box{min(b.X0, c.X0), min(b.Y0, c.Y0), max(b.X1, c.X1), max(b.Y1, c.Y1)}
}

// Glyph is one character of a page as it is drawn.
type Glyph struct {
	Rune rune
	Box  Box
	Size float32 // of the font, in points, as rendered
	Bold bool
	Mono bool // of a font in which all characters are equally wide
}

// PDFPage is what is drawn on one page.
type PDFPage struct {
	Number        int // from 1
	Width, Height float32
	Glyphs        []Glyph // in the order of the file; '\n' where it starts another line
	Rules         []Box   // thin lines and the edges of boxes
	Pictures      int
}

// Bookmark is an entry of a PDF's outline.
type Bookmark struct {
	Title string
	Level int // from 1
	Page  int // from 1, 0 when it leads nowhere
}

// PDF is a PDF file as its reader hands it over.
type PDF struct {
	Title   string
	Pages   []PDFPage
	Outline []Bookmark
}

// FromPDF makes a document of what is drawn on the pages of a PDF: lines in reading order with columns one after another,
// headings by the outline and by the size of their type, tables by their rules or by the alignment of their cells; running
// heads, page numbers and hyphens at line ends left out. Each block keeps its page.
func FromPDF(address string, p PDF) (*doc.Document, error) {
	l := &pdfLayout{marks: map[string]int{}}
	for _, b := range p.Outline {
		l.marks[headKey(b.Title)] = b.Level
	}
	var pages []pageLines
	pictures := 0
	for _, pg := range p.Pages {
		pictures += pg.Pictures
		pages = append(pages, l.lines(pg))
	}
	l.known = vocabulary(pages)
	pages = dropContents(pages)
	dropRunningHeads(pages)
	l.measure(pages)
	for _, pg := range pages {
		l.page(pg)
	}
	l.flush()
	l.putNotes()
	d := l.b.Document()
	d.Title = titleOf(p.Title, d, address)
	if len(d.Blocks) == 0 {
		if pictures > 0 {
			d.Notes = append(d.Notes, "it is scanned: its pages are pictures without text")
		}
		return d, fmt.Errorf("%s: %w", address, ErrNoText)
	}
	return d, nil
}

// titleOf prefers the title that the file declares, unless it is a left-over of the program that made it.
func titleOf(declared string, d *doc.Document, address string) string {
	t := doc.Fold(declared)
	if t != "" && !leftover.MatchString(t) {
		return t
	}
	if len(d.Blocks) > 0 && d.Blocks[0].Kind == doc.Heading {
		return d.Of(d.Blocks[0].Span)
	}
	return nameOf(address)
}

var leftover = en.Pattern("leftover-title")

// line is a run of glyphs on one baseline, without a wide gap.
type line struct {
	box   Box
	text  string
	size  float32
	bold  bool
	mono  bool
	words []Box // of the words, for the cells of tables
	parts []string
	broke bool // ends with a hyphen that is only there because the line ends
}

// table is a grid that was found on a page.
type pdfTable struct {
	box    Box
	header []string
	rows   [][]string
}

type pageLines struct {
	number        int
	width, height float32
	lines         []line
	tables        []pdfTable
}

// pdfLayout turns the lines of all pages into blocks.
type pdfLayout struct {
	b       doc.Builder
	marks   map[string]int  // headings of the outline -> level
	known   map[string]bool // words that stand in the middle of lines
	body    float32         // size of the running text
	leading float32         // usual distance of its baselines
	sizes   []float32       // sizes of headings, the largest first
	para    strings.Builder
	block   doc.Block
	last    line
	right   float32 // edge of the column at hand
	inPara  bool
	notes   []footnote // that wait for the end of their chapter
}

type footnote struct {
	page int
	text string
}

// lines puts the glyphs of a page together.
func (l *pdfLayout) lines(pg PDFPage) pageLines {
	out := pageLines{number: pg.Number, width: pg.Width, height: pg.Height}
	for _, ln := range fragments(pg) {
		if strings.TrimSpace(ln.text) != "" {
			out.lines = append(out.lines, ln)
		}
	}
	out.tables, out.lines = ruledTables(pg.Rules, out.lines)
	return out
}

// fragments cuts the glyphs of a page into runs that stand on one line without a gap as wide as a column's.
func fragments(pg PDFPage) []line {
	var out []line
	var cur line
	var text, word strings.Builder
	var wordBox Box
	letters, bold, mono := 0, 0, 0
	sizes := map[float32]int{}
	endWord := func() {
		if word.Len() > 0 {
			cur.words, cur.parts = append(cur.words, wordBox), append(cur.parts, word.String())
			word.Reset()
		}
	}
	end := func() {
		endWord()
		if text.Len() > 0 {
			cur.text = strings.TrimSpace(text.String())
			best := 0
			for s, n := range sizes {
				if n > best || n == best && s > cur.size {
					cur.size, best = s, n
				}
			}
			cur.bold, cur.mono = bold*2 > letters, mono*2 > letters
			out = append(out, cur)
		}
		cur, letters, bold, mono = line{}, 0, 0, 0
		text.Reset()
		clear(sizes)
	}
	var last Glyph
	for _, g := range pg.Glyphs {
		switch {
		case g.Rune == '\n' || g.Rune == '\r':
			end()
			continue
		case g.Rune == 0x02 || g.Rune == 0xfffe || g.Rune == 0xad:
			endWord()
			cur.broke = true
			continue
		case unicode.IsSpace(g.Rune):
			endWord()
			if text.Len() > 0 && !strings.HasSuffix(text.String(), " ") {
				text.WriteByte(' ')
			}
			continue
		case unicode.IsControl(g.Rune) || g.Rune == unicode.ReplacementChar || g.Rune == 0x300 || g.Rune == 0x301:
			continue // accents that stand alone are quotation marks of old fonts
		}
		if text.Len() > 0 {
			gap := g.Box.X0 - last.Box.X1
			size := max(g.Size, last.Size, 1)
			off := abs(g.Box.midY() - last.Box.midY())
			switch {
			case gap > 1.6*size || gap < -2*size || off > 0.8*size || ruleBetween(pg.Rules, last.Box, g.Box):
				end()
			case gap > wordGap(g, size) && word.Len() > 0:
				endWord()
				if !strings.HasSuffix(text.String(), " ") {
					text.WriteByte(' ')
				}
			}
		}
		if text.Len() == 0 {
			cur.box = g.Box
		}
		if word.Len() == 0 {
			wordBox = g.Box
		}
		cur.broke = false
		cur.box, wordBox = cur.box.join(g.Box), wordBox.join(g.Box)
		text.WriteRune(g.Rune)
		word.WriteRune(g.Rune)
		letters++
		sizes[float32(math.Round(float64(g.Size)*2)/2)]++
		if g.Bold {
			bold++
		}
		if g.Mono {
			mono++
		}
		last = g
	}
	end()
	return out
}

// wordGap is the gap from which a space is missing between two glyphs of one line. The boxes of glyphs are as narrow as what
// is drawn, so that a full stop of a typewriter's font stands far from its neighbours.
func wordGap(g Glyph, size float32) float32 {
	if g.Mono {
		return 0.8 * size
	}
	return 0.3 * size
}

func abs(x float32) float32 { return float32(math.Abs(float64(x))) }

// ruleBetween tells whether a vertical rule stands between two neighbouring glyphs.
func ruleBetween(rules []Box, a, b Box) bool {
	if b.X0-a.X1 < 0.5 {
		return false
	}
	for _, r := range rules {
		if r.X1-r.X0 < 3 && r.midX() > a.X1-1 && r.midX() < b.X0+1 && r.Y0 < a.midY() && r.Y1 > a.midY() {
			return true
		}
	}
	return false
}

// leader is the row of dots between a title and its page in a list of contents.
var leader = regexp.MustCompile(`(?:\.\s?){5,}\s*(?:\d+|[ivxlc]+)?$`)

// dropContents takes out the pages that list the contents: every line of them stands in the document itself.
func dropContents(pages []pageLines) []pageLines {
	for i, p := range pages {
		n := 0
		for _, ln := range p.lines {
			if leader.MatchString(ln.text) {
				n++
			}
		}
		if n >= 5 && n*5 >= 2*len(p.lines) {
			pages[i].lines, pages[i].tables = nil, nil
		}
	}
	return pages
}

// dropRunningHeads takes out what repeats at the top or the bottom of pages, numbers aside, and page numbers that stand
// alone there.
func dropRunningHeads(pages []pageLines) {
	const edge = 0.11 // of the height, at the top and at the bottom
	count := map[string]int{}
	at := func(p pageLines, ln line) (key string, ok bool) {
		top, bottom := ln.box.Y1 < edge*p.height, ln.box.Y0 > (1-edge)*p.height
		if !top && !bottom {
			return "", false
		}
		return fmt.Sprint(top) + digitsOut.ReplaceAllString(strings.ToLower(ln.text), "#"), true
	}
	for _, p := range pages {
		seen := map[string]bool{}
		for _, ln := range p.lines {
			if k, ok := at(p, ln); ok && !seen[k] {
				seen[k] = true
				count[k]++
			}
		}
	}
	need := max(2, min(4, (len(pages)+2)/3))
	head, foot := bandOf(pages, true), bandOf(pages, false)
	sizes := map[float32]int{}
	usual := float32(0)
	for _, p := range pages {
		for _, ln := range p.lines {
			if sizes[ln.size] += len(ln.text); sizes[ln.size] > sizes[usual] {
				usual = ln.size
			}
		}
	}
	// Small type at the very edge is a running head on a single page too.
	small := func(p pageLines, ln line) bool {
		return ln.size <= 0.75*usual && (ln.box.Y1 < 0.07*p.height || ln.box.Y0 > 0.93*p.height)
	}
	for i, p := range pages {
		pages[i].lines = slices.DeleteFunc(p.lines, func(ln line) bool {
			k, ok := at(p, ln)
			return small(p, ln) || ok && (count[k] >= need || pageNumber.MatchString(ln.text) || head >= 0 && abs(ln.box.midY()-head) < 3 || foot >= 0 && abs(ln.box.midY()-foot) < 3)
		})
	}
}

// bandOf finds the height at which most pages have a line that stands apart from the text, at the top or at the bottom: the
// place of running heads whose words change. -1 when there is none.
func bandOf(pages []pageLines, top bool) float32 {
	at := map[int]int{}
	usual := map[int]int{} // heights of lines that do not stand apart
	texts := 0
	for _, p := range pages {
		if len(p.lines) < 8 {
			continue
		}
		texts++
		edge, next := float32(1e9), float32(1e9) // the outermost line, and the one after it, as distances from the edge
		for _, ln := range p.lines {
			d := ln.box.midY()
			if !top {
				d = p.height - d
			}
			switch {
			case d < edge-3:
				edge, next = d, edge
			case d > edge+3:
				next = min(next, d)
			}
		}
		key := int(math.Round(float64(edge) / 2))
		if edge < 0.11*p.height && next-edge > 1.7*p.lines[len(p.lines)/2].size {
			at[key]++
		} else {
			usual[key]++
		}
	}
	for k, n := range at {
		if n >= 4 && n*5 >= 2*texts && usual[k] == 0 {
			if h := pages[len(pages)/2].height; !top {
				return h - float32(k)*2
			}
			return float32(k) * 2
		}
	}
	return -1
}

var (
	digitsOut  = regexp.MustCompile(`\d+|\b[ivxlc]+\b`)
	pageNumber = en.Pattern("page-number")
)

// measure finds the size of the running text and which larger sizes are those of headings.
func (l *pdfLayout) measure(pages []pageLines) {
	bySize := map[float32]int{}
	for _, p := range pages {
		for _, ln := range p.lines {
			bySize[ln.size] += len(ln.text)
		}
	}
	best := 0
	for s, n := range bySize {
		if n > best || n == best && s < l.body {
			l.body, best = s, n
		}
	}
	gaps := map[int]int{}
	for _, p := range pages {
		for i := 1; i < len(p.lines); i++ {
			a, b := p.lines[i-1], p.lines[i]
			if d := b.box.Y1 - a.box.Y1; a.size == l.body && b.size == l.body && d > 0.5*l.body && d < 3*l.body {
				gaps[int(math.Round(float64(d)*2))]++
			}
		}
	}
	best = 0
	for g, n := range gaps {
		if n > best || n == best && float32(g)/2 < l.leading {
			l.leading, best = float32(g)/2, n
		}
	}
	if l.leading == 0 {
		l.leading = 1.25 * l.body
	}
	for s, n := range bySize {
		if s > 1.12*l.body && n > 0 {
			l.sizes = append(l.sizes, s)
		}
	}
	slices.SortFunc(l.sizes, func(a, b float32) int { return cmp.Compare(b, a) })
}

// footnotes takes the notes from the foot of a page: small lines below everything else, the first of which begins with a
// number or a sign. They are put at the end of their chapter, where they interrupt nothing.
func (l *pdfLayout) footnotes(p *pageLines) {
	order := slices.Clone(p.lines)
	slices.SortStableFunc(order, func(a, b line) int { return cmp.Compare(a.box.Y0, b.box.Y0) })
	from := len(order)
	for from > 0 && order[from-1].size < 0.93*l.body && order[from-1].box.Y0 > 0.5*p.height {
		from--
	}
	for from < len(order) && !noteSign.MatchString(order[from].text) {
		from++
	}
	if from == len(order) || from == 0 {
		return
	}
	top := order[from].box.Y0
	var n footnote
	for i, ln := range order[from:] {
		if noteSign.MatchString(ln.text) && i > 0 {
			l.notes = append(l.notes, n)
			n = footnote{}
		}
		n = footnote{p.number, strings.TrimSpace(n.text + " " + ln.text)}
	}
	l.notes = append(l.notes, n)
	p.lines = slices.DeleteFunc(p.lines, func(ln line) bool { return ln.box.Y0 >= top-1 })
}

var noteSign = regexp.MustCompile(`^(?:\d{1,3}\s?\p{L}|[*†‡§]\s?\p{L})`)

// putNotes adds the notes that wait.
func (l *pdfLayout) putNotes() {
	notes := l.notes
	l.notes = nil
	for _, n := range notes {
		l.b.Add(doc.Block{Kind: doc.Paragraph, Place: doc.Place{Page: n.page}}, n.text)
	}
}

// page turns the lines of a page into blocks, in reading order.
func (l *pdfLayout) page(p pageLines) {
	l.footnotes(&p)
	type item struct {
		box   Box
		line  *line
		table *pdfTable
	}
	var items []item
	for i := range p.lines {
		items = append(items, item{p.lines[i].box, &p.lines[i], nil})
	}
	for i := range p.tables {
		items = append(items, item{p.tables[i].box, nil, &p.tables[i]})
	}
	boxes := make([]Box, len(items))
	for i, it := range items {
		boxes[i] = it.box
	}
	var run []line
	for _, region := range readingOrder(boxes, l.body) {
		for _, i := range region {
			if t := items[i].table; t != nil {
				l.text(run, p.number)
				run = nil
				l.grid(t, p.number)
				continue
			}
			run = append(run, *items[i].line)
		}
		l.text(run, p.number)
		run = nil
	}
}

// grid adds a table. One that goes on from the page before is joined to it.
func (l *pdfLayout) grid(t *pdfTable, page int) {
	l.flush()
	l.inPara = false
	l.b.AddTable(doc.Place{Page: page}, "", t.header, t.rows)
}

// text adds the lines of one region, which is a column or a part of one.
func (l *pdfLayout) text(lines []line, page int) {
	l.right = 0
	for _, ln := range lines {
		l.right = max(l.right, ln.box.X1)
	}
	for tried := 0; len(lines) > 0; {
		// A table is looked for where one may begin: after a failure, not within what was looked at.
		if tried <= 0 {
			t, n := alignedTable(lines, l.body)
			if t != nil {
				l.grid(t, page)
				lines = lines[n:]
				continue
			}
			tried = n / 2
		}
		tried--
		l.add(lines[0], page)
		lines = lines[1:]
	}
}

var ordinal = regexp.MustCompile(`^(\(?(?:\d{1,3}|[a-zA-Z]|[ivx]{1,5})[.)])\s+\S`)

// add takes one line into the paragraph at hand, or begins another block with it.
func (l *pdfLayout) add(ln line, page int) {
	if level := l.headingLevel(ln); level > 0 {
		if l.inPara && l.block.Kind == doc.Heading && l.block.Level == level && l.block.Place.Page == page && ln.box.Y0-l.last.box.Y1 < 0.9*ln.size && ln.size == l.last.size {
			l.join(ln)
			return
		}
		if level <= 2 && len(l.notes) > 0 && l.notes[len(l.notes)-1].page < page {
			l.flush()
			l.putNotes()
		}
		l.begin(doc.Block{Kind: doc.Heading, Level: level, Place: doc.Place{Page: page}}, ln, ln.text)
		return
	}
	if ln.mono && !(l.inPara && l.block.Kind != doc.Code && l.block.Kind != doc.Heading && !endsSentence(l.para.String()) && l.goesOn(ln, page)) {
		if l.inPara && l.block.Kind == doc.Code && ln.box.Y0-l.last.box.Y1 < 2*ln.size && ln.box.Y0 > l.last.box.Y0 {
			l.para.WriteByte('\n')
			l.para.WriteString(ln.text)
			l.last = ln
			return
		}
		l.begin(doc.Block{Kind: doc.Code, Place: doc.Place{Page: page}}, ln, ln.text)
		return
	}
	if m := bulletOf(ln.text); m != "" {
		l.begin(doc.Block{Kind: doc.Item, Level: 1, Place: doc.Place{Page: page}}, ln, strings.TrimSpace(ln.text[len(m):]))
		return
	}
	if m := ordinal.FindStringSubmatch(ln.text); m != nil && l.startsItem(ln) {
		l.begin(doc.Block{Kind: doc.Item, Level: 1, Ordinal: m[1], Place: doc.Place{Page: page}}, ln, strings.TrimSpace(ln.text[len(m[1]):]))
		return
	}
	if l.inPara && l.goesOn(ln, page) {
		l.join(ln)
		return
	}
	l.begin(doc.Block{Kind: doc.Paragraph, Place: doc.Place{Page: page}}, ln, ln.text)
}

func bulletOf(s string) string {
	r := []rune(s)
	if len(r) > 2 && strings.ContainsRune("•◦▪●○■□‣⁃∙·\uf0b7\uf0a7–—*-", r[0]) && unicode.IsSpace(r[1]) {
		return string(r[:2])
	}
	return ""
}

// startsItem tells a numbered item from a sentence that happens to begin with a number: it begins a block, or follows an
// item.
func (l *pdfLayout) startsItem(ln line) bool {
	return !l.inPara || l.block.Kind != doc.Paragraph || ln.box.Y0-l.last.box.Y1 > 0.4*l.body || endsSentence(l.para.String())
}

func endsSentence(s string) bool {
	s = strings.TrimRight(s, "\"'”’) ")
	return s == "" || strings.ContainsRune(".!?:;", rune(s[len(s)-1]))
}

// goesOn tells whether a line belongs to the paragraph before it.
func (l *pdfLayout) goesOn(ln line, page int) bool {
	if l.block.Kind == doc.Heading || l.block.Kind == doc.Code || ln.size != l.last.size && abs(ln.size-l.last.size) > 1 {
		return false
	}
	if ln.box.Y0 < l.last.box.Y0 || page != l.block.Place.Page && page != 0 && ln.box.Y0 < l.last.box.Y1 {
		// The next column, or the next page: a sentence that is not at its end goes on there.
		first, _ := firstRune(ln.text)
		return !endsSentence(l.para.String()) && (unicode.IsLower(first) || l.last.broke || unicode.IsDigit(first))
	}
	gap := ln.box.Y0 - l.last.box.Y1
	if gap > max(0.75*ln.size, l.leading-0.55*l.body) {
		return false
	}
	if gap < -0.5*ln.size { // beside the line before
		return true
	}
	right := max(l.right, l.last.box.X1)
	if l.block.Kind == doc.Item && ln.box.X0 < l.last.box.X0-1.2*ln.size && endsSentence(l.para.String()) {
		return false
	}
	// A first line that is indented, after a line that ended early.
	if ln.box.X0 > l.last.box.X0+0.8*ln.size && l.block.Kind == doc.Paragraph && endsSentence(l.para.String()) {
		return false
	}
	if l.last.box.X1 < right-0.3*(right-l.last.box.X0) && endsSentence(l.para.String()) && ln.box.X1-ln.box.X0 > 0 {
		return false
	}
	return true
}

func firstRune(s string) (rune, bool) {
	for _, r := range s {
		return r, true
	}
	return 0, false
}

func (l *pdfLayout) begin(b doc.Block, ln line, text string) {
	l.flush()
	l.block, l.last, l.inPara = b, ln, true
	l.para.WriteString(text)
}

// vocabulary are the words of all lines, without the last one of each, which may be broken.
func vocabulary(pages []pageLines) map[string]bool {
	out := map[string]bool{}
	for _, p := range pages {
		for _, ln := range p.lines {
			ws := strings.Fields(strings.ToLower(ln.text))
			for _, w := range ws[:max(0, len(ws)-1)] {
				out[strings.Trim(w, ".,;:!?()")] = true
			}
		}
	}
	return out
}

// join adds a line to the paragraph. A hyphen at the end of the line before stays when the document writes the word with one
// elsewhere, or when it is no word of letters.
func (l *pdfLayout) join(ln line) {
	if !l.last.broke {
		l.para.WriteByte(' ')
	} else {
		before, after := strings.Fields(strings.ToLower(l.last.text)), strings.Fields(strings.ToLower(ln.text))
		if len(before) > 0 && len(after) > 0 {
			a, b := strings.TrimLeft(before[len(before)-1], "("), strings.Trim(after[0], ".,;:!?()")
			if !l.known[a+b] && (l.known[a+"-"+b] || strings.ContainsAny(b, "@/_")) {
				l.para.WriteByte('-')
			}
		}
	}
	l.para.WriteString(ln.text)
	l.last = ln
}

func (l *pdfLayout) flush() {
	if l.inPara {
		l.b.Add(l.block, l.para.String())
	}
	l.para.Reset()
	l.inPara = false
}

func headKey(s string) string { return strings.ToLower(strings.Join(strings.Fields(s), "")) }

// headingLevel tells whether a line is a heading, and its level: as the outline has it, else by its size, else 4 for a
// short line in bold.
func (l *pdfLayout) headingLevel(ln line) int {
	letters := 0
	for _, r := range ln.text {
		if unicode.IsLetter(r) {
			letters++
		}
	}
	if letters < 2 || len(ln.text) > 200 {
		return 0
	}
	if level, ok := l.marks[headKey(ln.text)]; ok && (ln.size > l.body || ln.bold) {
		return min(6, level)
	}
	if ln.size > 1.12*l.body && !strings.HasSuffix(ln.text, ".") {
		if i := slices.Index(l.sizes, ln.size); i >= 0 {
			return min(4, i+1)
		}
	}
	if ln.bold && ln.size >= l.body && len(ln.text) < 100 && !endsSentence(ln.text) && !strings.HasSuffix(ln.text, ",") && (!l.inPara || endsSentence(l.para.String()) || ln.box.Y0-l.last.box.Y1 > 0.6*l.body || ln.box.Y0 < l.last.box.Y0) {
		return min(6, max(2, len(l.sizes)+1))
	}
	return 0
}
