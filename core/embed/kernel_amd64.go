package embed

import (
	"unsafe"

	"golang.org/x/sys/cpu"
)

// What the processor has. Tests go through all that it has.
var (
	wide   = cpu.X86.HasAVX2
	wider  = wide && cpu.X86.HasAVX512F && cpu.X86.HasAVX512BW && cpu.X86.HasAVX512VL
	widest = wider && cpu.X86.HasAVX512VNNI
)

// tile is what a kernel works on: pointers to where its rows and columns begin, and distances in bytes.
type tile struct {
	a       *int16
	stride  uintptr // from one row of a to the next
	w       unsafe.Pointer
	panel   uintptr // from one panel to the next
	pairs   uintptr // how many
	row     *float32
	column  *float32
	bias    *float32
	out     *float32
	between uintptr // from one row of out to the next
}

//go:noescape
func vnniTile8x48(t *tile)

//go:noescape
func vnniTile8x16(t *tile)

//go:noescape
func avx512Tile8x48(t *tile)

//go:noescape
func avx512Tile8x16(t *tile)

//go:noescape
func avx2Tile4x16(t *tile)

//go:noescape
func avx2Tile4x16Wide(t *tile)

//go:noescape
func avx2Largest(x *float32, n int) uint32

//go:noescape
func avx2Whole(x *float32, q *int16, n int, up float32)

//go:noescape
func avx2Bend(x *float32, n int, table *float32, limits *[4]float32) uint32

//go:noescape
func avx2Top(x *float32, n int) float32

//go:noescape
func avx2Grow(x *float32, n int, top float32, table *float32, limits *[2]float32)

//go:noescape
func avx2Scale(x *float32, n int, by float32, w, b *float32) uint32

//go:noescape
func avx2Columns(v *float32, rows, stride int, bits *uint32)

//go:noescape
func avx2Pairs(v *float32, pairs, stride int, up *float32, out *int16)

//go:noescape
func avx2Sums(x, y *float32, n int, sums *[4]float64)

//go:noescape
func avx2Squares(x *float32, n int, means *[4]float32, sums *[4]float64)

//go:noescape
func avx2Dot(a, b *int8, n int) int32

// tiles takes a kernel over the tiles of a product, one group of columns after the other: its weights stay in the nearest cache.
func tiles[T int8 | int16](p *product, w panels[T], rows, cols int, kernel func(*tile)) {
	size := unsafe.Sizeof(w.pairs[0])
	t := tile{
		stride: uintptr(p.stride) * 2, panel: uintptr(columns*w.deep) * size, pairs: uintptr(w.deep / 2), between: uintptr(p.between) * 4,
	}
	for c := p.first; c < p.last; c += cols {
		t.w, t.column, t.bias = unsafe.Pointer(&w.pairs[c*w.deep]), &p.column[c], &p.bias[c]
		_, _, _ = w.pairs[(c+cols)*w.deep-1], p.column[c+cols-1], p.bias[c+cols-1]
		for r := 0; r < p.rows; r += rows {
			t.a, t.row, t.out = &p.a[r*p.stride], &p.row[r], &p.out[r*p.between+c]
			_, _, _ = p.a[(r+rows-1)*p.stride+w.deep-1], p.row[r+rows-1], p.out[(r+rows-1)*p.between+c+cols-1]
			kernel(&t)
		}
	}
}

// narrow works out a product with 8-bit weights.
func narrow(p *product, w panels[int8]) {
	const most = 3 * columns
	switch whole := p.first + (p.last-p.first)/most*most; {
	case !wide:
		plain(p, w)
	case wider:
		kernel := avx512Tile8x48
		if widest {
			kernel = vnniTile8x48
		}
		rest := *p
		head := *p
		head.last, rest.first = whole, whole
		tiles(&head, w, 8, most, kernel)
		tiles(&rest, w, 4, columns, avx2Tile4x16)
	default:
		tiles(p, w, 4, columns, avx2Tile4x16)
	}
}

// broad works out a product with 16-bit weights.
func broad(p *product, w panels[int16]) {
	switch {
	case widest:
		tiles(p, w, 8, columns, vnniTile8x16)
	case wider:
		tiles(p, w, 8, columns, avx512Tile8x16)
	case wide:
		tiles(p, w, 4, columns, avx2Tile4x16Wide)
	default:
		plain(p, w)
	}
}

func largest(x []float32) uint32 {
	if n := len(x); wide && n > 0 && n%8 == 0 {
		return avx2Largest(&x[0], n)
	}
	return plainLargest(x)
}

func toWhole(x []float32, q []int16, up float32) {
	if n := len(x); wide && n > 0 && n%16 == 0 {
		_ = q[n-1]
		avx2Whole(&x[0], &q[0], n, up)
		return
	}
	plainWhole(x, q, up)
}

var (
	bendLimits = [4]float32{bendRange, bendSteps, 2 * bendRange * bendSteps}
	growLimits = [2]float32{expRange, expSteps}
)

// gelu is the Gaussian error linear unit (Hendrycks and Gimpel 2016), in place. Given are the bits of the largest size of what comes.
func (c *curves) gelu(x []float32) uint32 {
	if n := len(x); wide && n > 0 && n%8 == 0 {
		return avx2Bend(&x[0], n, &c.bend[0], &bendLimits)
	}
	return c.plainBend(x)
}

func topOf(x []float32) float32 {
	if n := len(x); wide && n%8 == 0 {
		return avx2Top(&x[0], n)
	}
	return plainTop(x)
}

func (c *curves) grow(x []float32, top float32) {
	if n := len(x); wide && n > 0 && n%8 == 0 {
		avx2Grow(&x[0], n, top, &c.exp[0], &growLimits)
		return
	}
	c.plainGrow(x, top)
}

func scale(x []float32, by float32, w, b []float32) uint32 {
	n := len(x)
	_, _ = w[n-1], b[n-1]
	if wide && n%8 == 0 {
		return avx2Scale(&x[0], n, by, &w[0], &b[0])
	}
	return plainScale(x, by, w, b)
}

func largestOf16(v []float32, rows, stride int, bits []uint32) {
	_, _ = v[(rows-1)*stride+columns-1], bits[columns-1]
	if wide {
		avx2Columns(&v[0], rows, 4*stride, &bits[0])
		return
	}
	plainLargestOf16(v, rows, stride, bits)
}

func pairsOf16(v []float32, pairs, stride int, up []float32, out []int16) {
	if pairs == 0 {
		return
	}
	_, _, _ = v[(2*pairs-1)*stride+columns-1], up[columns-1], out[2*pairs*columns-1]
	if wide {
		avx2Pairs(&v[0], pairs, 4*stride, &up[0], &out[0])
		return
	}
	plainPairsOf16(v, pairs, stride, up, out)
}

func sums(x, y []float32) [4]float64 {
	if n := len(x) / 4; wide && n > 0 && n%4 == 0 {
		var out [4]float64
		_ = y[len(x)-1]
		avx2Sums(&x[0], &y[0], n, &out)
		return out
	}
	return plainSums(x, y)
}

func squares(x []float32, means [4]float32) [4]float64 {
	if n := len(x) / 4; wide && n > 0 && n%4 == 0 {
		var out [4]float64
		avx2Squares(&x[0], n, &means, &out)
		return out
	}
	return plainSquares(x, means)
}

func dot(a, b []int8) int32 {
	n := len(a) &^ 15
	if !wide || n == 0 {
		return plainDot(a, b)
	}
	_ = b[len(a)-1]
	return avx2Dot(&a[0], &b[0], n) + plainDot(a[n:], b[n:])
}
