package app_test

import (
	"compress/flate"
	"compress/zlib"
	"fmt"
	"io"
	"net/http"
	"net/http/httptest"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	web "jolvex/internal/gather"
	"jolvex/internal/gathering"
	"jolvex/internal/store"
)

// What real sites do, page by page of one site: what becomes of each, and why.
func TestWhatRealSitesDo(t *testing.T) {
	mux := http.NewServeMux()
	html := func(path string, head, body string) {
		mux.HandleFunc(path, func(w http.ResponseWriter, _ *http.Request) {
			w.Header().Set("Content-Type", "text/html; charset=utf-8")
			fmt.Fprintf(w, "<html><head>%s</head><body>%s</body></html>", head, body)
		})
	}
	cases := map[string]struct{ state, reason string }{
		"/cookie":       {"indexed", ""},
		"/zlib":         {"indexed", ""},
		"/bare":         {"indexed", ""},
		"/lost":         {"failed", "says that there is nothing at this address"},
		"/members":      {"failed", "needs a log-in"},
		"/choices":      {"failed", "asks for consent"},
		"/guarded":      {"failed", "check for people"},
		"/framed":       {"indexed", ""}, // only a frame leads there
		"/over":         {"left out", "not to be had any more"},
		"/over-by-head": {"left out", "not to be had any more"},
		"/still":        {"indexed", ""},
		"/elsewhere":    {"left out", "leads away"},
	}
	var links strings.Builder
	for path := range cases {
		if path != "/framed" {
			fmt.Fprintf(&links, "<a href=%s>x</a> ", path)
		}
	}
	html("/{$}", "<title>Pier</title>", "<main>"+words("pier")+links.String()+"<iframe src=/framed></iframe></main>")
	mux.HandleFunc("/cookie", func(w http.ResponseWriter, q *http.Request) {
		if _, err := q.Cookie("seen"); err != nil {
			http.SetCookie(w, &http.Cookie{Name: "seen", Value: "1"})
			http.Redirect(w, q, "/cookie", http.StatusFound)
			return
		}
		w.Header().Set("Content-Type", "text/html")
		fmt.Fprint(w, "<main>"+words("cookie")+"</main>")
	})
	coded := func(path string, coder func(io.Writer) (io.WriteCloser, error)) {
		mux.HandleFunc(path, func(w http.ResponseWriter, _ *http.Request) {
			w.Header().Set("Content-Type", "text/html")
			w.Header().Set("Content-Encoding", "deflate")
			c, err := coder(w)
			if err == nil {
				fmt.Fprint(c, "<main>"+words(path[1:])+"</main>")
				err = c.Close()
			}
			assert.NoError(t, err)
		})
	}
	coded("/zlib", func(w io.Writer) (io.WriteCloser, error) { return zlib.NewWriter(w), nil })
	coded("/bare", func(w io.Writer) (io.WriteCloser, error) { return flate.NewWriter(w, 5) })
	html("/lost", "<title>404 - Page not found | Harbour</title>", "<main><h1>Sorry</h1><p>This page could not be found. Go back to the start page, or look for it in the list of all pages that we have about the harbour.</p></main>")
	html("/members", "<title>Harbour club</title>", "<main><h1>Please sign in to continue</h1><p>Members of the club sign in with their number and with the word that they were given when they joined the club.</p></main>")
	html("/choices", "<title>Before you continue</title>", "<main><p>We and our eleven partners would like to keep small files on your machine, and to read them. You can accept or refuse that here.</p></main>")
	html("/guarded", "<title>Just a moment...</title>", "<main><p>The site harbour.example needs to review the security of your connection before it goes on. This takes a few seconds only.</p></main>")
	html("/framed", "<title>Tides</title>", "<main>"+words("tide")+"</main>")
	html("/over", "<title>Regatta</title><meta name=robots content='unavailable_after: 2020-06-30'>", "<main>"+words("regatta")+"</main>")
	html("/still", "<title>Fair</title><meta name=robots content='unavailable_after: 2999-06-30'>", "<main>"+words("fair")+"</main>")
	mux.HandleFunc("/over-by-head", func(w http.ResponseWriter, _ *http.Request) {
		w.Header().Set("X-Robots-Tag", "unavailable_after: Sat, 27 Jun 2020 15:00:00 GMT")
		w.Header().Set("Content-Type", "text/html")
		fmt.Fprint(w, "<main>"+words("race")+"</main>")
	})
	mux.HandleFunc("/elsewhere", func(w http.ResponseWriter, q *http.Request) {
		http.Redirect(w, q, "http://other.example/", http.StatusFound)
	})
	srv := httptest.NewServer(mux)
	defer srv.Close()
	a := fresh(t)
	gather(t, a, "c", srv.URL)
	ds := byPath(t, a, "c")
	for path, want := range cases {
		assert.Equal(t, want.state, ds[path].State, "%s: %s", path, ds[path].Reason)
		assert.Contains(t, ds[path].Reason, want.reason, path)
	}
}

