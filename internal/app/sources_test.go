package app_test

import (
	"archive/zip"
	"bytes"
	"fmt"
	"net/http"
	"net/http/httptest"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"jolvex/core/extract"
	"jolvex/core/index"
	"jolvex/core/query"
	"jolvex/internal/app"
	"jolvex/internal/asking"
	"jolvex/internal/connections"
	"jolvex/internal/fault"
	web "jolvex/internal/gather"
	"jolvex/internal/gathering"
	"jolvex/internal/indexing"
	"jolvex/internal/job"
	"jolvex/internal/sim"
	"jolvex/internal/store"
)

// serving serves pages from a map that tests change, and counts what it sends whole.
func serving(t *testing.T, pages map[string]string) (*changing, string) {
	t.Helper()
	c := &changing{tags: true, pages: pages, whole: map[string]int{}}
	srv := httptest.NewServer(c)
	t.Cleanup(srv.Close)
	return c, srv.URL
}

func words(s string) string {
	return "<h1>" + s + "</h1><p>" + strings.Repeat("The "+s+" of the harbour is told of here at some length. ", 4) + "</p>"
}

func states(t *testing.T, a *app.App) map[string]string {
	t.Helper()
	ds, _, err := a.Indexing.Documents(t.Context(), "c", store.Filter{Limit: 1000})
	require.NoError(t, err)
	out := map[string]string{}
	for _, d := range ds {
		at := d.Address
		if i := strings.Index(at, "://"); i >= 0 {
			at = at[i+3:]
			at = at[strings.IndexByte(at, '/'):]
		}
		out[at] = d.State
	}
	return out
}

func done(t *testing.T, a *app.App, j job.Job) {
	t.Helper()
	e := ended(t, a, "c", j.ID)
	require.Equal(t, "done", e.State, e.Error)
}

func TestPagesAreChosenBeforeAnythingIsIndexed(t *testing.T) {
	site, at := serving(t, map[string]string{
		"/":             words("pier") + `<a href=/travel/dogs>a</a><a href=/travel/cars>b</a><a href=/basket>c</a><a href=/news/one>d</a>`,
		"/travel/dogs":  words("dog"),
		"/travel/cars":  words("car"),
		"/basket":       "<p>Your basket is empty.</p>",
		"/news/one":     words("ramp"),
		"/travel/later": words("kayak"),
	})
	a := fresh(t)
	create(t, a, "c")
	s, j, err := a.Gathering.AddSource(t.Context(), "c", gathering.NewSource{Kind: store.KindSite, Address: at, Settings: store.SourceSettings{AllowPrivate: true, Choose: true}})
	require.NoError(t, err)
	done(t, a, j)
	assert.Equal(t, map[string]string{"/": "found", "/travel/dogs": "found", "/travel/cars": "found", "/basket": "found", "/news/one": "found"}, states(t, a))
	c, err := a.Corpus(t.Context(), "c")
	require.NoError(t, err)
	assert.Equal(t, 5, c.Found)
	assert.Zero(t, c.Chunks, "nothing is indexed before the choice")

	list, err := a.Gathering.Pages(t.Context(), "c", s.ID, []string{"/travel/*"}, []string{"/travel/cars$"})
	require.NoError(t, err)
	assert.Equal(t, []int{1, 1}, []int{list.Include, list.Exclude})
	taken := []string{}
	clutter := map[string]string{}
	for _, p := range list.Pages {
		clutter[strings.TrimPrefix(p.Address, at)] = strings.Join(p.Clutter, ",")
		if strings.Contains(p.Address, "/travel/") || p.Address == at+"/" {
			taken = append(taken, p.ID)
		}
	}
	assert.Equal(t, "basket,near-empty", clutter["/basket"])
	assert.Empty(t, clutter["/travel/dogs"])
	site.change(func() {})
	chosen, err := a.Gathering.Choose(t.Context(), "c", s.ID, gathering.Choice{Taken: taken, Exclude: []string{"/travel/secret*"}})
	require.NoError(t, err)
	done(t, a, chosen.Job)
	assert.Equal(t, map[string]string{"/": "indexed", "/travel/dogs": "indexed", "/travel/cars": "indexed", "/basket": "left out", "/news/one": "left out"}, states(t, a))
	assert.Empty(t, site.whole, "what was fetched for the choice is not fetched again")

	// A later visit keeps the choice, and a page that is new waits for a decision.
	site.change(func() {
		site.pages["/"] += `<a href=/travel/later>e</a><a href=/travel/secret-one>f</a>`
		site.pages["/travel/secret-one"] = words("secret")
	})
	j, err = a.Gathering.Visit(t.Context(), "c", s.ID)
	require.NoError(t, err)
	done(t, a, j)
	assert.Equal(t, map[string]string{"/": "indexed", "/travel/dogs": "unchanged", "/travel/cars": "unchanged", "/basket": "left out", "/news/one": "left out", "/travel/later": "found"}, states(t, a))
	assert.Equal(t, map[string]int{"/": 1, "/travel/later": 1}, site.whole, "only what is new or changed comes whole")

	// By rule, what is new goes in by itself, or stays out.
	for rule, want := range map[string]string{"take": "indexed", "leave": "left out"} {
		_, err := a.Gathering.ChangeSource(t.Context(), "c", s.ID, gathering.SourceChange{Settings: &store.SourceSettings{AllowPrivate: true, Choose: true, NewPages: rule}})
		require.NoError(t, err)
		site.change(func() {
			site.pages["/"] += "<a href=/by-" + rule + ">x</a>"
			site.pages["/by-"+rule] = words(rule)
		})
		j, err = a.Gathering.Visit(t.Context(), "c", s.ID)
		require.NoError(t, err)
		done(t, a, j)
		assert.Equal(t, want, states(t, a)["/by-"+rule])
	}
}

