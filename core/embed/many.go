package embed

import (
	"bytes"
	"compress/flate"
	"context"
	"embed"
	"encoding/binary"
	"encoding/json"
	"fmt"
	"io"
	"math"
	"sync"

	"golang.org/x/sync/errgroup"
)

//go:embed many
var manyFiles embed.FS

// ManyID is the ID of the encoder of many languages.
const ManyID = "e5-small-int4-1"

var many = sync.OnceValues(loadMany)

// NewManyEncoder loads the built-in encoder of many languages: multilingual-e5-small (Wang et al. 2024; 12 layers, 384 dimensions), its matrices
// from 4 bits, its vocabulary that of XLM-R without the letters of other scripts than Latin, Greek and Cyrillic. Texts that say the same in two
// languages have vectors that lie close. Passages and questions are read differently: Embed reads passages, Questions the others.
// Loading takes about half a second and some 60 MB; later calls share it.
func NewManyEncoder() (*Encoder, error) { return many() }

// BuiltIn is the built-in encoder with an ID; nil when none has it. That of many languages is loaded when it is first wanted.
func BuiltIn(id string) *Encoder {
	load := NewEncoder
	if id == ManyID {
		load = NewManyEncoder
	}
	e, err := load()
	if err != nil || e.ID() != id { // the encoders are part of the program, and tested
		return nil
	}
	return e
}

func loadMany() (*Encoder, error) {
	raw, err := manyFiles.ReadFile("many/head.json")
	if err != nil {
		return nil, fmt.Errorf("read the encoder of many languages: %w", err)
	}
	var head struct {
		header
		Size         int     `json:"size"` // bytes, inflated
		Part         int     `json:"part"` // bytes of each part, inflated
		Start        int32   `json:"start"`
		End          int32   `json:"end"`
		Unknown      int32   `json:"unknown"`
		UnknownScore float32 `json:"unknownScore"`
	}
	if err := json.Unmarshal(raw, &head); err != nil {
		return nil, fmt.Errorf("read the description of the encoder of many languages: %w", err)
	}
	if head.ID != ManyID {
		return nil, fmt.Errorf("the encoder of many languages is %s, not %s", head.ID, ManyID)
	}
	blob := make([]byte, head.Size)
	var wg errgroup.Group
	for i := range head.Parts {
		wg.Go(func() error {
			part, err := manyFiles.ReadFile(fmt.Sprintf("many/model-%d.bin", i))
			if err != nil {
				return fmt.Errorf("read the encoder of many languages: %w", err)
			}
			if _, err := io.ReadFull(flate.NewReader(bytes.NewReader(part)), blob[i*head.Part:min((i+1)*head.Part, head.Size)]); err != nil {
				return fmt.Errorf("inflate part %d of the encoder of many languages: %w", i, err)
			}
			return nil
		})
	}
	if err := wg.Wait(); err != nil {
		return nil, err
	}
	r := newWeights(blob, head.Tensors)
	cut, err := newUnigram(r.bytes("pieces", "pieces", 1), r.floats("scores"), r.bytes("becomes", "becomes", 1), head.Start, head.End, head.Unknown, head.UnknownScore)
	if err != nil {
		return nil, err
	}
	words := nibbleRows{bytes.Clone(r.bytes("words", "int4", 0)), r.halves("words.scale"), head.Width}
	e := newEncoder(head.header, cut, words.row, r)
	e.name = "multilingual-e5-small"
	e.passage = side{"passage: ", r.floats("centre.passage")}
	e.question = side{"query: ", r.floats("centre.question")}
	e.apart = r.floats("apart")
	return e, r.err
}

// Questions is the encoder as it reads questions; the same one where it makes no difference.
func (e *Encoder) Questions() Embedder {
	if e.question.before == e.passage.before {
		return e
	}
	return asker{e}
}

// asker reads texts as questions.
type asker struct{ *Encoder }

// Embed implements Embedder.
func (a asker) Embed(ctx context.Context, texts []string) ([]Vector, error) {
	return a.embedOn(allCores(), a.question, texts)
}

// side is how a text is read: as a passage or as a question.
type side struct {
	before string    // what is put before it
	centre []float32 // [width], what is taken off its direction; nil for nothing
}

// spread takes the centre of a side off a direction, and out of it what tells only the language (see apart in tools/embeddings/multilingual.py).
func (e *Encoder) spread(v []float64, s side) []float64 {
	if s.centre == nil {
		return v
	}
	for j, c := range s.centre {
		v[j] -= float64(c)
	}
	for from := 0; from < len(e.apart); from += e.width {
		d := e.apart[from : from+e.width]
		along := 0.0
		for j, x := range d {
			along += float64(v[j] * float64(x))
		}
		for j, x := range d {
			v[j] -= float64(along * float64(x))
		}
	}
	return v
}

// nibbleRows are rows of whole numbers from -8 to 7, two a byte, with a scale each.
type nibbleRows struct {
	cells []byte
	scale []float32
	width int
}

func (n nibbleRows) row(i int32, out []float32) {
	half := n.width / 2
	s := n.scale[i]
	for k, b := range n.cells[int(i)*half : (int(i)+1)*half] {
		out[2*k], out[2*k+1] = float32(s*float32(int(b&15)-8)), float32(s*float32(int(b>>4)-8))
	}
}

// fours reads a matrix of 4 bits with a scale for every 32 numbers of a row as 8 bits with one scale a row.
func (r *weights) fours(name string, rows, in int) ([]int8, []float32) {
	cells, scale := r.bytes(name, "int4", 0), r.halves(name+".scale")
	if r.err != nil {
		return nil, nil
	}
	const block = 32
	if len(cells)*2 != rows*in || len(scale) != rows*in/block {
		r.err = fmt.Errorf("the encoder's matrix %s has not the size of %d times %d", name, rows, in)
		return nil, nil
	}
	out, scales, row := make([]int8, rows*in), make([]float32, rows), make([]float32, in)
	for o := range rows {
		top := float32(0)
		for k := range in {
			b := cells[(o*in+k)/2]
			if k%2 == 1 {
				b >>= 4
			}
			row[k] = float32(scale[(o*in+k)/block] * float32(int(b&15)-8))
			top = max(top, row[k], -row[k])
		}
		if top == 0 {
			continue
		}
		scales[o] = top / 127
		for k, x := range row {
			out[o*in+k] = int8(math.RoundToEven(float64(x) / float64(top) * 127))
		}
	}
	return out, scales
}

// halves reads numbers of 16 bits (IEEE 754 binary16).
func (r *weights) halves(name string) []float32 {
	b := r.bytes(name, "float16", 2)
	out := make([]float32, len(b)/2)
	for i := range out {
		out[i] = half(binary.LittleEndian.Uint16(b[2*i:]))
	}
	return out
}

// half is the value of a binary16, which is never infinite here.
func half(h uint16) float32 {
	sign, exp, frac := float64(1), int(h>>10&31), float64(h&1023)
	if h>>15 == 1 {
		sign = -1
	}
	if exp == 0 {
		return float32(sign * math.Ldexp(frac, -24))
	}
	return float32(sign * math.Ldexp(1024+frac, exp-25))
}
