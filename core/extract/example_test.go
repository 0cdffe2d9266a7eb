package extract_test

import (
	"fmt"

	"jolvex/core/extract"
)

// Extract makes one form of document of every format; tables keep their column names.
func ExampleExtract() {
	d, err := extract.Extract(extract.Input{Address: "fares.md", Body: []byte("# Fares\n\n| Passenger | Single |\n|---|---|\n| Adult | £8.20 |\n")})
	if err != nil {
		fmt.Println(err)
		return
	}
	fmt.Println(d.Title)
	grid := d.Blocks[1].Grid
	fmt.Println(grid.Header, grid.Rows[0].Cells[1].Text)
	// Output:
	// Fares
	// [Passenger Single] £8.20
}
