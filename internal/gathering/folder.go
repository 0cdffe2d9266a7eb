package gathering

import (
	"context"
	"errors"
	"fmt"
	"hash/fnv"
	"io"
	"io/fs"
	"os"
	"path/filepath"
	"slices"
	"strings"

	"jolvex/core/extract"
	"jolvex/internal/event"
	"jolvex/internal/fault"
	"jolvex/internal/indexing"
	"jolvex/internal/job"
	"jolvex/internal/store"
)

// mostFiles is how many files of a folder are taken in.
const mostFiles = 20_000

// folderPath checks the path of a folder to watch: absolute, there, a folder, and none of this program's own data.
func (ga *Gatherer) folderPath(path string) (string, error) {
	path = filepath.Clean(strings.TrimSpace(path))
	if !filepath.IsAbs(path) {
		return "", fault.Input("the path of a folder begins at the root, as /srv/documents does")
	}
	real, err := filepath.EvalSymlinks(path)
	if err != nil {
		return "", fault.Input("%s cannot be opened: %v", path, err)
	}
	if info, err := os.Stat(real); err != nil || !info.IsDir() {
		return "", fault.Input("%s is no folder", path)
	}
	own, err := filepath.EvalSymlinks(ga.dir)
	if err != nil {
		return "", fmt.Errorf("find the data folder: %w", err)
	}
	if own, err = filepath.Abs(own); err != nil {
		return "", fmt.Errorf("find the data folder: %w", err)
	}
	if within(own, real) || within(real, own) {
		return "", fault.Input("%s holds this program's own data", path)
	}
	return real, nil
}

func within(path, dir string) bool {
	rel, err := filepath.Rel(dir, path)
	return err == nil && rel != ".." && !strings.HasPrefix(rel, ".."+string(filepath.Separator))
}

// onDisk is a file of a watched folder.
type onDisk struct {
	key   string // path inside the folder, with slashes
	stamp string // size and time of change
	size  int64
}

