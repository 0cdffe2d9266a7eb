// Package runs puts the questions of a set to a method, judges the replies, finds why some fail and what would cure it, and compares
// one run with another.
package runs

import (
	"context"

	lru "github.com/hashicorp/golang-lru/v2"

	"jolvex/core/diagnose"
	"jolvex/core/prove"
	"jolvex/core/questions"
	"jolvex/internal/asking"
	"jolvex/internal/connections"
	"jolvex/internal/indexing"
	"jolvex/internal/job"
	"jolvex/internal/proving/sets"
	"jolvex/internal/store"
)

// Material is what runs need of gathering.
type Material interface {
	// Bring fetches and reads what an alteration adds, and keeps it as versions that no document has.
	Bring(ctx context.Context, c store.Corpus, change diagnose.Alteration) (store.Tried, error)
}

// Room runs the sets of all corpora.
type Room struct {
	store       *store.Store
	jobs        *job.Queue
	index       *indexing.Indexer
	asking      *asking.Asker
	connections *connections.Connections
	sets        *sets.Room
	gathering   Material

	reader *prove.Reader
	names  *lru.Cache[string, *questions.Directory] // of a snapshot as one audience sees it
}

// keptPassages is how many passages are kept as they were read for verdicts, some 4 kB each.
const keptPassages = 4_096

// New makes the room and registers its job.
func New(s *store.Store, j *job.Queue, x *indexing.Indexer, a *asking.Asker, cn *connections.Connections, sets *sets.Room, m Material) *Room {
	names, err := lru.New[string, *questions.Directory](4)
	if err != nil {
		panic("runs: " + err.Error()) // the size is part of the program
	}
	reader, err := prove.NewReader(keptPassages)
	if err != nil {
		panic("runs: " + err.Error())
	}
	rm := &Room{names: names, reader: reader, store: s, jobs: j, index: x, asking: a, connections: cn, sets: sets, gathering: m}
	j.Register(job.Prove, true, rm.run)
	return rm
}
