package work

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"net/url"
	"slices"
	"strings"

	"jolvex/core/extract"
	"jolvex/core/index"
	"jolvex/core/method"
	"jolvex/core/prove"
	"jolvex/internal/gather"
	"jolvex/internal/store"
)

// settledSource is the address of the source that settled answers are written into.
const settledSource = "settled"

// PutSettled writes a settled answer. One to the same question is replaced.
func (a *App) PutSettled(ctx context.Context, corpus string, s prove.Settling) error {
	p, err := pairOf(s)
	if err != nil {
		return err
	}
	c, err := a.store.Corpus(ctx, corpus)
	if err != nil {
		return err
	}
	src, err := a.store.AddSource(ctx, c.ID, store.KindPairs, settledSource, index.Public, store.SourceSettings{})
	if err != nil {
		return err
	}
	if src.Name == "" {
		src.Name, src.Marks = "Settled answers", Settled
		if err := a.store.SaveSource(ctx, src); err != nil {
			return err
		}
	}
	if err := a.putPair(ctx, src, p); err != nil {
		return err
	}
	if err := a.takeIn(ctx, c.ID); err != nil {
		return err
	}
	a.tell(ctx, event(c.ID, "source", map[string]string{"id": src.ID}))
	return a.checkSoon(ctx, c.ID)
}

func pairOf(s prove.Settling) (extract.Pair, error) {
	p := extract.Pair{Question: strings.TrimSpace(s.Question), Answer: strings.TrimSpace(s.Answer)}
	if p.Question == "" || p.Answer == "" || len(p.Question) > extract.MaxQuestion || len(p.Answer) > extract.MaxAnswer {
		return p, inputError("a settled answer has a question of at most %d bytes and an answer of at most %d", extract.MaxQuestion, extract.MaxAnswer)
	}
	return p, nil
}

// triedPrefix begins the ids of documents that the corpus does not have: what follows is their address.
const triedPrefix = "tried:"

// bring fetches and reads what an alteration adds to the corpus, and keeps it as versions that no document has. What is left out, or
// replaced by what is added, is named.
func (a *App) bring(ctx context.Context, c store.Corpus, ch prove.Alteration) (store.Tried, error) {
	var out store.Tried
	keep := func(b store.Brought, o store.Outcome) error {
		if o.Content == nil {
			return inputError("%s cannot be tried: %s", b.Address, o.Reason)
		}
		b.Version, b.MediaType = o.Hash, o.MediaType
		out.Brought = append(out.Brought, b)
		return a.store.KeepVersion(ctx, o.Hash, o.Content)
	}
	for _, s := range ch.Settled {
		p, err := pairOf(s)
		if err != nil {
			return out, err
		}
		d, err := extract.FromPair(p)
		b := store.Brought{Document: triedPrefix + p.Question, Address: p.Question, Kind: store.KindPairs, Marks: Settled}
		if err := keep(b, outcome(extract.Input{Address: p.Question, MediaType: pairType}, d, err)); err != nil {
			return out, err
		}
		older, err := a.settledOn(ctx, c, p.Question)
		if err != nil {
			return out, err
		}
		out.LeftOut = append(out.LeftOut, older...)
	}
	for _, at := range ch.Pages {
		at, err := addressOf(store.KindSite, at, &store.SourceSettings{AllowPrivate: true}) // the fetcher looks whether it may
		if err != nil {
			return out, err
		}
		o, err := a.fetchOnce(ctx, c, at)
		if err != nil {
			return out, err
		}
		if err := keep(store.Brought{Document: triedPrefix + at, Address: at, Kind: store.KindList}, o); err != nil {
			return out, err
		}
	}
	for _, id := range ch.TakeIn {
		b, o, err := a.takeOne(ctx, c, id)
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
		d, err := a.documentOf(ctx, c.ID, id)
		if err != nil {
			return out, err
		}
		out.LeftOut = append(out.LeftOut, d.ID)
	}
	return out, nil
}

// settledOn is the settled answer that the corpus has to a question already, as a list of one or none.
func (a *App) settledOn(ctx context.Context, c store.Corpus, question string) ([]string, error) {
	ss, err := a.store.Sources(ctx, c.ID)
	if err != nil {
		return nil, err
	}
	at := slices.IndexFunc(ss, func(s store.Source) bool { return s.Kind == store.KindPairs && s.Address == settledSource })
	if at < 0 {
		return nil, nil
	}
	d, err := a.store.DocumentAt(ctx, ss[at].ID, strings.ToLower(question))
	if errors.Is(err, ErrMissing) {
		return nil, nil
	}
	return []string{d.ID}, err
}

// takeOne is a document that no reply draws on, as it would be if it were taken in: in the version that it has, or else fetched now.
func (a *App) takeOne(ctx context.Context, c store.Corpus, id string) (store.Brought, store.Outcome, error) {
	d, err := a.documentOf(ctx, c.ID, id)
	if err != nil {
		return store.Brought{}, store.Outcome{}, err
	}
	b := store.Brought{Document: d.ID, Source: d.Source, Kind: d.SourceKind, Address: d.Address, Marks: d.Marks, MediaType: d.MediaType, Version: d.Version}
	if d.Audience != index.Public {
		return b, store.Outcome{}, inputError("%s is for %s only: that is not tried on everybody's questions", d.Address, d.Audience)
	}
	if d.Version != "" {
		return b, store.Outcome{}, nil
	}
	if !strings.HasPrefix(d.Address, "http://") && !strings.HasPrefix(d.Address, "https://") {
		return b, store.Outcome{}, inputError("%s has no text to try: hand it over again", d.Address)
	}
	o, err := a.fetchOnce(ctx, c, d.Address)
	return b, o, err
}