func TestSitemapsListsAndFeedsBringWhatTheyName(t *testing.T) {
	site, at := serving(t, map[string]string{"/a": words("anchor") + "<a href=/b>b</a>", "/b": words("buoy"), "/c": words("crane"), "/talk": words("talk")})
	site.pages["/map.txt"] = ""
	a := fresh(t)
	create(t, a, "c")
	add := func(n gathering.NewSource) {
		n.Settings.AllowPrivate = true
		_, j, err := a.Gathering.AddSource(t.Context(), "c", n)
		require.NoError(t, err)
		done(t, a, j)
	}
	add(gathering.NewSource{Kind: store.KindList, Settings: store.SourceSettings{Addresses: []string{at + "/a", at + "/missing"}}})
	assert.Equal(t, map[string]string{"/a": "indexed", "/missing": "failed"}, states(t, a), "links of a list lead nowhere")
	maps := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, q *http.Request) {
		switch q.URL.Path {
		case "/sitemap.txt":
			fmt.Fprintln(w, at+"/b")
		case "/feed.xml":
			fmt.Fprintf(w, `<rss version="2.0"><channel><title>x</title><item><title>Crane</title><link>%s/c</link></item><item><title>A talk</title><link>%s/talk</link><enclosure url="%s/talk.wav" type="audio/wav"/></item></channel></rss>`, at, at, "http://"+q.Host)
		case "/talk.wav":
			_, _ = w.Write(sim.Spoken("The crane lifts two tonnes.\nIt is painted yellow.", 6))
		default:
			http.NotFound(w, q)
		}
	}))
	defer maps.Close()
	add(gathering.NewSource{Kind: store.KindSitemap, Address: maps.URL + "/sitemap.txt"})
	assert.Equal(t, "failed", states(t, a)["/b"], "a private host that only the sitemap names is not reached")
	other := store.SourceSettings{PrivateHosts: []string{web.HostPort(at)}}
	add(gathering.NewSource{Kind: store.KindSitemap, Address: maps.URL + "/sitemap.txt", Settings: other})
	assert.Equal(t, "indexed", states(t, a)["/b"])
	add(gathering.NewSource{Kind: store.KindFeed, Address: maps.URL + "/feed.xml", Settings: other})
	assert.Equal(t, "indexed", states(t, a)["/c"])
	assert.Equal(t, "left out", states(t, a)["/talk.wav"], "nothing turns speech into text yet")

	// With a connection, a recording is heard, and cited at the moment.
	speech := httptest.NewServer(sim.Speech("k1"))
	defer speech.Close()
	key := "k1"
	_, err := a.Connections.ConnectSpeech(t.Context(), connections.ConnectionChange{Base: speech.URL + "/v1", Key: &key})
	require.NoError(t, err)
	raw, err := os.ReadFile(filepath.Join(a.Dir(), "jolvex.db"))
	require.NoError(t, err)
	assert.NotContains(t, string(raw), key+"\x00", "keys are sealed")
	add(gathering.NewSource{Kind: store.KindFeed, Address: maps.URL + "/feed.xml"})
	assert.Equal(t, "indexed", states(t, a)["/talk.wav"])
	r, err := a.Asking.Ask(t.Context(), public, "c", query.Question{Text: "What colour is the crane painted?"})
	require.NoError(t, err)
	assert.Contains(t, r.Reply, "yellow")
	links := []string{}
	for _, c := range r.Cited {
		links = append(links, c.Link)
	}
	assert.Contains(t, links, maps.URL+"/talk.wav#t=3")

	_, j, err := a.Gathering.AddSource(t.Context(), "c", gathering.NewSource{Kind: store.KindSitemap, Address: at + "/map.txt", Settings: store.SourceSettings{AllowPrivate: true}})
	require.NoError(t, err)
	e := ended(t, a, "c", j.ID)
	assert.Equal(t, "failed", e.State)
	assert.Contains(t, e.Error, "names no page")
}

