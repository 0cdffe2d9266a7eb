package store

import (
	"context"
	"encoding/json"
	"time"

	"github.com/google/uuid"
	"github.com/jmoiron/sqlx"
)

// The states of a job.
const (
	Queued    = "queued"
	Running   = "running"
	Done      = "done"
	Broken    = "failed"
	Cancelled = "cancelled"
	Paused    = "paused"
)

// Job is a piece of long work.
type Job struct {
	ID         string `db:"id"`
	Corpus     string `db:"corpus_id"`
	Kind       string `db:"kind"`
	Target     string `db:"target"`
	State      string `db:"state"`
	Done       int    `db:"done"`
	Total      int    `db:"total"`
	Note       string `db:"note"`
	Error      string `db:"error"`
	Attempts   int    `db:"attempts"`
	LeaseUntil string `db:"lease_until"`
	CreatedAt  string `db:"created_at"`
	StartedAt  string `db:"started_at"`
	EndedAt    string `db:"ended_at"`
}

// AddJob queues a job. When one of the same kind and target waits already, that one is returned; a
// paused one is resumed.
func (s *Store) AddJob(ctx context.Context, corpus, kind, target string) (Job, error) {
	var out Job
	err := s.Write(ctx, "queue a job", func(tx *sqlx.Tx) error {
		var same []Job
		if err := tx.SelectContext(ctx, &same, `SELECT * FROM jobs WHERE corpus_id = ? AND kind = ? AND target = ? AND state IN ('queued', 'paused') LIMIT 1`, corpus, kind, target); err != nil {
			return err
		}
		if len(same) > 0 {
			out = same[0]
			if out.State == Paused {
				out.State = Queued
				_, err := tx.ExecContext(ctx, resume, out.ID)
				return err
			}
			return nil
		}
		out = Job{ID: uuid.NewString(), Corpus: corpus, Kind: kind, Target: target, State: Queued, CreatedAt: s.Stamp()}
		_, err := tx.NamedExecContext(ctx, `INSERT INTO jobs (id, corpus_id, kind, target, state, created_at) VALUES (:id, :corpus_id, :kind, :target, :state, :created_at)`, out)
		return err
	})
	return out, err
}

const resume = `UPDATE jobs SET state = 'queued', ended_at = '' WHERE id = ? AND state = 'paused'`

// ResumeJob puts a paused job back into the queue.
func (s *Store) ResumeJob(ctx context.Context, id string) error {
	return s.Write(ctx, "resume a job", func(tx *sqlx.Tx) error {
		_, err := tx.ExecContext(ctx, resume, id)
		return err
	})
}

// Requeue returns jobs to the queue that a dead owner left running. Only the owner of the data folder may call it.
func (s *Store) Requeue(ctx context.Context) error {
	return s.Write(ctx, "requeue jobs", func(tx *sqlx.Tx) error {
		_, err := tx.ExecContext(ctx, `UPDATE jobs SET state = 'queued', lease_until = '' WHERE state = 'running'`)
		return err
	})
}

// TakeJob starts the oldest queued job whose corpus has none running; ErrMissing when there is none. Encoding, growing
// graphs and checking have lanes of their own: they run beside the other jobs of their corpus.
func (s *Store) TakeJob(ctx context.Context, lease time.Duration) (Job, error) {
	var out []Job
	err := s.Write(ctx, "take a job", func(tx *sqlx.Tx) error {
		return tx.SelectContext(ctx, &out, `UPDATE jobs SET state = 'running', attempts = attempts + 1, started_at = ?, lease_until = ? WHERE id = (
			SELECT id FROM jobs j WHERE state = 'queued' AND NOT EXISTS (SELECT 1 FROM jobs r WHERE r.corpus_id = j.corpus_id AND r.state = 'running' AND (r.kind = 'encode') = (j.kind = 'encode') AND (r.kind = 'check') = (j.kind = 'check') AND (r.kind = 'graph') = (j.kind = 'graph'))
			ORDER BY created_at, rowid LIMIT 1) RETURNING *`, s.Stamp(), s.now().Add(lease).UTC().Format(timeForm))
	})
	if err == nil && len(out) == 0 {
		return Job{}, ErrMissing
	}
	if err != nil {
		return Job{}, err
	}
	return out[0], nil
}

