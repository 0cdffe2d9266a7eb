// Package find ranks the chunks of a view against what was understood of a question, and explains every score.
package find

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"slices"
	"sort"

	"jolvex/core/doc"
	"jolvex/core/embed"
	"jolvex/core/index"
	"jolvex/core/query"
	"jolvex/core/text"
)

// Version names the algorithm; it is part of the rank stage's hash.
const Version = "find-12"

// Ways to bring the kinds of retrieval together.
const (
	ByScores = "scores" // z-scores, weighted and summed
	ByRanks  = "ranks"  // reciprocal ranks (Cormack, Clarke and Büttcher 2009)
)

// Settings of the rank stage. Weights of signals are in standard deviations of the candidates' scores.
type Settings struct {
	K1          float64 `json:"k1" initial:"1.2" min:"0" max:"3" step:"0.1" label:"Saturation (k1)" help:"How much a second and third occurrence of a word still adds."`
	B           float64 `json:"b" initial:"0.7" min:"0" max:"1" step:"0.05" label:"Length correction (b)" help:"How strongly long chunks are held back."`
	Title       float64 `json:"title" initial:"3" min:"0" max:"10" step:"0.5" label:"Weight of the title" help:"An occurrence in the document's title counts this many times one in the body."`
	Path        float64 `json:"path" initial:"3" min:"0" max:"10" step:"0.5" label:"Weight of headings" help:"An occurrence in the heading path counts this many times one in the body."`
	Fusion      string  `json:"fusion" initial:"scores" choices:"scores,ranks" label:"Fusion" help:"How shared words (lexical) and likeness of meaning (dense) come together: by their scores, or by their ranks alone."`
	Dense       float64 `json:"dense" initial:"0.5" min:"0" max:"1" step:"0.05" label:"Share of meaning" help:"How much likeness of meaning (dense retrieval) counts beside shared words (lexical retrieval), once the sentence encoder has read the corpus."`
	DenseWords  float64 `json:"denseWords" initial:"0.25" min:"0" max:"1" step:"0.05" label:"Share of meaning, word vectors" help:"The same while word vectors serve: they are a weaker signal."`
	Lean        float64 `json:"lean" initial:"1" min:"0" max:"1" step:"0.1" label:"Meaning where words fail" help:"How much of the share of words passes to meaning where no chunk holds the question's words: all of it at 1, when none holds any."`
	Sentence    float64 `json:"sentence" initial:"0.4" min:"0" max:"1" step:"0.05" label:"Nearest sentence" help:"How much likeness of meaning between the question and the chunk's best single sentence or heading adds, over the first candidates. It counts half while word vectors serve."`
	Coverage    float64 `json:"coverage" initial:"0" min:"0" max:"3" step:"0.1" label:"Words covered" help:"What a chunk gains that holds all words of the question, rare ones counting more."`
	Proximity   float64 `json:"proximity" initial:"0" min:"0" max:"3" step:"0.1" label:"Words together" help:"What a chunk gains in which the words of the question stand side by side, as they were asked."`
	Named       float64 `json:"named" initial:"0" min:"0" max:"3" step:"0.1" label:"Heading says it" help:"What a chunk gains whose title or last heading is what was asked about, no more and no less."`
	Figure      float64 `json:"figure" initial:"0" min:"0" max:"3" step:"0.1" label:"Kind of answer" help:"What a chunk gains that holds the kind of thing asked for: a price, a time, a date, a place, a person, a yes or no."`
	Fresh       float64 `json:"fresh" initial:"0" min:"0" max:"3" step:"0.1" label:"Freshness" help:"What a document gains by having been changed lately; one without a date neither gains nor loses."`
	Source      float64 `json:"source" initial:"0.5" min:"0" max:"3" step:"0.1" label:"Source priority" help:"What one step of a source's priority is worth."`
	Settled     float64 `json:"settled" initial:"4" min:"0" max:"10" step:"0.1" label:"Settled answers" help:"What a settled answer gains when its question is like the one asked."`
	Fold        bool    `json:"fold" initial:"true" label:"Fold repeats" help:"A chunk that repeats a better one, word for word or nearly and with the same figures, stands behind it instead of taking a place."`
	Diversity   float64 `json:"diversity" initial:"0" min:"0" max:"1" step:"0.05" label:"Diversity" help:"How much a chunk loses by being like those ranked before it (maximal marginal relevance)."`
	Approximate bool    `json:"approximate" initial:"true" label:"Shortcut in large corpora" help:"Above 50,000 chunks, look for likeness of meaning along a graph, which is many times faster and misses a few in a hundred of the nearest. Off: look at every chunk."`
	Candidates  int     `json:"candidates" initial:"100" min:"10" max:"1000" unit:"chunks" label:"Candidates" help:"How many chunks each kind of retrieval puts forward."`
	Keep        int     `json:"keep" initial:"8" min:"1" max:"50" unit:"chunks" label:"Kept for the reply" help:"How many of the best chunks the reply may draw on."`
}

