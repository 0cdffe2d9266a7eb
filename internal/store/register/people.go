// Package register keeps who works here: people with their roles, invitations and sessions, and the audit trail of what they did.
package register

import (
	"context"

	"github.com/google/uuid"
	"github.com/jmoiron/sqlx"

	"jolvex/internal/store"
)

// Register reads and writes them in a store.
type Register struct{ s *store.Store }

// New is the register of a store.
func New(s *store.Store) *Register { return &Register{s} }

// Person is somebody who works here.
type Person struct {
	ID        string `db:"id"`
	Name      string `db:"name"`
	Mail      string `db:"mail"`
	Password  string `db:"password"` // argon2id in the PHC string form; empty for none
	Issuer    string `db:"issuer"`
	Subject   string `db:"subject"`
	Owner     bool   `db:"owner"`
	CreatedAt string `db:"created_at"`
	SeenAt    string `db:"seen_at"`
	EndedAt   string `db:"ended_at"` // may not come in any more
}

// Role is what a person may do with a corpus.
type Role struct {
	Person string `db:"person_id"`
	Corpus string `db:"corpus_id"`
	Role   string `db:"role"`
}

// Invitation is a link by which somebody becomes a person here, or sets a new password.
type Invitation struct {
	ID        string `db:"id"`
	Token     string `db:"token"` // SHA-256 of what the link carries
	Person    string `db:"person_id"`
	Mail      string `db:"mail"`
	Owner     bool   `db:"owner"`
	Corpus    string `db:"corpus_id"`
	Role      string `db:"role"`
	InvitedBy string `db:"invited_by"`
	CreatedAt string `db:"created_at"`
	ExpiresAt string `db:"expires_at"`
	UsedAt    string `db:"used_at"`
}

// Owners counts the people who own the installation and may come in.
func (r *Register) Owners(ctx context.Context) (int, error) {
	var n int
	return n, r.s.Get(ctx, &n, "owners", `SELECT count(*) FROM people WHERE owner = 1 AND ended_at = ''`)
}

// People lists everybody, those who may no longer come in too, by name.
func (r *Register) People(ctx context.Context) ([]Person, error) {
	out := []Person{}
	return out, r.s.List(ctx, &out, "people", `SELECT * FROM people ORDER BY name COLLATE NOCASE, id`)
}

// Person is one of them. ErrMissing, wrapped, when there is none.
func (r *Register) Person(ctx context.Context, id string) (Person, error) {
	var p Person
	return p, r.s.Get(ctx, &p, "person", `SELECT * FROM people WHERE id = ?`, id)
}

// PersonByMail is the one with a mail address, however its letters are written.
func (r *Register) PersonByMail(ctx context.Context, mail string) (Person, error) {
	var p Person
	return p, r.s.Get(ctx, &p, "person", `SELECT * FROM people WHERE mail = ?`, mail)
}

// PersonBySubject is the one who an OpenID issuer knows under a subject.
func (r *Register) PersonBySubject(ctx context.Context, issuer, subject string) (Person, error) {
	var p Person
	return p, r.s.Get(ctx, &p, "person", `SELECT * FROM people WHERE issuer = ? AND subject = ? AND subject <> ''`, issuer, subject)
}

// PutPerson keeps a person; a new one has no id yet.
func (r *Register) PutPerson(ctx context.Context, p Person) (Person, error) {
	if p.ID == "" {
		p.ID, p.CreatedAt = uuid.NewString(), r.s.Stamp()
	}
	return p, r.s.Write(ctx, "keep a person", func(tx *sqlx.Tx) error { return putPerson(ctx, tx, p) })
}

func putPerson(ctx context.Context, tx *sqlx.Tx, p Person) error {
	_, err := tx.NamedExecContext(ctx, `INSERT INTO people (id, name, mail, password, issuer, subject, owner, created_at, seen_at, ended_at)
		VALUES (:id, :name, :mail, :password, :issuer, :subject, :owner, :created_at, :seen_at, :ended_at)
		ON CONFLICT (id) DO UPDATE SET name = excluded.name, mail = excluded.mail, password = excluded.password, issuer = excluded.issuer, subject = excluded.subject,
		owner = excluded.owner, seen_at = excluded.seen_at, ended_at = excluded.ended_at`, p)
	return err
}

// Change changes a person as do says, in one transaction, which also ends sessions when end says so; nothing is changed when do fails.
// do is told how many owners may come in.
func (r *Register) Change(ctx context.Context, id string, do func(p *Person, owners int) (end bool, err error)) error {
	return r.s.Write(ctx, "change a person", func(tx *sqlx.Tx) error {
		var p Person
		if err := tx.GetContext(ctx, &p, `SELECT * FROM people WHERE id = ?`, id); err != nil {
			return missing(err)
		}
		var owners int
		if err := tx.GetContext(ctx, &owners, `SELECT count(*) FROM people WHERE owner = 1 AND ended_at = ''`); err != nil {
			return err
		}
		end, err := do(&p, owners)
		if err != nil {
			return err
		}
		if end {
			if _, err := tx.ExecContext(ctx, `DELETE FROM sessions WHERE person_id = ?`, id); err != nil {
				return err
			}
		}
		return putPerson(ctx, tx, p)
	})
}

