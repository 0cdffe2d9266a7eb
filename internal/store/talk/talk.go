// Package talk keeps what was asked and what came of it: conversations with their exchanges, samples of them, snags, and settled answers.
package talk

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"strings"
	"time"

	"github.com/google/uuid"
	"github.com/jmoiron/sqlx"

	"jolvex/internal/store"
)

// Talk reads and writes them in a store.
type Talk struct{ s *store.Store }

// New is the talk of a store.
func New(s *store.Store) *Talk { return &Talk{s} }

// Conversation is what one visitor asked in one go.
type Conversation struct {
	ID       string `db:"id"`
	Corpus   string `db:"corpus_id"`
	Outside  string `db:"outside"` // what an imported log calls it
	Surface  string `db:"surface"`
	Audience string `db:"audience"`
	Visitor  string `db:"visitor"`
	Page     string `db:"page"`
	Tests    bool   `db:"tests"` // of people who work here
	BeganAt  string `db:"began_at"`
	LastAt   string `db:"last_at"`
	Release  string `db:"release_id"` // with which it began; empty for the draft
}

// Exchange is one message with the reply that it got.
type Exchange struct {
	ID           string  `db:"id"`
	Conversation string  `db:"conversation_id"`
	Corpus       string  `db:"corpus_id"`
	Place        int     `db:"place"`
	At           string  `db:"at"`
	Tests        bool    `db:"tests"`
	Surface      string  `db:"surface"`
	Language     string  `db:"language"`
	Outcome      string  `db:"outcome"`
	Mark         string  `db:"mark"`
	Thumb        string  `db:"thumb"`
	Support      float64 `db:"support"`
	Question     string  `db:"question"`
	Alone        string  `db:"alone"` // the question made to stand by itself, where that is another wording
	Said         string  `db:"said"`
	Page         string  `db:"page"`
	Rules        string  `db:"rules"`
	Cited        string  `db:"cited"`
	Word         string  `db:"word"`
	Note         string  `db:"note"`
	ReviewedAt   string  `db:"reviewed_at"`
	Reviewer     string  `db:"reviewer"`
	Snag         string  `db:"snag_id"`
	Sample       string  `db:"sample_id"`
	Trailed      bool    `db:"trailed"`
	Due          bool    `db:"due"`
}

const putConversation = `INSERT INTO conversations (id, corpus_id, outside, surface, audience, visitor, page, tests, began_at, last_at, release_id)
	VALUES (:id, :corpus_id, :outside, :surface, :audience, :visitor, :page, :tests, :began_at, :last_at, :release_id)`

const putExchange = `INSERT INTO exchanges (id, conversation_id, corpus_id, place, at, tests, surface, language, outcome, mark, thumb, support, question, alone, said, page, rules, cited, word, note, reviewed_at, reviewer, snag_id, sample_id, trailed, due)
	VALUES (:id, :conversation_id, :corpus_id, :place, :at, :tests, :surface, :language, :outcome, :mark, :thumb, :support, :question, :alone, :said, :page, :rules, :cited, :word, :note, :reviewed_at, :reviewer, :snag_id, :sample_id, :trailed, :due)`

// In writes an exchange into a transaction, at the end of its conversation, which is begun when it is not there. The exchange's place and
// time are set.
func (t *Talk) In(ctx context.Context, tx *sqlx.Tx, c Conversation, e Exchange) error {
	e.At = t.s.Stamp()
	c.BeganAt, c.LastAt = e.At, e.At
	var there int
	if err := tx.GetContext(ctx, &there, `SELECT count(*) FROM conversations WHERE id = ?`, c.ID); err != nil {
		return err
	}
	if there == 0 {
		if _, err := tx.NamedExecContext(ctx, putConversation, c); err != nil {
			return err
		}
	} else if _, err := tx.ExecContext(ctx, `UPDATE conversations SET last_at = ? WHERE id = ?`, e.At, c.ID); err != nil {
		return err
	}
	e.Conversation, e.Corpus, e.Surface, e.Page, e.Tests = c.ID, c.Corpus, c.Surface, c.Page, c.Tests
	if err := tx.GetContext(ctx, &e.Place, `SELECT count(*) FROM exchanges WHERE conversation_id = ?`, c.ID); err != nil {
		return err
	}
	_, err := tx.NamedExecContext(ctx, putExchange, e)
	return err
}

