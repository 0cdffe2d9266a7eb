package register

import (
	"context"
	"database/sql"
	"errors"

	"github.com/jmoiron/sqlx"
)

// Entry is one line of the audit trail.
type Entry struct {
	Seq       int64  `db:"seq"`
	At        string `db:"at"`
	Person    string `db:"person_id"`
	Who       string `db:"who"`
	Via       string `db:"via"`
	Address   string `db:"address"`
	CorpusID  string `db:"corpus_id"`
	Corpus    string `db:"corpus"`
	Operation string `db:"operation"`
	Target    string `db:"target"`
	Changes   string `db:"changes"` // JSON
	Outcome   string `db:"outcome"`
	Prev      string `db:"prev"`
	Hash      string `db:"hash"`
}

// Record adds an entry behind the last one; seal gives its hash once it knows its number and the hash before it.
func (r *Register) Record(ctx context.Context, e Entry, seal func(Entry) (string, error)) error {
	return r.s.Write(ctx, "record in the audit trail", func(tx *sqlx.Tx) error {
		var last Entry
		if err := tx.GetContext(ctx, &last, `SELECT * FROM audit ORDER BY seq DESC LIMIT 1`); err != nil && !errors.Is(err, sql.ErrNoRows) {
			return err
		}
		e.Seq, e.Prev, e.At = last.Seq+1, last.Hash, r.s.Stamp()
		var err error
		if e.Hash, err = seal(e); err != nil {
			return err
		}
		_, err = tx.NamedExecContext(ctx, `INSERT INTO audit (seq, at, person_id, who, via, address, corpus_id, corpus, operation, target, changes, outcome, prev, hash)
			VALUES (:seq, :at, :person_id, :who, :via, :address, :corpus_id, :corpus, :operation, :target, :changes, :outcome, :prev, :hash)`, e)
		return err
	})
}

// TrailFilter says which entries are meant; what is empty says nothing.
type TrailFilter struct {
	Corpus     string // id
	Person     string // id, or how an entry names who did it
	Operations []string
	Since      string // moments in the store's form
	Until      string
	Search     string
	Before     int64 // entries with a lower number; 0 for the newest
	Limit      int
}

// Trail lists entries, the newest first.
func (r *Register) Trail(ctx context.Context, f TrailFilter) ([]Entry, error) {
	where, args := ` WHERE (? = 0 OR seq < ?) AND (? = '' OR corpus_id = ?) AND (? = '' OR person_id = ? OR who = ?) AND (? = '' OR at >= ?) AND (? = '' OR at < ?)
		AND (? = '' OR instr(lower(changes || ' ' || target || ' ' || who || ' ' || corpus || ' ' || operation), lower(?)) > 0)`,
		[]any{f.Before, f.Before, f.Corpus, f.Corpus, f.Person, f.Person, f.Person, f.Since, f.Since, f.Until, f.Until, f.Search, f.Search}
	if len(f.Operations) > 0 {
		in, more, err := sqlx.In(` AND operation IN (?)`, f.Operations)
		if err != nil {
			return nil, err
		}
		where, args = where+in, append(args, more...)
	}
	out := []Entry{}
	return out, r.s.List(ctx, &out, "audit trail", `SELECT * FROM audit`+where+` ORDER BY seq DESC LIMIT ?`, append(args, f.Limit)...)
}

// TrailFrom lists up to 1,000 entries from a number on, the oldest first.
func (r *Register) TrailFrom(ctx context.Context, seq int64) ([]Entry, error) {
	out := []Entry{}
	return out, r.s.List(ctx, &out, "audit trail", `SELECT * FROM audit WHERE seq >= ? ORDER BY seq LIMIT 1000`, seq)
}
