package gathering

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"path"
	"strings"
	"time"

	"jolvex/core/doc"
	"jolvex/core/extract"
	"jolvex/core/index"
	"jolvex/core/text"
	"jolvex/internal/event"
	"jolvex/internal/fault"
	"jolvex/internal/gather"
	"jolvex/internal/indexing"
	"jolvex/internal/job"
	"jolvex/internal/model"
	"jolvex/internal/store"
)

// File is a file that is handed over.
type File struct {
	Name      string
	MediaType string // "" for that of its name
	Audience  string // "" for that of the corpus's files, or the one that the file before had
	Body      []byte
	Later     bool // it is one of many: a job puts them into the index together
}

// Upload takes one file into the corpus. A file of the same name replaces the one before and keeps its identity. The
// document can be found when Upload returns, by its words at least, unless it is one of many.
func (ga *Gatherer) Upload(ctx context.Context, corpus, name, mediaType string, body []byte) (indexing.Document, error) {
	return ga.TakeFile(ctx, corpus, File{Name: name, MediaType: mediaType, Body: body})
}

// TakeFile takes a file into the corpus, as Upload does.
func (ga *Gatherer) TakeFile(ctx context.Context, corpus string, f File) (indexing.Document, error) {
	if f.Audience != "" {
		if err := indexing.CheckAudience(f.Audience); err != nil {
			return indexing.Document{}, err
		}
	}
	c, err := ga.store.Corpus(ctx, corpus)
	if err != nil {
		return indexing.Document{}, err
	}
	f.Name = strings.TrimSpace(f.Name)
	if f.Name == "" || len(f.Name) > 1000 {
		return indexing.Document{}, fault.Input("a file needs a name of at most 1,000 characters")
	}
	if !text.Plain(f.Name) {
		return indexing.Document{}, fault.Input("the name of a file has no control characters and none that turn the direction of writing")
	}
	s, err := ga.handedOver(ctx, c.ID, store.KindUpload, "files")
	if err != nil {
		return indexing.Document{}, err
	}
	return ga.handOver(ctx, s, f.Name, f)
}

// handOver stores a file or text as a document of a source and indexes it.
func (ga *Gatherer) handOver(ctx context.Context, s store.Source, key string, f File) (indexing.Document, error) {
	in := extract.Input{Address: f.Name, MediaType: f.MediaType, Body: f.Body}
	o, _ := ga.read(ctx, in)
	most := extract.MaxBytes
	if gather.Media(in.Address) {
		o, most = ga.heard(ctx, in.Address, in.Body), model.MaxMedia
	}
	var file *store.Original
	if len(in.Body) <= most {
		file = &store.Original{MediaType: o.MediaType, Body: in.Body}
	}
	d, err := ga.store.Upload(ctx, s, key, in.Address, o, file)
	if err != nil {
		return indexing.Document{}, err
	}
	if f.Audience != "" && f.Audience != d.OwnAudience {
		if err := ga.store.MarkDocument(ctx, d.ID, f.Audience, nil); err != nil {
			return indexing.Document{}, err
		}
		d.State = store.Fetched
	}
	if f.Later {
		v := indexing.DocumentView(d)
		event.Tell(ctx, ga.events, indexing.DocumentEvent, s.Corpus, v)
		return v, ga.takeInSoon(ctx, s.Corpus)
	}
	if d.State != store.Indexed { // what replaces a file and cannot be read takes the file out of the index
		if err := ga.takeIn(ctx, s.Corpus); err != nil {
			return indexing.Document{}, err
		}
		if d, err = ga.store.Document(ctx, d.ID); err != nil {
			return indexing.Document{}, err
		}
	}
	v := indexing.DocumentView(d)
	event.Tell(ctx, ga.events, indexing.DocumentEvent, s.Corpus, v)
	return v, ga.checkSoon(ctx, s.Corpus)
}

// handedOver is the source of a corpus that what is handed over belongs to, made when it is the first.
func (ga *Gatherer) handedOver(ctx context.Context, corpus, kind, address string) (store.Source, error) {
	s, err := ga.store.SourceAt(ctx, corpus, kind, address)
	if errors.Is(err, store.ErrMissing) {
		return ga.store.AddSource(ctx, corpus, kind, address, index.Public, store.SourceSettings{})
	}
	return s, err
}