func TestASourceIsVisitedWhenItsScheduleIsDue(t *testing.T) {
	site, at := serving(t, map[string]string{"/": words("pier")})
	a := fresh(t)
	create(t, a, "c")
	s, j, err := a.Gathering.AddSource(t.Context(), "c", gathering.NewSource{Kind: store.KindSite, Address: at, Schedule: "day", Settings: store.SourceSettings{AllowPrivate: true}})
	require.NoError(t, err)
	done(t, a, j)
	next, err := time.Parse(time.RFC3339, s.NextAt)
	require.NoError(t, err)
	assert.InDelta(t, 24, time.Until(next).Hours(), 0.1)
	gathers := func() (out []job.Job) {
		js, err := a.Jobs.Jobs(t.Context(), "c")
		require.NoError(t, err)
		for _, j := range js {
			if j.Kind == job.Gather {
				out = append(out, j)
			}
		}
		return out
	}
	a.Gathering.VisitDue(t.Context())
	require.Len(t, gathers(), 1, "it is not due yet")
	site.change(func() { site.pages["/"] = words("quay") })
	require.NoError(t, a.MakeDue(t.Context(), s.ID))
	a.Gathering.VisitDue(t.Context())
	js := gathers()
	require.Len(t, js, 2)
	done(t, a, js[0])
	r, err := a.Asking.Ask(t.Context(), public, "c", query.Question{Text: "What is told of the quay?"})
	require.NoError(t, err)
	assert.Contains(t, r.Reply, "quay")
	a.Gathering.VisitDue(t.Context())
	assert.Len(t, gathers(), 2, "the next visit is a day away")
	ss, err := a.Gathering.Sources(t.Context(), "c")
	require.NoError(t, err)
	assert.NotEmpty(t, ss[0].VisitedAt)
	hand := "hand"
	v, err := a.Gathering.ChangeSource(t.Context(), "c", s.ID, gathering.SourceChange{Schedule: &hand})
	require.NoError(t, err)
	assert.Empty(t, v.NextAt)
}

