package work

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"net/http"
	"net/url"
	"strings"
	"sync"
	"time"

	"jolvex/core/doc"
	"jolvex/core/extract"
	"jolvex/core/index"
	"jolvex/core/text"
	"jolvex/internal/gather"
	"jolvex/internal/store"
)

// defaultPages is how many pages a site may have when its source says nothing else.
const defaultPages = 5000

// defaultDelay is the politeness towards hosts that are not this machine.
const defaultDelay = time.Second

// Source is a source as callers see it.
type Source struct {
	ID        string               `json:"id"`
	Kind      string               `json:"kind" enum:"site,upload"`
	Address   string               `json:"address"`
	Audience  string               `json:"audience" enum:"public,staff"`
	Settings  store.SourceSettings `json:"settings"`
	States    map[string]int       `json:"states" doc:"Documents by state"`
	CreatedAt string               `json:"createdAt"`
}

func (a *App) sourceView(ctx context.Context, s store.Source) (Source, error) {
	set, err := s.Settings()
	if err != nil {
		return Source{}, err
	}
	states, err := a.store.CountStates(ctx, s.Corpus, s.ID)
	return Source{s.ID, s.Kind, s.Address, s.Audience, set, states, s.CreatedAt}, err
}

// Sources lists a corpus's sources.
func (a *App) Sources(ctx context.Context, corpus string) ([]Source, error) {
	c, err := a.store.Corpus(ctx, corpus)
	if err != nil {
		return nil, err
	}
	ss, err := a.store.Sources(ctx, c.ID)
	if err != nil {
		return nil, err
	}
	out := make([]Source, len(ss))
	for i, s := range ss {
		if out[i], err = a.sourceView(ctx, s); err != nil {
			return nil, err
		}
	}
	return out, nil
}

// AddSite adds a site by its start address and queues its gathering. A site that is there already is visited again: what
// failed is tried anew, what changed is taken in, what is gone leaves the index.
func (a *App) AddSite(ctx context.Context, corpus, address string, set store.SourceSettings) (Source, Job, error) {
	c, err := a.store.Corpus(ctx, corpus)
	if err != nil {
		return Source{}, Job{}, err
	}
	if !strings.Contains(address, "://") {
		address = "https://" + address
	}
	start, err := gather.Normalise(address)
	if err != nil {
		return Source{}, Job{}, inputError("%v", err)
	}
	if gather.Loopback(start) && !set.AllowPrivate {
		return Source{}, Job{}, inputError("%s is a private address: allow private addresses for this source to gather it", start)
	}
	if set.PageCap < 0 || set.PageCap > 100_000 || set.Delay < 0 || set.Delay > 600_000 {
		return Source{}, Job{}, inputError("a page cap goes to 100,000, a delay to 600,000 milliseconds")
	}
	s, err := a.store.AddSource(ctx, c.ID, "site", start, index.Public, set)
	if err != nil {
		return Source{}, Job{}, err
	}
	if err := a.store.Revisit(ctx, s.ID); err != nil {
		return Source{}, Job{}, err
	}
	if _, err := a.store.AddAddresses(ctx, s, 0, 1, []store.Address{{Key: start, Address: start}}); err != nil {
		return Source{}, Job{}, err
	}
	j, err := a.queue(ctx, c.ID, JobGather, s.ID)
	if err != nil {
		return Source{}, Job{}, err
	}
	v, err := a.sourceView(ctx, s)
	return v, j, err
}

// Retry tries failed documents again, those given or all of the corpus.
func (a *App) Retry(ctx context.Context, corpus string, ids []string) (int, error) {
	c, err := a.store.Corpus(ctx, corpus)
	if err != nil {
		return 0, err
	}
	sources, n, err := a.store.Retry(ctx, c.ID, ids)
	if err != nil {
		return 0, err
	}
	for _, s := range sources {
		if _, err := a.queue(ctx, c.ID, JobGather, s); err != nil {
			return n, err
		}
	}
	return n, nil
}

