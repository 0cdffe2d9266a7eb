package gather

import (
	"context"
	"errors"
	"fmt"
	"io"
	"net"
	"net/http"
	"net/netip"
	"net/url"
	"strconv"
	"strings"
	"sync"
	"syscall"
	"time"
)

// Product is the crawler's name in robots.txt and at the front of its user agent.
const Product = "JolvexBot"

// UserAgent is what the crawler says it is.
const UserAgent = Product + "/1.0 (knowledge gathering; obeys robots.txt)"

// Limits of one request.
const (
	MaxRedirects = 8
	MaxBody      = 20 << 20
	Timeout      = 30 * time.Second
)

// Errors that a caller tells apart. They arrive wrapped.
var (
	ErrPrivate  = errors.New("a private address: allow it for this source to reach it")
	ErrTooLarge = errors.New("too large")
	ErrLoop     = errors.New("too many redirects")
)

// Fetcher fetches over HTTP. It reaches only public addresses unless AllowPrivate is set; what counts is the address a
// name resolves to at the moment of dialling, for every redirect anew.
type Fetcher struct {
	client *http.Client
	mu     sync.Mutex
	robots map[string]*robotsEntry
}

type robotsEntry struct {
	once  sync.Once
	rules *Robots
}

// NewFetcher makes a fetcher.
func NewFetcher(allowPrivate bool) *Fetcher {
	dialer := &net.Dialer{Timeout: 10 * time.Second, Control: func(_, address string, _ syscall.RawConn) error {
		if allowPrivate {
			return nil
		}
		ap, err := netip.ParseAddrPort(address)
		if err != nil {
			return err
		}
		if !Public(ap.Addr()) {
			return fmt.Errorf("%s: %w", ap.Addr(), ErrPrivate)
		}
		return nil
	}}
	return &Fetcher{
		robots: map[string]*robotsEntry{},
		client: &http.Client{
			Timeout: Timeout,
			Transport: &http.Transport{
				DialContext: dialer.DialContext, TLSHandshakeTimeout: 10 * time.Second, ResponseHeaderTimeout: 20 * time.Second, MaxIdleConnsPerHost: 8,
				IdleConnTimeout: 30 * time.Second, MaxResponseHeaderBytes: 256 << 10, Proxy: nil,
			},
			CheckRedirect: func(*http.Request, []*http.Request) error { return http.ErrUseLastResponse },
		},
	}
}

// Public reports whether an address can belong to a host on the open internet (IANA special-purpose registries, RFC 6890).
func Public(a netip.Addr) bool {
	a = a.Unmap()
	if !a.IsValid() || a.IsLoopback() || a.IsPrivate() || a.IsLinkLocalUnicast() || a.IsLinkLocalMulticast() || a.IsMulticast() || a.IsUnspecified() || a.IsInterfaceLocalMulticast() {
		return false
	}
	for _, p := range special {
		if p.Contains(a) {
			return false
		}
	}
	return true
}

var special = func() []netip.Prefix {
	var out []netip.Prefix
	for _, s := range []string{"0.0.0.0/8", "100.64.0.0/10", "192.0.0.0/24", "192.0.2.0/24", "198.18.0.0/15", "198.51.100.0/24", "203.0.113.0/24", "240.0.0.0/4", "64:ff9b::/96", "64:ff9b:1::/48", "100::/64", "2001:db8::/32", "2002::/16", "fc00::/7", "fec0::/10"} {
		out = append(out, netip.MustParsePrefix(s))
	}
	return out
}()

// Page is what came back.
type Page struct {
	Address      string // the last one, after redirects
	Status       int
	MediaType    string
	Body         []byte
	ETag         string
	LastModified string
	RobotsTag    string // X-Robots-Tag
	RetryAfter   time.Duration
	Redirects    []string // addresses passed through
}

// Conditions are what is known of a page from the last visit.
type Conditions struct{ ETag, LastModified string }

// Get fetches one address, following redirects as long as may allows the next one. A status of 400 or more is not an
// error: see Page.Status.
func (f *Fetcher) Get(ctx context.Context, address string, limit int64, may func(address string) error) (*Page, error) {
	return f.GetIf(ctx, address, limit, Conditions{}, may)
}