// imported is how many conversations go into one transaction.
const imported = 200

// Import keeps the conversations of a log with their exchanges. One that is there already, by the name that the log has for it, is passed
// over. It gives how many were new; told is called after each batch.
func (t *Talk) Import(ctx context.Context, cs []Conversation, es map[string][]Exchange, told func(done int)) (fresh int, err error) {
	for from := 0; from < len(cs); from += imported {
		batch := cs[from:min(from+imported, len(cs))]
		if err := t.s.Write(ctx, "keep the conversations of a log", func(tx *sqlx.Tx) error {
			put, err := tx.PrepareNamedContext(ctx, putExchange)
			if err != nil {
				return err
			}
			defer put.Close()
			for _, c := range batch {
				var there int
				if c.Outside != "" {
					if err := tx.GetContext(ctx, &there, `SELECT count(*) FROM conversations WHERE corpus_id = ? AND outside = ? AND outside <> ''`, c.Corpus, c.Outside); err != nil {
						return err
					}
				}
				if there > 0 {
					continue
				}
				fresh++
				if _, err := tx.NamedExecContext(ctx, putConversation, c); err != nil {
					return err
				}
				for _, e := range es[c.ID] {
					if _, err := put.ExecContext(ctx, e); err != nil {
						return err
					}
				}
			}
			return nil
		}); err != nil {
			return fresh, err
		}
		told(from + len(batch))
	}
	return fresh, nil
}

// Conversation reads one conversation of a corpus with its exchanges from a place on, at most so many.
func (t *Talk) Conversation(ctx context.Context, corpus, id string, from, most int) (Conversation, []Exchange, error) {
	var c Conversation
	if err := t.s.Get(ctx, &c, "conversation "+id, `SELECT * FROM conversations WHERE corpus_id = ? AND id = ?`, corpus, id); err != nil {
		return c, nil, err
	}
	es := []Exchange{}
	return c, es, t.s.List(ctx, &es, "the exchanges of a conversation", `SELECT * FROM exchanges WHERE conversation_id = ? AND place >= ? ORDER BY place LIMIT ?`, id, from, most)
}

// Exchange reads one exchange of a corpus.
func (t *Talk) Exchange(ctx context.Context, corpus, id string) (Exchange, error) {
	var e Exchange
	return e, t.s.Get(ctx, &e, "exchange "+id, `SELECT * FROM exchanges WHERE corpus_id = ? AND id = ?`, corpus, id)
}

// Filter says which exchanges are meant; the zero value means all of users' traffic.
type Filter struct {
	Since, Until string // stamps; until is not included
	Tests        bool   // traffic of people who work here, instead of that of users
	Surface      string
	Outcome      string
	Language     string
	Page         string // a part of the address
	Rule         string // the name of a house rule that fired
	Mark         string // right, wrong, doubtful; any, none
	Thumb        string // up, down
	Search       string // in what was asked and said
	Snag         string
	Sample       string
	Visitor      string
	Counting     bool   // what is only counted: texts that are long and what is seldom asked for are left out
	Before       string // a place in the list, as Exchange.Cursor gives it: what is older than that
	Limit        int
}

// Asks is the question in words that stand by themselves.
func (e Exchange) Asks() string { return cmp.Or(e.Alone, e.Question) }

// Cursor names the exchange's place in the list.
func (e Exchange) Cursor() string { return e.At + " " + e.ID }

