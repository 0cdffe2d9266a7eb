// Package app wires the rooms of one data folder together. It has no rule of the job in it.
package app

import (
	"context"
	"errors"
	"fmt"
	"log/slog"
	"os"
	"path/filepath"
	"sync"
	"time"

	"golang.org/x/sys/unix"

	"jolvex/internal/asking"
	"jolvex/internal/connections"
	"jolvex/internal/event"
	"jolvex/internal/extractor"
	"jolvex/internal/gathering"
	"jolvex/internal/indexing"
	"jolvex/internal/job"
	"jolvex/internal/keeping"
	"jolvex/internal/keeping/audit"
	"jolvex/internal/keeping/people"
	"jolvex/internal/mending"
	"jolvex/internal/proving"
	"jolvex/internal/serving"
	"jolvex/internal/serving/channels"
	"jolvex/internal/serving/desk"
	"jolvex/internal/store"
	"jolvex/internal/store/register"
	"jolvex/internal/store/talk"
)

// ErrOwned says that another process has the data folder open.
var ErrOwned = errors.New("another process has this data folder open")

// App is one open data folder, room by room. It must be the only one: see Open.
type App struct {
	Events      *event.Stream
	Jobs        *job.Queue
	Connections *connections.Connections
	Indexing    *indexing.Indexer
	Asking      *asking.Asker
	Gathering   *gathering.Gatherer
	Proving     *proving.Prover
	Mending     *mending.Mender
	Serving     *serving.Server
	Desk        *desk.Room
	Channels    *channels.Room
	Keeping     *keeping.Keeper
	People      *people.Room
	Audit       *audit.Room
	Register    *register.Register
	Sessions    *register.Sessions

	dir     string
	lock    *os.File
	store   *store.Store
	talk    *talk.Talk
	extract *extractor.Pool
	stop    context.CancelFunc
	running sync.WaitGroup
}

// Options change how a data folder is worked with; the zero value is right but for tests.
type Options struct {
	Now       func() time.Time // nil for the wall clock
	Patience  time.Duration    // with a language model; 0 for the usual
	Limits    extractor.Limits // on reading one document; zero for the usual
	GraphFrom int              // chunks from which a segment gets a graph; 0 for the usual
}

// Open takes ownership of a data folder, making it when missing, and starts its background work. ErrOwned, wrapped, when
// another process has it.
func Open(ctx context.Context, dir string, log *slog.Logger, o Options) (*App, error) {
	if err := os.MkdirAll(filepath.Join(dir, "index"), 0o700); err != nil {
		return nil, fmt.Errorf("make the data folder: %w", err)
	}
	lock, err := os.OpenFile(filepath.Join(dir, "lock"), os.O_CREATE|os.O_RDWR, 0o600)
	if err != nil {
		return nil, fmt.Errorf("open the lock of %s: %w", dir, err)
	}
	if err := unix.Flock(int(lock.Fd()), unix.LOCK_EX|unix.LOCK_NB); err != nil {
		lock.Close()
		return nil, fmt.Errorf("%s: %w", dir, ErrOwned)
	}
	if o.Now == nil {
		o.Now = time.Now
	}
	life, stop := context.WithCancel(context.WithoutCancel(ctx))
	a := &App{dir: dir, lock: lock, stop: stop}
	if a.store, err = store.Open(ctx, filepath.Join(dir, "jolvex.db"), o.Now); err != nil {
		stop()
		return nil, errors.Join(err, lock.Close())
	}
	if err := a.furnish(ctx, life, log, o); err != nil {
		stop()
		return nil, errors.Join(err, a.store.Close(), lock.Close())
	}
	for _, run := range []func(context.Context){a.Asking.Run, a.Jobs.Run, a.Gathering.Run, a.Keeping.Run, a.Mending.Run, a.Channels.Run} {
		a.running.Go(func() { run(life) })
	}
	return a, nil
}

// furnish makes the rooms, from the ground up.
func (a *App) furnish(ctx, life context.Context, log *slog.Logger, o Options) error {
	a.talk = talk.New(a.store)
	a.extract = extractor.NewPool(filepath.Join(indexing.CacheDir(a.dir), "pdf"), o.Limits)
	a.Events = event.NewStream(a.store, log, life.Done())
	a.Jobs = job.NewQueue(a.store, a.Events, log)
	a.Connections = connections.New(a.dir, a.store, o.Now, o.Patience)
	var err error
	if a.Indexing, err = indexing.New(indexing.Needs{
		Dir: a.dir, Store: a.store, Log: log, Now: o.Now, Events: a.Events, Jobs: a.Jobs, Connections: a.Connections, GraphFrom: o.GraphFrom,
	}); err != nil {
		return err
	}
	if a.Asking, err = asking.New(asking.Needs{
		Store: a.store, Talk: a.talk, Log: log, Now: o.Now, Events: a.Events, Connections: a.Connections, Index: a.Indexing,
	}); err != nil {
		return err
	}
	if a.Gathering, err = gathering.New(gathering.Needs{
		Dir: a.dir, Store: a.store, Log: log, Now: o.Now, Events: a.Events, Jobs: a.Jobs, Connections: a.Connections, Index: a.Indexing, Extract: a.extract,
	}); err != nil {
		return err
	}
	a.Proving = proving.New(proving.Needs{
		Store: a.store, Events: a.Events, Jobs: a.Jobs, Index: a.Indexing, Asking: a.Asking, Connections: a.Connections, Material: a.Gathering,
	})
	a.Mending = mending.New(mending.Needs{
		Store: a.store, Talk: a.talk, Events: a.Events, Jobs: a.Jobs, Asking: a.Asking, Connections: a.Connections, Material: a.Gathering, Expected: prover{a.Proving}, Prover: prover{a.Proving}, Log: log, Now: o.Now,
	})
	if a.Serving, err = serving.New(serving.Needs{Store: a.store, Log: log, Talk: a.talk, Events: a.Events, Index: a.Indexing, Asking: a.Asking, Connections: a.Connections, Pages: gathering.Looker{Gatherer: a.Gathering}}); err != nil {
		return err
	}
	a.Channels = channels.New(channels.Needs{Store: a.store, Connections: a.Connections, Serving: a.Serving, Sender: a.Mending.Notices, Log: log, Now: o.Now})
	a.Desk = desk.New(desk.Needs{Carrier: a.Channels, Store: a.store, Talk: a.talk, Events: a.Events, Serving: a.Serving, Corrections: corrections{a.Mending}, Now: o.Now})
	a.Register, a.Sessions = register.New(a.store), register.NewSessions(a.store)
	a.People, a.Audit = people.New(a.Register, a.Sessions, a.Connections, o.Now), audit.New(a.Register)
	a.Keeping = keeping.New(a.store, log, o.Now, a.Events, a.Jobs, a.Indexing)
	if err := a.Indexing.LoadEndpoint(ctx); err != nil {
		return err
	}
	return a.store.Requeue(ctx)
}

// Close stops background work at its next safe point and gives the folder back. Jobs resume at the next Open.
func (a *App) Close() error {
	a.stop()
	a.running.Wait()
	a.extract.Close()
	return errors.Join(a.store.Close(), a.lock.Close())
}

// Dir is the data folder.
func (a *App) Dir() string { return a.dir }
