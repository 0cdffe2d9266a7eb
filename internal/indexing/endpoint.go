package indexing

import (
	"context"
	"errors"
	"fmt"
	"math"
	"strings"

	"jolvex/core/embed"
	"jolvex/core/method"
	"jolvex/internal/connections"
	"jolvex/internal/fault"
	"jolvex/internal/model"
	"jolvex/internal/store"
)

// reader is an embedder that reads texts behind, while word vectors serve.
type reader interface {
	embed.Embedder
	// read embeds texts on a number of cores, where that is its affair.
	read(ctx context.Context, cores int, texts []string) ([]embed.Vector, error)
}

// encoderReader is a built-in sentence encoder.
type encoderReader struct{ *embed.Encoder }

func (e encoderReader) read(_ context.Context, cores int, texts []string) ([]embed.Vector, error) {
	return e.EmbedOn(cores, texts)
}

// Endpoint is an embeddings endpoint that others run.
type Endpoint struct {
	ix   *Indexer
	link model.Embeddings
	dim  int
}

// ID implements embed.Embedder.
func (e *Endpoint) ID() string {
	return fmt.Sprintf("endpoint-1 %s %s %d", e.link.Base, e.link.Model, e.dim)
}

// Dimensions implements embed.Embedder.
func (e *Endpoint) Dimensions() int { return e.dim }

// Embed implements embed.Embedder.
func (e *Endpoint) Embed(ctx context.Context, texts []string) ([]embed.Vector, error) {
	return e.read(ctx, 1, texts)
}

func (e *Endpoint) read(ctx context.Context, _ int, texts []string) ([]embed.Vector, error) {
	got, err := e.link.Embed(ctx, texts)
	if err != nil {
		return nil, err
	}
	if err := e.ix.store.AddTokens(ctx, connections.ConnectionEmbeddings, got.Tokens); err != nil {
		return nil, err
	}
	out := make([]embed.Vector, len(texts))
	for i, v := range got.Vectors {
		if len(v) != e.dim {
			return nil, fmt.Errorf("%w: its vectors have %d numbers now, %d when it was connected: connect it anew", model.ErrConnection, len(v), e.dim)
		}
		out[i] = make(embed.Vector, len(v))
		for j, x := range v {
			out[i][j] = int8(math.Round(float64(x) * 127))
		}
	}
	return out, nil
}

// LoadEndpoint takes up the stored connection, if there is one.
func (ix *Indexer) LoadEndpoint(ctx context.Context) error {
	c, err := ix.store.Connection(ctx, connections.ConnectionEmbeddings)
	if errors.Is(err, store.ErrMissing) {
		ix.endpoint.Store(nil)
		return nil
	}
	if err != nil {
		return err
	}
	e := &Endpoint{ix: ix, link: model.Embeddings{Base: c.Base, Model: c.Model}, dim: c.Dimensions}
	if len(c.Sealed) > 0 {
		key, err := ix.connections.Unseal(c.Sealed)
		if err != nil {
			return err
		}
		e.link.Key = string(key)
	}
	ix.endpoint.Store(e)
	return nil
}

// ConnectEmbeddings sets where embeddings come from that are not built in. The endpoint is tried at once; one that does
// not answer as it should is refused.
func (ix *Indexer) ConnectEmbeddings(ctx context.Context, ch connections.ConnectionChange) (connections.Connection, error) {
	c, err := ix.connections.Changed(ctx, connections.ConnectionEmbeddings, ch)
	if err != nil {
		return connections.Connection{}, err
	}
	if c.Base != "" {
		link := model.Embeddings{Base: c.Base, Model: c.Model}
		if len(c.Sealed) > 0 {
			key, err := ix.connections.Unseal(c.Sealed)
			if err != nil {
				return connections.Connection{}, err
			}
			link.Key = string(key)
		}
		got, err := link.Embed(ctx, []string{"one short text"})
		if err != nil {
			return connections.Connection{}, fault.Input("the endpoint was tried: %v", err)
		}
		c.Dimensions = len(got.Vectors[0])
	}
	if err := ix.store.SaveConnection(ctx, c); err != nil {
		return connections.Connection{}, err
	}
	if err := ix.LoadEndpoint(ctx); err != nil {
		return connections.Connection{}, err
	}
	cs, err := ix.store.Corpora(ctx)
	if err != nil {
		return connections.Connection{}, err
	}
	for _, x := range cs {
		if x.Method.Embed.Grade == embed.GradeEndpoint {
			if _, err := ix.RebuildWhenStale(ctx, x.ID, x.Method); err != nil {
				return connections.Connection{}, err
			}
		}
	}
	return ix.connections.Connection(ctx, connections.ConnectionEmbeddings)
}

// EmbeddingsConnection tells where embeddings come from that are not built in.
func (ix *Indexer) EmbeddingsConnection(ctx context.Context) (connections.Connection, error) {
	return ix.connections.Connection(ctx, connections.ConnectionEmbeddings)
}

// Behind is what reads texts behind under a method; nil when word vectors are all that it asks for, or nothing is connected.
func (ix *Indexer) Behind(m method.Method) reader {
	switch m.Embed.Grade {
	case embed.GradeEncoder:
		return encoderReader{ix.encoder}
	case embed.GradeMany:
		if e := embed.BuiltIn(embed.ManyID); e != nil {
			return encoderReader{e}
		}
	case embed.GradeEndpoint:
		if e := ix.endpoint.Load(); e != nil {
			return e
		}
	}
	return nil
}

// readerBy finds what reads texts as an index's vectors were made; nil for word vectors.
func (ix *Indexer) readerBy(id string) (reader, error) {
	_, err := ix.MadeBy(id)
	if err != nil || id == ix.words.ID() {
		return nil, err
	}
	if e := ix.endpoint.Load(); e != nil && e.ID() == id {
		return e, nil
	}
	if e := embed.BuiltIn(id); e != nil {
		return encoderReader{e}, nil
	}
	return nil, nil
}

// MadeBy finds what embeds questions as an index's vectors were made, by its ID.
func (ix *Indexer) MadeBy(id string) (embed.Embedder, error) {
	if e := embed.BuiltIn(id); e != nil {
		return ix.asked.Of(e.Questions()), nil
	}
	switch {
	case strings.HasPrefix(id, "endpoint-"):
		if e := ix.endpoint.Load(); e != nil && e.ID() == id {
			return ix.asked.Of(e), nil
		}
		return nil, errors.New("the index holds vectors of an embeddings endpoint that is no longer connected: connect it again, or choose another embedding")
	}
	return ix.words, nil
}
