package api

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"log/slog"
	"net/http"
	"strconv"
	"time"

	"github.com/danielgtaylor/huma/v2"

	"jolvex/internal/api/door"
	"jolvex/internal/api/wire"
	"jolvex/internal/app"
	"jolvex/internal/event"
	"jolvex/internal/indexing"
	"jolvex/internal/job"
	"jolvex/internal/keeping/people"
	"jolvex/internal/store"
)

// kinds lists every kind of event that the stream carries. The browser's types are made from it.
func kinds() []event.Declared {
	return []event.Declared{
		event.Corpus, event.Source, indexing.DocumentEvent, event.Findings, event.Index, event.Method, job.Event, event.Questions, event.Notice, event.Talk, event.Handover,
	}
}

// describeEvents puts the stream into the description of the API: a schema named Events with one property for each kind, which is the
// schema of its body.
func describeEvents(api huma.API) {
	o := api.OpenAPI()
	all := &huma.Schema{Type: huma.TypeObject, Description: "The bodies of events, by their kind", Properties: map[string]*huma.Schema{}}
	for _, k := range kinds() {
		all.Properties[k.Name()] = o.Components.Schemas.Schema(k.Body(), true, k.Body().Name())
		all.Required = append(all.Required, k.Name())
	}
	o.Components.Schemas.Map()["Events"] = all
	o.AddOperation(&huma.Operation{
		OperationID: "watchEvents", Method: http.MethodGet, Path: "/api/events", Tags: []string{"corpora"}, Summary: "Watch what happens, as server-sent events",
		Description: "Each message is one event: its number, corpus, kind, and the body that the schema Events has for the kind.",
		Parameters:  []*huma.Param{{Name: "since", In: "query", Description: "Number of the last event that is known", Schema: &huma.Schema{Type: huma.TypeInteger}}},
		Responses: map[string]*huma.Response{"200": {
			Description: "Events, as they come", Content: map[string]*huma.MediaType{"text/event-stream": {Schema: &huma.Schema{Type: huma.TypeString}}},
		}},
	})
}

// recheckEvery is how often it is asked, while events come, whether their reader may still see them.
const recheckEvery = 5 * time.Second

var errSignedOut = errors.New("the reader has been signed out")

// mostStreams is how many follow what happens at the same time: a browser's tabs share one stream.
const mostStreams = 200

// events streams what happens as server-sent events. A reader that comes back with Last-Event-ID, or with ?since=, gets
// what it missed.
func events(app *app.App) http.HandlerFunc {
	open := make(chan struct{}, mostStreams)
	return func(w http.ResponseWriter, q *http.Request) {
		select {
		case open <- struct{}{}:
			defer func() { <-open }()
		default:
			w.Header().Set("Retry-After", "10")
			wire.Problem(w, http.StatusServiceUnavailable, "too many follow what happens here: try again in a moment")
			return
		}
		since := int64(-1)
		for _, s := range []string{q.URL.Query().Get("since"), q.Header.Get("Last-Event-ID")} {
			if n, err := strconv.ParseInt(s, 10, 64); err == nil {
				since = n
			}
		}
		rc := http.NewResponseController(w)
		w.Header().Set("Content-Type", "text/event-stream")
		w.Header().Set("X-Accel-Buffering", "no")
		if _, err := fmt.Fprint(w, "retry: 1000\n\n"); err != nil || rc.Flush() != nil {
			return
		}
		// The stream ends now and then by itself, so that a reader that is gone is noticed; readers come back at once.
		ctx, cancel := context.WithTimeout(q.Context(), 5*time.Minute)
		defer cancel()
		caller, checked := people.CallerOf(ctx), time.Now()
		err := app.Events.Watch(ctx, since, func(e store.Event) error {
			if time.Since(checked) > recheckEvery {
				now, err := door.Recheck(ctx)
				if err != nil || now.Via == "" {
					return errors.Join(err, errSignedOut)
				}
				caller, checked = now, time.Now()
			}
			if !caller.May(e.Corpus, people.See) {
				return nil
			}
			body, err := json.Marshal(e)
			if err != nil {
				return err
			}
			if _, err := fmt.Fprintf(w, "id: %d\ndata: %s\n\n", e.Seq, body); err != nil {
				return err
			}
			return rc.Flush()
		}, func(last int64) error {
			if _, err := fmt.Fprintf(w, "event: reload\nid: %d\ndata: %d\n\n", last, last); err != nil {
				return err
			}
			return rc.Flush()
		})
		if err != nil && ctx.Err() == nil && !errors.Is(err, context.Canceled) {
			slog.Default().Debug("an event stream ended", "error", err)
		}
	}
}
