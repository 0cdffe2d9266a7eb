package extractor_test

import (
	"bytes"
	"context"
	"math/rand/v2"
	"os"
	"path/filepath"
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"jolvex/core/extract"
	"jolvex/internal/extractor"
)

func TestMain(m *testing.M) {
	extractor.RunWorker()
	os.Exit(m.Run())
}

func pool(t *testing.T, l extractor.Limits) *extractor.Pool {
	t.Helper()
	p := extractor.NewPool(filepath.Join(os.TempDir(), "jolvex-test-pdf"), l)
	t.Cleanup(p.Close)
	return p
}

// A file that was damaged on the way, or on purpose, gives an error or what can be read of it; the reader goes on with the
// next file.
func TestDamagedFilesDoNotBringDownTheReader(t *testing.T) {
	whole, err := os.ReadFile("../../demo/pages/documents/conditions-of-carriage.pdf")
	require.NoError(t, err)
	r := pool(t, extractor.Limits{})
	rng := rand.New(rand.NewPCG(3, 5))
	read, refused := 0, 0
	for i := range 60 {
		b := slices.Clone(whole)
		switch i % 3 {
		case 0:
			b = b[:rng.IntN(len(b))]
		case 1:
			for range 1 + rng.IntN(200) {
				b[rng.IntN(len(b))] = byte(rng.UintN(256))
			}
		default:
			at := rng.IntN(len(b) - 600)
			copy(b[at:], bytes.Repeat([]byte{byte(rng.UintN(256))}, 500))
		}
		d, err := r.Read(t.Context(), extract.Input{Address: "x.pdf", Body: b})
		if err != nil {
			refused++
			continue
		}
		assert.NoError(t, d.Check())
		read++
	}
	t.Logf("%d damaged files: %d read in part, %d refused", read+refused, read, refused)
	d, err := r.Read(t.Context(), extract.Input{Address: "x.pdf", Body: whole})
	require.NoError(t, err)
	assert.Contains(t, d.Text, "The orders of the master are to be followed.")
}

func TestKindsOfRefusal(t *testing.T) {
	r := pool(t, extractor.Limits{})
	for name, want := range map[string]error{"encrypted.pdf": extract.ErrEncrypted} {
		b, err := os.ReadFile(filepath.Join("../pdf/testdata", name))
		require.NoError(t, err)
		_, err = r.Read(t.Context(), extract.Input{Address: name, Body: b})
		assert.ErrorIs(t, err, want, name)
	}
	_, err := r.Read(t.Context(), extract.Input{Address: "x.pdf", Body: []byte("%PDF-1.7\nno more")})
	assert.ErrorIs(t, err, extract.ErrKind)
	scan, err := os.ReadFile("../../demo/pages/documents/notice-board.pdf")
	require.NoError(t, err)
	d, err := r.Read(t.Context(), extract.Input{Address: "notice-board.pdf", Body: scan})
	assert.ErrorIs(t, err, extract.ErrNoText)
	assert.Contains(t, d.Notes[0], "scanned")
	ctx, cancel := context.WithCancel(t.Context())
	cancel()
	_, err = r.Read(ctx, extract.Input{Address: "notice-board.pdf", Body: scan})
	assert.ErrorIs(t, err, context.Canceled)
}