// Texts gives the text behind a chunk. Implementations cache.
type Texts interface {
	Version(ctx context.Context, hash string) (*doc.Document, error)
}

// Signal is one reason for a rank.
type Signal struct {
	Name   string  `json:"name" enum:"title,headings,body,meaning,sentence,coverage,proximity,named,figure,fresh,source,settled"`
	Value  float64 `json:"value" doc:"title, headings, body: BM25 points; meaning, sentence: cosine; source: steps of priority; the others 0 to 1"`
	Points float64 `json:"points" doc:"What it adds to the score, in standard deviations; may be below 0"`
	Share  float64 `json:"share" doc:"Of all that speaks for the chunk, 0 to 1; the shares of one chunk sum to 1"`
}

// Ranked is one chunk with its score and the reasons for it.
type Ranked struct {
	Number  int                  `json:"-"`
	Entry   *index.Entry         `json:"-"`
	Rank    int                  `json:"rank"` // from 1
	Score   float64              `json:"score"`
	Lexical float64              `json:"lexical"`
	Cosine  float64              `json:"cosine"`
	Nearest float64              `json:"nearest"` // cosine of the best single sentence or heading; 0 beyond the first candidates
	Signals []Signal             `json:"signals"` // those that say something about it; their points sum to the score
	Terms   []index.Contribution `json:"terms"`

	// Found lists the wordings that found it: those among whose first it is, by place in Reading.Searches.
	Found []int `json:"found,omitempty" nullable:"false"`

	search                  int     // the wording whose words it shares most
	lexical, dense, nearest float64 // z-scores
}

// Left is a chunk that could have been among the best and is not, and why.
type Left struct {
	Entry *index.Entry
	Why   string // Repeats, Section, or the field of the filter that held it back
	Of    int    // Repeats, Section: the rank of the chunk that stands for it
}

// Why a chunk was left out, besides filters.
const (
	Repeats = "repeats" // the words of a better chunk
	Section = "section" // the section of a better small chunk
)

// Ranking is the outcome of a search.
type Ranking struct {
	Ranked  []Ranked
	Left    []Left
	Further []*index.Entry // the first candidates, chosen or not, best first: where more is looked for than passages
}

// Model are the constants of the lexical ranking.
func (s Settings) Model() index.BM25 {
	return index.BM25{
		K1:     s.K1,
		B:      [index.Fields]float64{index.Title: 0.3, index.Path: 0.3, index.Body: s.B},
		Weight: [index.Fields]float64{index.Title: s.Title, index.Path: s.Path, index.Body: 1},
	}
}

// reranked is over how many first candidates the signals are looked for that take a look at the text.
const reranked = 40

// Library is what a ranking draws on besides the index.
type Library struct {
	Texts    Texts
	Embedder embed.Embedder // of the view's vectors
	Sentence embed.Embedder // of single sentences, of which a question meets hundreds
	Encoded  Encoded
	Memory   *Memory
	Filter   index.Filter
	Priority map[string]int // of sources, by portable id; 0 for the others
	Probe    bool           // value every signal, those without weight too, as fitting wants it
	AsOf     int            // the day of asking, in days since 1970
}

// Encoded tells what the sentence encoder has read so far; word vectors serve for the rest.
type Encoded struct{ Chunks, Sentences bool }

// share is how much meaning counts under the embedder at hand.
func (lib Library) share(s Settings) float64 {
	if lib.Encoded.Chunks {
		return s.Dense
	}
	return s.DenseWords
}

// sentence is how much the nearest sentence counts: word vectors tell sentences apart half as well.
func (lib Library) sentence(s Settings) float64 {
	if lib.Encoded.Sentences {
		return s.Sentence
	}
	return s.Sentence / 2
}

