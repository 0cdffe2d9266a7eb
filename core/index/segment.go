// Package index holds what is searched: immutable segments of chunks with their postings and vectors, named by the hash
// of their bytes, and a manifest that says which of them make up one snapshot of a corpus.
package index

import (
	"slices"
	"sort"

	"jolvex/core/doc"
	"jolvex/core/embed"
	"jolvex/core/text"
)

// Version names the algorithm and the form of the bytes; it is part of the index stage's hash.
const Version = "index-1"

// Field is one searchable part of a chunk.
type Field int

// The fields, in the order in which lengths and counts are kept.
const (
	Title Field = iota // the document's title
	Path               // the heading path
	Body               // the chunk's own text without its headings
	Fields
)

var fieldNames = [Fields]string{"title", "headings", "body"}

// String is the field's name as interfaces show it.
func (f Field) String() string { return fieldNames[f] }

// Audiences. Staff may see everything; the public sees public segments only.
const (
	Public = "public"
	Staff  = "staff"
)

// Entry is what the index knows of one chunk besides its words. Version and Span lead to the text.
type Entry struct {
	Document string // portable id of the document
	Version  string // hash of the document version that Span refers to
	Source   string // portable id of the source
	Address  string
	Title    string
	Path     []string
	Span     doc.Span
	Ordinal  int
	Tokens   int
}

// Texts are the words of a chunk by field. The vector is made of all of them together.
type Texts [Fields]string

// posting is the occurrence of one term in one chunk.
type posting struct {
	chunk uint32
	count [Fields]uint16
}

// Segment is an immutable set of chunks of one audience.
type Segment struct {
	Audience string
	Entries  []Entry
	lengths  [][Fields]uint32 // [chunk]: words by field
	terms    []string         // sorted stems
	starts   []uint32         // [term+1]: where its postings start
	postings []posting        // sorted by chunk within a term
	words    []string         // sorted folded words, for spelling
	counts   []uint32         // [word]: chunks that hold it
	forward  [][]uint32       // [chunk]: the words it holds, as indices of words
}

// Builder collects chunks for a segment.
type Builder struct {
	audience string
	entries  []Entry
	lengths  [][Fields]uint32
	lists    map[string][]posting
	words    [][]string // [chunk]: its different words
}

// NewBuilder starts a segment for one audience.
func NewBuilder(audience string) *Builder {
	return &Builder{audience: audience, lists: map[string][]posting{}}
}

// Add takes in one chunk.
func (b *Builder) Add(e Entry, texts Texts) {
	n := uint32(len(b.entries))
	b.entries = append(b.entries, e)
	var lengths [Fields]uint32
	seen := map[string]bool{}
	var words []string
	for f := range Fields {
		for _, w := range text.Words(texts[f]) {
			if !seen[w.Norm] {
				seen[w.Norm] = true
				words = append(words, w.Norm)
			}
			if text.Stop(w.Norm) {
				continue
			}
			lengths[f]++
			list := b.lists[w.Stem]
			if k := len(list); k == 0 || list[k-1].chunk != n {
				list = append(list, posting{chunk: n})
			}
			p := &list[len(list)-1]
			if p.count[f] < 1<<16-1 {
				p.count[f]++
			}
			b.lists[w.Stem] = list
		}
	}
	b.lengths = append(b.lengths, lengths)
	b.words = append(b.words, words)
}

// Len is the number of chunks so far.
func (b *Builder) Len() int { return len(b.entries) }

// Build makes the segment. The builder must not be used afterwards.
func (b *Builder) Build() *Segment {
	s := &Segment{Audience: b.audience, Entries: b.entries, lengths: b.lengths}
	s.terms = sortedKeys(b.lists)
	s.starts = make([]uint32, 0, len(s.terms)+1)
	for _, t := range s.terms {
		s.starts = append(s.starts, uint32(len(s.postings)))
		s.postings = append(s.postings, b.lists[t]...)
	}
	s.starts = append(s.starts, uint32(len(s.postings)))
	counts := map[string]uint32{}
	for _, ws := range b.words {
		for _, w := range ws {
			counts[w]++
		}
	}
	s.words = sortedKeys(counts)
	number := make(map[string]uint32, len(s.words))
	for i, w := range s.words {
		s.counts = append(s.counts, counts[w])
		number[w] = uint32(i)
	}
	for _, ws := range b.words {
		ids := make([]uint32, len(ws))
		for i, w := range ws {
			ids[i] = number[w]
		}
		slices.Sort(ids)
		s.forward = append(s.forward, ids)
	}
	return s
}

func sortedKeys[V any](m map[string]V) []string {
	out := make([]string, 0, len(m))
	for k := range m {
		out = append(out, k)
	}
	sort.Strings(out)
	return out
}

func (s *Segment) term(t string) (int, bool) {
	i := sort.SearchStrings(s.terms, t)
	return i, i < len(s.terms) && s.terms[i] == t
}

func (s *Segment) list(i int) []posting { return s.postings[s.starts[i]:s.starts[i+1]] }

// Origin is where a chunk of a merged segment comes from.
type Origin struct{ Part, Chunk int }

// Merge makes one segment of what is alive in several of the same audience, in order, and tells where each chunk comes
// from, so that vectors can follow.
func Merge(audience string, parts []Part) (*Segment, []Origin) {
	out := &Segment{Audience: audience}
	lists := map[string][]posting{}
	var words [][]string
	var origins []Origin
	for k, p := range parts {
		renumber := make([]uint32, len(p.Segment.Entries))
		for i, e := range p.Segment.Entries {
			if p.Dead.Has(i) {
				continue
			}
			renumber[i] = uint32(len(out.Entries)) + 1
			out.Entries = append(out.Entries, e)
			out.lengths = append(out.lengths, p.Segment.lengths[i])
			var ws []string
			for _, id := range p.Segment.forward[i] {
				ws = append(ws, p.Segment.words[id])
			}
			words = append(words, ws)
			origins = append(origins, Origin{k, i})
		}
		for i, t := range p.Segment.terms {
			for _, po := range p.Segment.list(i) {
				if n := renumber[po.chunk]; n > 0 {
					po.chunk = n - 1
					lists[t] = append(lists[t], po)
				}
			}
		}
	}
	b := Builder{audience: audience, entries: out.Entries, lengths: out.lengths, lists: lists, words: words}
	return b.Build(), origins
}

// Part is a segment as a snapshot uses it.
type Part struct {
	Segment *Segment
	Dead    Bits           // chunks that later versions replaced
	Vectors []embed.Vector // [chunk]; empty when the vector set lacks them
}

// Bits is a set of small numbers. The zero value is empty.
type Bits []uint64

// Has reports whether i is in the set.
func (b Bits) Has(i int) bool { return i>>6 < len(b) && b[i>>6]&(1<<(i&63)) != 0 }

// With returns a set that also holds i; b may be changed.
func (b Bits) With(i int) Bits {
	for i>>6 >= len(b) {
		b = append(b, 0)
	}
	b[i>>6] |= 1 << (i & 63)
	return b
}

// Members lists the set in rising order.
func (b Bits) Members() []int {
	var out []int
	for i := range len(b) * 64 {
		if b.Has(i) {
			out = append(out, i)
		}
	}
	return out
}
