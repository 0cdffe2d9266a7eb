package index

import (
	"crypto/sha256"
	"encoding/binary"
	"encoding/hex"
	"errors"
	"fmt"
	"hash/crc32"
	"slices"
	"unsafe"

	"jolvex/core/embed"
)

// ErrCorrupt says that bytes are not what was written. The index is derived: build it again.
var ErrCorrupt = errors.New("the index file is damaged")

const (
	segmentMagic = "JLVXSEG4"
	vectorMagic  = "JLVXVEC1"
)

// sealed is how many bytes share one checksum.
const sealed = 1 << 20

var castagnoli = crc32.MakeTable(crc32.Castagnoli)

// Seal adds checksums to a file's bytes (CRC-32C, one for each mebibyte), by which Unseal tells in a moment whether they
// are what was written; a cryptographic hash would take most of the time of opening.
func Seal(b []byte) []byte {
	out := append(make([]byte, 0, len(b)+4*(len(b)/sealed+2)), b...)
	for from := 0; from < len(b); from += sealed {
		out = binary.LittleEndian.AppendUint32(out, crc32.Checksum(b[from:min(len(b), from+sealed)], castagnoli))
	}
	return binary.LittleEndian.AppendUint32(out, uint32(len(b)/sealed))
}

// Unseal gives the bytes that were sealed; ErrCorrupt, wrapped, when any of them has changed.
func Unseal(b []byte) ([]byte, error) {
	if len(b) < 4 {
		return nil, fmt.Errorf("file of %d bytes: %w", len(b), ErrCorrupt)
	}
	sums, whole := b[:len(b)-4], int(binary.LittleEndian.Uint32(b[len(b)-4:]))
	n := len(sums) - 4*whole // of the bytes, when their last mebibyte is full
	if n != whole*sealed {
		n, whole = n-4, whole+1
	}
	if n < 0 || n > len(sums) || (n+sealed-1)/sealed != whole {
		return nil, fmt.Errorf("file of %d bytes: %w", len(b), ErrCorrupt)
	}
	for i := range whole {
		part := b[i*sealed : min(n, (i+1)*sealed)]
		if crc32.Checksum(part, castagnoli) != binary.LittleEndian.Uint32(b[n+4*i:]) {
			return nil, fmt.Errorf("mebibyte %d: %w", i+1, ErrCorrupt)
		}
	}
	return b[:n:n], nil
}

// Hash is the name of a file's bytes: SHA-256 in hexadecimal.
func Hash(b []byte) string {
	h := sha256.Sum256(b)
	return hex.EncodeToString(h[:])
}

type writer struct{ b []byte }

func (w *writer) num(n int)       { w.b = binary.AppendUvarint(w.b, uint64(n)) }
func (w *writer) str(s string)    { w.num(len(s)); w.b = append(w.b, s...) }
func (w *writer) strs(s []string) { w.num(len(s)); w.each(s) }
func (w *writer) each(s []string) {
	for _, v := range s {
		w.str(v)
	}
}

type reader struct {
	b   []byte
	at  int
	bad bool
}

func (r *reader) num() int {
	n, k := binary.Uvarint(r.b[min(r.at, len(r.b)):])
	if k <= 0 || n > 1<<40 {
		r.bad = true
		return 0
	}
	r.at += k
	return int(n)
}

// count reads a length, which cannot be more than the bytes that are left: a damaged one allocates nothing.
func (r *reader) count() int {
	n := r.num()
	if n > len(r.b)-r.at {
		r.bad = true
		return 0
	}
	return n
}

func (r *reader) str() string {
	n := r.count()
	s := unsafe.String(unsafe.SliceData(r.b[r.at:]), n) // b does not change any more
	r.at += n
	return s
}

func (r *reader) strs() []string {
	out := make([]string, r.count())
	for i := range out {
		out[i] = r.str()
	}
	return out
}

