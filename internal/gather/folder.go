package gather

import (
	"errors"
	"fmt"
	"io"
	"io/fs"
	"os"
	"path/filepath"
	"strings"

	"jolvex/core/extract"
)

// MostFiles is how many files of a folder are taken in.
const MostFiles = 20_000

// File is a file of a watched folder.
type File struct {
	Key   string // path inside the folder, with slashes
	Stamp string // size and time of change
	Size  int64  // bytes
}

// Files lists the files of a folder that can be read, by key. Hidden ones and links are passed over. shut are the folders within that may
// not be opened: what they hold is not known.
func Files(root string) (out []File, shut []string, err error) {
	err = filepath.WalkDir(root, func(path string, d fs.DirEntry, err error) error {
		if err != nil {
			if path == root {
				return err
			}
			if rel, err := filepath.Rel(root, path); err == nil && d != nil && d.IsDir() {
				shut = append(shut, filepath.ToSlash(rel)+"/")
			}
			return nil // or a file that went away meanwhile
		}
		if strings.HasPrefix(d.Name(), ".") && path != root {
			if d.IsDir() {
				return filepath.SkipDir
			}
			return nil
		}
		if !d.Type().IsRegular() || !extract.Readable(path) {
			return nil
		}
		info, err := d.Info()
		if err != nil {
			return nil //nolint:nilerr // went away meanwhile
		}
		rel, err := filepath.Rel(root, path)
		if err != nil {
			return err
		}
		out = append(out, File{filepath.ToSlash(rel), fmt.Sprintf("%d-%d", info.Size(), info.ModTime().UnixNano()), info.Size()})
		if len(out) > MostFiles {
			return fs.SkipAll
		}
		return nil
	})
	if err != nil {
		return nil, nil, fmt.Errorf("look through %s: %w", root, err)
	}
	return out, shut, nil
}

// ReadUpTo reads a file; of one that is over the limit one byte more than that, so that it is told as too large.
func ReadUpTo(path string, limit int64) ([]byte, error) {
	f, err := os.Open(path)
	if err != nil {
		return nil, err
	}
	body, err := io.ReadAll(io.LimitReader(f, limit+1))
	return body, errors.Join(err, f.Close())
}
