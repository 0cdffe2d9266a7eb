package indexing

import (
	"context"
	"os"
	"path/filepath"

	"jolvex/core/doc"
)

// CacheDir is where derived files lie that data folders can share: the user's cache, or the data folder when there is none.
func CacheDir(data string) string {
	if dir, err := os.UserCacheDir(); err == nil {
		return filepath.Join(dir, "jolvex")
	}
	return filepath.Join(data, "cache")
}

// Version reads one document version, through a cache. It is what core calls find.Texts.
func (ix *Indexer) Version(ctx context.Context, hash string) (*doc.Document, error) {
	if d, ok := ix.versions.Get(hash); ok {
		return d, nil
	}
	d, err := ix.store.Version(ctx, hash)
	if err != nil {
		return nil, err
	}
	ix.versions.Add(hash, d)
	return d, nil
}
