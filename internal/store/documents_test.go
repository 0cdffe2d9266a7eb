package store

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"jolvex/core/check"
	"jolvex/core/doc"
	"jolvex/core/index"
)

// came stores what came of fetching a page of that text.
func came(t *testing.T, s *Store, src Source, key, text string) Document {
	t.Helper()
	_, err := s.AddAddresses(t.Context(), src, 0, 100, []Address{{Key: key, Address: "http://example.org/" + key}})
	require.NoError(t, err)
	d, err := s.DocumentAt(t.Context(), src.ID, key)
	require.NoError(t, err)
	_, err = s.Finish(t.Context(), d, src, Outcome{State: Fetched, Hash: "hash of " + text, Content: page(text), Title: "Page " + key, Words: 3})
	require.NoError(t, err)
	d, err = s.Document(t.Context(), d.ID)
	require.NoError(t, err)
	return d
}

// ids are those of some documents.
func ids(ds []Document) []string {
	out := []string{}
	for _, d := range ds {
		out = append(out, d.ID)
	}
	return out
}

func TestADocumentHasAHistory(t *testing.T) {
	s := open(t)
	_, src := site(t, s)
	d := came(t, s, src, "a", "one")
	again := came(t, s, src, "a", "two")
	assert.Equal(t, d.ID, again.ID, "it keeps its identity")
	past, err := s.History(t.Context(), d.ID)
	require.NoError(t, err)
	require.Len(t, past, 2)
	assert.Equal(t, "hash of two", past[0].Version, "the newest first")
	for _, p := range past {
		body, err := s.Version(t.Context(), p.Version)
		require.NoError(t, err)
		assert.NotEmpty(t, body.Text)
	}
	stands, err := s.Stands(t.Context(), d.Corpus, d.Address)
	require.NoError(t, err)
	assert.True(t, stands)
	require.NoError(t, s.DeleteDocument(t.Context(), d.ID))
	_, err = s.Document(t.Context(), d.ID)
	assert.ErrorIs(t, err, ErrMissing)
	stands, err = s.Stands(t.Context(), d.Corpus, d.Address)
	require.NoError(t, err)
	assert.False(t, stands)
}

func TestAVersionNeedsNoDocument(t *testing.T) {
	s := open(t)
	require.NoError(t, s.KeepVersion(t.Context(), "h", page("tried")))
	require.NoError(t, s.KeepVersion(t.Context(), "h", page("something else")))
	d, err := s.Version(t.Context(), "h")
	require.NoError(t, err)
	assert.Equal(t, "tried", d.Text, "a version never changes")
	_, err = s.Version(t.Context(), "none")
	assert.ErrorIs(t, err, ErrMissing)
}

func TestWhatCameChangedAndWentSince(t *testing.T) {
	s := open(t)
	c, src := site(t, s)
	stays, changes, goes := came(t, s, src, "stays", "one"), came(t, s, src, "changes", "two"), came(t, s, src, "goes", "three")
	since := Stamp(s.now())
	fresh := came(t, s, src, "fresh", "four")
	came(t, s, src, "changes", "two and a half")
	require.NoError(t, s.LeaveOut(t.Context(), []string{goes.ID}, "left out by hand"))
	got, err := s.ChangesSince(t.Context(), c.ID, since)
	require.NoError(t, err)
	assert.Equal(t, []string{fresh.ID}, ids(got.Added))
	require.Len(t, got.Changed, 1)
	assert.Equal(t, changes.ID, got.Changed[0].ID)
	assert.Equal(t, "hash of two", got.Changed[0].Before)
	assert.Equal(t, []string{goes.ID}, ids(got.Gone))
	assert.NotContains(t, append(ids(got.Added), ids(got.Gone)...), stays.ID)
}

func TestLeavingOutAndTakingBack(t *testing.T) {
	s := open(t)
	c, src := site(t, s)
	d := came(t, s, src, "a", "one")
	_, err := s.AddAddresses(t.Context(), src, 0, 100, []Address{{Key: "never", Address: "http://example.org/never"}})
	require.NoError(t, err)
	never, err := s.DocumentAt(t.Context(), src.ID, "never")
	require.NoError(t, err)
	both := []string{d.ID, never.ID}
	require.NoError(t, s.LeaveOut(t.Context(), both, "left out by hand"))
	out, err := s.Indexable(t.Context(), c.ID, []string{Fetched, Indexed}, "", 10)
	require.NoError(t, err)
	assert.Empty(t, out)
	gone, err := s.Departed(t.Context(), c.ID)
	require.NoError(t, err)
	assert.Equal(t, []string{d.ID}, gone, "what was never there has not gone")
	due, total, err := s.Due(t.Context(), src.ID)
	require.NoError(t, err)
	assert.Zero(t, due, "what is left out is not visited")
	assert.LessOrEqual(t, due, total)

	require.NoError(t, s.TakeBack(t.Context(), both))
	back, err := s.Document(t.Context(), d.ID)
	require.NoError(t, err)
	assert.Equal(t, []string{Fetched, Taken, ""}, []string{back.State, back.Choice, back.Reason}, "it is indexed without fetching")
	back, err = s.Document(t.Context(), never.ID)
	require.NoError(t, err)
	assert.Equal(t, Waiting, back.State)
	require.NoError(t, s.LeaveOut(t.Context(), nil, "nothing"))
}

