package served

import (
	"context"
	"database/sql"
	"encoding/json"
	"errors"
	"fmt"

	"github.com/google/uuid"
	"github.com/jmoiron/sqlx"

	"jolvex/core/index"
	"jolvex/core/method"
	"jolvex/internal/store"
)

// Release is a frozen method plus index.
type Release struct {
	ID       string
	Corpus   string
	Number   int // from 1
	Note     string
	Method   method.Method
	Snapshot string
	Manifest index.Manifest
	At       string
	MadeBy   string
	Gate     string // JSON: what the gate said
	Overrule string // why it was made against the gate; empty when it was open
	// Documents are what it was made of. Lists of releases leave them out.
	Documents []Frozen
}

// Frozen is a document as a release has it.
type Frozen struct {
	Document string `json:"document"`
	Version  string `json:"version"`
	Audience string `json:"audience"`
}

const releaseColumns = `id, corpus_id, number, note, method, snapshot, manifest, at, made_by, gate, overruled`

type releaseRow struct {
	ID       string `db:"id"`
	Corpus   string `db:"corpus_id"`
	Number   int    `db:"number"`
	Note     string `db:"note"`
	Method   string `db:"method"`
	Snapshot string `db:"snapshot"`
	Manifest string `db:"manifest"`
	At       string `db:"at"`
	MadeBy   string `db:"made_by"`
	Gate     string `db:"gate"`
	Overrule string `db:"overruled"`

	Documents []byte `db:"documents"`
}

func (r releaseRow) release() (Release, error) {
	out := Release{ID: r.ID, Corpus: r.Corpus, Number: r.Number, Note: r.Note, Snapshot: r.Snapshot, At: r.At, MadeBy: r.MadeBy, Gate: r.Gate, Overrule: r.Overrule, Method: method.Default()}
	if err := json.Unmarshal([]byte(r.Method), &out.Method); err != nil {
		return out, fmt.Errorf("read the method of release %d: %w", r.Number, err)
	}
	if err := json.Unmarshal([]byte(r.Manifest), &out.Manifest); err != nil {
		return out, fmt.Errorf("read the index of release %d: %w", r.Number, err)
	}
	return out, nil
}

// AddRelease freezes a method with the index that is in force. Of what it is given, number, index and time are found here. From now on it is what
// visitors get.
func (v *Served) AddRelease(ctx context.Context, x Release) (Release, error) {
	raw, err := json.Marshal(x.Method)
	if err != nil {
		return Release{}, err
	}
	documents, err := v.s.Pack(x.Documents)
	if err != nil {
		return Release{}, err
	}
	corpus := x.Corpus
	r := releaseRow{ID: uuid.NewString(), Corpus: corpus, Note: x.Note, Method: string(raw), At: v.s.Stamp(), MadeBy: x.MadeBy, Gate: x.Gate, Overrule: x.Overrule, Documents: documents}
	err = v.s.Write(ctx, "make a release", func(tx *sqlx.Tx) error {
		if err := tx.GetContext(ctx, &r.Number, `SELECT coalesce(max(number), 0) + 1 FROM releases WHERE corpus_id = ?`, corpus); err != nil {
			return err
		}
		var in struct{ Name, Body string }
		err := tx.GetContext(ctx, &in, `SELECT name, body FROM manifests WHERE corpus_id = ?`, corpus)
		if errors.Is(err, sql.ErrNoRows) {
			err = store.ErrMissing
		}
		if err != nil {
			return fmt.Errorf("the index in force: %w", err)
		}
		r.Snapshot, r.Manifest = in.Name, in.Body
		_, err = tx.NamedExecContext(ctx, `INSERT INTO releases (id, corpus_id, number, note, method, snapshot, manifest, at, made_by, gate, overruled, documents) VALUES (:id, :corpus_id, :number, :note, :method, :snapshot, :manifest, :at, :made_by, :gate, :overruled, :documents)`, r)
		if err != nil {
			return err
		}
		_, err = tx.ExecContext(ctx, `UPDATE served SET release_id = '' WHERE corpus_id = ?`, corpus)
		return err
	})
	if err != nil {
		return Release{}, err
	}
	return r.release()
}

// Releases lists a corpus's releases, the newest first.
func (v *Served) Releases(ctx context.Context, corpus string, limit int) ([]Release, error) {
	var rows []releaseRow
	if err := v.s.List(ctx, &rows, "list releases", `SELECT `+releaseColumns+` FROM releases WHERE corpus_id = ? ORDER BY number DESC LIMIT ?`, corpus, limit); err != nil {
		return nil, err
	}
	out := make([]Release, len(rows))
	for i, r := range rows {
		var err error
		if out[i], err = r.release(); err != nil {
			return nil, err
		}
	}
	return out, nil
}

// Release is one of a corpus's, by its id. store.ErrMissing, wrapped, when there is none.
func (v *Served) Release(ctx context.Context, corpus, id string) (Release, error) {
	var r releaseRow
	if err := v.s.Get(ctx, &r, "release", `SELECT `+releaseColumns+` FROM releases WHERE corpus_id = ? AND id = ?`, corpus, id); err != nil {
		return Release{}, err
	}
	return r.release()
}

// MadeOf are the documents that a release was made of; none when it was made before they were kept.
func (v *Served) MadeOf(ctx context.Context, id string) ([]Frozen, error) {
	var raw []byte
	if err := v.s.Get(ctx, &raw, "what a release was made of", `SELECT documents FROM releases WHERE id = ?`, id); err != nil || len(raw) == 0 {
		return nil, err
	}
	var out []Frozen
	return out, v.s.Unpack(raw, &out)
}

// Refreeze gives a release the files of an index that was built anew from what it was made of.
func (v *Served) Refreeze(ctx context.Context, id string, m index.Manifest) error {
	raw, err := json.Marshal(m)
	if err != nil {
		return err
	}
	return v.s.Write(ctx, "keep the index of a release", func(tx *sqlx.Tx) error {
		_, err := tx.ExecContext(ctx, `UPDATE releases SET manifest = ? WHERE id = ?`, string(raw), id)
		return err
	})
}

// Restriction is a document of which a release must not say everything that it could.
type Restriction struct {
	Document string `db:"id"`
	Audience string `db:"audience"` // who may be answered from it now; empty when it was removed
}

// Restricted lists the documents of a corpus that are not for everybody now, and those that were removed after a release.
func (v *Served) Restricted(ctx context.Context, corpus string) ([]Restriction, error) {
	var out []Restriction
	return out, v.s.List(ctx, &out, "list what is not for everybody", `SELECT id, own_audience AS audience FROM documents WHERE corpus_id = ? AND own_audience <> '' AND own_audience <> ?
		UNION ALL SELECT d.id, s.audience FROM sources s JOIN documents d ON d.source_id = s.id WHERE s.corpus_id = ? AND s.audience <> ? AND d.own_audience = ''
		UNION ALL SELECT document_id, '' FROM withdrawn WHERE corpus_id = ?`, corpus, index.Public, corpus, index.Public, corpus)
}
