package gathering

import (
	"context"
	"errors"
	"fmt"
	"hash/fnv"
	"os"
	"path/filepath"
	"runtime"
	"slices"
	"strings"

	"jolvex/core/extract"
	"jolvex/internal/event"
	"jolvex/internal/fault"
	"jolvex/internal/gather"
	"jolvex/internal/indexing"
	"jolvex/internal/job"
	"jolvex/internal/store"

	"golang.org/x/sync/errgroup"
)

// systemFolders hold what a machine runs by, secrets among it, and no documents.
var systemFolders = []string{"/proc", "/sys", "/dev", "/etc", "/run", "/boot"}

// folderPath checks the path of a folder to watch: absolute, there, a folder, and none of this program's own data or
// the system's.
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
	for _, dir := range systemFolders {
		if within(real, dir) {
			return "", fault.Input("%s belongs to the system of this machine: documents lie elsewhere", path)
		}
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

// Files of a folder are read some at a time, on all cores, and go into the index after some of those batches.
const (
	filesAtOnce  = 32
	filesBatches = 30
)

// fileDue is a file that is to be read, with its document.
type fileDue struct {
	gather.File
	doc store.Document
}

// filesKnown gives the documents of a folder by the keys of their files, made for those that have none yet.
func (ga *Gatherer) filesKnown(ctx context.Context, src store.Source, files []gather.File) (map[string]store.Document, error) {
	have, err := ga.filesIn(ctx, src)
	if err != nil {
		return nil, err
	}
	var fresh []store.Address
	for _, f := range files {
		if _, known := have[f.Key]; !known {
			fresh = append(fresh, store.Address{Key: f.Key, Address: f.Key})
		}
	}
	if len(fresh) == 0 {
		return have, nil
	}
	const batch = 1000 // a longer transaction would hold everything else up
	for some := range slices.Chunk(fresh, batch) {
		if _, err := ga.store.AddAddresses(ctx, src, 0, 2*gather.MostFiles, some); err != nil {
			return nil, err
		}
	}
	return ga.filesIn(ctx, src)
}

// filesIn gives the documents of a folder by the keys of their files.
func (ga *Gatherer) filesIn(ctx context.Context, src store.Source) (map[string]store.Document, error) {
	ds, err := ga.store.Pages(ctx, src.ID)
	if err != nil {
		return nil, err
	}
	have := make(map[string]store.Document, len(ds))
	for _, d := range ds {
		have[d.Key] = d
	}
	return have, nil
}

// gatherFolder takes up what changed in a watched folder.
func (ga *Gatherer) gatherFolder(ctx context.Context, src store.Source, p *job.Progress) error {
	files, shut, err := gather.Files(src.Address)
	if err != nil { // its documents stay: what is not there today is not gone
		return errors.Join(err, ga.troubledFolder(ctx, src, err))
	}
	if err := ga.store.Troubled(ctx, src.ID, ""); err != nil {
		return err
	}
	var notices []string
	if len(files) > gather.MostFiles {
		files = files[:gather.MostFiles]
		notices = append(notices, fmt.Sprintf("only the first %d files are taken in", gather.MostFiles))
	}
	for _, dir := range shut {
		notices = append(notices, fmt.Sprintf("%s cannot be opened: what was taken in from there stays", dir))
	}
	have, err := ga.filesKnown(ctx, src, files)
	if err != nil {
		return err
	}
	due := make([]fileDue, 0, len(files))
	for _, f := range files {
		d := have[f.Key]
		delete(have, f.Key)
		if d.ETag != f.Stamp || d.ReadBy != extract.Version || d.State == store.Waiting || d.State == store.Failed {
			due = append(due, fileDue{f, d})
		}
	}
	for from := 0; from < len(due); from += filesAtOnce {
		if err := ga.takeFiles(ctx, src, due[from:min(from+filesAtOnce, len(due))]); err != nil {
			return err
		}
		p.Set(ctx, min(from+filesAtOnce, len(due)), len(due), "reading files")
		if from/filesAtOnce%filesBatches == filesBatches-1 {
			if err := ga.takeIn(ctx, src.Corpus); err != nil {
				return err
			}
		}
	}
	for _, d := range have { // what was there and is not any more
		hidden := slices.ContainsFunc(shut, func(dir string) bool { return strings.HasPrefix(d.Key, dir) })
		if hidden || d.State == store.LeftOut && d.Version == "" {
			continue
		}
		o := leftOut("the file is gone")
		o.Title, o.MediaType = d.Title, d.MediaType
		if _, err := ga.keepFile(ctx, src, d, o); err != nil {
			return err
		}
	}
	if err := errors.Join(ga.store.Visited(ctx, src.ID, notices), ga.settle(ctx, src)); err != nil {
		return err
	}
	return ga.finished(ctx, src)
}

// troubledFolder records that a folder cannot be opened, once.
func (ga *Gatherer) troubledFolder(ctx context.Context, src store.Source, problem error) error {
	what := "the folder cannot be opened: " + problem.Error()
	if src.Trouble == what {
		return nil
	}
	if err := ga.store.Troubled(ctx, src.ID, what); err != nil {
		return err
	}
	event.Tell(ctx, ga.events, event.Source, src.Corpus, event.SourceBody{ID: src.ID})
	return nil
}

// keepFile stores what came of a file. What would change a document that is in waits until the whole folder has been seen.
func (ga *Gatherer) keepFile(ctx context.Context, src store.Source, d store.Document, o store.Outcome) (store.Document, error) {
	if d.Stands() {
		return d, ga.store.Hold(ctx, d, src, o)
	}
	o, err := ga.store.Finish(ctx, d, src, o)
	return after(d, o), err
}

// takeFiles reads files of a watched folder into their documents.
func (ga *Gatherer) takeFiles(ctx context.Context, src store.Source, files []fileDue) error {
	read := make([]store.Outcome, len(files))
	g, within := errgroup.WithContext(ctx)
	g.SetLimit(runtime.GOMAXPROCS(0))
	for i, f := range files {
		g.Go(func() error {
			read[i] = ga.readFile(within, src, f.File)
			return within.Err()
		})
	}
	if err := g.Wait(); err != nil {
		return err
	}
	var told []indexing.Document
	for i, f := range files {
		o, d := read[i], f.doc
		if o.Hash != "" && o.Hash == d.Version && (d.State == store.Indexed || d.State == store.Unchanged) {
			if err := errors.Join(ga.store.Restamp(ctx, d.ID, f.Stamp, extract.Version), ga.store.Drop(ctx, d.ID)); err != nil {
				return err
			}
			continue
		}
		now, err := ga.keepFile(ctx, src, d, o)
		if err != nil {
			return err
		}
		told = append(told, indexing.DocumentView(now))
	}
	event.Tell(ctx, ga.events, indexing.DocumentEvent, src.Corpus, told...)
	return nil
}

// readFile reads one file of a watched folder.
func (ga *Gatherer) readFile(ctx context.Context, src store.Source, f gather.File) store.Outcome {
	o := store.Outcome{State: store.Failed, ReadBy: extract.Version}
	body, err := gather.ReadUpTo(filepath.Join(src.Address, filepath.FromSlash(f.Key)), extract.MaxBytes)
	if err != nil {
		o.Reason = "cannot be opened: " + err.Error()
	} else {
		o, _ = ga.read(ctx, extract.Input{Address: f.Key, Body: body})
	}
	o.ETag = f.Stamp
	return o
}

// scanFolders queues a visit for each watched folder in which something changed since it was last looked at.
func (ga *Gatherer) scanFolders(ctx context.Context) error {
	ss, err := ga.store.SourcesOf(ctx, store.KindFolder)
	if err != nil {
		return err
	}
	for _, s := range ss {
		files, _, err := gather.Files(s.Address)
		if err != nil { // a drive that is not there today is not empty
			if err := ga.troubledFolder(ctx, s, err); err != nil {
				return err
			}
			continue
		}
		h := fnv.New64a()
		for _, f := range files {
			fmt.Fprintf(h, "%s\x00%s\x00", f.Key, f.Stamp)
		}
		sum := h.Sum64()
		ga.mu.Lock()
		before, seen := ga.folders[s.ID]
		ga.folders[s.ID] = sum
		ga.mu.Unlock()
		if s.Trouble == "" && (seen && before == sum || !seen && s.VisitedAt == "") {
			continue // the first visit is queued when the folder is added
		}
		if _, err := ga.jobs.Add(ctx, s.Corpus, job.Gather, s.ID); err != nil {
			return err
		}
	}
	return nil
}
