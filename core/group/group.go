// Package group puts questions together that ask for the same thing, by their meaning.
package group

import (
	"math"
	"slices"
	"strings"

	"jolvex/core/embed"
	"jolvex/core/text"
)

// Item is a question to be grouped.
type Item struct {
	Text   string
	Vector embed.Vector // by one encoder for all; nil where there is none, and then its words decide
	// Across is the vector by an encoder of many languages, and Foreign says that the question is in another language than the one that Vector
	// is made for: where one of two questions is, they are held against each other by that.
	Across  embed.Vector
	Foreign bool
	Seed    int // the group that it is in already, from 1; 0 for none. Two seeds are never put together
}

// Fit are the constants of grouping. They were fitted on 130 questions to a swimming bath that were grouped by hand, on headings of debian-faq with
// their rewordings, and on four wordings each of the demo's second set; `evaluate -only grouping -all` fits them again.
type Fit struct {
	Near   float64 // mean likeness of two groups from which they are one
	Common float64 // how often what all questions have in common is taken out of their meaning
}

// Usual are the fitted constants.
func Usual() Fit { return Fit{Near: .32, Common: 1.2} }

// Most is the most questions that are grouped at once: the work and the memory grow with its square.
const Most = 4000

// Groups puts items together and gives the number of each item's group, from 0 on in the order of their first items. Groups are joined, the
// nearest first, while the mean likeness between their items is at least f.Near (average linkage: Sokal and Michener 1958). asked is
// what else is asked of the same corpus: it helps to tell what all questions have in common. It takes some n² steps and 4 n² bytes.
func Groups(items []Item, asked []Item, f Fit) []int {
	n := len(items)
	like := likenesses(items, asked, f)
	size, seed, alive := make([]int, n), make([]int, n), make([]bool, n)
	into := make([]int, n)
	for i := range items {
		size[i], seed[i], alive[i], into[i] = 1, items[i].Seed, true, i
	}
	at := func(i, j int) *float32 { return &like[i*n+j] }
	join := func(i, j int) {
		for k := range n {
			if !alive[k] || k == i || k == j {
				continue
			}
			a, b := *at(i, k), *at(j, k)
			mean := (float32(size[i])*a + float32(size[j])*b) / float32(size[i]+size[j])
			*at(i, k), *at(k, i) = mean, mean
		}
		size[i] += size[j]
		seed[i] = max(seed[i], seed[j])
		alive[j], into[j] = false, i
	}
	first := map[int]int{}
	for i := range items { // what is together already
		if s := items[i].Seed; s > 0 {
			if j, ok := first[s]; ok {
				join(j, i)
			} else {
				first[s] = i
			}
		}
	}
	best := make([]int, n) // of each group, the nearest that it may join; -1 for none
	look := func(i int) {
		best[i] = -1
		for k := range n {
			if k == i || !alive[k] || seed[i] > 0 && seed[k] > 0 || float64(*at(i, k)) < f.Near {
				continue
			}
			if best[i] < 0 || *at(i, k) > *at(i, best[i]) {
				best[i] = k
			}
		}
	}
	for i := range n {
		if alive[i] {
			look(i)
		}
	}
	for {
		x := -1
		for i := range n {
			if alive[i] && best[i] >= 0 && (x < 0 || *at(i, best[i]) > *at(x, best[x])) {
				x = i
			}
		}
		if x < 0 {
			break
		}
		i, j := min(x, best[x]), max(x, best[x])
		join(i, j)
		look(i)
		for k := range n {
			if !alive[k] || k == i {
				continue
			}
			switch {
			case best[k] == i || best[k] == j:
				look(k)
			case best[i] >= 0 && !(seed[i] > 0 && seed[k] > 0) && float64(*at(i, k)) >= f.Near && (best[k] < 0 || *at(i, k) > *at(k, best[k])):
				best[k] = i
			}
		}
	}
	return numbered(into)
}

// numbered follows who went into whom, and numbers the groups in the order of their first items.
func numbered(into []int) []int {
	number, out := map[int]int{}, make([]int, len(into))
	for i := range into {
		root := i
		for into[root] != root {
			root = into[root]
		}
		if _, ok := number[root]; !ok {
			number[root] = len(number)
		}
		out[i] = number[root]
	}
	return out
}

