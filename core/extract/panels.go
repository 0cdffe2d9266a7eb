package extract

import (
	"strings"

	"github.com/PuerkitoBio/goquery"
	"golang.org/x/net/html"
	"golang.org/x/net/html/atom"

	"jolvex/core/doc"
	"jolvex/core/text"
)

// Marks that panels and clean leave on elements for walk.
const (
	panelTitle = "data-jolvex-title" // what the button that opens a panel says
	keptForm   = "data-jolvex-form"  // a form that holds the text of its page
)

// leastPanel is how many words a panel has that is worth taking in.
const leastPanel = 4

// panels opens what a page shows only when a button or a tab is pressed (WAI-ARIA's accordion, disclosure and tab patterns, and the attributes
// that widespread style kits use for the same): the text is the page's like any other, and the button's is its heading.
func (r *htmlReader) panels(page *goquery.Document) {
	byID := map[string]*goquery.Selection{}
	page.Find("[id]").Each(func(_ int, s *goquery.Selection) {
		if id := s.AttrOr("id", ""); byID[id] == nil {
			byID[id] = s
		}
	})
	open := func(panel *goquery.Selection, title string, headed bool) {
		if panel == nil || panel.Length() == 0 || panel.Is("nav, dialog, [role=dialog], [role=menu], [role=listbox]") || panel.Closest("nav, [role=menu], [role=dialog], dialog").Length() > 0 {
			return
		}
		if _, done := panel.Attr(panelTitle); done || len(text.Words(panel.Text())) < leastPanel {
			return
		}
		panel.RemoveAttr("hidden").RemoveAttr("aria-hidden")
		if hides(panel) {
			panel.RemoveAttr("style")
		}
		if headed {
			title = ""
		}
		panel.SetAttr(panelTitle, title)
	}
	page.Find("[aria-controls], [data-target], [data-bs-target], [role=tab][href], [data-toggle][href], [data-bs-toggle][href]").Each(func(_ int, s *goquery.Selection) {
		if s.Closest("nav, [role=menu], [role=menubar], form[role=search]").Length() > 0 || s.Is("input, select, textarea") {
			return
		}
		title := doc.Fold(s.Text())
		if title == "" {
			title = doc.Fold(s.AttrOr("aria-label", ""))
		}
		headed := s.Closest("h1, h2, h3, h4, h5, h6, summary, dt").Length() > 0
		for _, name := range []string{"aria-controls", "data-target", "data-bs-target", "href"} {
			for id := range strings.FieldsSeq(s.AttrOr(name, "")) {
				open(byID[strings.TrimPrefix(id, "#")], title, headed)
			}
		}
	})
	page.Find("[role=tabpanel]").Each(func(_ int, s *goquery.Selection) {
		title := ""
		if by := byID[s.AttrOr("aria-labelledby", "")]; by != nil {
			title = doc.Fold(by.Text())
		}
		open(s, title, false)
	})
}

// leastForm is how many words a form holds beside its fields when it is no form but the page: some systems wrap whole pages in one.
const leastForm = 40

// forms marks the forms that hold the text of the page; the others are removed with the rest that is no content.
func (r *htmlReader) forms(page *goquery.Document) {
	page.Find("form").Each(func(_ int, s *goquery.Selection) {
		words := 0
		s.Find("p, li, td, dd, h1, h2, h3, h4, blockquote").Each(func(_ int, b *goquery.Selection) {
			if b.Find("input, select, textarea, button, p, li, td, dd").Length() == 0 {
				words += len(strings.Fields(b.Text()))
			}
		})
		if words >= leastForm || s.Find("main, article, [role=main]").Length() > 0 {
			s.SetAttr(keptForm, "")
		}
	})
}

// boldHeading gives the text of a paragraph that is bold from end to end, or up to a line's end, and acts as the heading of what follows it; ""
// for any other. rest is what follows the line's end.
func boldHeading(n *html.Node) (title string, rest *html.Node) {
	if n.DataAtom != atom.P && n.DataAtom != atom.Div {
		return "", nil
	}
	var first *html.Node
	for c := n.FirstChild; c != nil; c = c.NextSibling {
		switch {
		case c.Type == html.CommentNode || c.Type == html.TextNode && strings.TrimSpace(c.Data) == "":
			continue
		case first == nil && bold(c):
			first = c
		case first != nil && c.DataAtom == atom.Br && strings.TrimSpace(textAfter(c)) != "":
			rest = c.NextSibling
		default:
			return "", nil
		}
		if rest != nil {
			break
		}
	}
	if first == nil {
		return "", nil
	}
	title = doc.Fold(rawText(first))
	if n := len(text.Words(title)); n == 0 || n > 16 || strings.ContainsAny(title[len(title)-1:], ".,;!") {
		return "", nil
	}
	if rest == nil && !leadsOn(n) {
		return "", nil
	}
	return strings.TrimSuffix(title, ":"), rest
}

// bold reports whether an element sets all of its text bold.
func bold(n *html.Node) bool {
	switch n.DataAtom {
	case atom.B, atom.Strong:
		return true
	case atom.Span, atom.A, atom.Font, atom.Em, atom.I, atom.U:
		style := strings.ToLower(strings.ReplaceAll(attr(n, "style"), " ", ""))
		if strings.Contains(style, "font-weight:bold") || strings.Contains(style, "font-weight:700") {
			return true
		}
		only := (*html.Node)(nil)
		for c := n.FirstChild; c != nil; c = c.NextSibling {
			if c.Type == html.TextNode && strings.TrimSpace(c.Data) == "" {
				continue
			}
			if only != nil {
				return false
			}
			only = c
		}
		return only != nil && bold(only)
	}
	return false
}

func textAfter(n *html.Node) string {
	var b strings.Builder
	for c := n.NextSibling; c != nil; c = c.NextSibling {
		b.WriteString(rawText(c))
	}
	return b.String()
}

// leadsOn reports whether text follows an element that is not itself such a heading.
func leadsOn(n *html.Node) bool {
	for c := n.NextSibling; c != nil; c = c.NextSibling {
		if c.Type != html.ElementNode {
			if c.Type == html.TextNode && strings.TrimSpace(c.Data) != "" {
				return true
			}
			continue
		}
		switch c.DataAtom {
		case atom.P, atom.Ul, atom.Ol, atom.Div, atom.Table, atom.Pre, atom.Dl, atom.Blockquote, atom.Section:
			return len(text.Words(rawText(c))) > 3
		}
		return false
	}
	return false
}
