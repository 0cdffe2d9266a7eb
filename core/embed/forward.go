package embed

import (
	"math"
	"slices"
)

// levels is the range of a row of activations once it is whole numbers: a sum over 1,536 products with 8-bit weights
// stays within 32 bits.
const levels = 8191

// certain is what a probability of 1 becomes in whole numbers.
const certain = 16383

// tall is what rows come in: the kernels work on so many at once.
const tall = 8

func upTo(n, step int) int { return (n + step - 1) / step * step }

// run takes several runs of pieces through the layers together and gives the mean of each run's last states.
func (e *Encoder) run(ids [][]int32) [][]float32 {
	rows, longest := 0, 0
	for _, s := range ids {
		rows += len(s)
		longest = max(longest, len(s))
	}
	pad := upTo(rows, tall)
	w := e.width
	b := e.spare.Get().(*buffers)
	defer e.spare.Put(b)
	b.fit(pad, w, w/e.heads, longest)
	x := b.x
	at := 0
	for _, s := range ids {
		for k, id := range s {
			row := x[at*w : (at+1)*w]
			e.word(id, row)
			for j, p := range e.places[k*w : (k+1)*w] {
				row[j] += p
			}
			at++
		}
	}
	clear(x[at*w:])
	clear(b.mix)
	e.norm.apply(b, b.mix, pad, w)
	for i := range e.layers {
		e.through(&e.layers[i], ids, pad, b)
	}
	out := make([][]float32, len(ids))
	at = 0
	for i, s := range ids {
		sum := make([]float32, w)
		for range s {
			for j, v := range x[at*w : (at+1)*w] {
				sum[j] += v
			}
			at++
		}
		out[i] = sum // its length does not matter: only the direction does
	}
	return out
}

// buffers are reused from layer to layer and from run to run.
type buffers struct {
	x     []float32 // [rows][width], the states
	q     []int16   // [rows][4*width], a matrix of whole numbers
	scale []float32 // [rows], of q
	qkv   []float32 // [rows][3*width]
	up    []float32 // [rows][4*width]
	mix   []float32 // [rows and some more][width]
	head  attention
}

// attention is what one head of one run works in. t is the run's length, up to a multiple of 16.
type attention struct {
	query []int16       // [t][size]
	key   panels[int16] // of t columns
	value panels[int16] // of t numbers
	p     []int16       // [t][t]
	logit []float32     // [t][t]
	qs    []float32     // [t]
	ks    []float32     // [t]
	vs    []float32     // [size]
	ones  []float32     // [t]
	none  []float32     // [max(t, size)]
	row   []int16       // [size]
}

// fit makes the buffers large enough; what they held is of no account.
func (b *buffers) fit(rows, width, size, longest int) {
	b.x, b.q, b.scale = slices.Grow(b.x[:0], rows*width)[:rows*width], slices.Grow(b.q[:0], rows*4*width)[:rows*4*width], slices.Grow(b.scale[:0], rows)[:rows]
	b.qkv, b.up = slices.Grow(b.qkv[:0], rows*3*width)[:rows*3*width], slices.Grow(b.up[:0], rows*4*width)[:rows*4*width]
	more := (rows + tall) * width // the last run may end before a kernel's rows do
	b.mix = slices.Grow(b.mix[:0], more)[:more]
	if t := upTo(longest, columns); len(b.head.qs) < t {
		b.head = attention{
			query: make([]int16, t*size), key: panels[int16]{pairs: make([]int16, t*size)}, value: panels[int16]{pairs: make([]int16, t*size)},
			p: make([]int16, t*t), logit: make([]float32, t*t), qs: make([]float32, t), ks: make([]float32, t), vs: make([]float32, size),
			ones: slices.Repeat([]float32{1}, t), none: make([]float32, max(t, size)), row: make([]int16, size),
		}
	}
}

// through takes the states through one layer. They stand in b as whole numbers already, and do so after it.
func (e *Encoder) through(l *layer, ids [][]int32, rows int, b *buffers) {
	w := e.width
	l.qkv.times(b, rows, b.qkv)
	at := 0
	for _, s := range ids {
		e.attend(b.qkv[at*3*w:], len(s), b.mix[at*w:], &b.head)
		at += len(s)
	}
	for r := range rows {
		row := b.mix[r*w : (r+1)*w]
		b.whole(r, row, largest(row))
	}
	l.mix.times(b, rows, b.mix)
	l.norm1.apply(b, b.mix, rows, w)
	l.up.times(b, rows, b.up)
	for r := range rows {
		row := b.up[r*4*w : (r+1)*4*w]
		b.whole(r, row, e.curves.gelu(row))
	}
	l.down.times(b, rows, b.mix)
	l.norm2.apply(b, b.mix, rows, w)
}

// whole brings row r of some matrix to whole numbers, for the next one to be multiplied with; bits are those of its largest size.
func (b *buffers) whole(r int, row []float32, bits uint32) {
	b.scale[r] = wholeRow(row, b.q[r*len(row):(r+1)*len(row)], bits)
}

// wholeRow brings a row to whole numbers of at most levels, and gives what one of them is worth; bits are those of its largest size.
func wholeRow(x []float32, q []int16, bits uint32) float32 {
	top := math.Float32frombits(bits)
	if top == 0 {
		clear(q[:len(x)])
		return 0
	}
	toWhole(x, q, levels/top)
	return top / levels
}

// times multiplies the whole rows in b with the matrix: out[row][o] = row·w[o] + bias[o].
func (l *linear) times(b *buffers, rows int, out []float32) {
	p := product{a: b.q, stride: l.in, rows: rows, row: b.scale, column: l.scale, bias: l.bias, out: out, between: l.out, last: l.out}
	narrow(&p, l.w)
}

