// Package work holds the use cases, one file per stage. Every surface - interface, API, command line, run - goes through
// it, and every question takes one path.
package work

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"log/slog"
	"os"
	"path/filepath"
	"sync"
	"sync/atomic"
	"time"

	lru "github.com/hashicorp/golang-lru/v2"
	"golang.org/x/sys/unix"

	"jolvex/core/answer"
	"jolvex/core/check"
	"jolvex/core/chunk"
	"jolvex/core/doc"
	"jolvex/core/embed"
	"jolvex/core/find"
	"jolvex/core/rule"
	"jolvex/internal/pdf"
	"jolvex/internal/store"
)

// ErrOwned says that another process has the data folder open.
var ErrOwned = errors.New("another process has this data folder open")

// ErrInput wraps what a caller got wrong.
var ErrInput = errors.New("not acceptable")

// ErrMissing says that what was asked for is not there.
var ErrMissing = store.ErrMissing

// ErrTaken says that a name is in use.
var ErrTaken = store.ErrTaken

// ErrChanged says that what is to be replaced is not what the caller has read.
var ErrChanged = errors.New("changed meanwhile")

func inputError(format string, args ...any) error {
	return fmt.Errorf("%w: %s", ErrInput, fmt.Sprintf(format, args...))
}

// App is one open data folder. It must be the only one: see Open.
type App struct {
	dir       string
	lock      *os.File
	store     *store.Store
	words     *embed.Static
	encoder   *embed.Encoder
	endpoint  atomic.Pointer[endpoint] // of embeddings; nil when none is connected
	versions  *lru.Cache[string, *doc.Document]
	prepared  *lru.Cache[string, *chunk.Prepared] // by version
	memory    *find.Memory
	opened    *answer.Opened
	looks     *lru.Cache[string, *check.Look]
	pdf       *pdf.Reader
	rules     *rule.Matcher
	post      chan struct{} // an alert is to be sent
	patience  time.Duration // with a language model; 0 for the usual
	graphFrom int           // see GraphFrom
	log       *slog.Logger
	now       func() time.Time
	hub       hub

	mu      sync.Mutex
	corpora map[string]*shelf
	sets    sync.Mutex         // held while a question set is read, changed and written back
	frozen  map[string]*frozen // last releases that were opened, by corpus
	folders map[string]uint64  // of watched folders: what they held when last looked at

	wake    chan struct{} // a job was queued
	stop    context.CancelFunc
	closing <-chan struct{} // closed when the app closes
	running sync.WaitGroup
	kinds   map[string]kind // of jobs
	jobsMu  sync.Mutex
	cancels map[string]context.CancelCauseFunc
	reports map[string]*progress // of running jobs
}

// Open takes ownership of a data folder, making it when missing, and starts its background work. ErrOwned, wrapped, when
// another process has it.
func Open(ctx context.Context, dir string, log *slog.Logger) (*App, error) {
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
	a := &App{dir: dir, lock: lock, log: log, now: time.Now, corpora: map[string]*shelf{}, frozen: map[string]*frozen{}, folders: map[string]uint64{}, graphFrom: GraphFrom, wake: make(chan struct{}, 1), post: make(chan struct{}, 1), cancels: map[string]context.CancelCauseFunc{}, reports: map[string]*progress{}}
	life, stop := context.WithCancel(context.WithoutCancel(ctx))
	a.stop, a.closing = stop, life.Done()
	if err := a.begin(ctx, life); err != nil {
		a.stop()
		lock.Close()
		return nil, err
	}
	return a, nil
}

