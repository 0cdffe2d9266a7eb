package app_test

import (
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"jolvex/core/chunk"
	"jolvex/core/query"
	"jolvex/internal/asking"
	"jolvex/internal/gathering"
	"jolvex/internal/store"
)

// Changing how one source is cut cuts that source alone, and what can be found is what a fresh build would find.
func TestOneSourceIsCutAlone(t *testing.T) {
	a := fresh(t)
	create(t, a, "c")
	dir := t.TempDir()
	for i := range 3 {
		text := "# Boat " + letters(i) + "\n\n" + strings.Repeat(fmt.Sprintf("Boat %s has %d berths. Its deck is washed on day %d.\n\n", letters(i), i+3, i+5), 30)
		require.NoError(t, os.WriteFile(filepath.Join(dir, letters(i)+".md"), []byte(text), 0o600))
	}
	s, j, err := a.Gathering.AddSource(t.Context(), "c", gathering.NewSource{Kind: store.KindFolder, Address: dir})
	require.NoError(t, err)
	done(t, a, j)
	for i := range 9 {
		_, err := a.Gathering.Upload(t.Context(), "c", fmt.Sprintf("pier-%d.md", i), "", fmt.Appendf(nil, "# Pier %d\n\nPier %d is %d metres long.\n", i, i, 100+i))
		require.NoError(t, err)
	}
	idle(t, a, "c")
	before, err := a.Corpus(t.Context(), "c")
	require.NoError(t, err)
	m, err := a.Indexing.Method(t.Context(), "c")
	require.NoError(t, err)
	small := m.Chunk
	small.Size, small.Overlap = 40, 0
	m.Sources = map[string]chunk.Settings{s.ID: small}
	rebuilt, err := a.Indexing.SaveMethod(t.Context(), "c", m)
	require.NoError(t, err)
	require.NotNil(t, rebuilt)
	end := ended(t, a, "c", rebuilt.ID)
	require.Equal(t, "done", end.State, end.Error)
	assert.Equal(t, 3, end.Total, "the documents of that source")
	idle(t, a, "c")
	after, err := a.Corpus(t.Context(), "c")
	require.NoError(t, err)
	assert.Greater(t, after.Chunks, before.Chunks)
	assert.False(t, after.Stale)
	for _, q := range []string{"How long is pier 7?", "How many berths has boat " + letters(1) + "?"} {
		r, err := a.Asking.Find(t.Context(), public, "c", query.Question{Text: q}, asking.Variant{})
		require.NoError(t, err)
		assert.NotEmpty(t, r.Evidence)
	}
	// All of it at once is built from the ground, with the same outcome.
	m.Chunk.Size++
	m.Sources[s.ID] = small
	rebuilt, err = a.Indexing.SaveMethod(t.Context(), "c", m)
	require.NoError(t, err)
	require.Equal(t, "done", ended(t, a, "c", rebuilt.ID).State)
	idle(t, a, "c")
	whole, err := a.Corpus(t.Context(), "c")
	require.NoError(t, err)
	assert.Equal(t, after.Chunks, whole.Chunks)
}
