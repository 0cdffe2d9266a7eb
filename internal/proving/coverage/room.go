// Package coverage says what the questions of a set reach of a corpus, and what they do not: in figures, and as a chart.
package coverage

import (
	"jolvex/internal/asking"
	"jolvex/internal/indexing"
	"jolvex/internal/job"
	"jolvex/internal/proving/runs"
	"jolvex/internal/proving/sets"
	"jolvex/internal/store"
)

// Room tells the coverage of all corpora.
type Room struct {
	store  *store.Store
	jobs   *job.Queue
	index  *indexing.Indexer
	asking *asking.Asker
	sets   *sets.Room
	runs   *runs.Room
}

// New makes the room and registers its job.
func New(s *store.Store, j *job.Queue, x *indexing.Indexer, a *asking.Asker, sets *sets.Room, runs *runs.Room) *Room {
	rm := &Room{store: s, jobs: j, index: x, asking: a, sets: sets, runs: runs}
	j.Register(job.Chart, true, rm.draw)
	return rm
}