// likenesses are those of all pairs, [n*n]: of meaning, with what all the questions have in common taken out; of words where there is no vector,
// the rarer among them counting more.
func likenesses(items, asked []Item, f Fit) []float32 {
	n := len(items)
	out := make([]float32, n*n)
	words, weigh := weights(items)
	all := slices.Concat(items, asked)
	near := centred(all, f.Common, func(it Item) embed.Vector { return it.Vector })
	across := centred(all, f.Common, func(it Item) embed.Vector { return it.Across })
	for i := range n {
		for j := i + 1; j < n; j++ {
			var x float64
			switch foreign := items[i].Foreign || items[j].Foreign; {
			case foreign && len(across[i]) > 0 && len(across[j]) > 0:
				x = dot(across[i], across[j])
			case !foreign && len(near[i]) > 0 && len(near[j]) > 0:
				x = dot(near[i], near[j])
			default:
				x = overlap(words[i], words[j], weigh)
			}
			out[i*n+j], out[j*n+i] = float32(x), float32(x)
		}
	}
	return out
}

func dot(a, b []float32) float64 {
	x := float32(0)
	for k := range a {
		x += a[k] * b[k]
	}
	return float64(x)
}

// weights are the stems of the questions, and how much each says: the rarer among them, the more (inverse document frequency, Sparck Jones 1972).
func weights(items []Item) ([]map[string]bool, func(string) float64) {
	words := make([]map[string]bool, len(items))
	in := map[string]int{}
	for i := range items {
		words[i] = text.Stems(items[i].Text)
		for w := range words[i] {
			in[w]++
		}
	}
	n := float64(len(items))
	return words, func(w string) float64 { return math.Log(1 + n/float64(max(1, in[w]))) }
}

// centred are the vectors without a share of their mean, of length 1: what all have in common, the trade that they are about, tells none of them
// from another (Mu and Viswanath 2018, for vectors of words). The mean of few is little known, and less of it is taken out.
func centred(items []Item, share float64, of func(Item) embed.Vector) [][]float32 {
	const few = 10
	var mean []float64
	n := 0
	for _, it := range items {
		v := of(it)
		if len(v) == 0 {
			continue
		}
		if mean == nil {
			mean = make([]float64, len(v))
		}
		for k, x := range v {
			mean[k] += float64(x)
		}
		n++
	}
	out := make([][]float32, len(items))
	for i, it := range items {
		whole := of(it)
		if len(whole) == 0 {
			continue
		}
		v, length := make([]float32, len(whole)), 0.0
		for k, x := range whole {
			y := float64(x) - share*mean[k]/float64(n+few)
			v[k], length = float32(y), length+y*y
		}
		if length = math.Sqrt(length); length > 0 {
			for k := range v {
				v[k] /= float32(length)
			}
		}
		out[i] = v
	}
	return out
}

// overlap is the share of two questions' words that both have, by weight (Dice 1945).
func overlap(a, b map[string]bool, weigh func(string) float64) float64 {
	both, all := 0.0, 0.0
	for w := range a {
		x := weigh(w)
		all += x
		if b[w] {
			both += x
		}
	}
	for w := range b {
		all += weigh(w)
	}
	if all == 0 {
		return 0
	}
	return 2 * both / all
}

// Title is the wording of a group to show: of its most frequent wordings, the one most like all others by words, the longer one of two that are
// equal. It is the place in texts.
func Title(texts []string) int {
	count, words := map[string]int{}, make([]map[string]bool, len(texts))
	for i, t := range texts {
		count[plain(t)]++
		words[i] = text.Stems(t)
	}
	most := 0
	for _, n := range count {
		most = max(most, n)
	}
	best, high := 0, -1.0
	for i, t := range texts {
		if count[plain(t)] < most {
			continue
		}
		x := 0.0
		for j := range texts {
			x += overlap(words[i], words[j], func(string) float64 { return 1 })
		}
		if x > high+1e-9 || x > high-1e-9 && len(t) > len(texts[best]) {
			best, high = i, x
		}
	}
	return best
}

// plain is a text as its folded words.
func plain(t string) string { return strings.Join(text.Folded(t), " ") }

// Members lists the places of each group.
func Members(of []int) [][]int {
	var out [][]int
	for i, g := range of {
		for len(out) <= g {
			out = append(out, nil)
		}
		out[g] = append(out[g], i)
	}
	return slices.Clip(out)
}
