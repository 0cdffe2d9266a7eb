package work

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"runtime"
	"sort"
	"strings"
	"sync"
	"sync/atomic"

	"golang.org/x/sync/errgroup"

	"jolvex/core/chunk"
	"jolvex/core/doc"
	"jolvex/core/embed"
	"jolvex/core/index"
	"jolvex/core/method"
	"jolvex/internal/store"
)

// shelf is the index of one corpus in memory. Readers take the snapshot without waiting; changes go one after another.
type shelf struct {
	change   sync.Mutex
	once     sync.Once
	err      error
	snapshot atomic.Pointer[index.Snapshot]
	stage    atomic.Value // string: the index stage it was built with
	manifest index.Manifest
}

// shelf opens a corpus's index: from its files, or by building it when there are none that can be used.
func (a *App) shelf(ctx context.Context, c store.Corpus) (*shelf, error) {
	a.mu.Lock()
	s, ok := a.corpora[c.ID]
	if !ok {
		s = &shelf{}
		a.corpora[c.ID] = s
	}
	a.mu.Unlock()
	s.once.Do(func() {
		s.change.Lock()
		defer s.change.Unlock()
		s.err = a.load(context.WithoutCancel(ctx), c, s)
	})
	return s, s.err
}

func (a *App) load(ctx context.Context, c store.Corpus, s *shelf) error {
	s.snapshot.Store(&index.Snapshot{Name: "empty"})
	s.stage.Store("")
	name, m, err := a.store.Manifest(ctx, c.ID)
	if errors.Is(err, store.ErrMissing) {
		return nil
	}
	if err != nil {
		return err
	}
	parts, err := a.readParts(m)
	if err == nil {
		s.manifest = m
		s.stage.Store(m.IndexStage)
		s.snapshot.Store(&index.Snapshot{Name: name, Parts: parts})
		return nil
	}
	a.log.Warn("the index is built anew from the documents", "corpus", c.Name, "reason", err)
	return a.rebuildLocked(ctx, c, s, func(int, int) {})
}

func (a *App) indexFile(hash string) string { return filepath.Join(a.dir, "index", hash) }

func (a *App) readFile(hash string) ([]byte, error) {
	b, err := os.ReadFile(a.indexFile(hash))
	if err != nil {
		return nil, fmt.Errorf("read the index: %w", err)
	}
	if index.Hash(b) != hash {
		return nil, fmt.Errorf("index file %s: %w", hash, index.ErrCorrupt)
	}
	return b, nil
}

func (a *App) readParts(m index.Manifest) ([]index.Part, error) {
	out := make([]index.Part, len(m.Segments))
	for i, r := range m.Segments {
		b, err := a.readFile(r.Hash)
		if err != nil {
			return nil, err
		}
		seg, err := index.DecodeSegment(b)
		if err != nil {
			return nil, err
		}
		if b, err = a.readFile(r.Vectors); err != nil {
			return nil, err
		}
		vs, err := index.DecodeVectors(b)
		if err != nil {
			return nil, err
		}
		if len(vs) != len(seg.Entries) {
			return nil, fmt.Errorf("segment %s has %d chunks and %d vectors: %w", r.Hash, len(seg.Entries), len(vs), index.ErrCorrupt)
		}
		out[i] = index.Part{Segment: seg, Vectors: vs}
		for _, d := range r.Dead {
			out[i].Dead = out[i].Dead.With(int(d))
		}
	}
	return out, nil
}

// writeFile writes bytes under their hash, whole or not at all.
func (a *App) writeFile(b []byte) (string, error) {
	hash := index.Hash(b)
	path := a.indexFile(hash)
	if _, err := os.Stat(path); err == nil {
		return hash, nil
	}
	f, err := os.CreateTemp(filepath.Dir(path), "new-*")
	if err != nil {
		return "", fmt.Errorf("write the index: %w", err)
	}
	_, err = f.Write(b)
	err = errors.Join(err, f.Sync(), f.Close())
	if err == nil {
		err = os.Rename(f.Name(), path)
	}
	if err != nil {
		return "", errors.Join(fmt.Errorf("write the index: %w", err), os.Remove(f.Name()))
	}
	return hash, nil
}

// cut is one document made ready for the index.
type cut struct {
	audience string
	entries  []index.Entry
	texts    []index.Texts
	vectors  []embed.Vector
}

// prepare cuts and embeds documents, on all cores; the order stays.
func (a *App) prepare(ctx context.Context, docs []store.Document, m method.Method) ([]cut, error) {
	out := make([]cut, len(docs))
	g, ctx := errgroup.WithContext(ctx)
	g.SetLimit(runtime.GOMAXPROCS(0))
	for i, d := range docs {
		g.Go(func() error {
			if err := ctx.Err(); err != nil {
				return err
			}
			var err error
			out[i], err = a.prepareOne(d, m)
			return err
		})
	}
	return out, g.Wait()
}

