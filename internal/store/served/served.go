// Package served keeps how corpora are served: what visitors get, the gate, links, and the keys of programs.
package served

import (
	"context"
	"database/sql"
	"errors"

	"github.com/google/uuid"
	"github.com/jmoiron/sqlx"

	"jolvex/internal/store"
)

// Served reads and writes them in a store.
type Served struct{ s *store.Store }

// New is what is served out of a store.
func New(s *store.Store) *Served { return &Served{s} }

// Place is how one corpus is served to visitors.
type Place struct {
	Corpus   string `db:"corpus_id"`
	Place    string `db:"place"`      // its random public name
	Release  string `db:"release_id"` // id of what visitors get; empty for the newest
	Settings string `db:"settings"`   // JSON
	Identity []byte `db:"identity"`   // sealed JSON: by which key sites say who asks; none when they do not
}

// Of is how a corpus is served; a place is made for it at the first time.
func (v *Served) Of(ctx context.Context, corpus string) (Place, error) {
	var p Place
	err := v.s.Get(ctx, &p, "place", `SELECT * FROM served WHERE corpus_id = ?`, corpus)
	if !errors.Is(err, store.ErrMissing) {
		return p, err
	}
	err = v.s.Write(ctx, "make a place", func(tx *sqlx.Tx) error {
		if _, err := tx.ExecContext(ctx, `INSERT INTO served (corpus_id, place, settings) VALUES (?, ?, '{}') ON CONFLICT DO NOTHING`, corpus, uuid.NewString()); err != nil {
			return err
		}
		return tx.GetContext(ctx, &p, `SELECT * FROM served WHERE corpus_id = ?`, corpus)
	})
	return p, err
}

// Place is the one with a public name. ErrMissing, wrapped, when there is none.
func (v *Served) Place(ctx context.Context, name string) (Place, error) {
	var p Place
	return p, v.s.Get(ctx, &p, "place", `SELECT * FROM served WHERE place = ?`, name)
}

// Put keeps how a corpus is served.
func (v *Served) Put(ctx context.Context, p Place) error {
	return v.s.Write(ctx, "keep how a corpus is served", func(tx *sqlx.Tx) error {
		_, err := tx.NamedExecContext(ctx, `UPDATE served SET release_id = :release_id, settings = :settings, identity = :identity WHERE corpus_id = :corpus_id`, p)
		return err
	})
}

// Floor is what a question set must pass before a release.
type Floor struct {
	Set   string  `db:"set_id"`
	Floor float64 `db:"floor"` // 0 to 1
}

// Gate lists the floors of a corpus.
func (v *Served) Gate(ctx context.Context, corpus string) ([]Floor, error) {
	out := []Floor{}
	return out, v.s.List(ctx, &out, "gate", `SELECT set_id, floor FROM gates WHERE corpus_id = ? ORDER BY set_id`, corpus)
}

// SetGate puts the floors of a corpus in place of those that there were.
func (v *Served) SetGate(ctx context.Context, corpus string, floors []Floor) error {
	return v.s.Write(ctx, "set the gate", func(tx *sqlx.Tx) error {
		if _, err := tx.ExecContext(ctx, `DELETE FROM gates WHERE corpus_id = ?`, corpus); err != nil {
			return err
		}
		for _, f := range floors {
			if _, err := tx.ExecContext(ctx, `INSERT INTO gates (corpus_id, set_id, floor) VALUES (?, ?, ?)`, corpus, f.Set, f.Floor); err != nil {
				return err
			}
		}
		return nil
	})
}

// Link is an address at which somebody who is not signed in can ask.
type Link struct {
	ID        string `db:"id"`
	Corpus    string `db:"corpus_id"`
	Token     string `db:"token"` // SHA-256
	Name      string `db:"name"`
	Draft     bool   `db:"draft"`
	Word      string `db:"word"` // SHA-256; empty for none
	EndsAt    string `db:"ends_at"`
	Most      int    `db:"most"`
	Used      int    `db:"used"`
	MadeBy    string `db:"made_by"`
	CreatedAt string `db:"created_at"`
	EndedAt   string `db:"ended_at"`
}

// Links lists those of a corpus that were not ended, the newest first.
func (v *Served) Links(ctx context.Context, corpus string) ([]Link, error) {
	out := []Link{}
	return out, v.s.List(ctx, &out, "links", `SELECT * FROM links WHERE corpus_id = ? AND ended_at = '' ORDER BY created_at DESC, id`, corpus)
}

// AddLink keeps a link.
func (v *Served) AddLink(ctx context.Context, l Link) (Link, error) {
	l.ID, l.CreatedAt = uuid.NewString(), v.s.Stamp()
	return l, v.s.Write(ctx, "keep a link", func(tx *sqlx.Tx) error {
		_, err := tx.NamedExecContext(ctx, `INSERT INTO links (id, corpus_id, token, name, draft, word, ends_at, most, made_by, created_at)
			VALUES (:id, :corpus_id, :token, :name, :draft, :word, :ends_at, :most, :made_by, :created_at)`, l)
		return err
	})
}