// where is the condition of a filter, without its place in the list.
func (f Filter) where(corpus string) (string, []any) {
	cond, args := []string{"corpus_id = ?", "tests = ?"}, []any{corpus, f.Tests}
	add := func(c string, a ...any) { cond, args = append(cond, c), append(args, a...) }
	for _, x := range []struct{ value, c string }{
		{f.Since, "at >= ?"},
		{f.Until, "at < ?"},
		{f.Surface, "surface = ?"},
		{f.Outcome, "outcome = ?"},
		{f.Language, "language = ?"},
		{f.Thumb, "thumb = ?"},
		{f.Snag, "snag_id = ?"},
		{f.Sample, "sample_id = ?"},
	} {
		if x.value != "" {
			add(x.c, x.value)
		}
	}
	switch f.Mark {
	case "":
	case "any":
		add("mark <> ''")
	case "none":
		add("mark = ''")
	default:
		add("mark = ?", f.Mark)
	}
	if f.Page != "" {
		add(`page LIKE ? ESCAPE '\'`, part(f.Page))
	}
	if f.Rule != "" {
		add(`char(10) || rules || char(10) LIKE ? ESCAPE '\'`, "%\n"+strings.Trim(part(f.Rule), "%")+"\n%")
	}
	if f.Search != "" {
		add(`(question LIKE ? ESCAPE '\' OR said LIKE ? ESCAPE '\')`, part(f.Search), part(f.Search))
	}
	if f.Visitor != "" {
		add("conversation_id IN (SELECT id FROM conversations WHERE corpus_id = ? AND visitor = ?)", corpus, f.Visitor)
	}
	return strings.Join(cond, " AND "), args
}

