package indexing

import (
	"cmp"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"maps"
	"slices"
	"sync"
	"sync/atomic"

	"jolvex/core/embed"
	"jolvex/core/index"
	"jolvex/core/method"
	"jolvex/internal/event"
	"jolvex/internal/job"
	"jolvex/internal/store"
)

// Shelf is the index of one corpus in memory. Readers take the snapshot without waiting; changes go one after another.
type Shelf struct {
	Change   sync.Mutex
	once     sync.Once
	err      error
	Snapshot atomic.Pointer[index.Snapshot]
	Stage    atomic.Value // string: the index stage it was built with
	manifest index.Manifest
}

// Shelf opens a corpus's index: from its files, or by building it when there are none that can be used.
func (ix *Indexer) Shelf(ctx context.Context, c store.Corpus) (*Shelf, error) {
	ix.mu.Lock()
	s, ok := ix.corpora[c.ID]
	if !ok {
		s = &Shelf{}
		ix.corpora[c.ID] = s
	}
	ix.mu.Unlock()
	s.once.Do(func() {
		s.Change.Lock()
		defer s.Change.Unlock()
		s.err = ix.load(context.WithoutCancel(ctx), c, s)
	})
	return s, s.err
}

func (ix *Indexer) load(ctx context.Context, c store.Corpus, s *Shelf) error {
	s.Snapshot.Store(&index.Snapshot{Name: "empty"})
	s.Stage.Store("")
	name, m, err := ix.store.Manifest(ctx, c.ID)
	if errors.Is(err, store.ErrMissing) {
		return nil
	}
	if err != nil {
		return err
	}
	parts, err := ix.files.Parts(m)
	if err != nil {
		ix.log.Warn("the index is built anew from the documents", "corpus", c.Name, "reason", err)
		if err := ix.rebuildLocked(ctx, c, s, func(int, int) {}); err != nil {
			return err
		}
	} else {
		s.manifest = m
		s.Stage.Store(m.IndexStage)
		s.Snapshot.Store(&index.Snapshot{Name: name, Embedder: m.Embedder, Sentences: m.Sentences, Parts: parts})
	}
	if _, err := ix.rebuildWhenStale(ctx, c, s); err != nil { // as after another version of the program
		return err
	}
	return ix.encodeWhenBehind(ctx, c, s)
}

// vectors are the sets that go with one segment; encoded is nil until the encoder has read all of it.
type vectors struct {
	words, encoded []embed.Vector
	by             embed.Embedder // of encoded
	sentences      bool
}

// kin is what one segment is of: chunks for an audience that one reader has read, or none yet. What waits for the encoder stands apart, or
// all would have to wait again with it.
type kin struct{ audience, by string }

func (k kin) compare(l kin) int {
	return cmp.Or(cmp.Compare(k.audience, l.audience), cmp.Compare(k.by, l.by))
}

// chunksOf collects chunks that go into one segment.
type chunksOf struct {
	entries []index.Entry
	texts   []index.Texts
}

func (c *chunksOf) add(x cut) {
	c.entries, c.texts = append(c.entries, x.entries...), append(c.texts, x.texts...)
}

func (c *chunksOf) segment(audience string) *index.Segment {
	b := index.NewBuilder(audience)
	b.AddAll(c.entries, c.texts)
	return b.Build()
}

// segments makes one segment for each kin of cuts and writes the files.
func (ix *Indexer) segments(cuts []cut) (parts []index.Part, refs []index.Reference, err error) {
	collected := map[kin]*chunksOf{}
	sets := map[kin]*vectors{}
	for _, c := range cuts {
		k := kin{audience: c.audience}
		if c.by != nil {
			k.by = c.by.ID()
		}
		b, v := collected[k], sets[k]
		if b == nil {
			b, v = new(chunksOf), &vectors{by: c.by}
			collected[k], sets[k] = b, v
		}
		b.add(c)
		v.words, v.encoded = append(v.words, c.words...), append(v.encoded, c.encoded...)
	}
	for _, k := range slices.SortedFunc(maps.Keys(collected), kin.compare) {
		if len(collected[k].entries) == 0 {
			continue
		}
		p, r, err := ix.writePart(collected[k].segment(k.audience), *sets[k])
		if err != nil {
			return nil, nil, err
		}
		parts, refs = append(parts, p), append(refs, r)
	}
	return parts, refs, nil
}

