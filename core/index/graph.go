package index

import (
	"errors"
	"fmt"
	"math"
	"slices"
	"sync"
	"sync/atomic"

	"jolvex/core/embed"
)

// Graph leads from any vector of a set to those most alike to another, by looking at a few hundred of them instead of all:
// a navigable small world in layers (Malkov and Yashunin 2020, "Efficient and Robust Approximate Nearest Neighbor Search
// Using Hierarchical Navigable Small World Graphs", algorithms 1 to 5). What it finds is not always all of the nearest;
// the same vectors give the same graph on any machine, whatever the number of cores.
type Graph struct {
	entry  uint32
	levels int
	// links holds, layer after layer, the neighbours of each node: in the ground layer 2*neighbours places a node, above
	// it neighbours; none marks an empty place. Nodes of a layer above the ground are found through rooms.
	ground []uint32
	upper  []uint32
	rooms  []uint32 // [node]: where its places above the ground start in upper, in units of neighbours; none when it has none
	height []uint8  // [node]: layers above the ground that it stands in
}

const (
	// neighbours is how many links a node keeps in each layer; twice as many in the ground layer (their section 4.1).
	neighbours = 16
	// buildBreadth is how many candidates a node's links are chosen from.
	buildBreadth = 80
	// batch is the largest number of nodes that are placed side by side, and their largest share of those placed before.
	batch      = 512
	batchShare = 50
	none       = math.MaxUint32
	graphMagic = "JLVXGRA1"
	tallest    = 12 // layers above the ground
)

// Grow makes the graph of vectors, all of one dimension, on so many cores. more is called now and then with the number of
// nodes placed so far; its error ends the work. Cost: about n log n cosines.
//
// Nodes are placed in batches. All of a batch look for their neighbours among those placed before it, side by side; then
// they are linked one after another. So the number of cores has no say in what comes of it.
func Grow(vs []embed.Vector, cores int, more func(done int) error) (*Graph, error) {
	g := &Graph{ground: fill(len(vs) * 2 * neighbours), rooms: make([]uint32, len(vs)), height: make([]uint8, len(vs))}
	for i := range vs {
		g.rooms[i] = none
		if h := heightOf(i); h > 0 {
			g.height[i], g.rooms[i] = uint8(h), uint32(len(g.upper)/neighbours)
			g.upper = append(g.upper, fill(h*neighbours)...)
		}
	}
	if len(vs) == 0 {
		return g, more(0)
	}
	g.levels = int(g.height[0])
	searchers := make([]*searcher, max(1, cores))
	for i := range searchers {
		searchers[i] = newSearcher(len(vs))
	}
	for from := 1; from < len(vs); {
		to := min(len(vs), from+max(1, min(batch, from/batchShare)))
		plans := make([][][]near, to-from)
		var next atomic.Int64
		var wg sync.WaitGroup
		for _, s := range searchers {
			wg.Go(func() {
				for i := from + int(next.Add(1)) - 1; i < to; i = from + int(next.Add(1)) - 1 {
					plans[i-from] = g.plan(vs, uint32(i), s)
				}
			})
		}
		wg.Wait()
		for i := from; i < to; i++ {
			g.place(vs, uint32(i), plans[i-from])
		}
		from = to
		if err := more(to); err != nil {
			return nil, err
		}
	}
	return g, nil
}

func fill(n int) []uint32 {
	out := make([]uint32, n)
	for i := range out {
		out[i] = none
	}
	return out
}

// heightOf draws the layers of node i above the ground: each is reached by one in neighbours of those below. The draw
// hangs on i alone (Steele, Lea and Flood 2014, SplitMix64).
func heightOf(i int) int {
	x := (uint64(i) + 1) * 0x9E3779B97F4A7C15
	x = (x ^ x>>30) * 0xBF58476D1CE4E5B9
	x = (x ^ x>>27) * 0x94D049BB133111EB
	x ^= x >> 31
	h := 0
	for ; h < tallest && x%neighbours == 0; h++ {
		x /= neighbours
	}
	return h
}

// near is a node and its likeness to what is looked for.
type near struct {
	node uint32
	like int32
}

// closer orders by likeness; what is as alike, by number.
func closer(a, b near) bool { return a.like > b.like || a.like == b.like && a.node < b.node }

// at gives the places of a node in a layer.
func (g *Graph) at(node uint32, layer int) []uint32 {
	if layer == 0 {
		return g.ground[int(node)*2*neighbours:][:2*neighbours]
	}
	return g.upper[(int(g.rooms[node])+layer-1)*neighbours:][:neighbours]
}

