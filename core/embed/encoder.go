package embed

import (
	"context"
	"embed"
	"encoding/binary"
	"encoding/json"
	"fmt"
	"math"
	"runtime"
	"strings"
	"sync"
)

//go:embed model
var model embed.FS

// Encoder is the built-in sentence encoder: all-MiniLM-L6-v2 (Wang et al. 2020; 6 layers, 384 dimensions), its matrices as
// 8-bit integers, run in whole numbers wherever much is multiplied. Texts of more than 256 pieces are read in windows whose
// directions are averaged. It is safe for use by several at once. The same text gives the same vector on any processor
// and beside any other texts.
type Encoder struct {
	id      string
	width   int
	heads   int
	longest int
	cut     *wordPiece
	words   []int8    // [vocabulary][width]
	scale   []float32 // [vocabulary]
	places  []float32 // [longest][width]
	norm    layerNorm
	layers  []layer
	curves  *curves
	spare   sync.Pool // of *buffers
}

type layer struct {
	qkv, mix, up, down linear
	norm1, norm2       layerNorm
}

// linear is a matrix [out][in] in 8-bit rows with a scale each, and a bias.
type linear struct {
	in, out int
	w       panels[int8]
	scale   []float32
	bias    []float32
}

type layerNorm struct{ weight, bias []float32 }

var encoder = sync.OnceValues(loadEncoder)

// NewEncoder loads the encoder; later calls share it.
func NewEncoder() (*Encoder, error) { return encoder() }

type tensor struct {
	Name  string `json:"name"`
	Form  string `json:"form"`
	Shape []int  `json:"shape"`
	At    int    `json:"at"`
}

func loadEncoder() (*Encoder, error) {
	raw, err := model.ReadFile("model/weights.json")
	if err != nil {
		return nil, fmt.Errorf("read the encoder: %w", err)
	}
	var head struct {
		ID      string   `json:"id"`
		Layers  int      `json:"layers"`
		Heads   int      `json:"heads"`
		Width   int      `json:"width"`
		Longest int      `json:"longest"`
		Parts   int      `json:"parts"`
		Tensors []tensor `json:"tensors"`
	}
	if err := json.Unmarshal(raw, &head); err != nil {
		return nil, fmt.Errorf("read the encoder's description: %w", err)
	}
	var blob []byte
	for i := range head.Parts {
		part, err := model.ReadFile(fmt.Sprintf("model/weights-%d.bin", i))
		if err != nil {
			return nil, fmt.Errorf("read the encoder: %w", err)
		}
		blob = append(blob, part...)
	}
	vocab, err := model.ReadFile("model/vocab.txt")
	if err != nil {
		return nil, fmt.Errorf("read the encoder's vocabulary: %w", err)
	}
	e := &Encoder{id: head.ID, width: head.Width, heads: head.Heads, longest: head.Longest, cut: newWordPiece(string(vocab)), curves: newCurves()}
	e.spare.New = func() any { return new(buffers) }
	ts := map[string]tensor{}
	for _, t := range head.Tensors {
		ts[t.Name] = t
	}
	r := weights{blob, ts, nil}
	e.words, e.scale = r.int8s("words"), r.floats("words.scale")
	e.places, e.norm = r.floats("places"), r.norm("norm")
	for i := range head.Layers {
		p := fmt.Sprint(i, ".")
		e.layers = append(e.layers, layer{r.linear(p + "qkv"), r.linear(p + "mix"), r.linear(p + "up"), r.linear(p + "down"), r.norm(p + "norm1"), r.norm(p + "norm2")})
	}
	return e, r.err
}

// weights reads tensors out of the model's bytes.
type weights struct {
	blob []byte
	at   map[string]tensor
	err  error
}

func (r *weights) bytes(name, form string, size int) []byte {
	t, ok := r.at[name]
	n := size
	for _, d := range t.Shape {
		n *= d
	}
	if !ok || t.Form != form || t.At+n > len(r.blob) {
		if r.err == nil {
			r.err = fmt.Errorf("the encoder has no tensor %s of %s", name, form)
		}
		return nil
	}
	return r.blob[t.At : t.At+n]
}

func (r *weights) int8s(name string) []int8 {
	b := r.bytes(name, "int8", 1)
	out := make([]int8, len(b))
	for i, x := range b {
		out[i] = int8(x)
	}
	return out
}

func (r *weights) floats(name string) []float32 {
	b := r.bytes(name, "float32", 4)
	out := make([]float32, len(b)/4)
	for i := range out {
		out[i] = math.Float32frombits(binary.LittleEndian.Uint32(b[4*i:]))
	}
	return out
}

