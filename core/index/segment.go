// Package index holds what is searched: immutable segments of chunks with their postings and vectors, named by the hash
// of their bytes, and a manifest that says which of them make up one snapshot of a corpus.
package index

import (
	"encoding/binary"
	"math/bits"
	"runtime"
	"slices"
	"sort"
	"strings"
	"sync"
	"sync/atomic"

	"jolvex/core/doc"
	"jolvex/core/embed"
	"jolvex/core/text"
)

// Version names the algorithm and the form of the bytes; it is part of the index stage's hash.
const Version = "index-4"

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

// Audiences. Staff may see everything; the public sees public segments only; a named visitor group, written with Group
// before its name, sees public ones and its own.
const (
	Public = "public"
	Staff  = "staff"
	Group  = "group:"
)

// Marks of a chunk's document.
const (
	Unquotable = 1 << iota // may be found and pointed to, not quoted
	Volatile               // changes from day to day: may be pointed to, not quoted
	Given                  // may be handed out as a file to whoever asks for it
	Settled                // a question with an answer that a person wrote and signed off
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
	Parent   doc.Span // the section that a small chunk brings with it; empty for any other
	Ordinal  int
	Tokens   int
	Marks    int    // Unquotable, Volatile, Given, Settled
	Kind     string // what the document is: page, file, film, text, pairs
	Language string // BCP 47, "" when not known
	Dated    int    // when the document says that it was last changed, in days since 1970; 0 when it does not say
}

// Evidence is the span that a reply may draw on: the chunk's own, or its section's.
func (e *Entry) Evidence() doc.Span {
	if e.Parent.Len() > 0 {
		return e.Parent
	}
	return e.Span
}

// Texts are the words of a chunk by field. The vector is made of all of them together.
type Texts [Fields]string

// posting is the occurrence of one term in one chunk.
type posting struct {
	chunk uint32
	count [Fields]uint8 // occurrences by field, 255 for more
	_     uint8
}

// mostCount is the most occurrences that are counted: BM25 saturates long before.
const mostCount = 255

// stride is how many postings share one entry of Segment.marks.
const stride = 64

// Segment is an immutable set of chunks of one audience.
type Segment struct {
	Audience string
	Entries  []Entry
	lengths  [][Fields]uint32 // [chunk]: words by field
	terms    []string         // sorted stems
	starts   []uint32         // [term+1]: where its postings start
	postings []posting        // sorted by chunk within a term
	// positions holds, for each posting in order, the numbers of the words in the body at which the term stands, each as
	// the varint of its distance from the one before.
	positions []byte
	marks     []uint32   // [posting/stride]: where in positions those of every stride-th posting start
	words     []string   // sorted folded words, for spelling
	counts    []uint32   // [word]: chunks that hold it
	forward   [][]uint32 // [chunk]: the words it holds, as indices of words
}

// Builder collects chunks for a segment.
type Builder struct {
	audience   string
	entries    []Entry
	lengths    [][Fields]uint32
	numbers    map[string]uint32 // stem -> place in lists
	lists      []building
	vocabulary map[string]uint32 // folded word -> place in known
	known      []known
	words      [][]uint32 // [chunk]: its different words, as places in known
	arena      []byte     // positions, in order of arrival
	met        []uint32   // places in lists of the stems of the chunk at hand
}

// known is what is known of a folded word once it was met.
type known struct {
	word    string
	stop    bool
	stemmed bool   // list is known
	list    uint32 // of its stem
	last    int    // the chunk that it was met in last, counted from 1
}

// building is the list of one stem in the making; at says where in the arena each posting's positions start.
type building struct {
	stem     string
	postings []posting
	at       []uint32
	places   []int // in the body of the chunk at hand
}

// list is the place in lists of a stem, made when it is new.
func (b *Builder) list(stem string) uint32 {
	n, ok := b.numbers[stem]
	if !ok {
		n = uint32(len(b.lists))
		stem = strings.Clone(stem)
		b.numbers[stem] = n
		b.lists = append(b.lists, building{stem: stem})
	}
	return n
}

// word is the place in known of a folded word, made when it is new.
func (b *Builder) word(folded string) uint32 {
	n, ok := b.vocabulary[folded]
	if !ok {
		n = uint32(len(b.known))
		folded = strings.Clone(folded) // it may be a part of a text
		b.vocabulary[folded] = n
		b.known = append(b.known, known{word: folded, stop: text.Stop(folded)})
	}
	return n
}

