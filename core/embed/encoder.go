package embed

import (
	"context"
	"embed"
	"encoding/binary"
	"encoding/json"
	"errors"
	"fmt"
	"math"
	"runtime"
	"slices"
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
	id, name          string
	width             int
	heads             int
	longest           int
	cut               cutter
	passage, question side
	apart             []float32                      // [n][width], directions that are taken out of vectors
	word              func(row int32, out []float32) // the vector of a piece
	places            []float32                      // [longest][width]
	norm              layerNorm
	layers            []layer
	curves            *curves
	spare             sync.Pool // of *buffers
}

type layer struct {
	qkv, mix, up, down linear
	norm1, norm2       layerNorm
}

// cutter cuts texts into pieces.
type cutter interface {
	pieces(s string, most int) []int32 // between the marks for start and end, cut off at most of them
	marks() (start, end int32)
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

// header describes an encoder's files.
type header struct {
	ID      string   `json:"id"`
	Layers  int      `json:"layers"`
	Heads   int      `json:"heads"`
	Width   int      `json:"width"`
	Longest int      `json:"longest"`
	Parts   int      `json:"parts"`
	Tensors []tensor `json:"tensors"`
}

func loadEncoder() (*Encoder, error) {
	raw, err := model.ReadFile("model/weights.json")
	if err != nil {
		return nil, fmt.Errorf("read the encoder: %w", err)
	}
	var head header
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
	r := newWeights(blob, head.Tensors)
	words := byteRows{r.int8s("words"), r.floats("words.scale"), head.Width}
	e := newEncoder(head, newWordPiece(string(vocab)), words.row, r)
	e.name = "all-MiniLM-L6-v2"
	return e, r.err
}

// byteRows are rows of whole numbers from -127 to 127 with a scale each.
type byteRows struct {
	cells []int8
	scale []float32
	width int
}

func (b byteRows) row(i int32, out []float32) {
	s := b.scale[i]
	for j, x := range b.cells[int(i)*b.width : (int(i)+1)*b.width] {
		out[j] = float32(s * float32(x))
	}
}

// newEncoder reads the layers of an encoder; what fails is in r.
func newEncoder(head header, cut cutter, word func(int32, []float32), r *weights) *Encoder {
	e := &Encoder{id: head.ID, width: head.Width, heads: head.Heads, longest: head.Longest, cut: cut, word: word, curves: newCurves()}
	e.spare.New = func() any { return new(buffers) }
	e.places, e.norm = r.floats("places"), r.norm("norm")
	e.layers = make([]layer, head.Layers)
	errs := make([]error, head.Layers)
	var wg sync.WaitGroup
	for i := range head.Layers {
		wg.Go(func() {
			p, r := fmt.Sprint(i, "."), &weights{r.blob, r.at, nil}
			e.layers[i] = layer{r.linear(p + "qkv"), r.linear(p + "mix"), r.linear(p + "up"), r.linear(p + "down"), r.norm(p + "norm1"), r.norm(p + "norm2")}
			errs[i] = r.err
		})
	}
	wg.Wait()
	if r.err == nil {
		r.err = errors.Join(errs...)
	}
	return e
}

// weights reads tensors out of the model's bytes.
type weights struct {
	blob []byte
	at   map[string]tensor
	err  error
}

func newWeights(blob []byte, ts []tensor) *weights {
	r := &weights{blob, map[string]tensor{}, nil}
	for _, t := range ts {
		r.at[t.Name] = t
	}
	return r
}

// bytes gives a tensor whose numbers take size bytes each, or half a byte where it is 0.
func (r *weights) bytes(name, form string, size int) []byte {
	t, ok := r.at[name]
	n := max(1, size)
	for _, d := range t.Shape {
		n *= d
	}
	if size == 0 {
		n /= 2
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
	var w []int8
	var scale []float32
	if r.at[name+".weight"].Form == "int4" {
		w, scale = r.fours(name+".weight", s[0], s[1])
	} else {
		w, scale = r.int8s(name+".weight"), r.floats(name+".weight.scale")
	}
	if r.err != nil {
		return linear{}
	}
	return linear{in: s[1], out: s[0], w: packed(w, s[0], s[1]), scale: scale, bias: r.floats(name + ".bias")}
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
	return e.EmbedOn(allCores(), texts)
}

func allCores() int { return runtime.GOMAXPROCS(0) }

// EmbedOn is Embed on a number of cores, 1 at least. The vectors are the same on any number.
func (e *Encoder) EmbedOn(cores int, texts []string) ([]Vector, error) {
	return e.embedOn(cores, e.passage, texts)
}

// embedOn is EmbedOn for texts of one side.
func (e *Encoder) embedOn(cores int, as side, texts []string) ([]Vector, error) {
	type piece struct {
		text int
		ids  []int32
	}
	var work []piece
	parts := make([]int, len(texts))
	for i, t := range texts {
		for _, ids := range e.windows(as.before, t) {
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
		if parts[i] > 0 {
			sum = e.spread(unitOf(sum), as)
		}
		out[i] = quantised(sum)
	}
	return out, nil
}

// windows gives the pieces of a text after what stands before it, in several runs when it is long; none for a text without a word.
func (e *Encoder) windows(before, t string) [][]int32 {
	all := e.cut.pieces(t, 1<<20)
	if len(all) <= 2 {
		return nil
	}
	start, end := e.cut.marks()
	head := []int32{start}
	if before != "" {
		head = e.cut.pieces(before, e.longest)
		head = head[:len(head)-1]
	}
	body := all[1 : len(all)-1]
	if len(head)+len(body)+1 <= e.longest {
		return [][]int32{append(append(head, body...), end)}
	}
	var out [][]int32
	for from := 0; ; from += stride {
		to := min(from+window, len(body))
		run := append(slices.Clone(head), body[from:to]...)
		out = append(out, append(run, end))
		if to == len(body) {
			return out
		}
	}
}

func unit(v []float32) []float64 {
	out := make([]float64, len(v))
	for j, x := range v {
		out[j] = float64(x)
	}
	return unitOf(out)
}

// unitOf brings a direction to length 1; nothing stays nothing.
func unitOf(v []float64) []float64 {
	sq := 0.0
	for _, x := range v {
		sq += float64(x * x)
	}
	if sq == 0 {
		return v
	}
	n := math.Sqrt(sq)
	for j := range v {
		v[j] /= n
	}
	return v
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
	return strings.Join([]string{e.name, fmt.Sprint(len(e.layers), " layers"), fmt.Sprint(e.width, " dimensions")}, ", ")
}
