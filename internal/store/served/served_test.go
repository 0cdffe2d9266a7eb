package served_test

import (
	"path/filepath"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"jolvex/core/index"
	"jolvex/internal/store"
	"jolvex/internal/store/served"
)

func TestReleasesAreNumbered(t *testing.T) {
	s, err := store.Open(t.Context(), filepath.Join(t.TempDir(), "test.db"), time.Now)
	require.NoError(t, err)
	t.Cleanup(func() { assert.NoError(t, s.Close()) })
	c, err := s.CreateCorpus(t.Context(), "ferries")
	require.NoError(t, err)
	v := served.New(s)
	_, err = v.AddRelease(t.Context(), served.Release{Corpus: c.ID, Note: "too early", Method: c.Method})
	assert.ErrorIs(t, err, store.ErrMissing, "there is no index yet")
	require.NoError(t, s.Publish(t.Context(), c.ID, "first", index.Manifest{IndexStage: "one"}, nil))
	first, err := v.AddRelease(t.Context(), served.Release{Corpus: c.ID, Note: "winter fares", Method: c.Method})
	require.NoError(t, err)
	changed := c.Method
	changed.Chunk.Size = 123
	require.NoError(t, s.Publish(t.Context(), c.ID, "second", index.Manifest{IndexStage: "two"}, nil))
	_, err = v.AddRelease(t.Context(), served.Release{Corpus: c.ID, Note: "", Method: changed})
	require.NoError(t, err)
	list, err := v.Releases(t.Context(), c.ID, 10)
	require.NoError(t, err)
	require.Len(t, list, 2)
	assert.Equal(t, []int{2, 1}, []int{list[0].Number, list[1].Number})
	assert.Equal(t, 123, list[0].Method.Chunk.Size)
	assert.Equal(t, first, list[1], "what was published later does not touch it")
	assert.Equal(t, "one", list[1].Manifest.IndexStage)
}
