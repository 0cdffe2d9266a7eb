package visit

import (
	"encoding/base64"
	"encoding/binary"
	"encoding/json"
	"fmt"
	"math"
	"net/http"

	"jolvex/core/embed"
	"jolvex/internal/serving"
)

// embeddings speaks the widely used protocol for embeddings: texts in, a vector of length 1 for each, as numbers or as base64 of little-endian 32-bit floats.
func (h *handlers) embeddings(w http.ResponseWriter, q *http.Request) {
	a, ok := h.program(w, q, serving.ScopeFind)
	if !ok {
		return
	}
	var in struct {
		Model  string          `json:"model"`
		Input  json.RawMessage `json:"input"`
		Format string          `json:"encoding_format"`
		Size   *int            `json:"dimensions"`
	}
	if !read(w, q, mostTalk, &in) {
		return
	}
	var texts []string
	if json.Unmarshal(in.Input, &texts) != nil {
		var one string
		if json.Unmarshal(in.Input, &one) != nil {
			chatProblem(w, http.StatusBadRequest, "the input is a text, or a list of texts; lists of tokens are not read")
			return
		}
		texts = []string{one}
	}
	by, err := h.app.Serving.Library.Embedder(q.Context(), a)
	if err != nil {
		h.apiFail(w, err)
		return
	}
	switch {
	case in.Model != "" && in.Model != by.ID() && in.Model != a.Corpus.Name:
		chatProblem(w, http.StatusNotFound, fmt.Sprintf("texts are embedded here by %q, not by %q", by.ID(), in.Model))
		return
	case in.Format != "" && in.Format != "float" && in.Format != "base64":
		chatProblem(w, http.StatusBadRequest, "the encoding_format is float or base64")
		return
	case in.Size != nil && *in.Size != by.Dimensions():
		chatProblem(w, http.StatusBadRequest, fmt.Sprintf("vectors have %d dimensions here", by.Dimensions()))
		return
	}
	vs, err := h.app.Serving.Library.Embed(q.Context(), by, texts)
	if err != nil {
		h.apiFail(w, err)
		return
	}
	data, bytes := make([]any, len(vs)), 0
	for n, v := range vs {
		bytes += len(texts[n])
		var vector any = floats(v)
		if in.Format == "base64" {
			vector = packed(floats(v))
		}
		data[n] = map[string]any{"object": "embedding", "index": n, "embedding": vector}
	}
	tokens := (bytes + 3) / 4 // about: the encoders count pieces of words
	write(w, http.StatusOK, map[string]any{"object": "list", "model": by.ID(), "data": data, "usage": map[string]int{"prompt_tokens": tokens, "total_tokens": tokens}})
}

// floats is a vector of length 1 in the direction of v; zeros where v has none.
func floats(v embed.Vector) []float32 {
	sum := 0.0
	for _, x := range v {
		sum += float64(x) * float64(x)
	}
	out := make([]float32, len(v))
	if sum == 0 {
		return out
	}
	for i, x := range v {
		out[i] = float32(float64(x) / math.Sqrt(sum))
	}
	return out
}

func packed(v []float32) string {
	raw := make([]byte, 0, 4*len(v))
	for _, x := range v {
		raw = binary.LittleEndian.AppendUint32(raw, math.Float32bits(x))
	}
	return base64.StdEncoding.EncodeToString(raw)
}
