package gather

import (
	"context"
	"errors"
	"fmt"
	"net/http"
	"net/http/httptest"
	"strings"
	"sync/atomic"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestFetcherReachesNoPrivateAddressUnlessAllowed(t *testing.T) {
	srv := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, _ *http.Request) { fmt.Fprint(w, "secret") }))
	defer srv.Close()
	_, err := NewFetcher(false).Get(t.Context(), srv.URL, MaxBody, nil)
	assert.ErrorIs(t, err, ErrPrivate)
	_, err = NewFetcher(false).Get(t.Context(), strings.Replace(srv.URL, "127.0.0.1", "localhost", 1), MaxBody, nil)
	assert.ErrorIs(t, err, ErrPrivate, "what counts is what the name resolves to")
	p, err := NewFetcher(true).Get(t.Context(), srv.URL, MaxBody, nil)
	require.NoError(t, err)
	assert.Equal(t, "secret", string(p.Body))
}

func TestFetcherFollowsRedirectsWithinReason(t *testing.T) {
	mux := http.NewServeMux()
	mux.HandleFunc("/a", func(w http.ResponseWriter, q *http.Request) {
		http.Redirect(w, q, "/b?utm_source=x", http.StatusMovedPermanently)
	})
	mux.HandleFunc("/b", func(w http.ResponseWriter, q *http.Request) { http.Redirect(w, q, "c", http.StatusFound) })
	mux.HandleFunc("/c", func(w http.ResponseWriter, q *http.Request) {
		w.Header().Set("ETag", `"7"`)
		w.Header().Set("X-Robots-Tag", "NoIndex")
		fmt.Fprint(w, q.Header.Get("User-Agent"))
	})
	mux.HandleFunc("/loop", func(w http.ResponseWriter, q *http.Request) { http.Redirect(w, q, "/loop", http.StatusFound) })
	mux.HandleFunc("/away", func(w http.ResponseWriter, q *http.Request) {
		http.Redirect(w, q, "file:///etc/passwd", http.StatusFound)
	})
	srv := httptest.NewServer(mux)
	defer srv.Close()
	f := NewFetcher(true)
	p, err := f.Get(t.Context(), srv.URL+"/a", MaxBody, nil)
	require.NoError(t, err)
	assert.Equal(t, srv.URL+"/c", p.Address)
	assert.Equal(t, []string{srv.URL + "/a", srv.URL + "/b"}, p.Redirects)
	assert.Equal(t, UserAgent, string(p.Body))
	assert.Equal(t, `"7"`, p.ETag)
	assert.Equal(t, "noindex", p.RobotsTag)
	_, err = f.Get(t.Context(), srv.URL+"/loop", MaxBody, nil)
	assert.ErrorIs(t, err, ErrLoop)
	_, err = f.Get(t.Context(), srv.URL+"/away", MaxBody, nil)
	assert.Error(t, err)
	refused := errors.New("not there")
	_, err = f.Get(t.Context(), srv.URL+"/a", MaxBody, func(a string) error {
		if strings.HasSuffix(a, "/b") {
			return refused
		}
		return nil
	})
	assert.ErrorIs(t, err, refused, "each step of a redirect is asked about")
}

func TestFetcherCapsWhatItReads(t *testing.T) {
	srv := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, _ *http.Request) {
		for range 100 {
			fmt.Fprint(w, strings.Repeat("x", 100))
		}
	}))
	defer srv.Close()
	f := NewFetcher(true)
	_, err := f.Get(t.Context(), srv.URL, 9_999, nil)
	assert.ErrorIs(t, err, ErrTooLarge)
	p, err := f.Get(t.Context(), srv.URL, 10_000, nil)
	require.NoError(t, err)
	assert.Len(t, p.Body, 10_000)
}

// RFC 9309, section 2.3.1: 4xx allows everything, 5xx and no answer forbid everything; fetched once for a host.
func TestRobotsByStatus(t *testing.T) {
	for status, want := range map[int]bool{200: false, 404: true, 403: true, 500: false, 503: false} {
		var asked atomic.Int32
		srv := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, _ *http.Request) {
			asked.Add(1)
			w.WriteHeader(status)
			fmt.Fprint(w, "User-agent: *\nDisallow: /x")
		}))
		f := NewFetcher(true)
		for range 3 {
			r, err := f.Robots(t.Context(), srv.URL+"/x/y")
			require.NoError(t, err)
			assert.Equal(t, want, r.Allows("/x/y"), status)
		}
		assert.EqualValues(t, 1, asked.Load())
		srv.Close()
	}
	srv := httptest.NewServer(http.NotFoundHandler())
	srv.Close()
	r, err := NewFetcher(true).Robots(t.Context(), srv.URL)
	require.NoError(t, err)
	assert.False(t, r.Allows("/"))
}

func TestRetryAfterIsRead(t *testing.T) {
	srv := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, _ *http.Request) {
		w.Header().Set("Retry-After", "17")
		w.WriteHeader(http.StatusTooManyRequests)
	}))
	defer srv.Close()
	p, err := NewFetcher(true).Get(t.Context(), srv.URL, MaxBody, nil)
	require.NoError(t, err)
	assert.Equal(t, 429, p.Status)
	assert.Equal(t, 17*time.Second, p.RetryAfter)
}

func TestPoliteSpacesRequestsToOneHost(t *testing.T) {
	var p Polite
	const delay = 30 * time.Millisecond
	began := time.Now()
	for range 3 {
		require.NoError(t, p.Wait(t.Context(), "http://a.example/x", delay))
	}
	assert.GreaterOrEqual(t, time.Since(began), 2*delay)
	ctx, cancel := context.WithCancel(t.Context())
	cancel()
	assert.ErrorIs(t, p.Wait(ctx, "http://a.example/y", time.Hour), context.Canceled)
	assert.NoError(t, p.Wait(t.Context(), "http://b.example/", time.Hour), "another host does not wait")
}

// RFC 9110, section 13.1.2 and 13.1.3: a tag goes before a date, and what has not changed comes without a body.
func TestConditionalRequests(t *testing.T) {
	srv := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, q *http.Request) {
		if q.Header.Get("If-None-Match") == `"7"` && q.Header.Get("If-Modified-Since") == "" || q.Header.Get("If-Modified-Since") == "Tue, 03 Mar 2026 10:00:00 GMT" {
			w.WriteHeader(http.StatusNotModified)
			return
		}
		fmt.Fprint(w, "whole")
	}))
	defer srv.Close()
	f := NewFetcher(true)
	for c, want := range map[Conditions]int{
		{ETag: `"7"`}: 304, {ETag: `"7"`, LastModified: "Tue, 03 Mar 2026 10:00:00 GMT"}: 304, {LastModified: "Tue, 03 Mar 2026 10:00:00 GMT"}: 304,
		{ETag: `"8"`}: 200, {}: 200,
	} {
		p, err := f.GetIf(t.Context(), srv.URL, MaxBody, c, nil)
		require.NoError(t, err)
		assert.Equal(t, want, p.Status, "%+v", c)
		assert.Equal(t, want == 200, len(p.Body) > 0)
	}
}
