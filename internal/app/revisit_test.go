package app_test

import (
	"crypto/sha256"
	"fmt"
	"net/http"
	"net/http/httptest"
	"strings"
	"sync"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"jolvex/core/query"
	"jolvex/internal/app"
	"jolvex/internal/asking"
	"jolvex/internal/gathering"
	"jolvex/internal/store"
)

// changing is a site whose pages can be changed; it counts what it sends whole.
type changing struct {
	mu    sync.Mutex
	tags  bool // it gives entity tags
	pages map[string]string
	down  map[string]bool
	whole map[string]int
	moved map[string]string
}

func (c *changing) ServeHTTP(w http.ResponseWriter, q *http.Request) {
	c.mu.Lock()
	defer c.mu.Unlock()
	if to, ok := c.moved[q.URL.Path]; ok {
		http.Redirect(w, q, to, http.StatusMovedPermanently)
		return
	}
	body, ok := c.pages[q.URL.Path]
	if c.down[q.URL.Path] {
		http.Error(w, "repairs", http.StatusServiceUnavailable)
		return
	}
	if !ok {
		http.NotFound(w, q)
		return
	}
	body = "<title>" + q.URL.Path + "</title><main>" + body + "</main>"
	if c.tags {
		tag := fmt.Sprintf(`"%x"`, sha256.Sum256([]byte(body)))
		w.Header().Set("ETag", tag)
		if q.Header.Get("If-None-Match") == tag {
			w.WriteHeader(http.StatusNotModified)
			return
		}
	}
	c.whole[q.URL.Path]++
	w.Header().Set("Content-Type", "text/html")
	fmt.Fprint(w, body)
}

func (c *changing) change(do func()) {
	c.mu.Lock()
	defer c.mu.Unlock()
	c.whole = map[string]int{}
	do()
}

func revisit(t *testing.T, a *app.App, address string) {
	t.Helper()
	_, j, err := a.Gathering.AddSite(t.Context(), "c", address, store.SourceSettings{AllowPrivate: true})
	require.NoError(t, err)
	require.Equal(t, "done", ended(t, a, "c", j.ID).State)
}

func TestASecondVisitTouchesOnlyWhatChanged(t *testing.T) {
	for _, tags := range []bool{true, false} {
		site := &changing{tags: tags, whole: map[string]int{}, down: map[string]bool{}, pages: map[string]string{
			"/":       `<h1>Hut</h1><p>The hut lends boats.</p><a href=/kayak>k</a> <a href=/rowing>r</a> <a href=/raft>f</a>`,
			"/kayak":  `<h1>Kayaks</h1><p>A kayak costs £12.00 an hour.</p>`,
			"/rowing": `<h1>Rowing boats</h1><p>A rowing boat costs £9.00 an hour.</p>`,
			"/raft":   `<h1>Rafts</h1><p>A raft carries eight people.</p>`,
		}}
		srv := httptest.NewServer(site)
		a := fresh(t)
		gather(t, a, "c", srv.URL+"/")
		before := byPath(t, a, "c")
		snapshot := func() string {
			r, err := a.Asking.Find(t.Context(), public, "c", query.Question{Text: "kayak"}, asking.Variant{})
			require.NoError(t, err)
			return r.Trail.Pins.Snapshot
		}
		first := snapshot()

		site.change(func() {})
		revisit(t, a, srv.URL+"/")
		if tags {
			assert.Empty(t, site.whole, "nothing is sent twice")
		}
		assert.Equal(t, first, snapshot(), "nothing is indexed anew")
		for path, d := range byPath(t, a, "c") {
			assert.Equal(t, "unchanged", d.State, path)
			assert.Equal(t, before[path].Version, d.Version)
		}

		site.change(func() {
			site.pages["/kayak"] = `<h1>Kayaks</h1><p>A kayak costs £14.00 an hour.</p><a href=/canoe>c</a>`
			site.pages["/canoe"] = `<h1>Canoes</h1><p>A canoe costs £16.00 an hour.</p>`
			delete(site.pages, "/rowing")
			site.down["/raft"] = true
		})
		revisit(t, a, srv.URL+"/")
		now := byPath(t, a, "c")
		assert.Equal(t, before["/kayak"].ID, now["/kayak"].ID, "a changed page keeps its identity")
		for path, want := range map[string]string{"/": "unchanged", "/kayak": "indexed", "/canoe": "indexed", "/rowing": "failed", "/raft": "unchanged"} {
			assert.Equal(t, want, now[path].State, path)
		}
		assert.Contains(t, now["/raft"].Reason, "not reached when last visited: 503")
		for q, want := range map[string]string{"How much does a kayak cost?": "£14.00", "How much does a canoe cost?": "£16.00", "How many people does a raft carry?": "eight"} {
			r, err := a.Asking.Ask(t.Context(), public, "c", query.Question{Text: q})
			require.NoError(t, err)
			assert.Contains(t, r.Reply, want, q)
		}
		r, err := a.Asking.Find(t.Context(), public, "c", query.Question{Text: "rowing boat £9.00"}, asking.Variant{})
		require.NoError(t, err)
		for _, e := range r.Evidence {
			assert.False(t, strings.Contains(e.Text, "£9.00"), "what is gone leaves the index")
		}
		old, err := a.Indexing.OpenDocument(t.Context(), "c", now["/kayak"].ID, before["/kayak"].Version)
		require.NoError(t, err)
		assert.Contains(t, old.Text, "£12.00", "the version before stays in history")
		srv.Close()
	}
}