// Encode writes the segment. The same segment gives the same bytes. Lists of numbers stand as they are in memory, low
// byte first, so that opening a segment copies next to nothing.
func (s *Segment) Encode() []byte {
	w := &writer{b: make([]byte, 0, 8*len(s.postings)+len(s.positions)+len(s.positions)/2+1024)}
	w.b = append(w.b, segmentMagic...)
	w.str(s.Audience)
	w.num(len(s.Entries))
	for i, e := range s.Entries {
		w.each([]string{e.Document, e.Version, e.Source, e.Address, e.Title, e.Kind, e.Language})
		w.strs(e.Path)
		for _, n := range []int{e.Span.Start, e.Span.End, e.Parent.Start, e.Parent.End, e.Ordinal, e.Tokens, e.Marks, e.Dated} {
			w.num(n)
		}
		for _, n := range s.lengths[i] {
			w.num(int(n))
		}
	}
	w.strs(s.terms)
	w.strs(s.words)
	w.numbers(s.starts)
	w.align(len(s.postings))
	for _, p := range s.postings {
		w.b = binary.LittleEndian.AppendUint32(w.b, p.chunk)
		w.b = append(w.b, p.count[Title], p.count[Path], p.count[Body], 0)
	}
	w.numbers(s.marks)
	w.num(len(s.positions))
	w.b = append(w.b, s.positions...)
	ends := make([]uint32, len(s.forward))
	total := 0
	for i, ids := range s.forward {
		total += len(ids)
		ends[i] = uint32(total)
	}
	w.numbers(ends)
	w.align(total)
	for _, ids := range s.forward {
		for _, id := range ids {
			w.b = binary.LittleEndian.AppendUint32(w.b, id)
		}
	}
	return w.b
}

// align writes a length and brings what follows to a multiple of eight bytes.
func (w *writer) align(n int) {
	w.num(n)
	for len(w.b)%8 != 0 {
		w.b = append(w.b, 0)
	}
}

func (w *writer) numbers(ns []uint32) {
	w.align(len(ns))
	for _, n := range ns {
		w.b = binary.LittleEndian.AppendUint32(w.b, n)
	}
}

// aligned reads a length and the bytes of that many things of a size.
func (r *reader) aligned(size int) (n int, b []byte) {
	n = r.count()
	at := (r.at + 7) / 8 * 8
	if n*size > len(r.b)-at {
		r.bad = true
		return 0, nil
	}
	r.at = at + n*size
	return n, r.b[at:r.at]
}

// numbers reads a list of numbers: in place where the machine keeps them low byte first, too.
func (r *reader) numbers() []uint32 {
	n, b := r.aligned(4)
	return cast[uint32](n, b, func(b []byte) uint32 { return binary.LittleEndian.Uint32(b) })
}

// cast takes bytes for things of fixed size without copying, when the machine lays them out that way and they stand
// where it wants them; else it reads one by one.
func cast[T any](n int, b []byte, read func([]byte) T) []T {
	if n == 0 {
		return nil
	}
	var one T
	size := int(unsafe.Sizeof(one))
	if littleEndian && uintptr(unsafe.Pointer(&b[0]))%unsafe.Alignof(one) == 0 {
		return unsafe.Slice((*T)(unsafe.Pointer(&b[0])), n)
	}
	out := make([]T, n)
	for i := range out {
		out[i] = read(b[i*size:])
	}
	return out
}

var littleEndian = binary.NativeEndian.Uint16([]byte{1, 0}) == 1

func readPosting(b []byte) posting {
	return posting{chunk: binary.LittleEndian.Uint32(b), count: [Fields]uint8{b[4], b[5], b[6]}}
}

// DecodeSegment reads what Encode wrote; ErrCorrupt, wrapped, when it is anything else. The segment refers to b, which must
// not change any more. Cost: linear in the entries and postings, with little more than a look at each.
func DecodeSegment(b []byte) (*Segment, error) {
	if len(b) < 8 || string(b[:8]) != segmentMagic {
		return nil, fmt.Errorf("segment: %w", ErrCorrupt)
	}
	r := &reader{b: b, at: 8}
	s := &Segment{Audience: r.str()}
	n := r.count()
	for range n {
		e := Entry{Document: r.str(), Version: r.str(), Source: r.str(), Address: r.str(), Title: r.str(), Kind: r.str(), Language: r.str(), Path: r.strs()}
		for _, n := range []*int{&e.Span.Start, &e.Span.End, &e.Parent.Start, &e.Parent.End, &e.Ordinal, &e.Tokens, &e.Marks, &e.Dated} {
			*n = r.num()
		}
		var l [Fields]uint32
		for f := range l {
			l[f] = uint32(r.num())
		}
		if r.bad {
			break
		}
		s.Entries = append(s.Entries, e)
		s.lengths = append(s.lengths, l)
	}
	s.terms, s.words = r.strs(), r.strs()
	s.starts = r.numbers()
	count, raw := r.aligned(8)
	s.postings = cast(count, raw, readPosting)
	s.marks = r.numbers()
	size := r.count()
	s.positions = r.b[r.at : r.at+size]
	r.at += size
	ends := r.numbers()
	ids := r.numbers()
	if r.bad || r.at != len(b) || len(s.Entries) != n {
		return nil, fmt.Errorf("segment: %w", ErrCorrupt)
	}
	if err := s.link(ends, ids); err != nil {
		return nil, fmt.Errorf("segment: %w: %w", err, ErrCorrupt)
	}
	return s, nil
}

