// Package mending is the loop back from users: what they asked is read, what went wrong is gathered and settled, and what came of it is counted.
package mending

import (
	"context"
	"log/slog"
	"time"

	"jolvex/internal/asking"
	"jolvex/internal/connections"
	"jolvex/internal/event"
	"jolvex/internal/job"
	"jolvex/internal/mending/conversations"
	"jolvex/internal/mending/figures"
	"jolvex/internal/mending/notices"
	"jolvex/internal/mending/settled"
	"jolvex/internal/mending/snags"
	"jolvex/internal/store"
	"jolvex/internal/store/talk"
)

// Mender mends for all corpora.
type Mender struct {
	Conversations *conversations.Room
	Snags         *snags.Room
	Settled       *settled.Room
	Figures       *figures.Room
	Notices       *notices.Room

	store *store.Store
	talk  *talk.Talk
	jobs  *job.Queue
	log   *slog.Logger
	now   func() time.Time
}

// Needs are what a Mender works with.
type Needs struct {
	Store       *store.Store
	Talk        *talk.Talk
	Events      *event.Stream
	Jobs        *job.Queue
	Asking      *asking.Asker
	Connections *connections.Connections
	Material    settled.Material
	Expected    settled.Expected
	Prover      snags.Prover
	Log         *slog.Logger
	Now         func() time.Time
}

// New makes a Mender and registers its jobs.
func New(n Needs) *Mender {
	m := &Mender{store: n.Store, talk: n.Talk, jobs: n.Jobs, log: n.Log, now: n.Now}
	m.Conversations = conversations.New(n.Store, n.Talk, n.Events, n.Jobs, n.Asking, n.Now)
	m.Figures = figures.New(n.Store, n.Talk, n.Asking)
	m.Notices = notices.New(n.Store, n.Talk, n.Connections, m.Figures, n.Log, n.Now)
	m.Settled = settled.New(n.Store, n.Talk, n.Events, n.Asking, n.Material, n.Expected, n.Now)
	m.Snags = snags.New(snags.Needs{Store: n.Store, Talk: n.Talk, Events: n.Events, Jobs: n.Jobs, Asking: n.Asking, Settled: m.Settled, Prover: n.Prover, Log: n.Log, Now: n.Now})
	return m
}

// How often what went wrong is gathered by itself, and people are told of what is new.
const (
	gathered = 15 * time.Minute
	told     = 20 * time.Second
)

// Run has what went wrong gathered now and then, where something did, and people told, until ctx ends.
func (m *Mender) Run(ctx context.Context) {
	gather, tell := time.NewTicker(gathered), time.NewTicker(told)
	defer gather.Stop()
	defer tell.Stop()
	for {
		var err error
		select {
		case <-gather.C:
			err = m.gather(ctx)
		case <-tell.C:
			err = m.Notices.Look(ctx)
		case <-m.Notices.Woken():
			err = m.Notices.Send(ctx)
		case <-ctx.Done():
			return
		}
		if err != nil && ctx.Err() == nil {
			m.log.Error("what went wrong was not gathered, or not told", "error", err)
		}
	}
}

func (m *Mender) gather(ctx context.Context) error {
	cs, err := m.store.Corpora(ctx)
	if err != nil {
		return err
	}
	for _, c := range cs {
		if err := m.replay(ctx, c.ID); err != nil {
			return err
		}
		busy, err := m.wants(ctx, c.ID)
		if err != nil {
			return err
		}
		if !busy {
			continue
		}
		if _, err := m.jobs.Add(ctx, c.ID, job.Snags, ""); err != nil {
			return err
		}
	}
	return nil
}

// replay takes up what still waits for a reply of the draft and has no job: its import was cut off.
func (m *Mender) replay(ctx context.Context, corpus string) error {
	n, err := m.talk.CountDue(ctx, corpus)
	if err != nil || n == 0 {
		return err
	}
	js, err := m.jobs.Jobs(ctx, corpus)
	if err != nil {
		return err
	}
	for _, j := range js {
		if j.Kind == job.Replay && (j.State == store.Queued || j.State == store.Running || j.State == store.Paused || j.State == store.Cancelled) {
			return nil // under way, or given up by a person
		}
	}
	_, err = m.jobs.Add(ctx, corpus, job.Replay, "")
	return err
}

// wants reports whether there is something to gather, to look at again, or to expire.
func (m *Mender) wants(ctx context.Context, corpus string) (bool, error) {
	loose, err := m.talk.Loose(ctx, corpus, 1)
	if err != nil || len(loose) > 0 {
		return len(loose) > 0, err
	}
	n, err := m.talk.CountSnags(ctx, corpus)
	if err != nil || n[talk.Waiting] > 0 {
		return n[talk.Waiting] > 0, err
	}
	ss, err := m.talk.SettledAnswers(ctx, corpus)
	return len(ss) > 0, err
}