// What was left out for its own sake or another page's is asked after too, and not sent anew: redirects, twins, pages that
// name another address or ask not to be indexed.
func TestASecondVisitFetchesNothingTwice(t *testing.T) {
	site, at := serving(t, map[string]string{
		"/":      words("pier") + "<nav><a href=/moved>m</a><a href=/twin>t</a><a href=/other>o</a><a href=/hidden>h</a><a href=/print>p</a><a href=/away>x</a></nav>",
		"/new":   words("quay"),
		"/twin":  words("mole"),
		"/other": words("mole"),
		"/print": `<link rel=canonical href=/>` + words("print"),
	})
	site.pages["/hidden"] = `<meta name=robots content=noindex>` + words("hidden")
	elsewhere, there := serving(t, map[string]string{"/": words("elsewhere")})
	site.moved = map[string]string{"/moved": at + "/new", "/away": there + "/"}
	a := fresh(t)
	create(t, a, "c")
	s, j, err := a.Gathering.AddSource(t.Context(), "c", gathering.NewSource{Kind: store.KindSite, Address: at, Settings: store.SourceSettings{AllowPrivate: true}})
	require.NoError(t, err)
	done(t, a, j)
	first := states(t, a)
	assert.Equal(t, "indexed", first["/new"])
	assert.Equal(t, "left out", first["/moved"])
	assert.Equal(t, "left out", first["/away"])
	assert.Empty(t, elsewhere.whole, "what leads away is not fetched")
	for range 2 {
		site.change(func() {})
		j, err = a.Gathering.Visit(t.Context(), "c", s.ID)
		require.NoError(t, err)
		done(t, a, j)
		assert.Empty(t, site.whole)
		for path, state := range states(t, a) {
			assert.Equal(t, strings.Replace(first[path], "indexed", "unchanged", 1), state, path)
		}
	}
	// When the page goes whose text another one has, that one comes in.
	in, out := "/twin", "/other"
	if first[in] != "indexed" {
		in, out = out, in
	}
	site.change(func() { delete(site.pages, in) })
	j, err = a.Gathering.Visit(t.Context(), "c", s.ID)
	require.NoError(t, err)
	done(t, a, j)
	if states(t, a)[out] == "left out" { // it was asked after before the other one was missed
		j, err = a.Gathering.Visit(t.Context(), "c", s.ID)
		require.NoError(t, err)
		done(t, a, j)
	}
	assert.Contains(t, []string{"indexed", "unchanged"}, states(t, a)[out])
}
