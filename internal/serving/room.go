// Package serving is about what users get: releases, each a frozen method with its index.
package serving

import (
	"sync"

	"jolvex/internal/asking"
	"jolvex/internal/event"
	"jolvex/internal/indexing"
	"jolvex/internal/store"
)

// Server answers from releases.
type Server struct {
	store  *store.Store
	events *event.Stream
	index  *indexing.Indexer
	asking *asking.Asker

	mu     sync.Mutex
	frozen map[string]*frozen // last releases that were opened, by corpus
}

// New makes a Server.
func New(s *store.Store, events *event.Stream, ix *indexing.Indexer, as *asking.Asker) *Server {
	return &Server{store: s, events: events, index: ix, asking: as, frozen: map[string]*frozen{}}
}
