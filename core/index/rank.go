package index

import (
	"math"
	"sort"
	"sync"
)

// BM25 holds the constants of the ranking function (Robertson and Zaragoza 2009, "The Probabilistic Relevance
// Framework: BM25 and Beyond", section 3.6, BM25F: counts are weighted and length-normalised by field, then saturated
// together; with one field it is BM25).
type BM25 struct {
	K1     float64
	B      [Fields]float64
	Weight [Fields]float64
	// IDF gives the weight of a term that df of n chunks hold. Nil stands for ln(1 + (n-df+0.5)/(df+0.5)), which is never
	// negative.
	IDF func(n, df int) float64
}

// Rarity is the default inverse document frequency.
func Rarity(n, df int) float64 {
	return math.Log(1 + (float64(n)-float64(df)+0.5)/(float64(df)+0.5))
}

// Term is a stem that is searched for, with its weight in the question.
type Term struct {
	Stem   string
	Weight float64
}

// Hit is one chunk of a view and its score.
type Hit struct {
	Number int
	Score  float64
}

func (v *View) rarity(stem string, m BM25) float64 {
	df := v.Frequency(stem)
	if df == 0 {
		return 0
	}
	if m.IDF != nil {
		return m.IDF(v.alive, df)
	}
	return Rarity(v.alive, df)
}

// scorer holds what a model's scores hang on and what need not be computed for every question: the length correction of
// each chunk, and the most that each list of postings can give.
type scorer struct {
	k1     float64
	b      [Fields]float64
	weight [Fields]float64
	norm   [][][Fields]float64 // [part][chunk]: weight over length correction
	mu     sync.Mutex
	met    []map[int]*list // [part]: of terms asked for so far
	kept   int             // numbers in all given
}

// list is what a scorer knows of a term's postings.
type list struct {
	most  float64   // the highest saturated count
	given []float64 // [posting]: the saturated counts, of long lists; nil for others
}

// A list of at least longList postings keeps its saturated counts, until a scorer keeps mostGiven of them.
const (
	longList  = 512
	mostGiven = 2_000_000
)

// keptScorers is how many models' scorers a view keeps.
const keptScorers = 6

func (v *View) scorer(m BM25) *scorer {
	v.mu.Lock()
	defer v.mu.Unlock()
	for i, s := range v.scorers {
		if s.k1 == m.K1 && s.b == m.B && s.weight == m.Weight {
			v.scorers = append(append(v.scorers[:i:i], v.scorers[i+1:]...), s)
			return s
		}
	}
	s := &scorer{k1: m.K1, b: m.B, weight: m.Weight, norm: make([][][Fields]float64, len(v.parts)), met: make([]map[int]*list, len(v.parts))}
	for k, p := range v.parts {
		s.met[k] = map[int]*list{}
		s.norm[k] = make([][Fields]float64, len(p.Segment.lengths))
		for i, l := range p.Segment.lengths {
			for f := range Fields {
				if m.Weight[f] == 0 || v.totals[f] == 0 {
					continue
				}
				mean := float64(v.totals[f]) / float64(v.alive)
				s.norm[k][i][f] = m.Weight[f] / (1 - m.B[f] + m.B[f]*float64(l[f])/mean)
			}
		}
	}
	if v.scorers = append(v.scorers, s); len(v.scorers) > keptScorers {
		v.scorers = v.scorers[1:]
	}
	return s
}

// saturated is a posting's part of the score before its term's rarity and weight: at most k1+1.
func (s *scorer) saturated(part int, po *posting) float64 {
	n := &s.norm[part][po.chunk]
	tf := 0.0
	for f := range Fields {
		tf += float64(float64(po.count[f]) * n[f])
	}
	if tf == 0 { // it stands in fields without weight alone
		return 0
	}
	return tf * (s.k1 + 1) / (s.k1 + tf)
}

// list looks at a term's postings, at its first use.
func (s *scorer) list(part, term int, postings []posting) *list {
	s.mu.Lock()
	defer s.mu.Unlock()
	if l, ok := s.met[part][term]; ok {
		return l
	}
	l := &list{}
	if len(postings) >= longList && s.kept+len(postings) <= mostGiven {
		l.given = make([]float64, len(postings))
		s.kept += len(postings)
	}
	for i := range postings {
		x := s.saturated(part, &postings[i])
		l.most = max(l.most, x)
		if l.given != nil {
			l.given[i] = x
		}
	}
	s.met[part][term] = l
	return l
}

// cursor walks one term's list.
type cursor struct {
	list   []posting
	at     int
	given  []float64 // see list
	factor float64   // weight times rarity
	bound  float64   // the most it gives
	order  int       // place among the terms, in which scores are summed
}

// gives is what the posting at the cursor adds to a score.
func (c *cursor) gives(s *scorer, part int) float64 {
	if c.given != nil {
		return c.factor * c.given[c.at]
	}
	return c.factor * s.saturated(part, &c.list[c.at])
}

