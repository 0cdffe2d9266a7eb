package extract

import (
	"bytes"
	"strconv"
	"strings"
	"unicode/utf8"

	"github.com/yuin/goldmark"
	"github.com/yuin/goldmark/ast"
	"github.com/yuin/goldmark/extension"
	east "github.com/yuin/goldmark/extension/ast"
	"github.com/yuin/goldmark/text"

	"jolvex/core/doc"
)

// fromMarkdown reads CommonMark with tables (GitHub's published table extension). A block of settings between two
// lines of "---" at the top is left out, except for its title.
func fromMarkdown(in Input) (*doc.Document, error) {
	src := []byte(strings.ReplaceAll(decode(in.Body, in.MediaType), "\r\n", "\n"))
	var b doc.Builder
	src = tame(frontMatter(src, b.Doc()))
	tree := goldmark.New(goldmark.WithExtensions(extension.Table, extension.Strikethrough, extension.Linkify)).Parser().Parse(text.NewReader(src))
	m := &mdReader{b: &b, src: src}
	m.block(tree, 0)
	return b.Document(), nil
}

// Bounds on Markdown beyond which its grammar takes time that grows with the square of the text: how long a paragraph is, how deep lines are
// set in, and how many quotation marks stand before one. No person writes beyond them.
const (
	maxParagraph = 8 << 10 // bytes
	maxIndent    = 120     // columns
	maxQuotes    = 16
)

// tame brings Markdown within its bounds: a longer paragraph is parted, at a line's end where there is one; what is set in further, or quoted
// more often, is as far as may be.
func tame(src []byte) []byte {
	var out bytes.Buffer
	out.Grow(len(src) + len(src)/64)
	para, fence := 0, ""
	for line := range bytes.Lines(src) {
		if mark := fenceOf(line); mark != "" && (fence == "" || mark == fence) {
			para = 0
			if fence == "" {
				fence = mark
			} else {
				fence = ""
			}
		}
		if fence != "" {
			out.Write(line)
			continue
		}
		text := bytes.TrimLeft(line, " \t>")
		lead := line[:len(line)-len(text)]
		if quotes := bytes.Count(lead, []byte(">")); quotes > maxQuotes || len(lead) > maxIndent {
			kept := lead[:0:0]
			quotes = 0
			for _, c := range lead {
				if c == '>' {
					quotes++
				}
				if c == '>' && quotes > maxQuotes || len(kept) >= maxIndent {
					continue
				}
				kept = append(kept, c)
			}
			lead = kept
		}
		if len(bytes.TrimSpace(text)) == 0 {
			para = 0
		}
		if row := bytes.IndexByte(text, '|') >= 0; para > 0 && para+len(text) > maxParagraph && !row {
			out.WriteByte('\n')
			para = 0
		}
		out.Write(lead)
		for len(text) > maxParagraph {
			at := maxParagraph
			if space := bytes.LastIndexByte(text[:at], ' '); space > 0 {
				at = space
			}
			for at < len(text) && !utf8.RuneStart(text[at]) {
				at++
			}
			out.Write(text[:at])
			out.WriteString("\n\n")
			text = text[at:]
		}
		out.Write(text)
		para += len(text)
	}
	return out.Bytes()
}

// fenceOf is the mark of a line that begins or ends a block of code; "" for other lines.
func fenceOf(line []byte) string {
	for _, mark := range []string{"```", "~~~"} {
		if bytes.HasPrefix(bytes.TrimLeft(line, " "), []byte(mark)) {
			return mark
		}
	}
	return ""
}

func frontMatter(src []byte, d *doc.Document) []byte {
	if !bytes.HasPrefix(src, []byte("---\n")) {
		return src
	}
	end := bytes.Index(src[4:], []byte("\n---\n"))
	if end < 0 {
		return src
	}
	for line := range strings.SplitSeq(string(src[4:4+end]), "\n") {
		if k, v, ok := strings.Cut(line, ":"); ok && strings.TrimSpace(strings.ToLower(k)) == "title" {
			d.Title = strings.Trim(strings.TrimSpace(v), `"'`)
		}
	}
	return src[4+end+5:]
}

