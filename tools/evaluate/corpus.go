package main

import (
	"bufio"
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"io/fs"
	"os"
	"path"
	"path/filepath"
	"regexp"
	"sort"
	"strings"

	"jolvex/core/doc"
	"jolvex/core/extract"
	"jolvex/core/index"
	"jolvex/core/questions"
	"jolvex/core/text"
	"jolvex/demo"
)

// entry is one question of a FAQ with its answer.
type entry struct {
	id      string
	heading string
	body    doc.Builder
	answer  *doc.Document
}

// collection is a FAQ cut into its entries.
type collection struct {
	name    string
	entries []*entry
	asks    []ask
}

// ask is a question with the entry that answers it.
type ask struct {
	kind string // headings, two-word, reworded
	text string
	want string // id of the entry
}

// Where the Debian packages debian-faq, perl-doc, debian-reference-en and maint-guide put their pages. Numbers are fitted on these alone.
const (
	debianFAQ       = "/usr/share/doc/debian/FAQ"
	perlFAQ         = "/usr/share/perl/*/pod/perlfaq?.pod"
	debianReference = "/usr/share/debian-reference"
	maintGuide      = "/usr/share/doc/maint-guide/html"
)

var sectionNumber = regexp.MustCompile(`^(?:Chapter )?[\dA-Z]{1,2}(?:\.\d+)*\.\s+`)

// fromHTML reads pages through the product's own reader and cuts them into entries: one for each question among the
// headings, with the text up to the next heading. Tables of contents are left out.
func fromHTML(name string, files []string) (*collection, error) {
	c, err := sectionsOf(name, files)
	if err != nil {
		return nil, err
	}
	return c.finish(func(heading string) bool { return strings.HasSuffix(heading, "?") })
}

// fromManual reads the pages of a manual: every section is an entry, and its heading what somebody might type who looks for it.
func fromManual(name, pattern string) (*collection, error) {
	files, err := filepath.Glob(pattern)
	if err != nil {
		return nil, err
	}
	c, err := sectionsOf(name, files)
	if err != nil {
		return nil, err
	}
	seen := map[string]bool{}
	return c.finish(func(heading string) bool {
		again := seen[heading]
		seen[heading] = true
		return !again && len(text.Content(heading)) >= 2
	})
}

// sectionsOf cuts pages into their sections.
func sectionsOf(name string, files []string) (*collection, error) {
	sort.Strings(files)
	c := &collection{name: name}
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
		var cur *entry
		for _, b := range d.Blocks {
			t := d.Of(b.Span)
			if b.Kind == doc.Heading {
				h := strings.TrimSpace(strings.TrimSuffix(sectionNumber.ReplaceAllString(t, ""), "¶"))
				cur = c.add(fmt.Sprintf("%s#%d", filepath.Base(f), b.Span.Start), h)
				continue
			}
			if cur == nil || strings.HasPrefix(t, "Table of Contents") {
				continue
			}
			cur.take(d, b)
		}
	}
	return c, nil
}

// fromPod reads Perl's FAQ, which is written as plain old documentation: a heading line for each question.
func fromPod(name string, files []string) (*collection, error) {
	sort.Strings(files)
	c := &collection{name: name}
	mark := regexp.MustCompile(`[A-Z]<+\s?([^<>]*?)\s?>+`)
	for _, f := range files {
		raw, err := os.ReadFile(f)
		if err != nil {
			return nil, err
		}
		var cur *entry
		for i, p := range strings.Split(string(raw), "\n\n") {
			switch p = strings.Trim(p, "\n"); {
			case strings.HasPrefix(p, "=head"):
				_, h, _ := strings.Cut(p, " ")
				cur = c.add(fmt.Sprintf("%s#%d", filepath.Base(f), i), doc.Fold(mark.ReplaceAllString(h, "$1")))
			case cur == nil || p == "" || p[0] == '=' || strings.HasPrefix(p, "(contributed by"):
			case p[0] == ' ' || p[0] == '\t':
				cur.body.Add(doc.Block{Kind: doc.Code}, p)
			default:
				cur.body.Add(doc.Block{Kind: doc.Paragraph}, mark.ReplaceAllString(p, "$1"))
			}
		}
	}
	return c.finish(func(heading string) bool { return strings.HasSuffix(heading, "?") })
}

func (c *collection) add(id, heading string) *entry {
	e := &entry{id: id, heading: heading}
	c.entries = append(c.entries, e)
	return e
}

// take copies a block of another document.
func (e *entry) take(d *doc.Document, b doc.Block) {
	if b.Grid == nil {
		e.body.Add(doc.Block{Kind: b.Kind, Level: b.Level, Ordinal: b.Ordinal}, d.Of(b.Span))
		return
	}
	rows := make([][]string, len(b.Grid.Rows))
	for i, r := range b.Grid.Rows {
		for _, cell := range r.Cells {
			rows[i] = append(rows[i], cell.Text)
		}
	}
	e.body.AddTable(doc.Place{}, b.Grid.Caption, b.Grid.Header, rows)
}