// A start address that leads to another host takes the pages of that one in; a later visit does not go along with yet another.
func TestTheStartAddressLeadsToAnotherHost(t *testing.T) {
	_, at := serving(t, map[string]string{"/": words("pier") + "<a href=/tides>t</a>", "/tides": words("tide")})
	away := ""
	bare := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, q *http.Request) {
		to := at
		if away != "" {
			to = away
		}
		if q.URL.Path == "/robots.txt" {
			http.NotFound(w, q)
			return
		}
		http.Redirect(w, q, to+q.URL.Path, http.StatusMovedPermanently)
	}))
	defer bare.Close()
	_, parked := serving(t, map[string]string{"/": words("casino")})
	a := fresh(t)
	create(t, a, "c")
	allowed := store.SourceSettings{AllowPrivate: true, PrivateHosts: []string{web.HostPort(at), web.HostPort(parked)}}
	s, j, err := a.Gathering.AddSource(t.Context(), "c", gathering.NewSource{Kind: store.KindSite, Address: bare.URL, Settings: allowed})
	require.NoError(t, err)
	done(t, a, j)
	assert.Equal(t, "indexed", states(t, a)["/tides"])
	ss, err := a.Gathering.Sources(t.Context(), "c")
	require.NoError(t, err)
	assert.Equal(t, at, ss[0].Settings.Home)
	assert.Contains(t, ss[0].Notices[0], "leads to "+at)

	// Added again, or changed by somebody who does not know of that host, it stays the site's own.
	for _, again := range []func() error{
		func() error {
			_, j, err = a.Gathering.AddSource(t.Context(), "c", gathering.NewSource{Kind: store.KindSite, Address: bare.URL, Settings: allowed})
			return err
		},
		func() error {
			if _, err := a.Gathering.ChangeSource(t.Context(), "c", s.ID, gathering.SourceChange{Settings: &allowed}); err != nil {
				return err
			}
			j, err = a.Gathering.Visit(t.Context(), "c", s.ID)
			return err
		},
	} {
		require.NoError(t, again())
		done(t, a, j)
		assert.Equal(t, "unchanged", states(t, a)["/tides"])
	}

	away = parked
	j, err = a.Gathering.Visit(t.Context(), "c", s.ID)
	require.NoError(t, err)
	done(t, a, j)
	for _, d := range byPath(t, a, "c") {
		assert.False(t, strings.HasPrefix(d.Address, parked), d.Address)
	}
	assert.Equal(t, "unchanged", states(t, a)["/tides"])
}

// This program's own addresses are reached by no source, whatever it is allowed.
func TestThisProgramIsNotGathered(t *testing.T) {
	srv := httptest.NewServer(http.HandlerFunc(func(http.ResponseWriter, *http.Request) { t.Error("it was asked") }))
	defer srv.Close()
	a := fresh(t)
	a.Gathering.ListensAt(srv.Listener.Addr())
	create(t, a, "c")
	_, j, err := a.Gathering.AddSource(t.Context(), "c", gathering.NewSource{Kind: store.KindSite, Address: srv.URL, Settings: store.SourceSettings{AllowPrivate: true}})
	require.NoError(t, err)
	done(t, a, j)
	ss, err := a.Gathering.Sources(t.Context(), "c")
	require.NoError(t, err)
	assert.Contains(t, ss[0].Trouble, "an address of this program itself")
}

