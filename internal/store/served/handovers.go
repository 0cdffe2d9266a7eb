package served

import (
	"context"

	"github.com/google/uuid"
	"github.com/jmoiron/sqlx"

	"jolvex/internal/store"
)

// The states of a hand-over.
const (
	Waiting = "waiting" // for a person
	Taken   = "taken"   // a person is on it
	Closed  = "closed"
)

// Who says a line of a hand-over.
const (
	ByStaff   = "staff"
	ByVisitor = "visitor"
)

// Handover is a conversation that waits for a person, or is with one.
type Handover struct {
	ID           string `db:"id"`
	Corpus       string `db:"corpus_id"`
	Conversation string `db:"conversation_id"`
	Rule         string `db:"rule"` // name of the house rule
	Team         string `db:"team"`
	Purpose      string `db:"purpose"`
	Who          string `db:"who"` // name that the site gives of who asked; empty when it gives none
	State        string `db:"state"`
	TakenBy      string `db:"taken_by"`
	OpenedAt     string `db:"opened_at"`
	ChangedAt    string `db:"changed_at"`
}

// Line is something that was said after a hand-over.
type Line struct {
	ID       int64  `db:"id"`
	Handover string `db:"handover_id"`
	Author   string `db:"author"`
	Name     string `db:"name"`
	Text     string `db:"text"`
	Mailed   bool   `db:"mailed"`
	At       string `db:"at"`
}

// OpenHandover has a conversation wait for a person. One that does already stays as it is.
func (v *Served) OpenHandover(ctx context.Context, h Handover) (Handover, error) {
	h.ID, h.State, h.OpenedAt = uuid.NewString(), Waiting, v.s.Stamp()
	h.ChangedAt = h.OpenedAt
	return h, v.s.Write(ctx, "hand a conversation over", func(tx *sqlx.Tx) error {
		if _, err := tx.NamedExecContext(ctx, `INSERT INTO handovers (id, corpus_id, conversation_id, rule, team, purpose, who, state, opened_at, changed_at)
			VALUES (:id, :corpus_id, :conversation_id, :rule, :team, :purpose, :who, :state, :opened_at, :changed_at) ON CONFLICT DO NOTHING`, h); err != nil {
			return err
		}
		return tx.GetContext(ctx, &h, `SELECT * FROM handovers WHERE conversation_id = ? AND state <> 'closed'`, h.Conversation)
	})
}

// Handovers lists those of a corpus that are open, the longest waiting first, or those that were closed, the last first.
func (v *Served) Handovers(ctx context.Context, corpus string, closed bool, most int) ([]Handover, error) {
	out := []Handover{}
	q := `SELECT * FROM handovers WHERE corpus_id = ? AND state <> 'closed' ORDER BY opened_at, rowid LIMIT ?`
	if closed {
		q = `SELECT * FROM handovers WHERE corpus_id = ? AND state = 'closed' ORDER BY changed_at DESC, rowid DESC LIMIT ?`
	}
	return out, v.s.List(ctx, &out, "hand-overs", q, corpus, most)
}

// Handover is one of a corpus. ErrMissing, wrapped, when there is none.
func (v *Served) Handover(ctx context.Context, corpus, id string) (Handover, error) {
	var h Handover
	return h, v.s.Get(ctx, &h, "hand-over "+id, `SELECT * FROM handovers WHERE corpus_id = ? AND id = ?`, corpus, id)
}

// HandoverOf is the last one of a conversation. ErrMissing, wrapped, when it was never handed over.
func (v *Served) HandoverOf(ctx context.Context, corpus, conversation string) (Handover, error) {
	var h Handover
	return h, v.s.Get(ctx, &h, "hand-over", `SELECT * FROM handovers WHERE corpus_id = ? AND conversation_id = ? ORDER BY opened_at DESC, rowid DESC LIMIT 1`, corpus, conversation)
}

// TakeHandover gives an open one to a person. From whom it was is what the caller read: false when it is somebody else's by now, or closed.
func (v *Served) TakeHandover(ctx context.Context, id, from, by string) (bool, error) {
	return v.changed(ctx, "take a conversation over", `UPDATE handovers SET state = 'taken', taken_by = ?, changed_at = ? WHERE id = ? AND taken_by = ? AND state <> 'closed'`, by, v.s.Stamp(), id, from)
}

// CloseHandover ends one; false when it was closed already.
func (v *Served) CloseHandover(ctx context.Context, id string) (bool, error) {
	return v.changed(ctx, "close a hand-over", `UPDATE handovers SET state = 'closed', changed_at = ? WHERE id = ? AND state <> 'closed'`, v.s.Stamp(), id)
}

func (v *Served) changed(ctx context.Context, what, query string, args ...any) (bool, error) {
	var n int64
	err := v.s.Write(ctx, what, func(tx *sqlx.Tx) error {
		r, err := tx.ExecContext(ctx, query, args...)
		if err == nil {
			n, err = r.RowsAffected()
		}
		return err
	})
	return n > 0, err
}

// AddLine keeps what was said in a hand-over that is open. ErrMissing when it was closed meanwhile.
func (v *Served) AddLine(ctx context.Context, l Line) (Line, error) {
	l.At = v.s.Stamp()
	return l, v.s.Write(ctx, "keep a line", func(tx *sqlx.Tx) error {
		r, err := tx.ExecContext(ctx, `UPDATE handovers SET changed_at = ? WHERE id = ? AND state <> 'closed'`, l.At, l.Handover)
		if err != nil {
			return err
		}
		if n, err := r.RowsAffected(); err != nil || n == 0 {
			return store.ErrMissing
		}
		r, err = tx.NamedExecContext(ctx, `INSERT INTO handover_lines (handover_id, author, name, text, mailed, at) VALUES (:handover_id, :author, :name, :text, :mailed, :at)`, l)
		if err != nil {
			return err
		}
		l.ID, err = r.LastInsertId()
		return err
	})
}

// Lines lists what was said after one, those after a line's id.
func (v *Served) Lines(ctx context.Context, handover string, after int64) ([]Line, error) {
	out := []Line{}
	return out, v.s.List(ctx, &out, "lines", `SELECT * FROM handover_lines WHERE handover_id = ? AND id > ? ORDER BY id LIMIT 500`, handover, after)
}

// Told are the details that were told in a conversation, as JSON lists of names and values, the last first.
func (v *Served) Told(ctx context.Context, conversation string) ([]string, error) {
	out := []string{}
	return out, v.s.List(ctx, &out, "details", `SELECT n.told FROM notices n JOIN exchanges e ON e.id = n.reply_id WHERE e.conversation_id = ? ORDER BY n.at DESC, n.rowid DESC LIMIT 20`, conversation)
}

// Detailed are the conversations of a corpus in which details were told, with them as JSON, the last first.
func (v *Served) Detailed(ctx context.Context, corpus string) ([]Detailed, error) {
	out := []Detailed{}
	return out, v.s.List(ctx, &out, "details", `SELECT DISTINCT e.conversation_id, n.told FROM notices n JOIN exchanges e ON e.id = n.reply_id WHERE n.corpus_id = ? AND n.told <> '[]' ORDER BY n.at DESC LIMIT 20000`, corpus)
}

// Detailed is a conversation with details that were told in it.
type Detailed struct {
	Conversation string `db:"conversation_id"`
	Told         string `db:"told"`
}
