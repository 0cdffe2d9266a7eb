package index

import "jolvex/core/embed"

// Reach tells how the nearest vectors are looked for.
type Reach int

// The ways to look for the nearest vectors.
const (
	Exactly     Reach = iota // at every vector
	AlongGraphs              // along a part's graph, where it has one
)

// Going along a graph, breadthOver times as many are held in view as are wanted, and at least breadthLeast. When fewer
// than one in sparse of a part's chunks may be found, each of them is looked at.
const (
	breadthOver  = 1
	breadthLeast = 100
	sparse       = 8
)

// Nearest gives the k chunks whose vectors are most alike to q by their cosine, over 0, in no order, and all that tie
// with the last of them. allowed, when not nil, is the set of chunks that may be found. Exactly looks at every vector;
// going along graphs misses a few of the nearest.
func (v *View) Nearest(q embed.Vector, k int, allowed Bits, reach Reach) []Hit {
	t := newTop(k)
	for part, p := range v.parts {
		may := func(i int) bool { return !p.Dead.Has(i) && (allowed == nil || allowed.Has(v.base[part]+i)) }
		if p.Graph != nil && reach == AlongGraphs && len(p.Vectors) > 0 && len(p.Vectors[0]) == len(q) {
			n := len(p.Vectors) - p.Dead.Count()
			if allowed != nil {
				n = 0
				for i := range p.Vectors {
					if may(i) {
						n++
					}
				}
			}
			if n > len(p.Vectors)/sparse {
				room := k * len(p.Vectors) / n
				for _, h := range p.Graph.Nearest(p.Vectors, q, room, max(breadthLeast, breadthOver*room)) {
					if may(h.Number) {
						t.offer(v.base[part]+h.Number, h.Score)
					}
				}
				continue
			}
		}
		for i, x := range p.Vectors {
			if len(x) != len(q) {
				continue
			}
			if c := embed.Cosine(q, x); c >= t.least && may(i) {
				t.offer(v.base[part]+i, c)
			}
		}
	}
	return t.hits()
}

// Flat lays vectors of one dimension side by side, so that looking at all of them is one walk through memory.
func Flat(vs []embed.Vector) []embed.Vector {
	total := 0
	for _, v := range vs {
		total += len(v)
	}
	room := make([]int8, 0, total)
	out := make([]embed.Vector, len(vs))
	for i, v := range vs {
		from := len(room)
		room = append(room, v...)
		out[i] = room[from:len(room):len(room)]
	}
	return out
}

// Cosine is the likeness of a chunk's vector to q; -1 when it has none that can be compared.
func (v *View) Cosine(n int, q embed.Vector) float64 {
	x := v.Vector(n)
	if len(x) != len(q) {
		return -1
	}
	return embed.Cosine(q, x)
}

// Vector is the chunk's vector; empty when it has none.
func (v *View) Vector(n int) embed.Vector {
	part, i := v.locate(n)
	if vs := v.parts[part].Vectors; i < len(vs) {
		return vs[i]
	}
	return nil
}
