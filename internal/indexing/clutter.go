package indexing

import (
	"strings"

	"jolvex/internal/gather"
	"jolvex/internal/store"
)

// ClutterOf is what a page is marked with: by its address, its text, and why it was left out.
func ClutterOf(d store.Document) []string {
	out := MarksOf(d.Clutter)
	if d.Clutter == "" && d.State == store.Waiting {
		out = append(out, gather.Clutter(d.Address)...)
	}
	if d.State == store.LeftOut && (strings.HasPrefix(d.Reason, SameText) || strings.HasPrefix(d.Reason, "leads to ") || strings.HasPrefix(d.Reason, "says that its canonical")) {
		out = append(out, "duplicate")
	}
	return out
}

// SameText begins the reason of a page whose text another page has.
const SameText = store.SameText