// link checks that what was read holds together, so that no later step can step outside it, and counts the words.
func (s *Segment) link(ends, ids []uint32) error {
	if len(s.starts) != len(s.terms)+1 || s.starts[0] != 0 || int(s.starts[len(s.terms)]) != len(s.postings) || !slices.IsSorted(s.starts) {
		return errors.New("the lists of postings do not fit the terms")
	}
	if len(s.marks) != (len(s.postings)+stride-1)/stride {
		return errors.New("the marks do not fit the postings")
	}
	at := uint32(0)
	for i := range s.postings {
		if int(s.postings[i].chunk) >= len(s.Entries) {
			return fmt.Errorf("a posting names chunk %d of %d", s.postings[i].chunk, len(s.Entries))
		}
		if i%stride == 0 && s.marks[i/stride] != at {
			return errors.New("a mark does not fit the positions")
		}
		at = skip(s.positions, at, int(s.postings[i].count[Body]))
	}
	if int(at) != len(s.positions) || at > 0 && s.positions[at-1] >= 0x80 {
		return errors.New("the positions do not fit the postings")
	}
	if len(ends) != len(s.Entries) || len(ends) > 0 && int(ends[len(ends)-1]) != len(ids) || !slices.IsSorted(ends) {
		return errors.New("the words do not fit the chunks")
	}
	s.counts = make([]uint32, len(s.words))
	for _, id := range ids {
		if int(id) >= len(s.words) {
			return fmt.Errorf("word %d of %d", id, len(s.words))
		}
		s.counts[id]++
	}
	from := uint32(0)
	s.forward = make([][]uint32, len(ends))
	for i, end := range ends {
		s.forward[i] = ids[from:end:end]
		from = end
	}
	return nil
}

// EncodeVectors writes the vectors of one segment, all of dim parts.
func EncodeVectors(vs []embed.Vector, dim int) []byte {
	w := &writer{b: make([]byte, 0, len(vs)*dim+32)}
	w.b = append(w.b, vectorMagic...)
	w.num(len(vs))
	w.num(dim)
	for _, v := range vs {
		for _, x := range v {
			w.b = append(w.b, byte(x))
		}
	}
	return w.b
}

// DecodeVectors reads what EncodeVectors wrote. The vectors refer to b, which must not change any more.
func DecodeVectors(b []byte) ([]embed.Vector, error) {
	if len(b) < 8 || string(b[:8]) != vectorMagic {
		return nil, fmt.Errorf("vectors: %w", ErrCorrupt)
	}
	r := &reader{b: b, at: 8}
	n, dim := r.num(), r.num()
	if r.bad || dim <= 0 || n < 0 || n > len(b) || len(b)-r.at != n*dim {
		return nil, fmt.Errorf("vectors: %w", ErrCorrupt)
	}
	flat := cast(n*dim, b[r.at:], func(b []byte) int8 { return int8(b[0]) })
	out := make([]embed.Vector, n)
	for i := range out {
		out[i] = flat[i*dim : (i+1)*dim : (i+1)*dim]
	}
	return out, nil
}

// Manifest names what makes up one snapshot.
type Manifest struct {
	Segments   []Reference `json:"segments"`
	VectorSet  string      `json:"vectorSet"` // hash of the embed stage: all vectors of a snapshot are of one set
	Embedder   string      `json:"embedder"`  // ID of the embedder that made the set in force
	Sentences  bool        `json:"sentences,omitempty"`
	IndexStage string      `json:"indexStage"`

	// Cuts names, by source, the settings that all of its documents were cut with. A source that is missing is cut anew.
	Cuts map[string]string `json:"cuts,omitempty"`
}

// Reference names one segment and its vectors by the hashes of their files.
type Reference struct {
	Hash      string `json:"hash"`
	Audience  string `json:"audience"`
	Words     string `json:"words"`               // word vectors: always there
	Encoded   string `json:"encoded,omitempty"`   // the encoder's vectors; missing until its pass has come by
	EncodedBy string `json:"encodedBy,omitempty"` // ID of what made Encoded
	// Sentences tells that the encoder has read the sentences too.
	Sentences bool     `json:"sentences,omitempty"`
	Graph     string   `json:"graph,omitempty"`   // over the vectors in force; of large segments, once it has been grown
	GraphOf   string   `json:"graphOf,omitempty"` // the file of vectors that Graph leads through
	Dead      []uint32 `json:"dead,omitempty"`
}