// Rank gives the best chunks for a reading, best first, at most limit. Lexical and dense retrieval put candidates
// forward, whose scores are fused; the first of them are ranked anew by what else speaks for them; repeats are folded and
// likes held apart. Ties go by address and place.
func Rank(ctx context.Context, r query.Reading, v *index.View, lib Library, s Settings, limit int) (Ranking, error) {
	if v.Chunks() == 0 || limit <= 0 || len(r.Searches) == 0 {
		return Ranking{}, nil
	}
	if err := lib.Filter.Check(); err != nil {
		return Ranking{}, err
	}
	q, err := embedQuestion(ctx, r, lib)
	if err != nil {
		return Ranking{}, err
	}
	k := &ranker{reading: r, view: v, lib: lib, set: s, terms: r.Index(), model: s.Model(), question: q, allowed: v.Where(lib.Filter)}
	k.rarity = make([]float64, len(k.terms))
	for i, t := range k.terms {
		k.rarity[i] = t.Weight * index.Rarity(v.Chunks(), v.Frequency(t.Stem))
	}
	rs := k.fuse()
	order(rs)
	if err := k.rerank(ctx, rs[:min(reranked, len(rs))]); err != nil {
		return Ranking{}, err
	}
	order(rs)
	out := k.choose(rs, limit)
	for _, r := range rs[:min(len(rs), further)] {
		out.Further = append(out.Further, r.Entry)
	}
	for i := range out.Ranked {
		out.Ranked[i].Rank = i + 1
		k.explain(&out.Ranked[i])
	}
	out.Left = append(out.Left, k.barred(len(out.Ranked))...)
	return out, nil
}

// further is how many of the first candidates are given besides those that were chosen.
const further = 60

// ranker is one search at work.
type ranker struct {
	reading  query.Reading
	view     *index.View
	lib      Library
	set      Settings
	terms    []index.Term
	model    index.BM25
	question vectors
	allowed  index.Bits
	rarity   []float64 // of terms: how rare each is, times what it counts
}

// vectors are the question's: one of each wording for chunks, and one of the main wording for sentences.
type vectors struct {
	chunks   []embed.Vector
	sentence embed.Vector
}

// ErrEmbed says that a question could not be embedded, as by an endpoint that does not answer.
var ErrEmbed = errors.New("embed the question")

func embedQuestion(ctx context.Context, r query.Reading, lib Library) (vectors, error) {
	var out vectors
	for _, s := range r.Searches {
		vs, err := lib.Embedder.Embed(ctx, []string{s.Text}) // one by one: an embedder may take several for one chunk's sentences
		if err != nil {
			return vectors{}, fmt.Errorf("%w: %w", ErrEmbed, err)
		}
		out.chunks = append(out.chunks, vs[0])
	}
	out.sentence = out.chunks[0]
	if lib.Sentence.ID() != lib.Embedder.ID() {
		vs, err := lib.Sentence.Embed(ctx, []string{r.Searches[0].Text})
		if err != nil {
			return vectors{}, fmt.Errorf("%w: %w", ErrEmbed, err)
		}
		out.sentence = vs[0]
	}
	return out, nil
}

// fuse brings the candidates of both kinds of retrieval together.
func (k *ranker) fuse() []Ranked {
	s := k.set
	reach := index.Exactly
	if s.Approximate {
		reach = index.AlongGraphs
	}
	lexical, dense := map[int]float64{}, map[int]float64{}
	found := map[int][]int{}
	sides := make([]side, len(k.reading.Searches))
	for i, w := range k.reading.Searches {
		terms := query.Index(w.Terms)
		words := k.view.Best(terms, k.model, s.Candidates, k.allowed)
		meaning := k.view.Nearest(k.question.chunks[i], s.Candidates, k.allowed, reach)
		sides[i] = side{terms, byNumber(words), byNumber(meaning)}
		for _, hs := range [][]index.Hit{words, meaning} {
			for _, n := range foremost(hs) {
				if at := found[n]; len(at) == 0 || at[len(at)-1] != i {
					found[n] = append(at, i)
				}
			}
		}
		most(lexical, words, w.Weight)
		most(dense, meaning, w.Weight)
	}
	numbers := union(lexical, dense)
	out := make([]Ranked, len(numbers))
	lex, den := make([]float64, len(numbers)), make([]float64, len(numbers))
	unread := map[int]bool{} // chunks that wait for the embedder
	for i, n := range numbers {
		out[i] = Ranked{Number: n, Entry: k.view.Entry(n), Found: found[n], Cosine: -1}
		for j, w := range k.reading.Searches {
			x, ok := sides[j].words[n]
			if !ok {
				x = k.view.Score(n, sides[j].terms, k.model)
			}
			if x *= w.Weight; x > out[i].Lexical {
				out[i].Lexical, out[i].search = x, j
			}
			c, ok := sides[j].meaning[n]
			if !ok {
				c = k.view.Cosine(n, k.question.chunks[j])
			}
			out[i].Cosine = max(out[i].Cosine, w.Weight*c)
		}
		if len(k.view.Vector(n)) == 0 {
			unread[i], out[i].Cosine = true, 0
		}
		lex[i], den[i] = out[i].Lexical, out[i].Cosine
	}
	share := k.leaning(k.lib.share(s), out)
	zl := standard(lex)
	zd := standardOf(den, unread, zl)
	a, b := scaled(zl, 1-share), scaled(zd, share)
	if s.Fusion == ByRanks {
		a, b = reciprocal(out, lex, den, lexical, dense, share)
	}
	for i := range out {
		out[i].lexical, out[i].dense = zl[i], zd[i]
		out[i].add(signalLexical, out[i].Lexical, a[i])
		out[i].add(SignalMeaning, out[i].Cosine, b[i])
	}
	return out
}

