package measure

import "math"

// Needed is the least number of judged things for which the Wilson interval of a rate p is no wider than half to either side of its middle.
// It is 0 for a half of .5 or more, and at most a million.
func Needed(p, half float64) int {
	wide := func(n int) float64 {
		i := Wilson(int(math.Round(p*float64(n))), n)
		return (i.High - i.Low) / 2
	}
	if half >= .5 {
		return 0
	}
	low, high := 1, 1_000_000
	for low < high {
		n := (low + high) / 2
		if wide(n) <= half {
			high = n
		} else {
			low = n + 1
		}
	}
	return low
}

// AdjustedRand is how far two ways to group the same things agree, by pairs, with what chance alone would give taken out: 1 for the same groups,
// about 0 for groups made by chance (Hubert and Arabie 1985, equation 5). a[i] and b[i] name the group of thing i. It is 1 where neither groups
// anything, or both put everything together.
func AdjustedRand(a, b []int) float64 {
	pairs := func(n int) float64 { return float64(n) * float64(n-1) / 2 }
	both, ina, inb := map[[2]int]int{}, map[int]int{}, map[int]int{}
	for i := range a {
		both[[2]int{a[i], b[i]}]++
		ina[a[i]]++
		inb[b[i]]++
	}
	var together, first, second float64
	for _, n := range both {
		together += pairs(n)
	}
	for _, n := range ina {
		first += pairs(n)
	}
	for _, n := range inb {
		second += pairs(n)
	}
	all := pairs(len(a))
	if all == 0 {
		return 1
	}
	chance, most := first*second/all, (first+second)/2
	if most == chance {
		return 1
	}
	return (together - chance) / (most - chance)
}

// Difference is the interval at 95 % of the difference of two rates, of k1 out of n1 and k2 out of n2: Newcombe's hybrid score interval (Newcombe
// 1998, method 10). It is [-1, 1] where one of them counts nothing.
func Difference(k1, n1, k2, n2 int) Interval {
	if n1 == 0 || n2 == 0 {
		return Interval{-1, 1}
	}
	p1, p2 := float64(k1)/float64(n1), float64(k2)/float64(n2)
	a, b := Wilson(k1, n1), Wilson(k2, n2)
	d := p1 - p2
	return Interval{d - math.Hypot(p1-a.Low, b.High-p2), d + math.Hypot(a.High-p1, p2-b.Low)}
}