// Progress records how far a running job is and renews its lease.
func (s *Store) Progress(ctx context.Context, id string, done, total int, note string, lease time.Duration) error {
	return s.Write(ctx, "record progress", func(tx *sqlx.Tx) error {
		_, err := tx.ExecContext(ctx, `UPDATE jobs SET done = ?, total = ?, note = ?, lease_until = ? WHERE id = ? AND state = 'running'`, done, total, note, s.now().Add(lease).UTC().Format(timeForm), id)
		return err
	})
}

// EndJob closes a job.
func (s *Store) EndJob(ctx context.Context, id, state, problem string) error {
	return s.Write(ctx, "end a job", func(tx *sqlx.Tx) error {
		_, err := tx.ExecContext(ctx, `UPDATE jobs SET state = ?, error = ?, ended_at = ?, lease_until = '' WHERE id = ?`, state, problem, s.Stamp(), id)
		return err
	})
}

// Job finds a job by id.
func (s *Store) Job(ctx context.Context, id string) (Job, error) {
	var out Job
	return out, s.Get(ctx, &out, "job "+id, `SELECT * FROM jobs WHERE id = ?`, id)
}

// Jobs lists a corpus's latest jobs, newest first.
func (s *Store) Jobs(ctx context.Context, corpus string, limit int) ([]Job, error) {
	out := []Job{}
	return out, s.List(ctx, &out, "list jobs", `SELECT * FROM jobs WHERE corpus_id = ? ORDER BY created_at DESC, rowid DESC LIMIT ?`, corpus, limit)
}

// LatestJobs lists a corpus's jobs that have not ended, and the latest that have, the newest first.
func (s *Store) LatestJobs(ctx context.Context, corpus string, ended int) ([]Job, error) {
	out := []Job{}
	return out, s.List(ctx, &out, "list the latest jobs", `SELECT * FROM jobs WHERE corpus_id = ? AND (state IN ('queued', 'running', 'paused')
		OR id IN (SELECT id FROM jobs WHERE corpus_id = ? AND state NOT IN ('queued', 'running', 'paused') ORDER BY created_at DESC, rowid DESC LIMIT ?)) ORDER BY created_at DESC, rowid DESC`, corpus, corpus, ended)
}

// Event is one thing that happened, for those who watch.
type Event struct {
	Seq    int64           `db:"seq" json:"seq"`
	Corpus string          `db:"corpus_id" json:"corpus"`
	Kind   string          `db:"kind" json:"kind"`
	Body   json.RawMessage `db:"body" json:"body"`
	At     string          `db:"at" json:"at"`
}

// keptEvents is how many events can be replayed.
const keptEvents = 20_000

// AddEvents records events and returns them with their numbers.
func (s *Store) AddEvents(ctx context.Context, es []Event) ([]Event, error) {
	err := s.Write(ctx, "record events", func(tx *sqlx.Tx) error {
		for i := range es {
			es[i].At = s.Stamp()
			r, err := tx.ExecContext(ctx, `INSERT INTO events (corpus_id, kind, body, at) VALUES (?, ?, ?, ?)`, es[i].Corpus, es[i].Kind, string(es[i].Body), es[i].At)
			if err != nil {
				return err
			}
			if es[i].Seq, err = r.LastInsertId(); err != nil {
				return err
			}
		}
		if n := len(es); n > 0 && es[n-1].Seq%512 < int64(n) {
			_, err := tx.ExecContext(ctx, `DELETE FROM events WHERE seq <= ?`, es[n-1].Seq-keptEvents)
			return err
		}
		return nil
	})
	return es, err
}

// EventsAfter lists events after a number, oldest first.
func (s *Store) EventsAfter(ctx context.Context, seq int64, limit int) ([]Event, error) {
	var rows []struct {
		Seq    int64  `db:"seq"`
		Corpus string `db:"corpus_id"`
		Kind   string `db:"kind"`
		Body   string `db:"body"`
		At     string `db:"at"`
	}
	if err := s.List(ctx, &rows, "read events", `SELECT * FROM events WHERE seq > ? ORDER BY seq LIMIT ?`, seq, limit); err != nil {
		return nil, err
	}
	out := make([]Event, len(rows))
	for i, r := range rows {
		out[i] = Event{r.Seq, r.Corpus, r.Kind, json.RawMessage(r.Body), r.At}
	}
	return out, nil
}

// LastEvent is the number of the newest event, 0 when there is none.
func (s *Store) LastEvent(ctx context.Context) (int64, error) {
	var n int64
	return n, s.Get(ctx, &n, "read the last event", `SELECT coalesce(max(seq), 0) FROM events`)
}
