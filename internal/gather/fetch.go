package gather

import (
	"bufio"
	"bytes"
	"compress/flate"
	"compress/gzip"
	"compress/zlib"
	"context"
	"errors"
	"fmt"
	"io"
	"net"
	"net/http"
	"net/http/cookiejar"
	"net/netip"
	"net/url"
	"strconv"
	"strings"
	"sync"
	"syscall"
	"time"

	"github.com/andybalholm/brotli"
	"golang.org/x/net/publicsuffix"
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
	ErrOwn      = errors.New("an address of this program itself")
	ErrTooLarge = errors.New("too large")
	ErrLoop     = errors.New("too many redirects")
)

// Fetcher fetches over HTTP, within its reach.
type Fetcher struct {
	client *http.Client
	mu     sync.Mutex
	robots map[string]*robotsEntry
}

type robotsEntry struct {
	once  sync.Once
	rules *Robots
}

// NewFetcher makes a fetcher for one visit. It keeps the cookies that pages set until then.
func NewFetcher(reach Reach) *Fetcher { return newFetcher(reach.dial) }

func newFetcher(dial func(ctx context.Context, network, address string) (net.Conn, error)) *Fetcher {
	jar, err := cookiejar.New(&cookiejar.Options{PublicSuffixList: publicsuffix.List})
	if err != nil {
		panic(err) // it has no other way to fail than unknown options
	}
	return &Fetcher{
		robots: map[string]*robotsEntry{},
		client: &http.Client{
			Timeout: Timeout,
			Jar:     jar,
			Transport: &http.Transport{
				DialContext: dial, TLSHandshakeTimeout: 10 * time.Second, ResponseHeaderTimeout: 20 * time.Second, MaxIdleConnsPerHost: 8,
				IdleConnTimeout: 30 * time.Second, MaxResponseHeaderBytes: 256 << 10, Proxy: nil,
			},
			CheckRedirect: func(*http.Request, []*http.Request) error { return http.ErrUseLastResponse },
		},
	}
}

// Page is what came back.
type Page struct {
	Address      string // the last one, after redirects
	Status       int
	MediaType    string
	Body         []byte
	ETag         string
	LastModified string
	RobotsTag    string    // X-Robots-Tag
	Policies     []string  // Content-Security-Policy, each header by itself
	Until        time.Time // its unavailable_after; zero for none
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
		req.Header.Set("Accept-Encoding", "gzip, br, deflate")
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
	p.Policies = resp.Header.Values("Content-Security-Policy")
	p.RobotsTag = robotsTag(resp.Header.Values("X-Robots-Tag"))
	for _, v := range resp.Header.Values("X-Robots-Tag") {
		const name = "unavailable_after:"
		if at := strings.Index(strings.ToLower(v), name); at >= 0 {
			p.Until = Until(v[at+len(name):])
		}
	}
	if s := resp.Header.Get("Retry-After"); s != "" {
		if sec, err := strconv.Atoi(s); err == nil {
			p.RetryAfter = time.Duration(sec) * time.Second
		} else if at, err := http.ParseTime(s); err == nil {
			p.RetryAfter = time.Until(at)
		}
	}
	plain, err := decoded(resp)
	if err != nil {
		return fmt.Errorf("read %s: %w", p.Address, err)
	}
	body, err := io.ReadAll(io.LimitReader(plain, limit+1)) // the limit is on what comes out, however small it was on the way
	if err != nil {
		return fmt.Errorf("read %s: %w", p.Address, plainError(err))
	}
	if int64(len(body)) > limit {
		p.Body = body[:limit]
		return fmt.Errorf("%s: %w: more than %d bytes", p.Address, ErrTooLarge, limit)
	}
	p.Body = body
	return nil
}

// untilForms are the forms in which the moment of unavailable_after is written: RFC 822, RFC 850 and ISO 8601 are named for it.
var untilForms = []string{
	time.RFC3339, "2006-01-02", "2006-01-02T15:04:05Z0700", "2006-01-02 15:04:05 MST", "02 Jan 2006 15:04:05 MST", "2 Jan 2006 15:04:05 MST", time.RFC822,
	time.RFC1123, time.RFC850, "02-Jan-2006 15:04:05 MST", "Monday, 02-Jan-2006 15:04:05 MST",
}

// Until reads the moment of an unavailable_after; the zero time when it cannot be read. What follows a semicolon is of another directive.
func Until(s string) time.Time {
	s, _, _ = strings.Cut(strings.TrimSpace(s), ";")
	for _, form := range untilForms {
		if at, err := time.Parse(form, strings.TrimSpace(s)); err == nil {
			return at
		}
	}
	return time.Time{}
}