type mdReader struct {
	b        *doc.Builder
	src      []byte
	pictures []string // alternative texts in the block that is being read
}

func (m *mdReader) inline(n ast.Node) string {
	var s strings.Builder
	_ = ast.Walk(n, func(c ast.Node, enter bool) (ast.WalkStatus, error) {
		if !enter {
			return ast.WalkContinue, nil
		}
		switch t := c.(type) {
		case *ast.Text:
			s.Write(t.Segment.Value(m.src))
			if t.SoftLineBreak() || t.HardLineBreak() {
				s.WriteByte(' ')
			}
		case *ast.String:
			s.Write(t.Value)
		case *ast.AutoLink:
			s.Write(t.Label(m.src))
		case *ast.Link:
			m.b.Doc().Links = append(m.b.Doc().Links, doc.Link{Address: string(t.Destination)})
		case *ast.Image:
			m.pictures = append(m.pictures, m.alternative(t))
			return ast.WalkSkipChildren, nil
		case *ast.RawHTML:
			return ast.WalkSkipChildren, nil
		}
		return ast.WalkContinue, nil
	})
	return s.String()
}

// alternative is the alternative text of a picture, whatever it is made of.
func (m *mdReader) alternative(picture *ast.Image) string {
	var s strings.Builder
	_ = ast.Walk(picture, func(c ast.Node, enter bool) (ast.WalkStatus, error) {
		if t, ok := c.(*ast.Text); ok && enter {
			s.Write(t.Segment.Value(m.src))
		}
		return ast.WalkContinue, nil
	})
	return s.String()
}

// add adds a block of running text, and what is said of the pictures in it.
func (m *mdReader) add(b doc.Block, text string) {
	if b.Kind == doc.Paragraph && figure(text) {
		b.Kind = doc.Picture
	}
	m.b.Add(b, text)
	for _, said := range m.pictures {
		m.b.Add(doc.Block{Kind: doc.Picture}, said)
	}
	m.pictures = nil
}

func (m *mdReader) block(n ast.Node, depth int) {
	if depth > MaxDepth || full(m.b) {
		return
	}
	for c := n.FirstChild(); c != nil; c = c.NextSibling() {
		switch t := c.(type) {
		case *ast.Heading:
			m.add(doc.Block{Kind: doc.Heading, Level: t.Level}, m.inline(t))
		case *ast.Paragraph, *ast.TextBlock:
			m.add(doc.Block{Kind: doc.Paragraph}, m.inline(t))
		case *ast.FencedCodeBlock, *ast.CodeBlock:
			m.b.Add(doc.Block{Kind: doc.Code}, string(c.Lines().Value(m.src)))
		case *ast.List:
			m.list(t, 1)
		case *ast.HTMLBlock:
			m.html(t)
		case *east.Table:
			m.table(t)
		default:
			m.block(c, depth+1)
		}
	}
}

func (m *mdReader) list(l *ast.List, level int) {
	n := l.Start
	for it := l.FirstChild(); it != nil; it = it.NextSibling() {
		bl := doc.Block{Kind: doc.Item, Level: level}
		if l.IsOrdered() {
			bl.Ordinal = strconv.Itoa(n) + "."
			n++
		}
		for c := it.FirstChild(); c != nil; c = c.NextSibling() {
			switch t := c.(type) {
			case *ast.List:
				m.list(t, level+1)
			case *ast.Paragraph, *ast.TextBlock:
				m.add(bl, m.inline(t))
				bl.Ordinal = ""
			case *ast.FencedCodeBlock, *ast.CodeBlock:
				m.b.Add(doc.Block{Kind: doc.Code}, string(c.Lines().Value(m.src)))
			default:
				m.add(bl, m.inline(t))
			}
		}
	}
}