func (ix *Indexer) writePart(seg *index.Segment, v vectors) (index.Part, index.Reference, error) {
	p, r := index.Part{Segment: seg, Vectors: index.Flat(v.words)}, index.Reference{Audience: seg.Audience}
	var err error
	if r.Hash, err = ix.files.Write(seg.Encode()); err != nil {
		return p, r, err
	}
	if r.Words, err = ix.files.Write(index.EncodeVectors(v.words, ix.words.Dimensions())); err != nil {
		return p, r, err
	}
	p.File = r.Words
	if len(v.encoded) == len(seg.Entries) && v.by != nil {
		p.Vectors = index.Flat(v.encoded)
		r.Encoded, err = ix.files.Write(index.EncodeVectors(v.encoded, v.by.Dimensions()))
		r.EncodedBy, r.Sentences, p.File = v.by.ID(), v.sentences, r.Encoded
	}
	return p, r, err
}

// unreadShare is the part of an index's chunks that may wait for the encoder while its vectors stay in force for the others: until it has
// read them they are found by their words alone.
const unreadShare = 0.25

// choose brings all parts to one set of vectors: those of what the method asks to have read behind, when every part has them, or when they
// are in force and few chunks lack them; else the word vectors. Sentences likewise: those that the encoder has not read are read when a
// question wants them. It completes the manifest.
func (ix *Indexer) choose(m *index.Manifest, parts []index.Part, mt method.Method, inForce *index.Snapshot) error {
	emb, sentences := embed.Embedder(ix.words), false
	if b := ix.Behind(mt); b != nil {
		unread, unreadSentences, all := 0, 0, 0
		for i, r := range m.Segments {
			n := len(parts[i].Segment.Entries)
			all += n
			if r.Encoded == "" || r.EncodedBy != b.ID() {
				unread += n
			}
			if !r.Sentences {
				unreadSentences += n
			}
		}
		few := func(n int) bool {
			return n == 0 || inForce.Embedder == b.ID() && float64(n) <= unreadShare*float64(all)
		}
		if few(unread) {
			emb = b
		}
		sentences = emb.ID() == b.ID() && readsSentences(b) && (unreadSentences == 0 || inForce.Sentences && few(unreadSentences))
	}
	for i, r := range m.Segments {
		parts[i].EncodedBy, parts[i].Sentences = r.EncodedBy, r.Sentences
		file := ix.files.VectorFile(r, emb.ID())
		if parts[i].File == file {
			continue
		}
		if parts[i].File = file; file == "" {
			parts[i].Vectors, parts[i].Graph = nil, nil
			continue
		}
		var err error
		parts[i].Graph = ix.files.Graph(&m.Segments[i], file, len(parts[i].Segment.Entries))
		if parts[i].Vectors, err = ix.files.Vectors(file, len(parts[i].Segment.Entries)); err != nil {
			return err
		}
	}
	st, err := mt.Stages(emb.ID())
	if err != nil {
		return err
	}
	target, err := mt.Stages(ix.Target(mt).ID())
	m.VectorSet, m.Embedder, m.IndexStage = st.Embed, emb.ID(), target.Index
	m.Sentences = sentences
	return err
}

// Target is the embedder that a method asks for.
func (ix *Indexer) Target(m method.Method) embed.Embedder {
	if b := ix.Behind(m); b != nil {
		return b
	}
	return ix.words
}

// mostSegments is the most segments before they are merged.
const mostSegments = 8

