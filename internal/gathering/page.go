package gathering

import (
	"context"
	"errors"
	"fmt"
	"net/http"
	"net/url"
	"strings"
	"time"

	"jolvex/core/doc"
	"jolvex/core/extract"
	"jolvex/internal/gather"
	"jolvex/internal/indexing"
	"jolvex/internal/store"
)

// notTried begins the reason of pages that a visit did not ask for, because those before had no answer.
const notTried = "not tried, for other pages had no answer: "

// attempts at one page within a job; between them the crawl waits a little longer each time.
const attempts = 3

var backoff = []time.Duration{200 * time.Millisecond, time.Second}

// one fetches a page and stores what came of it. An error is one of ours, not of the page.
func (k *crawl) one(ctx context.Context, d store.Document) error {
	var o store.Outcome
	for n := 1; ; n++ {
		var again bool
		var wait time.Duration
		if why := k.silence.down(d.Address); why != "" {
			o, again = failed(notTried+why), false
		} else {
			o, again, wait = k.fetch(ctx, d)
			again = k.listenFor(ctx, d.Address, o) && again
		}
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
	if o.State == store.Failed {
		k.mu.Lock()
		k.failed[strings.TrimPrefix(o.Reason, notTried)]++
		k.mu.Unlock()
	}
	reached := true
	if d.Version != "" && o.State == store.Failed && o.Status != http.StatusNotFound && o.Status != http.StatusGone {
		// A page that could not be reached today is no page that is gone.
		reached = false
		o = store.Outcome{State: store.Unchanged, Reason: "not reached when last visited: " + o.Reason, Status: o.Status, Attempts: o.Attempts}
	}
	k.fetched.Add(1)
	o.Cap, o.ReadBy = k.pages, extract.Version
	err := k.keep(ctx, d, &o, reached)
	if ctx.Err() != nil {
		return nil
	}
	return err
}

// keep stores what came of a page. What would change a document that is in waits until the visit has ended; see settle.
func (k *crawl) keep(ctx context.Context, d store.Document, o *store.Outcome, reached bool) error {
	if d.Stands() && o.State != store.Unchanged {
		return k.ga.store.Hold(ctx, d, k.src, *o)
	}
	var err error
	if *o, err = k.ga.store.Finish(ctx, d, k.src, *o); err != nil {
		return err
	}
	if d.Stands() && reached { // as it was: whatever was seen in its place before
		if err := k.ga.store.Drop(ctx, d.ID); err != nil {
			return err
		}
	}
	if o.State == store.Unchanged {
		o.Title, o.Words, o.Hash = d.Title, d.Words, d.Version
		if d.State == store.Fetched {
			o.State = d.State // not indexed yet
		}
		if d.State == store.LeftOut {
			o.State, o.Reason = d.State, d.Reason
		}
	}
	k.mu.Lock()
	k.events = append(k.events, indexing.DocumentView(after(d, *o)))
	if o.State == store.Fetched && d.Choice == store.Taken {
		k.behind++
	}
	k.mu.Unlock()
	return nil
}

var errRobots = errors.New("blocked by robots.txt")

// unruled is the refusal to fetch from a host whose robots.txt cannot be reached: nobody knows what it allows (RFC 9309, section 2.3.1.4).
type unruled struct{ host, why string }

func (u unruled) Error() string {
	return "robots.txt of " + u.host + " cannot be reached (" + u.why + ")"
}

func failed(reason string) store.Outcome { return store.Outcome{State: store.Failed, Reason: reason} }

func leftOut(reason string) store.Outcome { return store.Outcome{State: store.LeftOut, Reason: reason} }

// may asks whether an address may be fetched, and waits until it is its turn.
func (k *crawl) may(ctx context.Context, address string) error {
	r, err := k.fetcher.Robots(ctx, address)
	if err != nil {
		return err
	}
	u, err := url.Parse(address)
	if err != nil {
		return err
	}
	if r.Unreachable != "" {
		return unruled{u.Host, r.Unreachable}
	}
	if !r.Allows(u.RequestURI()) {
		return errRobots
	}
	return k.polite.Wait(ctx, address, k.delay)
}

// known is what a conditional request may go by. What was read by another version of the extraction is read anew, and so
// is a page that was left out for another one's sake when that one is gone.
func (k *crawl) known(ctx context.Context, d store.Document) (gather.Conditions, error) {
	if d.ReadBy != extract.Version || d.Version == "" && d.State != store.LeftOut {
		return gather.Conditions{}, nil
	}
	if twin, ok := strings.CutPrefix(d.Reason, indexing.SameText); ok && d.State == store.LeftOut {
		stands, err := k.ga.store.Stands(ctx, d.Corpus, twin)
		if err != nil || !stands {
			return gather.Conditions{}, err
		}
	}
	return gather.Conditions{ETag: d.ETag, LastModified: d.LastModified}, nil
}

// leads stops a redirect that needs no further step: to what is here already, or out of the source.
type leads struct {
	to     string
	inside bool
}

func (l leads) Error() string {
	if l.inside {
		return "leads to " + l.to + ", which is here already"
	}
	return "leads away from the source, to " + l.to
}

// step asks whether the next address of a request for d may be fetched.
func (k *crawl) step(ctx context.Context, d store.Document, at string) error {
	if at != d.Address {
		if d.Media == "" && !k.holds(at) {
			if ours, err := k.adopt(ctx, d, at); err != nil || !ours {
				return errors.Join(err, leads{at, false})
			}
		}
		other, err := k.ga.store.DocumentAt(ctx, k.src.ID, at)
		if err == nil && other.ID != d.ID && other.Reason != "leads to "+d.Address+", which is here already" {
			return leads{at, true}
		}
		if err != nil && !errors.Is(err, store.ErrMissing) {
			return err
		}
	}
	return k.may(ctx, at)
}

// askedOut is the reason of pages that ask not to be indexed.
const askedOut = "the page asks not to be indexed"

// outOfScope is the reason of pages that the settings of their source do not reach any more.
const outOfScope = "is not within what this source takes in"

// outside reports whether the settings of a source, which may have been changed, do not reach a page.
func (k *crawl) outside(d store.Document) bool {
	if d.Address == k.src.Address {
		return false
	}
	if k.src.Kind == store.KindList {
		return d.FoundOn == "" && d.Depth == 0 && !k.listed[d.Key] && !k.listed[d.Address]
	}
	// What a page names as its canonical address, or leads on to, stands one deeper than the page.
	return !k.holds(d.Address) || k.follow && k.set.Depth > 0 && d.Depth > k.set.Depth+1
}

// fetch gets one page once. again tells that trying once more may help.
func (k *crawl) fetch(ctx context.Context, d store.Document) (o store.Outcome, again bool, wait time.Duration) {
	if reason, ok := k.traps.Admit(d.Address); !ok && d.Version == "" {
		return leftOut(reason), false, 0
	}
	if d.Media == "" && k.outside(d) {
		return leftOut(outOfScope), false, 0
	}
	if d.Media != "" && d.Media == d.Address || gather.Media(d.Address) {
		return k.listen(ctx, d)
	}
	conditions, err := k.known(ctx, d)
	if err != nil {
		return failed(err.Error()), true, 0
	}
	p, err := k.fetcher.GetIf(ctx, d.Address, gather.MaxBody, conditions, func(at string) error { return k.step(ctx, d, at) })
	var on leads
	var without unruled
	switch {
	case errors.As(err, &on):
		return leftOut(on.Error()), false, 0
	case errors.Is(err, errRobots):
		return leftOut("blocked by robots.txt"), false, 0
	case errors.As(err, &without):
		return failed(without.Error()), false, 0
	case errors.Is(err, gather.ErrTooLarge), errors.Is(err, gather.ErrLoop), errors.Is(err, gather.ErrPrivate):
		return failed(short(err, d.Address)), false, 0
	case err != nil:
		return failed(short(err, d.Address)), true, 0
	}
	switch {
	case p.Status == http.StatusNotModified:
		k.polite.Fine(d.Address)
		return store.Outcome{State: store.Unchanged, Status: p.Status, Reason: keptReason(d)}, false, 0
	case p.Status == http.StatusTooManyRequests || p.Status == http.StatusServiceUnavailable:
		k.polite.Slow(d.Address, p.RetryAfter, p.Status == http.StatusTooManyRequests || p.RetryAfter > 0)
		o := failed(statusText(p.Status))
		o.Status = p.Status
		return o, true, min(p.RetryAfter, time.Minute)
	case p.Status >= 400:
		o := failed(statusText(p.Status))
		o.Status = p.Status
		return o, p.Status >= 500 || p.Status == http.StatusRequestTimeout, min(p.RetryAfter, 20*time.Second)
	}
	k.polite.Fine(d.Address)
	in := extract.Input{Address: p.Address, MediaType: p.MediaType, Body: p.Body, Closed: k.set.Closed}
	o, body := k.ga.read(ctx, in)
	o, body = k.render(ctx, in, o, body)
	o.Status, o.ETag, o.LastModified = p.Status, p.ETag, p.LastModified
	if p.Address != d.Key {
		o.Key, o.Address = p.Address, p.Address
	}
	if body != nil {
		k.traps.Read(d.Address, body.Text)
		if err := k.judge(ctx, d, &o, body, p); err != nil {
			return failed(err.Error()), true, 0
		}
	}
	if o.State == store.Fetched && o.Hash == d.Version && (d.State == store.Indexed || d.State == store.Unchanged) {
		o.State, o.Content = store.Unchanged, nil
	}
	return o, false, 0
}

// expired reports whether a page asked, by unavailable_after, not to be shown any more.
func (k *crawl) expired(p *gather.Page, body *doc.Document) bool {
	for _, at := range []time.Time{p.Until, gather.Until(body.Until)} {
		if !at.IsZero() && !k.ga.now().Before(at) {
			return true
		}
	}
	return false
}

// keptReason is what a page that has not changed goes on saying.
func keptReason(d store.Document) string {
	if d.State == store.LeftOut {
		return d.Reason
	}
	return ""
}

// judge applies what a page says of itself - links to follow, not to be indexed, canonical elsewhere - and what its source
// says of it.
func (k *crawl) judge(ctx context.Context, d store.Document, o *store.Outcome, body *doc.Document, p *gather.Page) error {
	none := strings.Contains(p.RobotsTag, "none")
	noFollow := body.NoFollow || none || strings.Contains(p.RobotsTag, "nofollow")
	if err := k.clips(ctx, d, o, body, p); err != nil {
		return err
	}
	if what := gather.StandsIn(body, o.Words); what != "" && o.Content != nil && d.Media == "" && extract.HTML(o.MediaType) {
		*o = store.Outcome{State: store.Failed, Reason: what, MediaType: o.MediaType, Status: o.Status, Bytes: o.Bytes, Words: o.Words, Title: o.Title}
		return nil
	}
	if k.follow && !noFollow && (k.set.Depth == 0 || d.Depth < k.set.Depth) {
		o.Found = append(o.Found, k.found(body, p.Address)...)
	}
	o.Found = k.chosen(o.Found)
	o.Clutter = gather.ClutterOf(p.Address, o.Words)
	leave := func(reason string) {
		o.State, o.Reason, o.Content, o.Hash = store.LeftOut, reason, nil, ""
	}
	if d.Media != "" && d.Title != "" && o.Content != nil { // captions seldom say what they are about
		o.Content.Title, o.Title = d.Title, d.Title
		if err := hashed(o); err != nil {
			return err
		}
		o.Clutter = ""
		return nil
	}
	to := target(body, doc.Refresh)
	at, err := gather.Normalise(to)
	switch {
	case body.NoIndex || none || strings.Contains(p.RobotsTag, "noindex"):
		leave(askedOut)
	case k.expired(p, body):
		leave("the page says that it is not to be had any more")
	case to != "" && err == nil && at != p.Address && o.Words < gather.NearEmpty:
		leave("leads on to " + at)
		if k.holds(at) {
			o.Found = append(o.Found, k.chosen([]store.Address{{Key: at, Address: at, FoundOn: p.Address}})...)
		}
	case body.Canonical != "" && o.Content != nil:
		if at, err := gather.Normalise(body.Canonical); err == nil && at != p.Address && k.holds(at) {
			leave("says that its canonical address is " + at)
			o.Found = append(o.Found, k.chosen([]store.Address{{Key: at, Address: at, FoundOn: p.Address}})...)
		}
	}
	if o.Content != nil && !k.scope.Load().Takes(p.Address) {
		leave("is not among the patterns to take in")
	}
	return nil
}

func target(d *doc.Document, r doc.Relation) string {
	for _, l := range d.Links {
		if l.Relation == r {
			return l.Address
		}
	}
	return ""
}

// clips takes up what the page plays - captions first, else the clip itself - and the feeds that it names.
func (k *crawl) clips(ctx context.Context, d store.Document, o *store.Outcome, body *doc.Document, p *gather.Page) error {
	for _, l := range body.Links {
		switch l.Relation {
		case doc.Captions, doc.Clip:
			at, err := gather.Normalise(l.Address)
			if err != nil {
				continue
			}
			title := l.Text
			if title == "" {
				title = body.Title
			}
			o.Found = append(o.Found, store.Address{Key: at, Address: at, FoundOn: p.Address, Media: l.Media, Title: title})
		case doc.Feed:
			u, err := url.Parse(l.Address)
			if at, errP := url.Parse(p.Address); !k.follow || err != nil || errP != nil || u.Host != at.Host {
				continue
			}
			if err := k.may(ctx, l.Address); err != nil {
				if errors.Is(err, errRobots) || errors.As(err, new(unruled)) {
					continue
				}
				return err
			}
			if _, err := k.feed(ctx, l.Address, d.Depth+1); err != nil {
				return err
			}
		}
	}
	return nil
}

// found are the pages that a page leads to.
func (k *crawl) found(body *doc.Document, on string) []store.Address {
	var out []store.Address
	seen := map[string]bool{}
	for _, l := range body.Links {
		if l.NoFollow || l.Relation != "" {
			continue
		}
		a, err := gather.Normalise(l.Address)
		if err != nil || seen[a] || !k.holds(a) {
			continue
		}
		seen[a] = true
		if _, ok := k.traps.Admit(a); ok {
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