// mayBePrivate reports whether a source of the corpus may reach private addresses on the host of an address.
func (a *App) mayBePrivate(ctx context.Context, c store.Corpus, address string) (bool, error) {
	u, err := url.Parse(address)
	if err != nil {
		return false, inputError("%v", err)
	}
	ss, err := a.store.Sources(ctx, c.ID)
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

// fetchOnce gets one page for a trial, as a visit would: robots.txt and what the page says of itself are obeyed.
func (a *App) fetchOnce(ctx context.Context, c store.Corpus, address string) (store.Outcome, error) {
	private, err := a.mayBePrivate(ctx, c, address)
	if err != nil {
		return store.Outcome{}, err
	}
	f := gather.NewFetcher(private)
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
		return store.Outcome{}, inputError("%s cannot be tried: %s", address, short(err, address))
	}
	if p.Status >= 400 {
		return store.Outcome{}, inputError("%s cannot be tried: %s", address, statusText(p.Status))
	}
	o, body := a.read(ctx, extract.Input{Address: p.Address, MediaType: p.MediaType, Body: p.Body})
	if body != nil && (body.NoIndex || strings.Contains(p.RobotsTag, "noindex") || strings.Contains(p.RobotsTag, "none")) {
		return store.Outcome{}, inputError("%s cannot be tried: %s", address, askedOut)
	}
	return o, nil
}

// with is a snapshot with what is tried brought in and taken out; nothing of it is kept.
func (a *App) with(ctx context.Context, snap *index.Snapshot, m method.Method, t store.Tried) (*index.Snapshot, error) {
	if len(t.Brought)+len(t.LeftOut) == 0 {
		return snap, nil
	}
	gone := map[string]bool{}
	docs := make([]store.Document, len(t.Brought))
	for i, b := range t.Brought {
		docs[i] = store.Document{ID: b.Document, Version: b.Version, Source: b.Source, SourceKind: b.Kind, Address: b.Address, Marks: b.Marks, MediaType: b.MediaType, Audience: index.Public}
		gone[b.Document] = true
	}
	for _, id := range t.LeftOut {
		gone[id] = true
	}
	raw, err := json.Marshal(t)
	if err != nil {
		return nil, err
	}
	out := &index.Snapshot{Name: index.Hash(append([]byte(snap.Name), raw...)), Embedder: snap.Embedder, Sentences: snap.Sentences}
	for _, p := range snap.Parts {
		p, _ = p.Without(gone)
		out.Parts = append(out.Parts, p)
	}
	cuts, err := a.prepare(ctx, docs, m)
	if err != nil {
		return nil, fmt.Errorf("cut what is tried: %w", err)
	}
	b, err := a.readerBy(snap.Embedder)
	if err != nil {
		return nil, err
	}
	parts, _, err := a.partsOf(ctx, cuts, b, func(int, int) {})
	if err != nil {
		return nil, err
	}
	out.Parts = append(out.Parts, parts...)
	if !snap.Sentences {
		return out, nil
	}
	for _, c := range cuts {
		if err := a.encodeSentences(ctx, c.entries); err != nil {
			return nil, err
		}
	}
	return out, nil
}

// applyMaterial does to the corpus what an alteration says of its material.
func (a *App) applyMaterial(ctx context.Context, c store.Corpus, ch prove.Alteration) (*Job, error) {
	for _, s := range ch.Settled {
		if err := a.PutSettled(ctx, c.ID, s); err != nil {
			return nil, err
		}
	}
	if len(ch.LeaveOut) > 0 {
		if err := a.LeaveOut(ctx, c.ID, ch.LeaveOut, true); err != nil {
			return nil, err
		}
	}
	if len(ch.TakeIn) > 0 {
		if err := a.LeaveOut(ctx, c.ID, ch.TakeIn, false); err != nil {
			return nil, err
		}
		if _, err := a.Retry(ctx, c.ID, ch.TakeIn); err != nil { // those that failed
			return nil, err
		}
	}
	var last *Job
	for _, at := range ch.Pages {
		private, err := a.mayBePrivate(ctx, c, at)
		if err != nil {
			return nil, err
		}
		_, j, err := a.AddSource(ctx, c.ID, NewSource{Kind: store.KindList, Settings: store.SourceSettings{Addresses: []string{at}, AllowPrivate: private}})
		if err != nil {
			return nil, err
		}
		last = &j
	}
	return last, nil
}

// settledVersion is what a settled answer would be as a document that is only tried: its id, and the hash of its text.
func (a *App) settledVersion(s prove.Settling) (document, version string, err error) {
	p, err := pairOf(s)
	if err != nil {
		return "", "", err
	}
	d, err := extract.FromPair(p)
	return triedPrefix + p.Question, outcome(extract.Input{Address: p.Question, MediaType: pairType}, d, err).Hash, nil
}
