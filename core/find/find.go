// Package find ranks the chunks of a view against what was understood of a question, and explains every score.
package find

import (
	"fmt"
	"math"
	"sort"

	"jolvex/core/doc"
	"jolvex/core/embed"
	"jolvex/core/index"
	"jolvex/core/query"
	"jolvex/core/text"
)

// Version names the algorithm; it is part of the rank stage's hash.
const Version = "find-1"

// Settings of the rank stage.
type Settings struct {
	K1         float64 `json:"k1" default:"1.2" min:"0" max:"3" step:"0.1" label:"Saturation (k1)" help:"How much a second and third occurrence of a word still adds."`
	B          float64 `json:"b" default:"0.7" min:"0" max:"1" step:"0.05" label:"Length correction (b)" help:"How strongly long chunks are held back."`
	Title      float64 `json:"title" default:"3" min:"0" max:"10" step:"0.5" label:"Weight of the title" help:"An occurrence in the document's title counts this many times one in the body."`
	Path       float64 `json:"path" default:"3" min:"0" max:"10" step:"0.5" label:"Weight of headings" help:"An occurrence in the heading path counts this many times one in the body."`
	Dense      float64 `json:"dense" default:"0.6" min:"0" max:"1" step:"0.05" label:"Share of meaning" help:"How much likeness of meaning (dense retrieval) counts beside shared words (lexical retrieval), once the sentence encoder has read the corpus."`
	DenseWords float64 `json:"denseWords" default:"0.25" min:"0" max:"1" step:"0.05" label:"Share of meaning, word vectors" help:"The same while word vectors serve: they are a weaker signal."`
	Sentence   float64 `json:"sentence" default:"0.4" min:"0" max:"1" step:"0.05" label:"Share of the nearest sentence" help:"How much likeness of meaning, between the question and the chunk's best single sentence or heading adds, over the first candidates. It counts half while word vectors serve."`
	Candidates int     `json:"candidates" default:"100" min:"10" max:"1000" unit:"chunks" label:"Candidates" help:"How many chunks each kind of retrieval puts forward."`
	Keep       int     `json:"keep" default:"8" min:"1" max:"50" unit:"chunks" label:"Kept for the reply" help:"How many of the best chunks the reply may draw on."`
}

// Texts gives the text behind a chunk. Implementations cache.
type Texts interface {
	Version(hash string) (*doc.Document, error)
}

// Signal is one reason for a rank.
type Signal struct {
	Name  string  `json:"name" enum:"title,headings,body,meaning,sentence"`
	Value float64 `json:"value"` // lexical: BM25 points; meaning, sentence: cosine
	Share float64 `json:"share"` // of what speaks for the chunk, 0 to 1; the shares of one chunk sum to 1
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
	Signals []Signal             `json:"signals"`
	Terms   []index.Contribution `json:"terms"`
}

// Model are the constants of the lexical ranking.
func (s Settings) Model() index.BM25 {
	return index.BM25{
		K1:     s.K1,
		B:      [index.Fields]float64{index.Title: 0.3, index.Path: 0.3, index.Body: s.B},
		Weight: [index.Fields]float64{index.Title: s.Title, index.Path: s.Path, index.Body: 1},
	}
}

// reranked is over how many first candidates the nearest sentence is looked for.
const reranked = 40

