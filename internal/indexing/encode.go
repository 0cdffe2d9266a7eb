package indexing

import (
	"cmp"
	"context"
	"crypto/sha256"
	"errors"
	"fmt"
	"runtime"
	"slices"
	"strings"

	"jolvex/core/embed"
	"jolvex/core/find"
	"jolvex/core/index"
	"jolvex/core/method"
	"jolvex/internal/job"
	"jolvex/internal/store"
)

// encodeBatch is how many chunks are encoded between two looks at whether the work is still wanted.
const encodeBatch = 32

// recall gives cuts the vectors that what reads behind made of their chunks before, where it has read all of a document's.
func (ix *Indexer) recall(ctx context.Context, m method.Method, cuts []cut) error {
	b := ix.Behind(m)
	if b == nil {
		return nil
	}
	var texts []string
	for _, c := range cuts {
		for _, t := range c.texts {
			texts = append(texts, whole(t))
		}
	}
	have, err := ix.remembered(ctx, b, texts)
	if err != nil {
		return err
	}
	for i := range cuts {
		n := len(cuts[i].texts)
		if n > 0 && !slices.ContainsFunc(have[:n], func(v embed.Vector) bool { return v == nil }) {
			cuts[i].encoded, cuts[i].by = have[:n], b
		}
		have = have[n:]
	}
	return nil
}

func contentKey(s string) []byte {
	sum := sha256.Sum256([]byte(s))
	return sum[:16]
}

// remembered gives a reader's vectors of texts that it has read before; nil for the others.
func (ix *Indexer) remembered(ctx context.Context, b reader, texts []string) ([]embed.Vector, error) {
	keys := make([][]byte, len(texts))
	for i, t := range texts {
		keys[i] = contentKey(t)
	}
	raw, err := ix.store.Vectors(ctx, b.ID(), keys)
	if err != nil {
		return nil, err
	}
	out := make([]embed.Vector, len(texts))
	for i, row := range raw {
		if len(row) != b.Dimensions() {
			continue
		}
		out[i] = make(embed.Vector, len(row))
		for j, x := range row {
			out[i][j] = int8(x)
		}
	}
	return out, nil
}

// encodeMissing fills in the vectors that are nil and remembers them.
func (ix *Indexer) encodeMissing(ctx context.Context, b reader, texts []string, have []embed.Vector) error {
	var at []int
	var todo []string
	for i, v := range have {
		if v == nil {
			at, todo = append(at, i), append(todo, texts[i])
		}
	}
	if len(todo) == 0 {
		return nil
	}
	vs, err := b.read(ctx, ix.SpareCores(), todo)
	if err != nil {
		return fmt.Errorf("encode %d chunks: %w", len(todo), err)
	}
	keys, raw := make([][]byte, len(vs)), make([][]byte, len(vs))
	for k, v := range vs {
		have[at[k]], keys[k] = v, contentKey(todo[k])
		raw[k] = make([]byte, len(v))
		for j, x := range v {
			raw[k][j] = byte(x)
		}
	}
	return ix.store.PutVectors(ctx, b.ID(), keys, raw)
}

// SpareCores is how many cores work in the background may use: half of them while people wait for something else.
func (ix *Indexer) SpareCores() int {
	cores := runtime.GOMAXPROCS(0)
	if ix.jobs.Awaited() {
		return max(1, cores/2)
	}
	return cores
}

// SentenceEncoder embeds the sentences of chunks by the built-in encoder with an ID, that of English when none has it, and remembers them.
func (ix *Indexer) SentenceEncoder(id string) embed.Embedder {
	return sentenceEncoder{ix, cmp.Or(embed.BuiltIn(id), ix.encoder)}
}

// sentenceEncoder embeds the sentences of whole chunks by an encoder, and remembers them chunk by chunk.
type sentenceEncoder struct {
	ix *Indexer
	by *embed.Encoder
}

