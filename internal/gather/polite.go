package gather

import (
	"context"
	"net/url"
	"sync"
	"time"
)

// Bounds of the delay that a host that is overloaded brings about.
const (
	firstSlow = time.Second
	slowest   = time.Minute
)

// Polite spaces the requests to each host, and goes slower where a host asks for it: it doubles the delay on each refusal
// for overload and halves what it added after each five answers. One page that is out of order is no overload: without a
// word from the host (429, or Retry-After), three refusals in a row are.
type Polite struct {
	mu    sync.Mutex
	hosts map[string]*pace
}

type pace struct {
	next  time.Time
	extra time.Duration // on top of the delay asked for
	fine  int           // answers since the last change
	bad   int           // refusals in a row
}

func (p *Polite) of(address string) (*pace, error) {
	u, err := url.Parse(address)
	if err != nil {
		return nil, err
	}
	if p.hosts == nil {
		p.hosts = map[string]*pace{}
	}
	h := p.hosts[u.Host]
	if h == nil {
		h = &pace{}
		p.hosts[u.Host] = h
	}
	return h, nil
}

// Wait blocks until the host of address may be asked again, every delay at most.
func (p *Polite) Wait(ctx context.Context, address string, delay time.Duration) error {
	p.mu.Lock()
	h, err := p.of(address)
	if err != nil {
		p.mu.Unlock()
		return err
	}
	now := time.Now()
	at := h.next
	if at.Before(now) {
		at = now
	}
	h.next = at.Add(delay + h.extra)
	p.mu.Unlock()
	if !at.After(now) {
		return ctx.Err()
	}
	t := time.NewTimer(time.Until(at))
	defer t.Stop()
	select {
	case <-t.C:
		return nil
	case <-ctx.Done():
		return ctx.Err()
	}
}

// Slow tells that a host refused with 429 or 503. When it asked for time or for fewer requests, nothing goes to it for as
// long as it asks, a minute at most, and requests go slower from then on.
func (p *Polite) Slow(address string, retryAfter time.Duration, asked bool) {
	p.mu.Lock()
	defer p.mu.Unlock()
	h, err := p.of(address)
	if err != nil {
		return
	}
	h.fine = 0
	if h.bad++; !asked && h.bad < 3 {
		return
	}
	h.extra = min(slowest, max(firstSlow, 2*h.extra))
	if at := time.Now().Add(min(slowest, retryAfter)); at.After(h.next) {
		h.next = at
	}
}

// Fine tells that a host answered.
func (p *Polite) Fine(address string) {
	p.mu.Lock()
	defer p.mu.Unlock()
	h, err := p.of(address)
	if err != nil {
		return
	}
	h.bad = 0
	if h.fine++; h.fine >= 5 && h.extra > 0 {
		h.fine = 0
		if h.extra /= 2; h.extra < 50*time.Millisecond {
			h.extra = 0
		}
	}
}

// Extra is what is added to the delay of an address's host at the moment.
func (p *Polite) Extra(address string) time.Duration {
	p.mu.Lock()
	defer p.mu.Unlock()
	h, err := p.of(address)
	if err != nil {
		return 0
	}
	return h.extra
}
