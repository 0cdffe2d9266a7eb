package extract

import (
	"fmt"
	"regexp"
	"strconv"
	"strings"

	"jolvex/core/doc"
)

// docxReader reads a word processor's document (ECMA-376, Office Open XML, part 1, section 17).
type docxReader struct {
	b       doc.Builder
	levels  map[string]int  // style id -> heading level
	ordered map[string]bool // numbering id + "/" + level -> numbered
	notes   map[string]string
	counts  map[string]int
	depth   int
	trimmed bool
}

func fromDOCX(in Input) (*doc.Document, error) {
	a, err := openArchive(in.Body)
	if err != nil {
		return nil, err
	}
	body, err := a.tree("word/document.xml")
	if err != nil {
		return nil, err
	}
	if body == nil {
		return nil, fmt.Errorf("%w: it holds no word/document.xml", ErrKind)
	}
	r := &docxReader{notes: map[string]string{}, counts: map[string]int{}}
	styles, err := a.tree("word/styles.xml")
	if err != nil {
		return nil, err
	}
	r.levels = headingStyles(styles)
	numbering, err := a.tree("word/numbering.xml")
	if err != nil {
		return nil, err
	}
	r.ordered = numberedLists(numbering)
	for _, kind := range []string{"footnote", "endnote"} {
		t, err := a.tree("word/" + kind + "s.xml")
		if err != nil {
			return nil, err
		}
		t.each(kind, func(n *node) {
			if s := doc.Fold(runText(n)); s != "" {
				r.notes[kind+n.attr("id")] = s
			}
		})
	}
	core, err := a.tree("docProps/core.xml")
	if err != nil {
		return nil, err
	}
	r.b.Doc().Title = doc.Fold(core.find("title").all())
	r.b.Doc().Description = doc.Fold(core.find("description").all())
	r.blocks(body.find("body"))
	d := r.b.Document()
	if r.trimmed {
		d.Notes = append(d.Notes, "cut short: the document is larger than can be read")
	}
	return d, nil
}

var headingName = regexp.MustCompile(`(?i)^heading ?([1-9])$`)

// headingStyles finds the heading level of each paragraph style: by its name, by its outline level, or by the style it is
// based on. Ids differ between languages; names of built-in styles do not.
func headingStyles(styles *node) map[string]int {
	out := map[string]int{}
	based := map[string]string{}
	styles.each("style", func(s *node) {
		id := s.attr("styleId")
		based[id] = s.child("basedOn").attr("val")
		name := s.child("name").attr("val")
		if m := headingName.FindStringSubmatch(name); m != nil {
			out[id], _ = strconv.Atoi(m[1])
		} else if strings.EqualFold(name, "title") {
			out[id] = 1
		} else if l := s.find("outlineLvl").attr("val"); l != "" {
			if n, err := strconv.Atoi(l); err == nil && n < 9 {
				out[id] = n + 1
			}
		}
	})
	for id := range based {
		at := id
		for range 10 {
			if out[id] != 0 || at == "" {
				break
			}
			at = based[at]
			out[id] = out[at]
		}
	}
	return out
}

// numberedLists tells for each list and level whether it is numbered.
func numberedLists(numbering *node) map[string]bool {
	abstract := map[string]map[string]bool{}
	numbering.each("abstractNum", func(n *node) {
		levels := map[string]bool{}
		n.each("lvl", func(l *node) {
			f := l.child("numFmt").attr("val")
			levels[l.attr("ilvl")] = f != "bullet" && f != "none"
		})
		abstract[n.attr("abstractNumId")] = levels
	})
	out := map[string]bool{}
	numbering.each("num", func(n *node) {
		for l, is := range abstract[n.child("abstractNumId").attr("val")] {
			out[n.attr("numId")+"/"+l] = is
		}
	})
	return out
}

func (r *docxReader) blocks(n *node) {
	if n == nil {
		return
	}
	if r.depth++; r.depth > 50 {
		r.trimmed = true
	}
	defer func() { r.depth-- }()
	for _, k := range n.kids {
		if r.trimmed || r.b.Len() > MaxText || len(r.b.Doc().Blocks) > MaxBlocks {
			r.trimmed = true
			return
		}
		switch k.name {
		case "p":
			r.paragraph(k)
		case "tbl":
			r.table(k)
		case "sdt", "sdtContent", "ins", "smartTag", "customXml", "txbxContent":
			r.blocks(k)
		}
	}
}