// part is a pattern of LIKE for a text anywhere.
func part(s string) string {
	return "%" + strings.NewReplacer(`\`, `\\`, "%", `\%`, "_", `\_`).Replace(s) + "%"
}

// Exchanges lists exchanges of a corpus, the newest first.
func (t *Talk) Exchanges(ctx context.Context, corpus string, f Filter) ([]Exchange, error) {
	cond, args := f.where(corpus)
	if at, id, ok := strings.Cut(f.Before, " "); ok {
		cond, args = cond+" AND (at, id) < (?, ?)", append(args, at, id)
	}
	out := []Exchange{}
	return out, t.s.List(ctx, &out, "the log", `SELECT * FROM exchanges WHERE `+cond+` ORDER BY at DESC, id DESC LIMIT ?`, append(args, f.Limit)...)
}

// Each calls f with the exchanges of a filter, the oldest first, in batches.
func (t *Talk) Each(ctx context.Context, corpus string, f Filter, do func([]Exchange) error) error {
	at, id := f.Since, "" // one lower bound alone: with two, the index is read from the first of them on for each batch
	f.Since = ""
	cond, args := f.where(corpus)
	const batch = 1000
	columns := "*"
	if f.Counting {
		columns = "id, conversation_id, at, outcome, mark, thumb, surface, language, question, alone, trailed"
	}
	for {
		es := []Exchange{}
		if err := t.s.List(ctx, &es, "the log", `SELECT `+columns+` FROM exchanges WHERE `+cond+` AND (at, id) > (?, ?) ORDER BY at, id LIMIT ?`, append(append([]any{}, args...), at, id, batch)...); err != nil {
			return err
		}
		if len(es) == 0 {
			return nil
		}
		if err := do(es); err != nil {
			return err
		}
		at, id = es[len(es)-1].At, es[len(es)-1].ID
	}
}

// Bucket counts the exchanges of one outcome that began in a stretch of time.
type Bucket struct {
	Start   string `db:"start" json:"start"` // UTC, whole ten minutes
	Outcome string `db:"outcome" json:"outcome"`
	Count   int    `db:"count" json:"count"`
	Wrong   int    `db:"wrong" json:"wrong"` // of these, marked wrong or given a thumb down
}

// Buckets counts the exchanges of a filter by ten minutes and outcome. A zone that is off by half an hour is served rightly by them.
func (t *Talk) Buckets(ctx context.Context, corpus string, f Filter) ([]Bucket, error) {
	cond, args := f.where(corpus)
	out := []Bucket{}
	return out, t.s.List(ctx, &out, "the log's counts", `SELECT substr(at, 1, 15) || '0:00Z' AS start, outcome, count(*) AS count, sum(mark = 'wrong' OR thumb = 'down') AS wrong FROM exchanges WHERE `+cond+` GROUP BY 1, 2 ORDER BY 1`, args...)
}

// Values lists what filters can be set to: surfaces, languages and rules of a corpus's exchanges.
func (t *Talk) Values(ctx context.Context, corpus string, tests bool) (surfaces, languages, rules []string, err error) {
	for _, x := range []struct {
		into   *[]string
		column string
	}{{&surfaces, "surface"}, {&languages, "language"}, {&rules, "rules"}} {
		*x.into = []string{}
		err = errors.Join(err, t.s.List(ctx, x.into, "what the log can be filtered by", `SELECT DISTINCT `+x.column+` FROM exchanges WHERE corpus_id = ? AND tests = ? AND `+x.column+` <> '' ORDER BY 1 LIMIT 200`, corpus, tests))
	}
	return surfaces, languages, rules, err
}

// Marking is what a person says of an exchange.
type Marking struct {
	Mark     string
	Note     string
	Reviewer string
}

// Mark keeps what a person says of exchanges. An empty mark with reviewed set says that they were read and nothing was wrong.
func (t *Talk) Mark(ctx context.Context, corpus string, ids []string, m Marking, reviewed bool) error {
	at := ""
	if reviewed {
		at = t.s.Stamp()
	}
	return t.s.Write(ctx, "mark exchanges", func(tx *sqlx.Tx) error {
		for _, id := range ids {
			r, err := tx.ExecContext(ctx, `UPDATE exchanges SET mark = ?, note = ?, reviewer = ?, reviewed_at = ? WHERE corpus_id = ? AND id = ?`, m.Mark, m.Note, m.Reviewer, at, corpus, id)
			if err != nil {
				return err
			}
			if n, err := r.RowsAffected(); err != nil || n == 0 {
				return errors.Join(err, fmt.Errorf("exchange %s: %w", id, store.ErrMissing))
			}
		}
		return nil
	})
}

// Thumb keeps what a visitor thinks of a reply.
func (t *Talk) Thumb(ctx context.Context, corpus, id, thumb, word string) error {
	return t.s.Write(ctx, "keep a thumb", func(tx *sqlx.Tx) error {
		_, err := tx.ExecContext(ctx, `UPDATE exchanges SET thumb = ?, word = ? WHERE corpus_id = ? AND id = ?`, thumb, word, corpus, id)
		return err
	})
}

// Reviewed is up to when somebody has read; "" for never.
func (t *Talk) Reviewed(ctx context.Context, corpus, person string) (string, error) {
	var at string
	err := t.s.Get(ctx, &at, "the last review", `SELECT at FROM review_times WHERE corpus_id = ? AND person = ?`, corpus, person)
	if errors.Is(err, store.ErrMissing) {
		err = nil
	}
	return at, err
}

// SetReviewed says that somebody has read all up to now.
func (t *Talk) SetReviewed(ctx context.Context, corpus, person string) (string, error) {
	at := t.s.Stamp()
	return at, t.s.Write(ctx, "keep the time of a review", func(tx *sqlx.Tx) error {
		_, err := tx.ExecContext(ctx, `INSERT OR REPLACE INTO review_times (corpus_id, person, at) VALUES (?, ?, ?)`, corpus, person, at)
		return err
	})
}

// Erase deletes all conversations of a visitor of a corpus, with the trails of their replies. It gives how many they were.
func (t *Talk) Erase(ctx context.Context, corpus, visitor string) (int, error) {
	return t.erase(ctx, corpus, `c.visitor = ?`, visitor)
}

// EraseBefore deletes the conversations of a corpus in which nothing was said since a stamp, but for those that are with a person and those that hold an
// open snag. It gives how many they were.
func (t *Talk) EraseBefore(ctx context.Context, corpus, before string) (int, error) {
	return t.erase(ctx, corpus, `c.last_at < ? AND NOT EXISTS (SELECT 1 FROM handovers h WHERE h.conversation_id = c.id AND h.state <> 'closed')
		AND NOT EXISTS (SELECT 1 FROM exchanges x JOIN snags s ON s.id = x.snag_id WHERE x.conversation_id = c.id AND s.state = 'open')`, before)
}

// erase deletes the conversations c of a corpus of which something holds, with all that was said, told and sent in them.
func (t *Talk) erase(ctx context.Context, corpus, holds, of string) (int, error) {
	var n int64
	return int(n), t.s.Write(ctx, "erase conversations", func(tx *sqlx.Tx) error {
		of := []any{corpus, of}
		conversations := `SELECT c.id FROM conversations c WHERE c.corpus_id = ? AND ` + holds
		for _, q := range []string{
			`DELETE FROM deliveries WHERE subscription_id = '' AND recipient IN (SELECT json_extract(j.value, '$.value') FROM exchanges e
				JOIN notices n ON n.reply_id = e.id JOIN json_each(n.told) j WHERE e.conversation_id IN (` + conversations + `))`, // what was mailed to them
			`DELETE FROM deliveries WHERE conversation_id IN (` + conversations + `)`,
			`DELETE FROM notices WHERE reply_id IN (SELECT e.id FROM exchanges e WHERE e.conversation_id IN (` + conversations + `))`,
			`DELETE FROM replies WHERE id IN (SELECT e.id FROM exchanges e WHERE e.conversation_id IN (` + conversations + `))`,
		} {
			if _, err := tx.ExecContext(ctx, q, of...); err != nil {
				return err
			}
		}
		r, err := tx.ExecContext(ctx, `DELETE FROM conversations WHERE id IN (`+conversations+`)`, of...)
		if err != nil {
			return err
		}
		if n, err = r.RowsAffected(); err != nil {
			return err
		}
		// A snag that nothing is left in would keep what was asked as its title.
		_, err = tx.ExecContext(ctx, `DELETE FROM snags WHERE corpus_id = ? AND NOT EXISTS (SELECT 1 FROM exchanges e WHERE e.snag_id = snags.id) AND NOT EXISTS (SELECT 1 FROM snag_items i WHERE i.snag_id = snags.id)`, corpus)
		return err
	})
}

// Spoken is what was said in a conversation after it was handed over to a person.
type Spoken struct {
	Author string `db:"author" json:"author" enum:"staff,visitor"`
	Name   string `db:"name" json:"name" doc:"Of the person; empty for the asker"`
	Text   string `db:"text" json:"text"`
	At     string `db:"at" json:"at"`
}

// Spoken lists what was said in a conversation after it was handed over, the oldest first.
func (t *Talk) Spoken(ctx context.Context, conversation string) ([]Spoken, error) {
	out := []Spoken{}
	return out, t.s.List(ctx, &out, "what persons said", `SELECT l.author, l.name, l.text, l.at FROM handover_lines l JOIN handovers h ON h.id = l.handover_id WHERE h.conversation_id = ? ORDER BY l.id LIMIT 1000`, conversation)
}

// Due lists exchanges that wait to be answered by the draft, in the order of their conversations.
func (t *Talk) Due(ctx context.Context, corpus string, most int) ([]Exchange, error) {
	out := []Exchange{}
	return out, t.s.List(ctx, &out, "what waits for a reply", `SELECT * FROM exchanges WHERE corpus_id = ? AND due = 1 ORDER BY at, conversation_id, place LIMIT ?`, corpus, most)
}

// CountDue counts them.
func (t *Talk) CountDue(ctx context.Context, corpus string) (int, error) {
	var n int
	return n, t.s.Get(ctx, &n, "what waits for a reply", `SELECT count(*) FROM exchanges WHERE corpus_id = ? AND due = 1`, corpus)
}

// Replied keeps the reply that the draft gave to an exchange.
func (t *Talk) Replied(ctx context.Context, tx *sqlx.Tx, e Exchange) error {
	_, err := tx.NamedExecContext(ctx, `UPDATE exchanges SET said = :said, alone = :alone, outcome = :outcome, support = :support, language = :language, rules = :rules, cited = :cited, trailed = :trailed, due = 0 WHERE id = :id`, e)
	return err
}

// Undue takes exchanges off the list of those that wait.
func (t *Talk) Undue(ctx context.Context, id, note string) error {
	return t.s.Write(ctx, "give up a reply", func(tx *sqlx.Tx) error {
		_, err := tx.ExecContext(ctx, `UPDATE exchanges SET due = 0, note = ? WHERE id = ?`, note, id)
		return err
	})
}

// Sample is a number of exchanges drawn by chance.
type Sample struct {
	ID     string `db:"id" json:"id"`
	Corpus string `db:"corpus_id" json:"-"`
	At     string `db:"at" json:"at"`
	Since  string `db:"since" json:"since"`
	Until  string `db:"until" json:"until"`
	Drawn  int    `db:"drawn" json:"drawn"`
	Of     int    `db:"of" json:"of" doc:"How many could have been drawn"`
	Right  int    `db:"right" json:"right"`
	Wrong  int    `db:"wrong" json:"wrong"`
	Judged int    `db:"judged" json:"judged"`
}

// Draw draws up to n exchanges of users by chance, of those asked since and before a stamp that were searched for and belong to no sample yet.
func (t *Talk) Draw(ctx context.Context, corpus, since, until string, n int) (Sample, error) {
	s := Sample{ID: uuid.NewString(), Corpus: corpus, At: t.s.Stamp(), Since: since, Until: until}
	const from = ` FROM exchanges WHERE corpus_id = ? AND tests = 0 AND at >= ? AND at < ? AND outcome NOT IN ('', 'courtesy') AND sample_id = ''`
	return s, t.s.Write(ctx, "draw a sample", func(tx *sqlx.Tx) error {
		if err := tx.GetContext(ctx, &s.Of, `SELECT count(*)`+from, corpus, since, until); err != nil {
			return err
		}
		var ids []string
		if err := tx.SelectContext(ctx, &ids, `SELECT id`+from+` ORDER BY random() LIMIT ?`, corpus, since, until, n); err != nil {
			return err
		}
		s.Drawn = len(ids)
		if s.Drawn == 0 {
			return nil
		}
		if _, err := tx.NamedExecContext(ctx, `INSERT INTO samples (id, corpus_id, at, since, until, drawn, of) VALUES (:id, :corpus_id, :at, :since, :until, :drawn, :of)`, s); err != nil {
			return err
		}
		for _, id := range ids {
			if _, err := tx.ExecContext(ctx, `UPDATE exchanges SET sample_id = ? WHERE id = ?`, s.ID, id); err != nil {
				return err
			}
		}
		return nil
	})
}

// Samples lists the samples of a corpus with what has been judged of them, the newest first.
func (t *Talk) Samples(ctx context.Context, corpus string) ([]Sample, error) {
	out := []Sample{}
	return out, t.s.List(ctx, &out, "samples", `SELECT s.*, coalesce(sum(e.mark = 'right'), 0) AS right, coalesce(sum(e.mark = 'wrong'), 0) AS wrong, coalesce(sum(e.mark <> ''), 0) AS judged
		FROM samples s LEFT JOIN exchanges e ON e.sample_id = s.id WHERE s.corpus_id = ? GROUP BY s.id ORDER BY s.at DESC LIMIT 20`, corpus)
}

// Stamp is a moment as it is kept.
func Stamp(at time.Time) string { return store.Stamp(at) }
