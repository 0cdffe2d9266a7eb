package index

import (
	"fmt"
	"slices"
	"strings"
	"time"
)

// Filter narrows what may be found. Zero fields narrow nothing.
type Filter struct {
	Sources   []string `json:"sources,omitempty" nullable:"false" doc:"Portable ids of the sources that may be found"`
	Documents []string `json:"documents,omitempty" nullable:"false" doc:"Ids of the documents that may be found"`
	Kinds     []string `json:"kinds,omitempty" nullable:"false" doc:"page, file, film, text, pairs"`
	Languages []string `json:"languages,omitempty" nullable:"false" doc:"Language codes; a document whose language is not known passes"`
	Since     string   `json:"since,omitempty" doc:"The earliest date of last change, as 2006-01-02; a document without a date passes"`
	Until     string   `json:"until,omitempty" doc:"The latest date of last change"`
}

// Check reports, in words, what of the filter cannot be read.
func (f Filter) Check() error {
	for name, s := range map[string]string{"since": f.Since, "until": f.Until} {
		if s == "" {
			continue
		}
		if _, err := time.Parse(time.DateOnly, s); err != nil {
			return fmt.Errorf("%s: %q is not a date of the form 2026-01-31", name, s)
		}
	}
	return nil
}

// Day is a date as days since 1970; 0 for one that cannot be read.
func Day(date string) int {
	t, err := time.Parse(time.DateOnly, date[:min(len(date), len(time.DateOnly))])
	if err != nil {
		return 0
	}
	return int(t.Unix() / 86400)
}

// Empty reports whether the filter lets everything pass.
func (f Filter) Empty() bool {
	return len(f.Sources)+len(f.Documents)+len(f.Kinds)+len(f.Languages) == 0 && f.Since == "" && f.Until == ""
}

// Bars tells by which field a chunk is held back; "" when it passes.
func (f Filter) Bars(e *Entry) string {
	switch {
	case len(f.Sources) > 0 && !slices.Contains(f.Sources, e.Source):
		return "source"
	case len(f.Documents) > 0 && !slices.Contains(f.Documents, e.Document):
		return "document"
	case len(f.Kinds) > 0 && !slices.Contains(f.Kinds, e.Kind):
		return "kind"
	case len(f.Languages) > 0 && e.Language != "" && !slices.ContainsFunc(f.Languages, func(l string) bool { return sameLanguage(l, e.Language) }):
		return "language"
	case e.Dated > 0 && f.Since != "" && e.Dated < Day(f.Since):
		return "since"
	case e.Dated > 0 && f.Until != "" && e.Dated > Day(f.Until):
		return "until"
	}
	return ""
}

// sameLanguage compares primary subtags (BCP 47): "en" is the language of "en-GB".
func sameLanguage(a, b string) bool {
	a, _, _ = strings.Cut(a, "-")
	b, _, _ = strings.Cut(b, "-")
	return strings.EqualFold(a, b)
}

// Where is the set of chunks that pass a filter; nil when all do.
func (v *View) Where(f Filter) Bits {
	if f.Empty() {
		return nil
	}
	out := make(Bits, v.size/64+1)
	v.Each(func(n int, e *Entry) bool {
		if f.Bars(e) == "" {
			out = out.With(n)
		}
		return true
	})
	return out
}
