package text_test

import (
	"fmt"

	"jolvex/core/text"
)

// Quantities finds figures whatever way they are written, with their place and a value that can be compared.
func ExampleQuantities() {
	for _, q := range text.Quantities("It costs £12.50 and leaves at half past nine.") {
		fmt.Println(q.Kind, q.Value)
	}
	// Output:
	// price GBP 12.5
	// time 09:30
}