func (a *App) prepareOne(d store.Document, m method.Method) (cut, error) {
	body, err := a.Version(d.Version)
	if err != nil {
		return cut{}, err
	}
	tokens, err := chunk.Tokenise(body.Text)
	if err != nil {
		return cut{}, err
	}
	c := cut{audience: d.Audience}
	var whole []string
	for _, ch := range chunk.Cut(body, tokens, m.Chunk) {
		t := index.Texts{index.Title: body.Title, index.Path: strings.Join(ch.Path, "\n"), index.Body: bodyText(body, ch)}
		c.entries = append(c.entries, index.Entry{
			Document: d.ID, Version: d.Version, Source: d.Source, Address: d.Address, Title: body.Title, Path: ch.Path, Span: ch.Span, Ordinal: ch.Ordinal, Tokens: ch.Tokens,
		})
		c.texts = append(c.texts, t)
		whole = append(whole, body.Title+"\n"+t[index.Path]+"\n"+t[index.Body])
	}
	c.vectors, err = a.embedder.Embed(whole)
	return c, err
}

// bodyText is what of a chunk is indexed as its body: its text without headings, which have a field of their own, and
// with the caption and header of a table that was cut before it.
func bodyText(d *doc.Document, c chunk.Chunk) string {
	var out strings.Builder
	out.WriteString(c.Carried)
	for _, b := range d.Blocks {
		if b.Kind == doc.Heading || !b.Span.Overlaps(c.Span) {
			continue
		}
		out.WriteByte('\n')
		out.WriteString(d.Of(doc.Span{Start: max(b.Span.Start, c.Span.Start), End: min(b.Span.End, c.Span.End)}))
	}
	if out.Len() == 0 {
		return d.Of(c.Span)
	}
	return out.String()
}

// segments makes one segment for each audience and writes the files.
func (a *App) segments(cuts []cut) (parts []index.Part, refs []index.Reference, err error) {
	builders := map[string]*index.Builder{}
	vectors := map[string][]embed.Vector{}
	for _, c := range cuts {
		b := builders[c.audience]
		if b == nil {
			b = index.NewBuilder(c.audience)
			builders[c.audience] = b
		}
		for i, e := range c.entries {
			b.Add(e, c.texts[i])
		}
		vectors[c.audience] = append(vectors[c.audience], c.vectors...)
	}
	audiences := make([]string, 0, len(builders))
	for au := range builders {
		audiences = append(audiences, au)
	}
	sort.Strings(audiences)
	for _, au := range audiences {
		if builders[au].Len() == 0 {
			continue
		}
		p := index.Part{Segment: builders[au].Build(), Vectors: vectors[au]}
		r, err := a.writePart(p)
		if err != nil {
			return nil, nil, err
		}
		parts, refs = append(parts, p), append(refs, r)
	}
	return parts, refs, nil
}

func (a *App) writePart(p index.Part) (index.Reference, error) {
	r := index.Reference{Audience: p.Segment.Audience}
	var err error
	if r.Hash, err = a.writeFile(p.Segment.Encode()); err != nil {
		return r, err
	}
	r.Vectors, err = a.writeFile(index.EncodeVectors(p.Vectors, a.embedder.Dimensions()))
	return r, err
}

// most segments of one audience before they are merged.
const mostSegments = 8

// indexFetched brings what has been fetched into the index. It returns the number of documents taken in.
func (a *App) indexFetched(ctx context.Context, corpus string) (int, error) {
	c, err := a.store.Corpus(ctx, corpus)
	if err != nil {
		return 0, err
	}
	s, err := a.shelf(ctx, c)
	if err != nil {
		return 0, err
	}
	s.change.Lock()
	defer s.change.Unlock()
	docs, err := a.store.Indexable(ctx, corpus, []string{store.Fetched}, "", 2000)
	if err != nil || len(docs) == 0 {
		return 0, err
	}
	st, err := c.Method.Stages(a.embedder.ID())
	if err != nil {
		return 0, err
	}
	cuts, err := a.prepare(ctx, docs, c.Method)
	if err != nil {
		return 0, fmt.Errorf("cut documents: %w", err)
	}
	indexed, replaced := map[string]string{}, map[string]bool{}
	for _, d := range docs {
		indexed[d.ID], replaced[d.ID] = d.Version, true
	}
	old := s.snapshot.Load()
	m := index.Manifest{VectorSet: st.Embed, IndexStage: st.Index}
	var parts []index.Part
	for i, p := range old.Parts {
		r := s.manifest.Segments[i]
		dead := append(index.Bits(nil), p.Dead...)
		for k, e := range p.Segment.Entries {
			if replaced[e.Document] && !dead.Has(k) {
				dead = dead.With(k)
				r.Dead = append(r.Dead[:len(r.Dead):len(r.Dead)], uint32(k))
			}
		}
		p.Dead = dead
		parts, m.Segments = append(parts, p), append(m.Segments, r)
	}
	fresh, refs, err := a.segments(cuts)
	if err != nil {
		return 0, err
	}
	parts, m.Segments = append(parts, fresh...), append(m.Segments, refs...)
	if len(parts) > mostSegments {
		if parts, m.Segments, err = a.merge(parts); err != nil {
			return 0, err
		}
	}
	return len(docs), a.publish(ctx, c.ID, s, m, parts, indexed)
}

