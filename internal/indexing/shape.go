package indexing

import (
	"cmp"
	"context"
	"hash/fnv"
	"runtime"
	"slices"
	"strings"
	"sync"
	"time"

	"jolvex/core/chunk"
	"jolvex/core/doc"
	"jolvex/core/method"
	"jolvex/core/questions"
	"jolvex/internal/fault"
	"jolvex/internal/job"
	"jolvex/internal/store"

	"golang.org/x/sync/errgroup"
)

// Method gives the corpus's draft.
func (ix *Indexer) Method(ctx context.Context, corpus string) (method.Method, error) {
	c, err := ix.store.Corpus(ctx, corpus)
	return c.Method, err
}

// RebuildWhenStale queues a rebuild when the index was made with other settings.
func (ix *Indexer) RebuildWhenStale(ctx context.Context, id string, m method.Method) (*job.Job, error) {
	c := store.Corpus{ID: id, Method: m}
	s, err := ix.Shelf(ctx, c)
	if err != nil {
		return nil, err
	}
	return ix.rebuildWhenStale(ctx, c, s)
}

func (ix *Indexer) rebuildWhenStale(ctx context.Context, c store.Corpus, s *Shelf) (*job.Job, error) {
	st, err := c.Method.Stages(ix.Target(c.Method).ID())
	if err != nil {
		return nil, err
	}
	if built, _ := s.Stage.Load().(string); built == "" || built == st.Index {
		return nil, nil
	}
	j, err := ix.jobs.Add(ctx, c.ID, job.Rebuild, "")
	if err != nil {
		return nil, err
	}
	return &j, nil
}

// Layer is one chunk of a document as a preview shows it.
type Layer struct {
	chunk.Chunk
	Seen int  `json:"seen" doc:"How often what stands here was kept for a reply"`
	Same bool `json:"same" doc:"The other settings make the same chunk"`
}

// Cutting is what settings make of a document.
type Cutting struct {
	Chunks []Layer     `json:"chunks" nullable:"false"`
	Stats  chunk.Stats `json:"stats"`
}

// Preview is how one document would be cut, with one set of settings or with two.
type Preview struct {
	Document OpenDocument `json:"document"`
	Cutting
	Other *Cutting `json:"other,omitempty"`
	// Passages are the places of the document that question sets expect to be found.
	Passages []Expected `json:"passages" nullable:"false"`
}

// Expected is a passage that a question set expects to be found.
type Expected struct {
	Span     doc.Span `json:"span"`
	Set      string   `json:"set"`
	Question string   `json:"question" doc:"The question's id"`
	Text     string   `json:"text" doc:"The question"`
	Cut      bool     `json:"cut" doc:"No chunk of the first settings holds all of it"`
}

func checkCutting(sets ...*chunk.Settings) error {
	for _, s := range sets {
		if s == nil {
			continue
		}
		m := method.Default()
		m.Chunk = *s
		if bad := m.Validate(); len(bad) > 0 {
			return fault.Input("%s", strings.Join(bad, "; "))
		}
	}
	return nil
}

// Preview cuts a document with settings that need not be saved, and, when given, with others beside them.
func (ix *Indexer) Preview(ctx context.Context, corpus, id string, s chunk.Settings, other *chunk.Settings) (Preview, error) {
	out := Preview{Cutting: Cutting{Chunks: []Layer{}}, Passages: []Expected{}}
	if err := checkCutting(&s, other); err != nil {
		return out, err
	}
	var err error
	if out.Document, err = ix.OpenDocument(ctx, corpus, id, ""); err != nil || out.Document.Version == "" {
		return out, err
	}
	c, err := ix.store.Corpus(ctx, corpus)
	if err != nil {
		return out, err
	}
	p, err := ix.prepareText(ctx, out.Document.Version)
	if err != nil {
		return out, err
	}
	expected, err := ix.expected(ctx, c.ID)
	if err != nil {
		return out, err
	}
	out.Passages = append(out.Passages, expected.of(out.Document.Address, p.Doc)...)
	kept, err := ix.store.Kept(ctx, c.ID, id, out.Document.Version)
	if err != nil {
		return out, err
	}
	if out.Cutting, err = cutting(p, s, kept, out.Passages); err != nil {
		return out, err
	}
	for i := range out.Passages {
		out.Passages[i].Cut = chunk.Cuts(plainChunks(out.Chunks), out.Passages[i].Span)
	}
	if other != nil {
		o, err := cutting(p, *other, kept, out.Passages)
		if err != nil {
			return out, err
		}
		markSame(out.Chunks, o.Chunks)
		out.Other = &o
	}
	return out, nil
}

