package gathering

import (
	"archive/zip"
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"path"
	"strings"

	"jolvex/core/cells"
	"jolvex/core/extract"
	"jolvex/core/text"
	"jolvex/internal/event"
	"jolvex/internal/fault"
	"jolvex/internal/indexing"
	"jolvex/internal/store"
)

// pairType is the media type under which a pair is kept.
const pairType = "application/vnd.jolvex.pair+json"

// PutText takes a pasted text in under its title. A text of the same title is replaced and keeps its identity.
func (ga *Gatherer) PutText(ctx context.Context, corpus, title, body string) (indexing.Document, error) {
	c, err := ga.store.Corpus(ctx, corpus)
	if err != nil {
		return indexing.Document{}, err
	}
	if title = strings.TrimSpace(title); title == "" || len(title) > 300 {
		return indexing.Document{}, fault.Input("a text needs a title of 1 to 300 characters")
	}
	if !text.Plain(title) {
		return indexing.Document{}, fault.Input("the title of a text has no control characters and none that turn the direction of writing")
	}
	s, err := ga.handedOver(ctx, c.ID, store.KindText, "texts")
	if err != nil {
		return indexing.Document{}, err
	}
	return ga.handOver(ctx, s, title, File{Name: title, MediaType: "text/markdown", Body: []byte(body)})
}

// PairPreview reads a file of questions and answers without taking anything in.
func PairPreview(body []byte, question, answer string) (extract.PairFile, error) {
	f, err := extract.ReadPairs(body, question, answer)
	if err != nil {
		return f, fault.Input("%v", err)
	}
	return f, nil
}

// PutPairs takes the good pairs of a file in. A pair whose question is there already replaces its answer and keeps its
// identity.
func (ga *Gatherer) PutPairs(ctx context.Context, corpus string, body []byte, question, answer string) (extract.PairFile, error) {
	f, err := PairPreview(body, question, answer)
	if err != nil {
		return f, err
	}
	c, err := ga.store.Corpus(ctx, corpus)
	if err != nil {
		return f, err
	}
	s, err := ga.handedOver(ctx, c.ID, store.KindPairs, "pairs")
	if err != nil {
		return f, err
	}
	for _, p := range f.Pairs {
		if p.Problem != "" {
			continue
		}
		if err := ga.putPair(ctx, s, p); err != nil {
			return f, err
		}
	}
	if err := ga.takeIn(ctx, c.ID); err != nil {
		return f, err
	}
	event.Tell(ctx, ga.events, event.Source, c.ID, event.SourceBody{ID: s.ID})
	return f, ga.checkSoon(ctx, c.ID)
}

func (ga *Gatherer) putPair(ctx context.Context, s store.Source, p extract.Pair) error {
	p.Line = 0
	raw, err := json.Marshal(p)
	if err != nil {
		return err
	}
	d, err := extract.FromPair(p)
	o := outcome(extract.Input{Address: p.Question, MediaType: pairType, Body: raw}, d, err)
	o.MediaType = pairType
	_, err = ga.store.Upload(ctx, s, strings.ToLower(p.Question), p.Question, o, &store.Original{MediaType: pairType, Body: raw})
	return err
}

// Pairs gives all questions and answers of a corpus as CSV or JSON Lines, which PutPairs reads.
func (ga *Gatherer) Pairs(ctx context.Context, corpus, form string) ([]byte, error) {
	c, err := ga.store.Corpus(ctx, corpus)
	if err != nil {
		return nil, err
	}
	ss, err := ga.store.SourcesOf(ctx, store.KindPairs)
	if err != nil {
		return nil, err
	}
	var out bytes.Buffer
	w := cells.NewWriter(&out)
	if form == "csv" {
		if err := w.Write([]string{"question", "answer"}); err != nil {
			return nil, err
		}
	}
	for _, s := range ss {
		if s.Corpus != c.ID {
			continue
		}
		ds, err := ga.store.Pages(ctx, s.ID)
		if err != nil {
			return nil, err
		}
		for _, d := range ds {
			o, err := ga.store.Original(ctx, d.ID)
			if err != nil {
				return nil, err
			}
			var p struct {
				Question string `json:"question"`
				Answer   string `json:"answer"`
			}
			if err := json.Unmarshal(o.Body, &p); err != nil {
				return nil, fmt.Errorf("read the pair %q: %w", d.Address, err)
			}
			if form == "csv" {
				err = w.Write([]string{p.Question, p.Answer})
			} else {
				var line []byte
				if line, err = json.Marshal(p); err == nil {
					out.Write(append(line, '\n'))
				}
			}
			if err != nil {
				return nil, err
			}
		}
	}
	w.Flush()
	return out.Bytes(), w.Error()
}

