// Package embed gives texts vectors by which likeness of meaning can be measured.
package embed

import (
	"bufio"
	"bytes"
	"cmp"
	"context"
	"embed"
	"encoding/binary"
	"encoding/json"
	"fmt"
	"math"
	"slices"
	"strings"
	"sync"

	lru "github.com/hashicorp/golang-lru/v2"

	"jolvex/core/text"
)

// Embedder gives each text a vector of Dimensions() numbers, scaled so that the dot product of two vectors divided by
// 127*127 is their cosine. The same text gives the same vector on any machine.
type Embedder interface {
	ID() string // names model and version; part of the embed stage's hash
	Dimensions() int
	Embed(ctx context.Context, texts []string) ([]Vector, error) // [len(texts)], each of Dimensions(); a text without known words has the zero vector
}

// The grades of the built-in embeddings.
const (
	GradeEncoder  = "encoder"  // the sentence encoder; word vectors serve until its pass is through
	GradeMany     = "many"     // the encoder of many languages, likewise
	GradeWords    = "words"    // the word vectors alone
	GradeEndpoint = "endpoint" // an endpoint that others run; word vectors serve until it has read everything
)

// Settings of the embed stage.
type Settings struct {
	Grade string `json:"grade" initial:"encoder" choices:"encoder,many,words,endpoint" label:"Embedding" help:"The sentence encoder reaches passages that share no word with the question; it reads new text in the background. That of many languages reaches across languages as well, at half the speed. Word vectors are instant and need no pass."`
}

// Vector is a direction, each part from -127 to 127.
type Vector []int8

// Dot is the integer dot product of a and b, which must be of one length. Whole numbers keep it the same on any processor.
func Dot(a, b Vector) int32 { return dot(a, b) }

// Cosine is the cosine of the angle between a and b, about -1 to 1; 0 when one of them is zero.
func Cosine(a, b Vector) float64 { return float64(Dot(a, b)) / (127 * 127) }

//go:embed data
var data embed.FS

// Static is the built-in embedder: a table with one vector for each of some 60,000 words and word pieces, made once
// from a sentence encoder (tools/embeddings), rarer words weighing more. A text is the sum of its words. Words that the
// table lacks are cut into the longest pieces that it has (WordPiece, Wu et al. 2016).
type Static struct {
	id    string
	dim   int
	row   map[string]int32
	cells []int8   // [rows][dim]
	scale []uint16 // [rows]: how much a row's cells weigh
	words *lru.Cache[string, Vector]
}

// keptWords is how many words' vectors are kept, the latest used: the words of questions and of the headings of tables come again and again.
const keptWords = 20_000

var static = sync.OnceValues(loadStatic)

// NewStatic loads the table; later calls share it.
func NewStatic() (*Static, error) { return static() }

func loadStatic() (*Static, error) {
	var meta struct {
		ID         string `json:"id"`
		Rows       int    `json:"rows"`
		Dimensions int    `json:"dimensions"`
		Parts      int    `json:"parts"`
	}
	raw, err := data.ReadFile("data/meta.json")
	if err != nil {
		return nil, fmt.Errorf("read the word vectors: %w", err)
	}
	if err := json.Unmarshal(raw, &meta); err != nil {
		return nil, fmt.Errorf("read the word vectors' description: %w", err)
	}
	kept, err := lru.New[string, Vector](keptWords)
	if err != nil {
		return nil, err
	}
	s := &Static{words: kept, id: meta.ID, dim: meta.Dimensions, row: make(map[string]int32, meta.Rows), cells: make([]int8, 0, meta.Rows*meta.Dimensions)}
	for i := range meta.Parts {
		part, err := data.ReadFile(fmt.Sprintf("data/vectors-%d.bin", i))
		if err != nil {
			return nil, fmt.Errorf("read the word vectors: %w", err)
		}
		for _, b := range part {
			s.cells = append(s.cells, int8(b))
		}
	}
	scales, err := data.ReadFile("data/scales.bin")
	if err != nil {
		return nil, fmt.Errorf("read the word vectors' scales: %w", err)
	}
	words, err := data.ReadFile("data/words.txt")
	if err != nil {
		return nil, fmt.Errorf("read the words of the word vectors: %w", err)
	}
	if len(s.cells) != meta.Rows*meta.Dimensions || len(scales) != 4*meta.Rows {
		return nil, fmt.Errorf("word vectors: %d cells and %d bytes of scales do not make %d rows of %d", len(s.cells), len(scales), meta.Rows, meta.Dimensions)
	}
	largest := float32(0)
	fs := make([]float32, meta.Rows)
	for i := range fs {
		fs[i] = math.Float32frombits(binary.LittleEndian.Uint32(scales[4*i:]))
		largest = max(largest, fs[i])
	}
	s.scale = make([]uint16, meta.Rows)
	for i, f := range fs {
		s.scale[i] = uint16(math.Round(float64(f) / float64(largest) * math.MaxUint16))
	}
	sc := bufio.NewScanner(bytes.NewReader(words))
	for n := int32(0); sc.Scan(); n++ {
		if _, dup := s.row[sc.Text()]; !dup {
			s.row[sc.Text()] = n
		}
	}
	return s, sc.Err()
}

// ID implements Embedder.
func (s *Static) ID() string { return s.id }

