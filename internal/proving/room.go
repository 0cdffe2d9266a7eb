// Package proving says how often replies are right, and what changed. It is four rooms, each standing on the ones before it: sets, runs
// with their causes, trials, and coverage.
package proving

import (
	"jolvex/internal/asking"
	"jolvex/internal/connections"
	"jolvex/internal/event"
	"jolvex/internal/indexing"
	"jolvex/internal/job"
	"jolvex/internal/proving/coverage"
	"jolvex/internal/proving/runs"
	"jolvex/internal/proving/sets"
	"jolvex/internal/proving/trials"
	"jolvex/internal/store"
)

// Material is what proving needs of gathering: what an alteration adds to a corpus or takes out of it, tried or done.
type Material interface {
	sets.Material
	runs.Material
	trials.Material
}

// Prover proves for all corpora.
type Prover struct {
	Sets     *sets.Room
	Runs     *runs.Room
	Trials   *trials.Room
	Coverage *coverage.Room
}

// Needs are what a Prover works with.
type Needs struct {
	Store       *store.Store
	Events      *event.Stream
	Jobs        *job.Queue
	Index       *indexing.Indexer
	Asking      *asking.Asker
	Connections *connections.Connections
	Material    Material
}

// New makes a Prover and registers its jobs.
func New(n Needs) *Prover {
	p := &Prover{Sets: sets.New(n.Store, n.Events, n.Index, n.Asking, n.Material)}
	p.Runs = runs.New(n.Store, n.Jobs, n.Index, n.Asking, n.Connections, p.Sets, n.Material)
	p.Trials = trials.New(n.Store, n.Jobs, n.Index, n.Asking, p.Sets, p.Runs, n.Material)
	p.Coverage = coverage.New(n.Store, n.Jobs, n.Index, n.Asking, p.Sets, p.Runs)
	return p
}
