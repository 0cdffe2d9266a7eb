package app_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"jolvex/core/query"
	"jolvex/internal/app"
	"jolvex/internal/asking"
	"jolvex/internal/fault"
	"jolvex/internal/gathering"
	servingroom "jolvex/internal/serving"
)

// What is gathered and changed after a release does not touch it, nor does a new start.
func TestAReleaseIsFrozen(t *testing.T) {
	dir := t.TempDir()
	a := open(t, dir)
	create(t, a, "c")
	_, err := a.Serving.MakeRelease(t.Context(), "c", servingroom.Making{Note: ""})
	require.ErrorIs(t, err, fault.ErrInput, "there is no index yet")
	_, err = a.Serving.AskReleased(t.Context(), public, "c", query.Question{Text: "How much is a dog?"})
	require.ErrorIs(t, err, fault.ErrMissing)
	put := func(price string) {
		_, err := a.Gathering.Upload(t.Context(), "c", "dogs.md", "", []byte("# Animals\n\nDogs must be on a lead. A dog costs "+price+" each way.\n"))
		require.NoError(t, err)
	}
	put("£2.00")
	r, err := a.Serving.MakeRelease(t.Context(), "c", servingroom.Making{Note: "first fares"})
	require.NoError(t, err)
	assert.Equal(t, 1, r.Number)
	c, err := a.Corpus(t.Context(), "c")
	require.NoError(t, err)
	require.NotNil(t, c.Release)
	assert.Empty(t, c.Release.Settings)
	assert.False(t, c.Release.Index)

	put("£3.00")
	m, err := a.Indexing.Method(t.Context(), "c")
	require.NoError(t, err)
	m.Answer.Bar = 0.45
	m.Chunk.Size = 120
	j, err := a.Indexing.SaveMethod(t.Context(), "c", m)
	require.NoError(t, err)
	require.NotNil(t, j)
	require.Equal(t, "done", ended(t, a, "c", j.ID).State)
	c, err = a.Corpus(t.Context(), "c")
	require.NoError(t, err)
	assert.Len(t, c.Release.Settings, 2)
	assert.True(t, c.Release.Index)

	says := func(a *app.App, what string) {
		got, err := a.Serving.AskReleased(t.Context(), public, "c", query.Question{Text: "How much is a dog?"})
		require.NoError(t, err)
		assert.Contains(t, got.Reply, what)
		assert.Empty(t, got.ID, "nothing is kept")
	}
	says(a, "£2.00")
	now, err := a.Asking.Ask(t.Context(), public, "c", query.Question{Text: "How much is a dog?"})
	require.NoError(t, err)
	assert.Contains(t, now.Reply, "£3.00")
	require.NoError(t, a.Close())

	a = open(t, dir)
	says(a, "£2.00")
	r, err = a.Serving.MakeRelease(t.Context(), "c", servingroom.Making{Note: "new fares"})
	require.NoError(t, err)
	assert.Equal(t, 2, r.Number)
	says(a, "£3.00")
	all, err := a.Serving.Releases(t.Context(), "c")
	require.NoError(t, err)
	require.Len(t, all, 2)
	assert.Equal(t, "new fares", all[0].Note)
	_, err = a.Serving.AskReleased(t.Context(), asking.Caller{Audience: "anyone"}, "c", query.Question{Text: "How much is a dog?"})
	assert.ErrorIs(t, err, fault.ErrInput)
}

// Staff-only material stays so under a release.
func TestAReleaseKeepsAudiencesApart(t *testing.T) {
	a := fresh(t)
	d := withDogs(t, a)
	staff := "staff"
	_, err := a.Gathering.ChangeDocument(t.Context(), "c", d.ID, gathering.DocumentChange{Audience: &staff})
	require.NoError(t, err)
	_, err = a.Serving.MakeRelease(t.Context(), "c", servingroom.Making{Note: ""})
	require.NoError(t, err)
	r, err := a.Serving.AskReleased(t.Context(), public, "c", query.Question{Text: "How much is a dog?"})
	require.NoError(t, err)
	assert.True(t, r.Refused)
	assert.Empty(t, r.Evidence)
}

// What is marked for staff after a release is taken out of the release at once.
func TestAMarkReachesWhatIsReleased(t *testing.T) {
	a := fresh(t)
	d := withDogs(t, a)
	_, err := a.Serving.MakeRelease(t.Context(), "c", servingroom.Making{Note: ""})
	require.NoError(t, err)
	r, err := a.Serving.AskReleased(t.Context(), public, "c", query.Question{Text: "How much is a dog?"})
	require.NoError(t, err)
	require.False(t, r.Refused)
	staff := "staff"
	_, err = a.Gathering.ChangeDocument(t.Context(), "c", d.ID, gathering.DocumentChange{Audience: &staff})
	require.NoError(t, err)
	r, err = a.Serving.AskReleased(t.Context(), public, "c", query.Question{Text: "How much is a dog?"})
	require.NoError(t, err)
	assert.True(t, r.Refused)
	assert.Empty(t, r.Evidence)
}
