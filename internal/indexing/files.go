package indexing

import (
	"context"
	"errors"
	"fmt"
	"os"
	"path/filepath"

	"jolvex/core/embed"
	"jolvex/core/index"
)

func (ix *Indexer) indexFile(hash string) string { return filepath.Join(ix.dir, "index", hash) }

func (ix *Indexer) readFile(hash string) ([]byte, error) {
	b, err := os.ReadFile(ix.indexFile(hash))
	if err != nil {
		return nil, fmt.Errorf("read the index: %w", err)
	}
	if b, err = index.Unseal(b); err != nil {
		return nil, fmt.Errorf("index file %s: %w", hash, err)
	}
	return b, nil
}

func (ix *Indexer) ReadParts(m index.Manifest) ([]index.Part, error) {
	out := make([]index.Part, len(m.Segments))
	for i := range m.Segments {
		r := &m.Segments[i]
		b, err := ix.readFile(r.Hash)
		if err != nil {
			return nil, err
		}
		seg, err := index.DecodeSegment(b)
		if err != nil {
			return nil, err
		}
		out[i] = index.Part{Segment: seg, File: ix.vectorFile(*r, m.Embedder), EncodedBy: r.EncodedBy, Sentences: r.Sentences}
		if out[i].File != "" { // else the encoder has not read it yet
			if out[i].Vectors, err = ix.readVectors(out[i].File, len(seg.Entries)); err != nil {
				return nil, err
			}
			out[i].Graph = ix.readGraph(r, out[i].File, len(seg.Entries))
		}
		for _, d := range r.Dead {
			out[i].Dead = out[i].Dead.With(int(d))
		}
	}
	return out, nil
}

func (ix *Indexer) readVectors(file string, want int) ([]embed.Vector, error) {
	b, err := ix.readFile(file)
	if err != nil {
		return nil, err
	}
	vs, err := index.DecodeVectors(b)
	if err == nil && len(vs) != want {
		err = fmt.Errorf("file %s has %d vectors for %d chunks: %w", file, len(vs), want, index.ErrCorrupt)
	}
	return vs, err
}

// writeFile writes bytes under their hash, whole or not at all.
func (ix *Indexer) writeFile(b []byte) (string, error) {
	hash := index.Hash(b)
	path := ix.indexFile(hash)
	if _, err := os.Stat(path); err == nil {
		return hash, nil
	}
	f, err := os.CreateTemp(filepath.Dir(path), "new-*")
	if err != nil {
		return "", fmt.Errorf("write the index: %w", err)
	}
	_, err = f.Write(index.Seal(b))
	err = errors.Join(err, f.Sync(), f.Close())
	if err == nil {
		err = os.Rename(f.Name(), path)
	}
	if err != nil {
		return "", errors.Join(fmt.Errorf("write the index: %w", err), os.Remove(f.Name()))
	}
	return hash, nil
}

// sweep removes index files that no manifest names.
func (ix *Indexer) sweep(ctx context.Context) error {
	ms, err := ix.store.Manifests(ctx)
	if err != nil {
		return err
	}
	named := map[string]bool{}
	for _, m := range ms {
		for _, r := range m.Segments {
			named[r.Hash], named[r.Words], named[r.Encoded], named[r.Graph] = true, true, true, true
		}
	}
	files, err := os.ReadDir(filepath.Join(ix.dir, "index"))
	if err != nil {
		return fmt.Errorf("tidy the index folder: %w", err)
	}
	for _, f := range files {
		// A file that another corpus is just writing has the form of a hash and is not named yet: only old ones go.
		info, err := f.Info()
		if err != nil || named[f.Name()] || ix.now().Sub(info.ModTime()).Minutes() < 10 {
			continue
		}
		if err := os.Remove(ix.indexFile(f.Name())); err != nil && !errors.Is(err, os.ErrNotExist) {
			return fmt.Errorf("tidy the index folder: %w", err)
		}
	}
	return nil
}