// plan looks for the neighbours of a node in each of its layers among the nodes placed so far.
func (g *Graph) plan(vs []embed.Vector, node uint32, s *searcher) [][]near {
	like := func(n uint32) int32 { return embed.Dot(vs[node], vs[n]) }
	at := near{g.entry, like(g.entry)}
	top := int(g.height[node])
	for layer := g.levels; layer > top; layer-- {
		at = g.descend(at, layer, like)
	}
	out := make([][]near, top+1)
	from := []near{at}
	for layer := min(top, g.levels); layer >= 0; layer-- {
		from = s.search(g, from, layer, buildBreadth, like)
		out[layer] = apart(vs, from, neighbours)
	}
	return out
}

// descend goes to the most alike node of a layer, from neighbour to neighbour.
func (g *Graph) descend(at near, layer int, like func(uint32) int32) near {
	for {
		best := at
		for _, n := range g.at(at.node, layer) {
			if n == none {
				break
			}
			if c := (near{n, like(n)}); closer(c, best) {
				best = c
			}
		}
		if best == at {
			return at
		}
		at = best
	}
}

// apart picks at most m neighbours, most alike first, leaving out whatever is more alike to one already picked than to the
// node itself, so that links lead in all directions; places that stay free go to those left out (their algorithm 4).
func apart(vs []embed.Vector, from []near, m int) []near {
	if len(from) <= m {
		return append([]near(nil), from...)
	}
	picked := make([]near, 0, m)
	var left []near
	for _, c := range from {
		if len(picked) == m {
			break
		}
		if slices.ContainsFunc(picked, func(p near) bool { return embed.Dot(vs[c.node], vs[p.node]) > c.like }) {
			left = append(left, c)
			continue
		}
		picked = append(picked, c)
	}
	return append(picked, left[:min(len(left), m-len(picked))]...)
}

// place links a node to what was planned, and those to it.
func (g *Graph) place(vs []embed.Vector, node uint32, plan [][]near) {
	for layer, ns := range plan {
		for i, n := range ns {
			g.at(node, layer)[i] = n.node
			g.link(vs, n.node, near{node, n.like}, layer)
		}
	}
	if h := int(g.height[node]); h > g.levels {
		g.entry, g.levels = node, h
	}
}

// link adds a neighbour to a node's places in a layer; when they are all taken, the best are chosen anew.
func (g *Graph) link(vs []embed.Vector, node uint32, to near, layer int) {
	places := g.at(node, layer)
	if i := slices.Index(places, none); i >= 0 {
		places[i] = to.node
		return
	}
	all := make([]near, 0, len(places)+1)
	for _, n := range places {
		all = append(all, near{n, embed.Dot(vs[node], vs[n])})
	}
	all = append(all, to)
	slices.SortFunc(all, byLikeness)
	kept := apart(vs, all, len(places))
	for i := range places {
		places[i] = none
		if i < len(kept) {
			places[i] = kept[i].node
		}
	}
}

func byLikeness(a, b near) int {
	if closer(a, b) {
		return -1
	}
	return 1
}

// searcher is room for one search after another.
type searcher struct {
	seen  []uint32 // [node]: the search that saw it last
	round uint32
	open  []near // to be looked at, the most alike on top
	best  []near // found so far, the least alike on top
}

func newSearcher(n int) *searcher { return &searcher{seen: make([]uint32, n)} }

// search gives the nodes of a layer most alike to what is looked for, at most breadth, most alike first (their algorithm 2).
func (s *searcher) search(g *Graph, from []near, layer, breadth int, like func(uint32) int32) []near {
	if s.round++; s.round == 0 {
		clear(s.seen)
		s.round = 1
	}
	s.open, s.best = s.open[:0], s.best[:0]
	offer := func(c near) {
		if len(s.best) == breadth {
			if !closer(c, s.best[0]) {
				return
			}
			s.best[0] = c
			sink(s.best, func(a, b near) bool { return closer(b, a) })
		} else {
			s.best = append(s.best, c)
			rise(s.best, func(a, b near) bool { return closer(b, a) })
		}
		s.open = append(s.open, c)
		rise(s.open, closer)
	}
	for _, c := range from {
		s.seen[c.node] = s.round
		offer(c)
	}
	for len(s.open) > 0 {
		at := s.open[0]
		last := len(s.open) - 1
		s.open[0] = s.open[last]
		s.open = s.open[:last]
		sink(s.open, closer)
		if len(s.best) == breadth && closer(s.best[0], at) {
			break
		}
		for _, n := range g.at(at.node, layer) {
			if n == none {
				break
			}
			if s.seen[n] != s.round {
				s.seen[n] = s.round
				offer(near{n, like(n)})
			}
		}
	}
	out := slices.Clone(s.best)
	slices.SortFunc(out, byLikeness)
	return out
}

