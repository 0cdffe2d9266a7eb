package app_test

import (
	"os"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"jolvex/core/query"
	"jolvex/internal/app"
	"jolvex/internal/asking"
	"jolvex/internal/job"
)

// graphJobs are a corpus's jobs that grow graphs, newest first.
func graphJobs(t *testing.T, a *app.App) []job.Job {
	t.Helper()
	js, err := a.Jobs.Jobs(t.Context(), "c")
	require.NoError(t, err)
	var out []job.Job
	for _, j := range js {
		if j.Kind == job.Graph {
			out = append(out, j)
		}
	}
	return out
}

func TestGraphComesBehindAndIsKept(t *testing.T) {
	dir := t.TempDir()
	a := openWith(t, dir, app.Options{GraphFrom: 40})
	_, err := a.CreateCorpus(t.Context(), "c")
	require.NoError(t, err)
	m, err := a.Indexing.Method(t.Context(), "c")
	require.NoError(t, err)
	m.Embed.Grade = "words"
	_, err = a.Indexing.SaveMethod(t.Context(), "c", m)
	require.NoError(t, err)
	_, err = a.Gathering.Upload(t.Context(), "c", "handbook.md", "", handbook(60))
	require.NoError(t, err)
	ask := func() string {
		r, err := a.Asking.Find(t.Context(), public, "c", query.Question{Text: "where can I leave my suitcase"}, asking.Variant{})
		require.NoError(t, err)
		require.NotEmpty(t, r.Evidence)
		return r.Trail.Pins.Snapshot
	}
	js := graphJobs(t, a)
	require.Len(t, js, 1)
	require.Equal(t, "done", ended(t, a, "c", js[0].ID).State)
	pinned := ask()
	require.NoError(t, a.Close())

	a = openWith(t, dir, app.Options{GraphFrom: 40})
	assert.Equal(t, pinned, ask(), "the graph was kept")
	assert.Len(t, graphJobs(t, a), 1)
	require.NoError(t, a.Close())

	// One that is damaged is made anew; nothing else is.
	files, err := filepath.Glob(filepath.Join(dir, "index", "*"))
	require.NoError(t, err)
	for _, f := range files {
		b, err := os.ReadFile(f)
		require.NoError(t, err)
		if string(b[:7]) == "JLVXGRA" {
			b[len(b)/2] ^= 1
			require.NoError(t, os.WriteFile(f, b, 0o600))
		}
	}
	a = openWith(t, dir, app.Options{GraphFrom: 40})
	ask()
	js = graphJobs(t, a)
	require.Len(t, js, 2)
	require.Equal(t, "done", ended(t, a, "c", js[0].ID).State)
	assert.Equal(t, pinned, ask())
}
