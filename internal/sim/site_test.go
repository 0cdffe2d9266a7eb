package sim_test

import (
	"io"
	"net/http"
	"net/http/httptest"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"jolvex/core/extract"
	"jolvex/demo"
	"jolvex/internal/gather"
	"jolvex/internal/sim"
)

func site(t *testing.T) string {
	t.Helper()
	var h http.Handler
	srv := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, q *http.Request) { h.ServeHTTP(w, q) }))
	t.Cleanup(srv.Close)
	h = sim.Site(demo.Pages(), srv.URL+"/", time.Now)
	return srv.URL
}

func get(t *testing.T, address string, header ...string) (*http.Response, string) {
	t.Helper()
	req, err := http.NewRequestWithContext(t.Context(), http.MethodGet, address, nil)
	require.NoError(t, err)
	for i := 0; i+1 < len(header); i += 2 {
		req.Header.Set(header[i], header[i+1])
	}
	c := http.Client{CheckRedirect: func(*http.Request, []*http.Request) error { return http.ErrUseLastResponse }}
	resp, err := c.Do(req)
	require.NoError(t, err)
	defer resp.Body.Close()
	b, err := io.ReadAll(resp.Body)
	require.NoError(t, err)
	return resp, string(b)
}

// The faults on purpose are there: what the product does about them would prove nothing otherwise.
func TestTheSiteHasItsFaults(t *testing.T) {
	home := site(t)
	for path, want := range map[string]int{"/": 200, "/fares": 200, "/old-brochure": 404, "/tickets": 301, "/booking-tickets": 301, "/bookings": 200, "/live-departures": 200} {
		r, _ := get(t, home+path)
		assert.Equal(t, want, r.StatusCode, path)
	}
	for _, want := range []int{503, 503, 200, 200} {
		r, _ := get(t, home+"/news/pier-works")
		assert.Equal(t, want, r.StatusCode, "it fails twice and then works")
	}
	_, scripted := get(t, home+"/live-departures")
	d, err := extract.Extract(extract.Input{Address: home, MediaType: "text/html", Body: []byte(scripted)})
	assert.ErrorIs(t, err, extract.ErrNoText)
	assert.NotEmpty(t, d.Notes)
	_, page := get(t, home+"/thank-you")
	d, err = extract.Extract(extract.Input{Address: home, MediaType: "text/html", Body: []byte(page)})
	require.NoError(t, err)
	assert.True(t, d.NoIndex)
	_, fares := get(t, home+"/fares")
	assert.Contains(t, fares, "utm_source=footer", "a link under a tracking parameter")
}

func TestTheSiteForbidsAndNamesItsPages(t *testing.T) {
	home := site(t)
	_, body := get(t, home+"/robots.txt")
	r := gather.ParseRobots(body, gather.Product)
	assert.False(t, r.Allows("/internal/rota"))
	assert.False(t, r.Allows("/basket"))
	assert.True(t, r.Allows("/fares"))
	require.Equal(t, []string{home + "/sitemap.xml"}, r.Sitemaps)
	_, body = get(t, r.Sitemaps[0])
	pages, _, err := gather.ParseSitemap([]byte(body))
	require.NoError(t, err)
	assert.Greater(t, len(pages), 20)
	for _, p := range pages {
		got, _ := get(t, p.Address)
		for range 2 { // the one that fails twice
			if got.StatusCode == 503 {
				got, _ = get(t, p.Address)
			}
		}
		assert.Equal(t, 200, got.StatusCode, p.Address)
		assert.NotContains(t, p.Address, "/news/", "news are found by links alone")
	}
}

func TestPagesCanBeAskedForConditionally(t *testing.T) {
	home := site(t)
	r, body := get(t, home+"/fares")
	tag := r.Header.Get("ETag")
	require.NotEmpty(t, tag)
	r, again := get(t, home+"/fares", "If-None-Match", tag)
	assert.Equal(t, http.StatusNotModified, r.StatusCode)
	assert.Empty(t, again)
	r, other := get(t, home+"/refunds", "If-None-Match", tag)
	assert.Equal(t, 200, r.StatusCode)
	assert.NotEqual(t, body, other)
}

// Every page of the demo reads as it was written: a title, text, and the tables that questions ask about.
func TestEveryPageReads(t *testing.T) {
	home := site(t)
	for path, tables := range map[string]int{"/fares": 5, "/timetables/summer": 4, "/timetables/winter": 3, "/refunds": 1, "/parking": 1, "/freight": 1, "/bookings": 1, "/contact": 1} {
		_, body := get(t, home+path)
		d, err := extract.Extract(extract.Input{Address: home + path, MediaType: "text/html", Body: []byte(body)})
		require.NoError(t, err, path)
		require.NoError(t, d.Check())
		n := 0
		for _, b := range d.Blocks {
			if b.Grid != nil {
				n++
				assert.NotEmpty(t, b.Grid.Header, path)
			}
		}
		assert.Equal(t, tables, n, path)
		assert.NotContains(t, d.Title, "|", "the site's name is no part of a page's title")
		assert.False(t, strings.Contains(d.Text, "Harbour Road 1, Tolmouth. Jobs"), "the foot is no content")
	}
}