// GetIf is Get, but for a page that has not changed since the last visit: then the status is 304 and there is no body (RFC
// 9110, section 13.1; an entity tag is preferred to a date, section 13.2.2).
func (f *Fetcher) GetIf(ctx context.Context, address string, limit int64, c Conditions, may func(address string) error) (*Page, error) {
	p := &Page{Address: address}
	for range MaxRedirects + 1 {
		if may != nil {
			if err := may(p.Address); err != nil {
				return p, err
			}
		}
		req, err := http.NewRequestWithContext(ctx, http.MethodGet, p.Address, nil)
		if err != nil {
			return p, fmt.Errorf("fetch %s: %w", p.Address, err)
		}
		req.Header.Set("User-Agent", UserAgent)
		req.Header.Set("Accept", "text/html,application/xhtml+xml,text/plain;q=0.9,*/*;q=0.5")
		if p.Address == address {
			switch {
			case c.ETag != "":
				req.Header.Set("If-None-Match", c.ETag)
			case c.LastModified != "":
				req.Header.Set("If-Modified-Since", c.LastModified)
			}
		}
		resp, err := f.client.Do(req)
		if err != nil {
			return p, fmt.Errorf("fetch %s: %w", p.Address, plainError(err))
		}
		if loc := resp.Header.Get("Location"); loc != "" && resp.StatusCode >= 300 && resp.StatusCode < 400 {
			resp.Body.Close()
			next, err := resp.Request.URL.Parse(loc)
			if err != nil {
				return p, fmt.Errorf("fetch %s: it redirects to %q: %w", p.Address, loc, err)
			}
			p.Redirects = append(p.Redirects, p.Address)
			if p.Address, err = Normalise(next.String()); err != nil {
				return p, err
			}
			continue
		}
		return p, f.read(p, resp, limit)
	}
	return p, fmt.Errorf("fetch %s: %w", address, ErrLoop)
}

func (f *Fetcher) read(p *Page, resp *http.Response, limit int64) error {
	defer resp.Body.Close()
	p.Status, p.MediaType = resp.StatusCode, resp.Header.Get("Content-Type")
	p.ETag, p.LastModified = resp.Header.Get("ETag"), resp.Header.Get("Last-Modified")
	p.RobotsTag = strings.ToLower(strings.Join(resp.Header.Values("X-Robots-Tag"), ","))
	if s := resp.Header.Get("Retry-After"); s != "" {
		if sec, err := strconv.Atoi(s); err == nil {
			p.RetryAfter = time.Duration(sec) * time.Second
		} else if at, err := http.ParseTime(s); err == nil {
			p.RetryAfter = time.Until(at)
		}
	}
	body, err := io.ReadAll(io.LimitReader(resp.Body, limit+1))
	if err != nil {
		return fmt.Errorf("read %s: %w", p.Address, plainError(err))
	}
	if int64(len(body)) > limit {
		return fmt.Errorf("%s: %w: more than %d bytes", p.Address, ErrTooLarge, limit)
	}
	p.Body = body
	return nil
}

// plainError takes the address out of the client's error: it is said already.
func plainError(err error) error {
	var u *url.Error
	if errors.As(err, &u) {
		if u.Timeout() {
			return fmt.Errorf("time-out: no answer within %s", Timeout)
		}
		return u.Err
	}
	return err
}

// Robots gives the rules of an address's host, fetched once: none for a 4xx, all forbidden for a 5xx or no answer (RFC
// 9309, section 2.3.1).
func (f *Fetcher) Robots(ctx context.Context, address string) (*Robots, error) {
	u, err := url.Parse(address)
	if err != nil {
		return nil, fmt.Errorf("address %q: %w", address, err)
	}
	origin := u.Scheme + "://" + u.Host
	f.mu.Lock()
	e, ok := f.robots[origin]
	if !ok {
		e = &robotsEntry{}
		f.robots[origin] = e
	}
	f.mu.Unlock()
	e.once.Do(func() {
		p, err := f.Get(ctx, origin+"/robots.txt", maxRobots, nil)
		switch {
		case errors.Is(err, ErrTooLarge):
			e.rules = ParseRobots(string(p.Body), Product)
		case err != nil || p.Status >= 500:
			e.rules = DenyAll()
		case p.Status >= 400:
			e.rules = &Robots{}
		default:
			e.rules = ParseRobots(string(p.Body), Product)
		}
	})
	if ctx.Err() != nil {
		return nil, ctx.Err()
	}
	return e.rules, nil
}

// Polite spaces the requests to each host.
type Polite struct {
	mu   sync.Mutex
	next map[string]time.Time
}

// Wait blocks until the host of address may be asked again, every delay at most.
func (p *Polite) Wait(ctx context.Context, address string, delay time.Duration) error {
	if delay <= 0 {
		return ctx.Err()
	}
	u, err := url.Parse(address)
	if err != nil {
		return err
	}
	p.mu.Lock()
	if p.next == nil {
		p.next = map[string]time.Time{}
	}
	now := time.Now()
	at := p.next[u.Host]
	if at.Before(now) {
		at = now
	}
	p.next[u.Host] = at.Add(delay)
	p.mu.Unlock()
	t := time.NewTimer(time.Until(at))
	defer t.Stop()
	select {
	case <-t.C:
		return nil
	case <-ctx.Done():
		return ctx.Err()
	}
}

// Loopback reports whether an address names this machine by number or as localhost.
func Loopback(address string) bool {
	u, err := url.Parse(address)
	if err != nil {
		return false
	}
	if u.Hostname() == "localhost" {
		return true
	}
	a, err := netip.ParseAddr(u.Hostname())
	return err == nil && a.IsLoopback()
}