// apply adds y to the states, normalises each row (layer normalisation, Ba et al. 2016) and brings it to whole numbers. Four rows go side by
// side, so that a sum of one need not wait for the sum before it; there are a multiple of four.
func (n layerNorm) apply(b *buffers, y []float32, rows, width int) {
	long := float64(width)
	for r := 0; r < rows; r += 4 {
		x := b.x[r*width : (r+4)*width]
		sum := sums(x, y[r*width:])
		var means [4]float32
		for i, s := range sum {
			means[i] = float32(s / long)
		}
		for i, s := range squares(x, means) {
			row := x[i*width : (i+1)*width]
			b.whole(r+i, row, scale(row, deviation(s/long), n.weight, n.bias))
		}
	}
}

// deviation is one over the standard deviation of a variance.
func deviation(variance float64) float32 { return float32(1 / math.Sqrt(variance+1e-12)) }

// attend is multi-head self-attention (Vaswani et al. 2017, section 3.2) over one run of t rows. qkv holds query, key and
// value of each row side by side; out receives the mixed values, and something of no account in up to seven rows more.
func (e *Encoder) attend(qkv []float32, t int, out []float32, a *attention) {
	w, size := e.width, e.width/e.heads
	t8, t16 := upTo(t, tall), upTo(t, columns)
	a.key.deep, a.key.wide, a.value.deep, a.value.wide = size, t16, t16, size
	clear(a.key.pairs[(t16-columns)*size : t16*size])
	clear(a.value.pairs[:t16*size])
	root := float32(1 / math.Sqrt(float64(size)))
	ask := product{a: a.query, stride: size, rows: t8, row: a.qs, column: a.ks, bias: a.none, out: a.logit, between: t16, last: t16}
	mix := product{a: a.p, stride: t16, rows: t8, row: a.ones, column: a.vs, bias: a.none, between: w, last: size}
	for h := range e.heads {
		for r := range t {
			row := qkv[r*3*w+h*size:]
			a.qs[r] = wholeRow(row[:size], a.query[r*size:], largest(row[:size])) * root
			a.ks[r] = wholeRow(row[w:w+size], a.row, largest(row[w:w+size]))
			to := a.key.pairs[r/columns*columns*size+2*(r%columns):]
			for k := 0; k < size; k += 2 {
				to[k*columns], to[k*columns+1] = a.row[k], a.row[k+1]
			}
		}
		a.values(qkv[2*w+h*size:], t, t16, size, 3*w)
		broad(&ask, a.key)
		e.curves.softmax(a.logit, a.p, t, t, t16)
		mix.out = out[h*size:]
		broad(&mix, a.value)
	}
}

// values brings each column of a head's values to whole numbers with one scale, and packs them.
func (a *attention) values(v []float32, t, t16, size, stride int) {
	for c := 0; c < size; c += columns {
		var bits [columns]uint32
		var ups [columns]float32
		largestOf16(v[c:], t, stride, bits[:])
		for i, b := range bits {
			top := math.Float32frombits(b)
			if b != 0 {
				ups[i] = levels / top
			}
			a.vs[c+i] = float32(top/levels) / certain
		}
		out := a.value.pairs[c*t16:]
		pairsOf16(v[c:], t/2, stride, ups[:], out)
		if t%2 == 1 { // the last row has no other
			for i, x := range v[(t-1)*stride+c:][:columns] {
				out[(t-1)*columns+2*i] = int16(rounded(float32(x * ups[i])))
			}
		}
	}
}

// curves are the two functions that no processor computes alike, as tables with straight lines between their points.
type curves struct {
	exp  []float32 // of -expRange to 0
	bend []float32 // GELU of -bendRange to bendRange
}

const (
	expRange  = 20
	expSteps  = 256 // a unit
	bendRange = 6
	bendSteps = 512
)

func newCurves() *curves {
	c := &curves{exp: make([]float32, expRange*expSteps+2), bend: make([]float32, 2*bendRange*bendSteps+2)}
	// Rounded to a grid that is far coarser than the differences between processors' libraries.
	grid := func(x float64) float32 { return float32(math.Round(x*(1<<22)) / (1 << 22)) }
	for i := range c.exp {
		c.exp[i] = grid(math.Exp(float64(i)/expSteps - expRange))
	}
	for i := range c.bend {
		x := float64(i)/bendSteps - bendRange
		c.bend[i] = grid(0.5 * x * (1 + math.Erf(x/math.Sqrt2)))
	}
	return c
}

// nowhere is less than any logit.
const nowhere = -1e30

// softmax turns rows of t logits into probabilities, as whole numbers of which certain stands for 1. Rows are t16 numbers apart, and what
// is between is 0. It uses the logits as work space.
func (c *curves) softmax(logits []float32, p []int16, count, t, t16 int) {
	var rows [4][]float32
	for r := 0; r < count; r += 4 {
		n := min(4, count-r)
		for i := range rows {
			row := logits[(r+min(i, n-1))*t16:][:t16] // where there are less than four, the last one takes the places
			rows[i] = row
			if i < n {
				for j := t; j < t16; j++ {
					row[j] = nowhere
				}
				c.grow(row, topOf(row))
			}
		}
		// Each row's sum in the order of its numbers; the four side by side, so that none has to wait.
		var s0, s1, s2, s3 float32
		r0, r1, r2, r3 := rows[0][:t], rows[1][:t], rows[2][:t], rows[3][:t]
		for j := range r0 {
			s0, s1, s2, s3 = s0+r0[j], s1+r1[j], s2+r2[j], s3+r3[j]
		}
		for i, sum := range []float32{s0, s1, s2, s3}[:n] {
			toWhole(rows[i], p[(r+i)*t16:][:t16], float32(certain/sum))
		}
	}
}
