package gathering

import (
	"context"
	"errors"
	"fmt"
	"maps"
	"net/url"
	"slices"
	"strings"
	"sync"
	"sync/atomic"
	"time"

	"jolvex/internal/event"
	"jolvex/internal/gather"
	"jolvex/internal/indexing"
	"jolvex/internal/job"
	"jolvex/internal/store"
)

// defaultDelay is the politeness towards hosts that are not this machine.
const defaultDelay = time.Second

// crawl is one running visit of a web source.
type crawl struct {
	ga      *Gatherer
	src     store.Source
	set     store.SourceSettings
	scope   atomic.Pointer[gather.Scope]
	follow  bool // links lead on
	fetcher *gather.Fetcher
	polite  gather.Polite
	traps   *gather.Traps
	delay   time.Duration
	pages   int
	job     *job.Progress
	feeds   sync.Map // address -> true: read in this visit
	browser browsing
	fetched atomic.Int64
	silence silence
	listed  map[string]bool // addresses that belong to an address list

	mu      sync.Mutex
	failed  map[string]int      // pages of this visit that failed, by reason
	events  []indexing.Document // told with the next flush
	behind  int                 // fetched and taken, but not indexed
	notices map[string]bool
}

// gather fetches everything that waits in a source, and what is found on the way. The frontier is in the database, so
// that a killed job goes on where it stopped: a page is finished in one transaction or still waits. What would change documents that are
// in is held until all has been seen, and then settled.
func (ga *Gatherer) gather(ctx context.Context, j store.Job, p *job.Progress) error {
	src, err := ga.store.Source(ctx, j.Target)
	if err != nil {
		return err
	}
	if n, err := ga.settleDecided(ctx, src); err != nil {
		return err
	} else if n > 0 {
		p.Set(ctx, n, n, "making the changes that were let through")
		if due, _, err := ga.store.Due(ctx, src.ID); err != nil || due == 0 {
			return errors.Join(err, ga.finished(ctx, src))
		}
	}
	if src.Kind == store.KindFolder {
		return ga.gatherFolder(ctx, src, p)
	}
	k, err := ga.newCrawl(src, p)
	if err != nil {
		return err
	}
	defer k.browser.close()
	workers, err := k.begin(ctx)
	if err != nil {
		if ctx.Err() == nil {
			return errors.Join(err, ga.store.Troubled(ctx, src.ID, err.Error()))
		}
		return err
	}
	indexing := make(chan error, 1)
	stop := make(chan struct{})
	go func() { indexing <- k.indexAlong(ctx, stop) }()
	err = k.fetchAll(ctx, workers)
	close(stop)
	err = errors.Join(err, <-indexing)
	k.flush(ctx)
	if job.WasCancelled(ctx) {
		return k.brokenOff(ctx)
	}
	if ctx.Err() != nil {
		return ctx.Err()
	}
	if err != nil {
		return err
	}
	if k.fetched.Load() > 0 { // a job that only takes in what was chosen has nothing to say
		if err := errors.Join(k.tellTrouble(ctx), ga.store.Visited(ctx, src.ID, k.said())); err != nil {
			return err
		}
	}
	if err := ga.settle(ctx, src); err != nil {
		return err
	}
	return ga.finished(ctx, src)
}

// finished brings what a visit changed into the index, and has the encoder and the checks look at it.
func (ga *Gatherer) finished(ctx context.Context, src store.Source) error {
	err := ga.takeIn(ctx, src.Corpus)
	event.Tell(ctx, ga.events, event.Source, src.Corpus, event.SourceBody{ID: src.ID})
	return errors.Join(err, ga.checkSoon(ctx, src.Corpus))
}

// partingTime is how long a visit that was cancelled may take to bring in what it had fetched.
const partingTime = 5 * time.Minute

// brokenOff ends a visit that was cancelled: what was fetched until then is taken in, and the source says so.
func (k *crawl) brokenOff(ctx context.Context) error {
	ctx, cancel := context.WithTimeout(context.WithoutCancel(ctx), partingTime)
	defer cancel()
	left, total, err := k.ga.store.Due(ctx, k.src.ID)
	if err != nil {
		return err
	}
	k.note(fmt.Sprintf("the visit was cancelled after %d of %d pages; what was fetched until then has been taken in", total-left, total))
	if err := errors.Join(k.ga.store.Visited(ctx, k.src.ID, k.said()), k.ga.settle(ctx, k.src)); err != nil {
		return err
	}
	return k.ga.finished(ctx, k.src)
}