// Upload takes one file into the corpus. A file of the same name replaces the one before and keeps its identity. The
// document is indexed when Upload returns.
func (a *App) Upload(ctx context.Context, corpus, name, mediaType string, body []byte) (Document, error) {
	c, err := a.store.Corpus(ctx, corpus)
	if err != nil {
		return Document{}, err
	}
	name = strings.TrimSpace(name)
	if name == "" || len(name) > 1000 {
		return Document{}, inputError("a file needs a name of at most 1,000 characters")
	}
	s, err := a.store.AddSource(ctx, c.ID, "upload", "files", index.Public, store.SourceSettings{})
	if err != nil {
		return Document{}, err
	}
	o := read(extract.Input{Address: name, MediaType: mediaType, Body: body})
	d, err := a.store.Upload(ctx, s, name, name, o)
	if err != nil {
		return Document{}, err
	}
	if d.State != store.Indexed { // what replaces a file and cannot be read takes the file out of the index
		if _, err := a.indexFetched(ctx, c.ID); err != nil {
			return Document{}, err
		}
		if err := a.catchUp(ctx, c.ID); err != nil {
			return Document{}, err
		}
		if d, err = a.store.Document(ctx, d.ID); err != nil {
			return Document{}, err
		}
	}
	v := documentView(d)
	a.tell(ctx, event(c.ID, "document", v))
	return v, nil
}

// read extracts a page or file into what is stored of it.
func read(in extract.Input) store.Outcome {
	o := store.Outcome{State: store.Fetched, MediaType: extract.Kind(in), Bytes: len(in.Body)}
	d, err := extract.Extract(in)
	if d != nil {
		o.Title = d.Title
	}
	switch {
	case errors.Is(err, extract.ErrNoText):
		o.State, o.Reason = store.Failed, "no text found"
		if len(d.Notes) > 0 {
			o.Reason += ": " + d.Notes[0]
		}
		return o
	case errors.Is(err, extract.ErrKind) && o.MediaType == "":
		o.State, o.Reason, o.MediaType = store.LeftOut, "this kind of file cannot be read yet ("+in.MediaType+")", in.MediaType
		if in.MediaType == "" {
			o.State, o.Reason = store.Failed, "this kind of file cannot be read yet"
		}
		return o
	case err != nil:
		o.State, o.Reason = store.Failed, strings.TrimPrefix(err.Error(), in.Address+": ")
		return o
	}
	o.Words = len(text.Words(d.Text))
	o.Content = d
	kept := *d
	kept.Links = nil // a changed link is no changed text
	raw, err := json.Marshal(kept)
	if err != nil {
		o.State, o.Reason, o.Content = store.Failed, "the document cannot be stored: "+err.Error(), nil
		return o
	}
	sum := sha256.Sum256(append([]byte(extract.Version), raw...))
	o.Hash = hex.EncodeToString(sum[:])
	return o
}

// crawl is one running gather job.
type crawl struct {
	app     *App
	src     store.Source
	set     store.SourceSettings
	scope   gather.Scope
	fetcher *gather.Fetcher
	polite  gather.Polite
	delay   time.Duration
	pages   int
	job     *progress

	mu     sync.Mutex
	events []store.Event
	behind int // fetched but not indexed
}

// gather fetches everything that waits in a source, and what is found on the way. The frontier is in the database, so
// that a killed job goes on where it stopped: a page is finished in one transaction or still waits.
func (a *App) gather(ctx context.Context, j store.Job, p *progress) error {
	src, err := a.store.Source(ctx, j.Target)
	if err != nil {
		return err
	}
	set, err := src.Settings()
	if err != nil {
		return err
	}
	k := &crawl{app: a, src: src, set: set, fetcher: gather.NewFetcher(set.AllowPrivate), job: p, pages: set.PageCap, delay: time.Duration(set.Delay) * time.Millisecond}
	if k.pages == 0 {
		k.pages = defaultPages
	}
	if k.scope, err = gather.NewScope(src.Address, set.Exclude); err != nil {
		return err
	}
	robots, err := k.fetcher.Robots(ctx, src.Address)
	if err != nil {
		return err
	}
	workers := 1
	if gather.Loopback(src.Address) {
		workers = 6
	} else if k.delay == 0 {
		k.delay = defaultDelay
	}
	k.delay = max(k.delay, robots.Delay)
	if k.delay > 0 {
		workers = min(workers, 2)
	}
	if err := k.sitemaps(ctx, robots); err != nil {
		return err
	}
	indexing := make(chan error, 1)
	stop := make(chan struct{})
	go func() { indexing <- k.indexAlong(ctx, stop) }()
	err = k.fetchAll(ctx, workers)
	close(stop)
	err = errors.Join(err, <-indexing)
	k.flush(ctx)
	if ctx.Err() != nil {
		return ctx.Err()
	}
	if err != nil {
		return err
	}
	return a.catchUp(ctx, src.Corpus)
}