// robotsTag joins the directives of X-Robots-Tag headers that are for every crawler or for ours; those that name another
// one, as in "otherbot: noindex", are none of our business.
func robotsTag(values []string) string {
	var out []string
	for _, v := range values {
		v = strings.ToLower(strings.TrimSpace(v))
		if agent, rest, ok := strings.Cut(v, ":"); ok && !strings.ContainsAny(agent, ", ") && agent != "unavailable_after" && !strings.HasPrefix(agent, "max-") {
			if agent != strings.ToLower(Product) {
				continue
			}
			v = strings.TrimSpace(rest)
		}
		out = append(out, v)
	}
	return strings.Join(out, ",")
}

// decoded undoes the coding of a body that was sent (RFC 9110, section 8.4.1; RFC 7932 for br).
func decoded(resp *http.Response) (io.Reader, error) {
	switch c := strings.ToLower(strings.TrimSpace(resp.Header.Get("Content-Encoding"))); c {
	case "", "identity":
		return resp.Body, nil
	case "gzip", "x-gzip":
		head := bufio.NewReader(resp.Body)
		if _, err := head.Peek(1); err == io.EOF {
			return head, nil // no body at all, as for 304
		}
		return gzip.NewReader(head)
	case "br":
		return brotli.NewReader(resp.Body), nil
	case "deflate": // meant is zlib (RFC 1950); servers that send the bare stream (RFC 1951) are common
		head := bufio.NewReader(resp.Body)
		if b, err := head.Peek(2); err == io.EOF && len(b) == 0 {
			return head, nil
		} else if len(b) == 2 && b[0]&0x0f == 8 && (uint16(b[0])<<8|uint16(b[1]))%31 == 0 {
			return zlib.NewReader(head)
		}
		return flate.NewReader(head), nil
	default:
		return nil, fmt.Errorf("the server coded it as %q, which was not asked for", c)
	}
}

// plainError takes the address out of the client's error: it is said already.
func plainError(err error) error {
	var u *url.Error
	if errors.As(err, &u) {
		if u.Timeout() {
			return fmt.Errorf("time-out: no answer within %s", Timeout)
		}
		err = u.Err
	}
	var d *net.DNSError
	switch {
	case errors.Is(err, syscall.ECONNREFUSED):
		return errors.New("connection refused: nothing listens there")
	case errors.Is(err, syscall.ECONNRESET):
		return errors.New("the server broke the connection off")
	case errors.Is(err, syscall.EHOSTUNREACH), errors.Is(err, syscall.ENETUNREACH):
		return errors.New("there is no way to that host")
	case errors.As(err, &d) && d.IsNotFound:
		return errors.New("there is no host of that name")
	}
	var n net.Error
	if errors.As(err, &n) && n.Timeout() {
		return fmt.Errorf("time-out: it was not all there within %s", Timeout)
	}
	return err
}

// robotsTries are the waits before robots.txt is asked for again: one slip of a host must not stop a visit.
var robotsTries = []time.Duration{0, 200 * time.Millisecond, time.Second}

// Robots gives the rules of an address's host, fetched once: none for a 4xx, all forbidden and Unreachable told for a 5xx or no answer (RFC
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
	e.once.Do(func() { e.rules = f.readRobots(ctx, origin) })
	if ctx.Err() != nil {
		return nil, ctx.Err()
	}
	return e.rules, nil
}

func (f *Fetcher) readRobots(ctx context.Context, origin string) *Robots {
	why := ""
	for _, wait := range robotsTries {
		select {
		case <-time.After(wait):
		case <-ctx.Done():
			return unreachable(ctx.Err().Error())
		}
		p, err := f.Get(ctx, origin+"/robots.txt", maxRobots, nil)
		switch {
		case errors.Is(err, ErrTooLarge):
			return ParseRobots(string(p.Body[:bytes.LastIndexByte(p.Body, '\n')+1]), Product) // section 2.5: what is within the limit holds
		case err != nil:
			why = strings.TrimPrefix(strings.TrimPrefix(err.Error(), "fetch "+p.Address+": "), "read "+p.Address+": ")
			if errors.Is(err, ErrPrivate) {
				return unreachable(why)
			}
		case p.Status >= 500:
			why = strconv.Itoa(p.Status)
		case p.Status >= 400:
			return &Robots{}
		default:
			return ParseRobots(string(p.Body), Product)
		}
	}
	return unreachable(why)
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
