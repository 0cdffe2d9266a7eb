package app_test

import (
	"fmt"
	"net"
	"net/http"
	"net/http/httptest"
	"os"
	"path/filepath"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"jolvex/core/query"
	"jolvex/internal/gathering"
	"jolvex/internal/store"
)

// shore is a site of n pages beside its start page, each with a text of its own.
func shore(n int) map[string]string {
	pages := map[string]string{}
	var home strings.Builder
	home.WriteString(words("shore"))
	for i := range n {
		fmt.Fprintf(&home, "<a href=/p%d>%d</a> ", i, i)
		pages[fmt.Sprintf("/p%d", i)] = fmt.Sprintf("<h1>Pier %c</h1><p>Pier %c is %d metres long. %s</p>", 'A'+i, 'A'+i, 100+i, strings.Repeat(fmt.Sprintf("Its keeper number %d sleeps in hut %d. ", i, 7*i), 4))
	}
	pages["/"] = home.String()
	return pages
}

// answering is a site whose answers can be replaced as a whole.
type answering struct {
	changing
	instead http.HandlerFunc // nil for its pages; one that returns without a word lets them answer
}

func (s *answering) ServeHTTP(w http.ResponseWriter, q *http.Request) {
	s.mu.Lock()
	instead := s.instead
	s.mu.Unlock()
	if instead != nil {
		spoke := &spoken{ResponseWriter: w}
		if instead(spoke, q); spoke.yes {
			return
		}
	}
	s.changing.ServeHTTP(w, q)
}

type spoken struct {
	http.ResponseWriter
	yes bool
}

func (s *spoken) WriteHeader(status int) { s.yes = true; s.ResponseWriter.WriteHeader(status) }

func (s *spoken) Write(b []byte) (int, error) { s.yes = true; return s.ResponseWriter.Write(b) }

// shut ends the connection without an answer.
func shut(w http.ResponseWriter, _ *http.Request) {
	spoke, ok := w.(*spoken)
	if !ok {
		panic("only behind answering")
	}
	c, _, err := spoke.ResponseWriter.(http.Hijacker).Hijack()
	if err == nil {
		spoke.yes = true
		_ = c.Close()
	}
}

func page(title, body string) http.HandlerFunc {
	return func(w http.ResponseWriter, q *http.Request) {
		if q.URL.Path == "/robots.txt" {
			return
		}
		w.Header().Set("Content-Type", "text/html")
		fmt.Fprintf(w, "<title>%s</title><main>%s</main>", title, body)
	}
}

