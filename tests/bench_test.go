package tests

import (
	"database/sql"
	"fmt"
	"math"
	"math/rand/v2"
	"runtime"
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
	"jolvex/core/text"
)

// benchWords is how many words a chunk of the benchmarks has.
const benchWords = 160

// zipf makes words whose frequencies fall as in natural language (Zipf 1949). The most frequent are stop words, as they
// are in English; the others are made up, pronounceable enough to be stemmed.
type zipf struct {
	*rand.Zipf
	words []string
}

// commonest are stop words in about the order of their frequency in English (common practice, no published source).
const commonest = `the of and to in a is that for it as was with be by on not he his but at are this have from or had an they which you were
	there been one all we her she will if their more no its than who has up so out what some them can only other into about could these do
	then my any may now such our over me most us through between before must too under also after much those being here when how`

func newZipf(r *rand.Rand) zipf {
	z := zipf{Zipf: rand.NewZipf(r, 1.07, 8, 80_000), words: strings.Fields(commonest)}
	syllables := strings.Fields("ba be bi bo bu da de di do du ka ke ki ko ku la le li lo lu ma me mi mo mu na ne ni no nu ra re ri ro ru sa se si so su ta te ti to tu")
	for i := len(z.words); i <= 80_000; i++ {
		w := ""
		for n := i + 45; n > 0; n /= len(syllables) {
			w += syllables[n%len(syllables)]
		}
		z.words = append(z.words, w)
	}
	return z
}

func (z zipf) word() string { return z.words[z.Uint64()] }

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

func millis(d time.Duration) float64 { return float64(d.Microseconds()) / 1000 }

// BenchmarkRanking builds an index of 1,000, 10,000 and 100,000 chunks and ranks a hundred questions of two to seven
// words on one core, three times over; the third time counts. It reports milliseconds at the 50th and 95th percentile,
// the time to build and to open from bytes (checksums included), the memory that the open index takes, and how many times
// longer the general engines take over the same questions in the same run. FTS5 gets the questions without stop words,
// which it would otherwise search for.
func BenchmarkRanking(b *testing.B) {
	for _, n := range []int{1_000, 10_000, 100_000} {
		b.Run(fmt.Sprint(n), func(b *testing.B) { benchRanking(b, n) })
	}
}

func benchRanking(b *testing.B, chunks int) {
	r := rand.New(rand.NewPCG(1, 1))
	z := newZipf(r)
	texts := make([]string, chunks)
	for i := range texts {
		texts[i] = z.text(benchWords)
	}
	began := time.Now()
	file := benchFile(texts)
	built := time.Since(began)
	vectorFile := benchVectors(r, chunks)

	before := heap()
	began = time.Now()
	raw, err := index.Unseal(slices.Clone(file))
	require.NoError(b, err)
	seg, err := index.DecodeSegment(raw)
	require.NoError(b, err)
	rawVectors, err := index.Unseal(slices.Clone(vectorFile))
	require.NoError(b, err)
	vs, err := index.DecodeVectors(rawVectors)
	require.NoError(b, err)
	v := (&index.Snapshot{Parts: []index.Part{{Segment: seg, Vectors: vs}}}).See(index.Public)
	opened, size := time.Since(began), heap()-before
	runtime.KeepAlive(file) // in both measurements
	runtime.KeepAlive(vectorFile)

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
	timed := func(do func(q string)) (p50, p95 time.Duration) {
		var ds []time.Duration
		for range 3 {
			ds = ds[:0]
			for _, q := range questions {
				began := time.Now()
				do(q)
				ds = append(ds, time.Since(began))
			}
		}
		return percentile(ds, 0.5), percentile(ds, 0.95)
	}
	read := func(q string) query.Reading {
		return query.Read(b.Context(), query.Question{Text: q}, query.Tools{Corpus: v, Lexicon: words}, query.Settings{})
	}
	var lexical, middle time.Duration
	for b.Loop() {
		middle, lexical = timed(func(q string) { v.Best(read(q).Index(), model, 10, nil) })
		p50, p95 := timed(func(q string) {
			_, err := find.Rank(b.Context(), read(q), v, find.Library{Embedder: words, Sentence: words, Memory: memory}, s, 10)
			require.NoError(b, err)
		})
		b.ReportMetric(millis(p50), "ms-hybrid-p50")
		b.ReportMetric(millis(p95), "ms-hybrid-p95")
	}
	b.ReportMetric(built.Seconds(), "s-build") // the loop forgets what was reported before it
	b.ReportMetric(millis(opened), "ms-open")
	b.ReportMetric(float64(size)/1e6, "MB")
	b.ReportMetric(millis(middle), "ms-lexical-p50")
	b.ReportMetric(millis(lexical), "ms-lexical-p95")

	fts := benchFTS(b, texts)
	_, slow := timed(func(q string) {
		var terms []string
		for _, w := range text.Content(q) {
			terms = append(terms, `"`+w.Norm+`"`)
		}
		if len(terms) == 0 {
			return
		}
		var id int
		err := fts.QueryRow(`SELECT rowid FROM t WHERE t MATCH ? ORDER BY rank LIMIT 10`, strings.Join(terms, " OR ")).Scan(&id)
		if err != nil {
			require.ErrorIs(b, err, sql.ErrNoRows)
		}
	})
	b.ReportMetric(float64(slow)/float64(lexical), "x-FTS5")
	bl := benchBleve(b, texts)
	_, slow = timed(func(q string) {
		_, err := bl.Search(bleve.NewSearchRequestOptions(bleve.NewMatchQuery(q), 10, 0, false))
		require.NoError(b, err)
	})
	b.ReportMetric(float64(slow)/float64(lexical), "x-bleve")
}

// benchFile is an index of texts as a file.
func benchFile(texts []string) []byte {
	builder := index.NewBuilder(index.Public)
	es, ts := make([]index.Entry, len(texts)), make([]index.Texts, len(texts))
	for i := range texts {
		es[i], ts[i] = index.Entry{Document: fmt.Sprint(i), Version: "v"}, index.Texts{index.Body: texts[i]}
	}
	builder.AddAll(es, ts)
	return index.Seal(builder.Build().Encode())
}

// benchVectors is a file of made-up vectors.
func benchVectors(r *rand.Rand, chunks int) []byte {
	vectors := make([]embed.Vector, chunks)
	for i := range vectors {
		vectors[i] = make(embed.Vector, 256)
		for j := range vectors[i] {
			vectors[i][j] = int8(r.IntN(17) - 8)
		}
	}
	return index.Seal(index.EncodeVectors(vectors, 256))
}

// heap is how many bytes are in use after a collection.
func heap() uint64 {
	runtime.GC()
	runtime.GC() // what the first one found dead is gone
	var m runtime.MemStats
	runtime.ReadMemStats(&m)
	return m.HeapAlloc
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
