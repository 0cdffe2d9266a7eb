package embed

import (
	"math"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// drawn makes whole numbers and panels of them, at the limits of what may be multiplied.
func drawn(r *rand.Rand, rows, deep, cols int) ([]int16, panels[int8], panels[int16]) {
	a, w8, w16 := make([]int16, rows*deep), make([]int8, cols*deep), make([]int16, cols*deep)
	for i := range a {
		a[i] = int16(r.IntN(2*levels+1) - levels)
	}
	for i := range w8 {
		w8[i], w16[i] = int8(r.IntN(255)-127), int16(r.IntN(2*levels+1)-levels)
	}
	if r.IntN(4) == 0 { // the largest sums that there can be
		for i := range a {
			a[i] = levels
		}
		for i := range w8 {
			w8[i] = -127
		}
	}
	return a, packed(w8, cols, deep), packed(w16, cols, deep)
}

func numbers(r *rand.Rand, n int) []float32 {
	x := make([]float32, n)
	for i := range x {
		x[i] = float32(r.NormFloat64() * math.Pow(10, float64(r.IntN(7)-3)))
		if r.IntN(20) == 0 {
			x[i] = []float32{0, float32(math.Copysign(0, -1)), bendRange, -bendRange, expRange, -1e30}[r.IntN(6)]
		}
	}
	return x
}

func onEachProcessor(t *testing.T, test func(t *testing.T)) {
	eachProcessor(func(name string) { t.Run(name, test) })
}

// Packed panels hold a matrix: multiplied step by step, they give what the definition gives.
func TestAPanelHoldsItsMatrix(t *testing.T) {
	w := make([]int8, 32*6)
	for i := range w {
		w[i] = int8(i%251 - 125)
	}
	p := packed(w, 32, 6)
	a := []int16{3, -2, 5, 7, -11, 13}
	out := make([]float32, 32)
	bias := make([]float32, 32)
	bias[1] = 0.5
	ones := numbers(rand.New(rand.NewPCG(1, 1)), 32)
	for i := range ones {
		ones[i] = 1
	}
	plain(&product{a: a, stride: 6, rows: 1, row: []float32{2}, column: ones, bias: bias, out: out, between: 32, last: 32}, p)
	for c := range 32 {
		want := 0
		for k := range 6 {
			want += int(a[k]) * int(w[c*6+k])
		}
		assert.InDelta(t, 2*float64(want)+float64(bias[c]), float64(out[c]), 0, "column %d", c)
	}
}

// Every kernel that the processor has gives what plain arithmetic gives, to the last bit.
func TestKernelsAreExact(t *testing.T) {
	onEachProcessor(t, func(t *testing.T) {
		r := rand.New(rand.NewPCG(4, 2))
		for range 60 {
			rows, deep, cols := 8*(1+r.IntN(3)), 2*(1+r.IntN(100)), columns*(1+r.IntN(8))
			a, w8, _ := drawn(r, rows, deep, cols)
			p := product{a: a, stride: deep, rows: rows, row: numbers(r, rows), column: numbers(r, cols), bias: numbers(r, cols), between: cols + r.IntN(3), last: cols}
			size := rows * p.between
			want, got := make([]float32, size), make([]float32, size)
			p.out = want
			plain(&p, w8)
			p.out = got
			narrow(&p, w8)
			require.Equal(t, want, got, "%d rows of %d numbers, %d columns", rows, deep, cols)

			deep = min(deep, 32) // 16-bit weights are multiplied in heads of 32 numbers
			a, _, w16 := drawn(r, rows, deep, cols)
			p.a, p.stride, p.out = a, deep, want
			plain(&p, w16)
			p.out = got
			broad(&p, w16)
			require.Equal(t, want, got, "%d rows of %d wide numbers, %d columns", rows, deep, cols)
		}
	})
}

func TestCurvesAndRoundingAreExact(t *testing.T) {
	c := newCurves()
	onEachProcessor(t, func(t *testing.T) {
		r := rand.New(rand.NewPCG(7, 1))
		for n := range 70 {
			x := numbers(r, n+1)
			require.Equal(t, plainLargest(x), largest(x))
			require.InDelta(t, plainTop(x), topOf(x), 0)
			want, got := make([]int16, len(x)), make([]int16, len(x))
			small := make([]float32, len(x)) // what is made whole is made to fit first
			up := levels / max(1, math.Float32frombits(plainLargest(x)))
			copy(small, x)
			plainWhole(small, want, up)
			toWhole(small, got, up)
			require.Equal(t, want, got)

			a, b := append([]float32(nil), x...), append([]float32(nil), x...)
			require.Equal(t, c.plainBend(a), c.gelu(b))
			require.Equal(t, a, b)
			a, b = append([]float32(nil), x...), append([]float32(nil), x...)
			c.plainGrow(a, plainTop(x))
			c.grow(b, plainTop(x))
			require.Equal(t, a, b)
		}
	})
}

func TestScalingAndColumnsAreExact(t *testing.T) {
	onEachProcessor(t, func(t *testing.T) {
		r := rand.New(rand.NewPCG(3, 9))
		for n := range 40 {
			x, w, b := numbers(r, n+1), numbers(r, n+1), numbers(r, n+1)
			want := append([]float32(nil), x...)
			require.Equal(t, plainScale(want, 1.37, w, b), scale(x, 1.37, w, b))
			require.Equal(t, want, x)

			four, add := numbers(r, 4*(n+1)), numbers(r, 4*(n+1))
			same := append([]float32(nil), four...)
			sum := plainSums(four, add)
			require.Equal(t, sum, sums(same, add))
			require.Equal(t, four, same)
			means := [4]float32(numbers(r, 4))
			require.Equal(t, plainSquares(four, means), squares(same, means))
			require.Equal(t, four, same)

			stride, rows := columns+r.IntN(20), 2*(1+r.IntN(9))
			v := numbers(r, stride*rows)
			var largest, most [columns]uint32
			plainLargestOf16(v, rows, stride, most[:])
			largestOf16(v, rows, stride, largest[:])
			require.Equal(t, most, largest)
			ups := make([]float32, columns)
			for i, b := range most {
				ups[i] = levels / max(1, math.Float32frombits(b))
			}
			pairs, got := make([]int16, rows*columns), make([]int16, rows*columns)
			plainPairsOf16(v, rows/2, stride, ups, pairs)
			pairsOf16(v, rows/2, stride, ups, got)
			require.Equal(t, pairs, got)
		}
	})
}

func TestDotIsExact(t *testing.T) {
	onEachProcessor(t, func(t *testing.T) {
		r := rand.New(rand.NewPCG(4, 2))
		for n := range 100 {
			a, b := make([]int8, n), make([]int8, n)
			for i := range a {
				a[i], b[i] = int8(r.IntN(255)-127), int8(r.IntN(255)-127)
			}
			require.Equal(t, plainDot(a, b), dot(a, b), "%d numbers", n)
		}
	})
}

// The same text has the same vector on every processor.
func TestVectorsAreTheSameOnEveryProcessor(t *testing.T) {
	e, err := NewEncoder()
	require.NoError(t, err)
	texts := []string{"Fog.", "How much is a ticket to the island for a family of five, with two dogs and a kayak?", sample}
	want, err := e.Embed(t.Context(), texts)
	require.NoError(t, err)
	onEachProcessor(t, func(t *testing.T) {
		got, err := e.Embed(t.Context(), texts)
		require.NoError(t, err)
		require.Equal(t, want, got)
	})
}
