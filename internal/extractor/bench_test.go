package extractor_test

import (
	"fmt"
	"strings"
	"testing"
	"time"

	"jolvex/core/extract"
	"jolvex/internal/extractor"
)

// BenchmarkReading reads a page of 10 kB in a process of its own and in this one: the aim is 2 ms more at most.
func BenchmarkReading(b *testing.B) {
	var page strings.Builder
	page.WriteString("<title>Berths</title><main><h1>Berths</h1>")
	for i := 0; page.Len() < 10_000; i++ {
		fmt.Fprintf(&page, "<h2>Berth %d</h2><p>Berth %d lies at the <b>north</b> pier, between the crane and the ice house, and takes boats of up to %d metres.</p><ul><li>water</li><li>power</li></ul>", i, i, 8+i%20)
	}
	in := extract.Input{Address: "https://harbour.example/berths", MediaType: "text/html", Body: []byte(page.String())}
	p := extractor.NewPool(b.TempDir(), extractor.Limits{})
	b.Cleanup(p.Close)
	if _, err := p.Read(b.Context(), in); err != nil { // starts the process
		b.Fatal(err)
	}
	const rounds = 400
	for b.Loop() {
		began := time.Now()
		for range rounds {
			if _, err := p.Read(b.Context(), in); err != nil {
				b.Fatal(err)
			}
		}
		apart := time.Since(began)
		began = time.Now()
		for range rounds {
			if _, err := extract.Extract(in); err != nil {
				b.Fatal(err)
			}
		}
		here := time.Since(began)
		b.ReportMetric(float64(apart.Microseconds())/rounds/1000, "ms-apart")
		b.ReportMetric(float64(here.Microseconds())/rounds/1000, "ms-here")
	}
}
