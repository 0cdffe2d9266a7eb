package gather

import (
	"bytes"
	"compress/gzip"
	"encoding/xml"
	"errors"
	"fmt"
	"io"
	"strings"

	"golang.org/x/net/html/charset"
)

// The limits of the sitemaps.org protocol: 50,000 addresses and 50 MB in one file.
const (
	MaxSitemapAddresses = 50_000
	MaxSitemapBytes     = 50 << 20
)

// SitemapEntry is one address of a sitemap.
type SitemapEntry struct {
	Address      string
	LastModified string // W3C date and time, as written; may be empty
}

// ParseSitemap reads a sitemap (sitemaps.org): a set of addresses, an index of further sitemaps, or a text file with an
// address a line; gzipped or not. What stands after the protocol's limits is left out.
func ParseSitemap(body []byte) (pages []SitemapEntry, sitemaps []string, err error) {
	if bytes.HasPrefix(body, []byte{0x1f, 0x8b}) {
		z, err := gzip.NewReader(bytes.NewReader(body))
		if err != nil {
			return nil, nil, fmt.Errorf("unpack the sitemap: %w", err)
		}
		if body, err = io.ReadAll(io.LimitReader(z, MaxSitemapBytes)); err != nil {
			return nil, nil, fmt.Errorf("unpack the sitemap: %w", err)
		}
	}
	body = bytes.TrimSpace(bytes.TrimPrefix(body, []byte("\xef\xbb\xbf")))
	if !bytes.HasPrefix(body, []byte("<")) {
		return textSitemap(body), nil, nil
	}
	dec := xml.NewDecoder(bytes.NewReader(body))
	dec.Strict = false
	dec.CharsetReader = charset.NewReaderLabel
	type item struct {
		Loc     string `xml:"loc"`
		LastMod string `xml:"lastmod"`
	}
	for len(pages)+len(sitemaps) < MaxSitemapAddresses {
		tok, err := dec.Token()
		if errors.Is(err, io.EOF) {
			break
		}
		if err != nil {
			if len(pages)+len(sitemaps) > 0 {
				break // what was read of a broken file counts
			}
			return nil, nil, fmt.Errorf("read the sitemap: %w", err)
		}
		start, ok := tok.(xml.StartElement)
		if !ok || start.Name.Local != "url" && start.Name.Local != "sitemap" {
			continue
		}
		var it item
		if err := dec.DecodeElement(&it, &start); err != nil {
			continue
		}
		loc := strings.TrimSpace(it.Loc)
		switch {
		case loc == "" || len(loc) > 2048:
		case start.Name.Local == "url":
			pages = append(pages, SitemapEntry{loc, strings.TrimSpace(it.LastMod)})
		default:
			sitemaps = append(sitemaps, loc)
		}
	}
	return pages, sitemaps, nil
}

func textSitemap(body []byte) []SitemapEntry {
	var out []SitemapEntry
	for line := range strings.SplitSeq(string(body), "\n") {
		line = strings.TrimSpace(line)
		if strings.HasPrefix(line, "http://") || strings.HasPrefix(line, "https://") {
			out = append(out, SitemapEntry{Address: line})
		}
		if len(out) == MaxSitemapAddresses {
			break
		}
	}
	return out
}