// A source whose settings are changed is visited by them: what they do not reach any more goes, and nobody is asked about that.
func TestAChangedScopeTakesEffect(t *testing.T) {
	_, at := serving(t, shore(9))
	a := fresh(t)
	gather(t, a, "c", at)
	ss, err := a.Gathering.Sources(t.Context(), "c")
	require.NoError(t, err)
	_, err = a.Gathering.ChangeSource(t.Context(), "c", ss[0].ID, gathering.SourceChange{Settings: &store.SourceSettings{AllowPrivate: true, PageCap: 200_000}})
	assert.ErrorContains(t, err, "100,000", "a change is checked as a new source is")
	_, err = a.Gathering.ChangeSource(t.Context(), "c", ss[0].ID, gathering.SourceChange{Settings: &store.SourceSettings{AllowPrivate: true, Exclude: []string{"/p"}}})
	require.NoError(t, err)
	j, err := a.Gathering.Visit(t.Context(), "c", ss[0].ID)
	require.NoError(t, err)
	done(t, a, j)
	ss, err = a.Gathering.Sources(t.Context(), "c")
	require.NoError(t, err)
	assert.Nil(t, ss[0].Held)
	assert.Equal(t, map[string]int{"unchanged": 1, "left out": 9}, ss[0].States)
}

// A canonical address belongs to the page that names it, however deep a source goes; what a smaller depth does not reach goes.
func TestDepthAndCanonicalAddresses(t *testing.T) {
	_, at := serving(t, map[string]string{
		"/": words("pier") + "<a href=/one>1</a>", "/one": "<link rel=canonical href=/proper>" + words("mole"), "/proper": words("mole") + "<a href=/deep>d</a>",
		"/deep": words("crane") + "<a href=/deeper>e</a>", "/deeper": words("buoy"),
	})
	a := fresh(t)
	create(t, a, "c")
	s, j, err := a.Gathering.AddSource(t.Context(), "c", gathering.NewSource{Kind: store.KindSite, Address: at, Settings: store.SourceSettings{AllowPrivate: true, Depth: 1}})
	require.NoError(t, err)
	done(t, a, j)
	assert.Equal(t, map[string]string{"/": "indexed", "/one": "left out", "/proper": "indexed"}, states(t, a))
	for _, depth := range []int{0, 1} {
		_, err = a.Gathering.ChangeSource(t.Context(), "c", s.ID, gathering.SourceChange{Settings: &store.SourceSettings{AllowPrivate: true, Depth: depth}})
		require.NoError(t, err)
		j, err = a.Gathering.Visit(t.Context(), "c", s.ID)
		require.NoError(t, err)
		done(t, a, j)
		now := states(t, a)
		assert.Equal(t, "unchanged", now["/proper"])
		assert.Equal(t, depth == 0, now["/deeper"] == "indexed" || now["/deeper"] == "unchanged", "%d: %v", depth, now)
	}
}

// A page for staff with the same text takes no public page away.
func TestTwinsAreToldWithinOneAudience(t *testing.T) {
	_, at := serving(t, map[string]string{"/": words("pier")})
	_, inside := serving(t, map[string]string{"/": words("pier")})
	a := fresh(t)
	create(t, a, "c")
	for _, n := range []gathering.NewSource{{Address: inside, Audience: "staff"}, {Address: at}} {
		n.Kind, n.Settings.AllowPrivate = store.KindSite, true
		_, j, err := a.Gathering.AddSource(t.Context(), "c", n)
		require.NoError(t, err)
		done(t, a, j)
	}
	ss, err := a.Gathering.Sources(t.Context(), "c")
	require.NoError(t, err)
	for _, s := range ss {
		assert.Equal(t, map[string]int{"indexed": 1}, s.States, s.Audience)
	}
}

// What is refused at the door, with its reason: names that deceive, folders of the system, hosts without a port.
func TestWhatIsRefusedAtTheDoor(t *testing.T) {
	a := fresh(t)
	create(t, a, "c")
	_, err := a.CreateCorpus(t.Context(), "support\u202etxt")
	assert.ErrorContains(t, err, "direction of writing")
	_, err = a.Gathering.Upload(t.Context(), "c", "fares\u2066fdp.md", "", []byte("# Fares"))
	assert.ErrorContains(t, err, "direction of writing")
	_, err = a.Gathering.PutText(t.Context(), "c", "fares\x07", "text")
	assert.ErrorContains(t, err, "control characters")
	for _, dir := range []string{"/proc", "/etc", "/sys/kernel", "/dev"} {
		_, _, err := a.Gathering.AddSource(t.Context(), "c", gathering.NewSource{Kind: store.KindFolder, Address: dir})
		assert.ErrorContains(t, err, "belongs to the system", dir)
	}
	_, _, err = a.Gathering.AddSource(t.Context(), "c", gathering.NewSource{Kind: store.KindSite, Address: "https://harbour.example/", Settings: store.SourceSettings{PrivateHosts: []string{"wiki"}}})
	assert.ErrorContains(t, err, "with its port")
}

