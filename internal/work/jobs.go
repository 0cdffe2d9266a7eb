package work

import (
	"context"
	"errors"
	"fmt"
	"sync"
	"time"

	"jolvex/internal/store"
)

// The kinds of job.
const (
	JobGather  = "gather"  // target: source
	JobRebuild = "rebuild" // target: none
	JobRun     = "run"     // target: run
	JobEncode  = "encode"  // target: none; goes beside the others
	JobCheck   = "check"   // target: none
	JobStudy   = "study"   // target: study
	JobGraph   = "graph"   // target: none; goes beside the others
)

// task does a job, from where an earlier attempt left it; it looks at ctx between its steps.
type task func(ctx context.Context, j store.Job, p *progress) error

// kind is one kind of job: what does it, and whether people wait for it.
type kind struct {
	do      task
	awaited bool
}

// register says what does a kind of job. Each room registers its own before jobs are taken.
func (a *App) register(name string, awaited bool, do task) {
	if a.kinds == nil {
		a.kinds = map[string]kind{}
	}
	a.kinds[name] = kind{do, awaited}
}

// awaited reports whether a job is under way that people wait for.
func (a *App) awaited() bool {
	a.jobsMu.Lock()
	defer a.jobsMu.Unlock()
	for _, p := range a.reports {
		if a.kinds[p.kind].awaited {
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

// runJobs takes queued jobs until the app closes: one at a time for each corpus.
func (a *App) runJobs(life context.Context) {
	defer a.running.Done()
	var jobs sync.WaitGroup
	defer jobs.Wait()
	for {
		j, err := a.store.TakeJob(life, lease)
		if err == nil {
			ctx, cancel := context.WithCancelCause(life)
			a.jobsMu.Lock()
			a.cancels[j.ID] = cancel
			a.jobsMu.Unlock()
			jobs.Add(1)
			go func() {
				defer jobs.Done()
				a.runJob(life, ctx, j)
				cancel(nil)
				a.jobsMu.Lock()
				delete(a.cancels, j.ID)
				a.jobsMu.Unlock()
				a.nudge()
			}()
			continue
		}
		if !errors.Is(err, store.ErrMissing) && life.Err() == nil {
			a.log.Error("no job could be taken", "error", err)
		}
		select {
		case <-a.wake:
		case <-life.Done():
			return
		}
	}
}

func (a *App) nudge() {
	select {
	case a.wake <- struct{}{}:
	default:
	}
}

func (a *App) runJob(life, ctx context.Context, j store.Job) {
	p := &progress{app: a, kind: j.Kind, job: j, began: time.Now()}
	a.jobsMu.Lock()
	a.reports[j.ID] = p
	a.jobsMu.Unlock()
	defer func() {
		a.jobsMu.Lock()
		delete(a.reports, j.ID)
		a.jobsMu.Unlock()
	}()
	p.report(ctx, true)
	err := func() (err error) {
		defer func() {
			if r := recover(); r != nil {
				err = fmt.Errorf("the work broke off: %v", r)
				a.log.Error("a job panicked", "job", j.ID, "kind", j.Kind, "panic", r)
			}
		}()
		k, ok := a.kinds[j.Kind]
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
		a.log.Warn("a job failed", "job", j.ID, "kind", j.Kind, "error", err)
	}
	p.report(ctx, true)
	if err := a.store.EndJob(life, j.ID, state, problem); err != nil {
		a.log.Error("the end of a job was not recorded", "job", j.ID, "error", err)
		return
	}
	a.tellJob(life, j.ID)
}

func (a *App) tellJob(ctx context.Context, id string) {
	j, err := a.store.Job(ctx, id)
	if err != nil {
		a.log.Error("a job could not be read", "job", id, "error", err)
		return
	}
	a.tell(ctx, event(j.Corpus, "job", jobView(j, 0, 0)))
}

func (a *App) queue(ctx context.Context, corpus, kind, target string) (Job, error) {
	j, err := a.store.AddJob(ctx, corpus, kind, target)
	if err != nil {
		return Job{}, err
	}
	v := jobView(j, 0, 0)
	a.tell(ctx, event(corpus, "job", v))
	a.nudge()
	return v, nil
}

// Cancel stops a job at its next safe point; what it has done stays.
func (a *App) Cancel(ctx context.Context, corpus, id string) error {
	return a.halt(ctx, corpus, id, errCancelled, store.Cancelled)
}

// Pause stops a job at its next safe point, to be resumed.
func (a *App) Pause(ctx context.Context, corpus, id string) error {
	return a.halt(ctx, corpus, id, errPaused, store.Paused)
}

// Resume puts a paused job back into the queue; it goes on where it stopped.
func (a *App) Resume(ctx context.Context, corpus, id string) error {
	j, err := a.Job(ctx, corpus, id)
	if err != nil {
		return err
	}
	if j.State != store.Paused {
		return inputError("the job is not paused")
	}
	if err := a.store.ResumeJob(ctx, id); err != nil {
		return err
	}
	a.tellJob(ctx, id)
	a.nudge()
	return nil
}

func (a *App) halt(ctx context.Context, corpus, id string, cause error, state string) error {
	j, err := a.store.Job(ctx, id)
	if err != nil {
		return err
	}
	c, err := a.store.Corpus(ctx, corpus)
	if err != nil {
		return err
	}
	if j.Corpus != c.ID {
		return fmt.Errorf("job %s: %w", id, ErrMissing)
	}
	a.jobsMu.Lock()
	cancel := a.cancels[id]
	a.jobsMu.Unlock()
	switch {
	case cancel != nil && j.State == store.Running:
		cancel(cause)
		return nil
	case j.State == store.Queued, j.State == store.Paused && state == store.Cancelled:
		if err := a.store.EndJob(ctx, id, state, ""); err != nil {
			return err
		}
		a.tellJob(ctx, id)
		return nil
	}
	return inputError("the job has ended already")
}

// Job is a job as callers see it.
type Job struct {
	ID        string  `json:"id"`
	Kind      string  `json:"kind" enum:"gather,rebuild,run,encode,check,study,graph"`
	Target    string  `json:"target"`
	State     string  `json:"state" enum:"queued,running,paused,done,failed,cancelled"`
	Done      int     `json:"done"`
	Total     int     `json:"total"`
	Rate      float64 `json:"rate" doc:"Items a second, over the job's time so far"`
	Left      float64 `json:"left" doc:"Seconds left at that rate; 0 when not known"`
	Note      string  `json:"note" doc:"What it is doing"`
	Error     string  `json:"error"`
	CreatedAt string  `json:"createdAt"`
	StartedAt string  `json:"startedAt"`
	EndedAt   string  `json:"endedAt"`
}

func jobView(j store.Job, rate, left float64) Job {
	return Job{j.ID, j.Kind, j.Target, j.State, j.Done, j.Total, rate, left, j.Note, j.Error, j.CreatedAt, j.StartedAt, j.EndedAt}
}

// Jobs lists a corpus's latest jobs.
func (a *App) Jobs(ctx context.Context, corpus string) ([]Job, error) {
	c, err := a.store.Corpus(ctx, corpus)
	if err != nil {
		return nil, err
	}
	js, err := a.store.Jobs(ctx, c.ID, 20)
	if err != nil {
		return nil, err
	}
	out := make([]Job, len(js))
	for i, j := range js {
		out[i] = a.paced(j)
	}
	return out, nil
}

// paced is a job with its rate and time left, when it is running.
func (a *App) paced(j store.Job) Job {
	a.jobsMu.Lock()
	p := a.reports[j.ID]
	a.jobsMu.Unlock()
	if p == nil {
		return jobView(j, 0, 0)
	}
	p.mu.Lock()
	defer p.mu.Unlock()
	rate, left := p.pace()
	return jobView(j, rate, left)
}

// Job finds one job of a corpus.
func (a *App) Job(ctx context.Context, corpus, id string) (Job, error) {
	c, err := a.store.Corpus(ctx, corpus)
	if err != nil {
		return Job{}, err
	}
	j, err := a.store.Job(ctx, id)
	if err != nil || j.Corpus != c.ID {
		return Job{}, errors.Join(err, fmt.Errorf("job %s: %w", id, ErrMissing))
	}
	return a.paced(j), nil
}

// progress reports how far a job is, a few times a second at most.
type progress struct {
	app         *App
	kind        string
	mu          sync.Mutex
	job         store.Job
	began, last time.Time
	first       int // done when this run of the job began
	started     bool
}

func (p *progress) set(ctx context.Context, done, total int, note string) {
	p.mu.Lock()
	if !p.started {
		p.started, p.first = true, done
	}
	p.job.Done, p.job.Total, p.job.Note = done, total, note
	p.mu.Unlock()
	p.report(ctx, false)
}

// pace gives items a second and seconds left; p.mu must be held.
func (p *progress) pace() (rate, left float64) {
	if sec := time.Since(p.began).Seconds(); sec > 0.2 && p.job.Done > p.first {
		rate = float64(p.job.Done-p.first) / sec
		left = float64(max(0, p.job.Total-p.job.Done)) / rate
	}
	return rate, left
}

func (p *progress) report(ctx context.Context, now bool) {
	p.mu.Lock()
	if !now && time.Since(p.last) < 300*time.Millisecond {
		p.mu.Unlock()
		return
	}
	p.last = time.Now()
	j := p.job
	rate, left := p.pace()
	p.mu.Unlock()
	if err := p.app.store.Progress(context.WithoutCancel(ctx), j.ID, j.Done, j.Total, j.Note, lease); err != nil {
		p.app.log.Error("progress was not recorded", "job", j.ID, "error", err)
	}
	p.app.tell(ctx, event(j.Corpus, "job", jobView(j, rate, left)))
}
