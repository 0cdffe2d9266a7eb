package work

import (
	"context"
	"strings"

	"jolvex/core/chunk"
	"jolvex/core/method"
	"jolvex/internal/store"
)

// Method gives the corpus's draft.
func (a *App) Method(ctx context.Context, corpus string) (method.Method, error) {
	c, err := a.store.Corpus(ctx, corpus)
	return c.Method, err
}

// SaveMethod saves the draft. When the change reaches the index, a job that rebuilds it is queued and returned.
func (a *App) SaveMethod(ctx context.Context, corpus string, m method.Method) (*Job, error) {
	c, err := a.store.Corpus(ctx, corpus)
	if err != nil {
		return nil, err
	}
	if bad := m.Validate(); len(bad) > 0 {
		return nil, inputError("%s", strings.Join(bad, "; "))
	}
	if err := a.store.SaveMethod(ctx, c.ID, m); err != nil {
		return nil, err
	}
	a.tell(ctx, event(c.ID, "method", map[string]any{"changed": method.Difference(c.Method, m)}))
	return a.rebuildWhenStale(ctx, c.ID, m)
}

func (a *App) rebuildWhenStale(ctx context.Context, id string, m method.Method) (*Job, error) {
	c := store.Corpus{ID: id, Method: m}
	s, err := a.shelf(ctx, c)
	if err != nil {
		return nil, err
	}
	st, err := m.Stages(a.target(m).ID())
	if err != nil {
		return nil, err
	}
	if built, _ := s.stage.Load().(string); built == "" || built == st.Index {
		return nil, nil
	}
	j, err := a.queue(ctx, id, JobRebuild, "")
	if err != nil {
		return nil, err
	}
	return &j, nil
}

// Preview is how one document would be cut.
type Preview struct {
	Document OpenDocument  `json:"document"`
	Chunks   []chunk.Chunk `json:"chunks" nullable:"false"`
	Stats    chunk.Stats   `json:"stats"`
}

// Preview cuts a document with settings that need not be saved.
func (a *App) Preview(ctx context.Context, corpus, id string, s chunk.Settings) (Preview, error) {
	m := method.Default()
	m.Chunk = s
	if bad := m.Validate(); len(bad) > 0 {
		return Preview{}, inputError("%s", strings.Join(bad, "; "))
	}
	open, err := a.OpenDocument(ctx, corpus, id, "")
	if err != nil {
		return Preview{}, err
	}
	out := Preview{Document: open, Chunks: []chunk.Chunk{}}
	if open.Version == "" {
		return out, nil
	}
	body, err := a.Version(open.Version)
	if err != nil {
		return out, err
	}
	tokens, err := chunk.Tokenise(body.Text)
	if err != nil {
		return out, err
	}
	out.Chunks = append(out.Chunks, chunk.Cut(body, tokens, s)...)
	out.Stats = chunk.Judge(body, out.Chunks)
	return out, nil
}
