// Package files is the folder in which the files of indexes lie: segments, vectors and graphs, each sealed and named by the hash of what is in it.
package files

import (
	"errors"
	"fmt"
	"log/slog"
	"os"
	"path/filepath"
	"time"

	"jolvex/core/embed"
	"jolvex/core/index"
)

// Folder reads and writes the files of all indexes.
type Folder struct {
	Dir   string
	Words string // ID of the embedder of words, whose vectors are always there
	Log   *slog.Logger
}

func (f Folder) path(hash string) string { return filepath.Join(f.Dir, hash) }

func (f Folder) read(hash string) ([]byte, error) {
	b, err := os.ReadFile(f.path(hash))
	if err != nil {
		return nil, fmt.Errorf("read the index: %w", err)
	}
	if b, err = index.Unseal(b); err != nil {
		return nil, fmt.Errorf("index file %s: %w", hash, err)
	}
	return b, nil
}

// Parts reads what a manifest names. index.ErrCorrupt, wrapped, when a file is not what was written, os.ErrNotExist when it is not there.
func (f Folder) Parts(m index.Manifest) ([]index.Part, error) {
	out := make([]index.Part, len(m.Segments))
	for i := range m.Segments {
		r := &m.Segments[i]
		b, err := f.read(r.Hash)
		if err != nil {
			return nil, err
		}
		seg, err := index.DecodeSegment(b)
		if err != nil {
			return nil, err
		}
		out[i] = index.Part{Segment: seg, File: f.VectorFile(*r, m.Embedder), EncodedBy: r.EncodedBy, Sentences: r.Sentences}
		if out[i].File != "" { // else the encoder has not read it yet
			if out[i].Vectors, err = f.Vectors(out[i].File, len(seg.Entries)); err != nil {
				return nil, err
			}
			out[i].Graph = f.Graph(r, out[i].File, len(seg.Entries))
		}
		for _, d := range r.Dead {
			out[i].Dead = out[i].Dead.With(int(d))
		}
	}
	return out, nil
}

// Vectors reads the vectors of so many chunks.
func (f Folder) Vectors(file string, want int) ([]embed.Vector, error) {
	b, err := f.read(file)
	if err != nil {
		return nil, err
	}
	vs, err := index.DecodeVectors(b)
	if err == nil && len(vs) != want {
		err = fmt.Errorf("file %s has %d vectors for %d chunks: %w", file, len(vs), want, index.ErrCorrupt)
	}
	return vs, err
}

// VectorFile is the file of a segment's vectors by an embedder; "" while it has not read the segment.
func (f Folder) VectorFile(r index.Reference, embedder string) string {
	switch {
	case r.EncodedBy != "" && r.EncodedBy == embedder:
		return r.Encoded
	case embedder == f.Words:
		return r.Words
	}
	return ""
}

// Graph opens a segment's graph when it leads through these vectors. One that cannot be read is forgotten and grown
// anew: searching does not hang on it.
func (f Folder) Graph(r *index.Reference, file string, chunks int) *index.Graph {
	if r.Graph == "" || r.GraphOf != file {
		return nil
	}
	b, err := f.read(r.Graph)
	if err == nil {
		var g *index.Graph
		if g, err = index.DecodeGraph(b); err == nil && g.Len() == chunks {
			return g
		}
	}
	f.Log.Warn("a shortcut through the vectors is made anew", "file", r.Graph, "reason", err)
	r.Graph, r.GraphOf = "", ""
	return nil
}

// Write writes bytes under their hash, whole or not at all. A file that is there already and is not what it should be is written anew.
func (f Folder) Write(b []byte) (string, error) {
	hash := index.Hash(b)
	path := f.path(hash)
	if _, err := f.read(hash); err == nil {
		return hash, nil
	}
	w, err := os.CreateTemp(filepath.Dir(path), "new-*")
	if err != nil {
		return "", fmt.Errorf("write the index: %w", err)
	}
	_, err = w.Write(index.Seal(b))
	err = errors.Join(err, w.Sync(), w.Close())
	if err == nil {
		err = os.Rename(w.Name(), path)
	}
	if err != nil {
		return "", errors.Join(fmt.Errorf("write the index: %w", err), os.Remove(w.Name()))
	}
	return hash, nil
}

// sweepAfter is how old a file is at least that is removed: one that another corpus is just writing is not named yet.
const sweepAfter = 10 * time.Minute

// Sweep removes the files that no manifest names.
func (f Folder) Sweep(ms []index.Manifest, now time.Time) error {
	named := map[string]bool{}
	for _, m := range ms {
		for _, r := range m.Segments {
			named[r.Hash], named[r.Words], named[r.Encoded], named[r.Graph] = true, true, true, true
		}
	}
	all, err := os.ReadDir(f.Dir)
	if err != nil {
		return fmt.Errorf("tidy the index folder: %w", err)
	}
	for _, x := range all {
		info, err := x.Info()
		if err != nil || named[x.Name()] || now.Sub(info.ModTime()) < sweepAfter {
			continue
		}
		if err := os.Remove(f.path(x.Name())); err != nil && !errors.Is(err, os.ErrNotExist) {
			return fmt.Errorf("tidy the index folder: %w", err)
		}
	}
	return nil
}
