package embed

import "math"

// Wherever much is multiplied, whole numbers are: their sums are exact in any order. What is done with the sums, and the curves, are single
// steps of IEEE 754 for each number by itself. So a processor with wide registers and one without give the same bits.

// columns is how many columns of a matrix lie side by side in a panel.
const columns = 16

// panels is a matrix as the kernels read it: for each 16 columns, for each two numbers of a row that is multiplied with them, the pairs of
// the 16 columns one after the other.
type panels[T int8 | int16] struct {
	deep  int // numbers of a row that is multiplied with it, an even count
	wide  int // columns, a multiple of 16
	pairs []T // [wide/16][deep/2][16][2]
}

// packed makes panels of a matrix of wide rows of deep numbers.
func packed[T int8 | int16](w []T, wide, deep int) panels[T] {
	p := panels[T]{deep: deep, wide: wide, pairs: make([]T, wide*deep)}
	for c := range wide {
		to := p.pairs[c/columns*columns*deep+2*(c%columns):]
		for k := 0; k < deep; k += 2 {
			to[k*columns], to[k*columns+1] = w[c*deep+k], w[c*deep+k+1]
		}
	}
	return p
}

// product is rows of whole numbers times panels: out[r][c] = sum(a[r]·column c) * (row[r] * column[c]) + bias[c].
type product struct {
	a           []int16   // [rows][stride]
	stride      int       // numbers from one row of a to the next
	rows        int       // a multiple of 8; those above what is asked for are worked on, too
	row         []float32 // [rows]
	column      []float32 // [wide]
	bias        []float32 // [wide]
	out         []float32 // [rows][between]
	between     int
	first, last int // columns, multiples of 16
}

// plain works a product out step by step.
func plain[T int8 | int16](p *product, w panels[T]) {
	for c := p.first; c < p.last; c += columns {
		panel := w.pairs[c*w.deep : (c+columns)*w.deep]
		for r := range p.rows {
			x := p.a[r*p.stride : r*p.stride+w.deep]
			var sums [columns]int32
			for k := 0; k+2 <= len(x); k += 2 {
				x0, x1 := int32(x[k]), int32(x[k+1])
				pairs := panel[k*columns : (k+2)*columns]
				for i := range sums {
					sums[i] += x0*int32(pairs[2*i]) + x1*int32(pairs[2*i+1])
				}
			}
			for i, s := range sums {
				p.out[r*p.between+c+i] = float32(float32(s)*float32(p.row[r]*p.column[c+i])) + p.bias[c+i]
			}
		}
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

// plainLargest gives the bits of the largest size: as whole numbers, the bits of sizes have the order of the sizes.
func plainLargest(x []float32) uint32 {
	var bits uint32
	for _, v := range x {
		bits = max(bits, math.Float32bits(v)&signless)
	}
	return bits
}

func plainWhole(x []float32, q []int16, up float32) {
	q = q[:len(x)]
	for j, v := range x {
		q[j] = int16(rounded(float32(v * up)))
	}
}

func (c *curves) plainBend(x []float32) uint32 {
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
	return plainLargest(x)
}

func plainTop(x []float32) float32 {
	top := x[0]
	for _, v := range x {
		if v > top {
			top = v
		}
	}
	return top
}

func (c *curves) plainGrow(x []float32, top float32) {
	exp := c.exp[:expRange*expSteps+2]
	for j, v := range x {
		s := float32((v - top + expRange) * expSteps)
		if s < 0 {
			s = 0 // where the table ends it is nothing
		}
		i := int32(s)
		lo := exp[i]
		x[j] = lo + float32((s-float32(i))*(exp[i+1]-lo))
	}
}

// plainScale makes x * by * w + b of x, each step rounded. Given are the bits of the largest size of what comes.
func plainScale(x []float32, by float32, w, b []float32) uint32 {
	w, b = w[:len(x)], b[:len(x)]
	for j, v := range x {
		x[j] = float32(float32(v*by)*w[j]) + b[j]
	}
	return plainLargest(x)
}

// plainLargestOf16 gives the bits of the largest size in each of 16 columns; rows are stride numbers apart.
func plainLargestOf16(v []float32, rows, stride int, bits []uint32) {
	clear(bits[:columns])
	for r := range rows {
		for c, x := range v[r*stride:][:columns] {
			bits[c] = max(bits[c], math.Float32bits(x)&signless)
		}
	}
}

// plainPairsOf16 gives each two rows of 16 columns, times up and rounded to whole numbers, as the pairs of a panel.
func plainPairsOf16(v []float32, pairs, stride int, up []float32, out []int16) {
	for r := range 2 * pairs {
		for c, x := range v[r*stride:][:columns] {
			out[r/2*2*columns+2*c+r%2] = int16(rounded(float32(x * up[c])))
		}
	}
}

// plainSums adds y to x, four rows of the same length, and sums each row in the order of its numbers.
func plainSums(x, y []float32) [4]float64 {
	var out [4]float64
	n := len(x) / 4
	for r := range out {
		row, add := x[r*n:(r+1)*n], y[r*n:(r+1)*n]
		for j := range row {
			row[j] += add[j]
			out[r] += float64(row[j])
		}
	}
	return out
}

// plainSquares takes each row's mean from it, four rows of the same length, and sums the squares of what comes. Squares of float32 are
// exact in float64: no order of rounding to mind but the sum's.
func plainSquares(x []float32, means [4]float32) [4]float64 {
	var out [4]float64
	n := len(x) / 4
	for r := range out {
		row := x[r*n : (r+1)*n]
		for j := range row {
			row[j] -= means[r]
			out[r] += float64(row[j]) * float64(row[j])
		}
	}
	return out
}

func plainDot(a, b []int8) int32 {
	var s0, s1, s2, s3 int32
	b = b[:len(a)]
	i := 0
	for ; i+4 <= len(a); i += 4 {
		s0 += int32(a[i]) * int32(b[i])
		s1 += int32(a[i+1]) * int32(b[i+1])
		s2 += int32(a[i+2]) * int32(b[i+2])
		s3 += int32(a[i+3]) * int32(b[i+3])
	}
	for ; i < len(a); i++ {
		s0 += int32(a[i]) * int32(b[i])
	}
	return s0 + s1 + s2 + s3
}