// NewBuilder starts a segment for one audience.
func NewBuilder(audience string) *Builder {
	return &Builder{audience: audience, numbers: map[string]uint32{}, vocabulary: map[string]uint32{}}
}

// folded is the folded words of a chunk's texts.
type folded [Fields][]string

func fold(t Texts) folded {
	var out folded
	for f := range Fields {
		out[f] = text.Folded(t[f])
	}
	return out
}

// ahead is how many chunks are cut into words while those before them go in.
const ahead = 512

// AddAll adds chunks, in order. Their texts are cut into words on all cores.
func (b *Builder) AddAll(es []Entry, texts []Texts) {
	block := func(from int) <-chan []folded {
		done := make(chan []folded, 1)
		part := texts[from:min(from+ahead, len(texts))]
		go func() {
			out := make([]folded, len(part))
			var next atomic.Int64
			var wg sync.WaitGroup
			for range min(runtime.GOMAXPROCS(0), len(part)) {
				wg.Go(func() {
					for i := int(next.Add(1)) - 1; i < len(part); i = int(next.Add(1)) - 1 {
						out[i] = fold(part[i])
					}
				})
			}
			wg.Wait()
			done <- out
		}()
		return done
	}
	if len(texts) == 0 {
		return
	}
	next := block(0)
	for from := 0; from < len(texts); from += ahead {
		now := <-next
		if from+ahead < len(texts) {
			next = block(from + ahead)
		}
		for i, ws := range now {
			b.add(es[from+i], ws)
		}
	}
}

// Add adds a chunk.
func (b *Builder) Add(e Entry, texts Texts) { b.add(e, fold(texts)) }

func (b *Builder) add(e Entry, fields folded) {
	n := uint32(len(b.entries))
	b.entries = append(b.entries, e)
	var lengths [Fields]uint32
	words := make([]uint32, 0, len(fields[Body])/2)
	met := b.met[:0]
	for f := range Fields {
		for i, w := range fields[f] {
			id := b.word(w)
			k := &b.known[id]
			if k.last != len(b.entries) {
				k.last = len(b.entries)
				words = append(words, id)
			}
			if k.stop {
				continue
			}
			lengths[f]++
			if !k.stemmed {
				k.list, k.stemmed = b.list(text.Stem(k.word)), true
			}
			l := &b.lists[k.list]
			if j := len(l.postings); j == 0 || l.postings[j-1].chunk != n {
				l.postings, l.at = append(l.postings, posting{chunk: n}), append(l.at, 0)
				met = append(met, k.list)
			}
			p := &l.postings[len(l.postings)-1]
			if p.count[f] < mostCount {
				p.count[f]++
				if f == Body {
					l.places = append(l.places, i)
				}
			}
		}
	}
	for _, k := range met {
		l := &b.lists[k]
		l.at[len(l.at)-1] = uint32(len(b.arena))
		last := 0
		for _, i := range l.places {
			b.arena = binary.AppendUvarint(b.arena, uint64(i-last))
			last = i
		}
		l.places = l.places[:0]
	}
	b.met = met
	b.lengths = append(b.lengths, lengths)
	b.words = append(b.words, words)
}

// Len is the number of chunks so far.
func (b *Builder) Len() int { return len(b.entries) }

// Build makes the segment. The builder must not be used afterwards.
func (b *Builder) Build() *Segment {
	s := &Segment{Audience: b.audience, Entries: b.entries, lengths: b.lengths}
	sort.Slice(b.lists, func(i, j int) bool { return b.lists[i].stem < b.lists[j].stem })
	total := 0
	for i := range b.lists {
		total += len(b.lists[i].postings)
	}
	s.terms, s.starts = make([]string, 0, len(b.lists)), make([]uint32, 0, len(b.lists)+1)
	s.postings, s.positions = make([]posting, 0, total), make([]byte, 0, len(b.arena))
	for i := range b.lists {
		l := &b.lists[i]
		s.terms = append(s.terms, l.stem)
		s.starts = append(s.starts, uint32(len(s.postings)))
		for j, p := range l.postings {
			if len(s.postings)%stride == 0 {
				s.marks = append(s.marks, uint32(len(s.positions)))
			}
			s.positions = append(s.positions, b.arena[l.at[j]:skip(b.arena, l.at[j], int(p.count[Body]))]...)
			s.postings = append(s.postings, p)
		}
		*l = building{}
	}
	s.starts = append(s.starts, uint32(len(s.postings)))
	b.number(s)
	return s
}