// catchUp queues the encoder's pass over a corpus when it is behind.
func (a *App) catchUp(ctx context.Context, corpus string) error {
	c, err := a.store.Corpus(ctx, corpus)
	if err != nil {
		return err
	}
	s, err := a.shelf(ctx, c)
	if err != nil {
		return err
	}
	return a.encodeWhenBehind(ctx, c, s)
}

// sitemaps puts the addresses of the site's sitemaps into the frontier: those that robots.txt names, else /sitemap.xml.
func (k *crawl) sitemaps(ctx context.Context, robots *gather.Robots) error {
	u, err := url.Parse(k.src.Address)
	if err != nil {
		return err
	}
	list := robots.Sitemaps
	if len(list) == 0 {
		list = []string{u.Scheme + "://" + u.Host + "/sitemap.xml"}
	}
	seen := map[string]bool{}
	for n := 0; len(list) > 0 && n < 200; n++ {
		at := list[0]
		list = list[1:]
		abs, err := u.Parse(at)
		if err != nil || seen[abs.String()] {
			continue
		}
		seen[abs.String()] = true
		if err := k.polite.Wait(ctx, abs.String(), k.delay); err != nil {
			return err
		}
		page, err := k.fetcher.Get(ctx, abs.String(), gather.MaxSitemapBytes, nil)
		if ctx.Err() != nil {
			return ctx.Err()
		}
		if err != nil || page.Status >= 400 {
			continue // a site without a sitemap is in order
		}
		pages, more, err := gather.ParseSitemap(page.Body)
		if err != nil {
			k.app.log.Info("a sitemap could not be read", "address", abs.String(), "error", err)
			continue
		}
		list = append(list, more...)
		var found []store.Address
		for _, e := range pages {
			if a, err := gather.Normalise(e.Address); err == nil && k.scope.Holds(a) {
				found = append(found, store.Address{Key: a, Address: a, FoundOn: abs.String()})
			}
		}
		if _, err := k.app.store.AddAddresses(ctx, k.src, 1, k.pages, found); err != nil {
			return err
		}
	}
	return nil
}

// fetchAll works off the frontier until nothing waits and nothing is under way.
func (k *crawl) fetchAll(ctx context.Context, workers int) error {
	ctx, cancel := context.WithCancelCause(ctx)
	defer cancel(nil)
	work := make(chan store.Document)
	type done struct{ id string }
	finished := make(chan done)
	var wg sync.WaitGroup
	for range workers {
		wg.Add(1)
		go func() {
			defer wg.Done()
			for d := range work {
				if err := k.one(ctx, d); err != nil {
					cancel(err)
				}
				finished <- done{d.ID}
			}
		}()
	}
	flying := map[string]bool{}
	var queue []store.Document
	var fail error
	for {
		if len(queue) == 0 && fail == nil {
			next, err := k.app.store.Waiting(ctx, k.src.ID, 64+len(flying))
			if err != nil && ctx.Err() == nil {
				fail = err
			}
			for _, d := range next {
				if !flying[d.ID] {
					queue = append(queue, d)
				}
			}
		}
		if ctx.Err() != nil || fail != nil {
			queue = nil
		}
		if len(queue) == 0 && len(flying) == 0 {
			break
		}
		var out chan store.Document
		var head store.Document
		if len(queue) > 0 {
			out, head = work, queue[0]
		}
		select {
		case out <- head:
			flying[head.ID] = true
			queue = queue[1:]
		case f := <-finished:
			delete(flying, f.id)
			k.tell(ctx)
		}
	}
	close(work)
	wg.Wait()
	if fail != nil {
		return fail
	}
	if cause := context.Cause(ctx); cause != nil && !errors.Is(cause, context.Canceled) {
		return cause
	}
	return ctx.Err()
}

