// Package job does long work durably: a job is a row with state, progress and attempts, taken under a lease, done in steps that can be
// repeated, resumed after a kill, and cancelled or paused at a safe point. What is done is registered by the rooms that do it.
package job

import (
	"context"
	"errors"
	"fmt"
	"log/slog"
	"runtime/debug"
	"sync"
	"time"

	"jolvex/internal/event"
	"jolvex/internal/fault"
	"jolvex/internal/store"
)

// Queue holds the jobs of all corpora and has them done, one at a time for each corpus.
type Queue struct {
	store  *store.Store
	events *event.Stream
	log    *slog.Logger
	kinds  map[string]Kind
	wake   chan struct{} // a job was queued

	mu      sync.Mutex
	cancels map[string]context.CancelCauseFunc
	reports map[string]*Progress // of running jobs
}

// NewQueue is the queue of a store. Kinds are registered before it runs.
func NewQueue(s *store.Store, events *event.Stream, log *slog.Logger) *Queue {
	return &Queue{
		store: s, events: events, log: log, kinds: map[string]Kind{}, wake: make(chan struct{}, 1),
		cancels: map[string]context.CancelCauseFunc{}, reports: map[string]*Progress{},
	}
}

// Event tells how a job is getting on.
var Event = event.Declare[Job]("job")

// The kinds of job.
const (
	Gather  = "gather"  // target: source
	TakeIn  = "index"   // target: none; what was handed over goes into the index
	Rebuild = "rebuild" // target: none
	Prove   = "run"     // target: run
	Encode  = "encode"  // target: none; goes beside the others
	Check   = "check"   // target: none
	Study   = "study"   // target: study
	Graph   = "graph"   // target: none; goes beside the others
	Collect = "collect" // target: none
	Chart   = "chart"   // target: question set
	Replay  = "replay"  // target: none; the draft answers what waits in the log
	Snags   = "snags"   // target: none; what went wrong is gathered and grouped
)

// Task does a job, from where an earlier attempt left it; it looks at ctx between its steps.
type Task func(ctx context.Context, j store.Job, p *Progress) error

// Kind is one kind of job: what does it, and whether people wait for it.
type Kind struct {
	do      Task
	awaited bool
}

// Register says what does a kind of job. Each room registers its own before jobs are taken.
func (q *Queue) Register(name string, awaited bool, do Task) {
	q.kinds[name] = Kind{do, awaited}
}

// Awaited reports whether a job is under way that people wait for.
func (q *Queue) Awaited() bool {
	q.mu.Lock()
	defer q.mu.Unlock()
	for _, p := range q.reports {
		if q.kinds[p.kind].awaited {
			return true
		}
	}
	return false
}

const lease = 30 * time.Second

var (
	errCancelled = errors.New("cancelled by the user")
	errPaused    = errors.New("paused by the user")
)

// WasCancelled reports whether a job's context ended because a person cancelled the job.
func WasCancelled(ctx context.Context) bool { return errors.Is(context.Cause(ctx), errCancelled) }

// Run takes queued jobs until the app closes: one at a time for each corpus.
func (q *Queue) Run(life context.Context) {
	var jobs sync.WaitGroup
	defer jobs.Wait()
	for {
		j, err := q.store.TakeJob(life, lease)
		if err == nil {
			ctx, cancel := context.WithCancelCause(life)
			q.mu.Lock()
			q.cancels[j.ID] = cancel
			q.mu.Unlock()
			jobs.Add(1)
			go func() {
				defer jobs.Done()
				q.runJob(life, ctx, j)
				cancel(nil)
				q.mu.Lock()
				delete(q.cancels, j.ID)
				q.mu.Unlock()
				q.nudge()
			}()
			continue
		}
		if !errors.Is(err, store.ErrMissing) && life.Err() == nil {
			q.log.Error("no job could be taken", "error", err)
		}
		select {
		case <-q.wake:
		case <-life.Done():
			return
		}
	}
}

func (q *Queue) nudge() {
	select {
	case q.wake <- struct{}{}:
	default:
	}
}