// seek moves to the first posting of a chunk or after, by doubling steps, and reports whether it is the chunk's.
func (c *cursor) seek(chunk uint32) bool {
	lo, step := c.at, 1
	for lo+step < len(c.list) && c.list[lo+step].chunk < chunk {
		lo += step
		step *= 2
	}
	hi := min(lo+step, len(c.list))
	for lo < hi {
		if m := int(uint(lo+hi) / 2); c.list[m].chunk < chunk {
			lo = m + 1
		} else {
			hi = m
		}
	}
	c.at = lo
	return lo < len(c.list) && c.list[lo].chunk == chunk
}

// Best gives the k chunks with the highest scores, in no order, and with the last of them all that tie with it: which of
// a tie comes in must not hang on their numbers. allowed, when not nil, is the set of chunks that may be found. Lists
// whose terms could not lift a chunk into the best by themselves are looked at only for chunks that others bring
// (MaxScore: Turtle and Flood 1995, "Query Evaluation: Strategies and Optimizations"); scores are those of summing over
// all terms in the order given, to the last bit.
func (v *View) Best(terms []Term, m BM25, k int, allowed Bits) []Hit {
	if v.alive == 0 || k <= 0 {
		return nil
	}
	s := v.scorer(m)
	top := newTop(k)
	factors := make([]float64, len(terms))
	for i, t := range terms {
		factors[i] = t.Weight * v.rarity(t.Stem, m)
	}
	for part, p := range v.parts {
		var cs []*cursor
		for i, t := range terms {
			ti, ok := p.Segment.term(t.Stem)
			if !ok || !(factors[i] > 0) {
				continue
			}
			postings := p.Segment.list(ti)
			l := s.list(part, ti, postings)
			cs = append(cs, &cursor{list: postings, given: l.given, factor: factors[i], bound: factors[i] * l.most, order: i})
		}
		if len(cs) == 0 {
			continue
		}
		w := newWalk(v, part, cs, s, allowed)
		w.prime(top)
		w.run(top)
	}
	return top.hits()
}

// slack covers what sums in another order may differ by.
const slack = 1 + 1e-9

// walk is one part of a view being searched.
type walk struct {
	part    int
	base    int
	dead    Bits
	allowed Bits
	scorer  *scorer
	cs      []*cursor // by rising bound
	upto    []float64 // [i]: the most that the lists before i give together
	given   []float64 // [i]: what list i gives to the chunk at hand
	order   []int     // the lists in the order of terms
}

func newWalk(v *View, part int, cs []*cursor, s *scorer, allowed Bits) *walk {
	w := &walk{part: part, base: v.base[part], dead: v.parts[part].Dead, allowed: allowed, scorer: s, cs: cs}
	sort.SliceStable(cs, func(a, b int) bool { return cs[a].bound < cs[b].bound })
	w.upto, w.given, w.order = make([]float64, len(cs)+1), make([]float64, len(cs)), make([]int, len(cs))
	for i, c := range cs {
		w.upto[i+1] = w.upto[i] + c.bound
		w.order[c.orderAmong(cs)] = i
	}
	return w
}

// orderAmong is how many of the cursors come before c in the order of terms.
func (c *cursor) orderAmong(cs []*cursor) int {
	n := 0
	for _, o := range cs {
		if o.order < c.order {
			n++
		}
	}
	return n
}

func (w *walk) may(chunk uint32) bool {
	return !w.dead.Has(int(chunk)) && (w.allowed == nil || w.allowed.Has(w.base+int(chunk)))
}

// essential is from which list on chunks can reach the least score by themselves.
func (w *walk) essential(from int, top *top) int {
	for from < len(w.cs) && w.upto[from+1]*slack < top.least {
		from++
	}
	return from
}

// primeMost is how long a list may be from which a first least score is taken.
const primeMost = 2000

// prime raises the least score by scoring the chunks of the list that gives most, when it is short: there are that many
// chunks that reach it.
func (w *walk) prime(t *top) {
	best := w.cs[len(w.cs)-1]
	if len(best.list) < t.k || len(best.list) > primeMost {
		return
	}
	first := newTop(t.k)
	for _, p := range best.list {
		if !w.may(p.chunk) {
			continue
		}
		sum := 0.0
		for _, i := range w.order {
			c := w.cs[i]
			if c.seek(p.chunk) {
				sum += c.gives(w.scorer, w.part)
			}
		}
		first.offer(w.base+int(p.chunk), sum)
	}
	for _, c := range w.cs {
		c.at = 0
	}
	t.least = max(t.least, first.least)
}

