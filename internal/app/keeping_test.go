package app_test

import (
	"bytes"
	"fmt"
	"os"
	"path/filepath"
	"sync/atomic"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"jolvex/core/query"
	"jolvex/core/questions"
	"jolvex/internal/app"
	"jolvex/internal/asking"
	"jolvex/internal/fault"
	"jolvex/internal/job"
	"jolvex/internal/keeping/backup"
	"jolvex/internal/mending/snags"
	"jolvex/internal/proving/runs"
	servingroom "jolvex/internal/serving"
	"jolvex/internal/store/kept"
	"jolvex/internal/store/talk"
)

func TestWhatNothingReachesIsCollected(t *testing.T) {
	var later atomic.Int64 // hours that have gone by
	a := freshWith(t, app.Options{Now: func() time.Time { return time.Now().Add(time.Duration(later.Load()) * time.Hour) }})
	for _, name := range []string{"kept", "dropped"} {
		create(t, a, name)
		_, err := a.Gathering.Upload(t.Context(), name, "dogs.md", "", fmt.Appendf(nil, "# Dogs\n\nDogs of the %s corpus travel for £2.00 and must be on a lead.\n", name))
		require.NoError(t, err)
		idle(t, a, name)
	}
	r, err := a.Asking.Ask(t.Context(), public, "kept", query.Question{Text: "Must dogs be on a lead?"})
	require.NoError(t, err)
	require.NotEmpty(t, r.Cited)

	// What a reply cites stays readable when its source is gone; what nothing cites goes.
	ss, err := a.Gathering.Sources(t.Context(), "kept")
	require.NoError(t, err)
	require.NoError(t, a.Gathering.RemoveSource(t.Context(), "kept", ss[0].ID))
	require.NoError(t, a.Keeping.DeleteCorpus(t.Context(), "dropped"))
	_, err = a.Corpus(t.Context(), "dropped")
	require.ErrorIs(t, err, fault.ErrMissing)
	idle(t, a, "kept")
	collect := func() job.Job {
		j, err := a.Keeping.Collect(t.Context(), "kept")
		require.NoError(t, err)
		return ended(t, a, "kept", j.ID)
	}
	assert.Contains(t, collect().Note, "texts: 0,", "what was written just now may be on its way to a run")
	later.Store(48)
	done := collect()
	require.Equal(t, "done", done.State, done.Error)
	assert.Contains(t, done.Note, "runs: 0, texts: 1,")
	again, err := a.Asking.Reply(t.Context(), "kept", r.ID)
	require.NoError(t, err)
	assert.Equal(t, r.Cited[0].Passage, again.Cited[0].Passage)
}