// finish keeps the entries that ask something and answer it, and makes their headings the first kind of question.
func (c *collection) finish(asks func(heading string) bool) (*collection, error) {
	kept := c.entries[:0]
	for _, e := range c.entries {
		if e.answer = e.body.Document(); asks(e.heading) && len(e.answer.Text) > 40 {
			e.answer.Title = ""
			kept = append(kept, e)
			c.asks = append(c.asks, ask{"headings", e.heading, e.id})
		}
	}
	c.entries = kept
	if len(kept) == 0 {
		return nil, fmt.Errorf("%s: no questions found: is its Debian package installed?", c.name)
	}
	return c, nil
}

// Version implements find.Texts: an entry's answer goes by the entry's id.
func (c *collection) Version(ctx context.Context, id string) (*doc.Document, error) {
	for _, e := range c.entries {
		if e.id == id {
			return e.answer, nil
		}
	}
	return nil, fmt.Errorf("no entry %s", id)
}

// expected is one line of a file of expected questions; entry is the heading of the entry that answers.
type expected struct {
	questions.Question
	Entry string `json:"entry"`
}

func readExpected(path string) ([]expected, error) {
	f, err := os.Open(path)
	if err != nil {
		return nil, err
	}
	defer f.Close()
	var out []expected
	sc := bufio.NewScanner(f)
	for n := 1; sc.Scan(); n++ {
		var q expected
		if err := json.Unmarshal(sc.Bytes(), &q); err != nil {
			return nil, fmt.Errorf("line %d of %s: %w", n, path, err)
		}
		if err := q.Check(); err != nil {
			return nil, fmt.Errorf("line %d of %s: %w", n, path, err)
		}
		out = append(out, q)
	}
	return out, sc.Err()
}

// addExpected turns the questions that name their entry into asks.
func (c *collection) addExpected(qs []expected) error {
	by := map[string]string{}
	for _, e := range c.entries {
		by[e.heading] = e.id
	}
	for _, q := range qs {
		if q.Entry == "" {
			continue
		}
		id, ok := by[q.Entry]
		if !ok {
			return fmt.Errorf("question %s: no entry has the heading %q", q.ID, q.Entry)
		}
		c.asks = append(c.asks, ask{q.Tags[0], q.Text, id})
	}
	return nil
}

// snapshot indexes the entries' answers alone, without their headings.
func (c *collection) snapshot() *index.Segment {
	b := index.NewBuilder(index.Public)
	for _, e := range c.entries {
		b.Add(index.Entry{Document: e.id, Version: e.id, Address: e.id, Span: doc.Span{End: len(e.answer.Text)}}, index.Texts{index.Body: e.answer.Text})
	}
	return b.Build()
}

// stopless drops stop words, as FTS5 has none of its own.
func stopless(s string) []string {
	var out []string
	for _, w := range text.Content(s) {
		out = append(out, w.Norm)
	}
	return out
}

// fromDemo makes a collection of the demo site's pages, whole and with their titles, and of the questions of its set that name a
// page and stand alone; of several pages that would do, the first that is named counts.
func fromDemo() (*collection, error) {
	c := &collection{name: "Tolmouth Ferries"}
	by := map[string]bool{}
	err := fs.WalkDir(demo.Pages(), ".", func(at string, e fs.DirEntry, err error) error {
		kind := map[string]string{".md": "text/markdown", ".html": "text/html"}[path.Ext(at)]
		if err != nil || kind == "" {
			return err
		}
		body, err := fs.ReadFile(demo.Pages(), at)
		if err != nil {
			return err
		}
		d, err := extract.Extract(extract.Input{Address: "demo:" + at, MediaType: kind, Body: body})
		if err != nil {
			return nil // a page that says nothing is one of the demo's faults
		}
		id := "/" + strings.TrimSuffix(strings.TrimSuffix(at, path.Ext(at)), "/index")
		by[id] = true
		c.entries = append(c.entries, &entry{id: id, heading: d.Title, answer: d})
		return nil
	})
	if err != nil {
		return nil, err
	}
	qs, err := questions.ReadQuestions(bytes.NewReader(demo.Questions()))
	if err != nil {
		return nil, err
	}
	for _, q := range qs {
		for _, e := range q.Expect {
			if e.Kind == questions.Cites && len(q.Turns) == 0 && by[e.Values[0]] {
				c.asks = append(c.asks, ask{"demo", q.Text, e.Values[0]})
			}
		}
	}
	return c, nil
}
