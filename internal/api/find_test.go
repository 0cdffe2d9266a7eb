package api_test

import (
	"encoding/json"
	"fmt"
	"net/http/httptest"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"jolvex/internal/sim"
)

// stocked is a server with one corpus of one document, and that document's id.
func stocked(t *testing.T) (*httptest.Server, string) {
	t.Helper()
	srv := serve(t)
	require.Equal(t, 200, send(t, srv, "POST", "/api/corpora", `{"name":"c"}`).status)
	r := send(t, srv, "PUT", "/api/corpora/c/texts", `{"title":"Animals","text":"# Animals\n\nA dog pays £2.00 each way.\n\n# Kayaks\n\nA kayak pays £9.00."}`)
	require.Equal(t, 200, r.status, r.raw)
	id, ok := r.body["id"].(string)
	require.True(t, ok, r.raw)
	return srv, id
}

// finished waits for a job to end and gives its state.
func finished(t *testing.T, srv *httptest.Server, id string) string {
	t.Helper()
	for end := time.Now().Add(time.Minute); time.Now().Before(end); time.Sleep(10 * time.Millisecond) {
		r := send(t, srv, "GET", "/api/corpora/c/jobs/"+id, "")
		if s, _ := r.body["state"].(string); s != "queued" && s != "running" {
			return s
		}
	}
	require.Fail(t, "the job did not end")
	return ""
}

func settings(t *testing.T, srv *httptest.Server, stage string) map[string]any {
	t.Helper()
	m := send(t, srv, "GET", "/api/corpora/c/method", "")
	s, ok := m.body[stage].(map[string]any)
	require.True(t, ok, m.raw)
	return s
}

func asJSON(t *testing.T, v any) string {
	t.Helper()
	b, err := json.Marshal(v)
	require.NoError(t, err)
	return string(b)
}

func TestPreviewsAndFiguresOverTheAPI(t *testing.T) {
	srv, id := stocked(t)
	s := settings(t, srv, "chunk")
	other := map[string]any{}
	for k, v := range s {
		other[k] = v
	}
	other["strategy"], other["size"], other["overlap"] = "fixed", 32, 0
	r := send(t, srv, "POST", "/api/corpora/c/documents/"+id+"/preview", asJSON(t, map[string]any{"settings": s, "other": other}))
	require.Equal(t, 200, r.status, r.raw)
	assert.NotEmpty(t, r.body["chunks"])
	assert.NotNil(t, r.body["other"])
	r = send(t, srv, "POST", "/api/corpora/c/cutting", asJSON(t, map[string]any{"settings": s, "all": true}))
	require.Equal(t, 200, r.status, r.raw)
	assert.InDelta(t, 1, r.body["total"], 0)
	other["overlap"] = 32
	r = send(t, srv, "POST", "/api/corpora/c/cutting", asJSON(t, map[string]any{"settings": other}))
	assert.Equal(t, 422, r.status)
	assert.Contains(t, r.raw, "32 tokens of overlap must be fewer than the size of 32")
	other["size"] = 7
	r = send(t, srv, "POST", "/api/corpora/c/documents/"+id+"/preview", asJSON(t, map[string]any{"settings": other}))
	assert.Equal(t, 422, r.status)
	assert.Contains(t, r.raw, "7 is outside 32 to 2000 tokens", "the bound is in the message")
}

