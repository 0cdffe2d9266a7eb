package gathering

import (
	"context"
	"errors"
	"net/http"
	"net/url"
	"sync"

	"jolvex/internal/gather"
	"jolvex/internal/store"
)

// tooSilent is how many pages in a row of one host may stay without an answer before it is asked whether the host is there at all.
const tooSilent = 5

// silence counts the pages in a row that hosts gave no answer for.
type silence struct {
	mu    sync.Mutex
	hosts map[string]*quiet
}

type quiet struct {
	running int    // pages without an answer since the last one with
	down    string // why the rest of a visit is not tried: what came of the last page that was
}

func (s *silence) of(address string) *quiet {
	if s.hosts == nil {
		s.hosts = map[string]*quiet{}
	}
	host := hostOf(address)
	q := s.hosts[host]
	if q == nil {
		q = &quiet{}
		s.hosts[host] = q
	}
	return q
}

// down tells why an address's host is not tried any more; "" when it is.
func (s *silence) down(address string) string {
	s.mu.Lock()
	defer s.mu.Unlock()
	return s.of(address).down
}

// listenFor takes note of what came of a request and reports whether another attempt at it makes sense. When a host has been silent for too
// long, the start of the source is asked for: does that not answer either, the rest of the visit is not tried.
func (k *crawl) listenFor(ctx context.Context, address string, o store.Outcome) bool {
	s := &k.silence
	silent := o.State == store.Failed && (o.Status == 0 || o.Status == http.StatusBadGateway || o.Status == http.StatusServiceUnavailable || o.Status == http.StatusGatewayTimeout)
	s.mu.Lock()
	defer s.mu.Unlock()
	q := s.of(address)
	switch {
	case q.down != "":
		return false
	case !silent:
		q.running = 0
		return true
	}
	if q.running++; q.running < tooSilent {
		return q.running < 3
	}
	// Others wait here meanwhile: they would be as much in vain.
	if hostOf(k.src.Address) == hostOf(address) && k.startAnswers(ctx) {
		q.running = 0
		return true
	}
	q.down = o.Reason
	return false
}

// startAnswers reports whether the address that the source starts from answers.
func (k *crawl) startAnswers(ctx context.Context) bool {
	if err := k.may(ctx, k.src.Address); err != nil { // nothing is asked for that robots.txt does not allow, or that nobody knows it to
		return errors.Is(err, errRobots)
	}
	p, err := k.fetcher.Get(ctx, k.src.Address, gather.MaxBody, nil)
	return ctx.Err() != nil || err == nil && p.Status < http.StatusInternalServerError
}

func hostOf(address string) string {
	u, err := url.Parse(address)
	if err != nil {
		return address
	}
	return u.Host
}
