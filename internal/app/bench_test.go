package app_test

import (
	"context"
	"fmt"
	"math/rand/v2"
	"net/http"
	"net/http/httptest"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"
	"golang.org/x/sync/errgroup"

	"jolvex/core/embed"
	"jolvex/core/questions"
	"jolvex/internal/app"
	"jolvex/internal/gathering"
	"jolvex/internal/proving/runs"
	"jolvex/internal/store"
)

const benchPages = 2200

// sentences are eight of made-up words.
func sentences(r *rand.Rand) string {
	words := strings.Fields("ferry pier boat island ticket fare dog bicycle lift ramp crew berth weather tide morning return single office lost found harbour timetable summer winter luggage kayak")
	var out strings.Builder
	for range 8 {
		out.WriteString("The ")
		for range 11 {
			out.WriteString(words[r.IntN(len(words))] + " ")
		}
		fmt.Fprintf(&out, "%d. ", r.IntN(5000))
	}
	return out.String()
}

// manual is a document of many sections.
func manual(k, sections int) string {
	r := rand.New(rand.NewPCG(uint64(k), 2))
	out := fmt.Sprintf("# Handbook %d\n\n", k)
	for s := range sections {
		out += fmt.Sprintf("## Section %d of handbook %d\n\n%s\n\n", s, k, sentences(r))
	}
	return out
}

// bigSite serves a site of 2,200 pages of some 400 words each.
func bigSite(b *testing.B) string {
	srv := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, q *http.Request) {
		var n int
		if _, err := fmt.Sscanf(q.URL.Path, "/p%d", &n); err != nil && q.URL.Path != "/" {
			http.NotFound(w, q)
			return
		}
		r := rand.New(rand.NewPCG(uint64(n), 1))
		w.Header().Set("Content-Type", "text/html; charset=utf-8")
		fmt.Fprintf(w, "<title>Page %d</title><main><h1>Page %d</h1>", n, n)
		for s := range 4 {
			fmt.Fprintf(w, "<h2>Part %d of page %d</h2><p>%s</p>", s, n, sentences(r))
		}
		fmt.Fprintf(w, "<a href=/p%d>a</a> <a href=/p%d>b</a></main>", min(2*n+1, benchPages-1), min(2*n+2, benchPages-1))
	}))
	b.Cleanup(srv.Close)
	return srv.URL
}

func idle(b testing.TB, a *app.App, corpus string) {
	for end := time.Now().Add(5 * time.Minute); ; time.Sleep(10 * time.Millisecond) {
		require.True(b, time.Now().Before(end))
		js, err := a.Jobs.Jobs(context.Background(), corpus)
		require.NoError(b, err)
		busy := false
		for _, j := range js {
			require.NotEqual(b, "failed", j.State, j.Error)
			busy = busy || j.State == "queued" || j.State == "running"
		}
		if !busy {
			return
		}
	}
}