// tell reports progress and passes on the events that have gathered.
func (k *crawl) tell(ctx context.Context) {
	k.mu.Lock()
	due := len(k.events) >= 40 || time.Since(k.job.last) > 300*time.Millisecond
	k.mu.Unlock()
	if !due {
		return
	}
	k.flush(ctx)
	left, total, err := k.app.store.Due(ctx, k.src.ID)
	if err != nil {
		return // the next page reports again
	}
	k.job.set(ctx, total-left, total, "fetching pages")
}

func (k *crawl) flush(ctx context.Context) {
	k.mu.Lock()
	es := k.events
	k.events = nil
	k.mu.Unlock()
	k.app.tell(ctx, es...)
}

// attempts at one page within a job; between them the crawl waits a little longer each time.
const attempts = 3

var backoff = []time.Duration{200 * time.Millisecond, time.Second}

// one fetches a page and stores what came of it. An error is one of ours, not of the page.
func (k *crawl) one(ctx context.Context, d store.Document) error {
	var o store.Outcome
	for n := 1; ; n++ {
		var again bool
		var wait time.Duration
		o, again, wait = k.fetch(ctx, d)
		o.Attempts = d.Attempts + n
		if ctx.Err() != nil {
			return nil // stays waiting
		}
		if !again || n == attempts {
			break
		}
		pause := time.NewTimer(max(wait, backoff[n-1]))
		select {
		case <-pause.C:
		case <-ctx.Done():
			pause.Stop()
			return nil
		}
	}
	if d.Version != "" && o.State == store.Failed && o.Status != http.StatusNotFound && o.Status != http.StatusGone {
		// A page that could not be reached today is no page that is gone.
		o = store.Outcome{State: store.Unchanged, Reason: "not reached when last visited: " + o.Reason, Status: o.Status, Attempts: o.Attempts}
	}
	o.Cap = k.pages
	o, err := k.app.store.Finish(ctx, d, k.src, o)
	if err != nil {
		if ctx.Err() != nil {
			return nil
		}
		return err
	}
	if o.State == store.Unchanged {
		o.Title, o.Words, o.Hash = d.Title, d.Words, d.Version
		if d.State == store.Fetched {
			o.State = d.State // not indexed yet
		}
	}
	now := d
	now.State, now.Reason, now.Title, now.Status, now.Words, now.Version = o.State, o.Reason, o.Title, o.Status, o.Words, o.Hash
	if o.Address != "" {
		now.Address = o.Address
	}
	k.mu.Lock()
	k.events = append(k.events, event(d.Corpus, "document", documentView(now)))
	if o.State == store.Fetched {
		k.behind++
	}
	k.mu.Unlock()
	return nil
}

var errRobots = errors.New("blocked by robots.txt")

// fetch gets one page once. again tells that trying once more may help.
func (k *crawl) fetch(ctx context.Context, d store.Document) (o store.Outcome, again bool, wait time.Duration) {
	failed := func(reason string) store.Outcome { return store.Outcome{State: store.Failed, Reason: reason} }
	may := func(address string) error {
		r, err := k.fetcher.Robots(ctx, address)
		if err != nil {
			return err
		}
		u, err := url.Parse(address)
		if err != nil {
			return err
		}
		if !r.Allows(u.RequestURI()) {
			return errRobots
		}
		return k.polite.Wait(ctx, address, k.delay)
	}
	var known gather.Conditions
	if d.Version != "" {
		known = gather.Conditions{ETag: d.ETag, LastModified: d.LastModified}
	}
	p, err := k.fetcher.GetIf(ctx, d.Address, gather.MaxBody, known, may)
	switch {
	case errors.Is(err, errRobots):
		return store.Outcome{State: store.LeftOut, Reason: "blocked by robots.txt"}, false, 0
	case errors.Is(err, gather.ErrTooLarge), errors.Is(err, gather.ErrLoop), errors.Is(err, gather.ErrPrivate):
		return failed(short(err, d.Address)), false, 0
	case err != nil:
		return failed(short(err, d.Address)), true, 0
	}
	if p.Address != d.Key {
		if !k.scope.Holds(p.Address) {
			return store.Outcome{State: store.LeftOut, Reason: "leads away from the site, to " + p.Address, Status: p.Status}, false, 0
		}
	}
	if p.Status == http.StatusNotModified {
		return store.Outcome{State: store.Unchanged, Status: p.Status}, false, 0
	}
	if p.Status >= 400 {
		o := failed(statusText(p.Status))
		o.Status = p.Status
		temporary := p.Status >= 500 || p.Status == 429 || p.Status == 408
		return o, temporary, min(p.RetryAfter, 20*time.Second)
	}
	o = read(extract.Input{Address: p.Address, MediaType: p.MediaType, Body: p.Body})
	o.Status, o.ETag, o.LastModified = p.Status, p.ETag, p.LastModified
	if p.Address != d.Key {
		o.Key, o.Address = p.Address, p.Address
	}
	if o.Content != nil {
		k.judge(&o, p)
	}
	if o.State == store.Fetched && o.Hash == d.Version && (d.State == store.Indexed || d.State == store.Unchanged) {
		o.State, o.Content = store.Unchanged, nil
	}
	return o, false, 0
}

