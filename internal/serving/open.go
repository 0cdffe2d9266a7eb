package serving

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"

	"jolvex/core/embed"
	"jolvex/core/index"
	"jolvex/internal/fault"
)

// Listed is a document of a release.
type Listed struct {
	ID       string `json:"id"`
	Title    string `json:"title"`
	Link     string `json:"link"` // empty where there is no address that everybody could open
	Kind     string `json:"kind"`
	Language string `json:"language,omitempty"`
}

// Opened is a document of a release, or a part of one.
type Opened struct {
	Listed
	Text string `json:"text"`
	From int    `json:"from"` // where the text begins and ends in the document, in bytes of UTF-8
	To   int    `json:"to"`
	Size int    `json:"size"` // of the whole
}

// public are the parts of a release that everybody may be answered from.
func (sv Library) public(ctx context.Context, a Admitted) ([]index.Part, error) {
	f, err := sv.released(ctx, a.Corpus)
	if errors.Is(err, fault.ErrMissing) {
		return nil, ErrNoLive
	}
	if err != nil {
		return nil, err
	}
	snap, err := sv.withheld(ctx, a.Corpus.ID, f)
	if err != nil {
		return nil, err
	}
	return slices.DeleteFunc(slices.Clone(snap.Parts), func(p index.Part) bool { return p.Segment.Audience != index.Public }), nil
}

// Documents lists the documents that a program's release answers everybody from, by title: those of which a word stands in title or address, from a place
// on, at most so many. It gives how many there are, too.
func (sv Library) Documents(ctx context.Context, a Admitted, holding string, from, most int) ([]Listed, int, error) {
	parts, err := sv.public(ctx, a)
	if err != nil {
		return nil, 0, err
	}
	holding = strings.ToLower(strings.TrimSpace(holding))
	all, seen := []Listed{}, map[string]bool{}
	for _, p := range parts {
		for i := range p.Segment.Entries {
			e := &p.Segment.Entries[i]
			if p.Dead.Has(i) || seen[e.Document] || holding != "" && !strings.Contains(strings.ToLower(e.Title+" "+e.Address), holding) {
				continue
			}
			seen[e.Document] = true
			all = append(all, listed(e))
		}
	}
	slices.SortFunc(all, func(x, y Listed) int { return strings.Compare(x.Title+"\x00"+x.ID, y.Title+"\x00"+y.ID) })
	from = min(max(from, 0), len(all))
	return all[from:min(from+most, len(all))], len(all), nil
}

func listed(e *index.Entry) Listed {
	l := Listed{ID: e.Document, Title: e.Title, Kind: e.Kind, Language: e.Language}
	if strings.HasPrefix(e.Address, "http://") || strings.HasPrefix(e.Address, "https://") {
		l.Link = e.Address
	}
	return l
}

// mostOpened is how much of a document is opened at a time, in bytes.
const mostOpened = 60_000

// Open opens a document of a program's release from one byte to another; the whole where to is 0, as much of it as is opened at a time.
func (sv Library) Open(ctx context.Context, a Admitted, document string, from, to int) (Opened, error) {
	parts, err := sv.public(ctx, a)
	if err != nil {
		return Opened{}, err
	}
	for _, p := range parts {
		for i := range p.Segment.Entries {
			e := &p.Segment.Entries[i]
			if e.Document != document || p.Dead.Has(i) {
				continue
			}
			body, err := sv.index.Version(ctx, e.Version)
			if err != nil {
				return Opened{}, err
			}
			text := body.Text
			if to <= 0 || to > len(text) {
				to = len(text)
			}
			from = min(max(from, 0), to)
			to = min(to, from+mostOpened)
			return Opened{Listed: listed(e), Text: strings.ToValidUTF8(text[from:to], ""), From: from, To: to, Size: len(text)}, nil
		}
	}
	return Opened{}, fmt.Errorf("document %q: %w", document, fault.ErrMissing)
}

// Bounds on what a program has embedded in one request.
const (
	mostTexts    = 256
	mostEmbedded = 32_000 // bytes of a text
)

// Embedder is what the meaning of texts is told with for a program: what a release of the corpus is searched with, where that is built in.
func (sv Library) Embedder(ctx context.Context, a Admitted) (embed.Embedder, error) {
	f, err := sv.released(ctx, a.Corpus)
	if errors.Is(err, fault.ErrMissing) {
		return sv.index.Encoder(), nil
	}
	if err != nil {
		return nil, err
	}
	if by := embed.BuiltIn(f.snapshot.Embedder); by != nil && by.ID() == f.snapshot.Embedder {
		return by, nil
	}
	return sv.index.Encoder(), nil
}

// Embed gives the vectors of texts, [len(texts)].
func (sv Library) Embed(ctx context.Context, by embed.Embedder, texts []string) ([]embed.Vector, error) {
	if len(texts) == 0 || len(texts) > mostTexts {
		return nil, fault.Input("between 1 and %d texts at a time", mostTexts)
	}
	for _, t := range texts {
		if t == "" || len(t) > mostEmbedded {
			return nil, fault.Input("a text has between 1 and %d bytes", mostEmbedded)
		}
	}
	return by.Embed(ctx, texts)
}