func (q *Queue) runJob(life, ctx context.Context, j store.Job) {
	p := &Progress{q: q, kind: j.Kind, job: j, began: time.Now()}
	q.mu.Lock()
	q.reports[j.ID] = p
	q.mu.Unlock()
	defer func() {
		q.mu.Lock()
		delete(q.reports, j.ID)
		q.mu.Unlock()
	}()
	p.Report(ctx, true)
	err := func() (err error) {
		defer func() {
			if r := recover(); r != nil {
				err = fmt.Errorf("the work broke off: %v", r)
				q.log.Error("a job panicked", "job", j.ID, "kind", j.Kind, "panic", r, "stack", string(debug.Stack()))
			}
		}()
		k, ok := q.kinds[j.Kind]
		if !ok {
			return fmt.Errorf("unknown kind of job %q", j.Kind)
		}
		return k.do(ctx, j, p)
	}()
	if life.Err() != nil {
		return // the app is closing: the job stays as it is and resumes at the next start
	}
	state, problem := store.Done, ""
	switch {
	case errors.Is(context.Cause(ctx), errCancelled):
		state = store.Cancelled
	case errors.Is(context.Cause(ctx), errPaused):
		state = store.Paused
	case err != nil:
		state, problem = store.Broken, err.Error()
		q.log.Warn("a job failed", "job", j.ID, "kind", j.Kind, "error", err)
	}
	p.Report(ctx, true)
	if err := q.store.EndJob(life, j.ID, state, problem); err != nil {
		q.log.Error("the end of a job was not recorded", "job", j.ID, "error", err)
		return
	}
	q.tellJob(life, j.ID)
}

func (q *Queue) tellJob(ctx context.Context, id string) {
	j, err := q.store.Job(ctx, id)
	if err != nil {
		q.log.Error("a job could not be read", "job", id, "error", err)
		return
	}
	event.Tell(ctx, q.events, Event, j.Corpus, View(j, 0, 0))
}

func (q *Queue) Add(ctx context.Context, corpus, kind, target string) (Job, error) {
	j, err := q.store.AddJob(ctx, corpus, kind, target)
	if err != nil {
		return Job{}, err
	}
	v := View(j, 0, 0)
	event.Tell(ctx, q.events, Event, corpus, v)
	q.nudge()
	return v, nil
}

// Cancel stops a job at its next safe point; what it has done stays.
func (q *Queue) Cancel(ctx context.Context, corpus, id string) error {
	return q.halt(ctx, corpus, id, errCancelled, store.Cancelled)
}

// Pause stops a job at its next safe point, to be resumed.
func (q *Queue) Pause(ctx context.Context, corpus, id string) error {
	return q.halt(ctx, corpus, id, errPaused, store.Paused)
}

// Resume puts a paused job back into the queue; it goes on where it stopped.
func (q *Queue) Resume(ctx context.Context, corpus, id string) error {
	j, err := q.Job(ctx, corpus, id)
	if err != nil {
		return err
	}
	if j.State != store.Paused {
		return fault.Input("the job is not paused")
	}
	if err := q.store.ResumeJob(ctx, id); err != nil {
		return err
	}
	q.tellJob(ctx, id)
	q.nudge()
	return nil
}

func (q *Queue) halt(ctx context.Context, corpus, id string, cause error, state string) error {
	j, err := q.store.Job(ctx, id)
	if err != nil {
		return err
	}
	c, err := q.store.Corpus(ctx, corpus)
	if err != nil {
		return err
	}
	if j.Corpus != c.ID {
		return fmt.Errorf("job %s: %w", id, fault.ErrMissing)
	}
	q.mu.Lock()
	cancel := q.cancels[id]
	q.mu.Unlock()
	switch {
	case cancel != nil && j.State == store.Running:
		cancel(cause)
		return nil
	case j.State == store.Queued, j.State == store.Paused && state == store.Cancelled:
		if err := q.store.EndJob(ctx, id, state, ""); err != nil {
			return err
		}
		q.tellJob(ctx, id)
		return nil
	}
	return fault.Input("the job has ended already")
}

// EndAll ends all jobs of a corpus, those under way too, and waits until they have stopped.
func (q *Queue) EndAll(ctx context.Context, corpus string) error {
	for {
		js, err := q.store.Jobs(ctx, corpus, mostOpen)
		if err != nil {
			return err
		}
		open := 0
		for _, j := range js {
			if j.State != store.Queued && j.State != store.Paused && j.State != store.Running {
				continue
			}
			open++
			if err := q.halt(ctx, corpus, j.ID, errCancelled, store.Cancelled); err != nil && !errors.Is(err, fault.ErrInput) { // it has ended meanwhile
				return err
			}
		}
		if open == 0 {
			return nil
		}
		select {
		case <-time.After(20 * time.Millisecond):
		case <-ctx.Done():
			return ctx.Err()
		}
	}
}

