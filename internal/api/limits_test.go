package api_test

import (
	"encoding/json"
	"fmt"
	"maps"
	"math/rand/v2"
	"net/http"
	"net/http/httptest"
	"net/url"
	"os"
	"slices"
	"strconv"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"jolvex/internal/api"
)

// schema is one of the OpenAPI file (JSON Schema 2020-12), as far as requests are made of it.
type schema struct {
	Ref        string             `json:"$ref"`
	Type       any                `json:"type"`
	Format     string             `json:"format"`
	Enum       []any              `json:"enum"`
	MaxLength  *int               `json:"maxLength"`
	MaxItems   *int               `json:"maxItems"`
	Items      *schema            `json:"items"`
	Properties map[string]*schema `json:"properties"`
	Required   []string           `json:"required"`
}

func (s *schema) is(kind string) bool {
	if list, ok := s.Type.([]any); ok {
		for _, k := range list {
			if k == kind {
				return true
			}
		}
		return false
	}
	return s.Type == kind
}

type parameter struct {
	Name, In string
	Schema   *schema
}

type operation struct {
	ID         string `json:"operationId"`
	Parameters []parameter
	Body       struct {
		Content map[string]struct{ Schema *schema }
	} `json:"requestBody"`
}

type wholeAPI struct {
	Paths      map[string]map[string]json.RawMessage
	Components struct{ Schemas map[string]*schema }
}

func requests(t *testing.T) (wholeAPI, map[string]map[string]operation) {
	t.Helper()
	raw, err := api.OpenAPI("test")
	require.NoError(t, err)
	var d wholeAPI
	require.NoError(t, json.Unmarshal(raw, &d))
	ops := map[string]map[string]operation{}
	for path, methods := range d.Paths {
		ops[path] = map[string]operation{}
		for method, raw := range methods {
			var op operation
			require.NoError(t, json.Unmarshal(raw, &op))
			if op.ID != "" {
				ops[path][method] = op
			}
		}
	}
	return d, ops
}

func (d wholeAPI) resolve(s *schema) *schema {
	for s.Ref != "" {
		s = d.Components.Schemas[s.Ref[strings.LastIndex(s.Ref, "/")+1:]]
	}
	return s
}

// TestEveryFieldHasALimit looks at every text and list of every request.
func TestEveryFieldHasALimit(t *testing.T) {
	d, ops := requests(t)
	fields, seen := 0, map[*schema]bool{}
	var look func(s *schema, at string)
	look = func(s *schema, at string) {
		if s == nil {
			return
		}
		if s = d.resolve(s); seen[s] {
			return
		}
		seen[s] = true
		if s.is("string") && len(s.Enum) == 0 && s.Format != "binary" {
			fields++
			assert.NotNil(t, s.MaxLength, at)
		}
		if s.is("array") {
			fields++
			assert.NotNil(t, s.MaxItems, at)
			look(s.Items, at+"[]")
		}
		for name, p := range s.Properties {
			look(p, at+"."+name)
		}
	}
	for path, methods := range ops {
		for method, op := range methods {
			for _, p := range op.Parameters {
				look(p.Schema, method+" "+path+" ?"+p.Name)
			}
			for _, c := range op.Body.Content {
				look(c.Schema, method+" "+path)
			}
		}
	}
	assert.Greater(t, fields, 300)

	srv := serve(t)
	require.Less(t, send(t, srv, "POST", "/api/corpora", `{"name":"c"}`).status, 300)
	long := send(t, srv, "GET", "/api/corpora/c/documents?text="+strings.Repeat("a", 3000), "")
	assert.Equal(t, 422, long.status)
	assert.Contains(t, long.raw, "2000", "the limit is told")
}

// hostile are values that nobody means.
var hostile = []any{
	nil, true, -1, 0, 1e300, 3.5, "", " ", "\u202e\u0000x", "../../etc/passwd", "' OR 1=1 --", "<script>alert(1)</script>", "=1+1", "%00", "9999-99-99", "😀", "\xff\xfe", []any{}, map[string]any{}, []any{nil}, map[string]any{"a": map[string]any{"b": []any{1}}},
}