func (w *walk) run(top *top) {
	cs, given := w.cs, w.given
	essential := 0
	for {
		essential = w.essential(essential, top)
		chunk := uint32(math.MaxUint32)
		for _, c := range cs[essential:] {
			if c.at < len(c.list) && c.list[c.at].chunk < chunk {
				chunk = c.list[c.at].chunk
			}
		}
		if chunk == math.MaxUint32 {
			return
		}
		sum := 0.0
		for i := essential; i < len(cs); i++ {
			given[i] = 0
			if c := cs[i]; c.at < len(c.list) && c.list[c.at].chunk == chunk {
				given[i] = c.gives(w.scorer, w.part)
				sum += given[i]
				c.at++
			}
		}
		if !w.may(chunk) {
			continue
		}
		i := essential - 1
		for ; i >= 0 && (sum+w.upto[i+1])*slack >= top.least; i-- {
			given[i] = 0
			if c := cs[i]; c.seek(chunk) {
				given[i] = c.gives(w.scorer, w.part)
				sum += given[i]
			}
		}
		if i >= 0 || sum*slack < top.least {
			continue
		}
		sum = 0
		for _, i := range w.order {
			sum += given[i]
		}
		top.offer(w.base+int(chunk), sum)
	}
}

// Score is the score of one chunk, to the last bit as Best gives it.
func (v *View) Score(n int, terms []Term, m BM25) float64 {
	s := v.scorer(m)
	sum := 0.0
	for _, t := range terms {
		if po, part, _ := v.posting(n, t.Stem); po != nil {
			if x := t.Weight * v.rarity(t.Stem, m) * s.saturated(part, po); x > 0 {
				sum += x
			}
		}
	}
	return sum
}

// posting is where a stem stands in a chunk, and its number in the part's segment; nil when it does not.
func (v *View) posting(n int, stem string) (po *posting, part, number int) {
	part, i := v.locate(n)
	seg := v.parts[part].Segment
	ti, ok := seg.term(stem)
	if !ok {
		return nil, part, 0
	}
	c := cursor{list: seg.list(ti)}
	if !c.seek(uint32(i)) {
		return nil, part, 0
	}
	return &c.list[c.at], part, int(seg.starts[ti]) + c.at
}

// Holds reports whether a stem stands anywhere in a chunk.
func (v *View) Holds(n int, stem string) bool {
	po, _, _ := v.posting(n, stem)
	return po != nil
}

// Places lists at which words of a chunk's body a stem stands, counted from 0, stop words included.
func (v *View) Places(n int, stem string) []int {
	po, part, number := v.posting(n, stem)
	if po == nil {
		return nil
	}
	return v.parts[part].Segment.places(number)
}

// Contribution is what one term gave to one chunk's score, and in which fields it stood.
type Contribution struct {
	Stem  string          `json:"stem"`
	Score float64         `json:"score"`
	Field [Fields]float64 `json:"field"` // the share of Score that each field earned: title, headings, body
}

// Explain gives the parts of a chunk's lexical score, one for each term that it holds; they sum to its score.
func (v *View) Explain(n int, terms []Term, m BM25) []Contribution {
	s := v.scorer(m)
	var out []Contribution
	for _, t := range terms {
		po, part, _ := v.posting(n, t.Stem)
		if po == nil {
			continue
		}
		score := t.Weight * v.rarity(t.Stem, m) * s.saturated(part, po)
		if !(score > 0) {
			continue
		}
		c := Contribution{Stem: t.Stem, Score: score}
		sum := 0.0
		for f := range Fields {
			c.Field[f] = float64(po.count[f]) * s.norm[part][po.chunk][f]
			sum += c.Field[f]
		}
		for f := range c.Field {
			c.Field[f] *= score / sum
		}
		out = append(out, c)
	}
	return out
}

// top keeps the k highest scores and what has them.
type top struct {
	k     int
	least float64   // what a score must reach
	heap  []float64 // the k highest scores, the lowest on top
	all   []Hit     // whatever reached the least of its time
}

func newTop(k int) *top { return &top{k: k, heap: make([]float64, 0, min(k, 1<<12))} }

func (t *top) offer(n int, x float64) {
	if !(x > 0) || x < t.least {
		return
	}
	t.all = append(t.all, Hit{n, x})
	switch {
	case len(t.heap) < t.k:
		t.heap = append(t.heap, x)
		for i := len(t.heap) - 1; i > 0 && t.heap[(i-1)/2] > t.heap[i]; i = (i - 1) / 2 {
			t.heap[(i-1)/2], t.heap[i] = t.heap[i], t.heap[(i-1)/2]
		}
		if len(t.heap) == t.k {
			t.least = t.heap[0]
		}
	case x > t.heap[0]:
		t.heap[0] = x
		for i := 0; ; {
			c := 2*i + 1
			if c >= t.k {
				break
			}
			if c+1 < t.k && t.heap[c+1] < t.heap[c] {
				c++
			}
			if t.heap[i] <= t.heap[c] {
				break
			}
			t.heap[i], t.heap[c] = t.heap[c], t.heap[i]
			i = c
		}
		t.least = t.heap[0]
	}
	if len(t.all) > 4*t.k+1024 {
		t.all = t.hits()
	}
}

// hits drops what has fallen behind since it came in.
func (t *top) hits() []Hit {
	out := t.all[:0]
	for _, h := range t.all {
		if h.Score >= t.least {
			out = append(out, h)
		}
	}
	return out
}
