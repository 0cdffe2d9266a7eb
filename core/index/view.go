package index

import (
	"math"
	"sort"

	"jolvex/core/embed"
)

// Snapshot is one state of a corpus's index. It never changes.
type Snapshot struct {
	Name      string // hash of the manifest; pins what was measured
	Embedder  string // ID of the embedder that made the vectors
	Sentences bool   // the encoder has read the sentences of every chunk as well
	Parts     []Part
}

// View is what one caller may see of a snapshot, with statistics made of that alone: what an audience may not read has
// no say in its document frequencies, lengths, vocabulary or suggestions.
type View struct {
	Name   string
	parts  []Part
	base   []int // [part]: number of its first chunk in the view
	size   int   // numbers in use, dead chunks included
	alive  int
	totals [Fields]uint64
}

// See makes the view of an audience: Public sees public segments, Staff all of them.
func (s *Snapshot) See(audience string) *View {
	v := &View{Name: s.Name}
	for _, p := range s.Parts {
		if audience != Staff && p.Segment.Audience != Public {
			continue
		}
		v.parts = append(v.parts, p)
		v.base = append(v.base, v.size)
		v.size += len(p.Segment.Entries)
		for i, l := range p.Segment.lengths {
			if p.Dead.Has(i) {
				continue
			}
			v.alive++
			for f, n := range l {
				v.totals[f] += uint64(n)
			}
		}
	}
	return v
}

// Chunks is the number of chunks that can be found.
func (v *View) Chunks() int { return v.alive }

// Each calls do with every chunk that can be found, in order of number, until it returns false.
func (v *View) Each(do func(n int, e *Entry) bool) {
	for k, p := range v.parts {
		for i := range p.Segment.Entries {
			if !p.Dead.Has(i) && !do(v.base[k]+i, &p.Segment.Entries[i]) {
				return
			}
		}
	}
}

func (v *View) locate(n int) (part, i int) {
	k := sort.Search(len(v.base), func(k int) bool { return v.base[k] > n }) - 1
	return k, n - v.base[k]
}

// Entry is chunk n of the view.
func (v *View) Entry(n int) *Entry {
	k, i := v.locate(n)
	return &v.parts[k].Segment.Entries[i]
}

// Frequency is the number of chunks that hold a stem.
func (v *View) Frequency(stem string) int {
	df := 0
	for _, p := range v.parts {
		if t, ok := p.Segment.term(stem); ok {
			if len(p.Dead) == 0 {
				df += len(p.Segment.list(t))
				continue
			}
			for _, po := range p.Segment.list(t) {
				if !p.Dead.Has(int(po.chunk)) {
					df++
				}
			}
		}
	}
	return df
}

// Word is one folded word of the vocabulary and in how many chunks it stands.
type Word struct {
	Word   string
	Chunks int
}

// WordCount is the number of chunks that hold a folded word.
func (v *View) WordCount(w string) int {
	n := 0
	for _, p := range v.parts {
		i := sort.SearchStrings(p.Segment.words, w)
		if i < len(p.Segment.words) && p.Segment.words[i] == w {
			n += p.count(i)
		}
	}
	return n
}

// count is in how many living chunks word i of the part stands.
func (p Part) count(i int) int {
	n := int(p.Segment.counts[i])
	for _, d := range p.Dead.Members() {
		ids := p.Segment.forward[d]
		j := sort.Search(len(ids), func(j int) bool { return ids[j] >= uint32(i) })
		if j < len(ids) && ids[j] == uint32(i) {
			n--
		}
	}
	return n
}

// Words calls do with every different folded word that begins with prefix, part by part; a word may come more than once.
func (v *View) Words(prefix string, do func(Word)) {
	for _, p := range v.parts {
		for i := sort.SearchStrings(p.Segment.words, prefix); i < len(p.Segment.words); i++ {
			w := p.Segment.words[i]
			if len(w) < len(prefix) || w[:len(prefix)] != prefix {
				break
			}
			if n := p.count(i); n > 0 {
				do(Word{w, n})
			}
		}
	}
}

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

// Lexical holds the scores of one search.
type Lexical struct {
	Score   []float64 // [chunk number]
	Touched []int     // numbers with a score, rising
}

// Search scores every chunk that holds one of the terms, by summing over the terms in the order given.
func (v *View) Search(terms []Term, m BM25) Lexical {
	out := Lexical{Score: make([]float64, v.size)}
	for _, t := range terms {
		idf := v.rarity(t.Stem, m)
		if idf == 0 || t.Weight == 0 {
			continue
		}
		for k, p := range v.parts {
			ti, ok := p.Segment.term(t.Stem)
			if !ok {
				continue
			}
			var parts [Fields]float64
			for _, po := range p.Segment.list(ti) {
				if p.Dead.Has(int(po.chunk)) {
					continue
				}
				out.Score[v.base[k]+int(po.chunk)] += t.Weight * idf * v.saturated(p.Segment.lengths[po.chunk], po.count, m, &parts)
			}
		}
	}
	for n, s := range out.Score {
		if s > 0 {
			out.Touched = append(out.Touched, n)
		}
	}
	return out
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

// saturated is the term's part of the score before its rarity; parts receives the weighted count of each field.
func (v *View) saturated(length [Fields]uint32, count [Fields]uint16, m BM25, parts *[Fields]float64) float64 {
	tf := 0.0
	for f := range Fields {
		if count[f] == 0 || m.Weight[f] == 0 {
			continue
		}
		mean := float64(v.totals[f]) / float64(v.alive)
		parts[f] = m.Weight[f] * float64(count[f]) / (1 - m.B[f] + m.B[f]*float64(length[f])/mean)
		tf += parts[f]
	}
	if tf == 0 {
		return 0
	}
	return tf * (m.K1 + 1) / (m.K1 + tf)
}

// Contribution is what one term gave to one chunk's score, and in which fields it stood.
type Contribution struct {
	Stem  string          `json:"stem"`
	Score float64         `json:"score"`
	Field [Fields]float64 `json:"field"` // the share of Score that each field earned: title, headings, body
}

// Explain gives the parts of a chunk's lexical score, one for each term that it holds; they sum to its score.
func (v *View) Explain(n int, terms []Term, m BM25) []Contribution {
	k, i := v.locate(n)
	p := v.parts[k]
	var out []Contribution
	for _, t := range terms {
		ti, ok := p.Segment.term(t.Stem)
		if !ok {
			continue
		}
		list := p.Segment.list(ti)
		j := sort.Search(len(list), func(j int) bool { return list[j].chunk >= uint32(i) })
		if j == len(list) || list[j].chunk != uint32(i) {
			continue
		}
		var parts [Fields]float64
		s := t.Weight * v.rarity(t.Stem, m) * v.saturated(p.Segment.lengths[i], list[j].count, m, &parts)
		sum := 0.0
		for _, x := range parts {
			sum += x
		}
		if s == 0 || sum == 0 {
			continue
		}
		c := Contribution{Stem: t.Stem, Score: s}
		for f, x := range parts {
			c.Field[f] = s * x / sum
		}
		out = append(out, c)
	}
	return out
}

// Dense gives the cosine of every chunk with a vector, [chunk number]; chunks without one, and dead ones, get -1.
func (v *View) Dense(q embed.Vector) []float64 {
	out := make([]float64, v.size)
	for k, p := range v.parts {
		for i := range p.Segment.Entries {
			n := v.base[k] + i
			out[n] = -1
			if i < len(p.Vectors) && len(p.Vectors[i]) == len(q) && !p.Dead.Has(i) {
				out[n] = embed.Cosine(q, p.Vectors[i])
			}
		}
	}
	return out
}
