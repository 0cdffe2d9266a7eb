package app_test

import (
	"os"
	"path/filepath"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"jolvex/core/query"
	"jolvex/core/questions"
	"jolvex/internal/app"
	"jolvex/internal/asking"
	"jolvex/internal/fault"
	"jolvex/internal/gathering"
	"jolvex/internal/indexing"
	"jolvex/internal/keeping/backup"
	"jolvex/internal/proving/runs"
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

// What is removed after a release is gone from it at once, for everybody; and a page of one group that is marked for staff leaves the group, too.
func TestWhatIsRemovedLeavesTheRelease(t *testing.T) {
	a := fresh(t)
	create(t, a, "c")
	put := func(name, audience, text string) indexing.Document {
		d, err := a.Gathering.TakeFile(t.Context(), "c", gathering.File{Name: name, Audience: audience, Body: []byte(text)})
		require.NoError(t, err)
		return d
	}
	dogs := put("dogs.md", "", "# Animals\n\nA dog costs £2.00 each way.\n")
	lounge := put("lounge.md", "group:members", "# Lounge\n\nThe lounge for members opens at 07:30.\n")
	_, err := a.Serving.MakeRelease(t.Context(), "c", servingroom.Making{})
	require.NoError(t, err)
	members := asking.Caller{Audience: "group:members", Surface: asking.SurfaceWidget}
	says := func(who asking.Caller, question string) *asking.Reply {
		r, err := a.Serving.AskReleased(t.Context(), who, "c", query.Question{Text: question})
		require.NoError(t, err)
		return r
	}
	require.Contains(t, says(public, "How much is a dog?").Reply, "£2.00")
	require.Contains(t, says(members, "When does the lounge open?").Reply, "07:30")

	staff := "staff"
	_, err = a.Gathering.ChangeDocument(t.Context(), "c", lounge.ID, gathering.DocumentChange{Audience: &staff})
	require.NoError(t, err)
	assert.True(t, says(members, "When does the lounge open?").Refused)

	require.NoError(t, a.Gathering.RemoveDocument(t.Context(), "c", dogs.ID))
	for _, who := range []asking.Caller{public, members, {Audience: "staff"}} {
		r := says(who, "How much is a dog?")
		assert.NotContains(t, r.Reply, "£2.00")
		for _, e := range r.Evidence {
			assert.NotEqual(t, dogs.ID, e.Document)
		}
	}
}

// A release whose files are damaged or gone is built anew of the versions that it was made of, though the pages are others by now.
func TestADamagedReleaseIsBuiltAnew(t *testing.T) {
	dir := t.TempDir()
	a := open(t, dir)
	create(t, a, "c")
	put := func(price string) {
		_, err := a.Gathering.Upload(t.Context(), "c", "dogs.md", "", []byte("# Animals\n\nDogs must be on a lead. A dog costs "+price+" each way.\n"))
		require.NoError(t, err)
	}
	put("£2.00")
	_, err := a.Gathering.TakeFile(t.Context(), "c", gathering.File{Name: "crew.md", Audience: "staff", Body: []byte("# Crew\n\nThe crew kitchen closes at 23:15.\n")})
	require.NoError(t, err)
	_, err = a.Serving.MakeRelease(t.Context(), "c", servingroom.Making{})
	require.NoError(t, err)
	before, err := a.Serving.AskReleased(t.Context(), public, "c", query.Question{Text: "How much is a dog?"})
	require.NoError(t, err)
	require.Contains(t, before.Reply, "£2.00")
	kitchen, err := a.Serving.AskReleased(t.Context(), asking.Caller{Audience: "staff"}, "c", query.Question{Text: "When does the crew kitchen close?"})
	require.NoError(t, err)
	require.Contains(t, kitchen.Reply, "23:15")
	put("£3.00")
	require.NoError(t, a.Close())

	files, err := filepath.Glob(filepath.Join(dir, "index", "*"))
	require.NoError(t, err)
	require.NotEmpty(t, files)
	for n, f := range files { // some damaged, some gone
		if n%2 == 0 {
			require.NoError(t, os.Truncate(f, 20))
		} else {
			require.NoError(t, os.Remove(f))
		}
	}
	for range 2 { // the second start finds what the first has written
		a = open(t, dir)
		got, err := a.Serving.AskReleased(t.Context(), public, "c", query.Question{Text: "How much is a dog?"})
		require.NoError(t, err)
		assert.Equal(t, before.Reply, got.Reply)
		assert.InDelta(t, before.Support, got.Support, 1e-9)
		got, err = a.Serving.AskReleased(t.Context(), public, "c", query.Question{Text: "When does the crew kitchen close?"})
		require.NoError(t, err)
		assert.NotContains(t, got.Reply, "23:15", "staff's material is staff's in what was built anew")
		got, err = a.Serving.AskReleased(t.Context(), asking.Caller{Audience: "staff"}, "c", query.Question{Text: "When does the crew kitchen close?"})
		require.NoError(t, err)
		assert.Contains(t, got.Reply, "23:15")
		require.NoError(t, a.Close())
	}
}

// TestWhatAReleaseWouldChange names the documents that came, changed and went since the release, and the expected questions with another verdict.
func TestWhatAReleaseWouldChange(t *testing.T) {
	a := fresh(t)
	create(t, a, "c")
	put := func(name, text string) indexing.Document {
		d, err := a.Gathering.Upload(t.Context(), "c", name, "", []byte(text))
		require.NoError(t, err)
		return d
	}
	changes := func() servingroom.Changes {
		c, err := a.Serving.Changes(t.Context(), "c")
		require.NoError(t, err)
		return c
	}
	assert.Zero(t, changes().Release)
	put("dogs.md", "# Animals\n\nA dog costs £2.00 each way.\n")
	cats := put("cats.md", "# Cats\n\nCats travel free in a box.\n")
	_, err := a.Proving.Sets.PutQuestions(t.Context(), "c", "fares", []questions.Question{
		expected("dog", "How much is a dog?", questions.Expectation{Kind: questions.Gives, Values: []string{"£2.00"}}),
		expected("bird", "How much is a parrot?", questions.Expectation{Kind: questions.Gives, Values: []string{"£1.00"}}),
	})
	require.NoError(t, err)
	require.NoError(t, a.Serving.SetGate(t.Context(), "c", []servingroom.Floor{{Set: "fares", Floor: 0.1}}))
	measure := func() {
		_, j, err := a.Proving.Runs.StartRun(t.Context(), "c", "fares", runs.Order{})
		require.NoError(t, err)
		require.Equal(t, "done", ended(t, a, "c", j.ID).State)
	}
	measure()
	_, err = a.Serving.MakeRelease(t.Context(), "c", servingroom.Making{})
	require.NoError(t, err)
	assert.Equal(t, servingroom.MaterialSums{}, changes().Counts)

	put("dogs.md", "# Animals\n\nA dog costs £3.00 each way.\n")
	put("birds.md", "# Birds\n\nA parrot costs £1.00 each way.\n")
	require.NoError(t, a.Gathering.RemoveDocument(t.Context(), "c", cats.ID))
	got := changes()
	assert.Equal(t, servingroom.MaterialSums{Added: 1, Altered: 1, Gone: 1}, got.Counts)
	assert.Equal(t, []string{"Birds", "Animals", cats.ID}, []string{got.Added[0].Title, got.Altered[0].Title, got.Gone[0].ID})
	assert.Empty(t, got.Flips, "the draft is not measured yet")
	measure()
	fixed := map[string]bool{}
	for _, f := range changes().Flips {
		fixed[f.Text] = f.Fixed
	}
	assert.Equal(t, map[string]bool{"How much is a dog?": false, "How much is a parrot?": true}, fixed)
}

// TestAFolderIsRestored has what was acknowledged in the copy: the draft, the release, sealed secrets, while somebody goes on working.
func TestAFolderIsRestored(t *testing.T) {
	dir := t.TempDir()
	a := open(t, dir)
	create(t, a, "c")
	put := func(price string) {
		_, err := a.Gathering.Upload(t.Context(), "c", "dogs.md", "", []byte("# Animals\n\nDogs must be on a lead. A dog costs "+price+" each way.\n"))
		require.NoError(t, err)
	}
	put("£2.00")
	_, err := a.Serving.MakeRelease(t.Context(), "c", servingroom.Making{})
	require.NoError(t, err)
	secret, err := a.Connections.Seal([]byte("pass"))
	require.NoError(t, err)
	put("£3.00")
	made, err := backup.Make(t.Context(), dir, t.TempDir(), time.Now())
	require.NoError(t, err)
	put("£4.00")
	require.NoError(t, a.Close())

	to := filepath.Join(t.TempDir(), "restored")
	_, err = backup.Restore(t.Context(), made.Path, to)
	require.NoError(t, err)
	a = open(t, to)
	got, err := a.Serving.AskReleased(t.Context(), public, "c", query.Question{Text: "How much is a dog?"})
	require.NoError(t, err)
	assert.Contains(t, got.Reply, "£2.00")
	got, err = a.Asking.Ask(t.Context(), public, "c", query.Question{Text: "How much is a dog?"})
	require.NoError(t, err)
	assert.Contains(t, got.Reply, "£3.00")
	plain, err := a.Connections.Unseal(secret)
	require.NoError(t, err)
	assert.Equal(t, "pass", string(plain))
	require.NoError(t, a.Close())
}
