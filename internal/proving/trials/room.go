// Package trials finds out what a change is worth before it is applied: trials over many methods, what each part is worth, the fit of
// the ranking's weights, where a question stands under two methods; and it applies what was tried.
package trials

import (
	"context"

	"jolvex/core/diagnose"
	"jolvex/internal/asking"
	"jolvex/internal/indexing"
	"jolvex/internal/job"
	"jolvex/internal/proving/runs"
	"jolvex/internal/proving/sets"
	"jolvex/internal/store"
)

// Material is what trials need of gathering.
type Material interface {
	// ApplyMaterial does to the corpus what an alteration says of its material. A job that it takes is given.
	ApplyMaterial(ctx context.Context, c store.Corpus, change diagnose.Alteration) (*job.Job, error)
	// SettledVersion is what a settled answer would be as a document that is only tried: its id, and the hash of its text.
	SettledVersion(s diagnose.Settling) (document, version string, err error)
}

// Room tries and applies for all corpora.
type Room struct {
	store     *store.Store
	jobs      *job.Queue
	index     *indexing.Indexer
	asking    *asking.Asker
	sets      *sets.Room
	runs      *runs.Room
	gathering Material
}

// New makes the room and registers its job.
func New(s *store.Store, j *job.Queue, x *indexing.Indexer, a *asking.Asker, sets *sets.Room, runs *runs.Room, m Material) *Room {
	rm := &Room{store: s, jobs: j, index: x, asking: a, sets: sets, runs: runs, gathering: m}
	j.Register(job.Study, true, rm.study)
	return rm
}