// Conversations, runs and earlier texts go when their time is over: but for what is still worked on, the newest run of a set, and the texts of a release.
func TestRetention(t *testing.T) {
	var later atomic.Int64 // days that have gone by
	a := freshWith(t, app.Options{Now: func() time.Time { return time.Now().AddDate(0, 0, int(later.Load())) }})
	create(t, a, "c")
	text := func(price string) {
		_, err := a.Gathering.Upload(t.Context(), "c", "dogs.md", "", []byte("# Animals\n\n## Dogs\n\nA dog costs "+price+" each way.\n"))
		require.NoError(t, err)
		idle(t, a, "c")
	}
	text("£1.00")
	text("£2.00")
	_, err := a.Serving.MakeRelease(t.Context(), "c", servingroom.Making{})
	require.NoError(t, err)
	text("£3.00")
	text("£4.00")
	_, err = a.Proving.Sets.PutQuestions(t.Context(), "c", "fares", []questions.Question{expected("dog", "How much is a dog?", questions.Expectation{Kind: questions.Gives, Values: []string{"£4.00"}})})
	require.NoError(t, err)
	for range 2 {
		_, j, err := a.Proving.Runs.StartRun(t.Context(), "c", "fares", runs.Order{})
		require.NoError(t, err)
		require.Equal(t, "done", ended(t, a, "c", j.ID).State)
	}
	ask := func(visitor, text string) *asking.Reply {
		r, err := a.Asking.Ask(t.Context(), asking.Caller{Audience: "public", Surface: "widget", Visitor: visitor}, "c", query.Question{Text: text})
		require.NoError(t, err)
		return r
	}
	gone, held := ask("gone", "How much is a dog?"), ask("held", "How much is a parrot?")
	_, err = a.Mending.Snags.Add(t.Context(), "c", snags.Report{Exchange: held.ID, Note: "not answered"})
	require.NoError(t, err)
	log := func() int {
		ls, err := a.Mending.Conversations.Log(t.Context(), "c", talk.Filter{Limit: 100}, false)
		require.NoError(t, err)
		return len(ls)
	}
	collect := func() string {
		j, err := a.Keeping.Collect(t.Context(), "c")
		require.NoError(t, err)
		j = ended(t, a, "c", j.ID)
		require.Equal(t, "done", j.State, j.Error)
		return j.Note
	}
	later.Store(31)
	assert.Contains(t, collect(), "removed conversations: 0, runs: 0, texts: 0,", "without an order everything stays")
	set := kept.Retention{Conversations: 30, Runs: 30, Versions: 30}
	got, err := a.Keeping.SetRetention(t.Context(), "c", set)
	require.NoError(t, err)
	assert.Equal(t, set, got)
	later.Store(29)
	assert.Contains(t, collect(), "removed conversations: 0, runs: 0, texts: 0,", "not before its time")
	assert.Equal(t, 2, log())
	later.Store(31)
	assert.Contains(t, collect(), "removed conversations: 1, runs: 1, texts: 2,")
	assert.Equal(t, 1, log())
	_, err = a.Asking.Reply(t.Context(), "c", gone.ID)
	assert.ErrorIs(t, err, fault.ErrMissing, "its evidence went with it")
	r, err := a.Serving.AskReleased(t.Context(), public, "c", query.Question{Text: "How much is a dog?"})
	require.NoError(t, err)
	assert.Contains(t, r.Reply, "£2.00", "the release has its text")
	read, err := a.Keeping.Retention(t.Context(), "c")
	require.NoError(t, err)
	assert.Equal(t, set, read)
}

// A version is read only through its document: the hash of another corpus's text opens nothing.
func TestAVersionIsReadThroughItsDocument(t *testing.T) {
	a := fresh(t)
	var ids, versions []string
	for _, name := range []string{"one", "two"} {
		create(t, a, name)
		d, err := a.Gathering.Upload(t.Context(), name, "a.md", "", []byte("# Page of "+name+"\n\nSome text that is "+name+"'s own.\n"))
		require.NoError(t, err)
		o, err := a.Indexing.OpenDocument(t.Context(), name, d.ID, "")
		require.NoError(t, err)
		ids, versions = append(ids, d.ID), append(versions, o.Version)
	}
	_, err := a.Indexing.OpenDocument(t.Context(), "one", ids[0], versions[1])
	require.ErrorIs(t, err, fault.ErrMissing)
	_, err = a.Indexing.OpenDocument(t.Context(), "one", ids[0], versions[0])
	require.NoError(t, err)
}

// TestDamageIsTold overwrites pages of the database: what is wrong is told, and no backup is made of it.
func TestDamageIsTold(t *testing.T) {
	dir := t.TempDir()
	a := open(t, dir)
	require.NoError(t, a.Keeping.Look(t.Context()))
	assert.Empty(t, a.Keeping.Damage())
	create(t, a, "c")
	for n := range 20 {
		_, err := a.Gathering.Upload(t.Context(), "c", fmt.Sprintf("dogs%d.md", n), "", fmt.Appendf(nil, "# Dogs %d\n\nDogs travel for £%d.00 and must be on a lead.\n", n, n))
		require.NoError(t, err)
	}
	idle(t, a, "c")
	require.NoError(t, a.Close())

	const page = 4096
	path := filepath.Join(dir, "jolvex.db")
	raw, err := os.ReadFile(path)
	require.NoError(t, err)
	for at := len(raw) * 3 / 4 / page * page; at < len(raw); at += page { // the schema stands at the beginning
		copy(raw[at:], bytes.Repeat([]byte{0xa5}, page/2))
	}
	require.NoError(t, os.WriteFile(path, raw, 0o600))
	a = open(t, dir)
	require.NoError(t, a.Keeping.Look(t.Context()))
	assert.NotEmpty(t, a.Keeping.Damage())
	_, err = a.People.Begun(t.Context())
	assert.NoError(t, err, "what stands on other pages is read still")
	_, err = backup.Make(t.Context(), dir, t.TempDir(), time.Now())
	assert.Error(t, err, "and no backup of it is made that would push out good ones")
	_ = a.Close() // a damaged database may not end well
}