// tellTrouble records what kept the visit from reaching the source. A job that tried a few pages again says nothing of the whole.
func (k *crawl) tellTrouble(ctx context.Context) error {
	counts, err := k.ga.store.CountStates(ctx, k.src.Corpus, k.src.ID)
	if err != nil {
		return err
	}
	all := 0
	for _, n := range counts {
		all += n
	}
	if inside := counts[store.Fetched] + counts[store.Indexed] + counts[store.Unchanged]; inside > 0 && 2*int(k.fetched.Load()) < all {
		return nil
	}
	return k.ga.store.Troubled(ctx, k.src.ID, k.trouble())
}

// trouble tells why most of the pages of a visit failed; "" when they did not.
func (k *crawl) trouble() string {
	k.mu.Lock()
	defer k.mu.Unlock()
	n, most := 0, ""
	for _, reason := range slices.Sorted(maps.Keys(k.failed)) {
		n += k.failed[reason]
		if k.failed[reason] > k.failed[most] {
			most = reason
		}
	}
	all := int(k.fetched.Load())
	switch {
	case n*2 <= all:
		return ""
	case n == 1 && all == 1:
		return "the page could not be fetched: " + most
	}
	return fmt.Sprintf("%d of %d pages could not be fetched: %s", n, all, most)
}

func (ga *Gatherer) newCrawl(src store.Source, p *job.Progress) (*crawl, error) {
	set, err := src.Settings()
	if err != nil {
		return nil, err
	}
	k := &crawl{
		ga: ga, src: src, set: set, fetcher: gather.NewFetcher(ga.reach(src.Address, set)), traps: gather.NewTraps(ga.now()), job: p, pages: set.PageCap,
		delay: time.Duration(set.Delay) * time.Millisecond, follow: src.Kind == store.KindSite, notices: map[string]bool{},
		failed: map[string]int{},
	}
	if k.pages == 0 {
		k.pages = max(defaultPages, len(set.Addresses))
	}
	scope := gather.Anywhere(set.Include, set.Exclude)
	if k.follow {
		scope, err = gather.NewScope(k.home(), set.Include, set.Exclude)
	}
	k.scope.Store(&scope)
	return k, err
}

// home is where the pages of a site begin: its start address, on the host that this one leads to.
func (k *crawl) home() string {
	if k.set.Home == "" {
		return k.src.Address
	}
	u, err := url.Parse(k.src.Address)
	if err != nil {
		return k.set.Home
	}
	return k.set.Home + u.EscapedPath()
}

// holds reports whether an address belongs to the source.
func (k *crawl) holds(address string) bool { return k.scope.Load().Holds(address) }

// adopt takes the host that the start address of a site leads to as the site's own, as from a bare domain to its www: at the first visit, and
// at later ones when it is the same. Another one later is not followed: it may be no longer theirs.
func (k *crawl) adopt(ctx context.Context, d store.Document, at string) (bool, error) {
	if !k.follow || d.Key != k.src.Address {
		return false, nil
	}
	u, err := url.Parse(at)
	if err != nil {
		return false, nil //nolint:nilerr // it is no address that could be followed
	}
	origin := u.Scheme + "://" + u.Host
	if k.set.Home != "" && k.set.Home != origin || k.set.Home == "" && k.src.VisitedAt != "" {
		return false, nil
	}
	first := k.set.Home == ""
	k.set.Home = origin
	scope, err := gather.NewScope(k.home(), k.set.Include, k.set.Exclude)
	if err != nil {
		return false, err
	}
	k.scope.Store(&scope)
	k.note(fmt.Sprintf("the start address leads to %s: the pages there are taken in", origin))
	if !first {
		return true, nil
	}
	if k.src.Raw, err = rawOf(k.set); err != nil {
		return false, err
	}
	if err := k.ga.store.SaveSource(ctx, k.src); err != nil {
		return false, err
	}
	robots, err := k.fetcher.Robots(ctx, at)
	if err != nil || robots.Unreachable != "" {
		return true, err
	}
	return true, k.siteMaps(ctx, robots)
}

