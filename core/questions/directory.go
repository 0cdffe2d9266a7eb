package questions

import (
	"net/url"
	"slices"
	"strings"
)

// Directory finds the documents of a corpus that names mean, as Document.Is does, without looking at each of them.
type Directory struct {
	title, address, path, tail map[string][]string // name -> ids of documents
}

// NewDirectory makes room for the documents of a corpus; Add puts them in.
func NewDirectory() *Directory {
	return &Directory{map[string][]string{}, map[string][]string{}, map[string][]string{}, map[string][]string{}}
}

// Add puts a document into the directory.
func (d *Directory) Add(id, address, title string) {
	add := func(m map[string][]string, k string) {
		if !slices.Contains(m[k], id) {
			m[k] = append(m[k], id)
		}
	}
	add(d.title, strings.ToLower(title))
	add(d.address, address)
	if u, err := url.Parse(address); err == nil {
		add(d.path, strings.TrimSuffix(u.Path, "/"))
	}
	for i := range address {
		if address[i] == '/' {
			add(d.tail, address[i+1:])
		}
	}
}

// Means lists the ids of the documents that one name means, in the order in which they were added.
func (d *Directory) Means(name string) []string {
	if name == "" {
		return nil
	}
	out := slices.Clone(d.title[strings.ToLower(name)])
	more := func(ids []string) {
		for _, id := range ids {
			if !slices.Contains(out, id) {
				out = append(out, id)
			}
		}
	}
	more(d.address[name])
	if strings.HasPrefix(name, "/") {
		more(d.path[strings.TrimSuffix(name, "/")])
	} else {
		more(d.tail[name])
	}
	return out
}

// Relevant lists the documents that a question names, to be cited or as those that hold a passage: the ids of those that the corpus has, and
// the names of others as they are written. Each counts as relevant, as in relevance judgements: alternatives are not told apart.
func (d *Directory) Relevant(q Question) []string {
	var out []string
	add := func(name string) {
		ids := d.Means(name)
		if len(ids) == 0 && name != "" {
			ids = []string{name}
		}
		for _, id := range ids {
			if !slices.Contains(out, id) {
				out = append(out, id)
			}
		}
	}
	for _, e := range q.Expect {
		switch e.Kind {
		case Cites:
			for _, v := range e.Values {
				add(v)
			}
		case Reaches:
			add(e.Document)
		}
	}
	return out
}
