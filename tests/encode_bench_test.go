package tests

import (
	"math/rand/v2"
	"os"
	"path/filepath"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"jolvex/core/chunk"
	"jolvex/core/embed"
	"jolvex/core/extract"
	"jolvex/core/method"
	"jolvex/core/text"
)

// manuals are chapters of two packaged manuals: prose with tables and commands, and a reference that is mostly code.
var manuals = map[string]string{"debian-reference": "/usr/share/debian-reference/ch0[1-3].en.html", "debian-faq": "/usr/share/doc/debian/FAQ/*.en.html"}

// BenchmarkEncodeManuals has the encoder read 200 chunks of packaged manuals, cut as the product cuts them, on all cores. It reports chunks
// and words a second; a manual that is not installed is left out.
func BenchmarkEncodeManuals(b *testing.B) {
	e, err := embed.NewEncoder()
	require.NoError(b, err)
	for name, pattern := range manuals {
		files, err := filepath.Glob(pattern)
		require.NoError(b, err)
		if len(files) == 0 {
			continue
		}
		var texts []string
		words := 0
		for _, f := range files {
			raw, err := os.ReadFile(f)
			require.NoError(b, err)
			d, err := extract.Extract(extract.Input{Address: "file://" + f, MediaType: "text/html", Body: raw})
			require.NoError(b, err)
			p, err := chunk.Prepare(d, nil)
			require.NoError(b, err)
			cuts, err := p.Cut(method.Default().Chunk)
			require.NoError(b, err)
			for _, c := range cuts {
				if t := d.Of(c.Span); len(texts) < 200 {
					texts = append(texts, t)
					words += len(text.Words(t))
				}
			}
		}
		b.Run(name, func(b *testing.B) {
			for b.Loop() {
				if _, err := e.Embed(b.Context(), texts); err != nil {
					b.Fatal(err)
				}
			}
			b.ReportMetric(float64(len(texts)*b.N)/b.Elapsed().Seconds(), "chunks/s")
			b.ReportMetric(float64(words)/float64(len(texts)), "words/chunk")
		})
	}
}

// BenchmarkBuild builds the index of the words of 20,000 chunks on all cores, and has bleve do the same in the same run. It reports seconds,
// and how many times longer bleve takes.
func BenchmarkBuild(b *testing.B) {
	z := newZipf(rand.New(rand.NewPCG(1, 1)))
	texts := make([]string, 20_000)
	for i := range texts {
		texts[i] = z.text(benchWords)
	}
	for b.Loop() {
		benchFile(texts)
	}
	ours := b.Elapsed().Seconds() / float64(b.N)
	began := time.Now()
	benchBleve(b, texts)
	b.ReportMetric(ours, "s-build")
	b.ReportMetric(time.Since(began).Seconds()/ours, "x-bleve")
}