// mostOpen is how many of a corpus's latest jobs are looked at to find those that have not ended.
const mostOpen = 1000

// Job is a job as callers see it.
type Job struct {
	ID        string  `json:"id"`
	Kind      string  `json:"kind" enum:"gather,index,rebuild,run,encode,check,study,graph,collect,chart,replay,snags"`
	Target    string  `json:"target"`
	State     string  `json:"state" enum:"queued,running,paused,done,failed,cancelled"`
	Done      int     `json:"done"`
	Total     int     `json:"total"`
	Rate      float64 `json:"rate" doc:"Items a second, since this pass of it began"`
	Left      float64 `json:"left" doc:"Seconds left at that rate; 0 when not known"`
	Note      string  `json:"note" doc:"What it is doing"`
	Error     string  `json:"error"`
	CreatedAt string  `json:"createdAt"`
	StartedAt string  `json:"startedAt"`
	EndedAt   string  `json:"endedAt"`
}

func View(j store.Job, rate, left float64) Job {
	return Job{j.ID, j.Kind, j.Target, j.State, j.Done, j.Total, rate, left, j.Note, j.Error, j.CreatedAt, j.StartedAt, j.EndedAt}
}

// latest is how many jobs that have ended are listed.
const latest = 20

// Jobs lists a corpus's jobs that have not ended, and the latest that have, the newest first.
func (q *Queue) Jobs(ctx context.Context, corpus string) ([]Job, error) {
	c, err := q.store.Corpus(ctx, corpus)
	if err != nil {
		return nil, err
	}
	js, err := q.store.LatestJobs(ctx, c.ID, latest)
	if err != nil {
		return nil, err
	}
	out := make([]Job, len(js))
	for i, j := range js {
		out[i] = q.paced(j)
	}
	return out, nil
}

// paced is a job with its rate and time left, when it is running.
func (q *Queue) paced(j store.Job) Job {
	q.mu.Lock()
	p := q.reports[j.ID]
	q.mu.Unlock()
	if p == nil {
		return View(j, 0, 0)
	}
	p.mu.Lock()
	defer p.mu.Unlock()
	rate, left := p.pace()
	return View(j, rate, left)
}

// Job finds one job of a corpus.
func (q *Queue) Job(ctx context.Context, corpus, id string) (Job, error) {
	c, err := q.store.Corpus(ctx, corpus)
	if err != nil {
		return Job{}, err
	}
	j, err := q.store.Job(ctx, id)
	if err != nil || j.Corpus != c.ID {
		return Job{}, errors.Join(err, fmt.Errorf("job %s: %w", id, fault.ErrMissing))
	}
	return q.paced(j), nil
}

// Progress reports how far a job is, a few times a second at most.
type Progress struct {
	q           *Queue
	kind        string
	mu          sync.Mutex
	job         store.Job
	began, Last time.Time
	first       int // done when this run of the job began
	started     bool
}

func (p *Progress) Set(ctx context.Context, done, total int, note string) {
	p.mu.Lock()
	if !p.started || done < p.job.Done || note != p.job.Note && p.job.Done >= p.job.Total { // another pass has a pace of its own
		if p.started {
			p.began = time.Now()
		}
		p.started, p.first = true, done
	}
	p.job.Done, p.job.Total, p.job.Note = done, total, note
	p.mu.Unlock()
	p.Report(ctx, false)
}

// pace gives items a second and seconds left; p.mu must be held.
func (p *Progress) pace() (rate, left float64) {
	if sec := time.Since(p.began).Seconds(); sec > 0.2 && p.job.Done > p.first {
		rate = float64(p.job.Done-p.first) / sec
		left = float64(max(0, p.job.Total-p.job.Done)) / rate
	}
	return rate, left
}

func (p *Progress) Report(ctx context.Context, now bool) {
	p.mu.Lock()
	if !now && time.Since(p.Last) < 300*time.Millisecond {
		p.mu.Unlock()
		return
	}
	p.Last = time.Now()
	j := p.job
	rate, left := p.pace()
	p.mu.Unlock()
	if err := p.q.store.Progress(context.WithoutCancel(ctx), j.ID, j.Done, j.Total, j.Note, lease); err != nil {
		p.q.log.Error("progress was not recorded", "job", j.ID, "error", err)
	}
	event.Tell(ctx, p.q.events, Event, j.Corpus, View(j, rate, left))
}