// What a later visit may see of a site that was in, and what then stands. None of it was told from a site that is really gone before.
func TestAnOutageTakesNothingAway(t *testing.T) {
	a := fresh(t)
	for name, c := range map[string]struct {
		pages   int
		instead http.HandlerFunc
		guarded bool   // a person is asked
		trouble string // what the source says
		gone    int
		saw     string
	}{
		"the connection breaks off": {pages: 8, instead: shut, trouble: "cannot be reached"},
		"503 for everything": {pages: 8, trouble: "robots.txt", instead: func(w http.ResponseWriter, _ *http.Request) {
			w.WriteHeader(http.StatusServiceUnavailable)
		}},
		"robots.txt alone at 503": {pages: 8, trouble: "robots.txt", instead: func(w http.ResponseWriter, q *http.Request) {
			if q.URL.Path == "/robots.txt" {
				w.WriteHeader(http.StatusServiceUnavailable)
			}
		}},
		"pages at 503, robots.txt not": {pages: 8, trouble: "503", instead: func(w http.ResponseWriter, q *http.Request) {
			if q.URL.Path != "/robots.txt" {
				w.WriteHeader(http.StatusServiceUnavailable)
			}
		}},
		"robots.txt forbids all": {pages: 8, guarded: true, saw: "blocked by robots.txt", instead: func(w http.ResponseWriter, q *http.Request) {
			if q.URL.Path == "/robots.txt" {
				fmt.Fprint(w, "User-agent: *\nDisallow: /\n")
			}
		}},
		"404 for everything": {pages: 8, guarded: true, saw: "404", trouble: "9 of 9 pages", instead: func(w http.ResponseWriter, _ *http.Request) { w.WriteHeader(http.StatusNotFound) }},
		"404 for three pages of nine": {pages: 8, gone: 3, instead: func(w http.ResponseWriter, q *http.Request) {
			if len(q.URL.Path) == 3 && q.URL.Path < "/p3" {
				w.WriteHeader(http.StatusNotFound)
			}
		}},
		"404 for all of a source of three": {pages: 2, guarded: true, saw: "410", trouble: "3 of 3", instead: func(w http.ResponseWriter, _ *http.Request) { w.WriteHeader(http.StatusGone) }},
		"a log-in in the place of every page": {
			pages: 8, trouble: "needs a log-in",
			instead: page("Sign in", "<h1>Sign in</h1><p>Members of the harbour club sign in here with their number and the word they were given.</p>"),
		},
		"a maintenance page that tells the address and the minute": {pages: 8, guarded: true, saw: "one and the same text", instead: func(w http.ResponseWriter, q *http.Request) {
			page("Back soon", fmt.Sprintf("<h1>Back soon</h1><p>%s We are painting the pier and shall be back at noon; the harbour office answers by telephone from seven in the morning until the last boat has come in, on Sundays until four.</p><p>%d</p>", q.URL.Path, time.Now().UnixNano()))(w, q)
		}},
		"every page asks not to be indexed": {pages: 8, guarded: true, saw: "asks not to be indexed", instead: func(w http.ResponseWriter, q *http.Request) {
			w.Header().Set("X-Robots-Tag", "noindex")
			w.Header().Set("ETag", "") // sent anew
			page("Pier", words(q.URL.Path))(w, q)
		}},
		"every page leads to the start page": {pages: 8, guarded: true, saw: "leads to", instead: func(w http.ResponseWriter, q *http.Request) {
			if q.URL.Path != "/" && q.URL.Path != "/robots.txt" {
				w.Header().Set("Location", "/")
				w.WriteHeader(http.StatusFound)
			}
		}},
	} {
		t.Run(name, func(t *testing.T) {
			corpus := strings.ReplaceAll(name, " ", "-")[:min(20, len(name))]
			site := &answering{changing: changing{whole: map[string]int{}, pages: shore(c.pages)}}
			srv := httptest.NewServer(site)
			defer srv.Close()
			create(t, a, corpus)
			s, j, err := a.Gathering.AddSource(t.Context(), corpus, gathering.NewSource{Kind: store.KindSite, Address: srv.URL, Settings: store.SourceSettings{AllowPrivate: true}})
			require.NoError(t, err)
			require.Equal(t, "done", ended(t, a, corpus, j.ID).State)
			visit := func() gathering.Source {
				j, err := a.Gathering.Visit(t.Context(), corpus, s.ID)
				require.NoError(t, err)
				require.Equal(t, "done", ended(t, a, corpus, j.ID).State)
				ss, err := a.Gathering.Sources(t.Context(), corpus)
				require.NoError(t, err)
				return ss[0]
			}
			inside := func(s gathering.Source) int { return s.States["indexed"] + s.States["unchanged"] }

			site.mu.Lock()
			site.instead = c.instead
			site.mu.Unlock()
			seen := visit()
			assert.Equal(t, c.pages+1-c.gone, inside(seen))
			if c.trouble == "" {
				assert.Empty(t, seen.Trouble)
			} else {
				assert.Contains(t, seen.Trouble, c.trouble)
				assert.NotEmpty(t, seen.TroubleAt)
			}
			r, err := a.Asking.Ask(t.Context(), public, corpus, query.Question{Text: "How long is pier B?"})
			require.NoError(t, err)
			assert.Equal(t, c.gone == 0, strings.Contains(r.Reply, "101 metres"), "the old version answers: %q", r.Reply)
			if !c.guarded {
				assert.Nil(t, seen.Held)
				return
			}
			require.NotNil(t, seen.Held)
			assert.Equal(t, c.pages+1, seen.Held.Of)
			assert.Contains(t, seen.Held.Saw[0].What, c.saw)
			again := visit()
			require.NotNil(t, again.Held)
			assert.Equal(t, seen.Held.Since, again.Held.Since, "it is told for how long")

			// A person keeps the old: the same change is not asked about again.
			j, err = a.Gathering.Decide(t.Context(), corpus, s.ID, false)
			require.NoError(t, err)
			require.Equal(t, "done", ended(t, a, corpus, j.ID).State)
			kept := visit()
			assert.Nil(t, kept.Held)
			assert.Equal(t, c.pages+1, inside(kept))

			// When the outage is over, all is as it was, and a later one is told.
			site.mu.Lock()
			site.instead = nil
			site.mu.Unlock()
			over := visit()
			assert.Nil(t, over.Held)
			assert.Equal(t, c.pages+1, inside(over))
			site.mu.Lock()
			site.instead = c.instead
			site.mu.Unlock()
			require.NotNil(t, visit().Held)

			// A person lets it through, once.
			j, err = a.Gathering.Decide(t.Context(), corpus, s.ID, true)
			require.NoError(t, err)
			require.Equal(t, "done", ended(t, a, corpus, j.ID).State)
			ss, err := a.Gathering.Sources(t.Context(), corpus)
			require.NoError(t, err)
			assert.Nil(t, ss[0].Held)
			if !strings.Contains(name, "minute") { // those are texts of their own
				assert.LessOrEqual(t, inside(ss[0]), 2)
			}
			_, err = a.Gathering.Decide(t.Context(), corpus, s.ID, true)
			assert.ErrorContains(t, err, "held back")
		})
	}
}

