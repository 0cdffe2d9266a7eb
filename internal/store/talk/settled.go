package talk

import (
	"context"

	"github.com/google/uuid"
	"github.com/jmoiron/sqlx"
)

// The states of a settled answer.
const (
	InForce   = "inForce"
	Expired   = "expired"
	Withdrawn = "withdrawn"
)

// SettledAnswer is a question with an answer that a person wrote and signed off.
type SettledAnswer struct {
	ID        string `db:"id"`
	Corpus    string `db:"corpus_id"`
	Question  string `db:"question"`
	Answer    string `db:"answer"`
	Wordings  string `db:"wordings"` // further ones, one a line
	Owner     string `db:"owner"`
	Expires   string `db:"expires"` // a day (2006-01-02) from which it is no longer given; "" for never
	State     string `db:"state"`
	Version   int    `db:"version"`
	Snag      string `db:"snag_id"`
	Warning   string `db:"warning"`
	CreatedAt string `db:"created_at"`
	ChangedAt string `db:"changed_at"`
}

// SettledVersion is what a settled answer was.
type SettledVersion struct {
	Version  int    `db:"version" json:"version"`
	Question string `db:"question" json:"question"`
	Answer   string `db:"answer" json:"answer"`
	Wordings string `db:"wordings" json:"wordings" doc:"Further ones, one a line"`
	Owner    string `db:"owner" json:"owner"`
	Expires  string `db:"expires" json:"expires"`
	State    string `db:"state" json:"state"`
	At       string `db:"at" json:"at"`
}

// SettledAnswers lists the settled answers of a corpus, the last changed first.
func (t *Talk) SettledAnswers(ctx context.Context, corpus string) ([]SettledAnswer, error) {
	out := []SettledAnswer{}
	return out, t.s.List(ctx, &out, "settled answers", `SELECT * FROM settled WHERE corpus_id = ? ORDER BY changed_at DESC, rowid DESC`, corpus)
}

// SettledAnswer reads one settled answer of a corpus.
func (t *Talk) SettledAnswer(ctx context.Context, corpus, id string) (SettledAnswer, error) {
	var s SettledAnswer
	return s, t.s.Get(ctx, &s, "settled answer "+id, `SELECT * FROM settled WHERE corpus_id = ? AND id = ?`, corpus, id)
}

// PutSettledAnswer writes a settled answer, a new one when it has no id, over the version that was read; ErrVersion when it is another one by now.
// What it was is kept.
func (t *Talk) PutSettledAnswer(ctx context.Context, s SettledAnswer) (SettledAnswer, error) {
	s.ChangedAt = t.s.Stamp()
	fresh := s.ID == ""
	if fresh {
		s.ID, s.CreatedAt, s.Version = uuid.NewString(), s.ChangedAt, 0
	}
	return s, t.s.Write(ctx, "keep a settled answer", func(tx *sqlx.Tx) error {
		if fresh {
			if _, err := tx.NamedExecContext(ctx, `INSERT INTO settled (id, corpus_id, question, answer, wordings, owner, expires, state, version, snag_id, warning, created_at, changed_at)
				VALUES (:id, :corpus_id, :question, :answer, :wordings, :owner, :expires, :state, 0, :snag_id, :warning, :created_at, :changed_at)`, s); err != nil {
				return err
			}
		}
		r, err := tx.NamedExecContext(ctx, `UPDATE settled SET question = :question, answer = :answer, wordings = :wordings, owner = :owner, expires = :expires, state = :state, snag_id = :snag_id, warning = :warning, changed_at = :changed_at,
			version = version + 1 WHERE corpus_id = :corpus_id AND id = :id AND version = :version`, s)
		if err := changedOne(r, err, "settled answer "+s.ID); err != nil {
			return err
		}
		s.Version++
		_, err = tx.NamedExecContext(ctx, `INSERT INTO settled_versions (settled_id, version, question, answer, wordings, owner, expires, state, at) VALUES (:id, :version, :question, :answer, :wordings, :owner, :expires, :state, :changed_at)`, s)
		return err
	})
}

// WarnSettled keeps what a source says now about a settled answer; it makes no version.
func (t *Talk) WarnSettled(ctx context.Context, corpus, id, warning string) error {
	return t.s.Write(ctx, "warn of a settled answer", func(tx *sqlx.Tx) error {
		_, err := tx.ExecContext(ctx, `UPDATE settled SET warning = ? WHERE corpus_id = ? AND id = ?`, warning, corpus, id)
		return err
	})
}

// SettledVersions lists what a settled answer was, the latest first.
func (t *Talk) SettledVersions(ctx context.Context, id string) ([]SettledVersion, error) {
	out := []SettledVersion{}
	return out, t.s.List(ctx, &out, "the versions of a settled answer", `SELECT version, question, answer, wordings, owner, expires, state, at FROM settled_versions WHERE settled_id = ? ORDER BY version DESC`, id)
}

// Use is how often replies drew on a document, and what came of it.
type Use struct {
	Used int `db:"used" json:"used" doc:"Replies to users that drew on it"`
	Up   int `db:"up" json:"up" doc:"Of these, with a thumb up or marked right"`
	Down int `db:"down" json:"down" doc:"Of these, with a thumb down or marked wrong"`
}

// UseOf counts how often replies to users drew on any of some documents.
func (t *Talk) UseOf(ctx context.Context, corpus string, documents []string) (Use, error) {
	var out Use
	if len(documents) == 0 {
		return out, nil
	}
	cond, args := "", []any{corpus}
	for i, d := range documents {
		if i > 0 {
			cond += " OR "
		}
		cond, args = cond+"instr(cited, ?) > 0", append(args, d)
	}
	return out, t.s.Get(ctx, &out, "the use of documents", `SELECT count(*) AS used, coalesce(sum(thumb = 'up' OR mark = 'right'), 0) AS up, coalesce(sum(thumb = 'down' OR mark = 'wrong'), 0) AS down
		FROM exchanges WHERE corpus_id = ? AND tests = 0 AND cited <> '' AND (`+cond+`)`, args...)
}
