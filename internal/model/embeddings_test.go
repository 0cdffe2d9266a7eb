package model_test

import (
	"context"
	"encoding/json"
	"fmt"
	"math"
	"net/http"
	"net/http/httptest"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"jolvex/internal/model"
	"jolvex/internal/sim"
)

func standIn(t *testing.T, key string) string {
	t.Helper()
	h, err := sim.Embeddings(key)
	require.NoError(t, err)
	s := httptest.NewServer(h)
	t.Cleanup(s.Close)
	return s.URL + "/v1"
}

func TestEmbeddings(t *testing.T) {
	e := model.Embeddings{Base: standIn(t, "k1") + "/", Model: "words", Key: "k1"}
	texts := make([]string, 150) // three batches
	for i := range texts {
		texts[i] = fmt.Sprintf("the ferry number %d leaves the pier", i%7)
	}
	got, err := e.Embed(t.Context(), texts)
	require.NoError(t, err)
	require.Len(t, got.Vectors, 150)
	assert.Equal(t, 150*7, got.Tokens)
	for i, v := range got.Vectors {
		sum := 0.0
		for _, x := range v {
			sum += float64(x) * float64(x)
		}
		require.InDelta(t, 1, math.Sqrt(sum), 1e-3, "brought to length 1")
		require.Equal(t, got.Vectors[i%7], v, "each text has its own vector")
	}
	e.Key = "other"
	_, err = e.Embed(t.Context(), texts[:1])
	require.ErrorIs(t, err, model.ErrConnection)
	assert.ErrorContains(t, err, "401: the key is not right")
	empty, err := e.Embed(t.Context(), nil)
	require.NoError(t, err)
	assert.Empty(t, empty.Vectors)
}

// scripted answers with the given functions, one after another; the last one again and again.
func scripted(t *testing.T, steps ...func(w http.ResponseWriter, inputs int)) (model.Embeddings, *int, *[]time.Duration) {
	t.Helper()
	calls := 0
	s := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, q *http.Request) {
		var in struct{ Input []string }
		if err := json.NewDecoder(q.Body).Decode(&in); err != nil {
			w.WriteHeader(http.StatusBadRequest)
			return
		}
		step := steps[min(calls, len(steps)-1)]
		calls++
		step(w, len(in.Input))
	}))
	t.Cleanup(s.Close)
	var waits []time.Duration
	return model.Embeddings{Base: s.URL, Wait: func(ctx context.Context, d time.Duration) error {
		waits = append(waits, d)
		return ctx.Err()
	}}, &calls, &waits
}

func body(s string) func(http.ResponseWriter, int) {
	return func(w http.ResponseWriter, _ int) { fmt.Fprint(w, s) }
}

// An endpoint that is busy or out of order for the moment is asked again, after as long as it says (RFC 9110, section
// 10.2.3, Retry-After) or ever longer; one that refuses is not.
func TestEmbeddingsAreAskedForAgain(t *testing.T) {
	busy := func(w http.ResponseWriter, _ int) {
		w.Header().Set("Retry-After", "7")
		w.WriteHeader(http.StatusTooManyRequests)
	}
	broken := func(w http.ResponseWriter, _ int) { w.WriteHeader(http.StatusBadGateway) }
	e, calls, waits := scripted(t, busy, broken, broken, body(`{"data":[{"index":0,"embedding":[0,2]}]}`))
	got, err := e.Embed(t.Context(), []string{"a"})
	require.NoError(t, err)
	assert.Equal(t, []float32{0, 1}, got.Vectors[0])
	assert.Equal(t, []time.Duration{7 * time.Second, time.Second, 2 * time.Second}, *waits)
	assert.Equal(t, 4, *calls)

	e, calls, _ = scripted(t, broken)
	_, err = e.Embed(t.Context(), []string{"a"})
	require.ErrorIs(t, err, model.ErrConnection)
	assert.Equal(t, 5, *calls, "not for ever")

	e, calls, _ = scripted(t, func(w http.ResponseWriter, _ int) { w.WriteHeader(http.StatusNotFound) })
	_, err = e.Embed(t.Context(), []string{"a"})
	require.ErrorIs(t, err, model.ErrConnection)
	assert.Equal(t, 1, *calls)

	ctx, stop := context.WithCancel(t.Context())
	e, _, _ = scripted(t, func(w http.ResponseWriter, _ int) {
		stop()
		w.WriteHeader(http.StatusServiceUnavailable)
	})
	_, err = e.Embed(ctx, []string{"a"})
	assert.ErrorIs(t, err, context.Canceled)
}

// What does not keep to the protocol is told, and nothing of it is used.
func TestEmbeddingsThatCannotBeUsed(t *testing.T) {
	for name, c := range map[string]struct{ answer, told string }{
		"no JSON":           {`<html>`, "cannot be read"},
		"too few":           {`{"data":[{"index":0,"embedding":[1,0]}]}`, "1 vectors for 2 texts"},
		"one twice":         {`{"data":[{"index":0,"embedding":[1,0]},{"index":0,"embedding":[1,0]}]}`, "whose they are"},
		"out of range":      {`{"data":[{"index":0,"embedding":[1,0]},{"index":9,"embedding":[1,0]}]}`, "whose they are"},
		"missing":           {`{"data":[{"index":0,"embedding":[1,0]},{"index":1}]}`, "whose they are"},
		"other dimensions":  {`{"data":[{"index":0,"embedding":[1,0]},{"index":1,"embedding":[1,0,0]}]}`, "3 numbers beside one of 2"},
		"no length":         {`{"data":[{"index":0,"embedding":[1,0]},{"index":1,"embedding":[0,0]}]}`, "length 0"},
		"too large numbers": {`{"data":[{"index":0,"embedding":[1,0]},{"index":1,"embedding":[1e400,0]}]}`, "cannot be read"},
		"texts as vectors":  {`{"data":[{"index":0,"embedding":"AAAA"},{"index":1,"embedding":"AAAA"}]}`, "cannot be read"},
		"too many":          {`{"data":[{"index":0,"embedding":[` + strings.Repeat("1,", model.MaxDimensions) + `1]},{"index":1,"embedding":[1]}]}`, "8193 numbers"},
	} {
		e, _, _ := scripted(t, body(c.answer))
		_, err := e.Embed(t.Context(), []string{"a", "b"})
		require.ErrorIs(t, err, model.ErrConnection, name)
		assert.ErrorContains(t, err, c.told, name)
	}
	e, _, _ := scripted(t, body(`{"data":[{"index":1,"embedding":[0,3]},{"index":0,"embedding":[2,0]}]}`))
	got, err := e.Embed(t.Context(), []string{"a", "b"})
	require.NoError(t, err)
	assert.Equal(t, [][]float32{{1, 0}, {0, 1}}, got.Vectors, "in the order of the texts, whatever the order of the answer")
}
