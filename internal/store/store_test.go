package store

import (
	"context"
	"errors"
	"fmt"
	"path/filepath"
	"sync"
	"testing"
	"time"

	"github.com/jmoiron/sqlx"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"jolvex/core/answer"
	"jolvex/core/doc"
	"jolvex/core/index"
	"jolvex/core/method"
	"jolvex/core/prove"
	"jolvex/core/questions"
)

// clock is a settable time.
type clock struct {
	mu sync.Mutex
	at time.Time
}

func (c *clock) now() time.Time {
	c.mu.Lock()
	defer c.mu.Unlock()
	c.at = c.at.Add(time.Millisecond)
	return c.at
}

func open(t *testing.T) *Store {
	t.Helper()
	c := &clock{at: time.Date(2026, 3, 1, 12, 0, 0, 0, time.UTC)}
	s, err := Open(t.Context(), filepath.Join(t.TempDir(), "test.db"), c.now)
	require.NoError(t, err)
	t.Cleanup(func() { assert.NoError(t, s.Close()) })
	return s
}

func site(t *testing.T, s *Store) (Corpus, Source) {
	t.Helper()
	c, err := s.CreateCorpus(t.Context(), "ferries")
	require.NoError(t, err)
	src, err := s.AddSource(t.Context(), c.ID, "site", "http://example.org/", index.Public, SourceSettings{PageCap: 7})
	require.NoError(t, err)
	return c, src
}

func page(text string) *doc.Document {
	var b doc.Builder
	b.Doc().Title = "Page"
	b.Add(doc.Block{Kind: doc.Paragraph}, text)
	return b.Document()
}

func TestCorpora(t *testing.T) {
	s := open(t)
	c, err := s.CreateCorpus(t.Context(), "ferries")
	require.NoError(t, err)
	_, err = s.CreateCorpus(t.Context(), "ferries")
	assert.ErrorIs(t, err, ErrTaken)
	byName, err := s.Corpus(t.Context(), "ferries")
	require.NoError(t, err)
	byID, err := s.Corpus(t.Context(), c.ID)
	require.NoError(t, err)
	assert.Equal(t, byName, byID)
	_, err = s.Corpus(t.Context(), "buses")
	assert.ErrorIs(t, err, ErrMissing)
	c.Method.Chunk.Size = 200
	require.NoError(t, s.SaveMethod(t.Context(), c.ID, c.Method, "smaller chunks", nil))
	again, err := s.Corpus(t.Context(), c.ID)
	require.NoError(t, err)
	assert.Equal(t, []string{"chunk.size"}, method.Difference(method.Default(), again.Method))
}

func TestSettingsThatCameLaterTakeTheirDefaults(t *testing.T) {
	s := open(t)
	c, err := s.CreateCorpus(t.Context(), "old")
	require.NoError(t, err)
	require.NoError(t, s.Write(t.Context(), "age", func(tx *sqlx.Tx) error {
		_, err := tx.ExecContext(t.Context(), `UPDATE corpora SET method = '{"chunk":{"size":111}}' WHERE id = ?`, c.ID)
		return err
	}))
	again, err := s.Corpus(t.Context(), c.ID)
	require.NoError(t, err)
	assert.Equal(t, 111, again.Method.Chunk.Size)
	assert.Equal(t, method.Default().Find, again.Method.Find)
}

