package gather

import (
	"compress/flate"
	"compress/gzip"
	"context"
	"errors"
	"fmt"
	"io"
	"net/http"
	"net/http/httptest"
	"strings"
	"sync/atomic"
	"testing"
	"time"

	"github.com/andybalholm/brotli"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestFetcherReachesNoPrivateAddressUnlessAllowed(t *testing.T) {
	srv := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, _ *http.Request) { fmt.Fprint(w, "secret") }))
	defer srv.Close()
	_, err := NewFetcher(Reach{}).Get(t.Context(), srv.URL, MaxBody, nil)
	assert.ErrorIs(t, err, ErrPrivate)
	_, err = NewFetcher(Reach{}).Get(t.Context(), strings.Replace(srv.URL, "127.0.0.1", "localhost", 1), MaxBody, nil)
	assert.ErrorIs(t, err, ErrPrivate, "what counts is what the name resolves to")
	p, err := NewFetcher(Reach{Private: []string{HostPort(srv.URL)}}).Get(t.Context(), srv.URL, MaxBody, nil)
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
	f := NewFetcher(Reach{Private: []string{HostPort(srv.URL)}})
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
	f := NewFetcher(Reach{Private: []string{HostPort(srv.URL)}})
	_, err := f.Get(t.Context(), srv.URL, 9_999, nil)
	assert.ErrorIs(t, err, ErrTooLarge)
	p, err := f.Get(t.Context(), srv.URL, 10_000, nil)
	require.NoError(t, err)
	assert.Len(t, p.Body, 10_000)
}

// RFC 9309, section 2.3.1: 4xx allows everything, 5xx and no answer forbid everything; fetched once for a host.
func TestRobotsByStatus(t *testing.T) {
	waits := robotsTries
	robotsTries = []time.Duration{0, time.Millisecond, time.Millisecond}
	defer func() { robotsTries = waits }()
	for status, want := range map[int]bool{200: false, 404: true, 403: true, 500: false, 503: false} {
		var asked atomic.Int32
		srv := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, _ *http.Request) {
			asked.Add(1)
			w.WriteHeader(status)
			fmt.Fprint(w, "User-agent: *\nDisallow: /x")
		}))
		f := NewFetcher(Reach{Private: []string{HostPort(srv.URL)}})
		for range 3 {
			r, err := f.Robots(t.Context(), srv.URL+"/x/y")
			require.NoError(t, err)
			assert.Equal(t, want, r.Allows("/x/y"), status)
		}
		tries := 1
		if status >= 500 {
			tries = len(robotsTries)
		}
		assert.EqualValues(t, tries, asked.Load())
		srv.Close()
	}
	srv := httptest.NewServer(http.NotFoundHandler())
	srv.Close()
	r, err := NewFetcher(Reach{Private: []string{HostPort(srv.URL)}}).Robots(t.Context(), srv.URL)
	require.NoError(t, err)
	assert.False(t, r.Allows("/"))
}

func TestRetryAfterIsRead(t *testing.T) {
	srv := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, _ *http.Request) {
		w.Header().Set("Retry-After", "17")
		w.WriteHeader(http.StatusTooManyRequests)
	}))
	defer srv.Close()
	p, err := NewFetcher(Reach{Private: []string{HostPort(srv.URL)}}).Get(t.Context(), srv.URL, MaxBody, nil)
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

func TestPoliteGoesSlowerWhereAHostAsksForIt(t *testing.T) {
	var p Polite
	const at, other = "http://a.example/x", "http://b.example/"
	p.Slow(at, 0, false)
	p.Slow(at, 0, false)
	assert.Zero(t, p.Extra(at), "one page that is out of order is no overload")
	p.Slow(at, 0, false)
	assert.Equal(t, time.Second, p.Extra(at))
	p.Slow(at, 0, true)
	assert.Equal(t, 2*time.Second, p.Extra(at))
	assert.Zero(t, p.Extra(other))
	for range 5 {
		p.Fine(at)
	}
	assert.Equal(t, time.Second, p.Extra(at))
	for range 40 {
		p.Slow(at, 0, true)
	}
	assert.Equal(t, time.Minute, p.Extra(at))
	for range 200 {
		p.Fine(at)
	}
	assert.Zero(t, p.Extra(at))
	ctx, cancel := context.WithCancel(t.Context())
	cancel()
	p.Slow(at, time.Hour, true)
	assert.ErrorIs(t, p.Wait(ctx, at, 0), context.Canceled, "what the host asks for is waited for")
}