// filesOf lists the files of a folder that can be read, by key. Hidden ones and links are passed over.
func filesOf(root string) ([]onDisk, error) {
	var out []onDisk
	err := filepath.WalkDir(root, func(path string, d fs.DirEntry, err error) error {
		if err != nil {
			if path == root {
				return err
			}
			return nil // a folder that may not be read is passed over, as a file is that went away meanwhile
		}
		if strings.HasPrefix(d.Name(), ".") && path != root {
			if d.IsDir() {
				return filepath.SkipDir
			}
			return nil
		}
		if !d.Type().IsRegular() || !slices.Contains(extract.Endings(), strings.ToLower(filepath.Ext(path))) {
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
		out = append(out, onDisk{filepath.ToSlash(rel), fmt.Sprintf("%d-%d", info.Size(), info.ModTime().UnixNano()), info.Size()})
		if len(out) > mostFiles {
			return fs.SkipAll
		}
		return nil
	})
	if err != nil {
		return nil, fmt.Errorf("look through %s: %w", root, err)
	}
	return out, nil
}

// gatherFolder takes up what changed in a watched folder.
func (ga *Gatherer) gatherFolder(ctx context.Context, src store.Source, p *job.Progress) error {
	files, err := filesOf(src.Address)
	if err != nil {
		return err
	}
	var notices []string
	if len(files) > mostFiles {
		files = files[:mostFiles]
		notices = append(notices, fmt.Sprintf("only the first %d files are taken in", mostFiles))
	}
	have := map[string]store.Document{}
	ds, err := ga.store.Pages(ctx, src.ID)
	if err != nil {
		return err
	}
	for _, d := range ds {
		have[d.Key] = d
	}
	for i, f := range files {
		if err := ctx.Err(); err != nil {
			return err
		}
		d, known := have[f.key]
		delete(have, f.key)
		if known && d.ETag == f.stamp && d.ReadBy == extract.Version && d.State != store.Waiting && d.State != store.Failed {
			continue
		}
		if err := ga.takeFile(ctx, src, f); err != nil {
			return err
		}
		p.Set(ctx, i+1, len(files), "reading files")
		if i%200 == 199 {
			if err := ga.takeIn(ctx, src.Corpus); err != nil {
				return err
			}
		}
	}
	for _, d := range have { // what was there and is not any more
		if d.State == store.LeftOut && d.Version == "" {
			continue
		}
		o := leftOut("the file is gone")
		o.Title, o.MediaType = d.Title, d.MediaType
		if _, err := ga.store.Finish(ctx, d, src, o); err != nil {
			return err
		}
	}
	if err := ga.takeIn(ctx, src.Corpus); err != nil {
		return err
	}
	if err := ga.store.Visited(ctx, src.ID, notices); err != nil {
		return err
	}
	event.Tell(ctx, ga.events, event.Source, src.Corpus, event.SourceBody{ID: src.ID})
	return ga.checkSoon(ctx, src.Corpus)
}

// takeFile reads one file of a watched folder into its document.
func (ga *Gatherer) takeFile(ctx context.Context, src store.Source, f onDisk) error {
	o := store.Outcome{State: store.Failed, ReadBy: extract.Version}
	body, err := readFileUpTo(filepath.Join(src.Address, filepath.FromSlash(f.key)), extract.MaxBytes)
	if err != nil {
		o.Reason = "cannot be opened: " + err.Error()
	} else {
		o, _ = ga.read(ctx, extract.Input{Address: f.key, Body: body})
	}
	o.ETag = f.stamp
	if _, err := ga.store.AddAddresses(ctx, src, 0, mostFiles, []store.Address{{Key: f.key, Address: f.key}}); err != nil {
		return err
	}
	d, err := ga.store.DocumentAt(ctx, src.ID, f.key)
	if err != nil {
		return err
	}
	if o.Hash != "" && o.Hash == d.Version && (d.State == store.Indexed || d.State == store.Unchanged) {
		return ga.store.Restamp(ctx, d.ID, f.stamp, extract.Version)
	}
	if o, err = ga.store.Finish(ctx, d, src, o); err != nil {
		return err
	}
	d.State, d.Reason, d.Title, d.Words, d.Version = o.State, o.Reason, o.Title, o.Words, o.Hash
	event.Tell(ctx, ga.events, indexing.DocumentEvent, src.Corpus, indexing.DocumentView(d))
	return nil
}

// readFileUpTo reads a file; of one that is over the limit one byte more than that, so that it is told as too large.
func readFileUpTo(path string, limit int64) ([]byte, error) {
	f, err := os.Open(path)
	if err != nil {
		return nil, err
	}
	body, err := io.ReadAll(io.LimitReader(f, limit+1))
	return body, errors.Join(err, f.Close())
}

// scanFolders queues a visit for each watched folder in which something changed since it was last looked at.
func (ga *Gatherer) scanFolders(ctx context.Context) error {
	ss, err := ga.store.SourcesOf(ctx, store.KindFolder)
	if err != nil {
		return err
	}
	for _, s := range ss {
		files, err := filesOf(s.Address)
		if err != nil {
			continue // a drive that is not there today is not empty; its visit says what is wrong
		}
		h := fnv.New64a()
		for _, f := range files {
			fmt.Fprintf(h, "%s\x00%s\x00", f.key, f.stamp)
		}
		sum := h.Sum64()
		ga.mu.Lock()
		before, seen := ga.folders[s.ID]
		ga.folders[s.ID] = sum
		ga.mu.Unlock()
		if seen && before == sum || !seen && s.VisitedAt == "" {
			continue // the first visit is queued when the folder is added
		}
		if _, err := ga.jobs.Add(ctx, s.Corpus, job.Gather, s.ID); err != nil {
			return err
		}
	}
	return nil
}
