package chunk

import (
	"errors"
	"fmt"
	"math"
	"sort"

	"jolvex/core/text"
)

// The constants of TextTiling (Hearst 1997, "TextTiling: Segmenting Text into Multi-paragraph Subtopic Passages",
// Computational Linguistics 23(1), section 5): words in a token sequence, sequences in a block. The paper's block of 10
// spans paragraphs of a magazine; web pages are shorter, and 6 finds their changes of subject.
const (
	tileWords   = 20
	tileBlock   = 6
	tilesApart  = 3 // least number of sequences between two boundaries
	meaningSpan = 3 // sentences on each side of a gap that are compared by meaning
)

// tile is one token sequence: how often each stem stands in it, and where it starts.
type tile struct {
	start int
	count map[string]int
}

// tiles cuts the words of the running text into sequences of a fixed number of words.
func (p *Prepared) tiles() []tile {
	var out []tile
	n := tileWords
	for _, w := range text.Words(p.Doc.Text) {
		if text.Stop(w.Norm) {
			continue
		}
		if n == tileWords {
			out = append(out, tile{w.Start, map[string]int{}})
			n = 0
		}
		out[len(out)-1].count[w.Stem]++
		n++
	}
	return out
}

// gap is a place between two runs of text and how alike both sides are, 0 to 1.
type gap struct {
	at    int // byte offset
	score float64
}

func (p *Prepared) gapsByWords() []gap {
	ts := p.terms()
	var out []gap
	for g := 1; g < len(ts); g++ {
		left, right := map[string]int{}, map[string]int{}
		for i := max(0, g-tileBlock); i < g; i++ {
			addCounts(left, ts[i].count)
		}
		for i := g; i < min(len(ts), g+tileBlock); i++ {
			addCounts(right, ts[i].count)
		}
		out = append(out, gap{ts[g].start, cosineOf(left, right)})
	}
	return out
}

func addCounts(to, from map[string]int) {
	for k, n := range from {
		to[k] += n
	}
}

func cosineOf(a, b map[string]int) float64 {
	dot, na, nb := 0, 0, 0
	for k, n := range a {
		dot += n * b[k]
		na += n * n
	}
	for _, n := range b {
		nb += n * n
	}
	if na == 0 || nb == 0 {
		return 0
	}
	return float64(dot) / math.Sqrt(float64(na)*float64(nb))
}

// likeness compares, between each two pieces, the few before with the few after by what they mean: the cosine of the sums
// of their vectors. [pieces-1].
func (p *Prepared) likeness() ([]float64, error) {
	if p.vectors == nil {
		return nil, errors.New("no vectors are at hand to tell a change of subject by meaning")
	}
	said := make([]string, len(p.pieces))
	for i, pc := range p.pieces {
		said[i] = p.Doc.Of(pc.span)
	}
	vs, err := p.vectors(said)
	if err != nil {
		return nil, fmt.Errorf("embed %d sentences to find changes of subject: %w", len(said), err)
	}
	sum := func(from, to int) []int64 {
		var out []int64
		for _, v := range vs[max(0, from):min(len(vs), to)] {
			if out == nil {
				out = make([]int64, len(v))
			}
			for j, x := range v {
				out[j] += int64(x)
			}
		}
		return out
	}
	var out []float64
	for g := 1; g < len(vs); g++ {
		a, b := sum(g-meaningSpan, g), sum(g, g+meaningSpan)
		var dot, na, nb float64
		for j := range a {
			dot += float64(a[j] * b[j])
			na += float64(a[j] * a[j])
			nb += float64(b[j] * b[j])
		}
		if na == 0 || nb == 0 {
			out = append(out, 0)
			continue
		}
		out = append(out, dot/math.Sqrt(na*nb))
	}
	return out, nil
}

func (p *Prepared) gapsByMeaning() ([]gap, error) {
	scores, err := p.meaning()
	if err != nil {
		return nil, err
	}
	out := make([]gap, len(scores))
	for i, x := range scores {
		out[i] = gap{p.pieces[i+1].span.Start, x}
	}
	return out, nil
}