// number gives the words their numbers, in the order of the alphabet, and tells which chunk holds which.
func (b *Builder) number(s *Segment) {
	counts := make([]uint32, len(b.known))
	for _, ws := range b.words {
		for _, w := range ws {
			counts[w]++
		}
	}
	order := make([]uint32, len(b.known))
	for i := range order {
		order[i] = uint32(i)
	}
	slices.SortFunc(order, func(i, j uint32) int { return strings.Compare(b.known[i].word, b.known[j].word) })
	number := make([]uint32, len(b.known))
	for i, k := range order {
		s.words, s.counts = append(s.words, b.known[k].word), append(s.counts, counts[k])
		number[k] = uint32(i)
	}
	for _, ws := range b.words {
		for i, w := range ws {
			ws[i] = number[w]
		}
		slices.Sort(ws)
	}
	s.forward = b.words
}

// skip gives the offset behind n varints that start at an offset; the end of b when b is too short.
func skip(b []byte, at uint32, n int) uint32 {
	for ; n > 0 && int(at) < len(b); at++ {
		if b[at] < 0x80 {
			n--
		}
	}
	return at
}

// places lists where in the body the term of posting number i stands.
func (s *Segment) places(i int) []int {
	at := s.marks[i/stride]
	for j := i / stride * stride; j < i; j++ {
		at = skip(s.positions, at, int(s.postings[j].count[Body]))
	}
	out := make([]int, 0, s.postings[i].count[Body])
	last := 0
	for range s.postings[i].count[Body] {
		d, k := binary.Uvarint(s.positions[at:])
		if k <= 0 {
			break
		}
		at, last = at+uint32(k), last+int(d)
		out = append(out, last)
	}
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
	b := NewBuilder(audience)
	var origins []Origin
	for k, p := range parts {
		renumber := make([]uint32, len(p.Segment.Entries))
		words := make([]uint32, len(p.Segment.words)) // their places in known, counted from 1
		for i, e := range p.Segment.Entries {
			if p.Dead.Has(i) {
				continue
			}
			renumber[i] = uint32(len(b.entries)) + 1
			b.entries = append(b.entries, e)
			b.lengths = append(b.lengths, p.Segment.lengths[i])
			ws := make([]uint32, 0, len(p.Segment.forward[i]))
			for _, id := range p.Segment.forward[i] {
				if words[id] == 0 {
					words[id] = b.word(p.Segment.words[id]) + 1
				}
				ws = append(ws, words[id]-1)
			}
			b.words = append(b.words, ws)
			origins = append(origins, Origin{k, i})
		}
		seg, at := p.Segment, uint32(0)
		for i, t := range seg.terms {
			var l *building
			for _, po := range seg.list(i) {
				from := at
				at = skip(seg.positions, at, int(po.count[Body]))
				n := renumber[po.chunk]
				if n == 0 {
					continue
				}
				if l == nil {
					l = &b.lists[b.list(t)]
				}
				po.chunk = n - 1
				l.postings, l.at = append(l.postings, po), append(l.at, uint32(len(b.arena)))
				b.arena = append(b.arena, seg.positions[from:at]...)
			}
		}
	}
	return b.Build(), origins
}

// Part is a segment as a snapshot uses it.
type Part struct {
	Segment *Segment
	Dead    Bits           // chunks that later versions replaced
	Vectors []embed.Vector // [chunk]; empty when the vector set lacks them
	File    string         // name of the file that holds Vectors
	Graph   *Graph         // over Vectors; nil when every one of them is looked at

	EncodedBy string // ID of what has read the segment behind; "" while nothing has
	Sentences bool   // and whether it has read the sentences
}

// Without is the part with the chunks of some documents dead; the places of those that died by it are given.
func (p Part) Without(documents map[string]bool) (Part, []int) {
	var died []int
	dead := append(Bits(nil), p.Dead...)
	for i, e := range p.Segment.Entries {
		if documents[e.Document] && !dead.Has(i) {
			dead, died = dead.With(i), append(died, i)
		}
	}
	p.Dead = dead
	return p, died
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

// Count is how many are in the set.
func (b Bits) Count() int {
	n := 0
	for _, w := range b {
		n += bits.OnesCount64(w)
	}
	return n
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
