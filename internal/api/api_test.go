package api_test

import (
	"bufio"
	"bytes"
	"context"
	"encoding/json"
	"io"
	"log/slog"
	"net/http"
	"net/http/httptest"
	"strings"
	"testing"
	"testing/fstest"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"jolvex/internal/api"
	"jolvex/internal/app"
	"jolvex/internal/extractor/extractortest"
)

func TestMain(m *testing.M) { extractortest.Main(m) }

func serve(t *testing.T) *httptest.Server {
	t.Helper()
	log := slog.New(slog.NewTextHandler(io.Discard, nil))
	app, err := app.Open(t.Context(), t.TempDir(), log, app.Options{})
	require.NoError(t, err)
	web := fstest.MapFS{"index.html": {Data: []byte("<title>Jolvex</title>")}, "assets/a.js": {Data: []byte("1")}}
	srv := httptest.NewServer(api.New(app, api.Options{Version: "test", Hosts: []string{"desk.example"}, Web: web, Log: log}))
	t.Cleanup(func() {
		srv.CloseClientConnections()
		srv.Close()
		assert.NoError(t, app.Close())
	})
	return srv
}

type answer struct {
	status int
	header http.Header
	body   map[string]any
	raw    string
}

func send(t *testing.T, srv *httptest.Server, method, path, body string, change ...func(*http.Request)) answer {
	t.Helper()
	req, err := http.NewRequestWithContext(t.Context(), method, srv.URL+path, strings.NewReader(body))
	require.NoError(t, err)
	if body != "" {
		req.Header.Set("Content-Type", "application/json")
	}
	for _, c := range change {
		c(req)
	}
	resp, err := http.DefaultClient.Do(req)
	require.NoError(t, err)
	defer resp.Body.Close()
	raw, err := io.ReadAll(resp.Body)
	require.NoError(t, err)
	out := answer{status: resp.StatusCode, header: resp.Header, raw: string(raw)}
	_ = json.Unmarshal(raw, &out.body) // lists and pages stay raw
	return out
}

func TestProblemsAreToldAsProblems(t *testing.T) {
	srv := serve(t)
	require.Equal(t, 200, send(t, srv, "POST", "/api/corpora", `{"name":"c"}`).status)
	cases := []struct {
		method, path, body string
		status             int
	}{
		{"GET", "/api/corpora/nothing", "", 404},
		{"GET", "/api/nowhere", "", 404},
		{"DELETE", "/api/corpora", "", 405},
		{"POST", "/api/corpora", `{"name":"c"}`, 409},
		{"POST", "/api/corpora", `{"name":""}`, 422},
		{"POST", "/api/corpora", `{"name":`, 400},
		{"POST", "/api/corpora/c/sources", `{"kind":"site","address":"http://127.0.0.1:1/"}`, 422},
		{"POST", "/api/corpora/c/sources", `{"kind":"site","address":"file:///etc/passwd"}`, 422},
		{"POST", "/api/corpora/c/ask", `{"question":"` + strings.Repeat("x", 5000) + `"}`, 422},
		{"PUT", "/api/corpora/c/sets/s", `[{"id":"1","question":"x?","expect":[]}]`, 422},
		{"GET", "/api/corpora/c/documents/none", "", 404},
		{"GET", "/api/corpora/c/runs/none", "", 404},
		{"GET", "/api/corpora/c/replies/none", "", 404},
		{"POST", "/api/corpora/c/jobs/none/cancel", "", 404},
		{"PUT", "/api/corpora/c/method", `{"chunk":{"size":1}}`, 422},
	}
	for _, c := range cases {
		a := send(t, srv, c.method, c.path, c.body)
		assert.Equal(t, c.status, a.status, "%s %s: %s", c.method, c.path, a.raw)
		assert.Contains(t, a.header.Get("Content-Type"), "application/problem+json", "%s %s", c.method, c.path)
		assert.NotEmpty(t, a.body["detail"], "%s %s", c.method, c.path)
	}
}

func TestOnlyOurHostsAreAnsweredFor(t *testing.T) {
	srv := serve(t)
	host := func(h string) func(*http.Request) { return func(q *http.Request) { q.Host = h } }
	for h, want := range map[string]int{"127.0.0.1:99": 200, "localhost": 200, "desk.example:1": 200, "[::1]:8": 200, "evil.example": 421, "127.0.0.1.evil.example": 421, "": 200} {
		assert.Equal(t, want, send(t, srv, "GET", "/api/corpora", "", host(h)).status, h)
	}
}

func TestOtherSitesCannotWrite(t *testing.T) {
	srv := serve(t)
	from := func(k, v string) func(*http.Request) { return func(q *http.Request) { q.Header.Set(k, v) } }
	assert.Equal(t, 403, send(t, srv, "POST", "/api/corpora", `{"name":"x"}`, from("Sec-Fetch-Site", "cross-site")).status)
	assert.Equal(t, 403, send(t, srv, "POST", "/api/corpora", `{"name":"x"}`, from("Origin", "https://evil.example")).status)
	assert.Equal(t, 200, send(t, srv, "POST", "/api/corpora", `{"name":"x"}`, from("Origin", srv.URL)).status)
}