// ID implements embed.Embedder.
func (s sentenceEncoder) ID() string { return s.by.ID() }

// Dimensions implements embed.Embedder.
func (s sentenceEncoder) Dimensions() int { return s.by.Dimensions() }

// Embed implements embed.Embedder. The texts of one chunk are kept as one row; a single text is a question and is not kept.
func (s sentenceEncoder) Embed(ctx context.Context, texts []string) ([]embed.Vector, error) {
	if len(texts) == 1 {
		return s.ix.asked.Of(s.by.Questions()).Embed(ctx, texts)
	}
	out, err := s.ix.sentences(ctx, s.by, [][]string{texts})
	if err != nil {
		return nil, err
	}
	return out[0], nil
}

// EmbedGroups implements find.Grouped.
func (s sentenceEncoder) EmbedGroups(ctx context.Context, groups [][]string) ([][]embed.Vector, error) {
	return s.ix.sentences(ctx, s.by, groups)
}

// sentences gives an encoder's vectors of the sentences of several chunks, from memory where they are there.
func (ix *Indexer) sentences(ctx context.Context, by *embed.Encoder, chunks [][]string) ([][]embed.Vector, error) {
	keys := make([][]byte, len(chunks))
	for i, texts := range chunks {
		keys[i] = contentKey("sentences\x00" + strings.Join(texts, "\x00"))
	}
	raw, err := ix.store.Vectors(ctx, by.ID(), keys)
	if err != nil {
		return nil, err
	}
	dim := by.Dimensions()
	out := make([][]embed.Vector, len(chunks))
	var missing []int
	var todo []string
	for i, b := range raw {
		if len(b) != dim*len(chunks[i]) {
			missing, todo = append(missing, i), append(todo, chunks[i]...)
			continue
		}
		out[i] = make([]embed.Vector, len(chunks[i]))
		flat := make(embed.Vector, len(b))
		for j, x := range b {
			flat[j] = int8(x)
		}
		for k := range out[i] {
			out[i][k] = flat[k*dim : (k+1)*dim : (k+1)*dim]
		}
	}
	if len(missing) == 0 {
		return out, nil
	}
	vs, err := by.EmbedOn(ix.SpareCores(), todo)
	if err != nil {
		return nil, fmt.Errorf("encode the sentences of %d chunks: %w", len(missing), err)
	}
	newKeys, rows := make([][]byte, len(missing)), make([][]byte, len(missing))
	for n, i := range missing {
		out[i], vs = vs[:len(chunks[i])], vs[len(chunks[i]):]
		newKeys[n], rows[n] = keys[i], make([]byte, 0, dim*len(chunks[i]))
		for _, v := range out[i] {
			for _, x := range v {
				rows[n] = append(rows[n], byte(x))
			}
		}
	}
	return out, ix.store.PutVectors(ctx, by.ID(), newKeys, rows)
}

// encodeSentences has an encoder read the sentences of chunks, so that they are remembered.
func (ix *Indexer) encodeSentences(ctx context.Context, by *embed.Encoder, entries []index.Entry) error {
	chunks := make([][]string, len(entries))
	for i := range entries {
		d, err := ix.Version(ctx, entries[i].Version)
		if err != nil {
			return err
		}
		chunks[i] = find.WindowTexts(d, &entries[i])
	}
	_, err := ix.sentences(ctx, by, chunks)
	return err
}

// encodeWhenBehind queues the encoder's pass when the method asks for its vectors and the index does not have them all.
func (ix *Indexer) encodeWhenBehind(ctx context.Context, c store.Corpus, s *Shelf) error {
	snap := s.Snapshot.Load()
	b := ix.Behind(c.Method)
	if b == nil || b.ID() == snap.Embedder { // else the vectors in force will be replaced
		if err := ix.graphWhenDue(ctx, c, s); err != nil {
			return err
		}
	}
	if b == nil || len(snap.Parts) == 0 {
		return nil
	}
	if chunks, sentences := ix.Unread(c, s); chunks == 0 && sentences == 0 && snap.Embedder == b.ID() {
		return nil
	}
	_, err := ix.jobs.Add(ctx, c.ID, job.Encode, "")
	return err
}

