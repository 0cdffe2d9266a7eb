package chunk_test

import (
	"fmt"

	"jolvex/core/chunk"
	"jolvex/core/extract"
)

// A document is prepared once and cut as often as settings change.
func ExamplePrepare() {
	d, err := extract.Extract(extract.Input{Address: "dogs.md", Body: []byte("# Animals\n\n## Dogs\n\nDogs must be on a lead.\n\n## Cats\n\nCats stay in a basket.\n")})
	if err != nil {
		fmt.Println(err)
		return
	}
	p, err := chunk.Prepare(d, nil)
	if err != nil {
		fmt.Println(err)
		return
	}
	chunks, err := p.Cut(chunk.Settings{Strategy: chunk.Structure, Size: 20, Least: 1})
	if err != nil {
		fmt.Println(err)
		return
	}
	for _, c := range chunks {
		fmt.Println(c.Path, c.Tokens > 0)
	}
	// Output:
	// [Dogs] true
	// [Cats] true
}
