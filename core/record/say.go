package record

import (
	"strconv"
	"strings"

	"jolvex/core/doc"
)

// Sentence is one sentence of a reply, with the record and the cells that it tells.
type Sentence struct {
	Text   string
	Source int
	Span   doc.Span
	Cells  []doc.Span
}

// Say words an answer, one sentence a record.
func (a Answer) Say() []Sentence {
	var out []Sentence
	shared := a.sharedScope()
	for i, s := range a.Said {
		name := s.Record.name(a.Scoped || s.Under || !s.Record.named(), shared)
		var told []string
		var spans []doc.Span
		for _, c := range s.Cells {
			x := &s.Record.Cells[c]
			spans = append(spans, x.Span)
			told = append(told, x.say())
		}
		said := name
		if len(told) > 0 {
			said += " – " + strings.Join(told, "; ")
		}
		switch {
		case a.Verdict != "" && i == 0:
			said = name + " (" + a.Verdict + ") – " + strings.Join(told, "; ")
		case a.None:
			said = "None of the " + strconv.Itoa(a.Of) + " that are listed. The nearest is " + said
		case a.Count && i == 0:
			said = strconv.Itoa(len(a.Said)) + ": " + said
		case a.YesNo > 0:
			said = "Yes. " + said
		case a.YesNo < 0:
			said = "No. " + said
		}
		out = append(out, Sentence{strings.TrimRight(said, ". ") + ".", s.Record.Source, s.Record.Span, spans})
	}
	return out
}

// named reports whether a record's own name tells what it is about: a day of the week, a ticket or a range does not.
func (r *Record) named() bool {
	for _, c := range r.Cells {
		if c.Key && (len(between(c.Text, 7, func(w string) int { return dayWords[w] })) > 0 || c.seen.bounded) {
			return false
		}
	}
	return true
}

// name is what a record is called, with what it stands under where that tells it apart.
func (r *Record) name(scoped bool, shared map[string]bool) string {
	var parts []string
	if scoped {
		for i, s := range r.Scope {
			if !shared[s] || i == 0 && len(r.Scope) == 1 {
				parts = append(parts, s)
			}
		}
		if len(parts) == 0 && len(r.Scope) > 0 {
			parts = append(parts, r.Scope[0])
		}
	}
	for _, c := range r.Cells {
		if c.Key && (len(parts) == 0 || parts[len(parts)-1] != c.Text) {
			parts = append(parts, c.Text)
		}
	}
	return strings.Join(parts, ", ")
}

// sharedScope is what all told records stand under.
func (a Answer) sharedScope() map[string]bool {
	n := map[string]int{}
	for _, s := range a.Said {
		for _, x := range s.Record.Scope {
			n[x]++
		}
	}
	out := map[string]bool{}
	for x, k := range n {
		out[x] = k == len(a.Said) && len(a.Said) > 1
	}
	return out
}

// say tells a value with the name of its attribute: "£32 per day", "Weight: 18 kg".
func (c *Cell) say() string {
	name := strings.TrimRight(c.Name, ": ")
	switch {
	case name == "" || strings.EqualFold(name, c.Text):
		return c.Text
	case strings.HasPrefix(strings.ToLower(name), "per "):
		return c.Text + " " + strings.ToLower(name)
	}
	return name + ": " + c.Text
}