// rise and sink keep a heap whose top comes before all others.
func rise(h []near, before func(a, b near) bool) {
	for i := len(h) - 1; i > 0 && before(h[i], h[(i-1)/2]); i = (i - 1) / 2 {
		h[i], h[(i-1)/2] = h[(i-1)/2], h[i]
	}
}

func sink(h []near, before func(a, b near) bool) {
	for i := 0; ; {
		c := 2*i + 1
		if c >= len(h) {
			return
		}
		if c+1 < len(h) && before(h[c+1], h[c]) {
			c++
		}
		if !before(h[c], h[i]) {
			return
		}
		h[i], h[c] = h[c], h[i]
		i = c
	}
}

// Nearest gives about the k nodes most alike to q, most alike first; breadth, at least k, is how many are held in view at a
// time: the more, the fewer are missed. It returns nil when q is not of the vectors' dimension.
func (g *Graph) Nearest(vs []embed.Vector, q embed.Vector, k, breadth int) []Hit {
	if len(vs) == 0 || len(vs) != len(g.height) || len(q) != len(vs[0]) {
		return nil
	}
	like := func(n uint32) int32 { return embed.Dot(q, vs[n]) }
	at := near{g.entry, like(g.entry)}
	for layer := g.levels; layer > 0; layer-- {
		at = g.descend(at, layer, like)
	}
	s, _ := searchers.Get().(*searcher)
	if s == nil || len(s.seen) < len(vs) {
		s = newSearcher(len(vs))
	}
	found := s.search(g, []near{at}, 0, max(k, breadth), like)
	searchers.Put(s)
	out := make([]Hit, min(k, len(found)))
	for i := range out {
		out[i] = Hit{int(found[i].node), embed.Cosine(q, vs[found[i].node])}
	}
	return out
}

// searchers are kept between questions: each has a number for every node.
var searchers sync.Pool

// Len is the number of vectors that the graph leads through.
func (g *Graph) Len() int { return len(g.height) }

// Encode writes the graph, numbers as they stand in memory.
func (g *Graph) Encode() []byte {
	w := &writer{b: make([]byte, 0, 4*(len(g.ground)+len(g.upper)+len(g.rooms))+len(g.height)+64)}
	w.b = append(w.b, graphMagic...)
	w.num(int(g.entry))
	w.num(g.levels)
	w.num(len(g.height))
	w.b = append(w.b, g.height...)
	w.numbers(g.rooms)
	w.numbers(g.upper)
	w.numbers(g.ground)
	return w.b
}

// DecodeGraph reads what Encode wrote; ErrCorrupt, wrapped, when it is anything else. The graph refers to b, which must not
// change any more.
func DecodeGraph(b []byte) (*Graph, error) {
	if len(b) < 8 || string(b[:8]) != graphMagic {
		return nil, fmt.Errorf("graph: %w", ErrCorrupt)
	}
	r := &reader{b: b, at: 8}
	g := &Graph{entry: uint32(r.num()), levels: r.num()}
	n := r.count()
	g.height = b[r.at : r.at+n]
	r.at += n
	g.rooms, g.upper, g.ground = r.numbers(), r.numbers(), r.numbers()
	if r.bad || r.at != len(b) {
		return nil, fmt.Errorf("graph: %w", ErrCorrupt)
	}
	if err := g.check(); err != nil {
		return nil, fmt.Errorf("graph: %w: %w", err, ErrCorrupt)
	}
	return g, nil
}

// check holds what was read together, so that no search can step outside it.
func (g *Graph) check() error {
	n := len(g.height)
	if len(g.rooms) != n || len(g.ground) != n*2*neighbours || n > 0 && (int(g.entry) >= n || int(g.height[g.entry]) != g.levels) {
		return errors.New("its parts are not of one size")
	}
	room := 0
	for i, h := range g.height {
		if int(h) > g.levels || h > 0 && int(g.rooms[i]) != room {
			return fmt.Errorf("node %d stands where it cannot", i)
		}
		room += int(h)
	}
	if room*neighbours != len(g.upper) {
		return errors.New("its upper layers are not whole")
	}
	for i := range g.height {
		for layer := range int(g.height[i]) + 1 {
			for _, to := range g.at(uint32(i), layer) {
				if to != none && (int(to) >= n || int(g.height[to]) < layer) {
					return fmt.Errorf("node %d leads outside layer %d", i, layer)
				}
			}
		}
	}
	return nil
}
