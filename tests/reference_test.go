package tests

import (
	"database/sql"
	"fmt"
	"math"
	"math/rand/v2"
	"strconv"
	"strings"
	"testing"

	"github.com/blevesearch/bleve/v2"
	"github.com/blevesearch/bleve/v2/analysis/analyzer/simple"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"gonum.org/v1/gonum/mat"
	_ "modernc.org/sqlite" // FTS5

	"jolvex/core/embed"
	"jolvex/core/index"
)

// Words that are their own stems and no stop words, so that every engine sees the same tokens.
var vocabulary = strings.Fields("ferri pier boat island ticket dog ramp crew berth tide lost found kayak fog deck bow stern mast rope buoy anchor gull cliff sand")

func randomTexts(r *rand.Rand, n int) []string {
	out := make([]string, n)
	for i := range out {
		words := make([]string, 1+r.IntN(40))
		for j := range words {
			words[j] = vocabulary[int(math.Abs(r.NormFloat64())*8)%len(vocabulary)]
		}
		out[i] = strings.Join(words, " ")
	}
	return out
}

func oneField(texts []string) *index.View {
	b := index.NewBuilder(index.Public)
	for i, s := range texts {
		b.Add(index.Entry{Document: fmt.Sprint(i)}, index.Texts{index.Body: s})
	}
	return (&index.Snapshot{Parts: []index.Part{{Segment: b.Build()}}}).See(index.Public)
}

// scoresOf gives the score of every text that holds one of two words.
func scoresOf(v *index.View, q []string, model index.BM25) map[int]float64 {
	out := map[int]float64{}
	for _, h := range v.Best([]index.Term{{Stem: q[0], Weight: 1}, {Stem: q[1], Weight: 1}}, model, v.Chunks(), nil) {
		out[h.Number] = h.Score
	}
	return out
}

// SQLite FTS5's bm25() on one field, with the same tokens and its form of the rarity, which is not below 1e-6
// (sqlite.org/fts5.html, "The bm25() function": k1 = 1.2, b = 0.75, the sign turned).
func TestScoresEqualFTS5(t *testing.T) {
	r := rand.New(rand.NewPCG(7, 11))
	texts := randomTexts(r, 300)
	db, err := sql.Open("sqlite", ":memory:")
	require.NoError(t, err)
	defer db.Close()
	db.SetMaxOpenConns(1)
	_, err = db.Exec(`CREATE VIRTUAL TABLE t USING fts5(body)`)
	require.NoError(t, err)
	for i, s := range texts {
		_, err = db.Exec(`INSERT INTO t (rowid, body) VALUES (?, ?)`, i+1, s)
		require.NoError(t, err)
	}
	v := oneField(texts)
	model := index.BM25{K1: 1.2, B: [index.Fields]float64{index.Body: 0.75}, Weight: [index.Fields]float64{index.Body: 1}, IDF: func(n, df int) float64 {
		return math.Max(1e-6, math.Log((float64(n)-float64(df)+0.5)/(float64(df)+0.5)))
	}}
	for range 60 {
		q := []string{vocabulary[r.IntN(len(vocabulary))], vocabulary[r.IntN(len(vocabulary))]}
		if q[0] == q[1] {
			continue
		}
		ours := scoresOf(v, q, model)
		rows, err := db.Query(`SELECT rowid, -bm25(t) FROM t WHERE t MATCH ?`, q[0]+" OR "+q[1])
		require.NoError(t, err)
		n := 0
		for rows.Next() {
			var id int
			var want float64
			require.NoError(t, rows.Scan(&id, &want))
			assert.InDelta(t, want, ours[id-1], 1e-9*math.Max(1, want), "%v in text %d", q, id-1)
			n++
		}
		require.NoError(t, rows.Err())
		require.NoError(t, rows.Close())
		assert.Equal(t, n, len(ours))
	}
}

// The general full-text library bleve, set to BM25: the same texts are found, and where its scores differ clearly ours
// put the same one first. (Its length norm is kept in one byte, so that near ties may differ.)
func TestRankingsAgreeWithBleve(t *testing.T) {
	r := rand.New(rand.NewPCG(5, 3))
	texts := randomTexts(r, 300)
	m := bleve.NewIndexMapping()
	m.ScoringModel = "bm25"
	m.DefaultAnalyzer = simple.Name
	field := bleve.NewTextFieldMapping()
	field.Analyzer = simple.Name
	doc := bleve.NewDocumentMapping()
	doc.AddFieldMappingsAt("body", field)
	m.DefaultMapping = doc
	idx, err := bleve.NewMemOnly(m)
	require.NoError(t, err)
	defer idx.Close()
	for i, s := range texts {
		require.NoError(t, idx.Index(fmt.Sprint(i), map[string]string{"body": s}))
	}
	v := oneField(texts)
	model := index.BM25{K1: 1.2, B: [index.Fields]float64{index.Body: 0.75}, Weight: [index.Fields]float64{index.Body: 1}}
	same, pairs := 0, 0
	for range 100 {
		q := []string{vocabulary[r.IntN(len(vocabulary))], vocabulary[r.IntN(len(vocabulary))]}
		if q[0] == q[1] {
			continue
		}
		ours := scoresOf(v, q, model)
		req := bleve.NewSearchRequestOptions(bleve.NewMatchQuery(strings.Join(q, " ")), 300, 0, false)
		res, err := idx.Search(req)
		require.NoError(t, err)
		assert.Equal(t, int(res.Total), len(ours), "%v", q)
		theirs := map[int]float64{}
		for _, h := range res.Hits {
			n, err := strconv.Atoi(h.ID)
			require.NoError(t, err)
			theirs[n] = h.Score
		}
		for a := range ours {
			for b := range ours {
				if a <= b || math.Abs(ours[a]-ours[b]) < 0.1*math.Max(ours[a], ours[b]) {
					continue
				}
				pairs++
				if (ours[a] > ours[b]) == (theirs[a] > theirs[b]) {
					same++
				}
			}
		}
	}
	t.Logf("%d of %d pairs are in the same order", same, pairs)
	assert.Greater(t, float64(same)/float64(pairs), 0.9, "of the pairs that our scores tell apart by a tenth")
}

// Brute force in gonum: the cosines of every vector with a question's.
func TestDenseEqualsMatrixProduct(t *testing.T) {
	emb, err := embed.NewStatic()
	require.NoError(t, err)
	r := rand.New(rand.NewPCG(2, 9))
	texts := randomTexts(r, 200)
	vs, err := emb.Embed(t.Context(), append(texts, "a dog on the pier"))
	require.NoError(t, err)
	q := vs[len(texts)]
	b := index.NewBuilder(index.Public)
	for i, s := range texts {
		b.Add(index.Entry{Document: fmt.Sprint(i)}, index.Texts{index.Body: s})
	}
	got := (&index.Snapshot{Parts: []index.Part{{Segment: b.Build(), Vectors: vs[:len(texts)]}}}).See(index.Public)
	m := mat.NewDense(len(texts), emb.Dimensions(), nil)
	x := mat.NewVecDense(emb.Dimensions(), nil)
	for j := range emb.Dimensions() {
		x.SetVec(j, float64(q[j]))
		for i := range texts {
			m.Set(i, j, float64(vs[i][j]))
		}
	}
	var want mat.VecDense
	want.MulVec(m, x)
	for i := range texts {
		assert.InDelta(t, want.AtVec(i)/(127*127), got.Cosine(i, q), 1e-12)
	}
}
