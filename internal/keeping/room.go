// Package keeping is about what is kept and for how long: what nothing reaches any more is collected, and a corpus can be deleted with
// all that belongs to it.
package keeping

import (
	"context"
	"errors"
	"fmt"
	"log/slog"
	"slices"
	"strings"
	"sync/atomic"
	"time"

	"jolvex/internal/event"
	"jolvex/internal/indexing"
	"jolvex/internal/job"
	"jolvex/internal/store"
	"jolvex/internal/store/kept"
	"jolvex/internal/store/served"
	"jolvex/internal/store/talk"
)

// keptRuns is how many runs of a question set are kept, besides those that a change of the draft rests on.
const keptRuns = 100

// collected is how often what nothing reaches is collected by itself.
const collected = 24 * time.Hour

// settling is how long a text that no document has is left alone: a run that tries it may be about to begin.
const settling = 24 * time.Hour

// Keeper keeps the data folder in order.
type Keeper struct {
	store  *store.Store
	log    *slog.Logger
	now    func() time.Time
	events *event.Stream
	jobs   *job.Queue
	index  *indexing.Indexer
	kept   *kept.Kept
	served *served.Served
	talk   *talk.Talk

	damage atomic.Pointer[string] // what is wrong with the database; nil while it was not looked at
}

// New makes a Keeper and registers its job.
func New(s *store.Store, log *slog.Logger, now func() time.Time, events *event.Stream, jobs *job.Queue, ix *indexing.Indexer) *Keeper {
	k := &Keeper{store: s, log: log, now: now, events: events, jobs: jobs, index: ix, kept: kept.New(s), served: served.New(s), talk: talk.New(s)}
	jobs.Register(job.Collect, false, k.collect)
	return k
}

// Run looks at the database at once, and once a day has it looked at again and every corpus collected, until ctx ends.
func (k *Keeper) Run(ctx context.Context) {
	tick := time.NewTicker(collected)
	defer tick.Stop()
	for {
		if err := k.Look(ctx); err != nil && ctx.Err() == nil {
			k.log.Error("the database could not be looked at", "error", err)
		}
		select {
		case <-tick.C:
		case <-ctx.Done():
			return
		}
		cs, err := k.store.Corpora(ctx)
		for _, c := range cs {
			if err == nil {
				_, err = k.jobs.Add(ctx, c.ID, job.Collect, "")
			}
		}
		if err != nil && ctx.Err() == nil {
			k.log.Error("what nothing reaches was not collected", "error", err)
		}
	}
}

// Look has SQLite look at the database from end to end (PRAGMA quick_check: pages and rows, not what the indexes hold). What it finds is told by Damage.
func (k *Keeper) Look(ctx context.Context) error {
	var says []string
	err := k.store.List(ctx, &says, "look at the database", `PRAGMA quick_check(3)`)
	if ctx.Err() != nil {
		return ctx.Err()
	}
	found := strings.Join(says, "; ")
	switch {
	case err != nil: // damage may keep SQLite from looking any further
		found = err.Error()
	case found == "ok":
		found = ""
	}
	if found != "" {
		k.log.Error("the database is damaged: restore the newest backup into a new folder with jolvex restore", "found", found)
	}
	k.damage.Store(&found)
	return nil
}

// Damage is what is wrong with the database; empty when nothing is, or while it was not looked at.
func (k *Keeper) Damage() string {
	if d := k.damage.Load(); d != nil {
		return *d
	}
	return ""
}

// Collect queues the collection of what nothing reaches any more.
func (k *Keeper) Collect(ctx context.Context, corpus string) (job.Job, error) {
	c, err := k.store.Corpus(ctx, corpus)
	if err != nil {
		return job.Job{}, err
	}
	return k.jobs.Add(ctx, c.ID, job.Collect, "")
}

// DeleteCorpus ends the work on a corpus and deletes it with its sources, documents, sets, runs, replies and releases.
func (k *Keeper) DeleteCorpus(ctx context.Context, corpus string) error {
	c, err := k.store.Corpus(ctx, corpus)
	if err != nil {
		return err
	}
	if err := k.jobs.EndAll(ctx, c.ID); err != nil {
		return err
	}
	if err := k.store.DeleteCorpus(ctx, c.ID); err != nil {
		return err
	}
	k.index.Forget(c.ID)
	event.Tell(ctx, k.events, event.Corpus, c.ID, event.CorpusBody{ID: c.ID, Name: c.Name})
	return nil
}

