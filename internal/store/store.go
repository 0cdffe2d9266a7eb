// Package store keeps everything that is not derived in one SQLite file: one writer connection, and readers beside it
// that never wait for the writer.
package store

import (
	"context"
	"database/sql"
	"embed"
	"encoding/json"
	"errors"
	"fmt"
	"io/fs"
	"sync"
	"time"

	"github.com/jmoiron/sqlx"
	"github.com/klauspost/compress/zstd"
	"github.com/pressly/goose/v3"
	_ "modernc.org/sqlite" // the driver
)

// ErrMissing says that what was asked for is not there.
var ErrMissing = errors.New("not found")

// ErrTaken says that a name is in use already.
var ErrTaken = errors.New("the name is in use")

//go:embed migrations/*.sql
var migrations embed.FS

// Store is the open database.
type Store struct {
	w, r *sqlx.DB
	enc  *zstd.Encoder
	dec  *zstd.Decoder
	now  func() time.Time

	queueMu sync.Mutex
	queue   []change
	leading bool // somebody commits what waits
}

const pragmas = "_pragma=busy_timeout(5000)&_pragma=journal_mode(WAL)&_pragma=synchronous(FULL)&_pragma=foreign_keys(1)&_pragma=temp_store(2)"

// Open opens the database at path, making and migrating it as needed.
func Open(ctx context.Context, path string, now func() time.Time) (*Store, error) {
	w, err := sqlx.Open("sqlite", "file:"+path+"?"+pragmas+"&_txlock=immediate")
	if err != nil {
		return nil, fmt.Errorf("open %s: %w", path, err)
	}
	w.SetMaxOpenConns(1)
	dir, err := fs.Sub(migrations, "migrations")
	if err != nil {
		return nil, err
	}
	p, err := goose.NewProvider(goose.DialectSQLite3, w.DB, dir)
	if err != nil {
		w.Close()
		return nil, fmt.Errorf("read the migrations: %w", err)
	}
	if _, err := p.Up(ctx); err != nil {
		w.Close()
		return nil, fmt.Errorf("bring %s up to date: %w", path, err)
	}
	r, err := sqlx.Open("sqlite", "file:"+path+"?"+pragmas+"&_pragma=query_only(1)")
	if err != nil {
		w.Close()
		return nil, fmt.Errorf("open %s for reading: %w", path, err)
	}
	r.SetMaxOpenConns(8)
	enc, err := zstd.NewWriter(nil, zstd.WithEncoderLevel(zstd.SpeedFastest), zstd.WithEncoderConcurrency(1))
	if err != nil {
		return nil, err
	}
	dec, err := zstd.NewReader(nil, zstd.WithDecoderMaxMemory(256<<20))
	if err != nil {
		return nil, err
	}
	return &Store{w: w, r: r, enc: enc, dec: dec, now: now}, nil
}

// Close ends all connections.
func (s *Store) Close() error { return errors.Join(s.r.Close(), s.w.Close()) }

// Time is how moments are kept: RFC 3339 in UTC with milliseconds, so that their order as text is their order in time.
const timeForm = "2006-01-02T15:04:05.000Z"

func (s *Store) Stamp() string { return s.now().UTC().Format(timeForm) }

// change is a write that waits for its transaction.
type change struct {
	ctx  context.Context
	do   func(tx *sqlx.Tx) error
	done chan error
}

// mostTogether is how many writes share one transaction at most.
const mostTogether = 64

// Write runs do in a transaction of the writer. Writes that come at the same time share one transaction, and with it one
// flush to the disk, but not their fate: one that fails leaves nothing, and the others stand. When Write returns without an
// error, what do wrote is on the disk.
func (s *Store) Write(ctx context.Context, what string, do func(tx *sqlx.Tx) error) error {
	c := change{ctx, do, make(chan error, 1)}
	s.queueMu.Lock()
	s.queue = append(s.queue, c)
	lead := !s.leading
	s.leading = true
	s.queueMu.Unlock()
	if lead {
		s.drain()
	}
	if err := <-c.done; err != nil {
		return fmt.Errorf("%s: %w", what, err)
	}
	return nil
}

// drain commits what waits until nothing does.
func (s *Store) drain() {
	for {
		s.queueMu.Lock()
		n := min(len(s.queue), mostTogether)
		if n == 0 {
			s.leading = false
			s.queueMu.Unlock()
			return
		}
		batch := append([]change(nil), s.queue[:n]...)
		s.queue = append(s.queue[:0:0], s.queue[n:]...)
		s.queueMu.Unlock()
		for i, err := range s.commit(batch) {
			batch[i].done <- err
		}
	}
}

// commit runs changes in one transaction, each in a savepoint of its own, and tells what came of each.
func (s *Store) commit(batch []change) []error {
	out := make([]error, len(batch))
	all := func(err error) []error {
		for i := range out {
			if out[i] == nil {
				out[i] = err
			}
		}
		return out
	}
	ctx := context.Background()
	tx, err := s.w.BeginTxx(ctx, nil)
	if err != nil {
		return all(err)
	}
	defer func() { _ = tx.Rollback() }() // does nothing after Commit
	for i, c := range batch {
		if out[i] = c.ctx.Err(); out[i] != nil {
			continue
		}
		if _, err := tx.ExecContext(ctx, `SAVEPOINT one`); err != nil {
			return all(err)
		}
		end := `RELEASE one`
		if out[i] = attempt(c.do, tx); out[i] != nil {
			end = `ROLLBACK TO one; RELEASE one`
		}
		if _, err := tx.ExecContext(ctx, end); err != nil {
			return all(err)
		}
	}
	if err := tx.Commit(); err != nil {
		return all(err)
	}
	return out
}

// attempt turns a panic into an error: others wait for the same transaction.
func attempt(do func(tx *sqlx.Tx) error, tx *sqlx.Tx) (err error) {
	defer func() {
		if r := recover(); r != nil {
			err = fmt.Errorf("the write broke off: %v", r)
		}
	}()
	return do(tx)
}

func (s *Store) Get(ctx context.Context, dest any, what, query string, args ...any) error {
	err := s.r.GetContext(ctx, dest, query, args...)
	if errors.Is(err, sql.ErrNoRows) {
		return fmt.Errorf("%s: %w", what, ErrMissing)
	}
	if err != nil {
		return fmt.Errorf("%s: %w", what, err)
	}
	return nil
}

func (s *Store) List(ctx context.Context, dest any, what, query string, args ...any) error {
	if err := s.r.SelectContext(ctx, dest, query, args...); err != nil {
		return fmt.Errorf("%s: %w", what, err)
	}
	return nil
}

// Pack makes compressed JSON of a value.
func (s *Store) Pack(v any) ([]byte, error) {
	raw, err := json.Marshal(v)
	if err != nil {
		return nil, err
	}
	return s.enc.EncodeAll(raw, nil), nil
}

// Unpack reads what Pack made.
func (s *Store) Unpack(b []byte, v any) error {
	raw, err := s.dec.DecodeAll(b, nil)
	if err != nil {
		return fmt.Errorf("unpack: %w", err)
	}
	return json.Unmarshal(raw, v)
}