func TestChoosingAmongPages(t *testing.T) {
	s := open(t)
	_, src := site(t, s)
	a, b := came(t, s, src, "a", "one"), came(t, s, src, "b", "two")
	in, out, err := s.Choose(t.Context(), src.ID, []string{a.ID})
	require.NoError(t, err)
	assert.Equal(t, []int{1, 1}, []int{in, out})
	pages, err := s.Pages(t.Context(), src.ID)
	require.NoError(t, err)
	require.Equal(t, []string{a.ID, b.ID}, ids(pages), "by address")
	assert.Equal(t, "not chosen", pages[1].Reason)
	in, out, err = s.Choose(t.Context(), src.ID, []string{b.ID, "no such page"})
	require.NoError(t, err)
	assert.Equal(t, []int{1, 1}, []int{in, out}, "the later choice holds")
	pages, err = s.Pages(t.Context(), src.ID)
	require.NoError(t, err)
	assert.Equal(t, LeftOut, pages[0].State)
	assert.Equal(t, Fetched, pages[1].State)
	got, err := s.Source(t.Context(), src.ID)
	require.NoError(t, err)
	assert.True(t, got.Chosen)
}

func TestARevisitPutsEverythingIntoTheFrontierAgain(t *testing.T) {
	s := open(t)
	_, src := site(t, s)
	d := came(t, s, src, "a", "one")
	require.NoError(t, s.Publish(t.Context(), d.Corpus, "m", index.Manifest{}, map[string]string{d.ID: d.Version}))
	require.NoError(t, s.Visited(t.Context(), src.ID, []string{"two feeds could not be read"}))
	require.NoError(t, s.Visited(t.Context(), src.ID, []string{"two feeds could not be read", "the cap was reached"}))
	got, err := s.Source(t.Context(), src.ID)
	require.NoError(t, err)
	assert.JSONEq(t, `["two feeds could not be read", "the cap was reached"]`, got.Notices, "each is said once")
	assert.NotEmpty(t, got.VisitedAt)
	due, _, err := s.Due(t.Context(), src.ID)
	require.NoError(t, err)
	require.Zero(t, due)

	require.NoError(t, s.Revisit(t.Context(), src.ID))
	due, _, err = s.Due(t.Context(), src.ID)
	require.NoError(t, err)
	assert.Equal(t, 1, due)
	now, err := s.Document(t.Context(), d.ID)
	require.NoError(t, err)
	assert.Equal(t, Indexed, now.State, "until it was visited it stays as it is")
	got, err = s.Source(t.Context(), src.ID)
	require.NoError(t, err)
	assert.JSONEq(t, `[]`, got.Notices)
}

func TestMarksOfASourceAndOfADocument(t *testing.T) {
	s := open(t)
	c, src := site(t, s)
	d, own := came(t, s, src, "a", "one"), came(t, s, src, "b", "two")
	require.NoError(t, s.Publish(t.Context(), c.ID, "m", index.Manifest{}, map[string]string{d.ID: d.Version, own.ID: own.Version}))
	volatile := "volatile"
	require.NoError(t, s.MarkDocument(t.Context(), own.ID, index.Public, &volatile))
	got, err := s.Document(t.Context(), own.ID)
	require.NoError(t, err)
	assert.Equal(t, []string{Fetched, index.Public, "volatile"}, []string{got.State, got.Audience, got.Marks}, "it is to be indexed anew")

	src.Audience, src.Marks, src.Name = index.Staff, "unquotable", "Handbook"
	require.NoError(t, s.SaveSource(t.Context(), src))
	got, err = s.Document(t.Context(), d.ID)
	require.NoError(t, err)
	assert.Equal(t, []string{Fetched, index.Staff, "unquotable"}, []string{got.State, got.Audience, got.Marks})
	got, err = s.Document(t.Context(), own.ID)
	require.NoError(t, err)
	assert.Equal(t, []string{index.Public, "volatile"}, []string{got.Audience, got.Marks}, "its own go before its source's")
	list, err := s.SourcesOf(t.Context(), KindSite)
	require.NoError(t, err)
	require.Len(t, list, 1)
	assert.Equal(t, "Handbook", list[0].Name)
	require.NoError(t, s.DeleteSource(t.Context(), src.ID))
	_, err = s.Document(t.Context(), d.ID)
	assert.ErrorIs(t, err, ErrMissing, "a source takes its documents with it")
}