func cutting(p *chunk.Prepared, s chunk.Settings, kept []store.Kept, passages []Expected) (Cutting, error) {
	chunks, err := p.Cut(s)
	if err != nil {
		return Cutting{}, err
	}
	out := Cutting{Chunks: make([]Layer, len(chunks)), Stats: chunk.Judge(p, chunks, spansOf(passages))}
	for i, c := range chunks {
		out.Chunks[i].Chunk = c
	}
	for _, k := range kept {
		middle := (k.Start + k.Stop) / 2
		for i := range out.Chunks {
			if c := &out.Chunks[i]; c.Span.Start <= middle && middle < c.Span.End {
				c.Seen += k.Times
				break
			}
		}
	}
	return out, nil
}

func spansOf(es []Expected) []doc.Span {
	out := make([]doc.Span, len(es))
	for i, e := range es {
		out[i] = e.Span
	}
	return out
}

func plainChunks(ls []Layer) []chunk.Chunk {
	out := make([]chunk.Chunk, len(ls))
	for i, l := range ls {
		out[i] = l.Chunk
	}
	return out
}

// markSame marks the chunks that two cuttings have in common.
func markSame(a, b []Layer) {
	at := map[doc.Span]int{}
	for i, l := range b {
		at[l.Span] = i
	}
	for i := range a {
		if j, ok := at[a[i].Span]; ok {
			a[i].Same, b[j].Same = true, true
		}
	}
}

// expectations are the passages that a corpus's question sets expect, as they are written there.
type expectations []struct {
	set      string
	question questions.Question
}

func (ix *Indexer) expected(ctx context.Context, corpus string) (expectations, error) {
	sets, err := ix.store.QuestionSets(ctx, corpus)
	if err != nil {
		return nil, err
	}
	var out expectations
	for _, s := range sets {
		qs, err := ix.store.Questions(ctx, s.ID)
		if err != nil {
			return nil, err
		}
		for _, q := range qs {
			out = append(out, struct {
				set      string
				question questions.Question
			}{s.Name, q})
		}
	}
	return out, nil
}

// of finds the passages that stand in one document.
func (es expectations) of(address string, d *doc.Document) []Expected {
	var out []Expected
	for _, e := range es {
		for _, s := range e.question.Passages(questions.Document{Address: address, Title: d.Title}, d) {
			out = append(out, Expected{Span: s, Set: e.set, Question: e.question.ID, Text: e.question.Text})
		}
	}
	return out
}

// Figures say how well a whole corpus would be cut.
type Figures struct {
	Stats chunk.Stats `json:"stats"`
	Total int         `json:"total" doc:"Documents that could be cut; fewer in stats when only a sample was"`
}

// quick is how long a first look at a whole corpus may take.
const quick = 400 * time.Millisecond

// CuttingFigures cuts every document of a corpus with settings that need not be saved, all of them or as many, evenly
// drawn, as a moment allows. own are the settings of single sources, by id.
func (ix *Indexer) CuttingFigures(ctx context.Context, corpus string, s chunk.Settings, own map[string]chunk.Settings, all bool) (Figures, error) {
	var out Figures
	m := method.Default()
	m.Chunk, m.Sources = s, own
	if bad := m.Validate(); len(bad) > 0 {
		return out, fault.Input("%s", strings.Join(bad, "; "))
	}
	c, err := ix.store.Corpus(ctx, corpus)
	if err != nil {
		return out, err
	}
	docs, err := ix.store.Indexable(ctx, c.ID, []string{store.Fetched, store.Indexed, store.Unchanged}, "", 1_000_000)
	if err != nil {
		return out, err
	}
	expected, err := ix.expected(ctx, c.ID)
	if err != nil {
		return out, err
	}
	out.Total = len(docs)
	slices.SortFunc(docs, func(x, y store.Document) int { return cmp.Compare(drawn(x.ID), drawn(y.ID)) })
	began := time.Now()
	var tally chunk.Tally
	var mu sync.Mutex
	g, ctx := errgroup.WithContext(ctx)
	g.SetLimit(runtime.GOMAXPROCS(0))
	for _, d := range docs {
		if !all && time.Since(began) > quick {
			break
		}
		g.Go(func() error {
			if err := ctx.Err(); err != nil {
				return err
			}
			p, err := ix.prepareText(ctx, d.Version)
			if err != nil {
				return err
			}
			chunks, err := p.Cut(m.Cutting(d.Source))
			if err != nil {
				return err
			}
			passages := spansOf(expected.of(d.Address, p.Doc))
			mu.Lock()
			defer mu.Unlock()
			tally.Add(p, chunks, passages)
			return nil
		})
	}
	err = g.Wait()
	if out.Stats = tally.Stats; out.Stats.Sizes == nil {
		out.Stats.Sizes = []int{}
	}
	return out, err
}

// drawn puts documents in an order that has nothing to do with what they hold.
func drawn(id string) uint64 {
	h := fnv.New64a()
	_, _ = h.Write([]byte(id)) // never fails
	return h.Sum64()
}
