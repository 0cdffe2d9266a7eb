package chart

import "slices"

// Trust measures how much of the neighbourhoods of a space its layout keeps (Venna and Kaski 2001, "Neighborhood preservation in nonlinear
// projection methods"). Trustworthiness falls with points that are near on the plane and far in the space, continuity with points that
// are near in the space and far on the plane; both are 1 at best, for k nearest ones, k < n/2. It takes O(n² log n).
func Trust(vs [][]float32, ps []Point, k int) (trustworthiness, continuity float64) {
	n := len(vs)
	if n < 2 || 2*k >= n || k < 1 {
		return 1, 1
	}
	type loss struct{ trust, cont int }
	losses := make([]loss, n)
	each(n, func(i int) {
		there := ranks(n, i, func(j int) float64 { return distance(vs[i], vs[j]) })
		here := ranks(n, i, func(j int) float64 {
			dx, dy := ps[i].X-ps[j].X, ps[i].Y-ps[j].Y
			return dx*dx + dy*dy
		})
		for j := range n {
			if j == i {
				continue
			}
			if here[j] <= k && there[j] > k {
				losses[i].trust += there[j] - k
			}
			if there[j] <= k && here[j] > k {
				losses[i].cont += here[j] - k
			}
		}
	})
	t, c := 0, 0
	for _, l := range losses {
		t, c = t+l.trust, c+l.cont
	}
	scale := 2 / (float64(n) * float64(k) * float64(2*n-3*k-1))
	return 1 - scale*float64(t), 1 - scale*float64(c)
}

// ranks are the ranks of all points by their distance from one, from 1; its own is 0.
func ranks(n, from int, distance func(j int) float64) []int {
	type far struct {
		at int
		d  float64
	}
	all := make([]far, 0, n-1)
	for j := range n {
		if j != from {
			all = append(all, far{j, distance(j)})
		}
	}
	slices.SortFunc(all, func(a, b far) int {
		switch {
		case a.d < b.d:
			return -1
		case a.d > b.d:
			return 1
		}
		return a.at - b.at
	})
	out := make([]int, n)
	for r, f := range all {
		out[f.at] = r + 1
	}
	return out
}
