package tests

import (
	"database/sql"
	"fmt"
	"math"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/blevesearch/bleve/v2"
	"github.com/stretchr/testify/require"

	"jolvex/core/embed"
	"jolvex/core/find"
	"jolvex/core/index"
	"jolvex/core/method"
	"jolvex/core/query"
)

const (
	benchChunks = 100_000
	benchWords  = 160
)

// zipf makes words whose frequencies fall as in natural language (Zipf 1949), pronounceable enough to be stemmed.
type zipf struct{ *rand.Zipf }

func newZipf(r *rand.Rand) zipf { return zipf{rand.NewZipf(r, 1.07, 8, 80_000)} }

func (z zipf) word() string {
	n := z.Uint64()
	const syllables = "ba be bi bo bu da de di do du ka ke ki ko ku la le li lo lu ma me mi mo mu na ne ni no nu ra re ri ro ru sa se si so su ta te ti to tu"
	s := strings.Fields(syllables)
	w := ""
	for n += 45; n > 0; n /= uint64(len(s)) {
		w += s[n%uint64(len(s))]
	}
	return w
}

func (z zipf) text(n int) string {
	var b strings.Builder
	for i := range n {
		if i > 0 {
			b.WriteByte(' ')
		}
		b.WriteString(z.word())
	}
	return b.String()
}

func percentile(ds []time.Duration, p float64) time.Duration {
	slices.Sort(ds)
	return ds[int(math.Ceil(p*float64(len(ds))))-1]
}

// BenchmarkRanking ranks 100,000 chunks on one core and reports milliseconds at the 95th percentile, and how many times
// longer the general engines take over the same questions in the same run.
func BenchmarkRanking(b *testing.B) {
	r := rand.New(rand.NewPCG(1, 1))
	z := newZipf(r)
	texts := make([]string, benchChunks)
	builder := index.NewBuilder(index.Public)
	vectors := make([]embed.Vector, benchChunks)
	for i := range texts {
		texts[i] = z.text(benchWords)
		builder.Add(index.Entry{Document: fmt.Sprint(i), Version: "v"}, index.Texts{index.Body: texts[i]})
		vectors[i] = make(embed.Vector, 256)
		for j := range vectors[i] {
			vectors[i][j] = int8(r.IntN(17) - 8)
		}
	}
	v := (&index.Snapshot{Parts: []index.Part{{Segment: builder.Build(), Vectors: vectors}}}).See(index.Public)
	questions := make([]string, 100)
	for i := range questions {
		questions[i] = z.text(2 + r.IntN(6))
	}
	model := method.Default().Find.Model()
	words, err := embed.NewStatic()
	require.NoError(b, err)
	memory, err := find.NewMemory(1)
	require.NoError(b, err)
	s := method.Default().Find
	s.Sentence = 0
	timed := func(do func(q string)) time.Duration {
		var ds []time.Duration
		for _, q := range questions {
			began := time.Now()
			do(q)
			ds = append(ds, time.Since(began))
		}
		return percentile(ds, 0.95)
	}
	read := func(q string) query.Reading { return query.Read(query.Question{Text: q}, v, words, query.Settings{}) }
	var lexical, hybrid time.Duration
	for b.Loop() {
		lexical = timed(func(q string) { v.Search(read(q).Index(), model) })
		hybrid = timed(func(q string) {
			_, err := find.Rank(read(q), v, find.Library{Embedder: words, Sentence: words, Memory: memory}, s, 10)
			require.NoError(b, err)
		})
	}
	b.ReportMetric(float64(lexical.Microseconds())/1000, "ms-lexical-p95")
	b.ReportMetric(float64(hybrid.Microseconds())/1000, "ms-hybrid-p95")

	fts := benchFTS(b, texts)
	slow := timed(func(q string) {
		var id int
		err := fts.QueryRow(`SELECT rowid FROM t WHERE t MATCH ? ORDER BY rank LIMIT 10`, strings.Join(strings.Fields(q), " OR ")).Scan(&id)
		if err != nil {
			require.ErrorIs(b, err, sql.ErrNoRows)
		}
	})
	b.ReportMetric(float64(slow)/float64(lexical), "x-FTS5")
	bl := benchBleve(b, texts)
	slow = timed(func(q string) {
		_, err := bl.Search(bleve.NewSearchRequestOptions(bleve.NewMatchQuery(q), 10, 0, false))
		require.NoError(b, err)
	})
	b.ReportMetric(float64(slow)/float64(lexical), "x-bleve")
}

func benchFTS(b *testing.B, texts []string) *sql.DB {
	db, err := sql.Open("sqlite", ":memory:")
	require.NoError(b, err)
	b.Cleanup(func() { db.Close() })
	db.SetMaxOpenConns(1)
	_, err = db.Exec(`CREATE VIRTUAL TABLE t USING fts5(body)`)
	require.NoError(b, err)
	tx, err := db.Begin()
	require.NoError(b, err)
	for _, s := range texts {
		_, err := tx.Exec(`INSERT INTO t VALUES (?)`, s)
		require.NoError(b, err)
	}
	require.NoError(b, tx.Commit())
	return db
}

func benchBleve(b *testing.B, texts []string) bleve.Index {
	idx, err := bleve.NewUsing(b.TempDir()+"/i", bleve.NewIndexMapping(), "scorch", "scorch", nil)
	require.NoError(b, err)
	b.Cleanup(func() { idx.Close() })
	batch := idx.NewBatch()
	for i, s := range texts {
		require.NoError(b, batch.Index(fmt.Sprint(i), map[string]string{"body": s}))
		if batch.Size() == 1000 || i == len(texts)-1 {
			require.NoError(b, idx.Batch(batch))
			batch.Reset()
		}
	}
	return idx
}