// judge applies what the page says of itself: links to follow, not to be indexed, canonical elsewhere.
func (k *crawl) judge(o *store.Outcome, p *gather.Page) {
	c := o.Content
	none := strings.Contains(p.RobotsTag, "none")
	if !c.NoFollow && !none && !strings.Contains(p.RobotsTag, "nofollow") {
		o.Found = k.found(c, p.Address)
	}
	c.Links = nil
	if c.NoIndex || none || strings.Contains(p.RobotsTag, "noindex") {
		o.State, o.Reason, o.Content, o.Hash = store.LeftOut, "the page asks not to be indexed", nil, ""
		return
	}
	if c.Canonical == "" {
		return
	}
	if at, err := gather.Normalise(c.Canonical); err == nil && at != p.Address && k.scope.Holds(at) {
		o.State, o.Reason, o.Content, o.Hash = store.LeftOut, "says that its canonical address is "+at, nil, ""
		o.Found = append(o.Found, store.Address{Key: at, Address: at, FoundOn: p.Address})
	}
}

func (k *crawl) found(c *doc.Document, on string) []store.Address {
	var out []store.Address
	seen := map[string]bool{}
	for _, l := range c.Links {
		if l.NoFollow {
			continue
		}
		if a, err := gather.Normalise(l.Address); err == nil && !seen[a] && k.scope.Holds(a) {
			seen[a] = true
			out = append(out, store.Address{Key: a, Address: a, FoundOn: on})
		}
	}
	return out
}

func short(err error, address string) string {
	return strings.TrimPrefix(strings.TrimPrefix(err.Error(), "fetch "+address+": "), "read "+address+": ")
}

func statusText(status int) string {
	words := map[int]string{401: "needs a log-in", 403: "access refused", 404: "not found", 408: "time-out", 410: "gone for good", 429: "the server asked for fewer requests", 500: "the server failed", 502: "the server failed", 503: "the server is not available", 504: "time-out behind the server"}
	if w, ok := words[status]; ok {
		return fmt.Sprintf("%d: %s", status, w)
	}
	return fmt.Sprintf("%d: the server refused", status)
}

// indexAlong indexes what has come in while the rest is still coming, and what is left once stop is closed.
func (k *crawl) indexAlong(ctx context.Context, stop <-chan struct{}) error {
	tick := time.NewTicker(1500 * time.Millisecond)
	defer tick.Stop()
	for last := false; ; {
		select {
		case <-tick.C:
		case <-stop:
			last = true
		case <-ctx.Done():
			return nil
		}
		k.mu.Lock()
		behind := k.behind
		k.behind = 0
		k.mu.Unlock()
		if behind > 0 || last {
			if last {
				k.job.report(ctx, true)
			}
			for {
				n, err := k.app.indexFetched(ctx, k.src.Corpus)
				if err != nil {
					return fmt.Errorf("index what was fetched: %w", err)
				}
				if n == 0 {
					break
				}
			}
		}
		if last {
			return nil
		}
	}
}
