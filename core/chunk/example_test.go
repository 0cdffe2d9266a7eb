package chunk_test

import (
	"fmt"

	"jolvex/core/chunk"
	"jolvex/core/doc"
)

// A document is prepared once and cut as often as settings change.
func ExamplePrepare() {
	var b doc.Builder
	for _, x := range []struct{ heading, text string }{{"Dogs", "Dogs must be on a lead."}, {"Cats", "Cats stay in a basket."}} {
		b.Add(doc.Block{Kind: doc.Heading, Level: 2}, x.heading)
		b.Add(doc.Block{Kind: doc.Paragraph}, x.text)
	}
	p, err := chunk.Prepare(b.Document(), nil)
	if err != nil {
		fmt.Println(err)
		return
	}
	chunks, err := p.Cut(chunk.Settings{Strategy: chunk.Structure, Size: 20, Least: 1})
	if err != nil {
		fmt.Println(err)
		return
	}
	fmt.Println(len(chunks), "chunks; the first stands at", chunks[0].Span.Start)
	// Output: 2 chunks; the first stands at 0
}