// reach is where a source may be fetched from. Of private hosts, only those that its own addresses name, or its settings.
func (ga *Gatherer) reach(address string, set store.SourceSettings) gather.Reach {
	r := gather.Reach{Never: ga.own.has}
	for _, hp := range set.PrivateHosts {
		r.Private = append(r.Private, strings.ToLower(hp))
	}
	if set.AllowPrivate {
		for _, at := range append([]string{address, set.Home}, set.Addresses...) {
			if hp := gather.HostPort(at); hp != "" && !slices.Contains(r.Private, hp) {
				r.Private = append(r.Private, hp)
			}
		}
	}
	return r
}

// begin puts what the source starts from into the frontier and returns how many pages may be fetched at a time.
func (k *crawl) begin(ctx context.Context) (workers int, err error) {
	robots, err := k.fetcher.Robots(ctx, k.src.Address)
	if err != nil {
		return 0, err
	}
	workers = 1
	if gather.Loopback(k.src.Address) {
		workers = 6
	} else if k.delay == 0 {
		k.delay = defaultDelay
	}
	k.delay = max(k.delay, robots.Delay)
	if k.delay > 0 {
		workers = min(workers, 2)
	}
	if robots.Unreachable != "" && (k.src.Kind == store.KindSitemap || k.src.Kind == store.KindFeed) {
		return 0, unruled{hostOf(k.src.Address), robots.Unreachable}
	}
	switch k.src.Kind {
	case store.KindSite:
		if err := k.add(ctx, 0, []store.Address{{Key: k.src.Address, Address: k.src.Address}}); err != nil {
			return 0, err
		}
		if robots.Unreachable != "" { // each page says so
			return workers, nil
		}
		if k.set.Home != "" {
			if robots, err = k.fetcher.Robots(ctx, k.set.Home); err != nil || robots.Unreachable != "" {
				return workers, err
			}
		}
		return workers, k.siteMaps(ctx, robots)
	case store.KindSitemap:
		n, err := k.sitemaps(ctx, []string{k.src.Address})
		if err == nil && n == 0 {
			err = fmt.Errorf("%s names no page: it is no sitemap, or it cannot be read", k.src.Address)
		}
		return workers, err
	case store.KindFeed:
		n, err := k.feed(ctx, k.src.Address, 0)
		if err == nil && n == 0 {
			err = fmt.Errorf("%s names no page: it is no feed, or it cannot be read", k.src.Address)
		}
		return workers, err
	}
	var as []store.Address
	for _, at := range k.set.Addresses {
		as = append(as, store.Address{Key: at, Address: at})
	}
	if err := k.readList(ctx); err != nil {
		return 0, err
	}
	return workers, k.add(ctx, 0, as)
}

// readList notes what belongs to an address list: its addresses, and where those were found to lead.
func (k *crawl) readList(ctx context.Context) error {
	k.listed = map[string]bool{}
	for _, at := range k.set.Addresses {
		k.listed[at] = true
	}
	ds, err := k.ga.store.Pages(ctx, k.src.ID)
	if err != nil {
		return err
	}
	for _, d := range ds {
		if to, ok := strings.CutPrefix(d.Reason, "leads to "); ok && k.listed[d.Key] {
			k.listed[strings.TrimSuffix(to, ", which is here already")] = true
		}
	}
	return nil
}

// siteMaps reads the sitemaps of a site: those that robots.txt names, else /sitemap.xml.
func (k *crawl) siteMaps(ctx context.Context, robots *gather.Robots) error {
	u, err := url.Parse(k.home())
	if err != nil {
		return err
	}
	list := robots.Sitemaps
	if len(list) == 0 {
		list = []string{u.Scheme + "://" + u.Host + "/sitemap.xml"}
	}
	_, err = k.sitemaps(ctx, list)
	return err
}

// sitemaps puts the addresses of sitemaps into the frontier and returns how many they name.
func (k *crawl) sitemaps(ctx context.Context, list []string) (named int, err error) {
	u, err := url.Parse(k.home())
	if err != nil {
		return 0, err
	}
	seen := map[string]bool{}
	for n := 0; len(list) > 0 && n < 500; n++ {
		at := list[0]
		list = list[1:]
		abs, err := u.Parse(at)
		if err != nil || seen[abs.String()] {
			continue
		}
		seen[abs.String()] = true
		if err := k.polite.Wait(ctx, abs.String(), k.delay); err != nil {
			return named, err
		}
		page, err := k.fetcher.Get(ctx, abs.String(), gather.MaxSitemapBytes, nil)
		if ctx.Err() != nil {
			return named, ctx.Err()
		}
		if err != nil || page.Status >= 400 {
			continue // a site without a sitemap is in order; a sitemap source says so when nothing came of it
		}
		pages, more, err := gather.ParseSitemap(page.Body)
		if err != nil {
			k.note(fmt.Sprintf("the sitemap %s could not be read: %v", abs, err))
			continue
		}
		list = append(list, more...)
		var found []store.Address
		for _, e := range pages {
			if a, err := gather.Normalise(e.Address); err == nil && k.holds(a) {
				found = append(found, store.Address{Key: a, Address: a, FoundOn: abs.String(), LastMod: e.LastModified})
			}
		}
		named += len(pages)
		if err := k.add(ctx, 1, found); err != nil {
			return named, err
		}
	}
	return named, nil
}

