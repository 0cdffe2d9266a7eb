// Package conversations is the log of what was asked: it is read, reviewed, sampled, imported, exported and erased here.
package conversations

import (
	"context"
	"strings"
	"time"

	"jolvex/core/check"
	"jolvex/internal/asking"
	"jolvex/internal/event"
	"jolvex/internal/fault"
	"jolvex/internal/job"
	"jolvex/internal/store"
	"jolvex/internal/store/talk"
)

// Room keeps the log of all corpora.
type Room struct {
	store  *store.Store
	talk   *talk.Talk
	events *event.Stream
	jobs   *job.Queue
	asking *asking.Asker
	now    func() time.Time
}

// New makes the room and registers its job.
func New(s *store.Store, t *talk.Talk, e *event.Stream, j *job.Queue, a *asking.Asker, now func() time.Time) *Room {
	rm := &Room{s, t, e, j, a, now}
	j.Register(job.Replay, true, rm.replay)
	return rm
}

// Line is one exchange as the log shows it.
type Line struct {
	ID           string   `json:"id"`
	Conversation string   `json:"conversation"`
	Place        int      `json:"place" doc:"In its conversation, from 0"`
	At           string   `json:"at"`
	Surface      string   `json:"surface"`
	Language     string   `json:"language"`
	Page         string   `json:"page"`
	Question     string   `json:"question"`
	Said         string   `json:"said"`
	Outcome      string   `json:"outcome" doc:"Empty when it is not known"`
	Support      float64  `json:"support"`
	Rules        []string `json:"rules" nullable:"false" doc:"House rules that fired, by name"`
	Mark         string   `json:"mark" enum:"right,wrong,doubtful,"`
	Note         string   `json:"note"`
	Thumb        string   `json:"thumb" enum:"up,down,"`
	Word         string   `json:"word" doc:"What the visitor wrote with the thumb"`
	ReviewedAt   string   `json:"reviewedAt"`
	Reviewer     string   `json:"reviewer"`
	Snag         string   `json:"snag"`
	Sample       string   `json:"sample"`
	Trail        bool     `json:"trail" doc:"Its evidence trail can be opened as a reply"`
	Waiting      bool     `json:"waiting" doc:"It waits to be answered by the draft"`
}

// mostListed is the most bytes of a text in a list; the conversation itself tells it whole.
const mostListed = 400

// LineOf is an exchange as it is shown; short cuts long texts, and hide masks what may belong to a person.
func LineOf(e talk.Exchange, short, hide bool) Line {
	l := Line{
		e.ID, e.Conversation, e.Place, e.At, e.Surface, e.Language, e.Page, e.Question, e.Said, e.Outcome, e.Support, lines(e.Rules),
		e.Mark, e.Note, e.Thumb, e.Word, e.ReviewedAt, e.Reviewer, e.Snag, e.Sample, e.Trailed, e.Due,
	}
	if short {
		l.Question, l.Said = cut(l.Question), cut(l.Said)
	}
	if hide {
		l.Question, l.Said, l.Word = check.Hide(l.Question), check.Hide(l.Said), check.Hide(l.Word)
	}
	return l
}

func lines(s string) []string {
	if s == "" {
		return []string{}
	}
	return strings.Split(s, "\n")
}

func cut(s string) string {
	if len(s) > mostListed {
		return strings.ToValidUTF8(s[:mostListed], "") + "…"
	}
	return s
}

// corpus gives the id of a corpus that is named by id or name.
func (rm *Room) corpus(ctx context.Context, corpus string) (string, error) {
	c, err := rm.store.Corpus(ctx, corpus)
	return c.ID, err
}

// Log lists exchanges, the newest first. hide masks what may belong to a person.
func (rm *Room) Log(ctx context.Context, corpus string, f talk.Filter, hide bool) ([]Line, error) {
	id, err := rm.corpus(ctx, corpus)
	if err != nil {
		return nil, err
	}
	es, err := rm.talk.Exchanges(ctx, id, f)
	out := make([]Line, len(es))
	for i, e := range es {
		out[i] = LineOf(e, true, hide)
	}
	return out, err
}

// Overview is what the log holds under a filter, by time, and what it can be filtered by.
type Overview struct {
	Buckets   []talk.Bucket `json:"buckets" nullable:"false" doc:"By ten minutes and outcome"`
	Surfaces  []string      `json:"surfaces" nullable:"false"`
	Languages []string      `json:"languages" nullable:"false"`
	Rules     []string      `json:"rules" nullable:"false"`
	Reviewed  string        `json:"reviewed" doc:"Up to when the log was read; empty for never"`
	Waiting   int           `json:"waiting" doc:"Exchanges of a log that wait to be answered by the draft"`
	Newest    string        `json:"newest" doc:"When the last question was asked, whatever the filter says of time"`
}