func (a *App) merge(parts []index.Part) (out []index.Part, refs []index.Reference, err error) {
	by := map[string][]index.Part{}
	for _, p := range parts {
		by[p.Segment.Audience] = append(by[p.Segment.Audience], p)
	}
	for _, au := range []string{index.Public, index.Staff} {
		if len(by[au]) == 0 {
			continue
		}
		var p index.Part
		p.Segment, p.Vectors = index.Merge(au, by[au])
		r, err := a.writePart(p)
		if err != nil {
			return nil, nil, err
		}
		out, refs = append(out, p), append(refs, r)
	}
	return out, refs, nil
}

func (a *App) publish(ctx context.Context, corpus string, s *shelf, m index.Manifest, parts []index.Part, indexed map[string]string) error {
	raw, err := json.Marshal(m)
	if err != nil {
		return err
	}
	name := index.Hash(raw)
	if err := a.store.Publish(ctx, corpus, name, m, indexed); err != nil {
		return err
	}
	s.manifest = m
	s.stage.Store(m.IndexStage)
	s.snapshot.Store(&index.Snapshot{Name: name, Parts: parts})
	chunks := 0
	for _, p := range parts {
		chunks += len(p.Segment.Entries) - len(p.Dead.Members())
	}
	a.tell(ctx, event(corpus, "index", map[string]any{"chunks": chunks, "snapshot": name}))
	return a.sweep(ctx)
}

// sweep removes index files that no manifest names.
func (a *App) sweep(ctx context.Context) error {
	ms, err := a.store.Manifests(ctx)
	if err != nil {
		return err
	}
	named := map[string]bool{}
	for _, m := range ms {
		for _, r := range m.Segments {
			named[r.Hash], named[r.Vectors] = true, true
		}
	}
	files, err := os.ReadDir(filepath.Join(a.dir, "index"))
	if err != nil {
		return fmt.Errorf("tidy the index folder: %w", err)
	}
	for _, f := range files {
		// A file that another corpus is just writing has the form of a hash and is not named yet: only old ones go.
		info, err := f.Info()
		if err != nil || named[f.Name()] || a.now().Sub(info.ModTime()).Minutes() < 10 {
			continue
		}
		if err := os.Remove(a.indexFile(f.Name())); err != nil && !errors.Is(err, os.ErrNotExist) {
			return fmt.Errorf("tidy the index folder: %w", err)
		}
	}
	return nil
}

// rebuild cuts and indexes every document anew under the current settings.
func (a *App) rebuild(ctx context.Context, j store.Job, p *progress) error {
	c, err := a.store.Corpus(ctx, j.Corpus)
	if err != nil {
		return err
	}
	s, err := a.shelf(ctx, c)
	if err != nil {
		return err
	}
	s.change.Lock()
	defer s.change.Unlock()
	return a.rebuildLocked(ctx, c, s, func(done, total int) { p.set(ctx, done, total, "cutting and indexing") })
}

func (a *App) rebuildLocked(ctx context.Context, c store.Corpus, s *shelf, tell func(done, total int)) error {
	st, err := c.Method.Stages(a.embedder.ID())
	if err != nil {
		return err
	}
	states := []string{store.Fetched, store.Indexed, store.Unchanged}
	counts, err := a.store.CountStates(ctx, c.ID, "")
	if err != nil {
		return err
	}
	total := counts[store.Fetched] + counts[store.Indexed] + counts[store.Unchanged]
	var cuts []cut
	indexed := map[string]string{}
	after := ""
	for {
		docs, err := a.store.Indexable(ctx, c.ID, states, after, 100)
		if err != nil {
			return err
		}
		if len(docs) == 0 {
			break
		}
		after = docs[len(docs)-1].ID
		more, err := a.prepare(ctx, docs, c.Method)
		if err != nil {
			return fmt.Errorf("cut documents: %w", err)
		}
		cuts = append(cuts, more...)
		for _, d := range docs {
			indexed[d.ID] = d.Version
		}
		tell(len(indexed), total)
	}
	parts, refs, err := a.segments(cuts)
	if err != nil {
		return err
	}
	return a.publish(ctx, c.ID, s, index.Manifest{Segments: refs, VectorSet: st.Embed, IndexStage: st.Index}, parts, indexed)
}
