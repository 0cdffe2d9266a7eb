package api_test

import (
	"fmt"
	"net/http"
	"net/http/httptest"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"jolvex/internal/sim"
)

func as(kind string) func(*http.Request) {
	return func(r *http.Request) { r.Header.Set("Content-Type", kind) }
}

const callBack = `{"id":"call","name":"Call back","when":{"contains":["call me"]},"then":[{"kind":"ask","text":"Thank you.","details":[{"name":"Phone","ask":"Which number?","type":"phone"}]}]}`

func TestRulesAreTriedKeptAndObeyedOverTheAPI(t *testing.T) {
	srv, _ := stocked(t)
	r := send(t, srv, "POST", "/api/corpora/c/rules/try", `{"rules":[`+callBack+`],"message":"please call me","labelled":[{"text":"call me back","rules":["call"]},{"text":"how much is a dog","rules":[]}]}`)
	require.Equal(t, 200, r.status, r.raw)
	state, _ := r.body["state"].(map[string]any)
	assert.Equal(t, "Which number?", state["say"])
	assert.Contains(t, r.raw, `"precision":1,"recall":1`)
	r = send(t, srv, "POST", "/api/corpora/c/rules/try", `{"rules":[{"id":"x","name":"x","when":{},"then":[{"kind":"alert","to":"nobody"}]}]}`)
	assert.Equal(t, 422, r.status)
	assert.Contains(t, r.raw, "an alert goes to a mail address or to the address of a webhook")

	m := send(t, srv, "GET", "/api/corpora/c/method", "")
	m.body["rules"] = []any{map[string]any{"id": "call", "name": "Call back", "when": map[string]any{"contains": []string{"call me"}}, "then": []any{map[string]any{
		"kind": "ask", "text": "Thank you.", "details": []any{map[string]any{"name": "Phone", "ask": "Which number?", "type": "phone"}},
	}}}}
	r = send(t, srv, "PUT", "/api/corpora/c/method", asJSON(t, m.body))
	require.Equal(t, 200, r.status, r.raw)
	r = send(t, srv, "POST", "/api/corpora/c/ask", `{"question":"call me on 01632 960411"}`)
	require.Equal(t, 200, r.status, r.raw)
	assert.Equal(t, "Thank you.", r.body["reply"])
	r = send(t, srv, "GET", "/api/corpora/c/notices", "")
	assert.Contains(t, r.raw, `"told":[{"name":"Phone","value":"01632 960411"}]`)
	r = send(t, srv, "GET", "/api/corpora/c/notices/export", "")
	assert.Equal(t, "text/csv; charset=utf-8", r.header.Get("Content-Type"))
	assert.Contains(t, r.raw, "01632 960411")
}

func TestTryingTheSheetAndTheCurveOverTheAPI(t *testing.T) {
	srv, _ := stocked(t)
	s := settings(t, srv, "answer")
	s["bar"] = 1
	r := send(t, srv, "POST", "/api/corpora/c/try", asJSON(t, map[string]any{"question": "What does a dog pay?", "answer": s}))
	require.Equal(t, 200, r.status, r.raw)
	assert.Equal(t, true, r.body["refused"])
	s["bar"] = 1.5
	r = send(t, srv, "POST", "/api/corpora/c/try", asJSON(t, map[string]any{"question": "What does a dog pay?", "answer": s}))
	assert.Equal(t, 422, r.status)

	r = send(t, srv, "PUT", "/api/corpora/c/sheet", `["What does a dog pay?","What does a dog pay?"]`)
	require.Equal(t, 200, r.status, r.raw)
	assert.JSONEq(t, `["What does a dog pay?"]`, send(t, srv, "GET", "/api/corpora/c/sheet", "").raw)

	r = send(t, srv, "PUT", "/api/corpora/c/sets/s", `[{"id":"a","question":"What does a dog pay?","expect":[{"kind":"gives","values":["£2.00"]}]},{"id":"b","question":"Who won the cup?","expect":[{"kind":"refuses"}]}]`)
	require.Equal(t, 200, r.status, r.raw)
	r = send(t, srv, "POST", "/api/corpora/c/sets/s/weigh", `{"from":0}`)
	require.Equal(t, 200, r.status, r.raw)
	weighed := r.body["weighed"]
	r = send(t, srv, "POST", "/api/curve", asJSON(t, map[string]any{"weighed": weighed, "cost": 3}))
	require.Equal(t, 200, r.status, r.raw)
	heights, _ := r.body["heights"].([]any)
	assert.GreaterOrEqual(t, len(heights), 2)
	assert.Equal(t, 422, send(t, srv, "POST", "/api/curve", `{"weighed":[],"cost":0}`).status)
	assert.Equal(t, 404, send(t, srv, "POST", "/api/corpora/c/sets/none/weigh", `{"from":0}`).status)
}

