package extract

import (
	"bytes"
	"fmt"
	"net/url"
	"slices"
	"strconv"
	"strings"

	"github.com/PuerkitoBio/goquery"
	"golang.org/x/net/html"
	"golang.org/x/net/html/atom"

	"jolvex/core/doc"
)

// htmlReader walks one page. It keeps running text in pending until a block ends.
type htmlReader struct {
	b        doc.Builder
	base     *url.URL
	pending  strings.Builder
	block    doc.Block // what pending will become
	lists    []listState
	anchor   string // the nearest id before the text at hand
	cells    int
	depth    int
	trimmed  bool
	pictures []string     // said of pictures within the block that is being read
	repeated int          // cells that merged ones stand for
	soft     map[int]bool // blocks that are headings without a number of their own, such as dt
}

type listState struct {
	ordered bool
	next    int
}

// maxTags is how many tags of a page are read: each takes some 300 bytes of memory, with the text behind it.
const maxTags = 600_000

func fromHTML(in Input) (*doc.Document, error) {
	src := decode(in.Body, in.MediaType)
	if n := strings.Count(src, "<"); n > maxTags {
		return nil, fmt.Errorf("%w: about %d tags, the limit is %d", ErrTooLarge, n, maxTags)
	}
	root, err := html.Parse(strings.NewReader(src))
	if err != nil {
		return nil, fmt.Errorf("%w to read: %w", ErrTooLarge, err) // the parser's limit on nesting is its only error
	}
	page := goquery.NewDocumentFromNode(root)
	r := &htmlReader{block: doc.Block{Kind: doc.Paragraph}, soft: map[int]bool{}}
	r.base, _ = url.Parse(in.Address)
	if href, ok := page.Find("base[href]").First().Attr("href"); ok && r.base != nil {
		if u, err := r.base.Parse(href); err == nil {
			r.base = u
		}
	}
	r.head(page)
	structured := append(structuredData(page), microdata(page)...)
	r.links(page)
	r.clips(page)
	if !in.Closed {
		r.panels(page)
	}
	r.forms(page)
	r.hidden(page)
	clean(page)
	main, declared := mainOf(page)
	if !declared {
		dropClutter(main)
	}
	for _, n := range main.Nodes {
		r.walk(n)
	}
	r.flush()
	r.addStructured(structured)
	d := r.b.Document()
	if r.trimmed {
		d.Notes = append(d.Notes, "cut short: the page is larger than can be read")
	}
	if len(d.Blocks) == 0 && page.Find("script").Length() == 0 && strings.Contains(src, "<script") {
		d.Notes = append(d.Notes, "no text without its scripts: the page may need a browser")
	}
	return d, nil
}

// clean removes what is never content: scripts, styles, navigation, forms, and what the page itself hides.
func clean(page *goquery.Document) {
	page.Find(`script, style, noscript, template, nav, form:not([data-jolvex-form]), iframe, svg, canvas, object, dialog, [hidden], [aria-hidden=true],
		[role=navigation], [role=search], [role=menu], [role=menubar], [role=dialog], .navheader, .navfooter`).Remove()
	// Marks beside headings that lead to themselves ("¶", "#", "§").
	page.Find(`a[href^="#"]`).Each(func(_ int, s *goquery.Selection) {
		if t := strings.TrimSpace(s.Text()); s.HasClass("headerlink") || strings.Trim(t, "¶#§🔗") == "" && s.Find("img").Length() == 0 && attr(s.Nodes[0], "id") == "" && attr(s.Nodes[0], "name") == "" {
			s.Remove()
		}
	})
	page.Find("[style]").Each(func(_ int, s *goquery.Selection) {
		if hides(s) {
			s.Remove()
		}
	})
	page.Find("footer, [role=contentinfo], [role=banner]").Each(func(_ int, s *goquery.Selection) {
		if s.Closest("article, main, blockquote").Length() == 0 {
			s.Remove()
		}
	})
}

// mainOf finds the part of the page that is its content. declared is false when the page does not say which it is.
func mainOf(page *goquery.Document) (sel *goquery.Selection, declared bool) {
	for _, q := range []string{"main", "[role=main]", "article"} {
		if s := page.Find(q); s.Length() == 1 {
			return s, true
		}
	}
	return page.Find("body"), false
}