// Where nothing listens any more, nothing is lost, and each page is not waited for.
func TestNothingListensAnyMore(t *testing.T) {
	a := fresh(t)
	site := &changing{whole: map[string]int{}, pages: shore(25)}
	l, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	srv := &http.Server{Handler: site}
	go func() { _ = srv.Serve(l) }()
	gather(t, a, "c", "http://"+l.Addr().String())
	require.NoError(t, srv.Close())
	ss, err := a.Gathering.Sources(t.Context(), "c")
	require.NoError(t, err)
	j, err := a.Gathering.Visit(t.Context(), "c", ss[0].ID)
	require.NoError(t, err)
	require.Equal(t, "done", ended(t, a, "c", j.ID).State)
	ss, err = a.Gathering.Sources(t.Context(), "c")
	require.NoError(t, err)
	assert.Equal(t, 26, ss[0].States["unchanged"])
	assert.Contains(t, ss[0].Trouble, "connection refused")
}

// A watched folder that lists as empty, or is not there, loses nothing.
func TestAnEmptyFolderIsAskedAbout(t *testing.T) {
	a := fresh(t)
	create(t, a, "c")
	dir := t.TempDir()
	write := func() {
		require.NoError(t, os.MkdirAll(filepath.Join(dir, "shut"), 0o700))
		for i := range 7 {
			require.NoError(t, os.WriteFile(filepath.Join(dir, fmt.Sprintf("f%d.md", i)), fmt.Appendf(nil, "# Hut %d\n\nHut %d sleeps %d people.\n", i, i, i+3), 0o600))
		}
	}
	write()
	s, j, err := a.Gathering.AddSource(t.Context(), "c", gathering.NewSource{Kind: store.KindFolder, Address: dir})
	require.NoError(t, err)
	done(t, a, j)
	look := func() gathering.Source {
		ss, err := a.Gathering.Sources(t.Context(), "c")
		require.NoError(t, err)
		return ss[0]
	}
	for i := range 7 {
		require.NoError(t, os.Remove(filepath.Join(dir, fmt.Sprintf("f%d.md", i))))
	}
	j, err = a.Gathering.Visit(t.Context(), "c", s.ID)
	require.NoError(t, err)
	done(t, a, j)
	now := look()
	require.NotNil(t, now.Held)
	assert.Equal(t, 7, now.Held.Lost)
	assert.Equal(t, []gathering.Saw{{What: "the file is gone", Count: 7}}, now.Held.Saw)
	held, err := a.Gathering.Held(t.Context(), "c", s.ID)
	require.NoError(t, err)
	assert.Len(t, held, 7)

	require.NoError(t, os.RemoveAll(dir))
	a.Gathering.VisitDue(t.Context())
	assert.Contains(t, look().Trouble, "cannot be opened")
	j, err = a.Gathering.Visit(t.Context(), "c", s.ID)
	require.NoError(t, err)
	assert.Equal(t, "failed", ended(t, a, "c", j.ID).State)
	assert.Equal(t, 7, look().States["indexed"]+look().States["unchanged"])

	write()
	j, err = a.Gathering.Visit(t.Context(), "c", s.ID)
	require.NoError(t, err)
	done(t, a, j)
	now = look()
	assert.Nil(t, now.Held)
	assert.Empty(t, now.Trouble)
}

// A visit that is cancelled takes in what it had fetched, and says so.
func TestACancelledVisitTakesInWhatItFetched(t *testing.T) {
	a := fresh(t)
	create(t, a, "c")
	hold, held := make(chan struct{}), make(chan struct{})
	var once sync.Once
	site := &answering{changing: changing{whole: map[string]int{}, pages: shore(9)}}
	site.instead = func(w http.ResponseWriter, q *http.Request) {
		if q.URL.Path >= "/p5" && q.URL.Path <= "/p9" {
			once.Do(func() { close(held) })
			<-hold
		}
	}
	srv := httptest.NewServer(site)
	defer srv.Close()
	defer close(hold)
	s, j, err := a.Gathering.AddSource(t.Context(), "c", gathering.NewSource{Kind: store.KindSite, Address: srv.URL, Settings: store.SourceSettings{AllowPrivate: true}})
	require.NoError(t, err)
	<-held
	require.Eventually(t, func() bool { // the pages before are in the store
		ds, _, err := a.Indexing.Documents(t.Context(), "c", store.Filter{Limit: 100})
		n := 0
		for _, d := range ds {
			if d.State == "fetched" || d.State == "indexed" {
				n++
			}
		}
		return err == nil && n >= 6
	}, 20*time.Second, 10*time.Millisecond)
	require.NoError(t, a.Jobs.Cancel(t.Context(), "c", j.ID))
	assert.Equal(t, "cancelled", ended(t, a, "c", j.ID).State)
	ss, err := a.Gathering.Sources(t.Context(), "c")
	require.NoError(t, err)
	require.Equal(t, s.ID, ss[0].ID)
	assert.GreaterOrEqual(t, ss[0].States["indexed"], 6)
	assert.Zero(t, ss[0].States["fetched"])
	assert.Contains(t, strings.Join(ss[0].Notices, "\n"), "cancelled after")
	r, err := a.Asking.Ask(t.Context(), public, "c", query.Question{Text: "How long is pier B?"})
	require.NoError(t, err)
	assert.Contains(t, r.Reply, "101 metres")
}