// Limits on an uploaded archive of files.
const (
	MaxArchive   = 200 << 20 // bytes
	mostEntries  = 10_000
	mostUnpacked = 1 << 30 // bytes of all files within
)

// TakenFile is what became of one file of an archive.
type TakenFile struct {
	Name   string `json:"name"`
	State  string `json:"state"`
	Reason string `json:"reason"`
}

// UploadArchive takes in every file of a zip archive that can be read, under its path within.
func (ga *Gatherer) UploadArchive(ctx context.Context, corpus, name string, body []byte) ([]TakenFile, error) {
	c, err := ga.store.Corpus(ctx, corpus)
	if err != nil {
		return nil, err
	}
	z, err := zip.NewReader(bytes.NewReader(body), int64(len(body)))
	if err != nil {
		return nil, fault.Input("%s is no zip archive that can be read: %v", name, err)
	}
	if len(z.File) > mostEntries {
		return nil, fault.Input("%s holds %d files, the limit is %d", name, len(z.File), mostEntries)
	}
	s, err := ga.handedOver(ctx, c.ID, store.KindUpload, "files")
	if err != nil {
		return nil, err
	}
	left := int64(mostUnpacked)
	out := []TakenFile{}
	for _, f := range z.File {
		at := strings.TrimPrefix(path.Clean("/"+strings.ReplaceAll(f.Name, `\`, "/")), "/")
		if f.FileInfo().IsDir() || hiddenPath(at) {
			continue
		}
		if !extract.Readable(at) {
			out = append(out, TakenFile{at, store.LeftOut, "this kind of file cannot be read"})
			continue
		}
		if f.Flags&1 != 0 {
			out = append(out, TakenFile{at, store.Failed, "encrypted: it opens with a password only"})
			continue
		}
		raw, err := unpack(f, min(left, extract.MaxBytes)+1)
		if err != nil {
			out = append(out, TakenFile{at, store.Failed, "damaged: " + err.Error()})
			continue
		}
		if left -= int64(len(raw)); left <= 0 {
			return out, fault.Input("%s unpacks to more than %d bytes", name, mostUnpacked)
		}
		o, _ := ga.read(ctx, extract.Input{Address: at, Body: raw})
		file := &store.Original{MediaType: o.MediaType, Body: raw}
		if len(raw) > extract.MaxBytes {
			file = nil
		}
		d, err := ga.store.Upload(ctx, s, at, at, o, file)
		if err != nil {
			return out, err
		}
		event.Tell(ctx, ga.events, indexing.DocumentEvent, c.ID, indexing.DocumentView(d))
		out = append(out, TakenFile{at, d.State, d.Reason})
	}
	if err := ga.takeIn(ctx, c.ID); err != nil {
		return out, err
	}
	for i := range out {
		if out[i].State == store.Fetched {
			out[i].State = store.Indexed
		}
	}
	return out, ga.checkSoon(ctx, c.ID)
}

// hiddenPath tells a file that systems put beside others.
func hiddenPath(at string) bool {
	for p := range strings.SplitSeq(at, "/") {
		if strings.HasPrefix(p, ".") || p == "__MACOSX" {
			return true
		}
	}
	return false
}

func unpack(f *zip.File, limit int64) ([]byte, error) {
	r, err := f.Open()
	if err != nil {
		return nil, err
	}
	raw, err := io.ReadAll(io.LimitReader(r, limit))
	return raw, errors.Join(err, r.Close())
}
