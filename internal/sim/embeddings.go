package sim

import (
	"encoding/json"
	"net/http"
	"strings"

	"jolvex/core/embed"
)

// Embeddings stands in for an endpoint of the widely used embeddings protocol: it gives the built-in word vectors, as
// floating-point numbers that are not of length 1, and counts words as tokens. With a key, it wants that key.
func Embeddings(key string) (http.Handler, error) {
	words, err := embed.NewStatic()
	if err != nil {
		return nil, err
	}
	mux := http.NewServeMux()
	answer := func(w http.ResponseWriter, status int, body any) {
		w.Header().Set("Content-Type", "application/json")
		w.WriteHeader(status)
		_ = json.NewEncoder(w).Encode(body) // the client has gone
	}
	fail := func(w http.ResponseWriter, status int, message string) {
		answer(w, status, map[string]any{"error": map[string]string{"message": message}})
	}
	mux.HandleFunc("POST /v1/embeddings", func(w http.ResponseWriter, q *http.Request) {
		if key != "" && q.Header.Get("Authorization") != "Bearer "+key {
			fail(w, http.StatusUnauthorized, "the key is not right")
			return
		}
		var in struct {
			Model string   `json:"model"`
			Input []string `json:"input"`
		}
		if err := json.NewDecoder(http.MaxBytesReader(w, q.Body, 32<<20)).Decode(&in); err != nil || len(in.Input) == 0 {
			fail(w, http.StatusBadRequest, "input must be a list of texts")
			return
		}
		vs, err := words.Embed(q.Context(), in.Input)
		if err != nil {
			fail(w, http.StatusInternalServerError, err.Error())
			return
		}
		tokens := 0
		data := make([]map[string]any, len(vs))
		for i, v := range vs {
			tokens += len(strings.Fields(in.Input[i]))
			floats := make([]float32, len(v))
			for j, x := range v {
				floats[j] = float32(x)
			}
			if floats[0] == 0 {
				floats[0] = 1 // a text without known words has a direction, too
			}
			data[i] = map[string]any{"object": "embedding", "index": i, "embedding": floats}
		}
		answer(w, http.StatusOK, map[string]any{"object": "list", "model": in.Model, "data": data, "usage": map[string]int{"prompt_tokens": tokens, "total_tokens": tokens}})
	})
	return mux, nil
}
