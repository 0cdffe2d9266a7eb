// Command reader is a reading process and nothing else: what tests start that are themselves built with the race detector.
package main

import (
	"fmt"
	"os"

	"jolvex/internal/extractor"
)

func main() {
	extractor.RunWorker()
	fmt.Fprintln(os.Stderr, "this program is started by package extractor")
	os.Exit(2)
}