// deepest lists the gaps by falling depth, equal ones in order of place.
func deepest(depth []float64) []int {
	out := make([]int, len(depth))
	for i := range out {
		out[i] = i
	}
	sort.SliceStable(out, func(a, b int) bool { return depth[out[a]] > depth[out[b]] })
	return out
}

// boundaries picks the gaps that are deep valleys: the depth is how far the likeness climbs to the nearest peak on
// either side (Hearst 1997, section 5.3), the deepest first, none nearer than apart to another. The paper's bar is the
// mean depth less half a standard deviation, which tells changes where one subject goes on (the test of three planted
// subjects got nine); here a boundary is deeper than the mean and half a deviation more.
func boundaries(gs []gap, apart int) []int {
	depth := make([]float64, len(gs))
	var sum, sq float64
	for i := range gs {
		climb := func(step int) float64 {
			top := gs[i].score
			for j := i + step; j >= 0 && j < len(gs) && gs[j].score >= top; j += step {
				top = gs[j].score
			}
			return top - gs[i].score
		}
		depth[i] = climb(-1) + climb(1)
		sum += depth[i]
		sq += depth[i] * depth[i]
	}
	n := float64(len(gs))
	mean := sum / n
	bar := mean + math.Sqrt(math.Max(0, sq/n-mean*mean))/2
	taken := make([]bool, len(gs))
	blocked := make([]bool, len(gs))
	for _, i := range deepest(depth) {
		if depth[i] <= math.Max(bar, 1e-9) || blocked[i] {
			continue
		}
		taken[i] = true
		for j := max(0, i-apart+1); j < min(len(gs), i+apart); j++ {
			blocked[j] = true
		}
	}
	var out []int
	for i, t := range taken {
		if t {
			out = append(out, gs[i].at)
		}
	}
	return out
}

// smooth averages each score with its neighbours (Hearst 1997, section 5.2).
func smooth(gs []gap) []gap {
	out := make([]gap, len(gs))
	for i := range gs {
		sum, n := 0.0, 0
		for j := max(0, i-1); j <= min(len(gs)-1, i+1); j++ {
			sum += gs[j].score
			n++
		}
		out[i] = gap{gs[i].at, sum / float64(n)}
	}
	return out
}

// cutSubject makes a section of each run between two changes of subject. A boundary goes to the nearest start of a block,
// and stands before a heading, never after it.
func (p *Prepared) cutSubject(s Settings) ([]Chunk, error) {
	gs, apart := []gap(nil), tilesApart
	if s.Told == ByMeaning {
		var err error
		if gs, err = p.gapsByMeaning(); err != nil {
			return nil, err
		}
	} else {
		gs = p.gapsByWords()
	}
	us := p.units(s.Size, false)
	opens := make([]bool, len(us)+1)
	for _, at := range boundaries(smooth(gs), apart) {
		opens[nearestUnit(us, at)] = true
	}
	var secs [][]unit
	for i, u := range us {
		if i == 0 || opens[i] {
			secs = append(secs, nil)
		}
		secs[len(secs)-1] = append(secs[len(secs)-1], u)
	}
	var out []Chunk
	for i := 0; i < len(secs); i++ {
		sec := secs[i]
		if i+1 < len(secs) && p.Tokens.Count(extent(sec)) < s.Least {
			secs[i+1] = append(append([]unit(nil), sec...), secs[i+1]...)
			continue
		}
		out = append(out, p.pack(sec, s)...)
	}
	return out, nil
}

// nearestUnit is the unit whose start is nearest to a byte offset, moved before the headings that introduce it.
func nearestUnit(us []unit, at int) int {
	lo, hi := 0, len(us)
	for lo < hi {
		if m := (lo + hi) / 2; us[m].span.Start < at {
			lo = m + 1
		} else {
			hi = m
		}
	}
	if lo == len(us) || lo > 0 && at-us[lo-1].span.Start < us[lo].span.Start-at {
		lo--
	}
	for lo > 0 && us[lo-1].heading > 0 {
		lo--
	}
	return max(0, lo)
}
