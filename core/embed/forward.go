package embed

import "math"

// levels is the range of a row of activations once it is whole numbers: a sum over 1,536 products with 8-bit weights
// stays within 32 bits.
const levels = 8191

// certain is what a probability of 1 becomes in whole numbers.
const certain = 16383

// run takes several runs of pieces through the layers together and gives the mean of each run's last states.
func (e *Encoder) run(ids [][]int32) [][]float32 {
	rows := 0
	for _, s := range ids {
		rows += len(s)
	}
	pad := (rows + 3) &^ 3
	w := e.width
	x := make([]float32, pad*w)
	at := 0
	for _, s := range ids {
		for k, id := range s {
			row := x[at*w : (at+1)*w]
			word := e.words[int(id)*w : (int(id)+1)*w]
			place := e.places[k*w : (k+1)*w]
			for j := range row {
				row[j] = float32(e.scale[id]*float32(word[j])) + place[j]
			}
			e.norm.apply(row)
			at++
		}
	}
	wide := 4 * w
	b := &buffers{q: make([]int16, pad*wide), scale: make([]float32, pad), qkv: make([]float32, pad*3*w), up: make([]float32, pad*wide), mix: make([]float32, pad*w)}
	for i := range e.layers {
		e.through(&e.layers[i], ids, x, pad, b)
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

// buffers are reused from layer to layer.
type buffers struct {
	q     []int16
	scale []float32
	qkv   []float32
	up    []float32
	mix   []float32
}

func (e *Encoder) through(l *layer, ids [][]int32, x []float32, rows int, b *buffers) {
	w := e.width
	whole(x, rows, w, b)
	l.qkv.times(b, rows, b.qkv)
	at := 0
	clear(b.mix)
	for _, s := range ids {
		e.attend(b.qkv[at*3*w:], len(s), b.mix[at*w:])
		at += len(s)
	}
	whole(b.mix, rows, w, b)
	l.mix.times(b, rows, b.mix)
	addNorm(x, b.mix, rows, w, l.norm1)
	whole(x, rows, w, b)
	l.up.times(b, rows, b.up)
	e.curves.gelu(b.up)
	whole(b.up, rows, 4*w, b)
	l.down.times(b, rows, b.mix)
	addNorm(x, b.mix, rows, w, l.norm2)
}

// whole brings each row to whole numbers with one scale.
func whole(x []float32, rows, width int, b *buffers) {
	for r := range rows {
		b.scale[r] = wholeRow(x[r*width:(r+1)*width], b.q[r*width:(r+1)*width], levels)
	}
}

// Adding shifter to a number of at most 2^22 leaves the number, rounded to the nearest whole one and halves to the even
// one, in the low bits: without a branch, and the same on every processor (IEEE 754).
const (
	shifter     = 1.5 * (1 << 23)
	shifterBits = 0x4b400000
	signless    = 0x7fffffff
)

func rounded(x float32) int32 { return int32(math.Float32bits(x+shifter)) - shifterBits }

func wholeRow(x []float32, q []int16, most float32) float32 {
	var bits uint32 // of the largest size: as whole numbers, the bits of sizes have the order of the sizes
	for _, v := range x {
		bits = max(bits, math.Float32bits(v)&signless)
	}
	q = q[:len(x)]
	top := math.Float32frombits(bits)
	if top == 0 {
		clear(q)
		return 0
	}
	up := most / top
	for j, v := range x {
		q[j] = int16(rounded(float32(v * up)))
	}
	return top / most
}

// times multiplies the whole rows in b with the matrix: out[row][o] = row·w[o] + bias[o]. rows is a multiple of 4.
func (l *linear) times(b *buffers, rows int, out []float32) {
	var d [16]int32
	for o := 0; o < l.out; o += 4 {
		w := l.w[o*l.in:]
		scale, bias := (*[4]float32)(l.scale[o:]), (*[4]float32)(l.bias[o:])
		for r := 0; r < rows; r += 4 {
			dots4x4(b.q[r*l.in:], l.in, w, l.in, l.in, &d)
			for i := range 4 {
				k := b.scale[r+i]
				y := (*[4]float32)(out[(r+i)*l.out+o:])
				y[0] = float32(float32(d[2*i])*float32(k*scale[0])) + bias[0]
				y[1] = float32(float32(d[2*i+1])*float32(k*scale[1])) + bias[1]
				y[2] = float32(float32(d[8+2*i])*float32(k*scale[2])) + bias[2]
				y[3] = float32(float32(d[8+2*i+1])*float32(k*scale[3])) + bias[3]
			}
		}
	}
}

// addNorm adds y to x and normalises each row.
func addNorm(x, y []float32, rows, width int, n layerNorm) {
	for r := range rows {
		row, add := x[r*width:(r+1)*width], y[r*width:(r+1)*width]
		for j := range row {
			row[j] += add[j]
		}
		n.apply(row)
	}
}

// apply is layer normalisation (Ba et al. 2016) of one row, in place.
func (n layerNorm) apply(row []float32) {
	var sum float64
	for _, v := range row {
		sum += float64(v)
	}
	mean := float32(sum / float64(len(row)))
	var sq float64
	for j, v := range row {
		row[j] = v - mean
		sq += float64(row[j]) * float64(row[j]) // squares of float32 are exact in float64: no order of rounding to mind but the sum's
	}
	down := float32(1 / math.Sqrt(sq/float64(len(row))+1e-12))
	w, b := n.weight[:len(row)], n.bias[:len(row)]
	for j, v := range row {
		row[j] = float32(float32(v*down)*w[j]) + b[j]
	}
}

// attend is multi-head self-attention (Vaswani et al. 2017, section 3.2) over one run of t rows. qkv holds query, key and
// value of each row side by side; out receives the mixed values.
func (e *Encoder) attend(qkv []float32, t int, out []float32) {
	w, size := e.width, e.width/e.heads
	t4, t16 := (t+3)&^3, (t+15)&^15
	q, k := make([]int16, t4*size), make([]int16, t4*size)
	v := make([]int16, size*t16)
	p := make([]int16, t4*t16)
	qs, ks := make([]float32, t4), make([]float32, t4)
	vs := make([]float32, size)
	logits := make([]float32, t4*t4)
	column := make([]float32, t)
	root := float32(1 / math.Sqrt(float64(size)))
	var d [8]int32
	for h := range e.heads {
		for r := range t {
			row := qkv[r*3*w:]
			qs[r] = wholeRow(row[h*size:(h+1)*size], q[r*size:], levels) * root
			ks[r] = wholeRow(row[w+h*size:w+(h+1)*size], k[r*size:], levels)
		}
		for c := range size {
			for r := range t {
				column[r] = qkv[r*3*w+2*w+h*size+c]
			}
			vs[c] = wholeRow(column, v[c*t16:c*t16+t], levels)
		}
		for r := 0; r < t4; r += 4 {
			for c := 0; c < t4; c += 2 {
				dots4x2Wide(q[r*size:], size, k[c*size:], size, size, &d)
				for i := range 4 {
					logits[(r+i)*t4+c] = float32(float32(d[2*i]) * float32(qs[r+i]*ks[c]))
					logits[(r+i)*t4+c+1] = float32(float32(d[2*i+1]) * float32(qs[r+i]*ks[c+1]))
				}
			}
		}
		for r := range t {
			e.curves.softmax(logits[r*t4:r*t4+t], p[r*t16:r*t16+t])
		}
		for r := 0; r < t4; r += 4 {
			for c := 0; c < size; c += 2 {
				dots4x2Wide(p[r*t16:], t16, v[c*t16:], t16, t16, &d)
				for i := 0; i < 4 && r+i < t; i++ {
					y := out[(r+i)*w+h*size+c:]
					y[0] = float32(float32(d[2*i]) * float32(vs[c]/certain))
					y[1] = float32(float32(d[2*i+1]) * float32(vs[c+1]/certain))
				}
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

// gelu is the Gaussian error linear unit (Hendrycks and Gimpel 2016), in place.
func (c *curves) gelu(x []float32) {
	for j, v := range x {
		switch {
		case v >= bendRange:
		case v <= -bendRange:
			x[j] = 0
		default:
			s := float32((v + bendRange) * bendSteps)
			i := int32(s)
			lo := c.bend[i]
			x[j] = lo + float32((s-float32(i))*(c.bend[i+1]-lo))
		}
	}
}

// softmax turns logits into probabilities, as whole numbers of which certain stands for 1. It uses logits as work space.
func (c *curves) softmax(logits []float32, p []int16) {
	top := logits[0]
	for _, v := range logits {
		if v > top {
			top = v
		}
	}
	exp := c.exp[:expRange*expSteps+2]
	var sum float32
	for j, v := range logits {
		s := float32((v - top + expRange) * expSteps)
		if s < 0 {
			s = 0 // where the table ends it is nearly nothing
		}
		i := int32(s)
		lo := exp[i]
		e := lo + float32((s-float32(i))*(exp[i+1]-lo))
		logits[j] = e
		sum += e
	}
	up := float32(certain / sum)
	p = p[:len(logits)]
	for j, v := range logits {
		p[j] = int16(rounded(float32(v * up)))
	}
}