func TestAPageIsTakenInOnce(t *testing.T) {
	s := open(t)
	_, src := site(t, s)
	ctx := t.Context()
	n, err := s.AddAddresses(ctx, src, 0, 3, []Address{{Key: "a", Address: "http://example.org/a", FoundOn: ""}, {Key: "b", Address: "http://example.org/b", FoundOn: ""}, {Key: "a", Address: "http://example.org/a", FoundOn: ""}})
	require.NoError(t, err)
	assert.Equal(t, 2, n)
	n, err = s.AddAddresses(ctx, src, 1, 3, []Address{{Key: "b", Address: "", FoundOn: ""}, {Key: "c", Address: "http://example.org/c", FoundOn: ""}, {Key: "d", Address: "http://example.org/d", FoundOn: ""}})
	require.NoError(t, err)
	assert.Equal(t, 1, n, "the cap of three holds")
	waiting, err := s.Waiting(ctx, src.ID, 10)
	require.NoError(t, err)
	require.Len(t, waiting, 3)

	// The page, its version and what was found on it go in together.
	o, err := s.Finish(ctx, waiting[0], src, Outcome{State: Fetched, Title: "A", Hash: "h1", Content: page("text"), Found: []Address{{Key: "e", Address: "http://example.org/e", FoundOn: "a"}}, Cap: 10})
	require.NoError(t, err)
	assert.Equal(t, Fetched, o.State)
	d, err := s.Version(ctx, "h1")
	require.NoError(t, err)
	assert.Equal(t, "text", d.Text)

	o, err = s.Finish(ctx, waiting[1], src, Outcome{State: Fetched, Hash: "h1", Content: page("text"), Cap: 10})
	require.NoError(t, err)
	assert.Equal(t, LeftOut, o.State)
	assert.Contains(t, o.Reason, "same text as http://example.org/a")

	o, err = s.Finish(ctx, waiting[2], src, Outcome{State: Fetched, Hash: "h2", Content: page("other"), Key: "a", Address: "http://example.org/a", Cap: 10})
	require.NoError(t, err)
	assert.Equal(t, LeftOut, o.State, "a redirect to a page that is here already is no second page")
	_, err = s.Version(ctx, "h2")
	assert.ErrorIs(t, err, ErrMissing)

	counts, err := s.CountStates(ctx, src.Corpus, src.ID)
	require.NoError(t, err)
	assert.Equal(t, map[string]int{Fetched: 1, LeftOut: 2, Waiting: 1}, counts)
}

func TestRetryTakesOnlyWhatFailed(t *testing.T) {
	s := open(t)
	c, src := site(t, s)
	ctx := t.Context()
	_, err := s.AddAddresses(ctx, src, 0, 9, []Address{{Key: "a", Address: "a", FoundOn: ""}, {Key: "b", Address: "b", FoundOn: ""}, {Key: "c", Address: "c", FoundOn: ""}})
	require.NoError(t, err)
	ds, err := s.Waiting(ctx, src.ID, 9)
	require.NoError(t, err)
	for i, o := range []Outcome{{State: Failed, Reason: "404: not found"}, {State: LeftOut, Reason: "blocked by robots.txt"}, {State: Fetched, Hash: "h", Content: page("x")}} {
		_, err := s.Finish(ctx, ds[i], src, o)
		require.NoError(t, err)
	}
	sources, n, err := s.Retry(ctx, c.ID, nil)
	require.NoError(t, err)
	assert.Equal(t, 1, n)
	assert.Equal(t, []string{src.ID}, sources)
	_, n, err = s.Retry(ctx, c.ID, []string{ds[1].ID, ds[2].ID})
	require.NoError(t, err)
	assert.Equal(t, 1, n, "a page left out can be tried again by name, one that is in cannot")
}

func TestUploadKeepsIdentity(t *testing.T) {
	s := open(t)
	c, err := s.CreateCorpus(t.Context(), "x")
	require.NoError(t, err)
	src, err := s.AddSource(t.Context(), c.ID, "upload", "files", index.Public, SourceSettings{})
	require.NoError(t, err)
	first, err := s.Upload(t.Context(), src, "a.md", "a.md", Outcome{State: Fetched, Hash: "1", Content: page("one")}, nil)
	require.NoError(t, err)
	second, err := s.Upload(t.Context(), src, "a.md", "a.md", Outcome{State: Fetched, Hash: "2", Content: page("two")}, nil)
	require.NoError(t, err)
	assert.Equal(t, first.ID, second.ID)
	assert.Equal(t, "2", second.Version)
	old, err := s.Version(t.Context(), "1")
	require.NoError(t, err)
	assert.Equal(t, "one", old.Text, "the version before stays")
}

func TestPublishMarksOnlyTheVersionsItBroughtIn(t *testing.T) {
	s := open(t)
	c, src := site(t, s)
	ctx := t.Context()
	d, err := s.Upload(ctx, src, "a", "a", Outcome{State: Fetched, Hash: "1", Content: page("one")}, nil)
	require.NoError(t, err)
	_, err = s.Upload(ctx, src, "a", "a", Outcome{State: Fetched, Hash: "2", Content: page("two")}, nil)
	require.NoError(t, err)
	require.NoError(t, s.Publish(ctx, c.ID, "m1", index.Manifest{VectorSet: "v"}, map[string]string{d.ID: "1"}))
	now, err := s.Document(ctx, d.ID)
	require.NoError(t, err)
	assert.Equal(t, Fetched, now.State, "version 2 came while version 1 was indexed")
	require.NoError(t, s.Publish(ctx, c.ID, "m2", index.Manifest{VectorSet: "v"}, map[string]string{d.ID: "2"}))
	now, err = s.Document(ctx, d.ID)
	require.NoError(t, err)
	assert.Equal(t, Indexed, now.State)
	name, m, err := s.Manifest(ctx, c.ID)
	require.NoError(t, err)
	assert.Equal(t, "m2", name)
	assert.Equal(t, "v", m.VectorSet)
}

