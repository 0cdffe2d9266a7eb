// Package chunk cuts a document into the runs that are indexed and retrieved as one.
package chunk

import (
	"fmt"
	"strings"
	"sync"
	"unicode/utf8"

	"github.com/tiktoken-go/tokenizer"

	"jolvex/core/doc"
)

// Version names the algorithm; it is part of the chunk stage's hash.
const Version = "chunk-1"

// The strategies.
const (
	Fixed     = "fixed"     // windows of a fixed number of tokens, with overlap
	Structure = "structure" // sections by heading, tables and lists kept whole where they fit
)

// Settings of the chunk stage.
type Settings struct {
	Strategy string `json:"strategy" default:"structure" choices:"structure,fixed" label:"Strategy" help:"By structure keeps sections, lists and tables whole and carries the heading path along; fixed cuts every so many tokens."`
	Size     int    `json:"size" default:"320" min:"32" max:"2000" unit:"tokens" label:"Size" help:"The most tokens a chunk may hold. Small chunks are precise, large ones carry more context."`
	Overlap  int    `json:"overlap" default:"40" min:"0" max:"500" unit:"tokens" label:"Overlap" help:"How many tokens of the end of one chunk are repeated at the start of the next, so that no passage is lost in a cut."`
	Least    int    `json:"least" default:"24" min:"0" max:"400" unit:"tokens" label:"Least size" help:"A section with fewer tokens joins its neighbour. By structure only."`
}

// Chunk is a run of one document. Span is contiguous in the document's text.
type Chunk struct {
	Ordinal int      `json:"ordinal"` // from 0, in order of place
	Span    doc.Span `json:"span"`
	Overlap doc.Span `json:"overlap,omitzero"` // the part at the start that the chunk before also holds
	Tokens  int      `json:"tokens"`
	Path    []string `json:"path,omitempty"`    // heading path that governs it, its own heading included
	Carried string   `json:"carried,omitempty"` // indexed with it but standing elsewhere: caption and header of a table cut in two
}

// Tokens are the byte offsets at which the tokens of a text start.
type Tokens []uint32

var (
	codecOnce sync.Once
	codec     tokenizer.Codec
	codecErr  error
)

// Tokenise finds the tokens of s in the cl100k vocabulary (byte-pair encoding; the counts are those that most
// model services charge by). Offsets are in bytes.
func Tokenise(s string) (Tokens, error) {
	codecOnce.Do(func() { codec, codecErr = tokenizer.Get(tokenizer.Cl100kBase) })
	if codecErr != nil {
		return nil, fmt.Errorf("load the token vocabulary: %w", codecErr)
	}
	if !utf8.ValidString(s) {
		s = strings.ToValidUTF8(s, "?")
	}
	_, parts, err := codec.Encode(s)
	if err != nil {
		return nil, fmt.Errorf("tokenise %d bytes: %w", len(s), err)
	}
	out := make(Tokens, len(parts))
	at := 0
	for i, p := range parts {
		out[i] = uint32(at)
		at += len(p)
	}
	return out, nil
}

// Count is the number of tokens that start in span.
func (t Tokens) Count(s doc.Span) int { return t.index(s.End) - t.index(s.Start) }

// index is the number of tokens that start before byte offset at.
func (t Tokens) index(at int) int {
	lo, hi := 0, len(t)
	for lo < hi {
		m := (lo + hi) / 2
		if int(t[m]) < at {
			lo = m + 1
		} else {
			hi = m
		}
	}
	return lo
}

// Cut divides d into chunks. tokens must come from Tokenise(d.Text). The chunks cover every block of d; with no
// overlap set, no byte stands in two of them.
func Cut(d *doc.Document, tokens Tokens, s Settings) []Chunk {
	if len(d.Blocks) == 0 || len(tokens) == 0 {
		return nil
	}
	var out []Chunk
	if s.Strategy == Fixed {
		out = cutFixed(d, tokens, s)
	} else {
		out = cutStructure(d, tokens, s)
	}
	for i := range out {
		c := &out[i]
		c.Ordinal = i
		c.Tokens = tokens.Count(c.Span)
		c.Path = pathOf(d, c.Span)
	}
	return out
}

// pathOf is the heading path that governs a span: the path of its first block, with that block when it is a heading,
// and directly following headings when the span opens with several.
func pathOf(d *doc.Document, s doc.Span) []string {
	i := max(0, d.BlockAt(s.Start))
	if d.Blocks[i].Span.End <= s.Start && i+1 < len(d.Blocks) {
		i++
	}
	for i+1 < len(d.Blocks) && d.Blocks[i].Kind == doc.Heading && d.Blocks[i+1].Kind == doc.Heading && d.Blocks[i+1].Span.End <= s.End && d.Blocks[i+1].Level > d.Blocks[i].Level {
		i++
	}
	path := d.Path(i)
	if b := d.Blocks[i]; b.Kind == doc.Heading {
		if h := d.Of(b.Span); len(path) > 0 || !strings.EqualFold(h, d.Title) {
			path = append(path, h)
		}
	}
	return path
}

func cutFixed(d *doc.Document, t Tokens, s Settings) []Chunk {
	size := max(1, s.Size)
	step := max(1, size-s.Overlap)
	var out []Chunk
	for from := 0; from < len(t); from += step {
		to := min(from+size, len(t))
		span := doc.Span{Start: runeStart(d.Text, int(t[from])), End: len(d.Text)}
		if to < len(t) {
			span.End = runeStart(d.Text, int(t[to]))
		}
		span = trim(d.Text, span)
		if span.Len() > 0 {
			c := Chunk{Span: span}
			if n := len(out); n > 0 && out[n-1].Span.End > span.Start {
				c.Overlap = doc.Span{Start: span.Start, End: out[n-1].Span.End}
			}
			out = append(out, c)
		}
		if to == len(t) {
			break
		}
	}
	return out
}

// runeStart moves at back to the start of the character it stands in: a token may hold a part of one.
func runeStart(s string, at int) int {
	for at > 0 && at < len(s) && !utf8.RuneStart(s[at]) {
		at--
	}
	return at
}

func trim(text string, s doc.Span) doc.Span {
	for s.Start < s.End && (text[s.Start] == ' ' || text[s.Start] == '\n') {
		s.Start++
	}
	for s.End > s.Start && (text[s.End-1] == ' ' || text[s.End-1] == '\n') {
		s.End--
	}
	return s
}
