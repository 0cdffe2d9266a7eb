package answer

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"

	"jolvex/core/doc"
	"jolvex/core/index"
)

// However large the section is that a chunk brings along, not more of it is opened than a reply can make use of.
func TestWhatIsOpenedHasALimit(t *testing.T) {
	e := &index.Entry{Span: doc.Span{Start: 100_000, End: 100_400}, Parent: doc.Span{Start: 0, End: 900_000}}
	assert.Equal(t, doc.Span{Start: 100_000 - mostOpened, End: 100_400 + mostOpened}, opened(e))
	e.Parent = doc.Span{Start: 99_000, End: 101_000}
	assert.Equal(t, e.Parent, opened(e), "a section within reach is opened whole")
	e.Parent = doc.Span{}
	assert.Equal(t, e.Span, opened(e), "a chunk that brings nothing along is opened alone")
}

// The section around what is quoted is taken in as far as its head and its end are within reach.
func TestSectionsWithinReach(t *testing.T) {
	long := strings.Repeat("A sentence of no account. ", 400) // 10 kB
	d := &doc.Document{}
	add := func(kind doc.Kind, s string) doc.Span {
		at := doc.Span{Start: len(d.Text), End: len(d.Text) + len(s)}
		d.Text += s + "\n"
		d.Blocks = append(d.Blocks, doc.Block{Kind: kind, Level: 1, Span: at})
		return at
	}
	head := add(doc.Heading, "Fares")
	first := add(doc.Paragraph, "A dog costs £2.00.")
	second := add(doc.Paragraph, "Guide dogs are free.")
	add(doc.Heading, "Luggage")
	far := add(doc.Paragraph, long)
	assert.Equal(t, doc.Span{Start: head.Start, End: second.End}, sections(d, first))
	last := doc.Span{Start: far.End - 20, End: far.End}
	assert.Equal(t, last, sections(d, last), "a head that is out of reach is left, and so is what stands before the quoted")
}