func TestJobsGoOneAtATimeForEachCorpusAndSurviveTheirOwner(t *testing.T) {
	s := open(t)
	ctx := t.Context()
	c, _ := site(t, s)
	a, err := s.AddJob(ctx, c.ID, "gather", "x")
	require.NoError(t, err)
	same, err := s.AddJob(ctx, c.ID, "gather", "x")
	require.NoError(t, err)
	assert.Equal(t, a.ID, same.ID, "what waits already is not queued twice")
	b, err := s.AddJob(ctx, c.ID, "run", "y")
	require.NoError(t, err)
	first, err := s.TakeJob(ctx, time.Minute)
	require.NoError(t, err)
	assert.Equal(t, a.ID, first.ID)
	_, err = s.TakeJob(ctx, time.Minute)
	assert.ErrorIs(t, err, ErrMissing, "its corpus is busy")
	require.NoError(t, s.Progress(ctx, a.ID, 3, 10, "fetching", time.Minute))

	require.NoError(t, s.Requeue(ctx)) // the owner was killed and starts again
	again, err := s.TakeJob(ctx, time.Minute)
	require.NoError(t, err)
	assert.Equal(t, a.ID, again.ID)
	assert.Equal(t, 3, again.Done)
	assert.Equal(t, 2, again.Attempts)
	require.NoError(t, s.EndJob(ctx, a.ID, Done, ""))
	next, err := s.TakeJob(ctx, time.Minute)
	require.NoError(t, err)
	assert.Equal(t, b.ID, next.ID)
	list, err := s.Jobs(ctx, c.ID, 9)
	require.NoError(t, err)
	assert.Len(t, list, 2)
}

func TestEventsAreNumberedAndReplayed(t *testing.T) {
	s := open(t)
	for i := range 5 {
		_, err := s.AddEvents(t.Context(), []Event{{Corpus: "c", Kind: "k", Body: []byte(fmt.Sprint(i))}})
		require.NoError(t, err)
	}
	all, err := s.EventsAfter(t.Context(), 0, 100)
	require.NoError(t, err)
	require.Len(t, all, 5)
	rest, err := s.EventsAfter(t.Context(), all[2].Seq, 100)
	require.NoError(t, err)
	assert.Equal(t, all[3:], rest)
	last, err := s.LastEvent(t.Context())
	require.NoError(t, err)
	assert.Equal(t, all[4].Seq, last)
}

func TestRunsAndReplies(t *testing.T) {
	s := open(t)
	ctx := t.Context()
	c, _ := site(t, s)
	qs := []questions.Question{{ID: "1", Text: "one?", Expect: []questions.Expectation{{Kind: questions.Refuses}}}, {ID: "2", Text: "two?", Expect: []questions.Expectation{{Kind: questions.Mentions, Values: []string{"x"}}}}}
	set, err := s.PutQuestions(ctx, c.ID, "set", qs, "")
	require.NoError(t, err)
	changed, err := s.PutQuestions(ctx, c.ID, "set", qs[:1], "")
	require.NoError(t, err)
	assert.Equal(t, set.ID, changed.ID)
	assert.NotEqual(t, set.Version, changed.Version)
	back, err := s.Questions(ctx, set.ID)
	require.NoError(t, err)
	assert.Equal(t, qs[:1], back)

	r, err := s.CreateRun(ctx, set, qs, c.Method, Order{Cap: Cap{Tokens: 5, Price: 0.5}})
	require.NoError(t, err)
	trail := &answer.Trail{Question: "one?", Outcome: answer.Refused, Candidates: []answer.Candidate{{Document: "d", Version: "v", Kept: true}}}
	require.NoError(t, s.AddResults(ctx, r.ID, []Result{{Position: 0, Question: "1", Verdict: prove.Verdict{Passed: true}, Trail: trail, Millis: 2}, {Position: 1, Question: "2", Failed: "no answer"}}))
	require.NoError(t, s.AddResults(ctx, r.ID, []Result{{Position: 0, Question: "1", Verdict: prove.Verdict{Passed: true}, Trail: trail, Millis: 3}}), "a step that runs twice leaves one result")
	rs, err := s.Results(ctx, r.ID, true)
	require.NoError(t, err)
	require.Len(t, rs, 2)
	assert.Equal(t, trail, rs[0].Trail)
	assert.Equal(t, "no answer", rs[1].Failed)
	require.NoError(t, s.EndRun(ctx, r.ID, prove.Summary{Questions: 2}))
	ended, err := s.Run(ctx, r.ID)
	require.NoError(t, err)
	assert.Equal(t, 2, ended.Summary.Questions)
	assert.Equal(t, qs, ended.Questions, "the run keeps the questions as they were")

	const id = "reply"
	require.NoError(t, s.AddReply(ctx, c.ID, id, trail, alone))
	kept, err := s.Reply(ctx, c.ID, id)
	require.NoError(t, err)
	assert.Equal(t, trail, kept)
	_, err = s.Reply(ctx, "another corpus", id)
	assert.ErrorIs(t, err, ErrMissing)
}