// RFC 9110, section 8.4.1: content codings. The limit is on what comes out: a small body may be a large page.
func TestCodedBodies(t *testing.T) {
	body := strings.Repeat("All boats are on time. ", 5000)
	srv := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, q *http.Request) {
		coding := strings.TrimPrefix(q.URL.Path, "/")
		w.Header().Set("Content-Encoding", coding)
		var z io.WriteCloser
		switch coding {
		case "gzip":
			z = gzip.NewWriter(w)
		case "br":
			z = brotli.NewWriter(w)
		case "deflate":
			f, err := flate.NewWriter(w, 6)
			if err != nil {
				return
			}
			z = f
		default:
			fmt.Fprint(w, body)
			return
		}
		_, _ = io.WriteString(z, body)
		_ = z.Close()
	}))
	defer srv.Close()
	f := NewFetcher(Reach{Private: []string{HostPort(srv.URL)}})
	for _, coding := range []string{"gzip", "br", "deflate", "identity"} {
		p, err := f.Get(t.Context(), srv.URL+"/"+coding, MaxBody, nil)
		require.NoError(t, err, coding)
		assert.Equal(t, body, string(p.Body), coding)
		_, err = f.Get(t.Context(), srv.URL+"/"+coding, 10_000, nil)
		assert.ErrorIs(t, err, ErrTooLarge, coding)
	}
	_, err := f.Get(t.Context(), srv.URL+"/zstd", MaxBody, nil)
	assert.ErrorContains(t, err, "not asked for")
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
	f := NewFetcher(Reach{Private: []string{HostPort(srv.URL)}})
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

func TestRobotsTagIsForEverybodyOrForUs(t *testing.T) {
	for want, values := range map[string][]string{
		"noindex":                        {"noindex"},
		"":                               {"otherbot: noindex, nofollow"},
		"nofollow":                       {"otherbot: noindex", "JolvexBot: nofollow"},
		"noindex, max-image-preview:all": {"NoIndex, max-image-preview:all"},
		"unavailable_after: 25 jun 2010 15:00:00 pst": {"unavailable_after: 25 Jun 2010 15:00:00 PST"},
	} {
		assert.Equal(t, want, robotsTag(values))
	}
}

// What hostile servers do, and what it comes to. A private address is refused wherever it appears: at first, as the target
// of a redirect, as the answer of a name.
func TestHostileServers(t *testing.T) {
	secret := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, _ *http.Request) { fmt.Fprint(w, "secret") }))
	defer secret.Close()
	stop := make(chan struct{})
	mux := http.NewServeMux()
	mux.HandleFunc("/inside", func(w http.ResponseWriter, q *http.Request) { http.Redirect(w, q, secret.URL, http.StatusFound) })
	mux.HandleFunc("/inside-by-name", func(w http.ResponseWriter, q *http.Request) {
		http.Redirect(w, q, strings.Replace(secret.URL, "127.0.0.1", "localhost", 1), http.StatusFound)
	})
	mux.HandleFunc("/metadata", func(w http.ResponseWriter, q *http.Request) {
		http.Redirect(w, q, "http://169.254.169.254/latest/meta-data", http.StatusFound)
	})
	mux.HandleFunc("/endless", func(w http.ResponseWriter, _ *http.Request) {
		for {
			if _, err := io.WriteString(w, strings.Repeat("x", 1<<16)); err != nil {
				return
			}
		}
	})
	mux.HandleFunc("/bomb", func(w http.ResponseWriter, _ *http.Request) {
		w.Header().Set("Content-Encoding", "gzip")
		z := gzip.NewWriter(w)
		for range 400 { // 25 MB of nothing in 25 kB
			if _, err := z.Write(make([]byte, 1<<16)); err != nil {
				return
			}
		}
		_ = z.Close()
	})
	mux.HandleFunc("/silent", func(_ http.ResponseWriter, q *http.Request) {
		select {
		case <-stop:
		case <-q.Context().Done():
		}
	})
	mux.HandleFunc("/drip", func(w http.ResponseWriter, q *http.Request) {
		for {
			if _, err := io.WriteString(w, "x"); err != nil || http.NewResponseController(w).Flush() != nil {
				return
			}
			select {
			case <-time.After(20 * time.Millisecond):
			case <-stop:
				return
			case <-q.Context().Done():
				return
			}
		}
	})
	mux.HandleFunc("/headers", func(w http.ResponseWriter, _ *http.Request) { w.Header().Set("X-Long", strings.Repeat("x", 1<<20)) })
	mux.HandleFunc("/short", func(w http.ResponseWriter, _ *http.Request) {
		w.Header().Set("Content-Length", "1000")
		fmt.Fprint(w, "x")
	})
	srv := httptest.NewServer(mux)
	defer srv.Close()
	defer close(stop)
	reach := Reach{Private: []string{HostPort(srv.URL)}}
	patient, hasty := NewFetcher(reach), NewFetcher(reach)
	hasty.client.Timeout = 500 * time.Millisecond
	for path, want := range map[string]string{
		"/inside": "private address", "/inside-by-name": "private address", "/metadata": "private address", "/endless": "too large", "/bomb": "too large",
		"/silent": "time-out", "/drip": "time-out", "/headers": "server response headers exceeded", "/short": "unexpected EOF",
	} {
		f := patient
		if want == "time-out" {
			f = hasty
		}
		_, err := f.Get(t.Context(), srv.URL+path, MaxBody, nil)
		assert.ErrorContains(t, err, want, path)
	}
}
