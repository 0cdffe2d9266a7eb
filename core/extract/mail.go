package extract

import (
	"bytes"
	"encoding/base64"
	"errors"
	"fmt"
	"io"
	"mime"
	"mime/multipart"
	"mime/quotedprintable"
	"net/mail"
	"strings"

	"golang.org/x/net/html/charset"

	"jolvex/core/doc"
)

// Limits on one message.
const (
	mostParts   = 500
	deepestPart = 20
)

// fromMail reads a message (RFC 5322, with MIME by RFC 2045) or a page that was saved as one (MHTML, RFC 2557): its subject, sender and date, and
// the first part that is text, HTML before plain. Attached files are named, not read.
func fromMail(in Input) (*doc.Document, error) {
	m, err := mail.ReadMessage(bytes.NewReader(in.Body))
	if err != nil {
		return nil, fmt.Errorf("damaged: %w", err)
	}
	words := &mime.WordDecoder{CharsetReader: charset.NewReaderLabel}
	head := func(name string) string {
		s, err := words.DecodeHeader(m.Header.Get(name))
		if err != nil {
			s = m.Header.Get(name)
		}
		return doc.Fold(s)
	}
	p := &mailParts{}
	if err := p.read(m.Header.Get, m.Body, 0); err != nil {
		return nil, err
	}
	d := &doc.Document{}
	if p.text != nil {
		text := *p.text
		if text.Address = in.Address; p.at != "" {
			text.Address = p.at
		}
		if d, err = Extract(text); err != nil && !errors.Is(err, ErrNoText) {
			return nil, err
		}
	}
	var b doc.Builder
	b.Doc().Links, b.Doc().Language, b.Doc().Notes = d.Links, d.Language, d.Notes
	saved := p.at != "" // a page, not a letter
	if b.Doc().Title = head("Subject"); saved && d.Title != "" {
		b.Doc().Title = d.Title
	}
	if at, err := m.Header.Date(); err == nil {
		b.Doc().Dated = at.Format("2006-01-02")
	}
	if from := head("From"); from != "" && !saved {
		b.Add(doc.Block{Kind: doc.Paragraph}, "From: "+from)
	}
	b.Append(d)
	for _, name := range p.attached {
		b.Add(doc.Block{Kind: doc.Item, Level: 1}, "Attached: "+name)
	}
	return b.Document(), nil
}

// mailParts is what is found in a message.
type mailParts struct {
	text     *Input // the text to be read
	at       string // the address that a saved page was at
	attached []string
	parts    int
}

func (p *mailParts) read(head func(string) string, body io.Reader, depth int) error {
	if p.parts++; p.parts > mostParts || depth > deepestPart {
		return fmt.Errorf("%w: more than %d parts", ErrTooLarge, mostParts)
	}
	kind, params, err := mime.ParseMediaType(head("Content-Type"))
	if err != nil {
		kind, params = "text/plain", nil
	}
	if strings.HasPrefix(kind, "multipart/") {
		r := multipart.NewReader(body, params["boundary"])
		for {
			part, err := r.NextRawPart()
			if errors.Is(err, io.EOF) {
				return nil
			}
			if err != nil {
				if p.text != nil {
					return nil //nolint:nilerr // what came before the damage is read
				}
				return fmt.Errorf("damaged: %w", err)
			}
			if err := p.read(part.Header.Get, part, depth+1); err != nil {
				return err
			}
		}
	}
	if disposition, more, err := mime.ParseMediaType(head("Content-Disposition")); err == nil && disposition == "attachment" {
		if name := doc.Fold(more["filename"]); name != "" && len(p.attached) < 100 {
			p.attached = append(p.attached, name)
		}
		return nil
	}
	better := p.text == nil || p.text.MediaType == "text/plain" && kind == "text/html"
	if kind != "text/html" && kind != "text/plain" || !better {
		return nil
	}
	raw, err := io.ReadAll(io.LimitReader(transferred(head("Content-Transfer-Encoding"), body), MaxBytes))
	if err != nil && len(raw) == 0 {
		return fmt.Errorf("damaged: %w", err)
	}
	if label := params["charset"]; label != "" {
		if r, err := charset.NewReaderLabel(label, bytes.NewReader(raw)); err == nil {
			if b, err := io.ReadAll(io.LimitReader(r, MaxBytes)); err == nil {
				raw = b
			}
		}
	}
	p.text = &Input{MediaType: kind, Body: raw}
	if at := strings.TrimSpace(head("Content-Location")); strings.HasPrefix(at, "http") && kind == "text/html" {
		p.at = at
	}
	return nil
}

// transferred undoes the transfer encoding of a part (RFC 2045, section 6).
func transferred(encoding string, body io.Reader) io.Reader {
	switch strings.ToLower(strings.TrimSpace(encoding)) {
	case "base64":
		return base64.NewDecoder(base64.StdEncoding, body)
	case "quoted-printable":
		return quotedprintable.NewReader(body)
	}
	return body
}

// advised are kinds of file that hold documents and are not read, with what to do about it.
var advised = map[string]string{
	".doc": "an old Word file: save it as .docx", ".dot": "an old Word file: save it as .docx", ".xls": "an old Excel file: save it as .xlsx",
	".ppt": "an old PowerPoint file: save it as .pptx", ".rtf": "a rich text file: save it as .docx or .odt", ".wpd": "a WordPerfect file: save it as .docx or .odt",
	".pages": "a Pages file: export it as .docx or PDF", ".numbers": "a Numbers file: export it as .xlsx or CSV", ".key": "a Keynote file: export it as .pptx or PDF",
	".msg": "an Outlook message: save it as .eml", ".mobi": "a Mobipocket book: convert it to EPUB", ".djvu": "a scanned book: convert it to PDF with a text layer",
	".xps": "an XPS file: save it as PDF", ".one": "a OneNote file: export it as PDF or .docx",
}

// Advised reports whether an ending is that of a kind of document that is not read and that there is advice for.
func Advised(ending string) bool { return advised[strings.ToLower(ending)] != "" }