// Link is one that works still, by the hash of what its address carries. ErrMissing, wrapped, when there is none.
func (v *Served) Link(ctx context.Context, token string) (Link, error) {
	var l Link
	return l, v.s.Get(ctx, &l, "link", `SELECT * FROM links WHERE token = ? AND ended_at = '' AND (ends_at = '' OR ends_at > ?)`, token, v.s.Stamp())
}

// UseLink counts a question; false when the link has been used as often as it may be.
func (v *Served) UseLink(ctx context.Context, id string) (bool, error) {
	var n int64
	err := v.s.Write(ctx, "count the use of a link", func(tx *sqlx.Tx) error {
		r, err := tx.ExecContext(ctx, `UPDATE links SET used = used + 1 WHERE id = ? AND (most = 0 OR used < most)`, id)
		if err == nil {
			n, err = r.RowsAffected()
		}
		return err
	})
	return n > 0, err
}

// EndLink ends a link of a corpus.
func (v *Served) EndLink(ctx context.Context, corpus, id string) error {
	return v.end(ctx, `UPDATE links SET ended_at = ? WHERE corpus_id = ? AND id = ? AND ended_at = ''`, corpus, id)
}

func (v *Served) end(ctx context.Context, query, corpus, id string) error {
	return v.s.Write(ctx, "end what is served", func(tx *sqlx.Tx) error {
		r, err := tx.ExecContext(ctx, query, v.s.Stamp(), corpus, id)
		if err != nil {
			return err
		}
		if n, err := r.RowsAffected(); err != nil || n == 0 {
			return errors.Join(err, store.ErrMissing)
		}
		return nil
	})
}

// Key is one by which a program asks.
type Key struct {
	ID        string `db:"id"`
	Corpus    string `db:"corpus_id"`
	Hash      string `db:"hash"` // SHA-256
	Name      string `db:"name"`
	Start     string `db:"start"`
	Scopes    string `db:"scopes"` // one a line
	PerMinute int    `db:"per_minute"`
	MadeBy    string `db:"made_by"`
	CreatedAt string `db:"created_at"`
	UsedAt    string `db:"used_at"`
	EndedAt   string `db:"ended_at"`
}

// Keys lists those of a corpus that were not ended, the newest first.
func (v *Served) Keys(ctx context.Context, corpus string) ([]Key, error) {
	out := []Key{}
	return out, v.s.List(ctx, &out, "keys", `SELECT * FROM keys WHERE corpus_id = ? AND ended_at = '' ORDER BY created_at DESC, id`, corpus)
}

// AddKey keeps a key.
func (v *Served) AddKey(ctx context.Context, k Key) (Key, error) {
	k.ID, k.CreatedAt = uuid.NewString(), v.s.Stamp()
	return k, v.s.Write(ctx, "keep a key", func(tx *sqlx.Tx) error {
		_, err := tx.NamedExecContext(ctx, `INSERT INTO keys (id, corpus_id, hash, name, start, scopes, per_minute, made_by, created_at)
			VALUES (:id, :corpus_id, :hash, :name, :start, :scopes, :per_minute, :made_by, :created_at)`, k)
		return err
	})
}

// Key is one that works still, by its hash. ErrMissing, wrapped, when there is none.
func (v *Served) Key(ctx context.Context, hash string) (Key, error) {
	var k Key
	return k, v.s.Get(ctx, &k, "key", `SELECT * FROM keys WHERE hash = ? AND ended_at = ''`, hash)
}

// UsedKey keeps that a key was used now.
func (v *Served) UsedKey(ctx context.Context, id string) error {
	return v.s.Write(ctx, "keep the use of a key", func(tx *sqlx.Tx) error {
		_, err := tx.ExecContext(ctx, `UPDATE keys SET used_at = ? WHERE id = ?`, v.s.Stamp(), id)
		return err
	})
}

// EndKey ends a key of a corpus.
func (v *Served) EndKey(ctx context.Context, corpus, id string) error {
	return v.end(ctx, `UPDATE keys SET ended_at = ? WHERE corpus_id = ? AND id = ? AND ended_at = ''`, corpus, id)
}

// ReleaseOf is with which release a conversation began; empty when it is not there, or asks the draft.
func (v *Served) ReleaseOf(ctx context.Context, conversation string) (string, error) {
	var id string
	err := v.s.Get(ctx, &id, "conversation", `SELECT release_id FROM conversations WHERE id = ?`, conversation)
	if errors.Is(err, store.ErrMissing) || errors.Is(err, sql.ErrNoRows) {
		return "", nil
	}
	return id, err
}