// made is a value for a schema: what it asks for, or now and then something else.
func (d wholeAPI) made(r *rand.Rand, s *schema, depth int) any {
	if s == nil || r.IntN(6) == 0 {
		return hostile[r.IntN(len(hostile))]
	}
	s = d.resolve(s)
	switch {
	case len(s.Enum) > 0:
		return s.Enum[r.IntN(len(s.Enum))]
	case s.is("string"):
		return []any{"c", "dogs", "How much is a dog?", "2026-11-30", "2026-11-30T10:00:00Z", "http://127.0.0.1:9/", "a@b.example", strings.Repeat("ab ", 1500), "\u202eabc", "*"}[r.IntN(10)]
	case s.is("integer"):
		return []any{0, 1, 2, -1, 1 << 40}[r.IntN(5)]
	case s.is("number"):
		return []any{0, 0.5, 1, -2.5, 1e18}[r.IntN(5)]
	case s.is("boolean"):
		return r.IntN(2) == 0
	case s.is("array"):
		out := []any{}
		for range r.IntN(3) {
			if depth < 6 {
				out = append(out, d.made(r, s.Items, depth+1))
			}
		}
		return out
	case s.is("object") || len(s.Properties) > 0:
		out := map[string]any{}
		for _, name := range slices.Sorted(maps.Keys(s.Properties)) {
			p := s.Properties[name]
			if name != "$schema" && depth < 6 && (r.IntN(3) > 0 || strings.Contains(strings.Join(s.Required, " "), name)) {
				out[name] = d.made(r, p, depth+1)
			}
		}
		return out
	}
	return nil
}

// TestNothingIsAnErrorOfTheProgram sends every operation what its description asks for and what nobody means, from a fixed seed: whatever comes, it is told
// what is wrong, and nothing is an error of the program.
func TestNothingIsAnErrorOfTheProgram(t *testing.T) {
	d, ops := requests(t)
	srv := serve(t)
	seed, _ := strconv.ParseUint(os.Getenv("SEED"), 10, 64) // 0 when none is given: then it is always the same
	r := rand.New(rand.NewPCG(20261130, seed))
	begin := func() map[string]string {
		send(t, srv, "POST", "/api/corpora", `{"name":"c"}`)
		document := send(t, srv, "PUT", "/api/corpora/c/texts", `{"title":"dogs","text":"# Dogs\n\nA dog costs £2.00 each way."}`)
		send(t, srv, "PUT", "/api/corpora/c/sets/s", `[{"id":"q","question":"How much is a dog?","expect":[{"kind":"gives","values":["£2.00"]}]}]`)
		id, _ := document.body["id"].(string)
		source, _ := document.body["source"].(string)
		return map[string]string{"corpus": "c", "set": "s", "document": id, "source": source, "question": "q", "number": "1"}
	}
	statuses := map[int]int{}
	for _, path := range slices.Sorted(maps.Keys(ops)) {
		for _, method := range slices.Sorted(maps.Keys(ops[path])) {
			op := ops[path][method]
			if op.ID == "watchEvents" || strings.HasSuffix(path, "/events") {
				continue // a stream does not end
			}
			known := begin()
			for n := range 8 {
				at, query := path, url.Values{}
				for _, p := range op.Parameters {
					v := known[p.Name]
					if v == "" || n%4 == 3 {
						v = fmt.Sprint(d.made(r, p.Schema, 0))
					}
					switch p.In {
					case "path":
						at = strings.ReplaceAll(at, "{"+p.Name+"}", url.PathEscape(cut(v)))
					case "query":
						if r.IntN(2) == 0 {
							query.Set(p.Name, cut(v))
						}
					}
				}
				body, kind := "", "application/json"
				for media, c := range op.Body.Content {
					kind = media
					if media == "application/json" {
						raw, err := json.Marshal(d.made(r, c.Schema, 0))
						require.NoError(t, err)
						body = string(raw)
					} else {
						body = fmt.Sprint(hostile[r.IntN(len(hostile))])
					}
				}
				if strings.Contains(at, "//") {
					continue // a part of the address that is empty leads elsewhere
				}
				got := raw(t, srv, strings.ToUpper(method), at+"?"+query.Encode(), kind, body)
				statuses[got.StatusCode/100]++
				assert.Less(t, got.StatusCode, 500, "%s %s?%s %s", method, at, query.Encode(), cut(body))
			}
		}
	}
	t.Logf("%v by hundred", statuses)
	assert.Greater(t, statuses[2], 100, "some of it is what was asked for")
	assert.Greater(t, statuses[4], 100)
}

func cut(s string) string { return s[:min(len(s), 1500)] }

func raw(t *testing.T, srv *httptest.Server, method, path, kind, body string) *http.Response {
	t.Helper()
	q, err := http.NewRequestWithContext(t.Context(), method, srv.URL+path, strings.NewReader(body))
	require.NoError(t, err)
	if body != "" {
		q.Header.Set("Content-Type", kind)
	}
	resp, err := http.DefaultClient.Do(q)
	require.NoError(t, err, "%s %s", method, path)
	resp.Body.Close()
	return resp
}
