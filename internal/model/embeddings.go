package model

import (
	"context"
	"encoding/json"
	"fmt"
	"math"
	"time"
)

// Embeddings is a connection that gives texts vectors by the widely used embeddings protocol: a JSON POST to /embeddings
// with a list of texts, answered with a list of vectors.
type Embeddings struct {
	Base  string // address before /embeddings, such as http://127.0.0.1:9000/v1
	Model string
	Key   string // bearer token, may be empty
	Wait  func(ctx context.Context, d time.Duration) error
}

// Embedded is what came of one call.
type Embedded struct {
	Vectors [][]float32 // [len(texts)][dimensions], each of length 1
	Tokens  int         // as the endpoint counts them; 0 when it does not say
}

// Limits of embeddings.
const (
	embedBatch    = 64       // texts in one request
	embedBytes    = 64 << 20 // of one answer
	embedPatience = 2 * time.Minute
	embedTries    = 5
	MaxDimensions = 8192
)

// Embed gives each text its vector, in batches. Requests that are refused for being too many, or because the endpoint is
// out of order for the moment, are tried again, waiting as long as it asks or ever longer. All vectors must be of one
// dimension, finite and not zero; those that are not of length 1 are brought to it. ErrConnection, wrapped, when the
// endpoint does not do its part.
func (e Embeddings) Embed(ctx context.Context, texts []string) (Embedded, error) {
	var out Embedded
	dim := 0
	for from := 0; from < len(texts); from += embedBatch {
		some := texts[from:min(len(texts), from+embedBatch)]
		vs, tokens, err := e.batch(ctx, some)
		if err != nil {
			return out, err
		}
		out.Tokens += tokens
		for _, v := range vs {
			if dim == 0 {
				dim = len(v)
			}
			if len(v) != dim || dim == 0 || dim > MaxDimensions {
				return out, fmt.Errorf("%w: it gave a vector of %d numbers beside one of %d", ErrConnection, len(v), dim)
			}
			if err := normalise(v); err != nil {
				return out, err
			}
			out.Vectors = append(out.Vectors, v)
		}
	}
	return out, nil
}

func normalise(v []float32) error {
	sum := 0.0
	for _, x := range v {
		sum += float64(x) * float64(x)
	}
	n := math.Sqrt(sum)
	if !(n > 1e-12) || math.IsInf(n, 0) {
		return fmt.Errorf("%w: it gave a vector of length %v", ErrConnection, n)
	}
	if math.Abs(n-1) > 1e-3 {
		for i := range v {
			v[i] = float32(float64(v[i]) / n)
		}
	}
	return nil
}

func (e Embeddings) batch(ctx context.Context, texts []string) ([][]float32, int, error) {
	c := caller{what: "embeddings", base: e.Base, path: "/embeddings", key: e.Key, patience: embedPatience, tries: embedTries, most: embedBytes, wait: e.Wait}
	raw, err := c.post(ctx, map[string]any{"model": e.Model, "input": texts, "encoding_format": "float"})
	if err != nil {
		return nil, 0, err
	}
	var got struct {
		Data []struct {
			Index     *int      `json:"index"`
			Embedding []float32 `json:"embedding"`
		} `json:"data"`
		Usage struct {
			Total int `json:"total_tokens"`
		} `json:"usage"`
	}
	if err := json.Unmarshal(raw, &got); err != nil {
		return nil, 0, fmt.Errorf("%w: embeddings answered with something that cannot be read: %w", ErrConnection, err)
	}
	if len(got.Data) != len(texts) {
		return nil, 0, fmt.Errorf("%w: it gave %d vectors for %d texts", ErrConnection, len(got.Data), len(texts))
	}
	vs := make([][]float32, len(texts))
	for i, d := range got.Data {
		at := i
		if d.Index != nil {
			at = *d.Index
		}
		if at < 0 || at >= len(vs) || vs[at] != nil || d.Embedding == nil {
			return nil, 0, fmt.Errorf("%w: its vectors do not say whose they are", ErrConnection)
		}
		vs[at] = d.Embedding
	}
	return vs, max(0, got.Usage.Total), nil
}
