package doc

import (
	"net/url"
	"strconv"
	"strings"
)

// Link is an address with the place of a span in it: a time (W3C Media Fragments), a page, or an anchor.
func (d *Document) Link(address string, s Span) string {
	i := d.BlockAt(s.Start)
	if i < 0 {
		return address
	}
	address, _, _ = strings.Cut(address, "#")
	switch p := d.Blocks[i].Place; {
	case p.To > 0:
		return address + "#t=" + strconv.FormatFloat(p.From, 'f', -1, 64)
	case p.Page > 0:
		return address + "#page=" + strconv.Itoa(p.Page)
	case p.Anchor != "":
		return address + "#" + url.PathEscape(p.Anchor)
	}
	return address
}

// PathAt is the heading path that governs a span; headings that the span opens with belong to it.
func (d *Document) PathAt(s Span) []string {
	i := d.BlockAt(s.Start)
	if i < 0 {
		return []string{}
	}
	path := append([]string{}, d.Path(i)...)
	if h := d.Of(d.Blocks[i].Span); d.Blocks[i].Kind == Heading && (len(path) > 0 || !strings.EqualFold(h, d.Title)) {
		path = append(path, h)
	}
	return path
}
