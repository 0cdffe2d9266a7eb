package gathering

import (
	"context"
	"fmt"
	"html"
	"net/url"
	"strings"

	"jolvex/core/extract"
	"jolvex/core/index"
	"jolvex/core/questions"
	"jolvex/internal/event"
	"jolvex/internal/store"
)

// ImportTexts takes in the documents that came with a set, under its name.
func (ga *Gatherer) ImportTexts(ctx context.Context, c store.Corpus, set string, ds []questions.Document) error {
	s, err := ga.store.AddSource(ctx, c.ID, store.KindUpload, "files", index.Public, store.SourceSettings{})
	if err != nil {
		return err
	}
	for i, d := range ds {
		name := d.Address
		if name == "" {
			name = fmt.Sprintf("%d", i+1)
		}
		at := url.PathEscape(set) + "/" + name
		var b strings.Builder
		fmt.Fprintf(&b, "<!doctype html><title>%s</title><h1>%s</h1>", html.EscapeString(d.Title), html.EscapeString(d.Title))
		for p := range strings.SplitSeq(d.Text, "\n\n") {
			fmt.Fprintf(&b, "<p>%s</p>", html.EscapeString(p))
		}
		o, _ := ga.read(ctx, extract.Input{Address: at, MediaType: "text/html", Body: []byte(b.String())})
		if _, err := ga.store.Upload(ctx, s, at, at, o, &store.Original{MediaType: "text/html", Body: []byte(b.String())}); err != nil {
			return err
		}
	}
	if err := ga.takeIn(ctx, c.ID); err != nil {
		return err
	}
	event.Tell(ctx, ga.events, event.Source, c.ID, event.SourceBody{ID: s.ID})
	return nil
}