func TestChangesAndHistoryAreKept(t *testing.T) {
	site, at := serving(t, map[string]string{"/": words("pier") + "<nav><a href=/fares>f</a><a href=/old>o</a></nav>", "/fares": "<h1>Fares</h1><p>A ticket to the island costs £8.20 for adults.</p>", "/old": words("old")})
	a := fresh(t)
	create(t, a, "c")
	s, j, err := a.Gathering.AddSource(t.Context(), "c", gathering.NewSource{Kind: store.KindSite, Address: at, Settings: store.SourceSettings{AllowPrivate: true}})
	require.NoError(t, err)
	done(t, a, j)
	since := time.Now().Add(time.Millisecond)
	for !time.Now().After(since.Add(2 * time.Millisecond)) {
	}
	site.change(func() {
		site.pages["/fares"] = "<h1>Fares</h1><p>A ticket to the island costs £8.40 for adults.</p>"
		site.pages["/"] = words("pier") + "<nav><a href=/fares>f</a><a href=/old>o</a><a href=/new>n</a></nav>"
		site.pages["/new"] = words("new")
		delete(site.pages, "/old")
	})
	j, err = a.Gathering.Visit(t.Context(), "c", s.ID)
	require.NoError(t, err)
	done(t, a, j)
	ch, err := a.Gathering.Changes(t.Context(), "c", since.UTC().Format(time.RFC3339Nano))
	require.NoError(t, err)
	require.Len(t, ch.Changed, 1)
	require.Len(t, ch.Added, 1)
	require.Len(t, ch.Gone, 1)
	assert.Equal(t, at+"/new", ch.Added[0].Address)
	assert.Equal(t, at+"/old", ch.Gone[0].Address)
	diff, err := a.Gathering.Compare(t.Context(), "c", ch.Changed[0].ID, "", "")
	require.NoError(t, err)
	assert.Equal(t, ch.Changed[0].Before, diff.From.Version)
	assert.Equal(t, "£8.20", diff.Changes[1].Parts[1].Text)
	assert.Equal(t, "£8.40", diff.Changes[1].Parts[2].Text)
	gone, err := a.Indexing.OpenDocument(t.Context(), "c", ch.Gone[0].ID, "")
	require.NoError(t, err)
	assert.Contains(t, gone.Text, "old", "what is gone can still be read")
	r, err := a.Asking.Ask(t.Context(), public, "c", query.Question{Text: "What does a ticket cost for adults?"})
	require.NoError(t, err)
	assert.Contains(t, r.Reply, "£8.40")
}

func TestAWatchedFolderIsTakenUpByItself(t *testing.T) {
	dir := t.TempDir()
	write := func(name, text string) {
		require.NoError(t, os.MkdirAll(filepath.Dir(filepath.Join(dir, name)), 0o755))
		require.NoError(t, os.WriteFile(filepath.Join(dir, name), []byte(text), 0o644))
	}
	write("rules.md", "# Rules\n\nDogs ride in the stern cabin.")
	write("sub/notes.txt", "The kiosk opens at nine in the morning.")
	write(".hidden.md", "# Hidden\n\nNot for anybody.")
	write("picture.png", "x")
	a := fresh(t)
	create(t, a, "c")
	for _, bad := range []string{"relative", "/no/such/folder", a.Dir(), filepath.Dir(a.Dir()), filepath.Join(dir, "rules.md")} {
		_, _, err := a.Gathering.AddSource(t.Context(), "c", gathering.NewSource{Kind: store.KindFolder, Address: bad})
		assert.ErrorIs(t, err, fault.ErrInput, bad)
	}
	s, j, err := a.Gathering.AddSource(t.Context(), "c", gathering.NewSource{Kind: store.KindFolder, Address: dir})
	require.NoError(t, err)
	done(t, a, j)
	assert.Equal(t, map[string]string{"rules.md": "indexed", "sub/notes.txt": "indexed"}, states(t, a))
	a.Gathering.VisitDue(t.Context()) // it takes note of what is there
	write("rules.md", "# Rules\n\nDogs ride on the open deck.")
	require.NoError(t, os.Remove(filepath.Join(dir, "sub/notes.txt")))
	a.Gathering.VisitDue(t.Context())
	js, err := a.Jobs.Jobs(t.Context(), "c")
	require.NoError(t, err)
	for _, j := range js {
		if j.Kind == job.Gather && j.Target == s.ID {
			done(t, a, j)
		}
	}
	assert.Equal(t, map[string]string{"rules.md": "indexed", "sub/notes.txt": "left out"}, states(t, a))
	r, err := a.Asking.Ask(t.Context(), public, "c", query.Question{Text: "Where do dogs ride?"})
	require.NoError(t, err)
	assert.Contains(t, r.Reply, "open deck")
	require.NoError(t, a.Gathering.RemoveSource(t.Context(), "c", s.ID))
	c, err := a.Corpus(t.Context(), "c")
	require.NoError(t, err)
	assert.Zero(t, c.Chunks)
}