// feed puts what a feed names into the frontier: captions of its clips, else its pages.
func (k *crawl) feed(ctx context.Context, address string, depth int) (named int, err error) {
	if _, again := k.feeds.LoadOrStore(address, true); again {
		return 0, nil
	}
	if err := k.polite.Wait(ctx, address, k.delay); err != nil {
		return 0, err
	}
	p, err := k.fetcher.Get(ctx, address, gather.MaxFeedBytes, nil)
	if ctx.Err() != nil {
		return 0, ctx.Err()
	}
	if err != nil || p.Status >= 400 {
		return 0, nil //nolint:nilerr // the caller tells when nothing came of it
	}
	entries, err := gather.ParseFeed(p.Body, p.Address)
	if err != nil {
		k.note(fmt.Sprintf("the feed %s could not be read: %v", address, err))
		return 0, nil
	}
	var found []store.Address
	for _, e := range entries {
		a := store.Address{FoundOn: address, Title: e.Title, LastMod: e.Changed, Address: e.Address}
		switch {
		case len(e.Captions) > 0:
			a.Address, a.Media = e.Captions[0], e.Media
		case e.Media != "" && k.src.Kind == store.KindFeed:
			a.Address, a.Media = e.Media, e.Media
		}
		at, err := gather.Normalise(a.Address)
		if err != nil || a.Media == "" && !k.holds(at) {
			continue
		}
		if a.Key, a.Address = at, at; a.Media == "" {
			a.Title = "" // a page has its own
		}
		found = append(found, a)
	}
	return len(found), k.add(ctx, depth, found)
}

// add puts addresses into the frontier, with the choice that the source's rule makes for what is new.
func (k *crawl) add(ctx context.Context, depth int, as []store.Address) error {
	_, err := k.ga.store.AddAddresses(ctx, k.src, depth, k.pages, k.chosen(as))
	return err
}

func (k *crawl) chosen(as []store.Address) []store.Address {
	for i := range as {
		as[i].Choice, as[i].Reason = k.choice()
	}
	return as
}

// choice is what becomes of a page that is new.
func (k *crawl) choice() (choice, reason string) {
	switch {
	case !k.set.Choose:
		return store.Taken, ""
	case !k.src.Chosen, k.set.NewPages == "", k.set.NewPages == "ask":
		return store.Undecided, ""
	case k.set.NewPages == "take":
		return store.Taken, ""
	}
	return store.Left, "new since the choice, and this source leaves such pages out"
}

// note keeps something that the visit has to say, once.
func (k *crawl) note(s string) {
	k.mu.Lock()
	defer k.mu.Unlock()
	if len(k.notices) < 50 {
		k.notices[s] = true
	}
}

// said is what the visit has to say, in order.
func (k *crawl) said() []string {
	out := k.traps.Notices()
	k.mu.Lock()
	defer k.mu.Unlock()
	return append(out, slices.Sorted(maps.Keys(k.notices))...)
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
			next, err := k.ga.store.Waiting(ctx, k.src.ID, 64+len(flying))
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
	due := len(k.events) >= 40 || time.Since(k.job.Last) > 300*time.Millisecond
	k.mu.Unlock()
	if !due {
		return
	}
	k.flush(ctx)
	left, total, err := k.ga.store.Due(ctx, k.src.ID)
	if err != nil {
		return // the next page reports again
	}
	k.job.Set(ctx, total-left, total, "fetching pages")
}

func (k *crawl) flush(ctx context.Context) {
	k.mu.Lock()
	es := k.events
	k.events = nil
	k.mu.Unlock()
	event.Tell(ctx, k.ga.events, indexing.DocumentEvent, k.src.Corpus, es...)
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
				k.job.Report(ctx, true)
			}
			for {
				n, err := k.ga.index.IndexFetched(ctx, k.src.Corpus)
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
