// Package event is the stream of what happens, for those who watch: each kind is declared once, with the type of its body, is kept
// in the store, and can be replayed from a number on.
package event

import (
	"context"
	"encoding/json"
	"fmt"
	"log/slog"
	"reflect"
	"sync"

	"jolvex/internal/store"
)

// Kind declares one kind of event, whose body is a B. Rooms declare their own as package variables; the API lists them all, and the
// browser's types are made from that list.
type Kind[B any] struct{ name string }

// Declare names a kind of event.
func Declare[B any](name string) Kind[B] { return Kind[B]{name} }

// Name is the kind's name, as it stands in the stream.
func (k Kind[B]) Name() string { return k.name }

// Body is the type of the kind's bodies.
func (k Kind[B]) Body() reflect.Type { return reflect.TypeFor[B]() }

// Of is an event of the kind.
func (k Kind[B]) Of(corpus string, body B) (store.Event, error) {
	raw, err := json.Marshal(body)
	if err != nil {
		return store.Event{}, fmt.Errorf("write an event of kind %s: %w", k.name, err)
	}
	return store.Event{Corpus: corpus, Kind: k.name, Body: raw}, nil
}

// Declared is a kind of event without the type of its body, for lists.
type Declared interface {
	Name() string
	Body() reflect.Type
}

// Stream tells watchers what happens.
type Stream struct {
	store   *store.Store
	log     *slog.Logger
	closing <-chan struct{} // closed when the program ends

	mu   sync.Mutex
	news chan struct{} // closed at the next event
}

// NewStream is the stream of a store's events. Watching ends when closing is closed.
func NewStream(s *store.Store, log *slog.Logger, closing <-chan struct{}) *Stream {
	return &Stream{store: s, log: log, closing: closing, news: make(chan struct{})}
}

// Tell records an event and tells those who watch. What happened has happened: an event that cannot be recorded is logged, and
// nothing else fails for it.
func Tell[B any](ctx context.Context, s *Stream, k Kind[B], corpus string, bodies ...B) {
	var es []store.Event
	for _, b := range bodies {
		e, err := k.Of(corpus, b)
		if err != nil {
			s.log.Error("an event was not told", "error", err)
			continue
		}
		es = append(es, e)
	}
	if len(es) == 0 {
		return
	}
	if _, err := s.store.AddEvents(context.WithoutCancel(ctx), es); err != nil {
		s.log.Error("events were not recorded", "error", err)
		return
	}
	s.mu.Lock()
	close(s.news)
	s.news = make(chan struct{})
	s.mu.Unlock()
}

func (s *Stream) next() <-chan struct{} {
	s.mu.Lock()
	defer s.mu.Unlock()
	return s.news
}

// replayed is how many events are read at a time.
const replayed = 500

// Watch calls send with every event after number since, oldest first, and goes on as new ones come, until ctx ends or
// send fails. A negative since starts with what comes next; so does one that lies too far back, or that is of another data folder, after missed was
// called with the number of the last event.
func (s *Stream) Watch(ctx context.Context, since int64, send func(store.Event) error, missed func(last int64) error) error {
	last, err := s.store.LastEvent(ctx)
	if err != nil {
		return err
	}
	switch {
	case since < 0:
		since = last
	case since > last || last-since > mostMissed: // of another data folder, or too long ago
		if err := missed(last); err != nil {
			return err
		}
		since = last
	}
	for {
		news := s.next()
		es, err := s.store.EventsAfter(ctx, since, replayed)
		if err != nil {
			return err
		}
		for _, e := range es {
			if err := send(e); err != nil {
				return err
			}
			since = e.Seq
		}
		if len(es) == replayed {
			continue
		}
		select {
		case <-news:
		case <-ctx.Done():
			return ctx.Err()
		case <-s.closing:
			return context.Canceled
		}
	}
}

// mostMissed is how many events a reader that comes back is told one by one; beyond them it does better to ask how things are now.
const mostMissed = 1000

// The kinds of event whose bodies name what changed; what it is now is asked of the API. Kinds with larger bodies are declared by the
// rooms that know them.
var (
	Corpus    = Declare[CorpusBody]("corpus")
	Source    = Declare[SourceBody]("source")
	Findings  = Declare[FindingsBody]("findings")
	Index     = Declare[IndexBody]("index")
	Method    = Declare[MethodBody]("method")
	Questions = Declare[QuestionsBody]("questions")
	Notice    = Declare[NoticeBody]("notice")
	Talk      = Declare[TalkBody]("talk")
	Handover  = Declare[HandoverBody]("handover")
)

// CorpusBody says which corpus was made or renamed.
type CorpusBody struct {
	ID   string `json:"id"`
	Name string `json:"name"`
}

// SourceBody says which source changed; empty for several.
type SourceBody struct {
	ID string `json:"id,omitempty"`
}

// FindingsBody says over how many documents content checks went; 0 when findings changed otherwise.
type FindingsBody struct {
	Documents int `json:"documents,omitempty"`
}

// IndexBody says which index is in force.
type IndexBody struct {
	Chunks   int    `json:"chunks"`
	Snapshot string `json:"snapshot" doc:"Hash of the manifest"`
	Embedder string `json:"embedder"`
}

// MethodBody says which settings of the draft changed, or which release was made.
type MethodBody struct {
	Changed []string `json:"changed,omitempty" nullable:"false" doc:"Keys of settings"`
	Release int      `json:"release,omitempty"`
}

// QuestionsBody says which question set changed.
type QuestionsBody struct {
	Set string `json:"set"`
}

// NoticeBody says that alerts or hand-overs changed.
type NoticeBody struct{}

// HandoverBody tells that a conversation waits for a person, or that something was said in one that does.
type HandoverBody struct {
	ID string `json:"id"`
}

// TalkBody says that what was asked, or what is said of it, changed: the log, snags, or settled answers.
type TalkBody struct{}