func (a *App) begin(ctx, life context.Context) error {
	var err error
	if a.words, err = embed.NewStatic(); err != nil {
		return err
	}
	if a.encoder, err = embed.NewEncoder(); err != nil {
		return err
	}
	if a.versions, err = lru.New[string, *doc.Document](4000); err != nil {
		return err
	}
	if a.prepared, err = lru.New[string, *chunk.Prepared](4000); err != nil {
		return err
	}
	if a.memory, err = find.NewMemory(6_000); err != nil {
		return err
	}
	if a.opened, err = answer.NewOpened(2_000); err != nil {
		return err
	}
	if a.looks, err = lru.New[string, *check.Look](2_500); err != nil {
		return err
	}
	a.pdf = pdf.NewReader(filepath.Join(cacheDir(a.dir), "pdf"))
	if a.store, err = store.Open(ctx, filepath.Join(a.dir, "jolvex.db"), a.now); err != nil {
		return err
	}
	if err := a.loadEndpoint(ctx); err != nil {
		return errors.Join(err, a.store.Close())
	}
	if err := a.store.Requeue(ctx); err != nil {
		return errors.Join(err, a.store.Close())
	}
	a.hub.init()
	a.running.Add(3)
	a.indexingJobs()
	a.gatheringJobs()
	a.provingJobs()
	go a.runPost(life)
	go a.runJobs(life)
	go a.runSchedules(life)
	return nil
}

// Close stops background work at its next safe point and gives the folder back. Jobs resume at the next Open.
func (a *App) Close() error {
	a.stop()
	a.running.Wait()
	a.pdf.Close()
	err := a.store.Close()
	return errors.Join(err, a.lock.Close())
}

// cacheDir is where derived files lie that data folders can share: the user's cache, or the data folder when there is none.
func cacheDir(data string) string {
	if dir, err := os.UserCacheDir(); err == nil {
		return filepath.Join(dir, "jolvex")
	}
	return filepath.Join(data, "cache")
}

// Dir is the data folder.
func (a *App) Dir() string { return a.dir }

// Caller is as whom something is asked.
type Caller struct {
	Audience string // index.Public or index.Staff
	Surface  string // bench, command, run
	Page     string // address of the page on which it is asked; "" when not known
}

// Version reads one document version, through a cache. It is what core calls find.Texts.
func (a *App) Version(ctx context.Context, hash string) (*doc.Document, error) {
	if d, ok := a.versions.Get(hash); ok {
		return d, nil
	}
	d, err := a.store.Version(ctx, hash)
	if err != nil {
		return nil, err
	}
	a.versions.Add(hash, d)
	return d, nil
}

// hub tells watchers that there is something new to read.
type hub struct {
	mu   sync.Mutex
	news chan struct{} // closed at the next event
}

func (h *hub) init() { h.news = make(chan struct{}) }

func (h *hub) ring() {
	h.mu.Lock()
	close(h.news)
	h.news = make(chan struct{})
	h.mu.Unlock()
}

func (h *hub) next() <-chan struct{} {
	h.mu.Lock()
	defer h.mu.Unlock()
	return h.news
}

// event is something to tell those who watch.
func event(corpus, kind string, body any) store.Event {
	raw, err := json.Marshal(body)
	if err != nil {
		raw = []byte(`{}`) // bodies are our own plain structs
	}
	return store.Event{Corpus: corpus, Kind: kind, Body: raw}
}

func (a *App) tell(ctx context.Context, es ...store.Event) {
	if len(es) == 0 {
		return
	}
	if _, err := a.store.AddEvents(context.WithoutCancel(ctx), es); err != nil {
		a.log.Error("events were not recorded", "error", err)
		return
	}
	a.hub.ring()
}

// Watch calls send with every event after number since, oldest first, and goes on as new ones come, until ctx ends or
// send fails. A negative since starts with what comes next.
func (a *App) Watch(ctx context.Context, since int64, send func(store.Event) error) error {
	if since < 0 {
		last, err := a.store.LastEvent(ctx)
		if err != nil {
			return err
		}
		since = last
	}
	for {
		news := a.hub.next()
		es, err := a.store.EventsAfter(ctx, since, 500)
		if err != nil {
			return err
		}
		for _, e := range es {
			if err := send(e); err != nil {
				return err
			}
			since = e.Seq
		}
		if len(es) == 500 {
			continue
		}
		select {
		case <-news:
		case <-ctx.Done():
			return ctx.Err()
		case <-a.closing:
			return context.Canceled
		}
	}
}
