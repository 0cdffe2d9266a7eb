package diagnose

import (
	"context"
	"fmt"
	"net/url"
	"slices"
	"strings"

	"jolvex/core/answer"
	"jolvex/core/doc"
	"jolvex/core/find"
	"jolvex/core/prove"
	"jolvex/core/questions"
	"jolvex/core/text"
)

// Member is a document of a corpus, as a diagnosis looks at it.
type Member struct {
	Known
	Version string // its text; "" for none
}

// Corpus is what a corpus holds, gathered once for many diagnoses. It is not safe for use by several at once.
type Corpus struct {
	Members []Member
	Texts   find.Texts
	Chunks  map[string][]doc.Span // document -> what its chunks bring
	// Earlier lists the versions that a document had before, the newest first.
	Earlier func(ctx context.Context, document string) ([]string, error)

	flat map[string]string // version -> words of the text, with one space around each
}

// Named finds documents by address or title.
func (c *Corpus) Named(names []string) ([]Known, error) {
	var out []Known
	for _, d := range c.Members {
		if (questions.Document{Address: d.Address, Title: d.Title}).Is(names) {
			out = append(out, d.Known)
		}
	}
	return out, nil
}

// Where is the address of a page that is named by its address, or by its path on the one host that the corpus visits.
func (c *Corpus) Where(name string) string {
	if strings.HasPrefix(name, "http://") || strings.HasPrefix(name, "https://") {
		return name
	}
	if !strings.HasPrefix(name, "/") {
		return ""
	}
	hosts := map[string]bool{}
	for _, d := range c.Members {
		if u, err := url.Parse(d.Address); err == nil && strings.HasPrefix(u.Scheme, "http") {
			hosts[u.Scheme+"://"+u.Host] = true
		}
	}
	if len(hosts) != 1 {
		return ""
	}
	for h := range hosts {
		return h + name
	}
	return ""
}

// Limits of a search for what was expected: places of one document, places in all, and documents that are read for figures.
const (
	mostPlaces   = 6
	mostHeld     = 60
	mostVersions = 5
)

// Holding finds what an expectation of a question wants, for the reply that was seen: in the documents that the question names and in those that were found, wherever the
// figure stands; words in all documents of the corpus. Earlier versions are looked at in the documents that are named.
func (c *Corpus) Holding(ctx context.Context, q questions.Question, seen prove.Seen, e questions.Expectation) ([]Held, error) {
	var names []string
	for _, x := range q.Expect {
		switch x.Kind {
		case questions.Cites:
			names = append(names, x.Values...)
		case questions.Reaches:
			names = append(names, x.Document)
		}
	}
	near := map[string]bool{}
	for _, x := range seen.Trail.Candidates {
		near[x.Document] = true
	}
	var out []Held
	for _, d := range c.Members {
		if d.Version == "" || len(out) >= mostHeld {
			continue
		}
		named := len(names) > 0 && (questions.Document{Address: d.Address, Title: d.Title}).Is(names)
		if !named && !near[d.Document] {
			may, err := c.may(ctx, d.Version, e)
			if err != nil {
				return nil, err
			}
			if !may {
				continue
			}
		}
		here, err := c.places(ctx, d, d.Version, e)
		if err != nil {
			return nil, err
		}
		if len(here) == 0 && named {
			if here, err = c.past(ctx, d, e); err != nil {
				return nil, err
			}
		}
		out = append(out, here...)
	}
	return out, nil
}

// may reports whether a version's text holds a wording at all.
func (c *Corpus) may(ctx context.Context, version string, e questions.Expectation) (bool, error) {
	flat, ok := c.flat[version]
	if !ok {
		body, err := c.Texts.Version(ctx, version)
		if err != nil {
			return false, fmt.Errorf("look for what was expected: %w", err)
		}
		if c.flat == nil {
			c.flat = map[string]string{}
		}
		flat = text.Flat(body.Text)
		c.flat[version] = flat
	}
	return slices.ContainsFunc(e.Values, func(v string) bool { return strings.Contains(flat, text.Flat(v)) }), nil
}

// places are those of a version of a document that hold what is wanted.
func (c *Corpus) places(ctx context.Context, d Member, version string, e questions.Expectation) ([]Held, error) {
	body, err := c.Texts.Version(ctx, version)
	if err != nil {
		return nil, fmt.Errorf("look for what was expected: %w", err)
	}
	var out []Held
	for _, s := range e.Places(body, mostPlaces) {
		h := Held{Known: d.Known, Version: version, Span: s, Text: doc.Fold(body.Of(s)), Heading: strings.Join(append([]string{body.Title}, body.PathAt(s)...), " ")}
		if i := body.BlockAt(s.Start); i >= 0 && body.Blocks[i].Grid != nil {
			h.Row = answer.Worded(body.Blocks[i].Grid, s)
		}
		h.Cut = h.Trouble == "" && !slices.ContainsFunc(c.Chunks[d.Document], func(x doc.Span) bool { return x.Contains(s) })
		out = append(out, h)
	}
	return out, nil
}

// past are the places of the latest earlier version that holds it.
func (c *Corpus) past(ctx context.Context, d Member, e questions.Expectation) ([]Held, error) {
	old, err := c.Earlier(ctx, d.Document)
	if err != nil {
		return nil, fmt.Errorf("look into the past of %s: %w", d.Address, err)
	}
	for _, version := range old[:min(len(old), mostVersions)] {
		if version == d.Version {
			continue
		}
		held, err := c.places(ctx, d, version, e)
		if err != nil {
			return nil, err
		}
		for i := range held {
			held[i].Past, held[i].Cut = true, false
		}
		if len(held) > 0 {
			return held, nil
		}
	}
	return nil, nil
}
