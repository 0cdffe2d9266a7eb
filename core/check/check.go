package check

import (
	"fmt"
	"slices"
	"sort"
	"strings"
	"time"

	"jolvex/core/doc"
	"jolvex/core/text"
)

// Kind is what a finding is about.
type Kind string

// The kinds of finding.
const (
	NearDuplicate Kind = "near-duplicate" // two documents say nearly the same
	Contradiction Kind = "contradiction"  // two documents give different figures for the same thing
	OutOfDate     Kind = "out of date"    // a time that has passed
	Instruction   Kind = "instruction"    // speaks to an assistant
	PersonalData  Kind = "personal data"  // mail, telephone, card number of a person
	NearEmpty     Kind = "near-empty"     // next to no text
	Boilerplate   Kind = "boilerplate"    // most of the text stands on other pages too
)

// Kinds lists all kinds, the gravest first.
var Kinds = []Kind{Instruction, Contradiction, PersonalData, OutOfDate, NearDuplicate, Boilerplate, NearEmpty}

// Severity is how much a finding hurts answers.
type Severity int

// The severities.
const (
	Low Severity = iota + 1
	Medium
	High
)

// Passage is a place in a document.
type Passage struct {
	Document string   `json:"document"` // portable id
	Span     doc.Span `json:"span"`     // empty for the whole document, or for what the page hides
	Text     string   `json:"text"`
}

// Finding is something that will hurt answers.
type Finding struct {
	Kind     Kind     `json:"kind"`
	Severity Severity `json:"severity"`
	At       Passage  `json:"at"`
	Other    *Passage `json:"other,omitempty"` // what it is compared with
	Detail   string   `json:"detail"`          // in words
}

// Input is one document to check.
type Input struct {
	ID      string // portable
	Address string
	Source  string // what is repeated on the pages of one source is its boilerplate
	Changed string // date or moment of RFC 3339 at which it was last changed, "" when not known
	Brief   bool   // it may be short, as an answer to one question is
	Doc     *doc.Document
}

// Look is what one document by itself shows, and what is needed of it to compare it with others: signatures and figures, not
// its text. It may be kept for as long as the document's version and the day are the same.
type Look struct {
	id, source string
	now        time.Time
	findings   []Finding
	print      fingerprint
	statements []statement
	stems      []string // that its statements use, or that stand above them
	blocks     blockList
}

// At looks at one document as of a moment.
func At(in Input, now time.Time) *Look {
	l := &Look{id: in.ID, source: in.Source, now: now}
	d := in.Doc
	words := len(text.Words(d.Text))
	cues := len(d.Blocks) > 0 && d.Blocks[0].Kind == doc.Cue
	if words < fewWords && !cues && !in.Brief {
		l.find(Finding{Kind: NearEmpty, Severity: Low, At: Passage{Document: in.ID, Text: clip(d.Text)}, Detail: fmt.Sprintf("%d words: hardly anything can be answered from it", words)})
	}
	list := sentences(d)
	l.instructions(in, list)
	l.personal(in, list)
	l.dates(in, list)
	l.print = newFingerprint(in.ID, d, words)
	l.state(in, list)
	l.blocks = blocksOf(in)
	return l
}

// fewWords is the number of words below which a document is near-empty. (Common practice, no published source.)
const fewWords = 20

func (l *Look) find(f Finding) { l.findings = append(l.findings, f) }

// Join gives all findings of a set of documents, the gravest first: those of each, and those of what they are to each
// other. The order of the looks does not matter.
func Join(looks []*Look) []Finding {
	looks = slices.Clone(looks)
	sort.Slice(looks, func(i, j int) bool { return looks[i].id < looks[j].id })
	var out []Finding
	for _, l := range looks {
		out = append(out, l.findings...)
	}
	out = append(out, nearDuplicates(looks)...)
	out = append(out, contradictions(looks)...)
	out = append(out, boilerplate(looks)...)
	sort.SliceStable(out, func(i, j int) bool {
		a, b := out[i], out[j]
		switch {
		case a.Severity != b.Severity:
			return a.Severity > b.Severity
		case a.Kind != b.Kind:
			return a.Kind < b.Kind
		case a.At.Document != b.At.Document:
			return a.At.Document < b.At.Document
		case a.At.Span.Start != b.At.Span.Start:
			return a.At.Span.Start < b.At.Span.Start
		}
		return a.Detail < b.Detail
	})
	return out
}

// longestPassage is how much of a passage a finding shows, in bytes.
const longestPassage = 400

func clip(s string) string {
	s = doc.Fold(s)
	if len(s) <= longestPassage {
		return s
	}
	return strings.ToValidUTF8(s[:longestPassage], "") + " …"
}

// sentence is one sentence of running text, or one row of a table.
type sentence struct {
	span    doc.Span
	text    string
	block   int
	figures []text.Quantity
}

// sentences lists the sentences of a document's text with their figures, headings and code left out.
func sentences(d *doc.Document) []sentence {
	var out []sentence
	add := func(s doc.Span, block int) {
		t := d.Of(s)
		x := sentence{span: s, text: t, block: block}
		if strings.ContainsAny(t, "0123456789@") || len(t) < 400 && smallNumber.MatchString(t) {
			x.figures = text.Quantities(t)
		}
		out = append(out, x)
	}
	for i, b := range d.Blocks {
		switch {
		case b.Grid != nil:
			for _, r := range b.Grid.Rows {
				add(r.Span, i)
			}
		case b.Kind != doc.Heading && b.Kind != doc.Code:
			for _, p := range text.Sentences(d.Of(b.Span)) {
				add(doc.Span{Start: b.Span.Start + p.Start, End: b.Span.Start + p.End}, i)
			}
		}
	}
	return out
}

// smallNumber finds figures that are written as words.
var smallNumber = en.Pattern("small-number")
