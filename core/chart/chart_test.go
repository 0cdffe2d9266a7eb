package chart

import (
	"encoding/json"
	"fmt"
	"math"
	"math/rand/v2"
	"os"
	"strconv"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// drawn are n points of a space about some centres, of length 1.
func drawn(n, centres, dim int, spread float64) [][]float32 {
	r := rand.New(rand.NewPCG(1, 2))
	cs := make([][]float64, centres)
	for c := range cs {
		cs[c] = make([]float64, dim)
		for k := range cs[c] {
			cs[c][k] = r.NormFloat64()
		}
	}
	out := make([][]float32, n)
	for i := range out {
		v, sum := make([]float64, dim), 0.0
		for k := range v {
			v[k] = cs[i%centres][k] + spread*r.NormFloat64()
			sum += v[k] * v[k]
		}
		out[i] = make([]float32, dim)
		for k := range v {
			out[i][k] = float32(v[k] / math.Sqrt(sum))
		}
	}
	return out
}

// scikit-learn 1.9.1, manifold.trustworthiness; see tools/reference/trust.py.
func TestTrustIsThatOfScikitLearn(t *testing.T) {
	raw, err := os.ReadFile("testdata/trust.json")
	require.NoError(t, err)
	var want struct {
		Vectors                     [][]float32
		Points                      [][2]float64
		Trustworthiness, Continuity map[string]float64
	}
	require.NoError(t, json.Unmarshal(raw, &want))
	ps := make([]Point, len(want.Points))
	for i, p := range want.Points {
		ps[i] = Point{p[0], p[1]}
	}
	require.Len(t, want.Trustworthiness, 3)
	for key, w := range want.Trustworthiness {
		k, err := strconv.Atoi(key)
		require.NoError(t, err)
		tr, co := Trust(want.Vectors, ps, k)
		assert.InDelta(t, w, tr, 1e-6, "trustworthiness at %d", k)
		assert.InDelta(t, want.Continuity[key], co, 1e-6, "continuity at %d", k)
	}
}

func TestALayoutKeepsNeighbourhoodsBetterThanItsPlane(t *testing.T) {
	vs := drawn(400, 25, 48, 0.5)
	ps := Project(vs)
	tr, co := Trust(vs, ps, 12)
	planeT, planeC := Trust(vs, Plane(vs), 12)
	assert.Greater(t, tr, 0.85)
	assert.Greater(t, co, 0.85)
	assert.Greater(t, tr, planeT)
	assert.Greater(t, co, planeC)
	assert.Equal(t, ps, Project(vs), "the same vectors give the same layout")
	for _, p := range ps {
		assert.LessOrEqual(t, math.Abs(p.X), 1.0)
		assert.LessOrEqual(t, math.Abs(p.Y), 1.0)
	}
}

// What is put among the points lies near those that mean much the same, and does not move them.
func TestOthersAreLaidAmongThePoints(t *testing.T) {
	vs := drawn(200, 8, 48, 0.3)
	ps := Project(vs[:160])
	all := Place(vs[:160], vs[160:])
	require.Len(t, all, 200)
	scaled := func(p []Point) float64 { return math.Hypot(p[0].X-p[1].X, p[0].Y-p[1].Y) }
	assert.InDelta(t, math.Hypot(ps[2].X-ps[3].X, ps[2].Y-ps[3].Y)/scaled(ps), math.Hypot(all[2].X-all[3].X, all[2].Y-all[3].Y)/scaled(all), 0.01, "the points stay as they lie to each other")
	right := 0
	for i := 160; i < 200; i++ {
		near, least := 0, math.Inf(1)
		for j := range 160 {
			if d := math.Hypot(all[i].X-all[j].X, all[i].Y-all[j].Y); d < least {
				near, least = j, d
			}
		}
		if near%8 == i%8 {
			right++
		}
	}
	assert.GreaterOrEqual(t, right, 38, "of 40, so many lie next to one of their own group")
	assert.Len(t, Place(nil, vs[:3]), 3)
}

func TestFewPointsAndEqualOnes(t *testing.T) {
	assert.Empty(t, Project(nil))
	for _, n := range []int{1, 2, 5, 7, 30} {
		same := make([][]float32, n)
		for i := range same {
			same[i] = []float32{1, 0, 0}
		}
		ps := Project(same)
		require.Len(t, ps, n)
		for _, p := range ps {
			assert.False(t, math.IsNaN(p.X) || math.IsNaN(p.Y), "%d equal points", n)
		}
	}
	tr, co := Trust(drawn(5, 2, 4, 1), Plane(drawn(5, 2, 4, 1)), 12)
	assert.Equal(t, []float64{1, 1}, []float64{tr, co}, "of too few nothing can be said")
}

// The plane of points that lie along one line is that line.
func TestThePlaneOfALine(t *testing.T) {
	var vs [][]float32
	for i := range 11 {
		vs = append(vs, []float32{float32(i), 2 * float32(i), 0})
	}
	for i, p := range Plane(vs) {
		assert.InDelta(t, float64(i)/5-1, p.X, 1e-3)
		assert.InDelta(t, 0, p.Y, 1e-3)
	}
}

func TestRegionsAreNamedByTheirOwnHeadings(t *testing.T) {
	var ps []Point
	var names []Names
	for i := range 12 {
		ps = append(ps, Point{-0.9 + 0.01*float64(i), 0})
		names = append(names, Names{fmt.Sprint("Fares and tickets ", i), "Fares", "The company"})
		ps = append(ps, Point{0.9 - 0.01*float64(i), 0.1})
		names = append(names, Names{"Whales and seals", "Wildlife", "The company"})
	}
	rs := Regions(ps, names)
	require.NotEmpty(t, rs)
	all := 0
	for _, r := range rs {
		all += r.Documents
		assert.NotEqual(t, "The company", r.Name, "what stands everywhere tells nothing")
		if r.At.X < 0 {
			assert.Contains(t, r.Name, "Fares")
		} else {
			assert.NotContains(t, r.Name, "Fares")
		}
	}
	assert.Equal(t, 24, all)
	assert.Empty(t, Regions(nil, nil))
}

func TestWhereQuestionsGatherAndNothingLies(t *testing.T) {
	at := func(x, y float64) []float32 {
		n := math.Hypot(x, y)
		return []float32{float32(x / n), float32(y / n)}
	}
	got := Gaps([]Asked{
		{"Can I charter a plane?", at(1, 0), 0.2, true},
		{"What does it cost to charter a seaplane?", at(1, 0.2), 0.3, true},
		{"Who won the cup?", at(-1, 0.1), 0.1, true},
		{"Must dogs be on a lead?", at(1, 0), 0.2, false},     // it was answered
		{"Where may dogs sit on board?", at(1, 0), 0.7, true}, // something lies near
	})
	require.Len(t, got, 2)
	assert.Equal(t, []int{0, 1}, got[0].Questions)
	assert.Equal(t, "charter", got[0].About[0])
	assert.InDelta(t, 0.3, got[0].Nearest, 1e-9)
	assert.Equal(t, []int{2}, got[1].Questions)
	assert.Empty(t, Gaps(nil))
}

func BenchmarkProject5000(b *testing.B) {
	vs := drawn(5000, 150, 384, 0.6)
	for b.Loop() {
		Project(vs)
	}
}

// Of few points, hard to lay out, the neighbours are found again on the plane much better than on that of the main components.
func TestASmallLayoutIsRefined(t *testing.T) {
	vs := drawn(64, 20, 96, 1)
	plane := Plane(vs)
	before := worse(vs, plane, trusted)
	ps := refine(vs, plane)
	assert.Greater(t, worse(vs, ps, trusted), before+0.05)
	assert.InDelta(t, width(plane), width(ps), 1e-9, "it is as large as it was")
	assert.Equal(t, ps, refine(vs, plane), "the same vectors give the same layout")
	few := drawn(6, 2, 8, 0.1)
	assert.Equal(t, Plane(few), refine(few, Plane(few)), "so few have no neighbourhoods to speak of")

	// The slope is that of the cost: a small step along it costs what it says.
	pairs := joint(vs, 10)
	sum := 0.0
	for _, e := range pairs {
		sum += 2 * e.p
	}
	assert.InDelta(t, 1, sum, 1e-9)
	at := scaled(plane, 1)
	slope, near := make([]Point, len(at)), make([]float64, len(pairs))
	for _, balance := range balances {
		lean(pairs, at, near, balance, slope)
		const h = 1e-5
		moved := append([]Point(nil), at...)
		moved[3].X += h
		up := cost(pairs, moved, balance)
		moved[3].X -= 2 * h
		down := cost(pairs, moved, balance)
		assert.InDelta(t, (up-down)/(2*h), slope[3].X, 1e-6*math.Max(1, math.Abs(slope[3].X)))
	}
}

// cost is what descend makes small, as it is defined.
func cost(pairs []pair, ps []Point, balance float64) float64 {
	q, sum := make([]float64, len(pairs)), 0.0
	for k, e := range pairs {
		dx, dy := ps[e.a].X-ps[e.b].X, ps[e.a].Y-ps[e.b].Y
		q[k] = math.Exp(-dx*dx - dy*dy)
		sum += 2 * q[k]
	}
	missed, shown := 0.0, 0.0
	for k, e := range pairs {
		v := q[k] / sum
		p := math.Max(e.p, least)
		missed += 2 * e.p * (math.Log(p) - math.Log(v))
		shown += 2 * v * (math.Log(v) - math.Log(p))
	}
	return balance*missed + (1-balance)*shown
}
