package embed

import (
	"encoding/json"
	"math"
	"math/rand/v2"
	"os"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

type reference struct {
	Source string
	Texts  []struct {
		Text   string
		Pieces []int32
		Vector []float64
	}
}

// readReference reads what the original model and its tokeniser gave (tools/embeddings/encoder.py, multilingual.py).
func readReference(t *testing.T, name string) reference {
	t.Helper()
	raw, err := os.ReadFile("testdata/" + name + ".json")
	require.NoError(t, err)
	var r reference
	require.NoError(t, json.Unmarshal(raw, &r))
	require.NotEmpty(t, r.Texts)
	return r
}

func TestPiecesEqualTheOriginals(t *testing.T) {
	e, err := NewEncoder()
	require.NoError(t, err)
	for _, x := range readReference(t, "encoder").Texts {
		assert.Equal(t, x.Pieces, e.cut.pieces(x.Text, e.longest), "%.60q", x.Text)
	}
}

func TestVectorsEqualTheOriginals(t *testing.T) {
	e, err := NewEncoder()
	require.NoError(t, err)
	worst := 1.0
	for _, x := range readReference(t, "encoder").Texts {
		got := unit(e.run([][]int32{x.Pieces})[0])
		cos := 0.0
		for j := range got {
			cos += got[j] * x.Vector[j]
			assert.InDelta(t, x.Vector[j], got[j], 0.03, "%.40q, value %d", x.Text, j)
		}
		worst = min(worst, cos)
		assert.Greater(t, cos, 0.995, "%.60q", x.Text)
	}
	t.Logf("least cosine with the original: %.5f", worst)
}

func TestEncoderIsTheSameAloneAndInCompany(t *testing.T) {
	e, err := NewEncoder()
	require.NoError(t, err)
	texts := []string{"dog", "How much is a ticket to the island for a family of five?", "", strings.Repeat("The boat sails at noon. ", 200), "x", "fog"}
	together, err := e.Embed(t.Context(), texts)
	require.NoError(t, err)
	for i, s := range texts {
		alone, err := e.Embed(t.Context(), []string{s})
		require.NoError(t, err)
		assert.Equal(t, alone[0], together[i], "%.30q", s)
		assert.Len(t, alone[0], 384)
	}
	for _, x := range together[2] {
		assert.Zero(t, x, "an empty text has no direction")
	}
	assert.InDelta(t, 1, Cosine(together[1], together[1]), 0.03)
}

func TestEncoderKnowsWhatStaticTablesDoNot(t *testing.T) {
	e, err := NewEncoder()
	require.NoError(t, err)
	for _, c := range [][3]string{
		{"Where can I leave my suitcase while I look at the town?", "There are lockers for luggage in the ticket hall.", "The town has a museum with a look at its past."},
		{"Am I allowed to bring my puppy along?", "Dogs travel on a lead.", "The crew is allowed to bring lunch."},
		{"I feel ill on the sea", "Against seasickness, sit low and look at the horizon.", "The sea is calm in June."},
	} {
		vs, err := e.Embed(t.Context(), c[:])
		require.NoError(t, err)
		assert.Greater(t, Cosine(vs[0], vs[1]), Cosine(vs[0], vs[2]), "%q", c[0])
	}
}

func TestNoSumLeaves32Bits(t *testing.T) {
	assert.Less(t, levels*127*1536, math.MaxInt32, "a row of the widest layer")
	assert.Less(t, levels*levels*32, math.MaxInt32, "query and key of one head")
	assert.Less(t, (certain+256)*levels, math.MaxInt32, "probabilities, which sum to 1 but for rounding, times values")
}

func TestCurves(t *testing.T) {
	c := newCurves()
	for x := -8.0; x < 8; x += 0.0137 {
		v := []float32{float32(x)}
		c.gelu(v)
		assert.InDelta(t, 0.5*x*(1+math.Erf(x/math.Sqrt2)), float64(v[0]), 1e-5, "GELU of %v", x)
	}
	logits := []float32{1, 2, 3, -30, 2.5}
	p := make([]int16, columns)
	sum := 0.0
	for _, l := range logits {
		sum += math.Exp(float64(l))
	}
	c.softmax(append(append([]float32(nil), logits...), make([]float32, columns-len(logits))...), p, 1, len(logits), columns)
	for i, l := range logits {
		assert.InDelta(t, math.Exp(float64(l))/sum, float64(p[i])/certain, 1e-4)
	}
	assert.Equal(t, make([]int16, columns-len(logits)), p[len(logits):], "what is no logit is not likely at all")
}

func FuzzPieces(f *testing.F) {
	e, err := NewEncoder()
	if err != nil {
		f.Fatal(err)
	}
	for _, s := range []string{"", "é\u0301x", "\xff\xfe", "日本", strings.Repeat("a", 300), "İ"} {
		f.Add(s)
	}
	f.Fuzz(func(t *testing.T, s string) {
		ids := e.cut.pieces(s, 64)
		if len(ids) < 2 || len(ids) > 64 || ids[0] != e.cut.(*wordPiece).cls || ids[len(ids)-1] != e.cut.(*wordPiece).sep {
			t.Fatalf("pieces %v of %q", ids, s)
		}
		for _, id := range ids {
			if id < 0 || int(id) >= len(e.cut.(*wordPiece).ids) {
				t.Fatalf("piece %d", id)
			}
		}
	})
}

var sample = strings.Repeat("Bicycles travel for four pounds each way and are put in the rack on the car deck of the boat. ", 6)

// BenchmarkEncodeChunk embeds texts of about 128 pieces on all cores; its figure is chunks a second.
func BenchmarkEncodeChunk(b *testing.B) {
	e, err := NewEncoder()
	if err != nil {
		b.Fatal(err)
	}
	texts := make([]string, 32)
	for i := range texts {
		texts[i] = sample
	}
	b.Logf("%d pieces", len(e.cut.pieces(sample, 999)))
	for b.Loop() {
		if _, err := e.Embed(b.Context(), texts); err != nil {
			b.Fatal(err)
		}
	}
	b.ReportMetric(float64(32*b.N)/b.Elapsed().Seconds(), "chunks/s")
}

func BenchmarkEncodeQuestion(b *testing.B) {
	e, err := NewEncoder()
	if err != nil {
		b.Fatal(err)
	}
	for b.Loop() {
		if _, err := e.Embed(b.Context(), []string{"How much does it cost to take a bicycle to the island?"}); err != nil {
			b.Fatal(err)
		}
	}
}

// BenchmarkKernel multiplies as the widest layer does, on one core; its figure is multiplications and additions a second, in thousand millions.
func BenchmarkKernel(b *testing.B) {
	const rows, deep, cols = 256, 384, 1536
	r := rand.New(rand.NewPCG(1, 1))
	a, w, _ := drawn(r, rows, deep, cols)
	p := product{a: a, stride: deep, rows: rows, row: numbers(r, rows), column: numbers(r, cols), bias: numbers(r, cols), out: make([]float32, rows*cols), between: cols, last: cols}
	eachProcessor(func(name string) {
		b.Run(name, func(b *testing.B) {
			for b.Loop() {
				narrow(&p, w)
			}
			b.ReportMetric(2*rows*deep*cols*float64(b.N)/b.Elapsed().Seconds()/1e9, "GOP/s")
		})
	})
}

func BenchmarkDot(b *testing.B) {
	x, y := make(Vector, 384), make(Vector, 384)
	b.Run("kernel", func(b *testing.B) {
		for b.Loop() {
			dot(x, y)
		}
	})
	b.Run("plain", func(b *testing.B) {
		for b.Loop() {
			plainDot(x, y)
		}
	})
}
