package wire

import (
	"github.com/danielgtaylor/huma/v2"
)

// Limits that a field of a request has where its type says nothing else. What must be bounded more tightly, or may be larger, says so itself. The body
// as a whole is bounded, too.
const (
	usualParameter = 2_000   // characters of a parameter
	usualNames     = 200     // values of a parameter
	usualText      = 100_000 // characters of a text in a body
	usualList      = 50_000  // members of a list: as many addresses as a sitemap may hold (sitemaps.org)
)

// Bound gives every text and list that a request can hold a limit. It is called once, when all operations are there.
func Bound(api huma.API) {
	d := api.OpenAPI()
	b := bounder{d.Components.Schemas, map[*huma.Schema]bool{}}
	for _, path := range d.Paths {
		for _, op := range []*huma.Operation{path.Get, path.Put, path.Post, path.Patch, path.Delete} {
			if op == nil {
				continue
			}
			for _, p := range op.Parameters {
				b.bound(p.Schema, usualParameter, usualNames)
			}
			if op.RequestBody == nil {
				continue
			}
			for _, c := range op.RequestBody.Content {
				b.bound(c.Schema, usualText, usualList)
			}
		}
	}
}

type bounder struct {
	schemas huma.Registry
	seen    map[*huma.Schema]bool
}

func (b bounder) bound(s *huma.Schema, text, list int) {
	if s == nil {
		return
	}
	if s.Ref != "" {
		s = b.schemas.SchemaFromRef(s.Ref)
	}
	if s == nil || b.seen[s] {
		return
	}
	b.seen[s] = true
	switch {
	case s.Type == huma.TypeString && len(s.Enum) == 0 && s.Format != "binary" && s.MaxLength == nil:
		s.MaxLength = &text
	case s.Type == huma.TypeArray && s.MaxItems == nil:
		s.MaxItems = &list
	}
	s.PrecomputeMessages()
	b.bound(s.Items, text, list)
	for _, p := range s.Properties {
		b.bound(p, text, list)
	}
	if more, ok := s.AdditionalProperties.(*huma.Schema); ok {
		b.bound(more, text, list)
	}
	for _, several := range [][]*huma.Schema{s.OneOf, s.AnyOf, s.AllOf} {
		for _, one := range several {
			b.bound(one, text, list)
		}
	}
}
