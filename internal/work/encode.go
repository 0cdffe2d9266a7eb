package work

import (
	"context"
	"crypto/sha256"
	"errors"
	"fmt"

	"jolvex/core/embed"
	"jolvex/core/index"
	"jolvex/core/method"
	"jolvex/internal/store"
)

// promptly is how many new chunks the encoder reads at once, before they are published. More wait for the pass behind,
// and word vectors serve until it is through.
const promptly = 48

// encodeBatch is how many chunks are encoded between two looks at whether the work is still wanted.
const encodeBatch = 32

// encodeIfLittle gives cuts the encoder's vectors when few of them have to be computed.
func (a *App) encodeIfLittle(ctx context.Context, m method.Method, cuts []cut) error {
	if m.Embed.Grade != embed.GradeEncoder {
		return nil
	}
	var texts []string
	for _, c := range cuts {
		for _, t := range c.texts {
			texts = append(texts, whole(t))
		}
	}
	have, err := a.remembered(ctx, texts)
	if err != nil {
		return err
	}
	missing := 0
	for _, v := range have {
		if v == nil {
			missing++
		}
	}
	if missing > promptly {
		return nil
	}
	if err := a.encodeMissing(ctx, texts, have); err != nil {
		return err
	}
	for i := range cuts {
		n := len(cuts[i].texts)
		cuts[i].encoded, have = have[:n], have[n:]
	}
	return nil
}

func contentKey(s string) []byte {
	sum := sha256.Sum256([]byte(s))
	return sum[:16]
}

// remembered gives the encoder's vectors of texts that it has read before; nil for the others.
func (a *App) remembered(ctx context.Context, texts []string) ([]embed.Vector, error) {
	keys := make([][]byte, len(texts))
	for i, t := range texts {
		keys[i] = contentKey(t)
	}
	raw, err := a.store.Vectors(ctx, a.encoder.ID(), keys)
	if err != nil {
		return nil, err
	}
	out := make([]embed.Vector, len(texts))
	for i, b := range raw {
		if len(b) != a.encoder.Dimensions() {
			continue
		}
		out[i] = make(embed.Vector, len(b))
		for j, x := range b {
			out[i][j] = int8(x)
		}
	}
	return out, nil
}

// encodeMissing fills in the vectors that are nil and remembers them.
func (a *App) encodeMissing(ctx context.Context, texts []string, have []embed.Vector) error {
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
	vs, err := a.encoder.Embed(todo)
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
	return a.store.PutVectors(ctx, a.encoder.ID(), keys, raw)
}

// encodeWhenBehind queues the encoder's pass when the method asks for its vectors and the index does not have them all.
func (a *App) encodeWhenBehind(ctx context.Context, c store.Corpus, s *shelf) error {
	snap := s.snapshot.Load()
	if c.Method.Embed.Grade != embed.GradeEncoder || len(snap.Parts) == 0 || snap.Embedder == a.encoder.ID() {
		return nil
	}
	_, err := a.queue(ctx, c.ID, JobEncode, "")
	return err
}

// encode is the pass behind: it reads every chunk of the index with the encoder, then puts its vectors in force, all at
// once. Chunks that it has read before, under whatever cut, are remembered; so is what it did before it was interrupted.
func (a *App) encode(ctx context.Context, j store.Job, p *progress) error {
	for {
		c, err := a.store.Corpus(ctx, j.Corpus)
		if err != nil {
			return err
		}
		s, err := a.shelf(ctx, c)
		if err != nil {
			return err
		}
		st, err := c.Method.Stages(a.target(c.Method).ID())
		if err != nil {
			return err
		}
		if built, _ := s.stage.Load().(string); built != st.Index || c.Method.Embed.Grade != embed.GradeEncoder {
			return nil // the index is about to be built anew, and that queues the next pass
		}
		s.change.Lock()
		m := s.manifest
		parts := s.snapshot.Load().Parts
		s.change.Unlock()
		done, err := a.encodeParts(ctx, c, m, parts, p)
		if err != nil {
			return err
		}
		through, err := a.adopt(ctx, c, s, done)
		if err != nil || through {
			return err
		}
	}
}

// encodeParts gives, by the hash of their segment, the vectors of the parts that lack the encoder's.
func (a *App) encodeParts(ctx context.Context, c store.Corpus, m index.Manifest, parts []index.Part, p *progress) (map[string][]embed.Vector, error) {
	total, n := 0, 0
	for i, r := range m.Segments {
		if r.Encoded == "" {
			total += len(parts[i].Segment.Entries)
		}
	}
	out := map[string][]embed.Vector{}
	for i, r := range m.Segments {
		if r.Encoded != "" {
			continue
		}
		entries := parts[i].Segment.Entries
		vs := make([]embed.Vector, 0, len(entries))
		for from := 0; from < len(entries); from += encodeBatch {
			if err := ctx.Err(); err != nil {
				return nil, err
			}
			texts, err := a.chunkTexts(c, entries[from:min(from+encodeBatch, len(entries))])
			if err != nil {
				return nil, err
			}
			have, err := a.remembered(ctx, texts)
			if err != nil {
				return nil, err
			}
			if err := a.encodeMissing(ctx, texts, have); err != nil {
				return nil, err
			}
			vs = append(vs, have...)
			n += len(texts)
			p.set(ctx, n, total, "reading chunks with the sentence encoder")
		}
		out[r.Hash] = vs
	}
	return out, nil
}

// chunkTexts gives what is embedded of each chunk.
func (a *App) chunkTexts(c store.Corpus, entries []index.Entry) ([]string, error) {
	out := make([]string, len(entries))
	version := ""
	var texts []string
	for i, e := range entries {
		if e.Version != version {
			body, chunks, err := a.chunksOf(e.Version, c.Method)
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

// adopt puts new vectors beside the segments that are still in use. It tells whether all segments have them now, and if
// so the index uses them from here on.
func (a *App) adopt(ctx context.Context, c store.Corpus, s *shelf, done map[string][]embed.Vector) (bool, error) {
	s.change.Lock()
	defer s.change.Unlock()
	m := s.manifest
	m.Segments = append([]index.Reference(nil), m.Segments...)
	parts := append([]index.Part(nil), s.snapshot.Load().Parts...)
	for i, r := range m.Segments {
		if r.Encoded != "" {
			continue
		}
		vs, ok := done[r.Hash]
		if !ok {
			return false, nil // came while the pass was under way
		}
		var err error
		if m.Segments[i].Encoded, err = a.writeFile(index.EncodeVectors(vs, a.encoder.Dimensions())); err != nil {
			return false, err
		}
	}
	if err := a.choose(&m, parts, c.Method); err != nil {
		return false, err
	}
	return true, a.publish(ctx, c.ID, s, m, parts, nil)
}