// BenchmarkCorpus gathers 2,200 pages from loopback until they can be searched, cuts and indexes them anew, previews one
// document, and runs 1,000 questions over 10,000 chunks, all with word vectors.
func BenchmarkCorpus(b *testing.B) {
	ctx := context.Background()
	site := bigSite(b)
	for b.Loop() {
		a, err := app.Open(ctx, b.TempDir(), quiet(), app.Options{})
		require.NoError(b, err)
		_, err = a.CreateCorpus(ctx, "c")
		require.NoError(b, err)
		m, err := a.Indexing.Method(ctx, "c")
		require.NoError(b, err)
		m.Embed.Grade = embed.GradeWords
		_, err = a.Indexing.SaveMethod(ctx, "c", m)
		require.NoError(b, err)

		began := time.Now()
		_, _, err = a.Gathering.AddSite(ctx, "c", site, store.SourceSettings{AllowPrivate: true})
		require.NoError(b, err)
		idle(b, a, "c")
		c, err := a.Corpus(ctx, "c")
		require.NoError(b, err)
		require.Equal(b, benchPages, c.Documents)
		b.ReportMetric(float64(benchPages)/time.Since(began).Seconds(), "pages/s")

		began = time.Now()
		m.Chunk.Overlap = 10
		m.Chunk.Size = 200
		_, err = a.Indexing.SaveMethod(ctx, "c", m)
		require.NoError(b, err)
		idle(b, a, "c")
		b.ReportMetric(time.Since(began).Seconds(), "s-recut")

		ds, _, err := a.Indexing.Documents(ctx, "c", store.Filter{Limit: 1})
		require.NoError(b, err)
		began = time.Now()
		_, err = a.Indexing.Preview(ctx, "c", ds[0].ID, m.Chunk, nil)
		require.NoError(b, err)
		b.ReportMetric(float64(time.Since(began).Microseconds())/1000, "ms-preview")

		for k := range 10 { // up to 10,000 chunks
			_, err = a.Gathering.Upload(ctx, "c", fmt.Sprintf("handbook%d.md", k), "", []byte(manual(k, 120)))
			require.NoError(b, err)
		}
		idle(b, a, "c")
		c, err = a.Corpus(ctx, "c")
		require.NoError(b, err)
		b.ReportMetric(float64(c.Chunks), "chunks")

		qs := make([]questions.Question, 1000)
		for i := range qs {
			qs[i] = questions.Question{ID: fmt.Sprint(i), Text: fmt.Sprintf("When does the ferry of part %d of page %d leave the pier?", i%4, i*2), Expect: []questions.Expectation{{Kind: questions.Mentions, Values: []string{"ferry"}}}}
		}
		_, err = a.Proving.Sets.PutQuestions(ctx, "c", "set", qs)
		require.NoError(b, err)
		began = time.Now()
		r, _, err := a.Proving.Runs.StartRun(ctx, "c", "set", runs.Order{})
		require.NoError(b, err)
		for { // until it has ended; causes are found after that
			run, err := a.Proving.Runs.Runs(ctx, "c", "set")
			require.NoError(b, err)
			if run[0].Summary != nil {
				break
			}
			time.Sleep(5 * time.Millisecond)
		}
		b.ReportMetric(time.Since(began).Seconds(), "s-1000-questions")
		began = time.Now()
		idle(b, a, "c")
		run, _, err := a.Proving.Runs.RunResults(ctx, "c", r.ID)
		require.NoError(b, err)
		sum := run.Summary
		b.ReportMetric(sum.MillisP50, "ms-reply-p50")
		b.ReportMetric(sum.MillisP95, "ms-reply-p95")
		b.ReportMetric(float64(sum.Passed.Of-sum.Passed.Hits), "failures")
		b.ReportMetric(time.Since(began).Seconds(), "s-causes")
		require.NoError(b, a.Close())
	}
}

// BenchmarkFiles takes 2,000 small files in until they can be found, from a watched folder and handed over four at a time as the command line
// and the browser do, beside the pages of a site of the same size: all with word vectors, in files and pages a second.
func BenchmarkFiles(b *testing.B) {
	const files = 2000
	ctx := context.Background()
	text := func(i int) []byte {
		return fmt.Appendf(nil, "# Berth %d\n\nBerth %d lies at pier %c. It takes boats of up to %d metres and costs £%d.00 a night in summer.\n\nWater and power are at the head of the pier.\n", i, i, 'A'+i%26, 8+i%20, 10+i%40)
	}
	prepare := func() *app.App {
		a, err := app.Open(ctx, b.TempDir(), quiet(), app.Options{})
		require.NoError(b, err)
		_, err = a.CreateCorpus(ctx, "c")
		require.NoError(b, err)
		m, err := a.Indexing.Method(ctx, "c")
		require.NoError(b, err)
		m.Embed.Grade = embed.GradeWords
		_, err = a.Indexing.SaveMethod(ctx, "c", m)
		require.NoError(b, err)
		return a
	}
	counted := func(a *app.App, began time.Time, name string) {
		idle(b, a, "c")
		took := time.Since(began)
		c, err := a.Corpus(ctx, "c")
		require.NoError(b, err)
		require.Equal(b, files, c.Documents)
		b.ReportMetric(files/took.Seconds(), name)
		require.NoError(b, a.Close())
	}
	dir := b.TempDir()
	for i := range files {
		require.NoError(b, os.WriteFile(filepath.Join(dir, fmt.Sprintf("berth-%d.md", i)), text(i), 0o600))
	}
	for b.Loop() {
		a := prepare()
		began := time.Now()
		_, _, err := a.Gathering.AddSource(ctx, "c", gathering.NewSource{Kind: store.KindFolder, Address: dir})
		require.NoError(b, err)
		counted(a, began, "files/s-folder")

		a = prepare()
		began = time.Now()
		var g errgroup.Group
		g.SetLimit(4)
		for i := range files {
			g.Go(func() error {
				_, err := a.Gathering.TakeFile(ctx, "c", gathering.File{Name: fmt.Sprintf("berth-%d.md", i), Body: text(i), Later: true})
				return err
			})
		}
		require.NoError(b, g.Wait())
		counted(a, began, "files/s-handed-over")
	}
}
