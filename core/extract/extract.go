// Package extract turns the bytes of a page or file into the canonical document, within fixed limits, so that hostile
// input gives an error and never an exhausted process.
package extract

import (
	"bytes"
	"errors"
	"fmt"
	"mime"
	"net/url"
	"path"
	"slices"
	"strings"
	"unicode/utf8"

	"golang.org/x/net/html/charset"
	"golang.org/x/text/encoding/unicode"
	"golang.org/x/text/transform"

	"jolvex/core/doc"
)

// Version names the algorithm; it is part of the extract stage's hash.
const Version = "extract-6"

// Limits on one input.
const (
	MaxBytes  = 20 << 20 // bytes of input
	MaxText   = 8 << 20  // bytes of canonical text
	MaxBlocks = 200_000
	MaxDepth  = 400 // nesting of elements
	MaxCells  = 500_000
)

// cutShort begins the note of a document that was read in part.
const cutShort = "cut short: "

// full reports whether a document has as much text, or as many blocks, as are read of one.
func full(b *doc.Builder) bool { return b.Len() > MaxText || len(b.Doc().Blocks) > MaxBlocks }

// Errors that a caller tells apart. They arrive wrapped.
var (
	ErrKind     = errors.New("this kind of file cannot be read")
	ErrTooLarge = errors.New("too large")
	ErrNoText   = errors.New("no text found")
)

// Input is one page or file.
type Input struct {
	Address   string // absolute address or file name; resolves links and tells the kind when MediaType does not
	MediaType string // as the server declared it, parameters included; may be empty
	Body      []byte
	Closed    bool // panels, tabs and the like that are closed when a page opens are left out
}

// reader reads one kind of file.
type reader struct {
	kind    string   // media type
	also    []string // other names of it
	endings []string
	binary  bool
	read    func(Input) (*doc.Document, error)
}

// PDFType is the media type of PDF files. What draws their pages is not part of this package: see FromPDF.
const PDFType = "application/pdf"

const office = "application/vnd.openxmlformats-officedocument."

var readers = []reader{
	{"text/html", []string{"application/xhtml+xml"}, []string{".html", ".htm", ".xhtml"}, false, fromHTML},
	{"text/markdown", []string{"text/x-markdown"}, []string{".md", ".markdown"}, false, fromMarkdown},
	{"text/plain", nil, []string{".txt", ".text"}, false, fromPlain},
	{"text/csv", []string{"text/tab-separated-values", "application/csv"}, []string{".csv", ".tsv"}, false, fromCSV},
	{"application/json", []string{"application/jsonl", "application/x-ndjson", "application/ld+json"}, []string{".json", ".jsonl", ".ndjson"}, false, fromJSON},
	{"text/vtt", []string{"application/x-subrip", "text/srt"}, []string{".vtt", ".srt"}, false, fromCaptions},
	{"application/ttml+xml", nil, []string{".ttml", ".dfxp"}, false, fromTTML},
	{office + "wordprocessingml.document", nil, []string{".docx"}, true, fromDOCX},
	{office + "presentationml.presentation", nil, []string{".pptx"}, true, fromPPTX},
	{office + "spreadsheetml.sheet", nil, []string{".xlsx"}, true, fromXLSX},
	{"application/vnd.oasis.opendocument.text", nil, []string{".odt"}, true, fromODT},
	{"application/vnd.oasis.opendocument.spreadsheet", nil, []string{".ods"}, true, fromODT},
	{"application/vnd.oasis.opendocument.presentation", nil, []string{".odp"}, true, fromODT},
	{PDFType, []string{"application/x-pdf"}, []string{".pdf"}, true, func(Input) (*doc.Document, error) {
		return nil, fmt.Errorf("%w without what draws its pages: see FromPDF", ErrKind)
	}},
	{"application/epub+zip", nil, []string{".epub"}, true, fromEPUB},
	{"message/rfc822", []string{"multipart/related", "application/x-mimearchive"}, []string{".eml", ".mht", ".mhtml"}, true, nil},
}

// Endings lists the endings of file names that can be read.
func Endings() []string {
	var out []string
	for _, r := range readers {
		out = append(out, r.endings...)
	}
	return out
}

// Readable reports whether a file of that name is of a kind that is read, or that there is advice for.
func Readable(name string) bool {
	ending := strings.ToLower(path.Ext(name))
	return slices.Contains(Endings(), ending) || Advised(ending)
}

// HTML reports whether a media type, as Kind gives it, is that of pages.
func HTML(kind string) bool { return kind == readers[0].kind }

// Kind is the media type, without parameters, that Extract will read in as; "" when none fits.
func Kind(in Input) string {
	if r := readerOf(in); r != nil {
		return r.kind
	}
	return ""
}