// html reads a block of HTML inside Markdown by the HTML reader, so that its tables and lists are kept.
func (m *mdReader) html(n *ast.HTMLBlock) {
	raw := n.Lines().Value(m.src)
	if bytes.HasPrefix(bytes.TrimSpace(raw), []byte("<!--")) {
		return
	}
	d, err := fromHTML(Input{Address: "block.html", MediaType: "text/html; charset=utf-8", Body: raw})
	if err != nil {
		return // html.Parse fails on nothing but a broken reader
	}
	m.b.Append(d)
}

func (m *mdReader) table(t *east.Table) {
	var header []string
	var rows [][]string
	for r := t.FirstChild(); r != nil; r = r.NextSibling() {
		var cells []string
		for c := r.FirstChild(); c != nil; c = c.NextSibling() {
			cells = append(cells, m.inline(c))
		}
		if _, ok := r.(*east.TableHeader); ok {
			header = cells
			continue
		}
		rows = append(rows, cells)
	}
	m.b.AddTable(doc.Place{}, "", header, rows)
}

// fromPlain reads plain text: blank lines end paragraphs; lines that start with a bullet or a number are items; a short
// line without an end mark that stands alone before text, underlined, numbered or in capitals, is a heading.
func fromPlain(in Input) (*doc.Document, error) {
	src := strings.ReplaceAll(decode(in.Body, in.MediaType), "\r", "\n")
	var b doc.Builder
	lines := strings.Split(src, "\n")
	var para []string
	kind := doc.Block{Kind: doc.Paragraph}
	flush := func() {
		if len(para) > 0 {
			b.Add(kind, strings.Join(para, " "))
		}
		para, kind = nil, doc.Block{Kind: doc.Paragraph}
	}
	for i := 0; i < len(lines) && !full(&b); i++ {
		line := strings.TrimSpace(lines[i])
		next := ""
		if i+1 < len(lines) {
			next = strings.TrimSpace(lines[i+1])
		}
		switch {
		case line == "":
			flush()
		case underline(next) && len(para) == 0 && len(line) < 160 && !underline(line):
			level := 2
			if next[0] == '=' || next[0] == '*' {
				level = 1
			}
			b.Add(doc.Block{Kind: doc.Heading, Level: level}, line)
			i++
		case underline(line):
			flush()
		case len(para) == 0 && next == "" && plainHeading(line):
			b.Add(doc.Block{Kind: doc.Heading, Level: headingLevel(line)}, line)
		default:
			if label, rest, ok := itemOf(line); ok {
				flush()
				kind = doc.Block{Kind: doc.Item, Level: 1, Ordinal: label}
				line = rest
			}
			para = append(para, line)
		}
	}
	flush()
	return b.Document(), nil
}

func underline(s string) bool {
	return len(s) >= 3 && strings.Trim(s, string(s[0])) == "" && strings.ContainsRune("=-~*_", rune(s[0]))
}

func headingLevel(s string) int {
	num, _, _ := strings.Cut(s, " ")
	if strings.Trim(num, "0123456789.") == "" && num != "" {
		return min(6, 1+strings.Count(strings.TrimSuffix(num, "."), "."))
	}
	return 2
}

func plainHeading(s string) bool {
	if len(s) > 120 || strings.HasSuffix(s, ".") && headingLevel(s) == 2 || strings.ContainsAny(s[len(s)-1:], ",;:") {
		return false
	}
	if num, rest, ok := strings.Cut(s, " "); ok && len(rest) > 2 && strings.Trim(num, "0123456789.") == "" && strings.Contains(num, ".") {
		return true
	}
	return s == strings.ToUpper(s) && strings.ToLower(s) != s || strings.HasSuffix(s, "?")
}

func itemOf(s string) (label, rest string, ok bool) {
	for _, p := range []string{"- ", "* ", "+ ", "• ", "o "} {
		if strings.HasPrefix(s, p) {
			return "", strings.TrimSpace(s[len(p):]), true
		}
	}
	if num, rest, found := strings.Cut(s, " "); found && len(num) > 1 && len(num) < 5 && (num[len(num)-1] == '.' || num[len(num)-1] == ')') && strings.Trim(num[:len(num)-1], "0123456789") == "" {
		return num, strings.TrimSpace(rest), true
	}
	return "", "", false
}
