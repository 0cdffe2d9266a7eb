package gathering

import (
	"context"
	"errors"
	"net/url"
	"slices"
	"strings"

	"jolvex/core/diagnose"
	"jolvex/core/extract"
	"jolvex/core/index"
	"jolvex/internal/event"
	"jolvex/internal/fault"
	"jolvex/internal/gather"
	"jolvex/internal/indexing"
	"jolvex/internal/job"
	"jolvex/internal/store"
)

// PutSettled writes settled answers. One to the same question is replaced, and is taken in again when it was left out.
func (ga *Gatherer) PutSettled(ctx context.Context, corpus string, list ...diagnose.Settling) error {
	c, err := ga.store.Corpus(ctx, corpus)
	if err != nil {
		return err
	}
	src, err := ga.store.AddSource(ctx, c.ID, store.KindPairs, indexing.SettledSource, index.Public, store.SourceSettings{})
	if err == nil && src.Name == "" {
		src.Name, src.Marks = "Settled answers", indexing.Settled
		err = ga.store.SaveSource(ctx, src)
	}
	if err != nil {
		return err
	}
	for _, s := range list {
		p, err := pairOf(s)
		if err == nil {
			err = ga.putPair(ctx, src, p)
		}
		if err != nil {
			return err
		}
	}
	if err := ga.leaveSettled(ctx, c, list, false); err != nil {
		return err
	}
	event.Tell(ctx, ga.events, event.Source, c.ID, event.SourceBody{ID: src.ID})
	return errors.Join(ga.takeIn(ctx, c.ID), ga.checkSoon(ctx, c.ID))
}

// DropSettled leaves settled answers out, by their questions.
func (ga *Gatherer) DropSettled(ctx context.Context, corpus string, list ...diagnose.Settling) error {
	c, err := ga.store.Corpus(ctx, corpus)
	if err != nil {
		return err
	}
	return ga.leaveSettled(ctx, c, list, true)
}

func (ga *Gatherer) leaveSettled(ctx context.Context, c store.Corpus, list []diagnose.Settling, out bool) error {
	var ids []string
	for _, s := range list {
		some, err := ga.settledOn(ctx, c, strings.TrimSpace(s.Question))
		if err != nil {
			return err
		}
		ids = append(ids, some...)
	}
	if len(ids) == 0 {
		return nil
	}
	return ga.LeaveOut(ctx, c.ID, ids, out)
}

func pairOf(s diagnose.Settling) (extract.Pair, error) {
	p := extract.Pair{Question: strings.TrimSpace(s.Question), Answer: strings.TrimSpace(s.Answer)}
	if p.Question == "" || p.Answer == "" || len(p.Question) > extract.MaxQuestion || len(p.Answer) > extract.MaxAnswer {
		return p, fault.Input("a settled answer has a question of at most %d bytes and an answer of at most %d", extract.MaxQuestion, extract.MaxAnswer)
	}
	return p, nil
}

// Bring fetches and reads what an alteration adds to the corpus, and keeps it as versions that no document has. What is left out, or
// replaced by what is added, is named.
func (ga *Gatherer) Bring(ctx context.Context, c store.Corpus, ch diagnose.Alteration) (store.Tried, error) {
	var out store.Tried
	keep := func(b store.Brought, o store.Outcome) error {
		if o.Content == nil {
			return fault.Input("%s cannot be tried: %s", b.Address, o.Reason)
		}
		b.Version, b.MediaType = o.Hash, o.MediaType
		out.Brought = append(out.Brought, b)
		return ga.store.KeepVersion(ctx, o.Hash, o.Content)
	}
	for _, s := range ch.Settled {
		p, err := pairOf(s)
		if err != nil {
			return out, err
		}
		d, err := extract.FromPair(p)
		b := store.Brought{Document: indexing.TriedPrefix + p.Question, Address: p.Question, Kind: store.KindPairs, Marks: indexing.Settled}
		if err := keep(b, outcome(extract.Input{Address: p.Question, MediaType: pairType}, d, err)); err != nil {
			return out, err
		}
		older, err := ga.settledOn(ctx, c, p.Question)
		if err != nil {
			return out, err
		}
		out.LeftOut = append(out.LeftOut, older...)
	}
	for _, at := range ch.Pages {
		at, _, err := addressOf(store.KindSite, at, &store.SourceSettings{AllowPrivate: true}) // the fetcher looks whether it may
		if err != nil {
			return out, err
		}
		o, err := ga.fetchOnce(ctx, c, at)
		if err != nil {
			return out, err
		}
		if err := keep(store.Brought{Document: indexing.TriedPrefix + at, Address: at, Kind: store.KindList}, o); err != nil {
			return out, err
		}
	}
	for _, id := range ch.TakeIn {
		b, o, err := ga.takeOne(ctx, c, id)
		if err != nil {
			return out, err
		}
		if b.Version != "" {
			out.Brought = append(out.Brought, b)
		} else if err := keep(b, o); err != nil {
			return out, err
		}
	}
	for _, id := range ch.LeaveOut {
		d, err := ga.index.DocumentOf(ctx, c.ID, id)
		if err != nil {
			return out, err
		}
		out.LeftOut = append(out.LeftOut, d.ID)
	}
	return out, nil
}

// settledOn is the settled answer that the corpus has to a question already, as a list of one or none.
func (ga *Gatherer) settledOn(ctx context.Context, c store.Corpus, question string) ([]string, error) {
	ss, err := ga.store.Sources(ctx, c.ID)
	if err != nil {
		return nil, err
	}
	at := slices.IndexFunc(ss, func(s store.Source) bool { return s.Kind == store.KindPairs && s.Address == indexing.SettledSource })
	if at < 0 {
		return nil, nil
	}
	d, err := ga.store.DocumentAt(ctx, ss[at].ID, strings.ToLower(question))
	if errors.Is(err, fault.ErrMissing) {
		return nil, nil
	}
	return []string{d.ID}, err
}

