package index

import (
	"fmt"
	"runtime"
	"testing"
	"time"

	"github.com/stretchr/testify/require"
)

// BenchmarkGraph grows graphs over the built-in table's words (pairs of words once they run out) and compares going along
// them with looking at every vector, for the 10 and the 100 nearest: the share found, and how many times as fast.
func BenchmarkGraph(b *testing.B) {
	for _, n := range []int{10_000, 100_000} {
		b.Run(fmt.Sprint(n), func(b *testing.B) {
			vs := wordVectors(b, n)
			began := time.Now()
			g := grown(b, vs, runtime.GOMAXPROCS(0))
			b.ReportMetric(0, "ns/op")
			built := time.Since(began)
			v := (&Snapshot{Parts: []Part{{Segment: &Segment{Audience: Public, Entries: make([]Entry, n), lengths: make([][Fields]uint32, n)}, Vectors: vs, Graph: g}}}).See(Public)
			for b.Loop() {
				took := func(reach Reach) time.Duration {
					began := time.Now()
					for q := 0; q < n; q += n / 200 {
						v.Nearest(vs[q], 100, nil, reach)
					}
					return time.Since(began) / 200
				}
				exact, along := took(Exactly), took(AlongGraphs)
				b.ReportMetric(float64(exact.Microseconds())/1000, "ms-exact")
				b.ReportMetric(float64(along.Microseconds())/1000, "ms-along")
				b.ReportMetric(float64(exact)/float64(along), "x-exact")
			}
			raw := g.Encode()
			began = time.Now()
			_, err := DecodeGraph(raw)
			require.NoError(b, err)
			b.ReportMetric(float64(time.Since(began).Microseconds())/1000, "ms-open")
			b.ReportMetric(built.Seconds(), "s-grow")
			b.ReportMetric(float64(len(raw))/1e6, "MB")
			b.ReportMetric(recall(vs, g, 10, breadthLeast, n/200), "recall@10")
			b.ReportMetric(recall(vs, g, 100, breadthOver*100, n/200), "recall@100")
		})
	}
}
