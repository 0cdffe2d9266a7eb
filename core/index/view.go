package index

import (
	"maps"
	"slices"
	"sort"
	"strings"
	"sync"
)

// Snapshot is one state of a corpus's index. It never changes.
type Snapshot struct {
	views     sync.Map // audience -> *View
	Name      string   // hash of the manifest; pins what was measured
	Embedder  string   // ID of the embedder that made the vectors
	Sentences bool     // the encoder has read the sentences of chunks as well; those of a few may be read when they are asked for
	Parts     []Part
}

// View is what one caller may see of a snapshot, with statistics made of that alone: what an audience may not read has
// no say in its document frequencies, lengths, vocabulary or suggestions.
type View struct {
	Name      string
	parts     []Part
	base      []int // [part]: number of its first chunk in the view
	size      int   // numbers in use, dead chunks included
	alive     int
	totals    [Fields]uint64
	language  string
	languages map[string]int // chunks by language

	mu      sync.Mutex
	scorers []*scorer // of the models asked with lately, newest last
}

// See makes the view of an audience: Public sees public segments, Staff all of them, a visitor group the public ones and
// its own.
func (s *Snapshot) See(audience string) *View {
	if v, ok := s.views.Load(audience); ok {
		return v.(*View)
	}
	v, _ := s.views.LoadOrStore(audience, s.see(audience))
	return v.(*View)
}

func (s *Snapshot) see(audience string) *View {
	v := &View{Name: s.Name}
	languages := map[string]int{}
	for _, p := range s.Parts {
		if audience != Staff && p.Segment.Audience != Public && p.Segment.Audience != audience {
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
			if l, _, _ := strings.Cut(strings.ToLower(p.Segment.Entries[i].Language), "-"); l != "" {
				languages[l]++
			}
			for f, n := range l {
				v.totals[f] += uint64(n)
			}
		}
	}
	v.languages = languages
	for _, l := range slices.Sorted(maps.Keys(languages)) {
		if v.language == "" || languages[l] > languages[v.language] {
			v.language = l
		}
	}
	return v
}

// Languages counts chunks by the language of their document (ISO 639-1), those of which it is known.
func (v *View) Languages() map[string]int {
	out := map[string]int{}
	maps.Copy(out, v.languages)
	return out
}

// Language is the language that most chunks declare (ISO 639-1), "" when none declares one.
func (v *View) Language() string { return v.language }

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

// Resemblance is the share of different words that two chunks have in common of all that either has, 0 to 1 (Broder 1997);
// figures tells whether those with digits are the same in both.
func (v *View) Resemblance(a, b int) (share float64, figures bool) {
	x, y := v.vocabulary(a), v.vocabulary(b)
	both, figures := 0, true
	for i, j := 0, 0; i < len(x) || j < len(y); {
		switch {
		case j == len(y) || i < len(x) && x[i] < y[j]:
			figures = figures && !strings.ContainsAny(x[i], "0123456789")
			i++
		case i == len(x) || y[j] < x[i]:
			figures = figures && !strings.ContainsAny(y[j], "0123456789")
			j++
		default:
			both, i, j = both+1, i+1, j+1
		}
	}
	if all := len(x) + len(y) - both; all > 0 {
		share = float64(both) / float64(all)
	}
	return share, figures
}

// vocabulary lists the different words of a chunk in order.
func (v *View) vocabulary(n int) []string {
	k, i := v.locate(n)
	s := v.parts[k].Segment
	out := make([]string, len(s.forward[i]))
	for j, id := range s.forward[i] {
		out[j] = s.words[id]
	}
	return out
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