func TestPairsTextsAndArchives(t *testing.T) {
	a := fresh(t)
	create(t, a, "c")
	const csv = "topic,question,answer\nluggage,Where are the trolleys?,\"Under the clock, at the pier.\"\nmoney,Where are the trolleys?,Twice.\nnone,,No question\nx,No answer?,\n"
	f, err := gathering.PairPreview([]byte(csv), "", "")
	require.NoError(t, err)
	assert.Equal(t, []any{"csv", "question", "answer", 1, 3}, []any{f.Form, f.Question, f.Answer, f.Good, f.Bad})
	assert.Equal(t, []string{"", "the question stands in line 2 already", "there is no question", "there is no answer"}, []string{f.Pairs[0].Problem, f.Pairs[1].Problem, f.Pairs[2].Problem, f.Pairs[3].Problem})
	_, err = a.Gathering.PutPairs(t.Context(), "c", []byte(csv), "", "")
	require.NoError(t, err)
	_, err = a.Gathering.PutPairs(t.Context(), "c", []byte(`{"q":"Is there a lift?","a":"Yes, to the lounge."}`+"\n"+`{"q":"Where are the trolleys?","a":"By the stairs."}`+"\nnot json\n"), "", "")
	require.NoError(t, err)
	out, err := a.Gathering.Pairs(t.Context(), "c", "csv")
	require.NoError(t, err)
	assert.Equal(t, "question,answer\nIs there a lift?,\"Yes, to the lounge.\"\nWhere are the trolleys?,By the stairs.\n", string(out), "a question keeps its identity; its answer is replaced")
	again, err := a.Gathering.Pairs(t.Context(), "c", "jsonl")
	require.NoError(t, err)
	back, err := gathering.PairPreview(again, "", "")
	require.NoError(t, err)
	assert.Equal(t, 2, back.Good, "what is exported can be imported")
	_, err = gathering.PairPreview([]byte("one column\nx\n"), "", "")
	assert.ErrorIs(t, err, fault.ErrInput)
	r, err := a.Asking.Ask(t.Context(), public, "c", query.Question{Text: "Where do I find a trolley?"})
	require.NoError(t, err)
	assert.Contains(t, r.Reply, "By the stairs")

	d, err := a.Gathering.PutText(t.Context(), "c", "Flood", "The lower car park is **closed** when the water is above 4 m.")
	require.NoError(t, err)
	d2, err := a.Gathering.PutText(t.Context(), "c", "Flood", "The lower car park is closed when the water is above 5 m.")
	require.NoError(t, err)
	assert.Equal(t, d.ID, d2.ID)
	assert.Equal(t, "indexed", d2.State)
	require.NoError(t, a.Gathering.RemoveDocument(t.Context(), "c", d.ID))

	var b bytes.Buffer
	z := zip.NewWriter(&b)
	for name, body := range map[string]string{"guide/boats.md": "# Boats\n\nThe Pellworth carries cars.", "guide/x.bin": "x", "__MACOSX/guide/._boats.md": "x", "../../etc/passwd.txt": "root is the name of the first user", "empty.txt": ""} {
		w, err := z.Create(name)
		require.NoError(t, err)
		_, err = w.Write([]byte(body))
		require.NoError(t, err)
	}
	require.NoError(t, z.Close())
	taken, err := a.Gathering.UploadArchive(t.Context(), "c", "all.zip", b.Bytes())
	require.NoError(t, err)
	got := map[string]string{}
	for _, f := range taken {
		got[f.Name] = f.State
	}
	assert.Equal(t, map[string]string{"guide/boats.md": "indexed", "guide/x.bin": "left out", "etc/passwd.txt": "indexed", "empty.txt": "failed"}, got)
	_, err = a.Gathering.UploadArchive(t.Context(), "c", "bad.zip", []byte("PK\x03\x04 no archive"))
	assert.ErrorIs(t, err, fault.ErrInput)
}

