// Package gathering brings material in and keeps it fresh: sources and their visits, pages, files, texts and pairs, content checks, and
// the choice of what is taken in.
package gathering

import (
	"fmt"
	"log/slog"
	"net"
	"net/netip"
	"sync"
	"time"

	lru "github.com/hashicorp/golang-lru/v2"

	"jolvex/core/check"
	"jolvex/internal/connections"
	"jolvex/internal/event"
	"jolvex/internal/extractor"
	"jolvex/internal/indexing"
	"jolvex/internal/job"
	"jolvex/internal/store"
)

// keptLooks is how many documents' checks are kept in memory.
const keptLooks = 12_000

// Gatherer gathers for all corpora.
type Gatherer struct {
	dir         string
	store       *store.Store
	log         *slog.Logger
	now         func() time.Time
	events      *event.Stream
	jobs        *job.Queue
	connections *connections.Connections
	index       *indexing.Indexer
	extractor   *extractor.Pool
	looks       *lru.Cache[string, *check.Look]

	own own // addresses that this program listens at

	mu      sync.Mutex
	folders map[string]uint64    // of watched folders: what they held when last looked at
	waiting map[string]time.Time // when the job that indexes what was handed over was last asked for, until it has begun
	handed  map[string]time.Time // when a file was last handed over to a corpus
}

// Needs are what a Gatherer works with.
type Needs struct {
	Dir         string // of the data: never watched, never read as a source
	Store       *store.Store
	Log         *slog.Logger
	Now         func() time.Time
	Events      *event.Stream
	Jobs        *job.Queue
	Connections *connections.Connections
	Index       *indexing.Indexer
	Extract     *extractor.Pool
}

// New makes a Gatherer and registers its jobs.
func New(n Needs) (*Gatherer, error) {
	ga := &Gatherer{
		dir: n.Dir, store: n.Store, log: n.Log, now: n.Now, events: n.Events, jobs: n.Jobs, connections: n.Connections, index: n.Index,
		extractor: n.Extract, folders: map[string]uint64{}, waiting: map[string]time.Time{}, handed: map[string]time.Time{},
	}
	var err error
	if ga.looks, err = lru.New[string, *check.Look](keptLooks); err != nil {
		return nil, fmt.Errorf("make room for checks: %w", err)
	}
	n.Jobs.Register(job.Gather, true, ga.gather)
	n.Jobs.Register(job.TakeIn, true, ga.takeInJob)
	n.Jobs.Register(job.Check, false, ga.check)
	return ga, nil
}

// own are the addresses that this program listens at: they are never fetched from.
type own struct {
	mu   sync.Mutex
	list []netip.AddrPort
}

// ListensAt says that this program listens at an address.
func (ga *Gatherer) ListensAt(a net.Addr) {
	ap, err := netip.ParseAddrPort(a.String())
	if err != nil {
		return // no address of the network, such as a socket in a folder
	}
	ga.own.mu.Lock()
	defer ga.own.mu.Unlock()
	ga.own.list = append(ga.own.list, netip.AddrPortFrom(ap.Addr().Unmap(), ap.Port()))
}

// has reports whether an address is one of the program's: where it listens everywhere, every address of this machine is.
func (o *own) has(a netip.AddrPort) bool {
	o.mu.Lock()
	defer o.mu.Unlock()
	for _, mine := range o.list {
		if mine.Port() != a.Port() {
			continue
		}
		if mine.Addr() == a.Addr() || mine.Addr().IsUnspecified() && ofThisMachine(a.Addr()) {
			return true
		}
	}
	return false
}

func ofThisMachine(a netip.Addr) bool {
	if a.IsLoopback() || a.IsUnspecified() {
		return true
	}
	list, err := net.InterfaceAddrs()
	if err != nil {
		return true // not known: rather not
	}
	for _, x := range list {
		if p, err := netip.ParsePrefix(x.String()); err == nil && p.Addr().Unmap() == a {
			return true
		}
	}
	return false
}
