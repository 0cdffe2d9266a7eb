package gather

import (
	"context"
	"errors"
	"fmt"
	"io"
	"net"
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"strconv"
	"sync"
	"sync/atomic"
	"syscall"
	"time"

	"github.com/chromedp/chromedp"
)

// ErrNoBrowser says that there is no Chromium on this machine, or none that may be started.
var ErrNoBrowser = errors.New("there is no Chromium on this machine")

// Limits of one rendered page.
const (
	renderPatience = 25 * time.Second       // for the page to load and to settle
	settled        = 600 * time.Millisecond // without change
	longestSettle  = 8 * time.Second
	maxRendered    = 64 << 20 // bytes that one visit's pages may load, times the number of pages
	nobody         = 65534
)

// Renderer opens pages in a local Chromium, one after another. Chromium reaches the network through a proxy of ours alone,
// which goes nowhere that a Fetcher would not go. It never runs as root.
type Renderer struct {
	proxy   *http.Server
	at      string
	dir     string
	ctx     context.Context
	end     []func()
	loaded  atomic.Int64
	allowed atomic.Int64
	mu      sync.Mutex
	// Sandboxed tells whether Chromium's own sandbox is in force. Without it Chromium runs as the user nobody.
	Sandboxed bool
}

// NewRenderer starts a Chromium. It fails with ErrNoBrowser, wrapped, when there is none, or when it could only be run with
// the rights of the user who runs this program and without its sandbox.
func NewRenderer(ctx context.Context, reach Reach) (*Renderer, error) {
	path := ""
	for _, name := range []string{"chromium", "chromium-browser", "google-chrome-stable", "google-chrome"} {
		if p, err := exec.LookPath(name); err == nil {
			path = p
			break
		}
	}
	if path == "" {
		return nil, ErrNoBrowser
	}
	r := &Renderer{Sandboxed: true}
	if err := r.serveProxy(reach); err != nil {
		return nil, err
	}
	err := r.launch(ctx, path)
	if err != nil && os.Geteuid() == 0 {
		r.Sandboxed = false
		err = r.launch(ctx, path)
	}
	if err != nil {
		r.Close()
		return nil, fmt.Errorf("%w that can be started safely: %w", ErrNoBrowser, err)
	}
	return r, nil
}

func (r *Renderer) launch(parent context.Context, path string) error {
	dir, err := os.MkdirTemp("", "jolvex-browser-")
	if err != nil {
		return fmt.Errorf("make a folder for the browser: %w", err)
	}
	r.dir = dir
	opts := []chromedp.ExecAllocatorOption{
		chromedp.ExecPath(path), chromedp.Headless, chromedp.NoFirstRun, chromedp.NoDefaultBrowserCheck, chromedp.DisableGPU, chromedp.WindowSize(1280, 1600), chromedp.UserDataDir(filepath.Join(dir, "profile")),
		chromedp.Flag("proxy-server", "http://"+r.at), chromedp.Flag("proxy-bypass-list", "<-loopback>"), chromedp.UserAgent(UserAgent + " Chromium"),
		chromedp.Flag("disable-features", "Translate,OptimizationHints,MediaRouter,DialMediaRouteProvider"), chromedp.Flag("password-store", "basic"),
		chromedp.Flag("force-webrtc-ip-handling-policy", "disable_non_proxied_udp"), chromedp.Flag("blink-settings", "imagesEnabled=false"), chromedp.Flag("host-resolver-rules", "MAP * ~NOTFOUND, EXCLUDE 127.0.0.1"),
	}
	for _, f := range []string{
		"disable-dev-shm-usage", "disable-background-networking", "disable-component-update", "disable-domain-reliability", "disable-client-side-phishing-detection", "disable-default-apps",
		"disable-extensions", "disable-sync", "disable-quic", "disable-breakpad", "metrics-recording-only", "no-pings", "mute-audio", "disable-notifications", "deny-permission-prompts",
	} {
		opts = append(opts, chromedp.Flag(f, true))
	}
	if !r.Sandboxed {
		opts = append(opts, chromedp.NoSandbox)
	}
	opts = append(opts, chromedp.ModifyCmdFunc(func(cmd *exec.Cmd) {
		cmd.Env = []string{"HOME=" + dir, "PATH=/usr/bin:/bin", "XDG_CONFIG_HOME=" + dir, "XDG_CACHE_HOME=" + dir, "XDG_RUNTIME_DIR=" + dir}
		if os.Geteuid() == 0 {
			if cmd.SysProcAttr == nil {
				cmd.SysProcAttr = &syscall.SysProcAttr{}
			}
			cmd.SysProcAttr.Credential = &syscall.Credential{Uid: nobody, Gid: nobody}
		}
	}))
	if os.Geteuid() == 0 {
		if err := os.Chown(dir, nobody, nobody); err != nil {
			return fmt.Errorf("give the browser its folder: %w", err)
		}
	}
	alloc, endAlloc := chromedp.NewExecAllocator(context.WithoutCancel(parent), opts...)
	ctx, end := chromedp.NewContext(alloc)
	stop := context.AfterFunc(parent, end)
	timer := time.AfterFunc(30*time.Second, endAlloc)
	err = chromedp.Do(ctx, chromedp.Navigate("about:blank"))
	timer.Stop()
	if err != nil {
		stop()
		end()
		endAlloc()
		return errors.Join(err, os.RemoveAll(dir))
	}
	r.ctx = ctx
	r.end = []func(){func() { stop() }, end, endAlloc}
	return nil
}

// Close ends Chromium and removes what it wrote.
func (r *Renderer) Close() {
	for _, f := range r.end {
		f()
	}
	r.end = nil
	if r.proxy != nil {
		_ = r.proxy.Close() // nobody uses it any more
	}
	for range 20 { // Chromium may still be writing as it ends
		if os.RemoveAll(r.dir) == nil {
			return
		}
		time.Sleep(50 * time.Millisecond)
	}
}

