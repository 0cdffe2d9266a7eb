package talk

import (
	"context"
	"errors"
	"fmt"

	"github.com/google/uuid"
	"github.com/jmoiron/sqlx"

	"jolvex/internal/store"
)

// ErrVersion says that a snag or a settled answer is not what the caller has read: somebody changed it meanwhile.
var ErrVersion = errors.New("it was changed by somebody else meanwhile")

// The states of a snag.
const (
	Open      = "open"
	Waiting   = "waiting" // to be mended at its source
	Settled   = "settled"
	Dismissed = "dismissed"
)

// Snag is something to mend.
type Snag struct {
	ID        string `db:"id"`
	Corpus    string `db:"corpus_id"`
	Kind      string `db:"kind"`
	Title     string `db:"title"`
	State     string `db:"state"`
	Owner     string `db:"owner"`
	Note      string `db:"note"`
	Due       string `db:"due"`
	Reason    string `db:"reason"`
	How       string `db:"how"`
	Fact      string `db:"fact"`
	Document  string `db:"document"`
	Seen      string `db:"seen"`
	Before    string `db:"before"`
	After     string `db:"after"`
	Cause     string `db:"cause"`
	CreatedAt string `db:"created_at"`
	ChangedAt string `db:"changed_at"`
	EndedAt   string `db:"ended_at"`
	Version   int    `db:"version"`

	Asked    int    `db:"asked"`    // exchanges gathered in it
	Visitors int    `db:"visitors"` // conversations that they belong to
	Refused  int    `db:"refused"`  // of the exchanges
	Items    int    `db:"items"`    // what else it was made of
	First    string `db:"first"`    // when it was first asked
	Last     string `db:"last"`
}

const snagsWithCounts = `SELECT s.*, count(e.id) AS asked, count(DISTINCT e.conversation_id) AS visitors, coalesce(sum(e.outcome = 'refused'), 0) AS refused,
	(SELECT count(*) FROM snag_items i WHERE i.snag_id = s.id) AS items, coalesce(min(e.at), s.created_at) AS first, coalesce(max(e.at), s.created_at) AS last
	FROM snags s LEFT JOIN exchanges e ON e.snag_id = s.id AND s.id <> '' WHERE s.corpus_id = ?`

// Snags lists the snags of a corpus in a state, or of all states, those most asked first.
func (t *Talk) Snags(ctx context.Context, corpus, state string) ([]Snag, error) {
	out := []Snag{}
	return out, t.s.List(ctx, &out, "snags", snagsWithCounts+` AND (? = '' OR s.state = ?) GROUP BY s.id ORDER BY count(e.id) DESC, max(e.at) DESC, s.created_at DESC`, corpus, state, state)
}

// Snag reads one snag of a corpus.
func (t *Talk) Snag(ctx context.Context, corpus, id string) (Snag, error) {
	var s Snag
	return s, t.s.Get(ctx, &s, "snag "+id, snagsWithCounts+` AND s.id = ? GROUP BY s.id`, corpus, id)
}

// CountSnags counts the snags of a corpus by state.
func (t *Talk) CountSnags(ctx context.Context, corpus string) (map[string]int, error) {
	var rows []struct {
		State string `db:"state"`
		N     int    `db:"n"`
	}
	err := t.s.List(ctx, &rows, "snags by state", `SELECT state, count(*) AS n FROM snags WHERE corpus_id = ? GROUP BY state`, corpus)
	out := map[string]int{}
	for _, r := range rows {
		out[r.State] = r.N
	}
	return out, err
}

