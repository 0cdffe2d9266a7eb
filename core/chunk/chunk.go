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
const Version = "chunk-2"

// The strategies.
const (
	Structure = "structure" // sections by heading, tables and lists kept whole where they fit
	Questions = "questions" // as by structure, and a question with its answer is one chunk, never joined to its neighbour
	Subject   = "subject"   // where the words, or what they mean, change (TextTiling, Hearst 1997)
	Sentences = "sentences" // whole sentences packed to a size
	Small     = "small"     // small chunks that bring the section they stand in
	Captions  = "captions"  // windows of time over what is said in a film; anything else by structure
	Fixed     = "fixed"     // windows of a fixed number of tokens
)

// Ways to tell a change of subject.
const (
	ByWords   = "words"
	ByMeaning = "meaning"
)

// Settings of the chunk stage.
type Settings struct {
	Strategy string `json:"strategy" initial:"structure" choices:"structure,questions,subject,sentences,small,captions,fixed" label:"Strategy" help:"How the places to cut at are found."`
	Size     int    `json:"size" initial:"320" min:"32" max:"2000" unit:"tokens" label:"Size" help:"The most tokens a chunk may hold. Small chunks are precise, large ones carry more context."`
	Overlap  int    `json:"overlap" initial:"40" min:"0" max:"500" unit:"tokens" label:"Overlap" help:"How many tokens of the end of one chunk are repeated at the start of the next, so that no passage is lost in a cut." for:"structure,questions,subject,sentences,captions,fixed"`
	Least    int    `json:"least" initial:"24" min:"0" max:"400" unit:"tokens" label:"Minimum size" help:"A section with fewer tokens joins its neighbour." for:"structure,questions,subject,small,captions"`
	Inner    int    `json:"inner" initial:"64" min:"0" max:"500" unit:"tokens" label:"Small size" help:"The most tokens of the small chunks that are searched; 0 makes every sentence one. The section they stand in, up to the size above, is what a reply draws on." for:"small"`
	Told     string `json:"told" initial:"words" choices:"words,meaning" label:"Change told by" help:"Whether a change of subject is told by the words used or by what the sentences mean." for:"subject"`
	Window   int    `json:"window" initial:"45" min:"5" max:"600" unit:"seconds" label:"Window" help:"About how much time of a film or recording one chunk covers; it ends with a sentence." for:"captions"`
}

// Check reports, in words, what the bounds of single settings do not tell.
func (s Settings) Check() []string {
	var out []string
	if s.Strategy != Small && s.Overlap >= s.Size {
		out = append(out, fmt.Sprintf("chunk.overlap: %d tokens of overlap must be fewer than the size of %d", s.Overlap, s.Size))
	}
	if s.Strategy == Small && s.Inner >= s.Size {
		out = append(out, fmt.Sprintf("chunk.inner: the small size of %d tokens must be less than the size of %d", s.Inner, s.Size))
	}
	return out
}

// Chunk is a run of one document. Span is contiguous in the document's text.
type Chunk struct {
	Ordinal int      `json:"ordinal"` // from 0, in order of place
	Span    doc.Span `json:"span"`
	Overlap doc.Span `json:"overlap,omitzero"` // the part at the start that the chunk before also holds
	Parent  doc.Span `json:"parent,omitzero"`  // the section that a small chunk brings with it
	Tokens  int      `json:"tokens"`
	Path    []string `json:"path,omitempty"`    // heading path that governs it, its own heading included
	Carried string   `json:"carried,omitempty"` // indexed with it but standing elsewhere: caption and header of a table cut in two, the question of an answer cut in two
}

// Vectors gives texts directions, [len(texts)][dimensions], by which likeness of meaning is measured; an embedder's
// method does.
type Vectors func(texts []string) ([][]int8, error)

// Prepared is a document made ready to be cut again and again: what does not hang on the settings is found once. It is
// safe for use by several at once.
type Prepared struct {
	Doc     *doc.Document
	Tokens  Tokens
	pieces  []piece // sentences, items, rows, lines: what is not cut further while it fits
	vectors Vectors
	terms   func() []tile
	meaning func() ([]float64, error)
}

// Prepare finds the tokens and the pieces of d. vectors serves the change of subject told by meaning; it may be nil when
// that is never asked for. Cost: linear in the text.
func Prepare(d *doc.Document, vectors Vectors) (*Prepared, error) {
	tokens, err := Tokenise(d.Text)
	if err != nil {
		return nil, err
	}
	p := &Prepared{Doc: d, Tokens: tokens, pieces: piecesOf(d), vectors: vectors}
	p.terms = sync.OnceValue(p.tiles)
	p.meaning = sync.OnceValues(p.likeness)
	return p, nil
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

// Cut divides the document into chunks, in order of place. They cover the text: every character that is not white space
// stands in one; with no overlap set, in one alone. The error is that of the vectors.
func (p *Prepared) Cut(s Settings) ([]Chunk, error) {
	d, t := p.Doc, p.Tokens
	if len(d.Blocks) == 0 || len(t) == 0 {
		return nil, nil
	}
	var out []Chunk
	switch s.Strategy {
	case Fixed:
		out = cutFixed(d, t, s)
	case Sentences:
		out = p.pack(p.units(s.Size, true), s)
	case Subject:
		var err error
		if out, err = p.cutSubject(s); err != nil {
			return nil, err
		}
	case Questions:
		out = p.cutQuestions(s)
	case Captions:
		out = p.cutCaptions(s)
	case Small:
		out = p.cutSmall(s)
	default:
		out = p.cutStructure(s)
	}
	for i := range out {
		c := &out[i]
		c.Ordinal = i
		c.Tokens = t.Count(c.Span)
		c.Path = pathOf(d, c.Span)
	}
	return out, nil
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
