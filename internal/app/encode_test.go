package app_test

import (
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"jolvex/core/query"
	"jolvex/core/questions"
	"jolvex/internal/app"
	"jolvex/internal/asking"
	"jolvex/internal/job"
)

// handbook is a file of many short sections, each of which becomes a chunk.
func handbook(sections int) []byte {
	var b strings.Builder
	b.WriteString("# Handbook\n\n")
	for i := range sections {
		fmt.Fprintf(&b, "## Rule %d\n\nThe lamp on buoy %d is cleaned on day %d of the month by the second mate, who signs the book and hangs the brush on hook %d.\n\n", i, i, i%28+1, i)
	}
	b.WriteString("## Stowing\n\nLockers for baggage stand in the ticket hall and take a one pound coin, which is given back when the door is opened again.\n")
	return []byte(b.String())
}

func encodeJob(t *testing.T, a *app.App) job.Job {
	t.Helper()
	js, err := a.Jobs.Jobs(t.Context(), "c")
	require.NoError(t, err)
	for _, j := range js {
		if j.Kind == job.Encode {
			return j
		}
	}
	require.Fail(t, "no job of the encoder")
	return job.Job{}
}

func meaning(t *testing.T, a *app.App) string {
	t.Helper()
	c, err := a.Corpus(t.Context(), "c")
	require.NoError(t, err)
	return c.Meaning
}

func TestTheEncoderComesBehind(t *testing.T) {
	dir := t.TempDir()
	a := open(t, dir)
	_, err := a.CreateCorpus(t.Context(), "c")
	require.NoError(t, err)
	d, err := a.Gathering.Upload(t.Context(), "c", "handbook.md", "", handbook(60))
	require.NoError(t, err)
	assert.Equal(t, "indexed", d.State, "it can be found before the encoder has read it")
	q := query.Question{Text: "Where can I leave my suitcase?"}
	early, err := a.Asking.Find(t.Context(), public, "c", q, asking.Variant{})
	require.NoError(t, err)
	assert.NotEmpty(t, early.Evidence)
	require.NoError(t, a.Close()) // most likely in the middle of the pass

	a = open(t, dir)
	_, err = a.Corpus(t.Context(), "c") // opens the index, which queues what is due
	require.NoError(t, err)
	assert.Equal(t, "done", ended(t, a, "c", encodeJob(t, a).ID).State)
	assert.Equal(t, "encoder", meaning(t, a))
	late, err := a.Asking.Find(t.Context(), public, "c", q, asking.Variant{})
	require.NoError(t, err)
	assert.Contains(t, late.Evidence[0].Text, "Lockers for baggage")
	assert.NotEqual(t, early.Trail.Pins.Snapshot, late.Trail.Pins.Snapshot, "another set of vectors is another snapshot")

	// A little that is new can be found by its words at once; the encoder's vectors stay in force for the rest, and it is read behind.
	_, err = a.Gathering.Upload(t.Context(), "c", "fog.md", "", []byte("# Fog\n\nIn fog the boats sail at half speed.\n"))
	require.NoError(t, err)
	assert.Equal(t, "encoder", meaning(t, a))
	fog := query.Question{Text: "fog half speed"}
	found, err := a.Asking.Find(t.Context(), public, "c", fog, asking.Variant{})
	require.NoError(t, err)
	assert.Contains(t, found.Evidence[0].Text, "In fog the boats")
	idle(t, a, "c")
	found, err = a.Asking.Find(t.Context(), public, "c", fog, asking.Variant{})
	require.NoError(t, err)
	assert.Contains(t, found.Evidence[0].Text, "In fog the boats")
	assert.Greater(t, found.Evidence[0].Cosine, 0.1, "it has been read")

	// Much that is new: word vectors serve for all of it until the pass is through again.
	_, err = a.Gathering.Upload(t.Context(), "c", "more.md", "", []byte(strings.ReplaceAll(string(handbook(60)), "buoy", "beacon")))
	require.NoError(t, err)
	job := encodeJob(t, a)
	assert.Equal(t, "done", ended(t, a, "c", job.ID).State)
	assert.Equal(t, "encoder", meaning(t, a))

	// What was read once is remembered: after a new cut that leaves the chunks as they are nothing falls back.
	m, err := a.Indexing.Method(t.Context(), "c")
	require.NoError(t, err)
	m.Chunk.Size++
	j, err := a.Indexing.SaveMethod(t.Context(), "c", m)
	require.NoError(t, err)
	require.Equal(t, "done", ended(t, a, "c", j.ID).State)
	assert.Equal(t, "encoder", meaning(t, a))
	idle(t, a, "c")

	// The method can do without it.
	m.Embed.Grade = "words"
	j, err = a.Indexing.SaveMethod(t.Context(), "c", m)
	require.NoError(t, err)
	require.Equal(t, "done", ended(t, a, "c", j.ID).State)
	assert.Equal(t, "words", meaning(t, a))
	require.NoError(t, a.Close())
}

func TestMergedSegmentsKeepTheirVectors(t *testing.T) {
	a := fresh(t)
	_, err := a.CreateCorpus(t.Context(), "c")
	require.NoError(t, err)
	for i := range 12 { // more than the segments that stay unmerged
		_, err := a.Gathering.Upload(t.Context(), "c", fmt.Sprintf("p%d.md", i), "", fmt.Appendf(nil, "# Page %d\n\nBerth %d lies at the far end of the pier.\n", i, i))
		require.NoError(t, err)
	}
	idle(t, a, "c")
	assert.Equal(t, "encoder", meaning(t, a))
	r, err := a.Asking.Find(t.Context(), public, "c", query.Question{Text: "berth 7"}, asking.Variant{})
	require.NoError(t, err)
	assert.Contains(t, r.Evidence[0].Text, "Berth 7")
	for _, e := range r.Evidence {
		assert.Greater(t, e.Cosine, 0.1, "every chunk has its vector")
	}
}

// After its pass was cancelled, what the encoder has not read is told, and can be read when somebody says so.
func TestTheEncoderGoesOnAfterACancel(t *testing.T) {
	a := fresh(t)
	_, err := a.CreateCorpus(t.Context(), "c")
	require.NoError(t, err)
	_, err = a.Gathering.Upload(t.Context(), "c", "handbook.md", "", handbook(120))
	require.NoError(t, err)
	j := encodeJob(t, a)
	require.NoError(t, a.Jobs.Cancel(t.Context(), "c", j.ID))
	require.Equal(t, "cancelled", ended(t, a, "c", j.ID).State)
	c, err := a.Corpus(t.Context(), "c")
	require.NoError(t, err)
	assert.Equal(t, c.Chunks, c.Unread)
	_, err = a.Proving.Sets.PutQuestions(t.Context(), "c", "s", []questions.Question{{ID: "berth", Text: "berth 7", Expect: []questions.Expectation{says("Berth 7")}}})
	require.NoError(t, err)
	run, _ := ran(t, a, "s")
	assert.Equal(t, c.Chunks, run.Unread, "a run says that it was made before all was read")
	require.NoError(t, a.Indexing.ReadBehind(t.Context(), "c"))
	idle(t, a, "c")
	c, err = a.Corpus(t.Context(), "c")
	require.NoError(t, err)
	assert.Zero(t, c.Unread)
	assert.Zero(t, c.Sentences)
	assert.Equal(t, "encoder", c.Meaning)
}