func (r *docxReader) paragraph(p *node) {
	props := p.child("pPr")
	text := runText(p)
	block := doc.Block{Kind: doc.Paragraph}
	level := r.levels[props.child("pStyle").attr("val")]
	if l := props.child("outlineLvl").attr("val"); l != "" {
		if n, err := strconv.Atoi(l); err == nil && n < 9 {
			level = n + 1
		}
	}
	num := props.child("numPr")
	switch {
	case level > 0:
		block = doc.Block{Kind: doc.Heading, Level: min(level, 6)}
	case num != nil && num.child("numId").attr("val") != "0":
		id, l := num.child("numId").attr("val"), num.child("ilvl").attr("val")
		if l == "" {
			l = "0"
		}
		depth, _ := strconv.Atoi(l) // "" and nonsense are the first level
		block = doc.Block{Kind: doc.Item, Level: depth + 1}
		if r.ordered[id+"/"+l] {
			r.counts[id+"/"+l]++
			block.Ordinal = strconv.Itoa(r.counts[id+"/"+l]) + "."
		}
	case strings.HasPrefix(strings.ToLower(props.child("pStyle").attr("val")), "list"):
		block = doc.Block{Kind: doc.Item, Level: 1}
	}
	if strings.TrimSpace(text) != "" {
		r.b.Add(block, text)
	}
	for _, kind := range []string{"footnote", "endnote"} {
		p.each(kind+"Reference", func(n *node) {
			if s := r.notes[kind+n.attr("id")]; s != "" {
				r.b.Add(doc.Block{Kind: doc.Paragraph}, s)
			}
		})
	}
}

// runText is the text of a paragraph as it reads: what was deleted under review is left out, and of alternative contents
// the first is taken.
func runText(n *node) string {
	var b strings.Builder
	var walk func(*node)
	walk = func(k *node) {
		switch k.name {
		case "del", "moveFrom", "instrText", "pPr", "rPr", "Fallback", "delText":
			return
		case "t":
			b.WriteString(k.all())
			return
		case "tab":
			b.WriteByte(' ')
		case "br", "cr":
			b.WriteByte('\n')
		case "noBreakHyphen":
			b.WriteByte('-')
		}
		for _, c := range k.kids {
			walk(c)
		}
	}
	walk(n)
	return b.String()
}

// table reads a table: cells that span columns or rows are repeated where they reach. The first row is the header when it
// is marked as one, or when it holds words over figures.
func (r *docxReader) table(t *node) {
	var rows [][]string
	marked := 0
	cells := 0
	for _, tr := range t.kids {
		if tr.name != "tr" || cells > MaxCells {
			continue
		}
		var row []string
		for _, tc := range tr.kids {
			if tc.name != "tc" {
				continue
			}
			props := tc.child("tcPr")
			var parts []string
			tc.each("p", func(p *node) {
				if s := doc.Fold(runText(p)); s != "" {
					parts = append(parts, s)
				}
			})
			text := strings.Join(parts, " ")
			if m := props.child("vMerge"); m != nil && m.attr("val") != "restart" && len(rows) > 0 && len(row) < len(rows[len(rows)-1]) {
				text = rows[len(rows)-1][len(row)]
			}
			for range clampSpan(props.child("gridSpan").attr("val"), 100) {
				row = append(row, text)
				cells++
			}
		}
		if h := tr.child("trPr").child("tblHeader"); h != nil && h.attr("val") != "0" && h.attr("val") != "false" && marked == len(rows) {
			marked++
		}
		rows = append(rows, row)
	}
	r.b.AddTable(doc.Place{}, "", tableHeader(&rows, marked), rows)
}

// tableHeader takes the header off the rows: those that are marked, else a first row that reads as one.
func tableHeader(rows *[][]string, marked int) []string {
	var header []string
	switch {
	case marked > 0 && marked < len(*rows):
		for _, line := range (*rows)[:marked] {
			header = joinHeader(header, line)
		}
		*rows = (*rows)[marked:]
	case len(*rows) > 1 && labelRow(*rows):
		header, *rows = (*rows)[0], (*rows)[1:]
	}
	return header
}