func (r *weights) norm(name string) layerNorm {
	return layerNorm{r.floats(name + ".weight"), r.floats(name + ".bias")}
}

func (r *weights) linear(name string) linear {
	s := r.at[name+".weight"].Shape
	if len(s) != 2 || s[0]%columns != 0 || s[1]%2 != 0 {
		r.err = fmt.Errorf("the encoder's matrix %s is %v, not two multiples of %d", name, s, columns)
		return linear{}
	}
	return linear{
		in: s[1], out: s[0], w: packed(r.int8s(name+".weight"), s[0], s[1]), scale: r.floats(name + ".weight.scale"), bias: r.floats(name + ".bias"),
	}
}

// ID implements Embedder.
func (e *Encoder) ID() string { return e.id }

// Dimensions implements Embedder.
func (e *Encoder) Dimensions() int { return e.width }

// window is how many pieces of a long text one pass reads, and stride how far the next one starts after it.
const (
	window = 200
	stride = 150
)

// rowsAtOnce is about how many pieces go through the layers together: enough to read each matrix seldom, few enough to
// stay in the cache.
const rowsAtOnce = 128

// Embed implements Embedder, on all cores. A text without any piece has the zero vector.
func (e *Encoder) Embed(ctx context.Context, texts []string) ([]Vector, error) {
	return e.EmbedOn(runtime.GOMAXPROCS(0), texts)
}

// EmbedOn is Embed on a number of cores, 1 at least. The vectors are the same on any number.
func (e *Encoder) EmbedOn(cores int, texts []string) ([]Vector, error) {
	type piece struct {
		text int
		ids  []int32
	}
	var work []piece
	parts := make([]int, len(texts))
	for i, t := range texts {
		for _, ids := range e.windows(t) {
			work = append(work, piece{i, ids})
			parts[i]++
		}
	}
	pooled := make([][]float32, len(work))
	var batches [][2]int
	for from := 0; from < len(work); {
		to, rows := from, 0
		for to < len(work) && (to == from || rows+len(work[to].ids) <= rowsAtOnce) {
			rows += len(work[to].ids)
			to++
		}
		batches = append(batches, [2]int{from, to})
		from = to
	}
	var wg sync.WaitGroup
	turn := make(chan struct{}, max(1, cores))
	for _, b := range batches {
		wg.Add(1)
		turn <- struct{}{}
		go func() {
			defer func() { <-turn; wg.Done() }()
			ids := make([][]int32, 0, b[1]-b[0])
			for _, p := range work[b[0]:b[1]] {
				ids = append(ids, p.ids)
			}
			copy(pooled[b[0]:b[1]], e.run(ids))
		}()
	}
	wg.Wait()
	out := make([]Vector, len(texts))
	n := 0
	for i := range texts {
		sum := make([]float64, e.width)
		for range parts[i] {
			for j, x := range unit(pooled[n]) {
				sum[j] += x
			}
			n++
		}
		out[i] = quantised(sum)
	}
	return out, nil
}

// windows gives the pieces of a text, in several runs when it is long; none for a text without a word.
func (e *Encoder) windows(t string) [][]int32 {
	all := e.cut.pieces(t, 1<<20)
	if len(all) <= 2 {
		return nil
	}
	if len(all) <= e.longest {
		return [][]int32{all}
	}
	body := all[1 : len(all)-1]
	var out [][]int32
	for from := 0; ; from += stride {
		to := min(from+window, len(body))
		run := append([]int32{e.cut.cls}, body[from:to]...)
		out = append(out, append(run, e.cut.sep))
		if to == len(body) {
			return out
		}
	}
}

func unit(v []float32) []float64 {
	out := make([]float64, len(v))
	sq := 0.0
	for j, x := range v {
		out[j] = float64(x)
		sq += float64(out[j] * out[j])
	}
	if sq == 0 {
		return out
	}
	n := math.Sqrt(sq)
	for j := range out {
		out[j] /= n
	}
	return out
}

func quantised(sum []float64) Vector {
	v := make(Vector, len(sum))
	sq := 0.0
	for _, x := range sum {
		sq += float64(x * x)
	}
	if sq == 0 {
		return v
	}
	n := math.Sqrt(sq)
	for j, x := range sum {
		v[j] = int8(math.Round(x / n * 127))
	}
	return v
}

// Describe says what the encoder is, for people.
func (e *Encoder) Describe() string {
	return strings.Join([]string{"all-MiniLM-L6-v2", fmt.Sprint(len(e.layers), " layers"), fmt.Sprint(e.width, " dimensions")}, ", ")
}
