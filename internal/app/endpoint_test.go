package app_test

import (
	"fmt"
	"net/http"
	"net/http/httptest"
	"sync/atomic"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"jolvex/core/query"
	"jolvex/core/questions"
	"jolvex/internal/asking"
	"jolvex/internal/connections"
	"jolvex/internal/fault"
	"jolvex/internal/sim"
)

// An endpoint's embeddings: tried when connected, read behind while word vectors serve, counted, remembered, and told when
// they are gone.
func TestEmbeddingsOfAnEndpoint(t *testing.T) {
	h, err := sim.Embeddings("k1")
	require.NoError(t, err)
	var calls, down atomic.Int64
	srv := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, q *http.Request) {
		calls.Add(1)
		if down.Load() > 0 {
			w.WriteHeader(http.StatusBadRequest)
			return
		}
		h.ServeHTTP(w, q)
	}))
	defer srv.Close()
	a := fresh(t)
	withDogs(t, a)
	key, wrong := "k1", "k2"
	_, err = a.Indexing.ConnectEmbeddings(t.Context(), connections.ConnectionChange{Base: srv.URL + "/v1", Key: &wrong})
	require.ErrorIs(t, err, fault.ErrInput, "it is tried at once")
	_, err = a.Indexing.ConnectEmbeddings(t.Context(), connections.ConnectionChange{Base: "nowhere"})
	require.ErrorIs(t, err, fault.ErrInput)
	c, err := a.Indexing.ConnectEmbeddings(t.Context(), connections.ConnectionChange{Base: srv.URL + "/v1", Model: "words", Key: &key})
	require.NoError(t, err)
	assert.Equal(t, 256, c.Dimensions)
	assert.True(t, c.Keyed)

	m, err := a.Indexing.Method(t.Context(), "c")
	require.NoError(t, err)
	m.Embed.Grade = "endpoint"
	j, err := a.Indexing.SaveMethod(t.Context(), "c", m)
	require.NoError(t, err)
	require.NotNil(t, j, "another embedding is another index")
	require.Equal(t, "done", ended(t, a, "c", j.ID).State)
	idle(t, a, "c")
	assert.Equal(t, "endpoint", meaning(t, a))
	ask := query.Question{Text: "How much does a dog cost?"}
	r, err := a.Asking.Find(t.Context(), public, "c", ask, asking.Variant{})
	require.NoError(t, err)
	require.NotEmpty(t, r.Evidence)
	assert.Greater(t, r.Evidence[0].Cosine, 0.2)
	before := calls.Load()
	again, err := a.Asking.Find(t.Context(), public, "c", ask, asking.Variant{})
	require.NoError(t, err)
	assert.Equal(t, before, calls.Load(), "a question asked lately is remembered")
	assert.Equal(t, r.Evidence, again.Evidence)
	c, err = a.Indexing.EmbeddingsConnection(t.Context())
	require.NoError(t, err)
	assert.Positive(t, c.Tokens)

	// Out of order: a new question cannot be asked, and is told why; nothing is mixed.
	down.Store(1)
	_, err = a.Asking.Find(t.Context(), public, "c", query.Question{Text: "Is there a lift?"}, asking.Variant{})
	assert.ErrorContains(t, err, "embeddings answered 400")

	// Nor is it judged in a run; after a whole batch the rest is not asked.
	var qs []questions.Question
	for i := range 45 {
		qs = append(qs, questions.Question{ID: fmt.Sprint(i), Text: fmt.Sprintf("Is there a lift at pier %d?", i), Expect: []questions.Expectation{says("lift")}})
	}
	_, err = a.Proving.Sets.PutQuestions(t.Context(), "c", "s", qs)
	require.NoError(t, err)
	run, results := ran(t, a, "s")
	assert.Equal(t, 45, run.Summary.Unjudged)
	assert.Zero(t, run.Summary.Passed.Of, "what could not be asked is in no rate")
	require.Len(t, results, 45)
	assert.Contains(t, results[0].Failed, "embeddings answered 400")
	assert.Contains(t, results[44].Failed, "not asked")
	down.Store(0)

	// Disconnected: the index is made anew with what is built in.
	_, err = a.Indexing.ConnectEmbeddings(t.Context(), connections.ConnectionChange{})
	require.NoError(t, err)
	idle(t, a, "c")
	assert.Equal(t, "words", meaning(t, a))
	_, err = a.Asking.Find(t.Context(), public, "c", ask, asking.Variant{})
	require.NoError(t, err)
}
