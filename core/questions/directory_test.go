package questions

import (
	"testing"

	"github.com/stretchr/testify/assert"
)

// The directory finds what Document.Is says of each document.
func TestADirectoryFindsWhatANameMeans(t *testing.T) {
	ds := []Document{
		{Address: "http://x/fares", Title: "Fares"},
		{Address: "http://x/fares/old/", Title: "Old fares"},
		{Address: "http://y/travel/fares", Title: "Fares"},
		{Address: "guide.pdf", Title: "Guide"},
		{Address: "http://x/a?b=/fares", Title: ""},
	}
	d := NewDirectory()
	for _, x := range ds {
		d.Add(x.Address, x.Address, x.Title)
	}
	for _, name := range []string{"/fares", "/fares/", "fares", "FARES", "old fares", "/fares/old", "http://x/fares", "travel/fares", "guide.pdf", "pdf", "/", "", "x/fares", "b=/fares"} {
		var want []string
		for _, x := range ds {
			if x.Is([]string{name}) {
				want = append(want, x.Address)
			}
		}
		assert.ElementsMatch(t, want, d.Means(name), name)
	}
	q := Question{Expect: []Expectation{{Kind: Cites, Values: []string{"/fares", "nowhere"}}, {Kind: Reaches, Values: []string{"w"}, Document: "guide.pdf"}, {Kind: Mentions, Values: []string{"/fares/old"}}}}
	assert.Equal(t, []string{"http://x/fares", "nowhere", "guide.pdf"}, d.Relevant(q))
}