// Library is what a ranking draws on besides the index.
type Library struct {
	Texts    Texts
	Embedder embed.Embedder // of the view's vectors
	Sentence embed.Embedder // of single sentences, of which a question meets hundreds
	Encoded  Encoded
	Memory   *Memory
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

// Rank gives the best chunks for a reading, best first, at most limit. Lexical and dense scores are brought to one scale
// by their means and deviations over the candidates (z-scores) and summed; over the first of them, the nearest single
// sentence adds its part in the same way. Ties go by address and place.
func Rank(r query.Reading, v *index.View, lib Library, s Settings, limit int) ([]Ranked, error) {
	if v.Chunks() == 0 || limit <= 0 {
		return nil, nil
	}
	model := s.Model()
	terms := r.Index()
	lex := v.Search(terms, model)
	vs, err := lib.Embedder.Embed([]string{denseText(r)})
	if err != nil {
		return nil, fmt.Errorf("embed the question: %w", err)
	}
	qs, err := lib.Sentence.Embed([]string{denseText(r)})
	if err != nil {
		return nil, fmt.Errorf("embed the question: %w", err)
	}
	share := lib.share(s)
	dense := v.Dense(vs[0])
	numbers := union(best(lex.Score, lex.Touched, s.Candidates), bestDense(dense, s.Candidates))
	zl, zd := standard(numbers, lex.Score), standard(numbers, dense)
	out := make([]Ranked, len(numbers))
	for i, n := range numbers {
		out[i] = Ranked{Number: n, Entry: v.Entry(n), Score: (1-share)*zl(n) + share*zd(n), Lexical: lex.Score[n], Cosine: dense[n]}
	}
	order(out)
	zn, err := nearest(out[:min(reranked, len(out))], qs[0], lib, lib.sentence(s))
	if err != nil {
		return nil, err
	}
	order(out)
	out = out[:min(limit, len(out))]
	for i := range out {
		out[i].Rank = i + 1
		explain(&out[i], v, terms, model, parts{(1 - share) * zl(out[i].Number), share * zd(out[i].Number), lib.sentence(s) * zn(out[i].Number)})
	}
	return out, nil
}

func order(rs []Ranked) {
	sort.SliceStable(rs, func(i, j int) bool { return before(rs[i], rs[j]) })
}

// nearest adds the part of the nearest sentence to the first candidates, and returns its z-scores.
func nearest(first []Ranked, q embed.Vector, lib Library, share float64) (func(int) float64, error) {
	none := func(int) float64 { return 0 }
	if share == 0 || len(first) == 0 {
		return none, nil
	}
	entries := make([]*index.Entry, len(first))
	for i := range first {
		entries[i] = first[i].Entry
	}
	if err := lib.Memory.warm(entries, lib.Texts, lib.Sentence); err != nil {
		return none, err
	}
	numbers := make([]int, len(first))
	most := 0
	for i := range first {
		numbers[i] = first[i].Number
		most = max(most, first[i].Number)
	}
	score := make([]float64, most+1)
	for i := range first {
		x, err := lib.Memory.nearest(q, first[i].Entry, lib.Texts, lib.Sentence)
		if err != nil {
			return none, err
		}
		first[i].Nearest, score[first[i].Number] = x, x
	}
	z := standard(numbers, score)
	in := map[int]bool{}
	for i := range first {
		in[first[i].Number] = true
		first[i].Score += share * z(first[i].Number)
	}
	return func(n int) float64 {
		if !in[n] {
			return 0
		}
		return z(n)
	}, nil
}

// denseText is what is embedded: the wording searched for, without what the lexical passes put beside it.
func denseText(r query.Reading) string {
	t := r.Wordings[0].Text
	for _, w := range r.Wordings {
		if w.Pass == "filler" || w.Pass == "spelling" {
			t = w.Text
		}
	}
	if r.Context != "" {
		t += " " + r.Context
	}
	return t
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

// best gives the k numbers with the highest scores, in no order, and with the last of them all that tie with it: which of
// a tie comes in must not hang on their numbers. It takes O(n log k).
func best(score []float64, from []int, k int) []int {
	if len(from) <= k {
		return append([]int(nil), from...)
	}
	least := make([]float64, 0, k) // a heap of the k highest scores, the lowest on top
	sift := func(i int) {
		for {
			c := 2*i + 1
			if c >= len(least) {
				return
			}
			if c+1 < len(least) && least[c+1] < least[c] {
				c++
			}
			if least[i] <= least[c] {
				return
			}
			least[i], least[c] = least[c], least[i]
			i = c
		}
	}
	for _, n := range from {
		switch x := score[n]; {
		case len(least) < k:
			if least = append(least, x); len(least) == k {
				for i := k/2 - 1; i >= 0; i-- {
					sift(i)
				}
			}
		case x > least[0]:
			least[0] = x
			sift(0)
		}
	}
	out := make([]int, 0, k+8)
	for _, n := range from {
		if score[n] >= least[0] {
			out = append(out, n)
		}
	}
	return out
}

func bestDense(dense []float64, k int) []int {
	all := make([]int, 0, len(dense))
	for n, x := range dense { // chunks without a vector have -1
		if x > 0 {
			all = append(all, n)
		}
	}
	return best(dense, all, k)
}

func union(a, b []int) []int {
	seen := make(map[int]bool, len(a)+len(b))
	var out []int
	for _, l := range [][]int{a, b} {
		for _, n := range l {
			if !seen[n] {
				seen[n] = true
				out = append(out, n)
			}
		}
	}
	sort.Ints(out)
	return out
}

// standard gives the z-score over the candidates: distance from their mean in standard deviations. The sums run over
// sorted values, so that the numbering of chunks has no say in the last digit.
func standard(numbers []int, score []float64) func(int) float64 {
	if len(numbers) == 0 {
		return func(int) float64 { return 0 }
	}
	vals := make([]float64, len(numbers))
	for i, n := range numbers {
		vals[i] = score[n]
	}
	sort.Float64s(vals)
	var sum, sq float64
	for _, x := range vals {
		sum += x
	}
	mean := sum / float64(len(vals))
	for _, x := range vals {
		sq += float64((x - mean) * (x - mean))
	}
	sd := math.Sqrt(sq / float64(len(vals)))
	if sd < 1e-9 {
		return func(int) float64 { return 0 }
	}
	return func(n int) float64 { return (score[n] - mean) / sd }
}

// parts are what each kind of evidence added to a score.
type parts struct{ lexical, meaning, sentence float64 }

func explain(r *Ranked, v *index.View, terms []index.Term, model index.BM25, p parts) {
	r.Terms = v.Explain(r.Number, terms, model)
	var field [index.Fields]float64
	sum := 0.0
	for _, t := range r.Terms {
		for f, x := range t.Field {
			field[f] += x
			sum += x
		}
	}
	lexical, meaning, sentence := math.Max(0, p.lexical), math.Max(0, p.meaning), math.Max(0, p.sentence)
	if lexical+meaning+sentence == 0 {
		lexical, meaning = r.Lexical, math.Max(0, r.Cosine)
	}
	total := lexical + meaning + sentence
	share := func(x float64) float64 {
		if total == 0 {
			return 0
		}
		return x / total
	}
	for f := range index.Fields {
		part := 0.0
		if sum > 0 {
			part = lexical * field[f] / sum
		}
		r.Signals = append(r.Signals, Signal{f.String(), field[f], share(part)})
	}
	r.Signals = append(r.Signals, Signal{"meaning", r.Cosine, share(meaning)}, Signal{"sentence", r.Nearest, share(sentence)})
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