// AddSnag makes a snag of exchanges, or of something else that is named by ref. It gets its id and times.
func (t *Talk) AddSnag(ctx context.Context, s Snag, exchanges []string, ref, question string) (Snag, error) {
	s.ID, s.CreatedAt, s.Version = uuid.NewString(), t.s.Stamp(), 1
	s.ChangedAt, s.State = s.CreatedAt, Open
	return s, t.s.Write(ctx, "make a snag", func(tx *sqlx.Tx) error {
		if _, err := tx.NamedExecContext(ctx, `INSERT INTO snags (id, corpus_id, kind, title, state, owner, note, fact, created_at, changed_at, version) VALUES (:id, :corpus_id, :kind, :title, :state, :owner, :note, :fact, :created_at, :changed_at, :version)`, s); err != nil {
			return err
		}
		if ref != "" {
			if _, err := tx.ExecContext(ctx, `INSERT INTO snag_items (snag_id, ref, question, at) VALUES (?, ?, ?, ?)`, s.ID, ref, question, s.CreatedAt); err != nil {
				return err
			}
		}
		return into(ctx, tx, s.Corpus, s.ID, exchanges)
	})
}

// into gathers exchanges in a snag.
func into(ctx context.Context, tx *sqlx.Tx, corpus, snag string, exchanges []string) error {
	for _, e := range exchanges {
		if _, err := tx.ExecContext(ctx, `UPDATE exchanges SET snag_id = ? WHERE corpus_id = ? AND id = ?`, snag, corpus, e); err != nil {
			return err
		}
	}
	return nil
}

// Gather puts exchanges into a snag, which gets another title when one is given.
func (t *Talk) Gather(ctx context.Context, corpus, snag, title string, exchanges []string) error {
	return t.s.Write(ctx, "gather in a snag", func(tx *sqlx.Tx) error {
		if title != "" {
			if _, err := tx.ExecContext(ctx, `UPDATE snags SET title = ? WHERE corpus_id = ? AND id = ?`, title, corpus, snag); err != nil {
				return err
			}
		}
		return into(ctx, tx, corpus, snag, exchanges)
	})
}

// SnagOf is the snag that something named by ref is in; ErrMissing when there is none.
func (t *Talk) SnagOf(ctx context.Context, corpus, ref string) (string, error) {
	var id string
	return id, t.s.Get(ctx, &id, "a snag of "+ref, `SELECT s.id FROM snag_items i JOIN snags s ON s.id = i.snag_id WHERE s.corpus_id = ? AND i.ref = ? LIMIT 1`, corpus, ref)
}

// Item is what a snag was made of besides exchanges.
type Item struct {
	Ref      string `db:"ref" json:"ref" doc:"run/question of a verdict, or finding/id of a conflict"`
	Question string `db:"question" json:"question"`
	At       string `db:"at" json:"at"`
}

// Items lists what a snag was made of besides exchanges.
func (t *Talk) Items(ctx context.Context, snag string) ([]Item, error) {
	out := []Item{}
	return out, t.s.List(ctx, &out, "what a snag was made of", `SELECT ref, question, at FROM snag_items WHERE snag_id = ? ORDER BY at`, snag)
}

// ChangeSnag writes what a person may change of a snag, over the version that was read; ErrVersion when it is another one by now.
func (t *Talk) ChangeSnag(ctx context.Context, s Snag) (Snag, error) {
	s.ChangedAt = t.s.Stamp()
	switch {
	case s.State != Settled && s.State != Dismissed:
		s.EndedAt = ""
	case s.EndedAt == "":
		s.EndedAt = s.ChangedAt
	}
	return s, t.s.Write(ctx, "change a snag", func(tx *sqlx.Tx) error {
		r, err := tx.NamedExecContext(ctx, `UPDATE snags SET title = :title, state = :state, owner = :owner, note = :note, due = :due, reason = :reason, how = :how, fact = :fact,
			document = :document, seen = :seen, before = :before, after = :after, cause = :cause, changed_at = :changed_at, ended_at = :ended_at, version = version + 1
			WHERE corpus_id = :corpus_id AND id = :id AND version = :version`, s)
		if err := changedOne(r, err, "snag "+s.ID); err != nil {
			return err
		}
		s.Version++
		return nil
	})
}