// What only staff may read never reaches the public, however it is asked, nor does its vocabulary; a group sees its own.
func TestAudiencesAreKeptApart(t *testing.T) {
	a := fresh(t)
	create(t, a, "c")
	up := func(name, audience, text string) indexing.Document {
		d, err := a.Gathering.TakeFile(t.Context(), "c", gathering.File{Name: name, Audience: audience, Body: []byte(text)})
		require.NoError(t, err)
		return d
	}
	up("public.md", "", "# Complaints\n\nWrite to the office about complaints within two months.")
	handbook := up("handbook.md", index.Staff, "# Goodwill\n\nThe mate may give a quirbleworth voucher of fifteen pounds for complaints.")
	up("captains.md", "group:captains", "# Radio\n\nThe zanzolin channel is thirty-seven.")
	ask := func(audience, q string) *asking.Reply {
		r, err := a.Asking.Ask(t.Context(), asking.Caller{Audience: audience, Surface: "bench"}, "c", query.Question{Text: q})
		require.NoError(t, err)
		return r
	}
	sees := func(r *asking.Reply, document string) bool {
		for _, e := range r.Evidence {
			if e.Document == document {
				return true
			}
		}
		return false
	}
	for _, q := range []string{"What voucher may the mate give for complaints?", "quirbleworth", "quirbelworth voucher", "goodwill"} {
		r := ask(index.Public, q)
		assert.False(t, sees(r, handbook.ID), q)
		assert.NotContains(t, r.Reply, "fifteen", q)
		assert.NotContains(t, fmt.Sprintf("%+v", r.Trail.Reading), "quirbleworth voucher of", q)
		assert.True(t, sees(ask(index.Staff, q), handbook.ID), q)
	}
	assert.Contains(t, ask("group:captains", "Which channel is the zanzolin one?").Reply, "thirty-seven")
	assert.NotContains(t, ask("group:others", "Which channel is the zanzolin one?").Reply, "thirty-seven")
	assert.NotContains(t, ask(index.Public, "Which channel is the zanzolin one?").Reply, "thirty-seven")

	// It can be opened up, and closed again, without fetching anything anew.
	open, shut := index.Public, index.Staff
	_, err := a.Gathering.ChangeDocument(t.Context(), "c", handbook.ID, gathering.DocumentChange{Audience: &open})
	require.NoError(t, err)
	assert.True(t, sees(ask(index.Public, "quirbleworth"), handbook.ID))
	_, err = a.Gathering.ChangeDocument(t.Context(), "c", handbook.ID, gathering.DocumentChange{Audience: &shut})
	require.NoError(t, err)
	assert.False(t, sees(ask(index.Public, "quirbleworth"), handbook.ID))
	ss, err := a.Gathering.Sources(t.Context(), "c")
	require.NoError(t, err)
	_, err = a.Gathering.ChangeSource(t.Context(), "c", ss[0].ID, gathering.SourceChange{Audience: &shut})
	require.NoError(t, err)
	assert.True(t, ask(index.Public, "complaints").Refused)
	bad := "friends"
	_, err = a.Gathering.ChangeSource(t.Context(), "c", ss[0].ID, gathering.SourceChange{Audience: &bad})
	assert.ErrorIs(t, err, fault.ErrInput)
}

func TestWhatIsNotToBeQuotedIsPointedTo(t *testing.T) {
	a := fresh(t)
	create(t, a, "c")
	d, err := a.Gathering.Upload(t.Context(), "c", "menu.md", "", []byte("# Menu of the day\n\nThe soup of the day is leek and potato."))
	require.NoError(t, err)
	ask := func() *asking.Reply {
		r, err := a.Asking.Ask(t.Context(), public, "c", query.Question{Text: "What is the soup of the day?"})
		require.NoError(t, err)
		return r
	}
	assert.Contains(t, ask().Reply, "leek")
	for mark, want := range map[string]string{indexing.Volatile: "changes from day to day: see “Menu of the day”", indexing.Unquotable: "For that, see “Menu of the day”"} {
		_, err := a.Gathering.ChangeDocument(t.Context(), "c", d.ID, gathering.DocumentChange{Marks: &[]string{mark}})
		require.NoError(t, err)
		r := ask()
		assert.NotContains(t, r.Reply, "leek")
		assert.Contains(t, r.Reply, want)
		require.Len(t, r.Cited, 1, "and it is cited")
	}
	_, err = a.Gathering.ChangeDocument(t.Context(), "c", d.ID, gathering.DocumentChange{AsSource: true})
	require.NoError(t, err)
	assert.Contains(t, ask().Reply, "leek")
	assert.NotContains(t, ask().Reply, "as a file")

	// What may be handed out is offered to whoever asks for it.
	_, err = a.Gathering.ChangeDocument(t.Context(), "c", d.ID, gathering.DocumentChange{Marks: &[]string{indexing.Given}})
	require.NoError(t, err)
	assert.NotContains(t, ask().Reply, "as a file", "it was not asked for")
	r, err := a.Asking.Ask(t.Context(), public, "c", query.Question{Text: "Can you send me the menu with the soup of the day?"})
	require.NoError(t, err)
	assert.Contains(t, r.Reply, "You can have “Menu of the day” as a file.")
}