// Roles lists who may do what: of one person, of one corpus, or, with both empty, all.
func (r *Register) Roles(ctx context.Context, person, corpus string) ([]Role, error) {
	out := []Role{}
	return out, r.s.List(ctx, &out, "roles", `SELECT * FROM roles WHERE (? = '' OR person_id = ?) AND (? = '' OR corpus_id = ?)`, person, person, corpus, corpus)
}

// SetRole gives a person a role in a corpus, or, when it is empty, takes it away.
func (r *Register) SetRole(ctx context.Context, role Role) error {
	return r.s.Write(ctx, "give a role", func(tx *sqlx.Tx) error { return setRole(ctx, tx, role) })
}

func setRole(ctx context.Context, tx *sqlx.Tx, role Role) error {
	if role.Role == "" {
		_, err := tx.ExecContext(ctx, `DELETE FROM roles WHERE person_id = ? AND corpus_id = ?`, role.Person, role.Corpus)
		return err
	}
	_, err := tx.NamedExecContext(ctx, `INSERT INTO roles (person_id, corpus_id, role) VALUES (:person_id, :corpus_id, :role)
		ON CONFLICT (person_id, corpus_id) DO UPDATE SET role = excluded.role`, role)
	return err
}

// Invite keeps an invitation.
func (r *Register) Invite(ctx context.Context, i Invitation) (Invitation, error) {
	i.ID, i.CreatedAt = uuid.NewString(), r.s.Stamp()
	return i, r.s.Write(ctx, "keep an invitation", func(tx *sqlx.Tx) error {
		_, err := tx.NamedExecContext(ctx, `INSERT INTO invitations (id, token, person_id, mail, owner, corpus_id, role, invited_by, created_at, expires_at)
			VALUES (:id, :token, :person_id, :mail, :owner, :corpus_id, :role, :invited_by, :created_at, :expires_at)`, i)
		return err
	})
}

// Invitations lists those that are still open.
func (r *Register) Invitations(ctx context.Context) ([]Invitation, error) {
	out := []Invitation{}
	return out, r.s.List(ctx, &out, "invitations", `SELECT * FROM invitations WHERE used_at = '' AND expires_at > ? ORDER BY created_at, id`, r.s.Stamp())
}

// Invitation is an open one, by the hash of what its link carries. ErrMissing, wrapped, when it was used, has ended, or never was.
func (r *Register) Invitation(ctx context.Context, token string) (Invitation, error) {
	var i Invitation
	return i, r.s.Get(ctx, &i, "invitation", `SELECT * FROM invitations WHERE token = ? AND used_at = '' AND expires_at > ?`, token, r.s.Stamp())
}

// Withdraw ends the open invitations that match: by id, or by whose password they set.
func (r *Register) Withdraw(ctx context.Context, id, person string) (int, error) {
	var n int64
	err := r.s.Write(ctx, "withdraw an invitation", func(tx *sqlx.Tx) error {
		res, err := tx.ExecContext(ctx, `DELETE FROM invitations WHERE used_at = '' AND (id = ? OR (person_id = ? AND person_id <> ''))`, id, person)
		if err == nil {
			n, err = res.RowsAffected()
		}
		return err
	})
	return int(n), err
}

// Accept uses an invitation up and keeps the person whom it makes, with the role that it gives, in one transaction: of two who use one link,
// the second is told that it is missing.
func (r *Register) Accept(ctx context.Context, i Invitation, p Person) (Person, error) {
	if p.ID == "" {
		p.ID, p.CreatedAt = uuid.NewString(), r.s.Stamp()
	}
	err := r.s.Write(ctx, "accept an invitation", func(tx *sqlx.Tx) error {
		res, err := tx.ExecContext(ctx, `UPDATE invitations SET used_at = ? WHERE id = ? AND used_at = '' AND expires_at > ?`, r.s.Stamp(), i.ID, r.s.Stamp())
		if err != nil {
			return err
		}
		if n, err := res.RowsAffected(); err != nil || n == 0 {
			return store.ErrMissing
		}
		if i.Person != "" { // a new password: who may have known the old one is out
			if _, err := tx.ExecContext(ctx, `DELETE FROM sessions WHERE person_id = ?`, p.ID); err != nil {
				return err
			}
		}
		if err := putPerson(ctx, tx, p); err != nil {
			return err
		}
		if i.Role == "" {
			return nil
		}
		return setRole(ctx, tx, Role{p.ID, i.Corpus, i.Role})
	})
	return p, err
}

// Corpus gives the id and name of a corpus by either. ErrMissing, wrapped, when there is none.
func (r *Register) Corpus(ctx context.Context, idOrName string) (id, name string, err error) {
	var row struct{ ID, Name string }
	err = r.s.Get(ctx, &row, "corpus "+idOrName, `SELECT id, name FROM corpora WHERE id = ? OR name = ? ORDER BY id = ? DESC LIMIT 1`, idOrName, idOrName, idOrName)
	return row.ID, row.Name, err
}

// CorpusNames gives the name of every corpus by its id.
func (r *Register) CorpusNames(ctx context.Context) (map[string]string, error) {
	var rows []struct{ ID, Name string }
	if err := r.s.List(ctx, &rows, "corpora", `SELECT id, name FROM corpora`); err != nil {
		return nil, err
	}
	out := make(map[string]string, len(rows))
	for _, x := range rows {
		out[x.ID] = x.Name
	}
	return out, nil
}