// dropClutter removes side notes and lists of links from a page that declares no main part.
func dropClutter(s *goquery.Selection) {
	s.Find("aside, [role=complementary], body > header").Remove()
	s.Find("div, ul, ol, section, p, td").Each(func(_ int, n *goquery.Selection) {
		if n.Find("h1, h2, h3").Length() > 0 {
			return
		}
		text := len(doc.Fold(n.Text()))
		links := 0
		count := n.Find("a").Each(func(_ int, a *goquery.Selection) { links += len(doc.Fold(a.Text())) }).Length()
		if text > 0 && count > 2 && float64(links)/float64(text) > 0.7 {
			n.Remove()
		}
	})
}

func attr(n *html.Node, name string) string {
	for _, a := range n.Attr {
		if a.Key == name {
			return a.Val
		}
	}
	return ""
}

func (r *htmlReader) flush() {
	if strings.TrimSpace(r.pending.String()) != "" {
		bl := r.block
		bl.Place.Anchor = r.anchor
		if bl.Kind == doc.Paragraph && figure(r.pending.String()) {
			bl.Kind = doc.Picture
		}
		r.b.Add(bl, r.pending.String())
	}
	r.pending.Reset()
	for _, said := range r.pictures {
		r.picture(said)
	}
	r.pictures = r.pictures[:0]
	r.block = doc.Block{Kind: doc.Paragraph}
	if len(r.lists) > 0 {
		r.block = doc.Block{Kind: doc.Item, Level: len(r.lists)}
	}
}

// figure reports whether a paragraph is but the number and title of a figure.
func figure(s string) bool {
	return len(s) < 200 && en.Pattern("figure-title").MatchString(doc.Fold(s))
}

func (r *htmlReader) children(n *html.Node) {
	for c := n.FirstChild; c != nil; c = c.NextSibling {
		r.walk(c)
	}
}

func (r *htmlReader) walk(n *html.Node) {
	if r.b.Len() > MaxText || len(r.b.Doc().Blocks) > MaxBlocks || r.depth > MaxDepth {
		r.trimmed = true
		return
	}
	if n.Type == html.TextNode {
		r.pending.WriteString(n.Data)
		return
	}
	if t := attr(n, panelTitle); t != "" {
		r.softHeading(t)
	}
	if n.Type != html.ElementNode && n.Type != html.DocumentNode {
		return
	}
	r.depth++
	defer func() { r.depth-- }()
	if id := attr(n, "id"); id != "" {
		r.anchor = id
	} else if n.DataAtom == atom.A && attr(n, "name") != "" {
		r.anchor = attr(n, "name")
	}
	switch n.DataAtom {
	case atom.H1, atom.H2, atom.H3, atom.H4, atom.H5, atom.H6:
		r.heading(n, int(n.Data[1]-'0'))
	case atom.Summary, atom.Dt, atom.Legend:
		r.heading(n, r.under())
	case atom.Figcaption:
		if fig := ancestor(n, atom.Figure); fig != nil && !holds(fig, atom.Table, atom.Pre, atom.Video, atom.Audio, atom.Blockquote) {
			r.flush()
			r.picture(rawText(n))
			return
		}
		r.blockOf(n)
	case atom.P, atom.Div, atom.Section, atom.Article, atom.Main, atom.Header, atom.Footer, atom.Address, atom.Blockquote,
		atom.Figure, atom.Details, atom.Dd, atom.Dl, atom.Fieldset, atom.Body, atom.Center, atom.Aside:
		r.blockOf(n)
	case atom.Ul, atom.Ol, atom.Menu:
		r.flush()
		start, err := strconv.Atoi(attr(n, "start"))
		if err != nil {
			start = 1
		}
		r.lists = append(r.lists, listState{n.DataAtom == atom.Ol, start})
		r.children(n)
		r.flush()
		r.lists = r.lists[:len(r.lists)-1]
		r.block = doc.Block{Kind: doc.Paragraph}
	case atom.Li:
		r.flush()
		r.block = doc.Block{Kind: doc.Item, Level: max(1, len(r.lists))}
		if k := len(r.lists); k > 0 && r.lists[k-1].ordered {
			r.block.Ordinal = strconv.Itoa(r.lists[k-1].next) + "."
			r.lists[k-1].next++
		}
		r.children(n)
		r.flush()
	case atom.Pre:
		r.flush()
		r.b.Add(doc.Block{Kind: doc.Code, Place: doc.Place{Anchor: r.anchor}}, rawText(n))
	case atom.Table:
		r.flush()
		r.table(n)
	case atom.Br:
		r.pending.WriteString(" ")
	case atom.Hr:
		r.flush()
	case atom.Img:
		r.image(n)
	case atom.Head, atom.Button, atom.Select, atom.Input, atom.Textarea, atom.Script, atom.Style:
	default:
		r.children(n)
	}
}