// IndexFetched brings what has been fetched into the index. It returns the number of documents taken in.
func (ix *Indexer) IndexFetched(ctx context.Context, corpus string) (int, error) {
	c, err := ix.store.Corpus(ctx, corpus)
	if err != nil {
		return 0, err
	}
	s, err := ix.Shelf(ctx, c)
	if err != nil {
		return 0, err
	}
	s.Change.Lock()
	defer s.Change.Unlock()
	docs, err := ix.store.Indexable(ctx, corpus, []string{store.Fetched}, "", 2000)
	if err != nil {
		return 0, err
	}
	departed, err := ix.store.Departed(ctx, corpus)
	if err != nil {
		return 0, err
	}
	gone := present(s.Snapshot.Load().Parts, departed)
	if len(docs) == 0 && len(gone) == 0 {
		return 0, nil
	}
	return len(docs), ix.replace(ctx, c, s, docs, gone, maps.Clone(s.manifest.Cuts))
}

// replace puts documents into the index in the place of what it has of them, and takes out those that are gone. cuts are what is known of
// how sources were cut; sources that are new to it join it.
func (ix *Indexer) replace(ctx context.Context, c store.Corpus, s *Shelf, docs []store.Document, gone map[string]bool, known map[string]string) error {
	cuts, err := ix.Prepare(ctx, docs, c.Method)
	if err != nil {
		return fmt.Errorf("cut documents: %w", err)
	}
	if err := ix.recall(ctx, c.Method, cuts); err != nil {
		return err
	}
	if known == nil {
		known = map[string]string{}
	}
	indexed, replaced := map[string]string{}, gone
	for _, d := range docs {
		indexed[d.ID], replaced[d.ID] = d.Version, true
		if known[d.Source] == "" {
			if known[d.Source], err = c.Method.CutOf(d.Source); err != nil {
				return err
			}
		}
	}
	old := s.Snapshot.Load()
	m := index.Manifest{Cuts: known}
	var parts []index.Part
	for i, p := range old.Parts {
		r := s.manifest.Segments[i]
		p, died := p.Without(replaced)
		for _, k := range died {
			r.Dead = append(r.Dead[:len(r.Dead):len(r.Dead)], uint32(k))
		}
		parts, m.Segments = append(parts, p), append(m.Segments, r)
	}
	fresh, refs, err := ix.segments(cuts)
	if err != nil {
		return err
	}
	parts, m.Segments = append(parts, fresh...), append(m.Segments, refs...)
	if len(parts) > mostSegments {
		if parts, m.Segments, err = ix.merge(parts, m.Segments); err != nil {
			return err
		}
	}
	if err := ix.choose(&m, parts, c.Method, old); err != nil {
		return err
	}
	return ix.publish(ctx, c.ID, s, m, parts, indexed)
}

// present picks the documents that have a living chunk.
func present(parts []index.Part, documents []string) map[string]bool {
	out := map[string]bool{}
	if len(documents) == 0 {
		return out
	}
	asked := map[string]bool{}
	for _, d := range documents {
		asked[d] = true
	}
	for _, p := range parts {
		for i, e := range p.Segment.Entries {
			if asked[e.Document] && !p.Dead.Has(i) {
				out[e.Document] = true
			}
		}
	}
	return out
}

// stands reports whether a segment is so large, and still so much in use, that it is left as it is.
func (ix *Indexer) stands(p index.Part) bool {
	return len(p.Segment.Entries) >= ix.graphFrom && p.Dead.Count() < len(p.Segment.Entries)/4
}

// tier is how many times as large as all smaller ones together a segment may be to be merged with them: what is large is written anew
// seldom, so that many small additions cost no more than their number times its logarithm.
const tier = 3