// takeOne is a document that no reply draws on, as it would be if it were taken in: in the version that it has, or else fetched now.
func (ga *Gatherer) takeOne(ctx context.Context, c store.Corpus, id string) (store.Brought, store.Outcome, error) {
	d, err := ga.index.DocumentOf(ctx, c.ID, id)
	if err != nil {
		return store.Brought{}, store.Outcome{}, err
	}
	b := store.Brought{Document: d.ID, Source: d.Source, Kind: d.SourceKind, Address: d.Address, Marks: d.Marks, MediaType: d.MediaType, Version: d.Version}
	if d.Audience != index.Public {
		return b, store.Outcome{}, fault.Input("%s is for %s only: that is not tried on everybody's questions", d.Address, d.Audience)
	}
	if d.Version != "" {
		return b, store.Outcome{}, nil
	}
	if !strings.HasPrefix(d.Address, "http://") && !strings.HasPrefix(d.Address, "https://") {
		return b, store.Outcome{}, fault.Input("%s has no text to try: hand it over again", d.Address)
	}
	o, err := ga.fetchOnce(ctx, c, d.Address)
	return b, o, err
}

// mayBePrivate reports whether a source of the corpus may reach private addresses on the host of an address.
func (ga *Gatherer) mayBePrivate(ctx context.Context, c store.Corpus, address string) (bool, error) {
	u, err := url.Parse(address)
	if err != nil {
		return false, fault.Input("%v", err)
	}
	ss, err := ga.store.Sources(ctx, c.ID)
	if err != nil {
		return false, err
	}
	for _, s := range ss {
		set, err := s.Settings()
		if err != nil {
			return false, err
		}
		if at, err := url.Parse(s.Address); set.AllowPrivate && err == nil && at.Host == u.Host {
			return true, nil
		}
	}
	return false, nil
}

// Looker fetches one page of a site for a look at it, within what the sources of a corpus may reach. It is a person's look at their own page: robots.txt
// does not speak of it.
type Looker struct{ *Gatherer }

// Page implements serving.Pages.
func (l Looker) Page(ctx context.Context, c store.Corpus, address string) (*gather.Page, error) {
	private, err := l.mayBePrivate(ctx, c, address)
	if err != nil {
		return nil, err
	}
	return gather.NewFetcher(l.reach(address, store.SourceSettings{AllowPrivate: private})).Get(ctx, address, gather.MaxBody, nil)
}

// fetchOnce gets one page for a trial, as a visit would: robots.txt and what the page says of itself are obeyed.
func (ga *Gatherer) fetchOnce(ctx context.Context, c store.Corpus, address string) (store.Outcome, error) {
	private, err := ga.mayBePrivate(ctx, c, address)
	if err != nil {
		return store.Outcome{}, err
	}
	f := gather.NewFetcher(ga.reach(address, store.SourceSettings{AllowPrivate: private}))
	p, err := f.Get(ctx, address, gather.MaxBody, func(at string) error {
		r, err := f.Robots(ctx, at)
		if err != nil {
			return err
		}
		u, err := url.Parse(at)
		if err == nil && !r.Allows(u.RequestURI()) {
			err = errRobots
		}
		return err
	})
	if err != nil {
		return store.Outcome{}, fault.Input("%s cannot be tried: %s", address, short(err, address))
	}
	if p.Status >= 400 {
		return store.Outcome{}, fault.Input("%s cannot be tried: %s", address, statusText(p.Status))
	}
	o, body := ga.read(ctx, extract.Input{Address: p.Address, MediaType: p.MediaType, Body: p.Body})
	if body != nil && (body.NoIndex || strings.Contains(p.RobotsTag, "noindex") || strings.Contains(p.RobotsTag, "none")) {
		return store.Outcome{}, fault.Input("%s cannot be tried: %s", address, askedOut)
	}
	return o, nil
}

// ApplyMaterial does to the corpus what an alteration says of its material.
func (ga *Gatherer) ApplyMaterial(ctx context.Context, c store.Corpus, ch diagnose.Alteration) (*job.Job, error) {
	if len(ch.Settled) > 0 {
		if err := ga.PutSettled(ctx, c.ID, ch.Settled...); err != nil {
			return nil, err
		}
	}
	if len(ch.LeaveOut) > 0 {
		if err := ga.LeaveOut(ctx, c.ID, ch.LeaveOut, true); err != nil {
			return nil, err
		}
	}
	if len(ch.TakeIn) > 0 {
		if err := ga.LeaveOut(ctx, c.ID, ch.TakeIn, false); err != nil {
			return nil, err
		}
		if _, err := ga.Retry(ctx, c.ID, ch.TakeIn); err != nil { // those that failed
			return nil, err
		}
	}
	var last *job.Job
	for _, at := range ch.Pages {
		private, err := ga.mayBePrivate(ctx, c, at)
		if err != nil {
			return nil, err
		}
		_, j, err := ga.AddSource(ctx, c.ID, NewSource{Kind: store.KindList, Settings: store.SourceSettings{Addresses: []string{at}, AllowPrivate: private}})
		if err != nil {
			return nil, err
		}
		last = &j
	}
	return last, nil
}

// SettledVersion is what a settled answer would be as a document that is only tried: its id, and the hash of its text.
func (ga *Gatherer) SettledVersion(s diagnose.Settling) (document, version string, err error) {
	p, err := pairOf(s)
	if err != nil {
		return "", "", err
	}
	d, err := extract.FromPair(p)
	return indexing.TriedPrefix + p.Question, outcome(extract.Input{Address: p.Question, MediaType: pairType}, d, err).Hash, nil
}
