// Package sets keeps question sets: their questions and versions, what is wrong with them, what comes in and goes out, and what is
// proposed for them.
package sets

import (
	"context"
	"sync"

	"jolvex/core/questions"
	"jolvex/internal/asking"
	"jolvex/internal/event"
	"jolvex/internal/indexing"
	"jolvex/internal/store"
)

// Material is what sets need of gathering.
type Material interface {
	// ImportTexts takes in the documents that came with a set, under its name.
	ImportTexts(ctx context.Context, c store.Corpus, set string, ds []questions.Document) error
}

// Room keeps the sets of all corpora.
type Room struct {
	store     *store.Store
	events    *event.Stream
	index     *indexing.Indexer
	asking    *asking.Asker
	gathering Material

	sets sync.Mutex // held while a question set is read, changed and written back
}

// New makes the room.
func New(s *store.Store, e *event.Stream, x *indexing.Indexer, a *asking.Asker, m Material) *Room {
	return &Room{store: s, events: e, index: x, asking: a, gathering: m}
}