// under is the level of a heading that has no number of its own: one below the heading before it.
func (r *htmlReader) under() int {
	bs := r.b.Doc().Blocks
	for i := len(bs) - 1; i >= 0; i-- {
		if bs[i].Kind != doc.Heading {
			continue
		}
		if r.soft[i] {
			return bs[i].Level
		}
		return min(6, bs[i].Level+1)
	}
	return 2
}

func (r *htmlReader) heading(n *html.Node, level int) {
	r.flush()
	bl := doc.Block{Kind: doc.Heading, Level: level, Place: doc.Place{Anchor: r.anchor}}
	if n.DataAtom == atom.Summary || n.DataAtom == atom.Dt || n.DataAtom == atom.Legend {
		r.soft[len(r.b.Doc().Blocks)] = true
	}
	if id := firstID(n); id != "" {
		bl.Place.Anchor, r.anchor = id, id
	}
	r.b.Add(bl, rawText(n))
}

func firstID(n *html.Node) string {
	if v := attr(n, "id"); v != "" {
		return v
	}
	for c := n.FirstChild; c != nil; c = c.NextSibling {
		if v := firstID(c); v != "" {
			return v
		}
	}
	return ""
}

// image takes the alternative text of a picture up: a word or two within a sentence is part of it, as a button's name is; any other is said of
// the picture.
func (r *htmlReader) image(n *html.Node) {
	alt := doc.Fold(attr(n, "alt"))
	if alt == "" {
		return
	}
	if len(alt) <= shortAlt && (strings.TrimSpace(r.pending.String()) != "" || n.NextSibling != nil && strings.TrimSpace(rawText(n.NextSibling)) != "") {
		r.pending.WriteString(" " + alt + " ")
		return
	}
	r.pictures = append(r.pictures, alt)
}

// shortAlt is up to how many bytes an alternative text may be part of a sentence.
const shortAlt = 25

// picture adds what is said of a picture.
func (r *htmlReader) picture(said string) {
	r.b.Add(doc.Block{Kind: doc.Picture, Place: doc.Place{Anchor: r.anchor}}, said)
}

// softHeading adds a heading that has no number of its own.
func (r *htmlReader) softHeading(title string) {
	r.flush()
	level := r.under()
	r.soft[len(r.b.Doc().Blocks)] = true
	r.b.Add(doc.Block{Kind: doc.Heading, Level: level, Place: doc.Place{Anchor: r.anchor}}, title)
}

func ancestor(n *html.Node, a atom.Atom) *html.Node {
	for p := n.Parent; p != nil; p = p.Parent {
		if p.DataAtom == a {
			return p
		}
	}
	return nil
}

// holds reports whether one of the elements stands below n.
func holds(n *html.Node, as ...atom.Atom) bool {
	for c := n.FirstChild; c != nil; c = c.NextSibling {
		if slices.Contains(as, c.DataAtom) && c.Type == html.ElementNode || holds(c, as...) {
			return true
		}
	}
	return false
}

func (r *htmlReader) blockOf(n *html.Node) {
	if title, rest := boldHeading(n); title != "" && len(r.lists) == 0 {
		r.softHeading(title)
		for c := rest; c != nil; c = c.NextSibling {
			r.walk(c)
		}
		r.flush()
		return
	}
	keep := r.block
	if strings.TrimSpace(r.pending.String()) != "" {
		r.flush()
	} else if keep.Kind == doc.Item {
		r.block = keep // <li><p>text: the paragraph is the item
	}
	r.children(n)
	r.flush()
}

func rawText(n *html.Node) string {
	var b strings.Builder
	var rec func(*html.Node, int)
	rec = func(n *html.Node, depth int) {
		if depth > MaxDepth {
			return
		}
		switch {
		case n.Type == html.TextNode:
			b.WriteString(n.Data)
		case n.DataAtom == atom.Br:
			b.WriteString("\n")
		case n.DataAtom == atom.Li || n.DataAtom == atom.P || n.DataAtom == atom.Div:
			if b.Len() > 0 {
				b.WriteString("\n")
			}
		}
		for c := n.FirstChild; c != nil; c = c.NextSibling {
			rec(c, depth+1)
		}
	}
	rec(n, 0)
	return b.String()
}

// Scripted reports whether a page holds scripts of its own that may bring its text.
func Scripted(in Input) bool {
	return bytes.Contains(bytes.ToLower(in.Body[:min(len(in.Body), 1<<20)]), []byte("<script"))
}
