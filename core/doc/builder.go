package doc

import (
	"regexp"
	"strings"
	"unicode"
)

// Builder assembles a Document block by block, keeping text and spans in step. The zero value is ready to use.
type Builder struct {
	doc  Document
	text strings.Builder
	last Kind
}

// Doc gives access to the fields that are not text: title, links, notes.
func (b *Builder) Doc() *Document { return &b.doc }

// Len is the number of bytes of text so far.
func (b *Builder) Len() int { return b.text.Len() }

func (b *Builder) gap(next Kind) {
	switch {
	case b.text.Len() == 0:
	case b.last == Item && next == Item:
		b.text.WriteString("\n")
	default:
		b.text.WriteString("\n\n")
	}
	b.last = next
}

// Add appends a block of running text. White space is folded, except in code. An empty text adds nothing.
func (b *Builder) Add(block Block, text string) {
	if block.Kind == Code {
		text = strings.Trim(strings.ReplaceAll(withoutControl(text), "\r\n", "\n"), "\n")
		text = strings.Map(func(r rune) rune {
			if unseen(r) {
				return -1
			}
			return r
		}, text)
	} else {
		text = Fold(text)
	}
	if strings.TrimSpace(text) == "" {
		return
	}
	b.gap(block.Kind)
	block.Span.Start = b.text.Len()
	b.text.WriteString(text)
	block.Span.End = b.text.Len()
	block.Grid = nil
	b.doc.Blocks = append(b.doc.Blocks, block)
}

// AddTable appends a table. The caption and the header line, when present, stand in the text above the rows, so that
// what a person reads is what is searched. A table without any filled cell adds nothing.
func (b *Builder) AddTable(place Place, caption string, header []string, rows [][]string) {
	width := len(header)
	filled := false
	for _, r := range rows {
		width = max(width, len(r))
		for _, c := range r {
			filled = filled || strings.TrimSpace(c) != ""
		}
	}
	if !filled {
		return
	}
	b.gap(Table)
	block := Block{Kind: Table, Place: place, Grid: &Grid{Caption: Fold(caption)}}
	block.Span.Start = b.text.Len()
	first := true
	line := func() {
		if !first {
			b.text.WriteString("\n")
		}
		first = false
	}
	if block.Grid.Caption != "" {
		line()
		b.text.WriteString(block.Grid.Caption)
	}
	if len(header) > 0 {
		line()
		for i := range width {
			h := ""
			if i < len(header) {
				h = Fold(header[i])
			}
			block.Grid.Header = append(block.Grid.Header, h)
			if i > 0 {
				b.text.WriteString(" | ")
			}
			b.text.WriteString(h)
		}
	}
	for _, r := range rows {
		line()
		row := Row{Span: Span{Start: b.text.Len()}}
		for i := range width {
			if i > 0 {
				b.text.WriteString(" | ")
			}
			cell := Cell{Span: Span{Start: b.text.Len()}}
			if i < len(r) {
				cell.Text = Fold(r[i])
			}
			b.text.WriteString(cell.Text)
			cell.Span.End = b.text.Len()
			row.Cells = append(row.Cells, cell)
		}
		row.Span.End = b.text.Len()
		block.Grid.Rows = append(block.Grid.Rows, row)
	}
	block.Span.End = b.text.Len()
	b.doc.Blocks = append(b.doc.Blocks, block)
}

// Document returns what was built. When no title was set, the first heading serves.
func (b *Builder) Document() *Document {
	d := b.doc
	d.Text = b.text.String()
	d.Title = Fold(d.Title)
	if d.Title == "" {
		for _, bl := range d.Blocks {
			if bl.Kind == Heading {
				d.Title = d.Of(bl.Span)
				break
			}
		}
	}
	return &d
}

// Fold makes one line of a text: each run of white space and control characters becomes one space, soft hyphens and
// zero-width characters go, and the ends are trimmed.
func Fold(s string) string {
	s = withoutControl(s)
	var out strings.Builder
	out.Grow(len(s))
	space := false
	for _, r := range s {
		switch {
		case unseen(r):
		case unicode.IsSpace(r) || unicode.IsControl(r) || r == '\ufffd':
			space = out.Len() > 0
		default:
			if space {
				out.WriteByte(' ')
				space = false
			}
			out.WriteRune(r)
		}
	}
	return out.String()
}

// unseen reports whether a character shows nothing and can carry what readers do not see: format characters (Unicode category Cf: joiners, soft
// hyphens, marks that turn the direction of writing, tags), but for the signs of Arabic and Kaithi that are seen, and the supplementary
// variation selectors.
func unseen(r rune) bool {
	switch {
	case r < 0xad:
		return false
	case r >= 0x0600 && r <= 0x0605, r == 0x06dd, r == 0x070f, r == 0x0890, r == 0x0891, r == 0x08e2, r == 0x110bd, r == 0x110cd:
		return false
	case r >= 0xe0100 && r <= 0xe01ef:
		return true
	}
	return unicode.Is(unicode.Cf, r)
}

// control are the marks by which language models part the turns of a conversation (common practice, no published source): in a source they
// can only be meant to deceive one.
var control = regexp.MustCompile(`<\|[A-Za-z0-9_ ]{2,40}\|>|\[/?INST\]|<</?SYS>>`)

func withoutControl(s string) string {
	if strings.Contains(s, "<|") || strings.Contains(s, "INST]") || strings.Contains(s, "SYS>>") {
		return control.ReplaceAllString(s, " ")
	}
	return s
}

// Peek is the text so far.
func (b *Builder) Peek() string { return b.text.String() }

// Append adds the blocks of another document behind those that are there.
func (b *Builder) Append(d *Document) {
	for _, bl := range d.Blocks {
		if bl.Grid == nil {
			b.Add(bl, d.Of(bl.Span))
			continue
		}
		rows := make([][]string, len(bl.Grid.Rows))
		for i, r := range bl.Grid.Rows {
			for _, c := range r.Cells {
				rows[i] = append(rows[i], c.Text)
			}
		}
		b.AddTable(bl.Place, bl.Grid.Caption, bl.Grid.Header, rows)
	}
}

// Drop takes off the last block. Its text must be the last of all.
func (b *Builder) Drop() {
	n := len(b.doc.Blocks) - 1
	if n < 0 {
		return
	}
	text := strings.TrimRight(b.text.String()[:b.doc.Blocks[n].Span.Start], "\n")
	b.doc.Blocks = b.doc.Blocks[:n]
	b.text.Reset()
	b.text.WriteString(text)
	b.last = ""
	if n > 0 {
		b.last = b.doc.Blocks[n-1].Kind
	}
}
