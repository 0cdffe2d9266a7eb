package extract

import (
	"fmt"
	"strconv"
	"strings"

	"jolvex/core/doc"
)

// odtReader reads an OpenDocument text (OASIS OpenDocument 1.2, part 1, sections 4, 5 and 9).
type odtReader struct {
	b       doc.Builder
	ordered map[string]bool // list style -> its first level is numbered
	depth   int
	trimmed bool
}

func fromODT(in Input) (*doc.Document, error) {
	a, err := openArchive(in.Body)
	if err != nil {
		return nil, err
	}
	if m, err := a.read("META-INF/manifest.xml"); err != nil {
		return nil, err
	} else if strings.Contains(string(m), "encryption-data") {
		return nil, ErrEncrypted
	}
	t, err := a.tree("content.xml")
	if err != nil {
		return nil, err
	}
	if t == nil {
		return nil, fmt.Errorf("%w: it holds no content.xml", ErrKind)
	}
	meta, err := a.tree("meta.xml")
	if err != nil {
		return nil, err
	}
	r := &odtReader{ordered: map[string]bool{}}
	r.b.Doc().Title = doc.Fold(meta.find("title").all())
	t.each("list-style", func(s *node) {
		for _, k := range s.kids {
			if k.name != "" {
				r.ordered[s.attr("name")] = k.name == "list-level-style-number"
				break
			}
		}
	})
	body := t.find("body")
	for _, kind := range []string{"text", "presentation", "spreadsheet"} {
		r.blocks(body.child(kind), 0, "")
	}
	d := r.b.Document()
	if r.trimmed {
		d.Notes = append(d.Notes, "cut short: the document is larger than can be read")
	}
	return d, nil
}

func (r *odtReader) blocks(n *node, list int, style string) {
	if n == nil {
		return
	}
	if r.depth++; r.depth > 80 {
		r.trimmed = true
	}
	defer func() { r.depth-- }()
	count := 0
	for _, k := range n.kids {
		if r.trimmed || r.b.Len() > MaxText || len(r.b.Doc().Blocks) > MaxBlocks {
			r.trimmed = true
			return
		}
		switch k.name {
		case "h":
			level, err := strconv.Atoi(k.attr("outline-level"))
			if err != nil || level < 1 {
				level = 1
			}
			r.b.Add(doc.Block{Kind: doc.Heading, Level: min(level, 6)}, odtText(k))
		case "p":
			bl := doc.Block{Kind: doc.Paragraph}
			if list > 0 {
				bl = doc.Block{Kind: doc.Item, Level: list}
			}
			r.b.Add(bl, odtText(k))
			k.each("note-body", func(b *node) { r.b.Add(doc.Block{Kind: doc.Paragraph}, odtText(b)) })
		case "list":
			s := style
			if v := k.attr("style-name"); v != "" {
				s = v
			}
			r.blocks(k, list+1, s)
		case "list-item", "list-header":
			count++
			r.item(k, list, style, count)
		case "table":
			r.table(k)
		case "page":
			r.b.Add(doc.Block{Kind: doc.Heading, Level: 2}, k.attr("name"))
			r.blocks(k, list, style)
		case "section", "frame", "text-box", "index-body", "table-of-content", "g", "custom-shape":
			if k.name != "table-of-content" {
				r.blocks(k, list, style)
			}
		}
	}
}

func (r *odtReader) item(k *node, list int, style string, count int) {
	first := true
	for _, c := range k.kids {
		switch c.name {
		case "p", "h":
			bl := doc.Block{Kind: doc.Item, Level: max(1, list)}
			if first && r.ordered[style] {
				bl.Ordinal = strconv.Itoa(count) + "."
			}
			first = false
			r.b.Add(bl, odtText(c))
		case "":
		default:
			r.blocks(&node{kids: []*node{c}}, list, style)
		}
	}
}

// odtText is the text of a paragraph: spaces and tabs are elements of their own; notes and remarks are left out.
func odtText(n *node) string {
	var b strings.Builder
	var walk func(*node)
	walk = func(k *node) {
		switch k.name {
		case "note", "annotation", "tracked-changes", "ruby-text":
			return
		case "s", "tab":
			b.WriteByte(' ')
		case "line-break":
			b.WriteByte('\n')
		}
		b.WriteString(k.text)
		for _, c := range k.kids {
			walk(c)
		}
	}
	walk(n)
	return b.String()
}

func (r *odtReader) table(t *node) {
	var rows [][]string
	marked, cells := 0, 0
	var visit func(n *node, header bool)
	visit = func(n *node, header bool) {
		for _, k := range n.kids {
			switch k.name {
			case "table-header-rows":
				visit(k, true)
			case "table-rows", "table-row-group":
				visit(k, header)
			case "table-row":
				row := odtRow(k)
				if cells += len(row); cells > MaxCells || len(row) == 0 {
					continue
				}
				rows = append(rows, row)
				if header {
					marked = len(rows)
				}
			}
		}
	}
	visit(t, false)
	r.b.AddTable(doc.Place{}, "", tableHeader(&rows, marked), rows)
}

func odtRow(n *node) []string {
	var row []string
	filled := 0
	for _, c := range n.kids {
		if c.name != "table-cell" && c.name != "covered-table-cell" {
			continue
		}
		var parts []string
		c.each("p", func(p *node) { parts = append(parts, doc.Fold(odtText(p))) })
		text := strings.TrimSpace(strings.Join(parts, " "))
		if c.name == "covered-table-cell" && text == "" && len(row) > 0 {
			text = row[len(row)-1]
		}
		// An empty cell repeated to the end of the sheet stands for nothing.
		for range clampSpan(c.attr("number-columns-repeated"), 200) {
			row = append(row, text)
		}
		if text != "" {
			filled = len(row)
		}
	}
	return row[:filled]
}