func TestAJobCanBePausedAndResumed(t *testing.T) {
	gate := make(chan struct{})
	reached := make(chan struct{}, 100)
	srv := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, q *http.Request) {
		if q.URL.Path == "/robots.txt" || q.URL.Path == "/sitemap.xml" {
			http.NotFound(w, q)
			return
		}
		reached <- struct{}{}
		select {
		case <-gate:
		case <-q.Context().Done():
			return
		}
		w.Header().Set("Content-Type", "text/html")
		fmt.Fprint(w, words(strings.Trim(q.URL.Path, "/")+"x")+"<a href=/a>a</a><a href=/b>b</a>")
	}))
	defer srv.Close()
	a := fresh(t)
	create(t, a, "c")
	_, j, err := a.Gathering.AddSite(t.Context(), "c", srv.URL, store.SourceSettings{AllowPrivate: true})
	require.NoError(t, err)
	<-reached
	require.NoError(t, a.Jobs.Pause(t.Context(), "c", j.ID))
	assert.Equal(t, "paused", ended(t, a, "c", j.ID).State)
	assert.ErrorIs(t, a.Jobs.Pause(t.Context(), "c", j.ID), fault.ErrInput)
	close(gate)
	require.NoError(t, a.Jobs.Resume(t.Context(), "c", j.ID))
	require.Eventually(t, func() bool {
		now, err := a.Jobs.Job(t.Context(), "c", j.ID)
		return err == nil && now.State == "done"
	}, 20*time.Second, 10*time.Millisecond)
	assert.Equal(t, map[string]string{"/": "indexed", "/a": "indexed", "/b": "indexed"}, states(t, a))
	assert.ErrorIs(t, a.Jobs.Resume(t.Context(), "c", j.ID), fault.ErrInput)
}

func TestDocumentsThatCannotBeReadSayWhy(t *testing.T) {
	a := fresh(t)
	create(t, a, "c")
	for name, want := range map[string][2]string{
		"locked.docx": {"\xd0\xcf\x11\xe0\xa1\xb1\x1a\xe1 and so on", "encrypted"},
		"broken.pdf":  {"%PDF-1.7\nno more", "damaged"},
		"empty.pdf":   {"", "damaged"},
		"broken.docx": {"PK\x03\x04 no archive", "damaged"},
		"noise.xyz":   {"\x00\x01\x02", "cannot be read"},
		"large.txt":   {strings.Repeat("x", extract.MaxBytes+1), "too large"},
	} {
		d, err := a.Gathering.Upload(t.Context(), "c", name, "", []byte(want[0]))
		require.NoError(t, err, name)
		assert.Equal(t, "failed", d.State, name)
		assert.Contains(t, d.Reason, want[1], name)
	}
}

func TestASettledAnswerRanksFirst(t *testing.T) {
	a := fresh(t)
	create(t, a, "c")
	page, err := a.Gathering.Upload(t.Context(), "c", "kayaks.md", "", []byte("# Kayaks\n\nA kayak costs £6.00 on every crossing. A kayak is carried at the owner's risk.\n\n## Paddles\n\nPaddles go into the rack.\n\n## Canoes\n\nA canoe costs £9.00.\n"))
	require.NoError(t, err)
	_, err = a.Gathering.PutPairs(t.Context(), "c", []byte("question,answer\nWhat does it cost to take my kayak?,\"£6.00, and nothing from May on.\"\n"), "", "")
	require.NoError(t, err)
	first := func() string {
		r, err := a.Asking.Find(t.Context(), public, "c", query.Question{Text: "How much is a kayak?"}, asking.Variant{})
		require.NoError(t, err)
		return r.Evidence[0].Text
	}
	require.NotContains(t, first(), "from May")
	ss, err := a.Gathering.Sources(t.Context(), "c")
	require.NoError(t, err)
	settled := gathering.SourceChange{Marks: &[]string{indexing.Settled}}
	for _, s := range ss {
		_, err := a.Gathering.ChangeSource(t.Context(), "c", s.ID, settled)
		if s.Kind == "pairs" {
			require.NoError(t, err)
			continue
		}
		assert.ErrorIs(t, err, fault.ErrInput, "a file is nobody's settled answer")
	}
	_, err = a.Gathering.ChangeDocument(t.Context(), "c", page.ID, gathering.DocumentChange{Marks: settled.Marks})
	assert.ErrorIs(t, err, fault.ErrInput)
	assert.Contains(t, first(), "from May")
}