// merge makes one segment of the small ones of each kin.
func (ix *Indexer) merge(parts []index.Part, refs []index.Reference) (out []index.Part, outRefs []index.Reference, err error) {
	groups := map[kin][]int{}
	for i, p := range parts {
		k := kin{p.Segment.Audience, refs[i].EncodedBy}
		groups[k] = append(groups[k], i)
	}
	for _, k := range slices.SortedFunc(maps.Keys(groups), kin.compare) {
		size := func(i int) int { return len(parts[i].Segment.Entries) }
		group := groups[k]
		slices.SortStableFunc(group, func(a, b int) int { return size(a) - size(b) })
		small, sum := 0, 0
		for _, i := range group {
			if ix.stands(parts[i]) || small > 1 && size(i) > tier*sum {
				break
			}
			small, sum = small+1, sum+size(i)
		}
		for _, i := range group[small:] {
			out, outRefs = append(out, parts[i]), append(outRefs, refs[i])
		}
		if small == 0 {
			continue
		}
		group = group[:small]
		slices.Sort(group)
		var of []index.Part
		var from []index.Reference
		sentences := true
		for _, i := range group {
			of, from = append(of, parts[i]), append(from, refs[i])
			sentences = sentences && refs[i].Sentences
		}
		seg, origins := index.Merge(k.audience, of)
		v := vectors{sentences: sentences}
		if v.words, err = ix.follow(of, from, origins, func(r index.Reference) string { return r.Words }); err != nil {
			return nil, nil, err
		}
		if k.by != "" {
			if v.encoded, err = ix.follow(of, from, origins, func(r index.Reference) string { return r.Encoded }); err != nil {
				return nil, nil, err
			}
			if v.by, err = ix.MadeBy(k.by); err != nil { // not connected any more: its vectors are of no use
				v.encoded, v.by = nil, nil
			}
		}
		p, r, err := ix.writePart(seg, v)
		if err != nil {
			return nil, nil, err
		}
		out, outRefs = append(out, p), append(outRefs, r)
	}
	return out, outRefs, nil
}

// follow reads the vectors of several parts and puts them in the order of what was merged from them.
func (ix *Indexer) follow(parts []index.Part, refs []index.Reference, origins []index.Origin, file func(index.Reference) string) ([]embed.Vector, error) {
	sets := make([][]embed.Vector, len(parts))
	for i, p := range parts {
		var err error
		if sets[i], err = ix.files.Vectors(file(refs[i]), len(p.Segment.Entries)); err != nil {
			return nil, err
		}
	}
	out := make([]embed.Vector, len(origins))
	for i, o := range origins {
		out[i] = sets[o.Part][o.Chunk]
	}
	return out, nil
}

func (ix *Indexer) publish(ctx context.Context, corpus string, s *Shelf, m index.Manifest, parts []index.Part, indexed map[string]string) error {
	raw, err := json.Marshal(m)
	if err != nil {
		return err
	}
	name := index.Hash(raw)
	if err := ix.store.Publish(ctx, corpus, name, m, indexed); err != nil {
		return err
	}
	s.manifest = m
	s.Stage.Store(m.IndexStage)
	s.Snapshot.Store(&index.Snapshot{Name: name, Embedder: m.Embedder, Sentences: m.Sentences, Parts: parts})
	chunks := 0
	for _, p := range parts {
		chunks += len(p.Segment.Entries) - p.Dead.Count()
	}
	event.Tell(ctx, ix.events, event.Index, corpus, event.IndexBody{Chunks: chunks, Snapshot: name, Embedder: m.Embedder})
	return ix.Sweep(ctx)
}

// rebuild cuts and indexes every document anew under the current settings.
func (ix *Indexer) rebuild(ctx context.Context, j store.Job, p *job.Progress) error {
	c, err := ix.store.Corpus(ctx, j.Corpus)
	if err != nil {
		return err
	}
	s, err := ix.Shelf(ctx, c)
	if err != nil {
		return err
	}
	s.Change.Lock()
	err = ix.rebuildLocked(ctx, c, s, func(done, total int) { p.Set(ctx, done, total, "cutting and indexing") })
	s.Change.Unlock()
	if err != nil {
		return err
	}
	return ix.encodeWhenBehind(ctx, c, s)
}