// inlined puts what stands in open shadow roots, which the markup of a page leaves out, among the children of their hosts.
const inlined = `(() => { const inline = (n, depth) => { if (depth > 200) return; for (const e of [...n.children]) { inline(e, depth + 1)
	if (e.shadowRoot) { inline(e.shadowRoot, depth + 1); for (const c of [...e.shadowRoot.childNodes].reverse()) if (c.nodeName !== 'SLOT') e.prepend(c.cloneNode(true)) } } }
	if (document.documentElement) inline(document.documentElement, 0); return location.href })()`

// Rendered is a page as its scripts left it.
type Rendered struct {
	HTML    []byte
	Address string // where it stood in the end: scripts may lead on
}

// Render opens an address and gives the page as it stands once its scripts have run and it has not changed for a while; 0 for the usual one.
func (r *Renderer) Render(ctx context.Context, address string, quiet time.Duration) (Rendered, error) {
	if quiet <= 0 {
		quiet = settled
	}
	var out Rendered
	r.mu.Lock()
	defer r.mu.Unlock()
	r.allowed.Add(maxRendered / 16)
	page, cancel := chromedp.NewContext(r.ctx)
	defer cancel()
	page, cancelPage := context.WithTimeout(page, renderPatience)
	defer cancelPage()
	stop := context.AfterFunc(ctx, cancelPage)
	defer stop()
	if err := chromedp.Do(page, chromedp.Navigate(address)); err != nil {
		return out, fmt.Errorf("open %s in the browser: %w", address, err)
	}
	const measure = `document.documentElement ? document.documentElement.innerHTML.length : 0`
	began, last, since := time.Now(), -1, time.Now()
	for time.Since(began) < longestSettle+quiet {
		n, err := chromedp.Run(page, chromedp.Evaluate[int](measure))
		if err != nil {
			return out, fmt.Errorf("read %s in the browser: %w", address, err)
		}
		if n != last {
			last, since = n, time.Now()
		} else if time.Since(since) > quiet {
			break
		}
		select {
		case <-time.After(100 * time.Millisecond):
		case <-page.Done():
			return out, fmt.Errorf("read %s in the browser: %w", address, page.Err())
		}
	}
	at, err := chromedp.Run(page, chromedp.Evaluate[string](inlined))
	if err != nil {
		return out, fmt.Errorf("read %s in the browser: %w", address, err)
	}
	s, err := chromedp.Run(page, chromedp.Evaluate[string](`document.documentElement.outerHTML.slice(0, `+strconv.Itoa(MaxBody)+`)`))
	if err != nil {
		return out, fmt.Errorf("read %s in the browser: %w", address, err)
	}
	return Rendered{[]byte(s), at}, nil
}

// serveProxy starts the proxy through which Chromium reaches the network.
func (r *Renderer) serveProxy(reach Reach) error {
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		return fmt.Errorf("start the browser's proxy: %w", err)
	}
	r.at = l.Addr().String()
	dial := reach.dial
	transport := &http.Transport{DialContext: dial, Proxy: nil, ResponseHeaderTimeout: 20 * time.Second, DisableCompression: true, MaxResponseHeaderBytes: 256 << 10}
	r.proxy = &http.Server{ReadHeaderTimeout: 10 * time.Second, Handler: http.HandlerFunc(func(w http.ResponseWriter, q *http.Request) {
		if r.loaded.Load() > r.allowed.Load() {
			http.Error(w, "the pages load more than they may", http.StatusForbidden)
			return
		}
		if q.Method == http.MethodConnect {
			r.tunnel(w, q, dial)
			return
		}
		if q.URL.Scheme != "http" || q.Method != http.MethodGet && q.Method != http.MethodHead && q.Method != http.MethodPost && q.Method != http.MethodOptions {
			http.Error(w, "not possible", http.StatusForbidden)
			return
		}
		out := q.Clone(q.Context())
		out.RequestURI = ""
		out.Header.Del("Proxy-Connection")
		resp, err := transport.RoundTrip(out)
		if err != nil {
			http.Error(w, plainError(err).Error(), http.StatusBadGateway)
			return
		}
		defer resp.Body.Close()
		for k, vs := range resp.Header {
			w.Header()[k] = vs
		}
		w.WriteHeader(resp.StatusCode)
		n, _ := io.Copy(w, io.LimitReader(resp.Body, MaxBody)) // a page that breaks off is the page's matter
		r.loaded.Add(n)
	})}
	go func() { _ = r.proxy.Serve(l) }() // ends with Close
	return nil
}

// tunnel connects Chromium with a host over TLS.
func (r *Renderer) tunnel(w http.ResponseWriter, q *http.Request, dial func(context.Context, string, string) (net.Conn, error)) {
	far, err := dial(q.Context(), "tcp", q.Host)
	if err != nil {
		http.Error(w, plainError(err).Error(), http.StatusBadGateway)
		return
	}
	defer far.Close()
	near, _, err := http.NewResponseController(w).Hijack()
	if err != nil {
		http.Error(w, err.Error(), http.StatusInternalServerError)
		return
	}
	defer near.Close()
	if _, err := io.WriteString(near, "HTTP/1.1 200 Connection established\r\n\r\n"); err != nil {
		return
	}
	deadline := time.Now().Add(2 * renderPatience)
	if near.SetDeadline(deadline) != nil || far.SetDeadline(deadline) != nil {
		return
	}
	go func() { _, _ = io.Copy(far, near) }() // ends when either side does
	n, _ := io.Copy(near, io.LimitReader(far, MaxBody))
	r.loaded.Add(n)
}
