// Package indexing turns documents into snapshots that can be searched: cutting, encoding, graphs, and the shelf of each corpus's
// index. One builder of segments serves the draft, what is tried, and releases. The draft of the method lives here too: whatever
// changes it goes through one operation, which has the index built anew where that is due.
package indexing

import (
	"fmt"
	"log/slog"
	"path/filepath"
	"sync"
	"sync/atomic"
	"time"

	lru "github.com/hashicorp/golang-lru/v2"

	"jolvex/core/chunk"
	"jolvex/core/doc"
	"jolvex/core/embed"
	"jolvex/internal/connections"
	"jolvex/internal/event"
	"jolvex/internal/indexing/files"
	"jolvex/internal/job"
	"jolvex/internal/store"
)

// How many document versions are kept in memory, as they are and ready to be cut.
const (
	keptVersions  = 4000
	keptPrepared  = 4000
	keptQuestions = 4000 // vectors of about 400 bytes
)

// Indexer holds the indexes of all corpora.
type Indexer struct {
	files       files.Folder
	store       *store.Store
	log         *slog.Logger
	now         func() time.Time
	events      *event.Stream
	jobs        *job.Queue
	connections *connections.Connections
	graphFrom   int

	words    *embed.Static
	asked    *embed.Memory // vectors of questions
	encoder  *embed.Encoder
	endpoint atomic.Pointer[Endpoint] // of embeddings; nil when none is connected
	versions *lru.Cache[string, *doc.Document]
	prepared *lru.Cache[string, *chunk.Prepared] // by version

	mu      sync.Mutex
	corpora map[string]*Shelf
}

// Needs are what an Indexer works with.
type Needs struct {
	Dir         string // of the data
	Store       *store.Store
	Log         *slog.Logger
	Now         func() time.Time
	Events      *event.Stream
	Jobs        *job.Queue
	Connections *connections.Connections
	GraphFrom   int // chunks from which a segment gets a graph; 0 for GraphFrom
}

// New makes an Indexer and registers its jobs.
func New(n Needs) (*Indexer, error) {
	ix := &Indexer{
		store: n.Store, log: n.Log, now: n.Now, events: n.Events, jobs: n.Jobs, connections: n.Connections,
		graphFrom: n.GraphFrom, corpora: map[string]*Shelf{},
	}
	if ix.graphFrom == 0 {
		ix.graphFrom = GraphFrom
	}
	var err error
	if ix.words, err = embed.NewStatic(); err != nil {
		return nil, fmt.Errorf("open the word vectors: %w", err)
	}
	if ix.encoder, err = embed.NewEncoder(); err != nil {
		return nil, fmt.Errorf("open the sentence encoder: %w", err)
	}
	if ix.versions, err = lru.New[string, *doc.Document](keptVersions); err != nil {
		return nil, fmt.Errorf("make room for document versions: %w", err)
	}
	if ix.asked, err = embed.NewMemory(keptQuestions); err != nil {
		return nil, err
	}
	if ix.prepared, err = lru.New[string, *chunk.Prepared](keptPrepared); err != nil {
		return nil, fmt.Errorf("make room for prepared documents: %w", err)
	}
	ix.files = files.Folder{Dir: filepath.Join(n.Dir, "index"), Words: ix.words.ID(), Log: n.Log}
	n.Jobs.Register(job.Rebuild, true, ix.rebuild)
	n.Jobs.Register(job.Encode, false, ix.encode)
	n.Jobs.Register(job.Graph, false, ix.growGraphs)
	return ix, nil
}

// Words are the built-in word vectors.
func (ix *Indexer) Words() *embed.Static { return ix.words }

// Encoder is the built-in sentence encoder.
func (ix *Indexer) Encoder() *embed.Encoder { return ix.encoder }

// DocumentEvent tells what became of a document.
var DocumentEvent = event.Declare[Document]("document")