// Readers must not wait for a writer that takes its time.
func TestReadersDoNotWaitForTheWriter(t *testing.T) {
	s := open(t)
	c, _ := site(t, s)
	writing, release := make(chan struct{}), make(chan struct{})
	done := make(chan error, 1)
	go func() {
		done <- s.Write(context.WithoutCancel(t.Context()), "slow", func(tx *sqlx.Tx) error {
			_, err := tx.Exec(`UPDATE corpora SET name = 'renamed'`)
			close(writing)
			<-release
			return err
		})
	}()
	<-writing
	got, err := s.Corpus(t.Context(), c.ID)
	require.NoError(t, err)
	assert.Equal(t, "ferries", got.Name, "what is not committed is not seen")
	close(release)
	require.NoError(t, <-done)
	got, err = s.Corpus(t.Context(), c.ID)
	require.NoError(t, err)
	assert.Equal(t, "renamed", got.Name)
}

func TestAFailedWriteLeavesNothing(t *testing.T) {
	s := open(t)
	broken := errors.New("broken")
	err := s.Write(t.Context(), "half", func(tx *sqlx.Tx) error {
		if _, err := tx.Exec(`INSERT INTO corpora (id, name, method, created_at) VALUES ('1', 'half', '{}', '')`); err != nil {
			return err
		}
		return broken
	})
	assert.ErrorIs(t, err, broken)
	all, err := s.Corpora(t.Context())
	require.NoError(t, err)
	assert.Empty(t, all)
}

func TestFiltersTakeTheirTextLiterally(t *testing.T) {
	s := open(t)
	c, src := site(t, s)
	for _, a := range []string{"100%_free", "100 free", "percent"} {
		_, err := s.Upload(t.Context(), src, a, a, Outcome{State: Fetched, Hash: a, Content: page(a)}, nil)
		require.NoError(t, err)
	}
	ds, total, err := s.Documents(t.Context(), c.ID, Filter{Text: "%_", Limit: 10})
	require.NoError(t, err)
	assert.Equal(t, 1, total)
	require.Len(t, ds, 1)
	assert.Equal(t, "100%_free", ds[0].Address)
}

// Writes that share a transaction do not share their fate, and each is there when it returns.
func TestWritesTogetherStandAndFailAlone(t *testing.T) {
	s := open(t)
	var wg sync.WaitGroup
	errs := make([]error, 200)
	for i := range errs {
		wg.Add(1)
		go func() {
			defer wg.Done()
			errs[i] = s.Write(t.Context(), "try", func(tx *sqlx.Tx) error {
				if _, err := tx.Exec(`INSERT INTO corpora (id, name, method, created_at) VALUES (?, ?, '{}', '')`, fmt.Sprint(i), fmt.Sprint(i/2*2)); err != nil {
					return err
				}
				if i%10 == 0 {
					return errors.New("no")
				}
				if i%10 == 2 {
					panic("no")
				}
				return nil
			})
			if errs[i] == nil {
				var n int
				assert.NoError(t, s.r.Get(&n, `SELECT count(*) FROM corpora WHERE id = ?`, fmt.Sprint(i)))
				assert.Equal(t, 1, n)
			}
		}()
	}
	wg.Wait()
	good := 0
	for i, err := range errs {
		if err == nil {
			good++
			assert.NotContains(t, []int{0, 2}, i%10)
		}
	}
	var rows int
	require.NoError(t, s.r.Get(&rows, `SELECT count(*) FROM corpora`))
	assert.Equal(t, good, rows, "names are unique: of each pair one stands")
	assert.Equal(t, 100, rows)
	gone, cancel := context.WithCancel(t.Context())
	cancel()
	assert.ErrorIs(t, s.Write(gone, "late", func(*sqlx.Tx) error { return nil }), context.Canceled)
}