func TestEveryPageCarriesItsPolicy(t *testing.T) {
	srv := serve(t)
	for path, kind := range map[string]string{"/": "text/html", "/c/some/gather": "text/html", "/assets/a.js": "text/javascript", "/api/corpora": "application/json"} {
		a := send(t, srv, "GET", path, "")
		assert.Equal(t, 200, a.status, path)
		assert.Contains(t, a.header.Get("Content-Type"), kind, path)
		assert.Contains(t, a.header.Get("Content-Security-Policy"), "script-src 'self'", path)
		assert.Equal(t, "nosniff", a.header.Get("X-Content-Type-Options"))
	}
	assert.Equal(t, 404, send(t, srv, "GET", "/assets/gone.js", "").status)
	assert.Equal(t, 405, send(t, srv, "POST", "/c/x", "{}").status)
	assert.Equal(t, 404, send(t, srv, "GET", "/api/../../etc/passwd", "").status)
}

func TestAFileGoesInAndAnswers(t *testing.T) {
	srv := serve(t)
	require.Equal(t, 200, send(t, srv, "POST", "/api/corpora", `{"name":"my corpus"}`).status)
	a := send(t, srv, "PUT", "/api/corpora/my%20corpus/files?name=ferry.md", "# Ferry\n\nThe ferry to Sandrel takes 35 minutes.\n", func(q *http.Request) { q.Header.Set("Content-Type", "application/octet-stream") })
	require.Equal(t, 200, a.status, a.raw)
	assert.Equal(t, "indexed", a.body["state"])
	a = send(t, srv, "POST", "/api/corpora/my%20corpus/ask", `{"question":"How long does the ferry to Sandrel take?"}`)
	require.Equal(t, 200, a.status, a.raw)
	assert.Contains(t, a.body["reply"], "35 minutes")
	assert.Equal(t, false, a.body["refused"])
	a = send(t, srv, "GET", "/api/corpora/my%20corpus/documents", "")
	assert.EqualValues(t, 1, a.body["total"])
}

// The event stream is one for everything, numbered, and goes on where a reader left it (HTML standard, server-sent events).
func TestEventsGoOnFromTheLastOneSeen(t *testing.T) {
	srv := serve(t)
	for _, n := range []string{"one", "two", "three"} {
		require.Equal(t, 200, send(t, srv, "POST", "/api/corpora", `{"name":"`+n+`"}`).status)
	}
	read := func(path, last string, want int) (ids, names []string) {
		ctx, cancel := context.WithTimeout(t.Context(), 20*time.Second)
		defer cancel()
		req, err := http.NewRequestWithContext(ctx, "GET", srv.URL+path, nil)
		require.NoError(t, err)
		if last != "" {
			req.Header.Set("Last-Event-ID", last)
		}
		resp, err := http.DefaultClient.Do(req)
		require.NoError(t, err)
		defer resp.Body.Close()
		assert.Equal(t, "text/event-stream", resp.Header.Get("Content-Type"))
		sc := bufio.NewScanner(resp.Body)
		for len(names) < want && sc.Scan() {
			if id, ok := strings.CutPrefix(sc.Text(), "id: "); ok {
				ids = append(ids, id)
			}
			if data, ok := strings.CutPrefix(sc.Text(), "data: "); ok {
				var e struct{ Body struct{ Name string } }
				require.NoError(t, json.Unmarshal([]byte(data), &e))
				names = append(names, e.Body.Name)
			}
		}
		return ids, names
	}
	ids, names := read("/api/events?since=0", "", 3)
	assert.Equal(t, []string{"one", "two", "three"}, names)
	_, names = read("/api/events", ids[0], 2)
	assert.Equal(t, []string{"two", "three"}, names)
}

// OpenAPI 3.1, with every operation named and no list that may be null.
func TestTheDescriptionIsComplete(t *testing.T) {
	raw, err := api.OpenAPI("test")
	require.NoError(t, err)
	var d struct {
		OpenAPI string `json:"openapi"`
		Paths   map[string]map[string]struct {
			OperationID string `json:"operationId"`
			Summary     string `json:"summary"`
		} `json:"paths"`
	}
	require.NoError(t, json.Unmarshal(raw, &d))
	assert.True(t, strings.HasPrefix(d.OpenAPI, "3.1"))
	seen := map[string]bool{}
	for path, methods := range d.Paths {
		assert.True(t, strings.HasPrefix(path, "/api/"))
		for m, op := range methods {
			assert.NotEmpty(t, op.OperationID, "%s %s", m, path)
			assert.NotEmpty(t, op.Summary, "%s %s", m, path)
			assert.False(t, seen[op.OperationID], op.OperationID)
			seen[op.OperationID] = true
		}
	}
	assert.GreaterOrEqual(t, len(seen), 20)
	assert.NotContains(t, string(bytes.ReplaceAll(raw, []byte(" "), nil)), `"type":["array","null"]`)
}

// TestStreamsAreBounded has more follow the stream than may, and one come back after so long that it is told to ask anew.
func TestStreamsAreBounded(t *testing.T) {
	srv := serve(t)
	follow := func(path string) *http.Response {
		q, err := http.NewRequestWithContext(t.Context(), http.MethodGet, srv.URL+path, nil)
		require.NoError(t, err)
		r, err := http.DefaultClient.Do(q)
		require.NoError(t, err)
		t.Cleanup(func() { r.Body.Close() })
		return r
	}
	late := follow("/api/events?since=9000000")
	lines := bufio.NewScanner(late.Body)
	var head []string
	for len(head) < 5 && lines.Scan() {
		head = append(head, lines.Text())
	}
	assert.Equal(t, "event: reload", head[2], "%q", head)
	held := 0
	for range 210 {
		if r := follow("/api/events"); r.StatusCode == http.StatusServiceUnavailable {
			held++
			assert.NotEmpty(t, r.Header.Get("Retry-After"))
		}
	}
	assert.Equal(t, 11, held, "200 are enough")
	assert.Less(t, send(t, srv, "GET", "/api/corpora", "").status, 300, "and everything else answers")
}
