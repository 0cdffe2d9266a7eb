package index

import (
	"crypto/sha256"
	"encoding/binary"
	"encoding/hex"
	"errors"
	"fmt"

	"jolvex/core/embed"
)

// ErrCorrupt says that bytes are not what was written. The index is derived: build it again.
var ErrCorrupt = errors.New("the index file is damaged")

const (
	segmentMagic = "JLVXSEG1"
	vectorMagic  = "JLVXVEC1"
)

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
	s := string(r.b[r.at : r.at+n])
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

// Encode writes the segment. The same segment gives the same bytes.
func (s *Segment) Encode() []byte {
	w := &writer{b: make([]byte, 0, 64*len(s.postings)/8+1024)}
	w.b = append(w.b, segmentMagic...)
	w.str(s.Audience)
	w.num(len(s.Entries))
	for i, e := range s.Entries {
		w.each([]string{e.Document, e.Version, e.Source, e.Address, e.Title})
		w.strs(e.Path)
		for _, n := range []int{e.Span.Start, e.Span.End, e.Ordinal, e.Tokens} {
			w.num(n)
		}
		for _, n := range s.lengths[i] {
			w.num(int(n))
		}
	}
	w.strs(s.terms)
	for i := range s.terms {
		list := s.list(i)
		w.num(len(list))
		last := uint32(0)
		for _, p := range list {
			w.num(int(p.chunk - last))
			last = p.chunk
			for _, c := range p.count {
				w.num(int(c))
			}
		}
	}
	w.strs(s.words)
	for _, ids := range s.forward {
		w.num(len(ids))
		last := uint32(0)
		for _, id := range ids {
			w.num(int(id - last))
			last = id
		}
	}
	return w.b
}

// DecodeSegment reads what Encode wrote; ErrCorrupt, wrapped, when it is anything else.
func DecodeSegment(b []byte) (*Segment, error) {
	r := &reader{b: b}
	if len(b) < 8 || string(b[:8]) != segmentMagic {
		return nil, fmt.Errorf("segment: %w", ErrCorrupt)
	}
	r.at = 8
	s := &Segment{Audience: r.str()}
	n := r.count()
	for range n {
		e := Entry{Document: r.str(), Version: r.str(), Source: r.str(), Address: r.str(), Title: r.str(), Path: r.strs()}
		e.Span.Start, e.Span.End, e.Ordinal, e.Tokens = r.num(), r.num(), r.num(), r.num()
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
	s.terms = r.strs()
	for range s.terms {
		s.starts = append(s.starts, uint32(len(s.postings)))
		chunk := 0
		for range r.count() {
			chunk += r.num()
			p := posting{chunk: uint32(chunk)}
			for f := range p.count {
				p.count[f] = uint16(r.num())
			}
			if r.bad || chunk >= n {
				return nil, fmt.Errorf("segment: a posting names chunk %d of %d: %w", chunk, n, ErrCorrupt)
			}
			s.postings = append(s.postings, p)
		}
	}
	s.starts = append(s.starts, uint32(len(s.postings)))
	s.words = r.strs()
	s.counts = make([]uint32, len(s.words))
	for range s.Entries {
		ids := make([]uint32, r.count())
		at := 0
		for j := range ids {
			at += r.num()
			if at >= len(s.words) {
				return nil, fmt.Errorf("segment: word %d of %d: %w", at, len(s.words), ErrCorrupt)
			}
			ids[j] = uint32(at)
			s.counts[at]++
		}
		s.forward = append(s.forward, ids)
	}
	if r.bad || r.at != len(b) {
		return nil, fmt.Errorf("segment: %w", ErrCorrupt)
	}
	return s, nil
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

// DecodeVectors reads what EncodeVectors wrote.
func DecodeVectors(b []byte) ([]embed.Vector, error) {
	if len(b) < 8 || string(b[:8]) != vectorMagic {
		return nil, fmt.Errorf("vectors: %w", ErrCorrupt)
	}
	r := &reader{b: b, at: 8}
	n, dim := r.num(), r.num()
	if r.bad || dim <= 0 || n < 0 || n > len(b) || len(b)-r.at != n*dim {
		return nil, fmt.Errorf("vectors: %w", ErrCorrupt)
	}
	flat := make([]int8, n*dim)
	for i, x := range b[r.at:] {
		flat[i] = int8(x)
	}
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
}

// Reference names one segment and its vectors by the hashes of their files.
type Reference struct {
	Hash     string `json:"hash"`
	Audience string `json:"audience"`
	Words    string `json:"words"`             // word vectors: always there
	Encoded  string `json:"encoded,omitempty"` // the encoder's vectors; missing until its pass has come by
	// Sentences tells that the encoder has read the sentences too.
	Sentences bool     `json:"sentences,omitempty"`
	Dead      []uint32 `json:"dead,omitempty"`
}
