// Package chart lays documents and questions out on one plane by meaning, names its regions by the documents' own headings, and finds
// where questions gather and no document lies.
package chart

import (
	"math"
	"math/rand/v2"
	"runtime"
	"slices"
	"sync"
)

// Version names the algorithm: a chart is drawn anew when it changes.
const Version = "chart-2"

// Point is a place on the plane.
type Point struct {
	X float64 `json:"x"`
	Y float64 `json:"y"`
}

// Constants of the layout (McInnes, Healy and Melville 2018, "UMAP: Uniform Manifold Approximation and Projection", sections 3 and 4, whose
// defaults these are: the two of the curve are those for a least distance of 0.1).
const (
	neighbours = 15
	curveA     = 1.577
	curveB     = 0.895
	repulsed   = 5 // points drawn by lot from which each step pushes away
	fewest     = 6 // points below which the plane of the two main components is all there is
)

// Project lays n points of a space of any number of dimensions out on the plane, so that what is near there is near here: it starts from the plane
// of the two main components, and moves each point towards its nearest neighbours and away from others for a fixed number of steps; a small
// layout is refined after that. The same vectors in the same order give the same layout. vs is [n][dim], of length 1; it takes O(n² dim) for the neighbours. Points lie
// within about -1 and 1.
func Project(vs [][]float32) []Point { return Place(vs, nil) }

// Place lays points out as Project does, and others among them, which do not move them: questions among documents. It gives the points first,
// then the others.
func Place(vs, among [][]float32) []Point {
	out := Plane(vs)
	if len(vs) >= fewest {
		spread(out, 10)
		settle(out, 0, graph(vs, min(neighbours, len(vs)-1)))
		out = refine(vs, out)
	}
	if len(vs) == 0 {
		return Plane(among)
	}
	all := append(slices.Clone(vs), among...)
	for _, v := range among {
		out = append(out, beside(v, vs, out))
	}
	if len(among) > 0 && len(all) >= fewest {
		settle(out, len(vs), graph(all, min(neighbours, len(all)-1)))
	}
	centre(out)
	return out
}

// beside is the mean of the places of the points that are nearest to a vector, the nearer the heavier.
func beside(v []float32, vs [][]float32, ps []Point) Point {
	type near struct {
		at int
		d  float64
	}
	ns := make([]near, len(vs))
	for i := range vs {
		ns[i] = near{i, distance(v, vs[i])}
	}
	slices.SortFunc(ns, func(a, b near) int {
		switch {
		case a.d < b.d:
			return -1
		case a.d > b.d:
			return 1
		}
		return a.at - b.at
	})
	out, sum := Point{}, 0.0
	for k, n := range ns[:min(3, len(ns))] {
		w := 1 / float64(k+1)
		out.X, out.Y, sum = out.X+w*ps[n.at].X, out.Y+w*ps[n.at].Y, sum+w
	}
	return Point{out.X / sum, out.Y / sum}
}

// Plane is the plane of the two main components (Pearson 1901), by power iteration from a fixed start; of each, the entry furthest from 0 is
// positive. Points lie within -1 and 1.
func Plane(vs [][]float32) []Point {
	out := make([]Point, len(vs))
	if len(vs) == 0 {
		return out
	}
	dim := len(vs[0])
	mean := make([]float64, dim)
	for _, v := range vs {
		for k, x := range v {
			mean[k] += float64(x)
		}
	}
	rows := make([][]float64, len(vs))
	for i, v := range vs {
		rows[i] = make([]float64, dim)
		for k, x := range v {
			rows[i][k] = float64(x) - mean[k]/float64(len(vs))
		}
	}
	first := component(rows, nil)
	second := component(rows, first)
	for i, r := range rows {
		out[i] = Point{dot(r, first), dot(r, second)}
	}
	centre(out)
	return out
}

// component is the direction in which rows vary most, at right angles to another.
func component(rows [][]float64, other []float64) []float64 {
	dim := len(rows[0])
	v := make([]float64, dim)
	for k := range v {
		v[k] = math.Cos(float64(k + 1)) // any start that is at no right angle to it will do
	}
	for range 60 {
		next := make([]float64, dim)
		for _, r := range rows {
			s := dot(r, v)
			for k, x := range r {
				next[k] += s * x
			}
		}
		if other != nil {
			s := dot(next, other)
			for k := range next {
				next[k] -= s * other[k]
			}
		}
		n := math.Sqrt(dot(next, next))
		if n < 1e-12 {
			return make([]float64, dim)
		}
		for k := range next {
			next[k] /= n
		}
		v = next
	}
	far := 0
	for k := range v {
		if math.Abs(v[k]) > math.Abs(v[far])+1e-12 {
			far = k
		}
	}
	if v[far] < 0 {
		for k := range v {
			v[k] = -v[k]
		}
	}
	return v
}

func dot(a, b []float64) float64 {
	s := 0.0
	for k := range a {
		s += a[k] * b[k]
	}
	return s
}

// edge joins two points that are near each other.
type edge struct {
	a, b   int
	weight float64
}

// graph joins each point with its nearest ones; the weight tells how near they are for where they lie.
func graph(vs [][]float32, k int) []edge {
	near := nearest(vs, k)
	type key struct{ a, b int }
	weight := map[key]float64{}
	for i, ns := range near {
		rho := ns[0].distance
		sigma := bandwidth(ns, rho)
		for _, n := range ns {
			w := math.Exp(-max(0, n.distance-rho) / sigma)
			at := key{min(i, n.at), max(i, n.at)}
			weight[at] = weight[at] + w - weight[at]*w
		}
	}
	out := make([]edge, 0, len(weight))
	for at, w := range weight {
		out = append(out, edge{at.a, at.b, w})
	}
	slices.SortFunc(out, func(x, y edge) int {
		if x.a != y.a {
			return x.a - y.a
		}
		return x.b - y.b
	})
	return out
}