func TestFindingOverTheAPI(t *testing.T) {
	srv, id := stocked(t)
	f := settings(t, srv, "find")
	f["fusion"] = "ranks"
	r := send(t, srv, "POST", "/api/corpora/c/find", asJSON(t, map[string]any{"question": "dog fare", "find": f}))
	require.Equal(t, 200, r.status, r.raw)
	found, ok := r.body["evidence"].([]any)
	require.True(t, ok)
	require.NotEmpty(t, found)
	first, ok := found[0].(map[string]any)
	require.True(t, ok)
	assert.NotEmpty(t, first["why"])
	assert.NotEmpty(t, first["signals"])
	r = send(t, srv, "POST", "/api/corpora/c/find", `{"question":"dog fare","filter":{"kinds":["film"]}}`)
	require.Equal(t, 200, r.status, r.raw)
	assert.Empty(t, r.body["evidence"])
	assert.NotEmpty(t, r.body["left"])
	f["dense"] = 3
	assert.Equal(t, 422, send(t, srv, "POST", "/api/corpora/c/find", asJSON(t, map[string]any{"question": "dog", "find": f})).status)
	assert.Equal(t, 422, send(t, srv, "POST", "/api/corpora/c/find", `{"question":"dog","filter":{"since":"spring"}}`).status)

	r = send(t, srv, "POST", "/api/corpora/c/find/batch", `{"questions":[{"id":"1","question":"kayak","expect":[{"kind":"cites","values":["Animals"]}]}],"variants":[{}]}`)
	require.Equal(t, 200, r.status, r.raw)
	assert.Contains(t, r.raw, `"rank":1`)
	assert.Equal(t, 422, send(t, srv, "POST", "/api/corpora/c/find/batch", `{"questions":[],"variants":[{}]}`).status)

	pin := fmt.Sprintf(`{"set":"mine","question":"dog fare","document":%q,"version":%q,"span":{"start":0,"end":40}}`, id, first["version"])
	r = send(t, srv, "POST", "/api/corpora/c/pins", pin)
	require.Equal(t, 200, r.status, r.raw)
	assert.Contains(t, r.raw, "A dog pays £2.00 each way.")
	assert.Equal(t, 404, send(t, srv, "POST", "/api/corpora/c/pins", strings.Replace(pin, id, "other", 1)).status)

	r = send(t, srv, "POST", "/api/corpora/c/sets/mine/studies", `{"kind":"ablation"}`)
	require.Equal(t, 200, r.status, r.raw)
	job, ok := r.body["job"].(map[string]any)
	require.True(t, ok)
	assert.Equal(t, "done", finished(t, srv, fmt.Sprint(job["id"])))
	assert.Contains(t, send(t, srv, "GET", "/api/corpora/c/studies", "").raw, `"ablation":{"whole"`)
	assert.Equal(t, 422, send(t, srv, "POST", "/api/corpora/c/sets/mine/studies", `{"kind":"wish"}`).status)
	assert.Equal(t, 404, send(t, srv, "POST", "/api/corpora/c/sets/none/studies", `{"kind":"fit"}`).status)
}

// A connection's key goes in and never comes out.
func TestConnectionsOverTheAPI(t *testing.T) {
	srv := serve(t)
	h, err := sim.Embeddings("the-key")
	require.NoError(t, err)
	stand := httptest.NewServer(h)
	defer stand.Close()
	assert.JSONEq(t, `{"base":"","model":"","keyed":false}`, send(t, srv, "GET", "/api/connections/embeddings", "").raw)
	r := send(t, srv, "PUT", "/api/connections/embeddings", fmt.Sprintf(`{"base":"%s/v1","key":"wrong-key"}`, stand.URL))
	assert.Equal(t, 422, r.status)
	assert.Contains(t, r.raw, "the key is not right")
	assert.NotContains(t, r.raw, "wrong-key")
	r = send(t, srv, "PUT", "/api/connections/embeddings", fmt.Sprintf(`{"base":"%s/v1","model":"m","key":"the-key"}`, stand.URL))
	require.Equal(t, 200, r.status, r.raw)
	r = send(t, srv, "GET", "/api/connections/embeddings", "")
	assert.Equal(t, true, r.body["keyed"])
	assert.InDelta(t, 256, r.body["dimensions"], 0)
	assert.NotContains(t, r.raw, "the-key")
	assert.Equal(t, 422, send(t, srv, "PUT", "/api/connections/embeddings", `{"base":"file:///etc"}`).status)
	assert.Equal(t, 422, send(t, srv, "PUT", "/api/connections/embeddings", `{"base":"http://127.0.0.1:1/v1"}`).status, "nobody answers there")
	require.Equal(t, 200, send(t, srv, "PUT", "/api/connections/speech", `{"base":"http://127.0.0.1:1/v1","key":"k"}`).status)
	assert.JSONEq(t, `{"base":"http://127.0.0.1:1/v1","model":"","keyed":true}`, send(t, srv, "GET", "/api/connections/speech", "").raw)
}

// Nothing, zero and off are settings like others: they arrive as they were sent.
func TestZeroIsASetting(t *testing.T) {
	srv, _ := stocked(t)
	m := send(t, srv, "GET", "/api/corpora/c/method", "").body
	zero := func(stage, key string, v any) {
		s, ok := m[stage].(map[string]any)
		require.True(t, ok, stage)
		require.NotEqual(t, v, s[key], "%s.%s", stage, key)
		s[key] = v
	}
	zero("chunk", "overlap", 0.0)
	zero("chunk", "least", 0.0)
	zero("find", "dense", 0.0)
	zero("find", "fold", false)
	zero("query", "spelling", false)
	zero("answer", "bar", 0.0)
	zero("answer", "refusal", "")
	r := send(t, srv, "PUT", "/api/corpora/c/method", asJSON(t, m))
	require.Equal(t, 200, r.status, r.raw)
	assert.Equal(t, m, r.body["method"])
	assert.Equal(t, m, send(t, srv, "GET", "/api/corpora/c/method", "").body)
}