// changedOne is ErrVersion when a change met no row.
func changedOne(r interface{ RowsAffected() (int64, error) }, err error, what string) error {
	if err != nil {
		return err
	}
	if n, err := r.RowsAffected(); err != nil || n == 0 {
		return errors.Join(err, fmt.Errorf("%s: %w", what, ErrVersion))
	}
	return nil
}

// MergeSnags puts all that is in one snag into another, and removes the first.
func (t *Talk) MergeSnags(ctx context.Context, corpus, from, to string) error {
	return t.s.Write(ctx, "merge snags", func(tx *sqlx.Tx) error {
		if _, err := tx.ExecContext(ctx, `UPDATE exchanges SET snag_id = ? WHERE corpus_id = ? AND snag_id = ?`, to, corpus, from); err != nil {
			return err
		}
		if _, err := tx.ExecContext(ctx, `UPDATE OR IGNORE snag_items SET snag_id = ? WHERE snag_id = ?`, to, from); err != nil {
			return err
		}
		r, err := tx.ExecContext(ctx, `DELETE FROM snags WHERE corpus_id = ? AND id = ?`, corpus, from)
		if err != nil {
			return err
		}
		if n, err := r.RowsAffected(); err != nil || n == 0 {
			return errors.Join(err, fmt.Errorf("snag %s: %w", from, store.ErrMissing))
		}
		return nil
	})
}

// Loose lists exchanges that something went wrong with and that no snag has gathered, the oldest first: users' questions without an answer, or
// with a thumb down, and whatever is marked wrong. Those that a person has marked right are left.
func (t *Talk) Loose(ctx context.Context, corpus string, most int) ([]Exchange, error) {
	out := []Exchange{}
	return out, t.s.List(ctx, &out, "what went wrong", `SELECT * FROM exchanges WHERE corpus_id = ? AND snag_id = '' AND mark <> 'right' AND due = 0
		AND (tests = 0 AND (outcome = 'refused' OR thumb = 'down') OR mark = 'wrong') ORDER BY at, id LIMIT ?`, corpus, most)
}

// Gathered lists exchanges of snags that are open or wait, at most so many of each, for what comes to be held against them.
func (t *Talk) Gathered(ctx context.Context, corpus string, most int) ([]Exchange, error) {
	out := []Exchange{}
	return out, t.s.List(ctx, &out, "what is gathered in snags", `SELECT id, conversation_id, corpus_id, place, at, outcome, mark, thumb, language, question, alone, said, snag_id FROM (SELECT e.*, row_number() OVER (PARTITION BY e.snag_id ORDER BY e.at DESC) AS nth FROM exchanges e JOIN snags s ON s.id = e.snag_id
		WHERE e.corpus_id = ? AND e.snag_id <> '' AND s.state IN ('open', 'waiting')) WHERE nth <= ?`, corpus, most)
}

// Questions lists the different questions of users, each with its last outcome, how often it was asked and what snag it is in, the most frequent
// first.
func (t *Talk) Questions(ctx context.Context, corpus, since string, most int) ([]Asked, error) {
	out := []Asked{}
	return out, t.s.List(ctx, &out, "what was asked", `SELECT CASE WHEN alone <> '' THEN alone ELSE question END AS question, max(at) AS at, outcome, mark, thumb, snag_id, cited, language, id, count(*) AS count FROM exchanges WHERE corpus_id = ? AND tests = 0 AND outcome NOT IN ('', 'courtesy') AND at >= ?
		GROUP BY lower(CASE WHEN alone <> '' THEN alone ELSE question END) ORDER BY count DESC, at DESC LIMIT ?`, corpus, since, most)
}

// Asked is one wording of what users ask.
type Asked struct {
	ID       string `db:"id"` // of its last exchange
	Question string `db:"question"`
	At       string `db:"at"`
	Outcome  string `db:"outcome"`
	Mark     string `db:"mark"`
	Thumb    string `db:"thumb"`
	Snag     string `db:"snag_id"`
	Cited    string `db:"cited"`
	Language string `db:"language"`
	Count    int    `db:"count"`
}