// bandwidth is the width at which the weights of the nearest ones sum to log2 of their number.
func bandwidth(ns []neighbour, rho float64) float64 {
	target := math.Log2(float64(len(ns)))
	low, high := 1e-6, 1e3
	for range 64 {
		mid := math.Sqrt(low * high)
		sum := 0.0
		for _, n := range ns {
			sum += math.Exp(-max(0, n.distance-rho) / mid)
		}
		if sum > target {
			high = mid
		} else {
			low = mid
		}
	}
	return low
}

type neighbour struct {
	at       int
	distance float64 // 1 less the cosine
}

// nearest lists the k nearest of each point, the nearest first.
func nearest(vs [][]float32, k int) [][]neighbour {
	out := make([][]neighbour, len(vs))
	each(len(vs), func(i int) {
		best := make([]neighbour, 0, k+1) // the nearest first; of equal ones the first
		for j := range vs {
			if j == i {
				continue
			}
			d := distance(vs[i], vs[j])
			if len(best) == k && d >= best[k-1].distance {
				continue
			}
			at := len(best)
			for at > 0 && best[at-1].distance > d {
				at--
			}
			if best = slices.Insert(best, at, neighbour{j, d}); len(best) > k {
				best = best[:k]
			}
		}
		out[i] = best
	})
	return out
}

func distance(a, b []float32) float64 {
	var s0, s1, s2, s3 float32
	k := 0
	for ; k+4 <= len(a) && k+4 <= len(b); k += 4 {
		s0 += a[k] * b[k]
		s1 += a[k+1] * b[k+1]
		s2 += a[k+2] * b[k+2]
		s3 += a[k+3] * b[k+3]
	}
	for ; k < len(a) && k < len(b); k++ {
		s0 += a[k] * b[k]
	}
	return max(0, 1-float64(s0+s1+s2+s3))
}

// each does something for every number below n, on all cores.
func each(n int, do func(i int)) {
	var wg sync.WaitGroup
	cores := runtime.GOMAXPROCS(0)
	for c := range cores {
		wg.Go(func() {
			for i := c; i < n; i += cores {
				do(i)
			}
		})
	}
	wg.Wait()
}

// settle moves the points from one on: along each edge together, as often as its weight says, and away from points drawn by lot.
func settle(ps []Point, from int, edges []edge) {
	steps := 500
	if len(ps) > 1000 {
		steps = 200
	}
	edges = slices.DeleteFunc(edges, func(e edge) bool { return e.a < from && e.b < from })
	most := 0.0
	for _, e := range edges {
		most = max(most, e.weight)
	}
	r := rand.New(rand.NewPCG(12, uint64(len(ps))))
	due := make([]float64, len(edges))
	for step := range steps {
		alpha := 1 - float64(step)/float64(steps)
		for i, e := range edges {
			if due[i] += e.weight / most; due[i] < 1 {
				continue
			}
			due[i]--
			a, b := &ps[e.a], &ps[e.b]
			dx, dy := a.X-b.X, a.Y-b.Y
			if d2 := dx*dx + dy*dy; d2 > 0 {
				g := -2 * curveA * curveB * math.Pow(d2, curveB-1) / (1 + curveA*math.Pow(d2, curveB))
				mx, my := alpha*bounded(g*dx), alpha*bounded(g*dy)
				if e.a >= from {
					a.X, a.Y = a.X+mx, a.Y+my
				}
				if e.b >= from {
					b.X, b.Y = b.X-mx, b.Y-my
				}
			}
			for _, at := range [2]int{e.a, e.b} {
				if at < from {
					continue
				}
				for range repulsed {
					o := r.IntN(len(ps))
					if o == at {
						continue
					}
					p, q := &ps[at], ps[o]
					dx, dy := p.X-q.X, p.Y-q.Y
					d2 := dx*dx + dy*dy
					g := 2 * curveB / ((0.001 + d2) * (1 + curveA*math.Pow(d2, curveB)))
					p.X, p.Y = p.X+alpha*bounded(g*dx), p.Y+alpha*bounded(g*dy)
				}
			}
		}
	}
}

func bounded(x float64) float64 { return max(-4, min(4, x)) }

// spread makes the points fill a square of a width.
func spread(ps []Point, width float64) {
	for i := range ps {
		ps[i].X, ps[i].Y = ps[i].X*width/2, ps[i].Y*width/2
		ps[i].X += 1e-4 * math.Sin(float64(i)) // points in one place are parted
		ps[i].Y += 1e-4 * math.Cos(float64(i))
	}
}

// centre moves the points about 0 and makes them fill -1 to 1 in the wider direction, four decimals each.
func centre(ps []Point) {
	lowX, highX, lowY, highY := math.Inf(1), math.Inf(-1), math.Inf(1), math.Inf(-1)
	for _, p := range ps {
		lowX, highX, lowY, highY = min(lowX, p.X), max(highX, p.X), min(lowY, p.Y), max(highY, p.Y)
	}
	half := max(highX-lowX, highY-lowY) / 2
	if half == 0 || math.IsInf(half, 0) {
		half = 1
	}
	for i := range ps {
		ps[i].X = math.Round(1e4*(ps[i].X-(lowX+highX)/2)/half) / 1e4
		ps[i].Y = math.Round(1e4*(ps[i].Y-(lowY+highY)/2)/half) / 1e4
	}
}
