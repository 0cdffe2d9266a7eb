package answer

import (
	"regexp"

	"jolvex/core/text"
)

// extremes are the ways to ask for the most or least of something, the kinds of figure that decide, and whether the most is
// meant. (Common practice, no published source.)
var extremes = []struct {
	re    *regexp.Regexp
	kinds []text.QuantityKind
	most  bool
}{
	{en.Pattern("most-cheap"), []text.QuantityKind{text.Money}, false},
	{en.Pattern("most-dear"), []text.QuantityKind{text.Money}, true},
	{en.Pattern("most-early"), []text.QuantityKind{text.Clock}, false},
	{en.Pattern("most-late"), []text.QuantityKind{text.Clock}, true},
	{en.Pattern("most-short"), []text.QuantityKind{text.Duration}, false},
	{en.Pattern("most-long"), []text.QuantityKind{text.Duration}, true},
	{en.Pattern("most-large"), []text.QuantityKind{text.Measure, text.Number}, true},
	{en.Pattern("most-small"), []text.QuantityKind{text.Measure, text.Number}, false},
}

// amountIn is the first figure of a kind in a cell as a number that can be compared, with its unit.
func amountIn(cell string, kind text.QuantityKind) (v float64, unit string, ok bool) {
	for _, q := range text.Quantities(cell) {
		if q.Kind == kind {
			return q.Amount()
		}
	}
	return 0, "", false
}
