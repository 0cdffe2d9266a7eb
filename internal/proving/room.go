// Package proving says how often replies are right, and what changed: question sets, runs with their causes, trials and studies, and
// coverage.
package proving

import (
	"context"
	"sync"

	lru "github.com/hashicorp/golang-lru/v2"

	"jolvex/core/diagnose"
	"jolvex/core/prove"
	"jolvex/core/questions"
	"jolvex/internal/asking"
	"jolvex/internal/event"
	"jolvex/internal/indexing"
	"jolvex/internal/job"
	"jolvex/internal/store"
)

// Material is what proving needs of gathering: what an alteration adds to a corpus or takes out of it, tried or done.
type Material interface {
	// Bring fetches and reads what an alteration adds, and keeps it as versions that no document has.
	Bring(ctx context.Context, c store.Corpus, change diagnose.Alteration) (store.Tried, error)
	// ApplyMaterial does to the corpus what an alteration says of its material. A job that it takes is given.
	ApplyMaterial(ctx context.Context, c store.Corpus, change diagnose.Alteration) (*job.Job, error)
	// SettledVersion is what a settled answer would be as a document that is only tried: its id, and the hash of its text.
	SettledVersion(s diagnose.Settling) (document, version string, err error)
	// ImportTexts takes in the documents that came with a set, under its name.
	ImportTexts(ctx context.Context, c store.Corpus, set string, ds []questions.Document) error
}

// Prover proves for all corpora.
type Prover struct {
	store     *store.Store
	events    *event.Stream
	jobs      *job.Queue
	index     *indexing.Indexer
	asking    *asking.Asker
	gathering Material

	reader *prove.Reader
	names  *lru.Cache[string, *questions.Directory] // of a snapshot as one audience sees it

	sets sync.Mutex // held while a question set is read, changed and written back
}

// Needs are what a Prover works with.
type Needs struct {
	Store    *store.Store
	Events   *event.Stream
	Jobs     *job.Queue
	Index    *indexing.Indexer
	Asking   *asking.Asker
	Material Material
}

// keptPassages is how many passages are kept as they were read for verdicts, some 4 kB each.
const keptPassages = 4_096

// New makes a Prover and registers its jobs.
func New(n Needs) *Prover {
	names, err := lru.New[string, *questions.Directory](4)
	if err != nil {
		panic("proving: " + err.Error()) // the size is part of the program
	}
	reader, err := prove.NewReader(keptPassages)
	if err != nil {
		panic("proving: " + err.Error())
	}
	pv := &Prover{names: names, reader: reader, store: n.Store, events: n.Events, jobs: n.Jobs, index: n.Index, asking: n.Asking, gathering: n.Material}
	n.Jobs.Register(job.Prove, true, pv.run)
	n.Jobs.Register(job.Study, true, pv.study)
	n.Jobs.Register(job.Chart, true, pv.draw)
	return pv
}
