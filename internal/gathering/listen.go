package gathering

import (
	"context"
	"errors"
	"fmt"
	"net/http"
	"time"

	"jolvex/core/extract"
	"jolvex/internal/connections"
	"jolvex/internal/gather"
	"jolvex/internal/model"
	"jolvex/internal/store"
)

// listen takes in a clip that has no captions, through the connection that turns speech into text.
func (k *crawl) listen(ctx context.Context, d store.Document) (o store.Outcome, again bool, wait time.Duration) {
	if c, err := k.ga.connections.SpeechConnection(ctx); err != nil {
		return failed(err.Error()), true, 0
	} else if c.Base == "" {
		return leftOut(connections.ErrUnconnected.Error()), false, 0
	}
	conditions, err := k.known(ctx, d)
	if err != nil {
		return failed(err.Error()), true, 0
	}
	p, err := k.fetcher.GetIf(ctx, d.Address, model.MaxMedia, conditions, func(at string) error { return k.may(ctx, at) })
	switch {
	case errors.Is(err, errRobots):
		return leftOut("blocked by robots.txt"), false, 0
	case errors.As(err, new(unruled)):
		return failed(err.Error()), false, 0
	case err != nil:
		return failed(short(err, d.Address)), !errors.Is(err, gather.ErrTooLarge), 0
	case p.Status == http.StatusNotModified:
		return store.Outcome{State: store.Unchanged, Status: p.Status, Reason: keptReason(d)}, false, 0
	case p.Status >= 400:
		o := failed(statusText(p.Status))
		o.Status = p.Status
		return o, p.Status >= 500, min(p.RetryAfter, 20*time.Second)
	}
	o = k.ga.heard(ctx, d.Address, p.Body)
	o.Status, o.ETag, o.LastModified, o.Media = p.Status, p.ETag, p.LastModified, d.Address
	if o.Content != nil && d.Title != "" {
		o.Content.Title, o.Title = d.Title, d.Title
		if err := hashed(&o); err != nil {
			return failed(err.Error()), false, 0
		}
	}
	if o.Hash != "" && o.Hash == d.Version && (d.State == store.Indexed || d.State == store.Unchanged) {
		o.State, o.Content = store.Unchanged, nil
	}
	return o, false, 0
}

// heard is what is stored of a clip.
func (ga *Gatherer) heard(ctx context.Context, name string, media []byte) store.Outcome {
	captions, err := ga.connections.Transcribe(ctx, name, media)
	switch {
	case errors.Is(err, connections.ErrUnconnected):
		return leftOut(err.Error())
	case err != nil:
		return failed(fmt.Sprintf("speech to text: %v", err))
	}
	d, err := ga.extractor.Read(ctx, extract.Input{Address: name, MediaType: "text/vtt", Body: captions})
	o := outcome(extract.Input{Address: name, MediaType: "text/vtt", Body: captions}, d, err)
	o.Bytes = len(media)
	return o
}
