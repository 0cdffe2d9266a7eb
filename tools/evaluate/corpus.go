package main

import (
	"fmt"
	"os"
	"path/filepath"
	"regexp"
	"sort"
	"strings"

	"jolvex/core/doc"
	"jolvex/core/embed"
	"jolvex/core/extract"
	"jolvex/core/index"
)

// entry is one question of a FAQ with its answer.
type entry struct {
	id       string
	heading  string
	body     string
	document *doc.Document
	version  string
}

var sectionNumber = regexp.MustCompile(`^(?:Chapter )?[\dA-Z]{1,2}(?:\.\d+)*\.\s+`)

// loadFAQ reads the Debian FAQ (package debian-faq) as HTML, through the product's own reader, and cuts it into entries:
// one for each heading that has text of its own. The index page, a table of contents, is left out.
func loadFAQ(dir string) ([]entry, error) {
	files, err := filepath.Glob(filepath.Join(dir, "*.en.html"))
	if err != nil {
		return nil, err
	}
	sort.Strings(files)
	var out []entry
	for _, f := range files {
		if strings.HasPrefix(filepath.Base(f), "index.") {
			continue
		}
		body, err := os.ReadFile(f)
		if err != nil {
			return nil, err
		}
		d, err := extract.Extract(extract.Input{Address: "file://" + f, MediaType: "text/html", Body: body})
		if err != nil {
			return nil, err
		}
		cur := -1
		for _, b := range d.Blocks {
			t := d.Of(b.Span)
			if b.Kind == doc.Heading && b.Level >= 2 {
				out = append(out, entry{id: fmt.Sprintf("%s#%d", filepath.Base(f), b.Span.Start), heading: sectionNumber.ReplaceAllString(t, "")})
				cur = len(out) - 1
			} else if cur >= 0 && !strings.HasPrefix(t, "Table of Contents") {
				out[cur].body += t + "\n"
			}
		}
	}
	kept := out[:0]
	for _, e := range out {
		if strings.HasSuffix(e.heading, "?") && len(e.body) > 40 {
			kept = append(kept, e)
		}
	}
	if len(kept) == 0 {
		return nil, fmt.Errorf("no questions found in %s: is the package debian-faq installed?", dir)
	}
	return kept, nil
}

// snapshotOf indexes the entries' bodies alone, without their headings.
func snapshotOf(entries []entry, emb embed.Embedder) (*index.Snapshot, error) {
	b := index.NewBuilder(index.Public)
	texts := make([]string, len(entries))
	for i, e := range entries {
		b.Add(index.Entry{Document: e.id, Version: e.id, Address: e.id}, index.Texts{index.Body: e.body})
		texts[i] = e.body
	}
	vs, err := emb.Embed(texts)
	if err != nil {
		return nil, err
	}
	return &index.Snapshot{Name: "faq", Parts: []index.Part{{Segment: b.Build(), Vectors: vs}}}, nil
}