// takeInSoon queues the job that puts what was handed over into the index, unless it waits already.
func (ga *Gatherer) takeInSoon(ctx context.Context, corpus string) error {
	ga.mu.Lock()
	now := time.Now()
	waits := now.Sub(ga.waiting[corpus]) < handedLong // asked for so lately that the job has not begun, or will see this file
	if !waits {
		ga.waiting[corpus] = now
	}
	ga.handed[corpus] = now
	ga.mu.Unlock()
	if waits {
		return nil
	}
	_, err := ga.jobs.Add(ctx, corpus, job.TakeIn, "")
	return err
}

// Files that are handed over one after another go into the index together: once none has come for a while, or when the first has waited long.
const (
	handedQuiet = 400 * time.Millisecond
	handedLong  = 10 * time.Second
)

// gathered waits until no more files are coming in.
func (ga *Gatherer) gathered(ctx context.Context, corpus string) error {
	for began := time.Now(); time.Since(began) < handedLong; {
		ga.mu.Lock()
		quiet := time.Since(ga.handed[corpus])
		ga.mu.Unlock()
		if quiet >= handedQuiet {
			return nil
		}
		select {
		case <-time.After(handedQuiet - quiet):
		case <-ctx.Done():
			return ctx.Err()
		}
	}
	return nil
}

// takeInJob puts what was handed over into the index, and has it looked at.
func (ga *Gatherer) takeInJob(ctx context.Context, j store.Job, p *job.Progress) error {
	if err := ga.gathered(ctx, j.Corpus); err != nil {
		return err
	}
	ga.mu.Lock()
	delete(ga.waiting, j.Corpus) // what comes from here on needs another job
	ga.mu.Unlock()
	counts, err := ga.store.CountStates(ctx, j.Corpus, "")
	if err != nil {
		return err
	}
	p.Set(ctx, 0, counts[store.Fetched], "cutting and indexing")
	if err := ga.takeIn(ctx, j.Corpus); err != nil {
		return err
	}
	p.Set(ctx, counts[store.Fetched], counts[store.Fetched], "cutting and indexing")
	event.Tell(ctx, ga.events, event.Source, j.Corpus, event.SourceBody{})
	return ga.checkSoon(ctx, j.Corpus)
}

// read extracts a page or file into what is stored of it. The document is there too when it has no text, for its links.
func (ga *Gatherer) read(ctx context.Context, in extract.Input) (store.Outcome, *doc.Document) {
	d, err := ga.extractor.Read(ctx, in)
	return outcome(in, d, err), d
}

// outcome is what is stored of an input that was extracted.
func outcome(in extract.Input, d *doc.Document, err error) store.Outcome {
	o := store.Outcome{State: store.Fetched, MediaType: extract.Kind(in), Bytes: len(in.Body), ReadBy: extract.Version}
	if d != nil {
		o.Title = d.Title
	}
	switch {
	case errors.Is(err, extract.ErrNoText):
		o.State, o.Reason = store.Failed, "no text found"
		if len(d.Notes) > 0 {
			o.Reason += ": " + d.Notes[0]
		}
		return o
	case errors.Is(err, extract.ErrKind) && o.MediaType == "" && extract.Advised(path.Ext(in.Address)):
		_, advice, _ := strings.Cut(err.Error(), extract.ErrKind.Error()+": ")
		o.State, o.Reason, o.MediaType = store.Failed, advice, in.MediaType
		return o
	case errors.Is(err, extract.ErrKind) && o.MediaType == "":
		o.State, o.Reason, o.MediaType = store.LeftOut, "this kind of file cannot be read yet ("+in.MediaType+")", in.MediaType
		if in.MediaType == "" {
			o.State, o.Reason = store.Failed, "this kind of file cannot be read yet"
		}
		return o
	case err != nil:
		o.State, o.Reason = store.Failed, strings.TrimPrefix(strings.TrimPrefix(err.Error(), in.Address+": "), extract.ErrKind.Error()+": ")
		return o
	}
	o.Words, o.Content = len(text.Words(d.Text)), d
	if err := hashed(&o); err != nil {
		o.State, o.Reason, o.Content = store.Failed, err.Error(), nil
	}
	return o
}

// hashed sets the hash of an outcome's content. A changed link is no changed text.
func hashed(o *store.Outcome) error {
	kept := *o.Content
	kept.Links = nil
	raw, err := json.Marshal(kept)
	if err != nil {
		return fmt.Errorf("the document cannot be stored: %w", err)
	}
	sum := sha256.Sum256(append([]byte(extract.Version), raw...))
	o.Hash, o.Content = hex.EncodeToString(sum[:]), &kept
	return nil
}
