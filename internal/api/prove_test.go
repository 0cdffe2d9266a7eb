package api_test

import (
	"fmt"
	"net/http/httptest"
	"net/url"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// a set of two over the one page there is: one that passes, and one that the page does not answer.
const twoQuestions = `[{"id":"lead","question":"What does a dog pay?","tags":["fares"],"expect":[{"kind":"gives","values":["£2.00"]}]},{"id":"moat","question":"Is there a moat?","expect":[{"kind":"mentions","values":["drawbridge"]}]}]`

// jobIn is the id of the job of a reply that started one, and the id of what it works on.
func jobIn(t *testing.T, r answer, of string) (job, id string) {
	t.Helper()
	j, ok := r.body["job"].(map[string]any)
	require.True(t, ok, r.raw)
	x, ok := r.body[of].(map[string]any)
	require.True(t, ok, r.raw)
	return fmt.Sprint(j["id"]), fmt.Sprint(x["id"])
}

func runOf(t *testing.T, srv *httptest.Server) string {
	t.Helper()
	require.Equal(t, 200, send(t, srv, "PUT", "/api/corpora/c/sets/s", twoQuestions).status)
	r := send(t, srv, "POST", "/api/corpora/c/sets/s/runs", "")
	require.Equal(t, 200, r.status, r.raw)
	job, run := jobIn(t, r, "run")
	require.Equal(t, "done", finished(t, srv, job))
	return run
}

func TestCausesAreToldAndChangesTriedOverTheAPI(t *testing.T) {
	srv, _ := stocked(t)
	run := runOf(t, srv)
	r := send(t, srv, "GET", "/api/corpora/c/runs/"+run, "")
	require.Equal(t, 200, r.status)
	assert.Contains(t, r.raw, `"key":"passed"`)
	assert.Contains(t, r.raw, `"cause":"notGathered"`)
	r = send(t, srv, "GET", "/api/corpora/c/runs/"+run+"/causes/moat", "")
	require.Equal(t, 200, r.status, r.raw)
	assert.Equal(t, "notGathered", r.body["cause"])
	assert.Equal(t, 422, send(t, srv, "GET", "/api/corpora/c/runs/"+run+"/causes/lead", "").status, "it did not fail")
	assert.Equal(t, 404, send(t, srv, "GET", "/api/corpora/c/runs/"+run+"/causes/none", "").status)

	r = send(t, srv, "POST", "/api/corpora/c/sets/s/tries", `{"change":{"settings":{"answer.bar":"1"}},"note":"a bar of 1"}`)
	require.Equal(t, 200, r.status, r.raw)
	job, tried := jobIn(t, r, "run")
	require.Equal(t, "done", finished(t, srv, job))
	r = send(t, srv, "GET", "/api/corpora/c/runs/"+tried+"/against/"+run, "")
	require.Equal(t, 200, r.status, r.raw)
	assert.Contains(t, r.raw, `"broken":["lead"]`)
	assert.Contains(t, r.raw, `"note":"a bar of 1"`)
	assert.NotContains(t, send(t, srv, "GET", "/api/corpora/c/method", "").raw, `"bar":1,`, "nothing is applied")
	assert.Equal(t, 422, send(t, srv, "POST", "/api/corpora/c/sets/s/tries", `{"change":{"settings":{"no.such":"1"}},"note":"x"}`).status)

	r = send(t, srv, "POST", "/api/corpora/c/method/changes", `{"change":{"settings":{"answer.bar":"0.4"}},"note":"lower the bar"}`)
	require.Equal(t, 200, r.status, r.raw)
	assert.Contains(t, send(t, srv, "GET", "/api/corpora/c/method", "").raw, `"bar":0.4,`)
	assert.Equal(t, 422, send(t, srv, "POST", "/api/corpora/c/method/changes", `{"change":{"settings":{"answer.bar":"4"}}}`).status)
}

func TestTrialsOverTheAPI(t *testing.T) {
	srv, _ := stocked(t)
	runOf(t, srv)
	for call, want := range map[string]int{
		"GET /api/corpora/c/sets/s/forecast": 200, "POST /api/corpora/c/sets/s/forecast": 200, "GET /api/corpora/c/sets/none/forecast": 404,
		"GET /api/corpora/c/sets/s/forecast?repeats=0": 422, "GET /api/corpora/c/sets/s/forecast?month=-1": 422, "GET /api/corpora/c/sets/s/forecast?month=x": 422,
		"POST /api/corpora/c/sets/s/runs?capPrice=-1": 422, "POST /api/corpora/c/sets/s/runs?capPrice=NaN": 422, "POST /api/corpora/c/sets/s/runs?capTokens=1e99": 422,
	} {
		method, path, _ := strings.Cut(call, " ")
		assert.Equal(t, want, send(t, srv, method, path, "").status, call)
	}
	const plan = `{"search":"grid","factors":[{"key":"answer.bar","values":["0.5","1"]},{"key":"find.keep","values":["4","8"]}]}`
	r := send(t, srv, "POST", "/api/corpora/c/sets/s/trials/estimate", plan)
	require.Equal(t, 200, r.status, r.raw)
	assert.InDelta(t, 4, r.body["methods"], 0, "one of the four is the draft")
	assert.InDelta(t, 0, r.body["indexes"], 0)
	r = send(t, srv, "POST", "/api/corpora/c/sets/s/trials", plan)
	require.Equal(t, 200, r.status, r.raw)
	job, _ := jobIn(t, r, "study")
	require.Equal(t, "done", finished(t, srv, job))
	r = send(t, srv, "GET", "/api/corpora/c/studies", "")
	assert.Contains(t, r.raw, `"kind":"trial"`)
	assert.Contains(t, r.raw, `"outcomes":"10"`)
	for _, bad := range []string{`{"search":"grid","factors":[]}`, `{"search":"by luck","factors":[{"key":"answer.bar","values":["1"]}]}`, `{"search":"grid","factors":[{"key":"answer.tone2","values":["1"]}]}`} {
		assert.Equal(t, 422, send(t, srv, "POST", "/api/corpora/c/sets/s/trials", bad).status, bad)
	}
}

func TestSetsGrowAndAreKeptOverTheAPI(t *testing.T) {
	srv, _ := stocked(t)
	run := runOf(t, srv)
	r := send(t, srv, "POST", "/api/corpora/c/stress", `{"id":"lead","question":"What does a dog pay?","expect":[{"kind":"gives","values":["£2.00"]}]}`)
	require.Equal(t, 200, r.status, r.raw)
	assert.Contains(t, r.raw, `"two-word"`)
	assert.Equal(t, 422, send(t, srv, "POST", "/api/corpora/c/stress", `{"id":"x","question":"x","expect":[]}`).status)
	r = send(t, srv, "POST", "/api/corpora/c/sets/s/questions", `{"questions":[{"id":"dog","question":"dog fare","expect":[{"kind":"gives","values":["£2.00"]}]}],"why":"stress"}`)
	require.Equal(t, 200, r.status, r.raw)
	assert.InDelta(t, 3, r.body["count"], 0)
	r = send(t, srv, "POST", "/api/corpora/c/sets/s/amendments", `{"question":{"id":"moat","question":"Is there a moat?","expect":[{"kind":"refuses"}]},"why":"there is none"}`)
	require.Equal(t, 200, r.status, r.raw)
	assert.Equal(t, 422, send(t, srv, "POST", "/api/corpora/c/sets/s/amendments", `{"question":{"id":"moat","question":"?","expect":[{"kind":"refuses"}]},"why":""}`).status)
	h := send(t, srv, "GET", "/api/corpora/c/sets/s/history", "")
	assert.Contains(t, h.raw, "moat: there is none")
	assert.JSONEq(t, `[]`, send(t, srv, "GET", "/api/corpora/c/sets/s/doubts", "").raw)

	for form, want := range map[string]string{"jsonl": `"id":"dog"`, "csv": "dog,dog fare,,£2.00", "qrels": ""} {
		r = send(t, srv, "GET", "/api/corpora/c/sets/s/export?form="+form, "")
		require.Equal(t, 200, r.status, form)
		assert.Contains(t, r.raw, want)
		assert.Contains(t, r.header.Get("Content-Disposition"), "questions."+form)
	}
	assert.Equal(t, 422, send(t, srv, "GET", "/api/corpora/c/sets/s/export?form=xml", "").status)
	assert.Contains(t, send(t, srv, "GET", "/api/corpora/c/runs/"+run+"/export", "").raw, "lead Q0 ")
	r = send(t, srv, "GET", "/api/corpora/c/sets/s/coverage", "")
	require.Equal(t, 200, r.status, r.raw)
	assert.Contains(t, r.raw, `"uncovered":["Is there a moat?"]`)
	r = send(t, srv, "GET", "/api/corpora/c/proposals", "")
	require.Equal(t, 200, r.status, r.raw)
	assert.Equal(t, 404, send(t, srv, "POST", "/api/corpora/c/sets/s/history/"+url.PathEscape("2020-01-01T00:00:00Z"), "").status)
	assert.Equal(t, 204, send(t, srv, "DELETE", "/api/corpora/c/sets/s", "").status)
	assert.Equal(t, 404, send(t, srv, "GET", "/api/corpora/c/sets/s/coverage", "").status)
}

func TestReleasesOverTheAPI(t *testing.T) {
	srv, _ := stocked(t)
	assert.JSONEq(t, `[]`, send(t, srv, "GET", "/api/corpora/c/releases", "").raw)
	assert.Equal(t, 404, send(t, srv, "POST", "/api/corpora/c/releases/last/ask", `{"question":"What does a dog pay?"}`).status)
	r := send(t, srv, "POST", "/api/corpora/c/releases", `{"note":"first"}`)
	require.Equal(t, 200, r.status, r.raw)
	assert.InDelta(t, 1, r.body["number"], 0)
	r = send(t, srv, "POST", "/api/corpora/c/releases/last/ask", `{"question":"What does a dog pay?"}`)
	require.Equal(t, 200, r.status, r.raw)
	assert.Contains(t, r.body["reply"], "£2.00")
	assert.Contains(t, send(t, srv, "GET", "/api/corpora", "").raw, `"number":1,"note":"first"`)
}

func TestASetChangedMeanwhileIsNotOverwritten(t *testing.T) {
	srv, _ := stocked(t)
	r := send(t, srv, "PUT", "/api/corpora/c/sets/s", twoQuestions)
	require.Equal(t, 200, r.status, r.raw)
	version := fmt.Sprint(r.body["version"])
	require.Equal(t, 200, send(t, srv, "POST", "/api/corpora/c/sets/s/questions", `{"questions":[{"id":"new","question":"dog?","expect":[{"kind":"refuses"}]}]}`).status)
	r = send(t, srv, "PUT", "/api/corpora/c/sets/s?over="+version, twoQuestions)
	assert.Equal(t, 409, r.status, r.raw)
	assert.Contains(t, r.raw, "was changed meanwhile")
	now := send(t, srv, "GET", "/api/corpora/c/sets/s", "")
	assert.Contains(t, now.raw, `"id":"new"`)
	assert.Equal(t, 200, send(t, srv, "PUT", "/api/corpora/c/sets/s?over="+fmt.Sprint(now.body["version"]), twoQuestions).status)
}

func TestTheHistoryOfTheDraftOverTheAPI(t *testing.T) {
	srv, _ := stocked(t)
	run := runOf(t, srv)
	r := send(t, srv, "POST", "/api/corpora/c/sets/s/tries", `{"change":{"settled":[{"question":"Is there a moat?","answer":"There is a moat around the pier."}]},"note":"a settled answer"}`)
	require.Equal(t, 200, r.status, r.raw)
	job, tried := jobIn(t, r, "run")
	require.Equal(t, "done", finished(t, srv, job))
	assert.Equal(t, 422, send(t, srv, "POST", "/api/corpora/c/sets/s/tries", `{"change":{"pages":["ftp://a"]},"note":"x"}`).status)
	assert.Equal(t, 422, send(t, srv, "POST", "/api/corpora/c/sets/s/tries", `{"change":{"settled":[{"question":"","answer":"x"}]},"note":"x"}`).status)
	assert.Equal(t, 404, send(t, srv, "POST", "/api/corpora/c/sets/s/tries", `{"change":{"leaveOut":["none"]},"note":"x"}`).status)

	const lower = `{"change":{"settings":{"answer.bar":"0.41"}},"note":"lower the bar"`
	r = send(t, srv, "POST", "/api/corpora/c/method/changes", lower+`,"run":"`+tried+`","before":"`+run+`"}`)
	assert.Equal(t, 422, r.status, "that run tried something else: it speaks for nothing")
	r = send(t, srv, "POST", "/api/corpora/c/sets/s/tries", lower+`}`)
	require.Equal(t, 200, r.status, r.raw)
	job, tried = jobIn(t, r, "run")
	require.Equal(t, "done", finished(t, srv, job))
	r = send(t, srv, "POST", "/api/corpora/c/method/changes", lower+`,"run":"`+tried+`","before":"`+run+`"}`)
	require.Equal(t, 200, r.status, r.raw)
	h := send(t, srv, "GET", "/api/corpora/c/method/history", "")
	require.Equal(t, 200, h.status, h.raw)
	assert.Contains(t, h.raw, `"why":"lower the bar"`)
	assert.Contains(t, h.raw, `"before":"0.5","after":"0.41"`)
	assert.Contains(t, h.raw, `tried over 2 questions of “s”`)
	assert.Equal(t, 200, send(t, srv, "POST", "/api/corpora/c/method/history/0", "").status)
	assert.Contains(t, send(t, srv, "GET", "/api/corpora/c/method", "").raw, `"bar":0.5,`)
	assert.Equal(t, 404, send(t, srv, "POST", "/api/corpora/c/method/history/99", "").status)
	assert.Equal(t, 404, send(t, srv, "POST", "/api/corpora/c/method/changes", `{"change":{},"trial":"none"}`).status)

	w := send(t, srv, "GET", "/api/corpora/c/runs/"+run+"/wanted/lead", "")
	require.Equal(t, 200, w.status, w.raw)
	assert.Contains(t, w.raw, `"rank":1`)
	assert.Equal(t, 404, send(t, srv, "GET", "/api/corpora/c/runs/"+run+"/wanted/none", "").status)
}