func TestSchedulesAreDueOnce(t *testing.T) {
	s := open(t)
	_, src := site(t, s)
	src.Schedule, src.NextAt = "hour", Stamp(s.now().Add(-time.Second))
	require.NoError(t, s.SaveSource(t.Context(), src))
	next := func(Source) string { return Stamp(s.now().Add(time.Hour)) }
	due, err := s.DueSources(t.Context(), next)
	require.NoError(t, err)
	require.Len(t, due, 1)
	due, err = s.DueSources(t.Context(), next)
	require.NoError(t, err)
	assert.Empty(t, due)
}

func TestTheFileOfADocumentIsKept(t *testing.T) {
	s := open(t)
	c, _ := site(t, s)
	src, err := s.AddSource(t.Context(), c.ID, KindUpload, "files", index.Public, SourceSettings{})
	require.NoError(t, err)
	d, err := s.Upload(t.Context(), src, "a.md", "a.md", Outcome{State: Fetched, Hash: "h", Content: page("x")}, &Original{MediaType: "text/markdown", Body: []byte("# x")})
	require.NoError(t, err)
	has, err := s.HasOriginal(t.Context(), d.ID)
	require.NoError(t, err)
	assert.True(t, has)
	o, err := s.Original(t.Context(), d.ID)
	require.NoError(t, err)
	assert.Equal(t, Original{"text/markdown", []byte("# x")}, o)
	require.NoError(t, s.Restamp(t.Context(), d.ID, "stamp", "reader-2"))
	d, err = s.Document(t.Context(), d.ID)
	require.NoError(t, err)
	assert.Equal(t, []string{"stamp", "reader-2"}, []string{d.ETag, d.ReadBy})
	_, err = s.Original(t.Context(), "nothing")
	assert.ErrorIs(t, err, ErrMissing)
}

func TestFindingsThatWereDismissedStaySo(t *testing.T) {
	s := open(t)
	c, src := site(t, s)
	d, other := came(t, s, src, "a", "one"), came(t, s, src, "b", "two")
	found := check.Finding{Kind: check.PersonalData, Severity: check.Low, At: check.Passage{Document: d.ID, Span: doc.Span{Start: 1, End: 4}, Text: "01632 960123"}, Detail: "a telephone number"}
	grave := check.Finding{Kind: check.Contradiction, Severity: check.High, At: check.Passage{Document: d.ID, Text: "£4"}, Other: &check.Passage{Document: other.ID, Text: "£5"}, Detail: "two prices"}
	lost := check.Finding{Kind: check.NearEmpty, At: check.Passage{Document: "removed meanwhile"}}
	versions := map[string]string{d.ID: d.Version}
	require.NoError(t, s.ReplaceFindings(t.Context(), c.ID, []check.Finding{found, grave, lost}, versions))
	list, err := s.Findings(t.Context(), c.ID, "")
	require.NoError(t, err)
	require.Len(t, list, 2)
	assert.Equal(t, "two prices", list[0].Detail, "the gravest first")
	assert.Equal(t, other.Address, list[0].OtherAddress)
	assert.Equal(t, doc.Span{Start: 1, End: 4}, list[1].Span())
	of, err := s.Findings(t.Context(), c.ID, other.ID)
	require.NoError(t, err)
	assert.Len(t, of, 1, "it is about the other one, too")

	require.NoError(t, s.DismissFinding(t.Context(), c.ID, []string{list[0].ID}, true))
	require.NoError(t, s.DismissFinding(t.Context(), c.ID, nil, true))
	require.NoError(t, s.ReplaceFindings(t.Context(), c.ID, []check.Finding{grave, found}, versions))
	again, err := s.Findings(t.Context(), c.ID, "")
	require.NoError(t, err)
	require.Len(t, again, 2)
	assert.True(t, again[1].Dismissed)
	assert.Equal(t, list[0].FoundAt, again[1].FoundAt, "it is no new finding")
	counts, err := s.FindingCounts(t.Context(), c.ID)
	require.NoError(t, err)
	assert.Equal(t, map[int]int{int(check.Low): 1}, counts)
}