// One bad line of an address list is told and stops nothing; a list of nothing else is refused. A changed list takes effect.
func TestABadLineOfAListStopsNothing(t *testing.T) {
	_, at := serving(t, map[string]string{"/a": words("anchor"), "/b": words("buoy")})
	a := fresh(t)
	create(t, a, "c")
	list := gathering.NewSource{Kind: store.KindList, Settings: store.SourceSettings{AllowPrivate: true, Addresses: []string{at + "/a", "not an address", at + "/b", "ftp://x.example/"}}}
	s, j, err := a.Gathering.AddSource(t.Context(), "c", list)
	require.NoError(t, err)
	done(t, a, j)
	assert.Equal(t, map[string]string{"/a": "indexed", "/b": "indexed"}, states(t, a))
	require.Len(t, s.Problems, 2)
	assert.Contains(t, s.Problems[0], "line 2")
	assert.Contains(t, s.Problems[1], "line 4")
	list.Settings.Addresses = []string{"not an address", "nor this"}
	_, _, err = a.Gathering.AddSource(t.Context(), "c", list)
	assert.ErrorContains(t, err, "none of the lines")

	_, err = a.Gathering.ChangeSource(t.Context(), "c", s.ID, gathering.SourceChange{Settings: &store.SourceSettings{AllowPrivate: true, Addresses: []string{at + "/a"}}})
	require.NoError(t, err)
	j, err = a.Gathering.Visit(t.Context(), "c", s.ID)
	require.NoError(t, err)
	done(t, a, j)
	assert.Equal(t, map[string]string{"/a": "unchanged", "/b": "left out"}, states(t, a))
}

// What an address of a list leads to belongs to the list at later visits, too.
func TestAListedAddressThatLeadsOnStays(t *testing.T) {
	site, at := serving(t, map[string]string{"/new": words("anchor"), "/b": words("buoy")})
	site.moved = map[string]string{"/old": at + "/new"}
	a := fresh(t)
	create(t, a, "c")
	s, j, err := a.Gathering.AddSource(t.Context(), "c", gathering.NewSource{Kind: store.KindList, Settings: store.SourceSettings{AllowPrivate: true, Addresses: []string{at + "/old", at + "/b"}}})
	require.NoError(t, err)
	done(t, a, j)
	require.Equal(t, "indexed", states(t, a)["/new"])
	for range 2 {
		j, err = a.Gathering.Visit(t.Context(), "c", s.ID)
		require.NoError(t, err)
		done(t, a, j)
		assert.Equal(t, map[string]string{"/old": "left out", "/new": "unchanged", "/b": "unchanged"}, states(t, a))
	}
}

// Old office files fail at once with advice, in a folder too.
func TestOldFilesFailWithAdvice(t *testing.T) {
	a := fresh(t)
	create(t, a, "c")
	d, err := a.Gathering.Upload(t.Context(), "c", "contract.doc", "", []byte{0xd0, 0xcf, 0x11, 0xe0, 0xa1, 0xb1, 0x1a, 0xe1})
	require.NoError(t, err)
	assert.Equal(t, "failed", d.State)
	assert.Equal(t, "an old Word file: save it as .docx", d.Reason)
	dir := t.TempDir()
	require.NoError(t, os.WriteFile(filepath.Join(dir, "letter.rtf"), []byte(`{\rtf1 hello}`), 0o600))
	_, j, err := a.Gathering.AddSource(t.Context(), "c", gathering.NewSource{Kind: store.KindFolder, Address: dir})
	require.NoError(t, err)
	done(t, a, j)
	ds, _, err := a.Indexing.Documents(t.Context(), "c", store.Filter{Text: "letter", Limit: 5})
	require.NoError(t, err)
	require.Len(t, ds, 1)
	assert.Contains(t, ds[0].Reason, "rich text")
}