// Overview counts what a filter holds.
func (rm *Room) Overview(ctx context.Context, corpus string, f talk.Filter) (Overview, error) {
	var out Overview
	id, err := rm.corpus(ctx, corpus)
	if err != nil {
		return out, err
	}
	if out.Buckets, err = rm.talk.Buckets(ctx, id, f); err != nil {
		return out, err
	}
	var rules []string
	if out.Surfaces, out.Languages, rules, err = rm.talk.Values(ctx, id, f.Tests); err != nil {
		return out, err
	}
	out.Rules = []string{}
	seen := map[string]bool{}
	for _, some := range rules {
		for _, r := range lines(some) {
			if !seen[r] {
				seen[r] = true
				out.Rules = append(out.Rules, r)
			}
		}
	}
	if out.Reviewed, err = rm.talk.Reviewed(ctx, id, ""); err != nil {
		return out, err
	}
	if out.Waiting, err = rm.talk.CountDue(ctx, id); err != nil {
		return out, err
	}
	last, err := rm.talk.Exchanges(ctx, id, talk.Filter{Tests: f.Tests, Limit: 1})
	if len(last) > 0 {
		out.Newest = last[0].At
	}
	return out, err
}

// Conversation is one conversation with some of its exchanges.
type Conversation struct {
	ID        string        `json:"id"`
	Surface   string        `json:"surface"`
	Audience  string        `json:"audience"`
	Visitor   string        `json:"visitor"`
	Page      string        `json:"page"`
	Tests     bool          `json:"tests"`
	BeganAt   string        `json:"beganAt"`
	LastAt    string        `json:"lastAt"`
	Exchanges []Line        `json:"exchanges" nullable:"false"`
	Persons   []talk.Spoken `json:"persons" nullable:"false" doc:"What was said after it was handed over to a person"`
	From      int           `json:"from" doc:"Place of the first exchange that is given"`
	More      bool          `json:"more" doc:"There are later ones"`
}

// Conversation reads a conversation from a place on, at most so many exchanges.
func (rm *Room) Conversation(ctx context.Context, corpus, conversation string, from, most int, hide bool) (Conversation, error) {
	id, err := rm.corpus(ctx, corpus)
	if err != nil {
		return Conversation{}, err
	}
	c, es, err := rm.talk.Conversation(ctx, id, conversation, from, most+1)
	if err != nil {
		return Conversation{}, err
	}
	out := Conversation{c.ID, c.Surface, c.Audience, c.Visitor, c.Page, c.Tests, c.BeganAt, c.LastAt, []Line{}, nil, from, len(es) > most}
	for _, e := range es[:min(most, len(es))] {
		out.Exchanges = append(out.Exchanges, LineOf(e, false, hide))
	}
	if out.Persons, err = rm.talk.Spoken(ctx, c.ID); err != nil {
		return Conversation{}, err
	}
	for i := range out.Persons {
		if hide {
			out.Persons[i].Text = check.Hide(out.Persons[i].Text)
		}
	}
	return out, nil
}

// The marks.
const (
	Right    = "right"
	Wrong    = "wrong"
	Doubtful = "doubtful"
)

// Mark keeps what a person says of exchanges; with no mark they are only read, or with reviewed unset what was said is taken back.
func (rm *Room) Mark(ctx context.Context, corpus string, ids []string, m talk.Marking, reviewed bool) error {
	id, err := rm.corpus(ctx, corpus)
	if err != nil {
		return err
	}
	if err := rm.talk.Mark(ctx, id, ids, m, reviewed); err != nil {
		return err
	}
	rm.tell(ctx, id)
	return nil
}

// Read says that the log has been read up to now.
func (rm *Room) Read(ctx context.Context, corpus string) (string, error) {
	id, err := rm.corpus(ctx, corpus)
	if err != nil {
		return "", err
	}
	at, err := rm.talk.SetReviewed(ctx, id, "")
	rm.tell(ctx, id)
	return at, err
}

// Thumb keeps what a visitor thinks of a reply.
func (rm *Room) Thumb(ctx context.Context, corpus, exchange, thumb, word string) error {
	id, err := rm.corpus(ctx, corpus)
	if err != nil {
		return err
	}
	if _, err := rm.talk.Exchange(ctx, id, exchange); err != nil {
		return err
	}
	return rm.talk.Thumb(ctx, id, exchange, thumb, word)
}

// Erase deletes all that one visitor said, with the replies and what rules kept of it.
func (rm *Room) Erase(ctx context.Context, corpus, visitor string) (int, error) {
	id, err := rm.corpus(ctx, corpus)
	if err != nil {
		return 0, err
	}
	if strings.TrimSpace(visitor) == "" {
		return 0, fault.Input("whose conversations are to be erased is not said")
	}
	n, err := rm.talk.Erase(ctx, id, visitor)
	rm.tell(ctx, id)
	return n, err
}

func (rm *Room) tell(ctx context.Context, corpus string) {
	event.Tell(ctx, rm.events, event.Talk, corpus, event.TalkBody{})
}
