package embed

import (
	"context"

	lru "github.com/hashicorp/golang-lru/v2"
)

// Memory holds the vectors that were made last, of texts by whatever made them.
type Memory struct {
	met *lru.Cache[string, Vector]
}

// NewMemory makes a memory of so many vectors, at least one.
func NewMemory(most int) (*Memory, error) {
	met, err := lru.New[string, Vector](most)
	return &Memory{met}, err
}

// Of is an embedder that asks the memory first. A question is embedded for what it searches, again for what is judged, and once more with the
// conversation before it: the second and third time cost nothing.
func (m *Memory) Of(e Embedder) Embedder { return remembered{e, m.met} }

type remembered struct {
	Embedder
	met *lru.Cache[string, Vector]
}

// Embed implements Embedder, one text at a time.
func (r remembered) Embed(ctx context.Context, texts []string) ([]Vector, error) {
	out := make([]Vector, len(texts))
	for i, t := range texts {
		key := r.ID() + "\n" + t
		if v, ok := r.met.Get(key); ok {
			out[i] = v
			continue
		}
		vs, err := r.Embedder.Embed(ctx, []string{t})
		if err != nil {
			return nil, err
		}
		out[i] = vs[0]
		r.met.Add(key, vs[0])
	}
	return out, nil
}