func TestTheGlossaryOverTheAPI(t *testing.T) {
	srv, _ := stocked(t)
	r := send(t, srv, "PUT", "/api/corpora/c/texts", `{"title":"Boards","text":"# Boards\n\nA stand-up paddleboard (SUP) travels as a kayak does."}`)
	require.Equal(t, 200, r.status, r.raw)
	r = send(t, srv, "GET", "/api/corpora/c/glossary/suggestions", "")
	assert.Contains(t, r.raw, `"term":"SUP"`)
	require.Equal(t, 200, send(t, srv, "POST", "/api/corpora/c/glossary/dismissed", `{"term":"SUP"}`).status)
	assert.NotContains(t, send(t, srv, "GET", "/api/corpora/c/glossary/suggestions", "").raw, "SUP")
	r = send(t, srv, "POST", "/api/glossary/read", "term,means\nHGV,lorry; truck\nx\n", as("text/csv"))
	require.Equal(t, 200, r.status, r.raw)
	assert.Contains(t, r.raw, `"means":["lorry","truck"]`)
	assert.Contains(t, r.raw, "row 3")
	m := send(t, srv, "GET", "/api/corpora/c/method", "")
	m.body["glossary"] = []any{map[string]any{"term": "HGV", "means": []string{}}}
	r = send(t, srv, "PUT", "/api/corpora/c/method", asJSON(t, m.body))
	assert.Equal(t, 422, r.status)
	assert.Contains(t, r.raw, "“HGV” means nothing")
	m.body["glossary"] = []any{map[string]any{"term": "HGV", "means": []string{"lorry"}}}
	require.Equal(t, 200, send(t, srv, "PUT", "/api/corpora/c/method", asJSON(t, m.body)).status)
	assert.Equal(t, "term,means\nHGV,lorry\n", send(t, srv, "GET", "/api/corpora/c/glossary/export", "").raw)
}

// A model is tried when it is connected, its key never comes out, and replies worded by it are checked.
func TestAModelOverTheAPI(t *testing.T) {
	srv, _ := stocked(t)
	stand := httptest.NewServer(sim.Chat("the-key", time.Second))
	defer stand.Close()
	r := send(t, srv, "PUT", "/api/connections/chat", fmt.Sprintf(`{"base":"%s/v1","model":"inventing","key":"wrong"}`, stand.URL))
	assert.Equal(t, 422, r.status)
	r = send(t, srv, "PUT", "/api/connections/chat", fmt.Sprintf(`{"base":"%s/v1","model":"inventing","key":"the-key","priceIn":1,"cap":5}`, stand.URL))
	require.Equal(t, 200, r.status, r.raw)
	assert.NotContains(t, r.raw, "the-key")
	assert.Equal(t, true, r.body["keyed"])
	s := settings(t, srv, "answer")
	s["composer"] = "model"
	r = send(t, srv, "POST", "/api/corpora/c/try", asJSON(t, map[string]any{"question": "What does a dog pay each way?", "answer": s}))
	require.Equal(t, 200, r.status, r.raw)
	assert.NotContains(t, r.body["reply"], "£5.33")
	assert.Contains(t, r.raw, `"withheld":[`)
	r = send(t, srv, "GET", "/api/connections/chat", "")
	assert.InDelta(t, 1, r.body["calls"], 0)
	assert.Equal(t, 422, send(t, srv, "PUT", "/api/connections/mail", `{"base":"ftp://x","model":"a@b.example"}`).status)
	r = send(t, srv, "POST", "/api/manner/draft", `{"tone":"warm","of":"Tolmouth Ferries"}`)
	assert.Contains(t, r.raw, "Tolmouth Ferries")
}

func TestSetsAreReadAndRunsComparedOverTheAPI(t *testing.T) {
	srv, _ := stocked(t)
	raw := as("application/octet-stream")
	r := send(t, srv, "POST", "/api/corpora/c/sets/s/import", "question,answer\nWhat does a dog pay?,£2.00\n,x\n", raw)
	require.Equal(t, 200, r.status, r.raw)
	assert.Nil(t, r.body["set"], "it was only read")
	assert.Contains(t, r.raw, "row 3")
	r = send(t, srv, "POST", "/api/corpora/c/sets/s/import?keep=true", "question,answer\nWhat does a dog pay?,£2.00\n", raw)
	require.Equal(t, 200, r.status, r.raw)
	assert.Equal(t, 422, send(t, srv, "POST", "/api/corpora/c/sets/s/import?keep=true", "a,b\n", raw).status)
	var runs []string
	for range 2 {
		r = send(t, srv, "POST", "/api/corpora/c/sets/s/runs", "")
		require.Equal(t, 200, r.status, r.raw)
		run, _ := r.body["run"].(map[string]any)
		job, _ := r.body["job"].(map[string]any)
		require.Equal(t, "done", finished(t, srv, job["id"].(string)))
		runs = append(runs, run["id"].(string))
	}
	r = send(t, srv, "GET", "/api/corpora/c/runs/"+runs[1]+"/against/"+runs[0], "")
	require.Equal(t, 200, r.status, r.raw)
	sums, _ := r.body["sums"].(map[string]any)
	assert.InDelta(t, 1, sums["passing"], 0)
	assert.InDelta(t, 1, sums["p"], 0)
	assert.Equal(t, 404, send(t, srv, "GET", "/api/corpora/c/runs/"+runs[1]+"/against/none", "").status)
}
