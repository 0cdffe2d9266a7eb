package model

import (
	"context"
	"encoding/json"
	"fmt"
	"net/http"
	"net/http/httptest"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// talking is an endpoint that answers call after call as it is told to, and what it was sent.
func talking(t *testing.T, answers ...func(w http.ResponseWriter)) (Chat, *[]map[string]any) {
	t.Helper()
	var mu sync.Mutex // a call that was given up may still be answered while the next one comes
	var got []map[string]any
	srv := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, q *http.Request) {
		assert.Equal(t, "/v1/chat/completions", q.URL.Path)
		assert.Equal(t, "Bearer the-key", q.Header.Get("Authorization"))
		var body map[string]any
		assert.NoError(t, json.NewDecoder(q.Body).Decode(&body))
		mu.Lock()
		got = append(got, body)
		n := min(len(got), len(answers)) - 1
		mu.Unlock()
		answers[n](w)
	}))
	t.Cleanup(srv.Close)
	return Chat{Base: srv.URL + "/v1", Model: "m", Key: "the-key", Wait: func(context.Context, time.Duration) error { return nil }}, &got
}

func wholeAnswer(text string) func(http.ResponseWriter) {
	return func(w http.ResponseWriter) {
		fmt.Fprintf(w, `{"choices":[{"message":{"role":"assistant","content":%q},"finish_reason":"length"}],"usage":{"prompt_tokens":7,"completion_tokens":3}}`, text)
	}
}

func streamOf(pieces ...string) func(http.ResponseWriter) {
	return func(w http.ResponseWriter) {
		for _, p := range pieces {
			fmt.Fprintf(w, "data: %s\n\n", p)
		}
	}
}

func piece(s string) string { return fmt.Sprintf(`{"choices":[{"delta":{"content":%q}}]}`, s) }

var hello = []Message{{Role: "user", Content: "Hello"}}

func TestAWholeAnswer(t *testing.T) {
	c, got := talking(t, wholeAnswer(" Yes. "))
	r, err := c.Complete(t.Context(), hello, 50, nil, nil)
	require.NoError(t, err)
	assert.Equal(t, Completed{Text: "Yes.", In: 7, Out: 3, Cut: true}, r)
	assert.InDelta(t, 50, (*got)[0]["max_tokens"], 0)
	assert.InDelta(t, 0, (*got)[0]["temperature"], 0)
}

func TestAStreamComesPieceByPiece(t *testing.T) {
	c, got := talking(t, streamOf(piece("Dogs "), piece("pay."), `{"choices":[{"delta":{},"finish_reason":"stop"}]}`, `{"choices":[],"usage":{"prompt_tokens":4,"completion_tokens":2}}`, "[DONE]"))
	var said []string
	r, err := c.Complete(t.Context(), hello, 50, func(p string) { said = append(said, p) }, nil)
	require.NoError(t, err)
	assert.Equal(t, Completed{Text: "Dogs pay.", In: 4, Out: 2}, r)
	assert.Equal(t, []string{"Dogs ", "pay."}, said)
	assert.Equal(t, true, (*got)[0]["stream"])
}

func TestAStreamThatBreaksBeginsAnew(t *testing.T) {
	c, _ := talking(t, streamOf(piece("Half a ")), streamOf(piece("Whole."), "[DONE]"))
	text := ""
	r, err := c.Complete(t.Context(), hello, 50, func(p string) { text += p }, func() { text = "" })
	require.NoError(t, err)
	assert.Equal(t, "Whole.", r.Text)
	assert.Equal(t, "Whole.", text)
	c, _ = talking(t, streamOf(piece("Half"), `{"error":{"message":"overloaded"}}`))
	_, err = c.Complete(t.Context(), hello, 50, func(string) {}, nil)
	assert.ErrorIs(t, err, ErrConnection)
	assert.ErrorContains(t, err, "overloaded")
}

func TestWhatIsTriedAgainAndWhatIsNot(t *testing.T) {
	status := func(code int, body string) func(http.ResponseWriter) {
		return func(w http.ResponseWriter) { w.WriteHeader(code); fmt.Fprint(w, body) }
	}
	c, got := talking(t, status(503, `{"error":{"message":"later"}}`), status(429, "slow down"), wholeAnswer("At last."))
	r, err := c.Complete(t.Context(), hello, 50, nil, nil)
	require.NoError(t, err)
	assert.Equal(t, "At last.", r.Text)
	assert.Len(t, *got, 3)
	for name, answer := range map[string]func(http.ResponseWriter){
		"401": status(401, `{"error":{"message":"the key is not right"}}`), "not JSON": status(200, "<html>"), "no message": status(200, `{"choices":[]}`),
	} {
		c, got := talking(t, answer)
		_, err := c.Complete(t.Context(), hello, 50, nil, nil)
		assert.ErrorIs(t, err, ErrConnection, name)
		assert.Len(t, *got, 1, "%s: another try would end the same", name)
	}
	c, got = talking(t, status(500, "broken"))
	_, err = c.Complete(t.Context(), hello, 50, nil, nil)
	assert.ErrorContains(t, err, "500")
	assert.Len(t, *got, 3)
}

// TestARedirectIsNotFollowed keeps question and key from going to another address than the one that was connected (RFC 9110, 15.4.8: a 307 would repeat both).
func TestARedirectIsNotFollowed(t *testing.T) {
	reached := 0
	other := httptest.NewServer(http.HandlerFunc(func(http.ResponseWriter, *http.Request) { reached++ }))
	t.Cleanup(other.Close)
	for _, code := range []int{301, 302, 307, 308} {
		c, got := talking(t, func(w http.ResponseWriter) {
			w.Header().Set("Location", other.URL+"/v1/chat/completions")
			w.WriteHeader(code)
		})
		_, err := c.Complete(t.Context(), hello, 50, nil, nil)
		require.ErrorIs(t, err, ErrConnection, code)
		assert.ErrorContains(t, err, other.URL, "where to is told")
		assert.Len(t, *got, 1, "another try would end the same")
	}
	assert.Zero(t, reached)
}

func TestSlowModelsAreNotWaitedForForEver(t *testing.T) {
	gate := make(chan struct{})
	defer close(gate)
	c, _ := talking(t, func(http.ResponseWriter) { <-gate })
	c.Patience = 20 * time.Millisecond
	_, err := c.Complete(t.Context(), hello, 50, nil, nil)
	assert.ErrorIs(t, err, ErrConnection)
	assert.ErrorContains(t, err, "did not answer within 20ms")
	ctx, cancel := context.WithCancel(t.Context())
	cancel()
	_, err = c.Complete(ctx, hello, 50, nil, nil)
	assert.ErrorIs(t, err, context.Canceled)
}
