package doc_test

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"jolvex/core/doc"
)

func version(paragraphs ...string) *doc.Document {
	var b doc.Builder
	for _, p := range paragraphs {
		if p == "table" {
			b.AddTable(doc.Place{}, "", []string{"Passenger", "Single"}, [][]string{{"Adult", "£8.20"}, {"Child", "£4.10"}})
			continue
		}
		kind := doc.Paragraph
		if p[0] == '#' {
			kind = doc.Heading
		}
		b.Add(doc.Block{Kind: kind, Level: 1}, p)
	}
	return b.Document()
}

// Whatever two versions are, what is the same, removed and changed makes up the first, and what is the same, added and
// changed the second.
func TestCompareAccountsForBothVersions(t *testing.T) {
	a := version("# Fares", "The boat to Sandrel costs £8.20 for adults.", "table", "Dogs are welcome on deck.")
	b := version("# Fares", "The boat to Sandrel costs £8.40 for adults.", "table", "Cabins can be booked.", "Dogs are welcome on deck.")
	got := doc.Compare(a, b)
	assert.Equal(t, []doc.Change{
		{Op: doc.Same, Count: 1},
		{
			Op: doc.Changed, Kind: doc.Paragraph, Before: "The boat to Sandrel costs £8.20 for adults.", After: "The boat to Sandrel costs £8.40 for adults.", Under: "# Fares",
			Parts: []doc.Part{{Op: doc.Same, Text: "The boat to Sandrel costs"}, {Op: doc.Removed, Text: "£8.20"}, {Op: doc.Added, Text: "£8.40"}, {Op: doc.Same, Text: "for adults."}},
		},
		{Op: doc.Same, Count: 3},
		{Op: doc.Added, Kind: doc.Paragraph, After: "Cabins can be booked.", Under: "# Fares"},
		{Op: doc.Same, Count: 1},
	}, got)
	assert.Equal(t, []doc.Change{{Op: doc.Same, Count: 6}}, doc.Compare(a, a))
	back := doc.Compare(b, a)
	assert.Equal(t, doc.Removed, back[3].Op)
	assert.Equal(t, []doc.Change{}, doc.Compare(version(), version()))
	gone := doc.Compare(version("One two three."), version("Quite another thing altogether."))
	assert.Equal(t, []doc.Op{doc.Removed, doc.Added}, []doc.Op{gone[0].Op, gone[1].Op})
}
