// Package asking is the one path for a question, on whatever surface it is asked, and what belongs to it: what is tried out, the
// glossary, house rules and what they ask for, and the pinned questions.
package asking

import (
	"context"
	"fmt"
	"log/slog"
	"sync"
	"time"

	"jolvex/core/answer"
	"jolvex/core/find"
	"jolvex/core/rule"
	"jolvex/internal/connections"
	"jolvex/internal/event"
	"jolvex/internal/indexing"
	"jolvex/internal/store"
	"jolvex/internal/store/talk"
)

// How many chunks' sentences are kept in memory as vectors, and how many opened for quoting.
const (
	keptSentences = 6000
	keptOpened    = 2000
)

// Asker answers questions.
type Asker struct {
	store       *store.Store
	talk        *talk.Talk
	log         *slog.Logger
	now         func() time.Time
	events      *event.Stream
	connections *connections.Connections
	index       *indexing.Indexer
	memory      *find.Memory
	opened      *answer.Opened
	post        chan struct{} // an alert is to be sent

	mu    sync.Mutex
	rules *rule.Matcher

	mining sync.Mutex
	found  map[string]minedOf // by corpus
}

// Needs are what an Asker works with.
type Needs struct {
	Store       *store.Store
	Talk        *talk.Talk
	Log         *slog.Logger
	Now         func() time.Time
	Events      *event.Stream
	Connections *connections.Connections
	Index       *indexing.Indexer
}

// New makes an Asker.
func New(n Needs) (*Asker, error) {
	as := &Asker{store: n.Store, talk: n.Talk, log: n.Log, now: n.Now, events: n.Events, connections: n.Connections, index: n.Index, post: make(chan struct{}, 1), found: map[string]minedOf{}}
	var err error
	if as.memory, err = find.NewMemory(keptSentences); err != nil {
		return nil, fmt.Errorf("make room for sentences: %w", err)
	}
	if as.opened, err = answer.NewOpened(keptOpened); err != nil {
		return nil, fmt.Errorf("make room for opened chunks: %w", err)
	}
	return as, nil
}

// Run sends alerts until ctx ends.
func (as *Asker) Run(ctx context.Context) { as.runPost(ctx) }

// Caller is as whom something is asked.
type Caller struct {
	Audience string // index.Public or index.Staff
	Surface  string // where it is asked: see the constants, and run
	Page     string // address of the page on which it is asked; "" when not known
	Campaign string // by which the asker came to it; "" when not known
	Place    string // for which the site says that it stands; "" when it says nothing

	Conversation string // that it goes on with; "" to begin one
	Visitor      string // a random name of whoever asks; "" when not known
	Release      string // id of the release that answers; "" for the draft
	Exchange     string // id that the reply is kept under; "" for a new one
}