// collect removes old runs, texts that no document has and nothing cites, vectors of texts that no index holds, and files that no manifest
// names. What is removed leaves room in the database that is used again.
func (k *Keeper) collect(ctx context.Context, j store.Job, p *job.Progress) error {
	const steps = 5
	_, free, err := k.store.Space(ctx)
	if err != nil {
		return err
	}
	p.Set(ctx, 0, steps, "looking for conversations and earlier texts whose time is over")
	set, err := k.kept.Retention(ctx, j.Corpus)
	if err != nil {
		return err
	}
	erased, err := k.expire(ctx, j.Corpus, set)
	if err != nil {
		return err
	}
	p.Set(ctx, 1, steps, "looking for old runs")
	runs, err := k.store.OldRuns(ctx, j.Corpus, keptRuns)
	if err != nil {
		return err
	}
	if set.Runs > 0 {
		over, err := k.kept.RunsBefore(ctx, j.Corpus, k.ago(set.Runs))
		if err != nil {
			return err
		}
		runs = append(runs, over...)
	}
	if err := k.store.DeleteRuns(ctx, runs); err != nil {
		return err
	}
	p.Set(ctx, 2, steps, "looking for texts that nothing reaches")
	before := store.Stamp(k.now().Add(-settling))
	versions, err := k.unreached(ctx, before)
	if err != nil {
		return err
	}
	if err := k.store.DeleteVersions(ctx, versions, before); err != nil {
		return err
	}
	p.Set(ctx, 3, steps, "looking for vectors that nothing reaches")
	vectors, err := k.index.SweepVectors(ctx)
	if err != nil {
		return err
	}
	p.Set(ctx, 4, steps, "looking for files that nothing reaches")
	if err := k.index.Sweep(ctx); err != nil {
		return err
	}
	_, after, err := k.store.Space(ctx)
	if err != nil {
		return err
	}
	p.Set(ctx, steps, steps, fmt.Sprintf("removed conversations: %d, runs: %d, texts: %d, vectors: %d; %.1f MB can be used again", erased, len(runs), len(versions), vectors, float64(max(0, after-free))/1e6))
	return nil
}

// ago is the stamp of so many days ago.
func (k *Keeper) ago(days int) string { return store.Stamp(k.now().AddDate(0, 0, -days)) }

// expire erases the conversations of a corpus whose time is over, and takes earlier texts whose time is over out of the history of their documents, but
// for those that a release is made of. It gives how many conversations there were.
func (k *Keeper) expire(ctx context.Context, corpus string, set kept.Retention) (int, error) {
	erased := 0
	if set.Conversations > 0 {
		var err error
		if erased, err = k.talk.EraseBefore(ctx, corpus, k.ago(set.Conversations)); err != nil {
			return 0, err
		}
	}
	if set.Versions == 0 {
		return erased, nil
	}
	over, err := k.kept.VersionsBefore(ctx, corpus, k.ago(set.Versions))
	if err != nil || len(over) == 0 {
		return erased, err
	}
	held := map[string]bool{}
	rs, err := k.served.Releases(ctx, corpus, mostReleases)
	if err != nil {
		return erased, err
	}
	for _, r := range rs {
		made, err := k.served.MadeOf(ctx, r.ID)
		if err != nil && !errors.Is(err, store.ErrMissing) {
			return erased, err
		}
		for _, f := range made {
			held[f.Version] = true
		}
	}
	return erased, k.kept.DropVersions(ctx, slices.DeleteFunc(over, func(v kept.Version) bool { return held[v.Version] }))
}

// mostReleases is how many releases of a corpus are looked at.
const mostReleases = 1000

// Retention is for how long things of a corpus are kept.
func (k *Keeper) Retention(ctx context.Context, corpus string) (kept.Retention, error) {
	c, err := k.store.Corpus(ctx, corpus)
	if err != nil {
		return kept.Retention{}, err
	}
	return k.kept.Retention(ctx, c.ID)
}

// SetRetention says for how long things of a corpus are kept. What is over goes with the next collection, once a day.
func (k *Keeper) SetRetention(ctx context.Context, corpus string, r kept.Retention) (kept.Retention, error) {
	c, err := k.store.Corpus(ctx, corpus)
	if err != nil {
		return r, err
	}
	return r, k.kept.SetRetention(ctx, c.ID, r)
}

// unreached are the texts that no document has and that no reply, result or run refers to.
func (k *Keeper) unreached(ctx context.Context, before string) ([]string, error) {
	orphans, err := k.store.Orphans(ctx, before)
	if err != nil || len(orphans) == 0 {
		return nil, err
	}
	cited := map[string]bool{}
	if err := k.store.CitedVersions(ctx, func(v string) { cited[v] = true }); err != nil {
		return nil, err
	}
	var out []string
	for _, h := range orphans {
		if !cited[h] {
			out = append(out, h)
		}
	}
	return out, nil
}
