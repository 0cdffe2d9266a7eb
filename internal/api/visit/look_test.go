package visit_test

import (
	"fmt"
	"net/http"
	"net/http/httptest"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"jolvex/internal/gathering"
	"jolvex/internal/serving"
	"jolvex/internal/store"
)

// TestALookAtAPage says what keeps the assistant from showing on a page, each with its cure.
func TestALookAtAPage(t *testing.T) {
	h := open(t)
	site := http.NewServeMux()
	srv := httptest.NewServer(site)
	t.Cleanup(srv.Close)
	host := strings.TrimPrefix(srv.URL, "http://")
	_, err := h.app.Serving.Look(t.Context(), corpus, "not an address")
	require.Error(t, err)
	look := func(path string) map[string]serving.Point {
		got, err := h.app.Serving.Look(t.Context(), corpus, srv.URL+path)
		require.NoError(t, err)
		out := map[string]serving.Point{"shows": {Good: got.Shows}}
		for _, p := range got.Points {
			out[p.Name] = p
			assert.True(t, p.Good || p.Cure != "", "%s: what is wrong has its cure", p.Name)
		}
		return out
	}
	assert.False(t, look("/good")["page"].Good, "a private host is not reached without leave")
	_, _, err = h.app.Gathering.AddSource(t.Context(), corpus, gathering.NewSource{Kind: store.KindSite, Address: srv.URL + "/good", Settings: store.SourceSettings{AllowPrivate: true, Choose: true}})
	require.NoError(t, err)

	h.app.Serving.VisitorsAt("https://ask.tolmouth.example")
	place := h.settings(func(s *serving.Settings) { s.Domains = []string{"www.tolmouth.example"} })
	line := place.Line()
	page := func(path, html, policy string) {
		site.HandleFunc(path, func(w http.ResponseWriter, _ *http.Request) {
			w.Header().Set("Content-Type", "text/html")
			if policy != "" {
				w.Header().Set("Content-Security-Policy", policy)
			}
			fmt.Fprint(w, "<!doctype html><title>Dogs</title><p>Dogs are welcome.</p>"+html)
		})
	}
	page("/good", line, "")
	page("/none", "<script src='/other.js'></script>", "")
	page("/other", strings.Replace(line, place.Place, "another", 1), "")
	page("/elsewhere", strings.Replace(line, "ask.tolmouth.example", "old.tolmouth.example", 1), "")
	page("/shut", line, "default-src 'self'; script-src https://ask.tolmouth.example")
	page("/open", line, "default-src 'self'; script-src https://ask.tolmouth.example; connect-src https://ask.tolmouth.example; frame-src https://ask.tolmouth.example")
	page("/meta", `<meta http-equiv="content-security-policy" content="frame-src 'none'">`+line, "")
	site.HandleFunc("/gone", http.NotFound)
	site.HandleFunc("/picture", func(w http.ResponseWriter, _ *http.Request) { w.Header().Set("Content-Type", "image/png") })
	site.Handle("/moved", http.RedirectHandler("/good", http.StatusFound))

	got := look("/good")
	assert.False(t, got["domain"].Good)
	assert.Contains(t, got["domain"].Cure, host)
	h.settings(func(s *serving.Settings) { s.Domains = []string{host} })
	got = look("/good")
	assert.True(t, got["shows"].Good, "%+v", got)
	got = look("/moved")
	assert.True(t, got["shows"].Good)
	assert.Contains(t, got["page"].Says, "redirect")
	for path, bad := range map[string]string{"/none": "line", "/other": "place", "/elsewhere": "address", "/shut": "policy", "/meta": "policy", "/gone": "page", "/picture": "page"} {
		got := look(path)
		assert.False(t, got["shows"].Good, path)
		assert.False(t, got[bad].Good, "%s: %+v", path, got)
		assert.NotEmpty(t, got[bad].Cure, path)
	}
	assert.Contains(t, look("/shut")["policy"].Says, "connect-src, frame-src")
	assert.NotContains(t, look("/shut")["policy"].Says, "script-src")
	assert.True(t, look("/open")["shows"].Good)
	h.settings(func(s *serving.Settings) { s.Paused = true })
	got = look("/good")
	assert.Equal(t, []bool{true, false, false}, []bool{got["policy"].Good, got["open"].Good, got["shows"].Good})
}