// readerOf goes by the declared type; a file that is declared as nothing in particular goes by its ending. Plain text with
// the ending of a kind of text is of that kind.
func readerOf(in Input) *reader {
	mt, _, err := mime.ParseMediaType(in.MediaType)
	if err != nil {
		mt = ""
	}
	name := in.Address
	if u, err := url.Parse(in.Address); err == nil && u.Path != "" {
		name = u.Path
	}
	byEnding := func() *reader {
		ext := strings.ToLower(path.Ext(name))
		for i := range readers {
			if slices.Contains(readers[i].endings, ext) {
				return &readers[i]
			}
		}
		return nil
	}
	switch mt {
	case "", "application/octet-stream", "application/zip", "binary/octet-stream":
		if r := byEnding(); r != nil {
			return r
		}
		if bytes.HasPrefix(in.Body, []byte("%PDF-")) {
			return readerOf(Input{MediaType: PDFType})
		}
		if looksLikeHTML(in.Body) {
			return &readers[0]
		}
		return nil
	case "text/plain", "text/xml", "application/xml":
		if r := byEnding(); r != nil && !r.binary {
			return r
		}
	}
	for i := range readers {
		if readers[i].kind == mt || slices.Contains(readers[i].also, mt) {
			return &readers[i]
		}
	}
	return nil
}

func looksLikeHTML(b []byte) bool {
	head := bytes.ToLower(b[:min(len(b), 1024)])
	return bytes.Contains(head, []byte("<html")) || bytes.Contains(head, []byte("<!doctype html"))
}

// Extract reads one input. It fails with ErrKind, ErrTooLarge or ErrNoText, wrapped with what was being read.
func Extract(in Input) (*doc.Document, error) {
	if len(in.Body) > MaxBytes {
		return nil, fmt.Errorf("%s: %w: the limit is %d bytes", in.Address, ErrTooLarge, MaxBytes)
	}
	r := readerOf(in)
	if r == nil {
		if advice := advised[strings.ToLower(path.Ext(in.Address))]; advice != "" {
			return nil, fmt.Errorf("%s: %w: %s", in.Address, ErrKind, advice)
		}
		what := in.MediaType
		if what == "" {
			what = "unknown type"
		}
		return nil, fmt.Errorf("%s: %w (%s)", in.Address, ErrKind, what)
	}
	if !r.binary && r.kind != "text/html" && bytes.IndexByte(in.Body[:min(len(in.Body), 4096)], 0) >= 0 && !hasWideBOM(in.Body) {
		return nil, fmt.Errorf("%s: %w: it is not text", in.Address, ErrKind)
	}
	read := r.read
	if read == nil { // a message, whose text is read by one of the others
		read = fromMail
	}
	d, err := read(in)
	if err != nil {
		return nil, fmt.Errorf("%s: %w", in.Address, err)
	}
	if d.Title == "" {
		d.Title = nameOf(in.Address)
	}
	if (len(d.Text) > MaxText || len(d.Blocks) > MaxBlocks) && !slices.ContainsFunc(d.Notes, func(n string) bool { return strings.HasPrefix(n, cutShort) }) {
		d.Notes = append(d.Notes, cutShort+"it is longer than can be read")
	}
	if len(d.Blocks) == 0 {
		return d, fmt.Errorf("%s: %w", in.Address, ErrNoText)
	}
	return d, nil
}

func hasWideBOM(b []byte) bool {
	return bytes.HasPrefix(b, []byte{0xff, 0xfe}) || bytes.HasPrefix(b, []byte{0xfe, 0xff})
}

// nameOf makes a readable title of an address: the last part of its path without extension.
func nameOf(address string) string {
	p := address
	if u, err := url.Parse(address); err == nil && u.Path != "" {
		p = u.Path
	}
	p = path.Base(strings.TrimSuffix(p, "/"))
	p = strings.TrimSuffix(p, path.Ext(p))
	p = strings.NewReplacer("-", " ", "_", " ").Replace(p)
	if p == "" || p == "." || p == "/" {
		return address
	}
	return p
}

// Decode gives the text of b as UTF-8, whatever it is written in: by byte order mark, by valid UTF-8, else Windows-1252.
func Decode(b []byte) string { return decode(b, "") }

// decode gives the text of b as UTF-8: by byte order mark, by the declared charset, by valid UTF-8, else Windows-1252,
// the order of the WHATWG Encoding Standard's "decode" with a fallback.
func decode(b []byte, mediaType string) string {
	if hasWideBOM(b) {
		if out, _, err := transform.Bytes(unicode.BOMOverride(unicode.UTF16(unicode.LittleEndian, unicode.UseBOM).NewDecoder()), b); err == nil {
			return string(out)
		}
	}
	b = bytes.TrimPrefix(b, []byte{0xef, 0xbb, 0xbf})
	if utf8.Valid(b) {
		return string(b)
	}
	enc, _, _ := charset.DetermineEncoding(b, mediaType)
	out, _, err := transform.Bytes(enc.NewDecoder(), b)
	if err != nil {
		return strings.ToValidUTF8(string(b), "\ufffd")
	}
	return string(out)
}
