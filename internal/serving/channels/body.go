package channels

import (
	"encoding/base64"
	"errors"
	"io"
	"mime"
	"mime/multipart"
	"mime/quotedprintable"
	"strings"

	"golang.org/x/net/html"
	"golang.org/x/net/html/charset"
)

// body is what is written in a mail: its first part of plain text, and its first of HTML as text. What is attached is not read.
type body struct {
	plain, html string
	parts       int
}

// Bounds on what is read of a mail. A general reader of mail was tried and took minutes over fifty parts within each other.
const (
	deepest    = 8       // parts within parts
	mostParts  = 200     // parts in all
	mostRead   = 1 << 20 // bytes of a text
	mostQuoted = 8       // quotations within each other that are marked one by one
)

// decoder decodes the words of headers (RFC 2047) in any charset that browsers know (WHATWG Encoding).
var decoder = mime.WordDecoder{CharsetReader: func(name string, r io.Reader) (io.Reader, error) { return charset.NewReaderLabel(name, r) }}

// read reads a part with those within it (RFC 2045, RFC 2046).
func (b *body) read(header interface{ Get(string) string }, r io.Reader, deep int) error {
	if b.parts++; deep > deepest || b.parts > mostParts {
		return errors.New("it has too many parts")
	}
	kind, params, err := mime.ParseMediaType(header.Get("Content-Type"))
	if err != nil {
		kind, params = "text/plain", nil // RFC 2045, 5.2
	}
	switch {
	case strings.HasPrefix(kind, "multipart/") && params["boundary"] != "":
		return b.within(multipart.NewReader(r, params["boundary"]), deep)
	case kind != "text/plain" && kind != "text/html", strings.HasPrefix(strings.ToLower(header.Get("Content-Disposition")), "attachment"):
		return nil
	}
	text, err := decoded(header.Get("Content-Transfer-Encoding"), params["charset"], r)
	if err != nil {
		return err
	}
	switch {
	case kind == "text/html" && b.html == "":
		b.html = fromHTML(text)
	case kind == "text/plain" && b.plain == "":
		b.plain = text
	}
	return nil
}

func (b *body) within(parts *multipart.Reader, deep int) error {
	for {
		p, err := parts.NextRawPart()
		if errors.Is(err, io.EOF) {
			return nil
		}
		if err != nil {
			if b.plain != "" || b.html != "" {
				return nil // cut off after what is written in it
			}
			return err
		}
		if err := b.read(p.Header, p, deep+1); err != nil {
			return err
		}
	}
}

// decoded is the text of a part.
func decoded(encoding, writing string, r io.Reader) (string, error) {
	switch strings.ToLower(strings.TrimSpace(encoding)) {
	case "quoted-printable":
		r = quotedprintable.NewReader(r)
	case "base64":
		r = base64.NewDecoder(base64.StdEncoding, r)
	}
	if writing != "" {
		if in, err := charset.NewReaderLabel(writing, r); err == nil { // else it is read as UTF-8
			r = in
		}
	}
	raw, err := io.ReadAll(io.LimitReader(r, mostRead))
	if err != nil && len(raw) == 0 {
		return "", err
	}
	return strings.ToValidUTF8(string(raw), ""), nil // what is damaged further on does not take away what came before
}

// fromHTML is the text of HTML, a line for each block; what is quoted is marked by ">".
func fromHTML(s string) string {
	var b strings.Builder
	z := html.NewTokenizer(strings.NewReader(s))
	hidden, quoted, fresh := "", 0, true
	line := func() {
		if !fresh {
			b.WriteByte('\n')
		}
		fresh = true
	}
	for {
		switch z.Next() {
		case html.ErrorToken:
			return b.String()
		case html.TextToken:
			text := strings.Join(strings.Fields(string(z.Text())), " ")
			if hidden != "" || text == "" {
				continue
			}
			raw := z.Raw()
			if fresh {
				b.WriteString(strings.Repeat("> ", min(quoted, mostQuoted)))
			} else if raw[0] == ' ' || raw[0] == '\n' || raw[0] == '\r' || raw[0] == '\t' {
				b.WriteByte(' ')
			}
			b.WriteString(text)
			if last := raw[len(raw)-1]; last == ' ' || last == '\n' || last == '\t' {
				b.WriteByte(' ')
			}
			fresh = false
		case html.StartTagToken, html.SelfClosingTagToken:
			switch name, _ := z.TagName(); string(name) {
			case "script", "style", "title", "head", "template":
				if hidden == "" && string(name) != "head" {
					hidden = string(name)
				}
			case "blockquote":
				line()
				quoted++
			case "br", "p", "div", "li", "tr", "h1", "h2", "h3", "h4", "table", "hr", "ul", "ol":
				line()
			}
		case html.EndTagToken:
			switch name, _ := z.TagName(); string(name) {
			case hidden:
				hidden = ""
			case "blockquote":
				line()
				quoted = max(0, quoted-1)
			case "p", "div", "li", "tr", "h1", "h2", "h3", "h4", "table", "ul", "ol":
				line()
			}
		}
	}
}