// recut cuts anew the documents of those sources alone whose settings for cutting are others now. It tells whether that was possible: an index
// that does not know how its sources were cut, or most of which would be cut anew, is built from the ground.
func (ix *Indexer) recut(ctx context.Context, c store.Corpus, s *Shelf, tell func(done, total int)) (bool, error) {
	if len(s.manifest.Cuts) == 0 || len(s.manifest.Segments) == 0 {
		return false, nil
	}
	sources, err := ix.store.Sources(ctx, c.ID)
	if err != nil {
		return false, err
	}
	known := maps.Clone(s.manifest.Cuts)
	var docs []store.Document
	total := 0
	for _, src := range sources {
		now, err := c.Method.CutOf(src.ID)
		if err != nil {
			return false, err
		}
		all, err := ix.store.Pages(ctx, src.ID)
		if err != nil {
			return false, err
		}
		for _, d := range all {
			if !d.Stands() {
				continue
			}
			if total++; known[src.ID] != now {
				docs = append(docs, d)
			}
		}
		if known[src.ID] != now {
			known[src.ID] = now
		}
	}
	if 2*len(docs) > total {
		return false, nil
	}
	tell(0, len(docs))
	err = ix.replace(ctx, c, s, docs, map[string]bool{}, known)
	tell(len(docs), len(docs))
	return true, err
}

func (ix *Indexer) rebuildLocked(ctx context.Context, c store.Corpus, s *Shelf, tell func(done, total int)) error {
	if done, err := ix.recut(ctx, c, s, tell); done || err != nil {
		return err
	}
	known := map[string]string{}
	states := []string{store.Fetched, store.Indexed, store.Unchanged}
	counts, err := ix.store.CountStates(ctx, c.ID, "")
	if err != nil {
		return err
	}
	total := counts[store.Fetched] + counts[store.Indexed] + counts[store.Unchanged]
	var cuts []cut
	indexed := map[string]string{}
	after := ""
	for {
		docs, err := ix.store.Indexable(ctx, c.ID, states, after, 100)
		if err != nil {
			return err
		}
		if len(docs) == 0 {
			break
		}
		after = docs[len(docs)-1].ID
		more, err := ix.Prepare(ctx, docs, c.Method)
		if err != nil {
			return fmt.Errorf("cut documents: %w", err)
		}
		cuts = append(cuts, more...)
		for _, d := range docs {
			indexed[d.ID] = d.Version
			if known[d.Source] == "" {
				if known[d.Source], err = c.Method.CutOf(d.Source); err != nil {
					return err
				}
			}
		}
		tell(len(indexed), total)
	}
	if err := ix.recall(ctx, c.Method, cuts); err != nil {
		return err
	}
	parts, refs, err := ix.segments(cuts)
	if err != nil {
		return err
	}
	m := index.Manifest{Segments: refs, Cuts: known}
	if err := ix.choose(&m, parts, c.Method, s.Snapshot.Load()); err != nil {
		return err
	}
	return ix.publish(ctx, c.ID, s, m, parts, indexed)
}

// ReadBehind queues the encoder's pass over a corpus when it is behind, as after it was cancelled.
func (ix *Indexer) ReadBehind(ctx context.Context, corpus string) error {
	c, err := ix.store.Corpus(ctx, corpus)
	if err != nil {
		return err
	}
	return ix.CatchUp(ctx, c.ID)
}

// CatchUp queues the encoder's pass over a corpus when it is behind.
func (ix *Indexer) CatchUp(ctx context.Context, corpus string) error {
	c, err := ix.store.Corpus(ctx, corpus)
	if err != nil {
		return err
	}
	s, err := ix.Shelf(ctx, c)
	if err != nil {
		return err
	}
	return ix.encodeWhenBehind(ctx, c, s)
}