// Dimensions implements Embedder.
func (s *Static) Dimensions() int { return s.dim }

// Knows reports whether the table holds the folded word w whole.
func (s *Static) Knows(w string) bool { _, ok := s.row[w]; return ok }

// OneEdit is the likeliest word of the table that one insertion, deletion, replacement or swap of neighbours makes of a folded word
// of the letters a to z; "" when there is none. The words stand in the table by falling frequency, so that a rank stands for how
// likely a word is (Zipf); a replaced letter counts as e times less likely than the other slips, and the first letter is taken to be
// right unless it is one too many or swapped (first letters are seldom wrong: Pollock and Zamora 1984).
func (s *Static) OneEdit(w string) string {
	best, least := "", math.Inf(1)
	try := func(replaced float64, parts ...string) {
		v := strings.Join(parts, "")
		if r, ok := s.row[v]; ok && v != w {
			if cost := math.Log(float64(r)+1) + replaced; cost < least {
				best, least = v, cost
			}
		}
	}
	for i := range len(w) + 1 {
		if i < len(w) {
			if w[i] < 'a' || w[i] > 'z' {
				return ""
			}
			try(0, w[:i], w[i+1:])
		}
		if i+1 < len(w) {
			try(0, w[:i], w[i+1:i+2], w[i:i+1], w[i+2:])
		}
		for c := 'a'; c <= 'z' && i > 0; c++ {
			try(0, w[:i], string(c), w[i:])
			if i < len(w) {
				try(1, w[:i], string(c), w[i+1:])
			}
		}
	}
	return best
}

// Embed implements Embedder.
func (s *Static) Embed(ctx context.Context, texts []string) ([]Vector, error) {
	out := make([]Vector, len(texts))
	sum := make([]int64, s.dim)
	for i, t := range texts {
		clear(sum)
		for _, w := range text.Words(t) {
			s.add(sum, w.Norm)
		}
		out[i] = direction(sum)
	}
	return out, nil
}

// Word is the vector of one folded word. It is shared: nobody writes into it.
func (s *Static) Word(w string) Vector {
	if v, ok := s.words.Get(w); ok {
		return v
	}
	sum := make([]int64, s.dim)
	s.add(sum, w)
	v := direction(sum)
	s.words.Add(w, v)
	return v
}

// Likeness is how alike in meaning two folded words are, -1 to 1.
func (s *Static) Likeness(a, b string) float64 { return Cosine(s.Word(a), s.Word(b)) }

// Near is a word and how alike in meaning it is to another.
type Near struct {
	Word string
	Like float64
}

// Near lists the whole words of the table most alike in meaning to a folded word, itself left out, most alike first and by
// alphabet among equals: at most n, each at least as alike as least, of those that accept takes. Cost: one dot product for
// each word of the table.
func (s *Static) Near(word string, n int, least float64, accept func(word string) bool) []Near {
	v := s.Word(word)
	var out []Near
	for w, r := range s.row {
		if w == word || strings.HasPrefix(w, "#") {
			continue
		}
		row := Vector(s.cells[int(r)*s.dim : (int(r)+1)*s.dim])
		d := float64(Dot(v, row))
		if d <= 0 {
			continue
		}
		like := d / (127 * math.Sqrt(float64(Dot(row, row))))
		if like >= least && accept(w) {
			out = append(out, Near{w, like})
		}
	}
	slices.SortFunc(out, func(a, b Near) int {
		return cmp.Or(cmp.Compare(b.Like, a.Like), strings.Compare(a.Word, b.Word))
	})
	return out[:min(n, len(out))]
}

// add adds a word to a sum. All arithmetic is on whole numbers, so the order of words does not matter.
func (s *Static) add(sum []int64, w string) {
	if r, ok := s.row[w]; ok {
		s.addRow(sum, r)
		return
	}
	for _, part := range strings.FieldsFunc(w, func(r rune) bool { return r == '\'' || r == '.' || r == '-' || r == '_' }) {
		if r, ok := s.row[part]; ok {
			s.addRow(sum, r)
			continue
		}
		s.addPieces(sum, part)
	}
}

func (s *Static) addPieces(sum []int64, w string) {
	if len(w) > 60 {
		return
	}
	for at := 0; at < len(w); {
		end := len(w)
		for ; end > at; end-- {
			p := w[at:end]
			if at > 0 {
				p = "##" + p
			}
			if r, ok := s.row[p]; ok {
				s.addRow(sum, r)
				break
			}
		}
		if end == at {
			return // a character that no piece holds: the rest of the word is unknown
		}
		at = end
	}
}

func (s *Static) addRow(sum []int64, r int32) {
	k := int64(s.scale[r])
	row := s.cells[int(r)*s.dim : (int(r)+1)*s.dim]
	for j, v := range row {
		sum[j] += k * int64(v)
	}
}

// direction scales a sum to length 127.
func direction(sum []int64) Vector {
	v := make(Vector, len(sum))
	var sq float64
	for _, x := range sum {
		sq += float64(float64(x) * float64(x))
	}
	if sq == 0 {
		return v
	}
	n := math.Sqrt(sq)
	for j, x := range sum {
		v[j] = int8(math.Round(float64(x) / n * 127))
	}
	return v
}