// bestHolders is over how many of the first chunks by words it is looked for how much of a question they hold.
const bestHolders = 10

// leaning is the share of meaning for the question at hand: it grows where even the chunks that share most words hold few of them.
func (k *ranker) leaning(share float64, rs []Ranked) float64 {
	if k.set.Lean <= 0 {
		return share
	}
	byWords := slices.Clone(rs)
	slices.SortStableFunc(byWords, func(a, b Ranked) int { return cmp.Or(cmp.Compare(b.Lexical, a.Lexical), a.Number-b.Number) })
	held := 0.0
	for _, r := range byWords[:min(len(byWords), bestHolders)] {
		held = max(held, k.coverage(r.Number))
	}
	return share + (1-share)*k.set.Lean*(1-held)
}

// firsts is how far down a wording's list a chunk still counts as found by it.
const firsts = 20

// foremost lists the first of what was found, and all that tie with the last of them.
func foremost(hs []index.Hit) []int {
	hs = slices.Clone(hs)
	slices.SortFunc(hs, func(a, b index.Hit) int { return cmp.Or(cmp.Compare(b.Score, a.Score), a.Number-b.Number) })
	var out []int
	for i, h := range hs {
		if i >= firsts && h.Score < hs[firsts-1].Score {
			break
		}
		out = append(out, h.Number)
	}
	return out
}

// side is what one wording found, by number of the chunk.
type side struct {
	terms          []index.Term
	words, meaning map[int]float64
}

func byNumber(hs []index.Hit) map[int]float64 {
	out := make(map[int]float64, len(hs))
	for _, h := range hs {
		out[h.Number] = h.Score
	}
	return out
}

// most keeps the higher of what each chunk has and what a wording gives it.
func most(have map[int]float64, hs []index.Hit, weight float64) {
	for _, h := range hs {
		have[h.Number] = max(have[h.Number], weight*h.Score)
	}
}

// signalLexical stands for title, headings and body until explain divides it.
const signalLexical = "lexical"

func (r *Ranked) add(name string, value, points float64) {
	r.Signals = append(r.Signals, Signal{Name: name, Value: value, Points: points})
	r.Score += points
}

func order(rs []Ranked) {
	sort.SliceStable(rs, func(i, j int) bool { return before(rs[i], rs[j]) })
}

func before(a, b Ranked) bool {
	switch {
	case a.Score != b.Score:
		return a.Score > b.Score
	case a.Entry.Address != b.Entry.Address:
		return a.Entry.Address < b.Entry.Address
	default:
		return a.Entry.Span.Start < b.Entry.Span.Start
	}
}

func union(a, b map[int]float64) []int {
	out := make([]int, 0, len(a)+len(b))
	for n := range a {
		out = append(out, n)
	}
	for n := range b {
		if _, both := a[n]; !both {
			out = append(out, n)
		}
	}
	sort.Ints(out)
	return out
}

// Lit finds the words of s that the question's terms match, as byte ranges.
func Lit(s string, terms []query.Term) []text.Piece {
	want := make(map[string]bool, len(terms))
	for _, t := range terms {
		want[t.Stem] = true
	}
	var out []text.Piece
	for _, w := range text.Words(s) {
		if want[w.Stem] && !text.Stop(w.Norm) && (len(out) == 0 || out[len(out)-1].End <= w.Start) {
			out = append(out, text.Piece{Start: w.Start, End: w.End})
		}
	}
	return out
}
