package chart

import "math"

// Constants of the refinement. The perplexity and the balances are those of the best of a small grid over the 71 documents of the demo (10 to 30
// and 0.1 to 0.7; go run ./tools/evaluate -only chart prints what they reach); everything else is fixed by what it is for.
const (
	refined    = 200 // points up to which a layout is refined: it takes O(n²) a step, and larger layouts are good as they are
	perplexity = 24  // neighbours that count, about; fewer where there are few points
	steps      = 400 // of the descent
	soon       = 100 // steps after which the descent gathers way
)

// balances are how much missing a neighbour weighs against showing a false one. The best layout of all is kept.
var balances = [...]float64{0.1, 0.2, 0.4}

// refine moves the points of a small layout so that who looks for the neighbours of one on the plane finds those that it has in the space,
// and few others: the neighbour retrieval visualizer of Venna, Peltonen, Nybo, Aidos and Kaski (2010), "Information Retrieval Perspective to
// Nonlinear Dimensionality Reduction for Data Visualization", equation 9, over joint probabilities. It descends from the layout given and from
// the plane of the main components, and keeps what does best by Trust, that from which it began included.
func refine(vs [][]float32, ps []Point) []Point {
	n := len(vs)
	k := min(trusted, (n-1)/2-1)
	if n > refined || k < 3 {
		return ps
	}
	p := joint(vs, min(perplexity, float64(n-1)/3))
	starts := [][]Point{ps, Plane(vs)}
	tried := make([][]Point, len(starts)*len(balances))
	each(len(tried), func(i int) { tried[i] = descend(p, starts[i/len(balances)], balances[i%len(balances)]) })
	best, most := ps, worse(vs, ps, k)
	for _, got := range tried {
		if w := worse(vs, got, k); w > most {
			best, most = got, w
		}
	}
	return scaled(best, width(ps))
}

// trusted is how many neighbours a layout is measured with.
const trusted = 12

// worse is the lesser of trustworthiness and continuity.
func worse(vs [][]float32, ps []Point, k int) float64 {
	t, c := Trust(vs, ps, k)
	return min(t, c)
}

// joint gives how likely each two points are to be neighbours, a half in sum: each by itself has so many neighbours, about (van der Maaten and
// Hinton 2008, "Visualizing Data using t-SNE", section 2).
func joint(vs [][]float32, neighbours float64) []pair {
	n := len(vs)
	p := make([]float64, n*n)
	each(n, func(i int) {
		row := p[i*n : (i+1)*n]
		low, high, beta := 0.0, math.Inf(1), 1.0
		for range 60 { // halves the range of beta until the entropy is that of so many neighbours
			sum, far := 0.0, 0.0
			for j := range row {
				if row[j] = 0; j != i {
					d := distance(vs[i], vs[j])
					row[j] = math.Exp(-beta * d)
					sum, far = sum+row[j], far+row[j]*d
				}
			}
			sum = max(sum, math.SmallestNonzeroFloat64)
			entropy := math.Log(sum) + beta*far/sum
			for j := range row {
				row[j] /= sum
			}
			switch {
			case math.Abs(entropy-math.Log(neighbours)) < 1e-6:
				return
			case entropy > math.Log(neighbours):
				low = beta
			default:
				high = beta
			}
			if beta = (low + high) / 2; math.IsInf(high, 1) {
				beta = 2 * low
			}
		}
	})
	var out []pair
	for i := range n {
		for j := range i {
			both := (p[i*n+j] + p[j*n+i]) / float64(2*n)
			out = append(out, pair{i, j, both, math.Log(max(both, least))})
		}
	}
	return out
}

// descend moves points down the slope of the cost: balance times what is missed and the rest what is shown falsely, as Kullback and Leibler
// measure both. Each coordinate has a pace of its own, which grows while it keeps its direction (Jacobs 1988).
func descend(pairs []pair, from []Point, balance float64) []Point {
	n := len(from)
	ps := scaled(from, 1)
	moved, pace := make([]Point, n), make([]Point, n)
	for i := range pace {
		pace[i] = Point{1, 1}
	}
	slope := make([]Point, n)
	near := make([]float64, len(pairs))
	for step := range steps {
		lean(pairs, ps, near, balance, slope)
		way := 0.5
		if step >= soon {
			way = 0.8
		}
		for i := range ps {
			moved[i].X = way*moved[i].X - stride(&pace[i].X, slope[i].X, moved[i].X)*float64(n)/4
			moved[i].Y = way*moved[i].Y - stride(&pace[i].Y, slope[i].Y, moved[i].Y)*float64(n)/4
			ps[i].X, ps[i].Y = ps[i].X+max(-0.5, min(0.5, moved[i].X)), ps[i].Y+max(-0.5, min(0.5, moved[i].Y))
		}
	}
	return ps
}

// stride is how far a coordinate goes along its slope.
func stride(pace *float64, slope, moved float64) float64 {
	if (slope > 0) == (moved > 0) {
		*pace = max(0.01, *pace*0.8)
	} else {
		*pace += 0.2
	}
	return *pace * slope
}

// lean works out the slope of the cost at each point. near is a work space, one place for each pair.
func lean(pairs []pair, ps []Point, near []float64, balance float64, slope []Point) {
	sum := 0.0
	for k, e := range pairs {
		dx, dy := ps[e.a].X-ps[e.b].X, ps[e.a].Y-ps[e.b].Y
		near[k] = math.Exp(-dx*dx - dy*dy)
		sum += 2 * near[k]
	}
	sum = max(sum, math.SmallestNonzeroFloat64)
	all := math.Log(sum)
	shown := 0.0 // of what is shown, how much is false
	for k, e := range pairs {
		dx, dy := ps[e.a].X-ps[e.b].X, ps[e.a].Y-ps[e.b].Y
		shown += 2 * near[k] / sum * (-dx*dx - dy*dy - all - e.log)
	}
	clear(slope)
	for k, e := range pairs {
		dx, dy := ps[e.a].X-ps[e.b].X, ps[e.a].Y-ps[e.b].Y
		v := near[k] / sum
		g := 4 * (balance*(e.p-v) - (1-balance)*v*(-dx*dx-dy*dy-all-e.log-shown))
		slope[e.a].X, slope[e.a].Y = slope[e.a].X+g*dx, slope[e.a].Y+g*dy
		slope[e.b].X, slope[e.b].Y = slope[e.b].X-g*dx, slope[e.b].Y-g*dy
	}
}

// pair is two points, how likely they are neighbours, and the logarithm of that.
type pair struct {
	a, b   int
	p, log float64
}

// least stands for the likeliness of points that are no neighbours at all.
const least = 1e-12

// width is how far points lie from their middle, as the root of the mean square.
func width(ps []Point) float64 {
	var x, y, sq float64
	for _, p := range ps {
		x, y = x+p.X, y+p.Y
	}
	x, y = x/float64(len(ps)), y/float64(len(ps))
	for _, p := range ps {
		sq += (p.X-x)*(p.X-x) + (p.Y-y)*(p.Y-y)
	}
	return math.Sqrt(sq / float64(2*len(ps)))
}

// scaled gives points of a width about 0; points that are all in one place stay.
func scaled(ps []Point, to float64) []Point {
	out := make([]Point, len(ps))
	var x, y float64
	for _, p := range ps {
		x, y = x+p.X/float64(len(ps)), y+p.Y/float64(len(ps))
	}
	by := 1.0
	if w := width(ps); w > 0 {
		by = to / w
	}
	for i, p := range ps {
		out[i] = Point{(p.X - x) * by, (p.Y - y) * by}
	}
	return out
}