// Unread counts the chunks that what reads behind has not read, and those whose sentences it has not.
func (ix *Indexer) Unread(c store.Corpus, s *Shelf) (chunks, sentences int) {
	return ix.UnreadOf(c.Method, s.Snapshot.Load())
}

// UnreadOf counts them in one snapshot, for what a method asks for.
func (ix *Indexer) UnreadOf(m method.Method, snap *index.Snapshot) (chunks, sentences int) {
	b := ix.Behind(m)
	if b == nil {
		return 0, 0
	}
	for _, p := range snap.Parts {
		n := len(p.Segment.Entries) - p.Dead.Count()
		if p.EncodedBy != b.ID() {
			chunks += n
		}
		if readsSentences(b) && !p.Sentences {
			sentences += n
		}
	}
	return chunks, sentences
}

// encode is the pass behind: it reads every chunk of the index with the encoder and puts its vectors in force, all at once;
// then it reads their sentences. What it has read before, under whatever cut, is remembered; so is what it did before it
// was interrupted.
func (ix *Indexer) encode(ctx context.Context, j store.Job, p *job.Progress) error {
	for {
		c, err := ix.store.Corpus(ctx, j.Corpus)
		if err != nil {
			return err
		}
		s, err := ix.Shelf(ctx, c)
		if err != nil {
			return err
		}
		st, err := c.Method.Stages(ix.Target(c.Method).ID())
		if err != nil {
			return err
		}
		b := ix.Behind(c.Method)
		if built, _ := s.Stage.Load().(string); built != st.Index || b == nil {
			return nil // the index is about to be built anew, and that queues the next pass
		}
		s.Change.Lock()
		m, parts := s.manifest, s.Snapshot.Load().Parts
		s.Change.Unlock()
		e := &encodePass{ix, c, b, m, parts, p, 0, 0}
		through, err := e.chunks(ctx, s)
		if err == nil && through {
			err = ix.graphWhenDue(ctx, c, s) // now that these vectors are in force
		}
		if by, ok := b.(encoderReader); ok && err == nil && through {
			through, err = e.sentences(ctx, s, by.Encoder)
		}
		if err != nil || through {
			return err
		}
	}
}

// encodePass is one round of the pass over one state of the index.
type encodePass struct {
	ix          *Indexer
	corpus      store.Corpus
	reader      reader
	manifest    index.Manifest
	parts       []index.Part
	job         *job.Progress
	done, total int
}

// batches calls do with a few entries at a time of each segment that is still due.
func (e *encodePass) batches(ctx context.Context, due func(index.Reference) bool, note string, do func(r index.Reference, entries []index.Entry) error) error {
	e.done, e.total = 0, 0
	for i, r := range e.manifest.Segments {
		if due(r) {
			e.total += len(e.parts[i].Segment.Entries)
		}
	}
	for i, r := range e.manifest.Segments {
		if !due(r) {
			continue
		}
		entries := e.parts[i].Segment.Entries
		for from := 0; from < len(entries); from += encodeBatch {
			if err := ctx.Err(); err != nil {
				return err
			}
			some := entries[from:min(from+encodeBatch, len(entries))]
			if err := do(r, some); err != nil {
				return err
			}
			e.done += len(some)
			e.job.Set(ctx, e.done, e.total, note)
		}
	}
	return nil
}

