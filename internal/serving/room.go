// Package serving is about what users get: releases, each a frozen method with its index; the gate before them; and the places at which visitors and
// programs ask: the widget, links, keys.
package serving

import (
	"log/slog"
	"sync/atomic"

	lru "github.com/hashicorp/golang-lru/v2"
	"golang.org/x/sync/singleflight"

	"jolvex/internal/asking"
	"jolvex/internal/connections"
	"jolvex/internal/event"
	"jolvex/internal/indexing"
	"jolvex/internal/store"
	"jolvex/internal/store/served"
	"jolvex/internal/store/talk"
)

// Library is what programs read of releases: passages, documents, vectors.
type Library struct{ *Server }

// Doors are what lets visitors and programs in: links, keys, the word of a site.
type Doors struct{ *Server }

// Persons are conversations that people take over, and replies that are made for people who answer.
type Persons struct{ *Server }

// Server answers from releases.
type Server struct {
	Library Library
	Doors   Doors
	Persons Persons

	store       *store.Store
	served      *served.Served
	talk        *talk.Talk
	log         *slog.Logger
	events      *event.Stream
	index       *indexing.Indexer
	asking      *asking.Asker
	connections *connections.Connections
	pages       Pages

	visitors atomic.Pointer[string] // address at which they come in

	opening singleflight.Group
	frozen  *lru.Cache[string, *frozen] // releases that were opened, by id
	turns   *oneByOne                   // messages of one conversation come one after the other
}

// Needs are the rooms that serving rests on.
type Needs struct {
	Store       *store.Store
	Talk        *talk.Talk
	Log         *slog.Logger
	Events      *event.Stream
	Index       *indexing.Indexer
	Asking      *asking.Asker
	Connections *connections.Connections
	Pages       Pages
}

// New makes a Server.
func New(n Needs) (*Server, error) {
	cache, err := lru.New[string, *frozen](mostFrozen)
	sv := &Server{
		store: n.Store, served: served.New(n.Store), talk: n.Talk, log: n.Log, events: n.Events, index: n.Index, asking: n.Asking, connections: n.Connections, pages: n.Pages,
		frozen: cache, turns: &oneByOne{held: map[string]*turn{}},
	}
	sv.Library, sv.Doors, sv.Persons = Library{sv}, Doors{sv}, Persons{sv}
	return sv, err
}