// chunks gives every segment the encoder's vectors. It tells whether all have them now.
func (e *encodePass) chunks(ctx context.Context, s *Shelf) (bool, error) {
	got := map[string][]embed.Vector{}
	err := e.batches(ctx, func(r index.Reference) bool { return r.Encoded == "" || r.EncodedBy != e.reader.ID() }, "chunks are read for their meaning", func(r index.Reference, entries []index.Entry) error {
		texts, err := e.ix.chunkTexts(ctx, e.corpus, entries)
		if err != nil {
			return err
		}
		have, err := e.ix.remembered(ctx, e.reader, texts)
		if err != nil {
			return err
		}
		if err := e.ix.encodeMissing(ctx, e.reader, texts, have); err != nil {
			return err
		}
		got[r.Hash] = append(got[r.Hash], have...)
		return nil
	})
	if err != nil {
		return false, err
	}
	return e.ix.adopt(ctx, e.corpus, s, func(r *index.Reference) (bool, error) {
		if r.Encoded != "" && r.EncodedBy == e.reader.ID() {
			return true, nil
		}
		vs, ok := got[r.Hash]
		if !ok {
			return false, nil // came while the pass was under way
		}
		var err error
		r.EncodedBy, r.Sentences = e.reader.ID(), false
		r.Encoded, err = e.ix.files.Write(index.EncodeVectors(vs, e.reader.Dimensions()))
		return true, err
	})
}

// readsSentences reports whether a reader reads the sentences of chunks, too: those that are built in do.
func readsSentences(b reader) bool { _, ok := b.(encoderReader); return ok }

// sentences has the sentences of every segment read. It tells whether all are.
func (e *encodePass) sentences(ctx context.Context, s *Shelf, by *embed.Encoder) (bool, error) {
	read := map[string]bool{}
	err := e.batches(ctx, func(r index.Reference) bool { return !r.Sentences }, "sentences are read for their meaning", func(r index.Reference, entries []index.Entry) error {
		read[r.Hash] = true
		return e.ix.encodeSentences(ctx, by, entries)
	})
	if err != nil {
		return false, err
	}
	return e.ix.adopt(ctx, e.corpus, s, func(r *index.Reference) (bool, error) {
		r.Sentences = r.Sentences || read[r.Hash]
		return r.Sentences, nil
	})
}

// chunkTexts gives what is embedded of each chunk.
func (ix *Indexer) chunkTexts(ctx context.Context, c store.Corpus, entries []index.Entry) ([]string, error) {
	out := make([]string, len(entries))
	version := ""
	var texts []string
	for i, e := range entries {
		if e.Version != version {
			body, chunks, err := ix.ChunksOf(ctx, e.Version, c.Method.Cutting(e.Source))
			if err != nil {
				return nil, err
			}
			version, texts = e.Version, texts[:0]
			for _, ch := range chunks {
				texts = append(texts, whole(textsOf(body, ch)))
			}
		}
		if e.Ordinal >= len(texts) {
			return nil, errors.New("the index does not fit the settings that it was built with")
		}
		out[i] = texts[e.Ordinal]
	}
	return out, nil
}

// adopt brings every segment still in use up to date; when that could be done for all of them, the index uses what is new
// from here on.
func (ix *Indexer) adopt(ctx context.Context, c store.Corpus, s *Shelf, update func(*index.Reference) (bool, error)) (bool, error) {
	s.Change.Lock()
	defer s.Change.Unlock()
	st, err := c.Method.Stages(ix.Target(c.Method).ID())
	if err != nil {
		return false, err
	}
	if built, _ := s.Stage.Load().(string); built != st.Index {
		return false, nil // it was built anew under other settings while the pass was under way
	}
	m := s.manifest
	m.Segments = append([]index.Reference(nil), m.Segments...)
	parts := append([]index.Part(nil), s.Snapshot.Load().Parts...)
	for i := range m.Segments {
		if ok, err := update(&m.Segments[i]); !ok || err != nil {
			return false, err
		}
	}
	if err := ix.choose(&m, parts, c.Method, s.Snapshot.Load()); err != nil {
		return false, err
	}
	return true, ix.publish(ctx, c.ID, s, m, parts, nil)
}
