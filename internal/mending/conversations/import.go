package conversations

import (
	"cmp"
	"context"
	"errors"
	"runtime"
	"slices"
	"strings"
	"sync/atomic"
	"time"

	"github.com/google/uuid"
	"golang.org/x/sync/errgroup"

	"jolvex/core/answer"
	"jolvex/core/index"
	"jolvex/core/query"
	coretalk "jolvex/core/talk"
	"jolvex/internal/asking"
	"jolvex/internal/fault"
	"jolvex/internal/job"
	"jolvex/internal/store"
	"jolvex/internal/store/talk"
)

// SurfaceImport is where conversations come from whose log does not say where they were held.
const SurfaceImport = "import"

// Imported tells what came of a log.
type Imported struct {
	Conversations int                `json:"conversations" doc:"That could be read"`
	Exchanges     int                `json:"exchanges"`
	Fresh         int                `json:"fresh" doc:"Conversations that were not there before"`
	Problems      []coretalk.Problem `json:"problems" nullable:"false" doc:"The first hundred lines that could not be taken in"`
	Failed        int                `json:"failed" doc:"How many lines could not be taken in"`
	Job           *job.Job           `json:"job,omitempty" doc:"That has the draft answer"`
}

// outcomes are those that a log may name.
var outcomes = []string{
	string(answer.Answered), string(answer.Refused), string(answer.ByRule), string(answer.HandedOver), string(answer.AskedBack), string(answer.Courteous),
}

// Import takes in a log of conversations (see core/talk.Read). With keep unset it is only read. With ask set the draft answers every question in
// place of the reply that the log has, which a job does; without it, those alone that have no reply.
func (rm *Room) Import(ctx context.Context, corpus string, body []byte, keep, ask bool) (Imported, error) {
	out := Imported{Problems: []coretalk.Problem{}}
	id, err := rm.corpus(ctx, corpus)
	if err != nil {
		return out, err
	}
	l, err := coretalk.Read(body, outcomes)
	if err != nil {
		return out, fault.Input("%v", err)
	}
	out.Conversations, out.Exchanges, out.Failed = len(l.Conversations), l.Exchanges(), len(l.Problems)
	out.Problems = append(out.Problems, l.Problems[:min(100, len(l.Problems))]...)
	if !keep {
		return out, nil
	}
	ctx = context.WithoutCancel(ctx) // half a log is not what anybody wanted
	now := rm.now()
	cs := make([]talk.Conversation, len(l.Conversations))
	es := make(map[string][]talk.Exchange, len(cs))
	for i, c := range l.Conversations {
		row, its := rm.rows(id, c, now, ask)
		cs[i], es[row.ID] = row, its
	}
	if out.Fresh, err = rm.talk.Import(ctx, cs, es, func(int) {}); err != nil {
		return out, err
	}
	rm.tell(ctx, id)
	due, err := rm.talk.CountDue(ctx, id)
	if err != nil || due == 0 {
		return out, err
	}
	j, err := rm.jobs.Add(ctx, id, job.Replay, "")
	out.Job = &j
	return out, err
}

// rows are a conversation of a log as it is kept.
func (rm *Room) rows(corpus string, c coretalk.Conversation, now time.Time, ask bool) (talk.Conversation, []talk.Exchange) {
	out := talk.Conversation{
		ID: uuid.NewString(), Corpus: corpus, Outside: c.ID, Surface: cmp.Or(c.Surface, SurfaceImport), Audience: index.Public, Visitor: c.Visitor, Page: c.Page,
	}
	if asking.Tests(out.Surface) { // a log is of users, whatever it calls the place
		out.Surface = SurfaceImport
	}
	last := time.Time{}
	var es []talk.Exchange
	for i, x := range c.Exchanges {
		at := x.At
		if at.IsZero() {
			at = now
			if !last.IsZero() {
				at = last
			}
		}
		if at.Before(last) {
			at = last
		}
		last = at
		es = append(es, talk.Exchange{
			ID: uuid.NewString(), Conversation: out.ID, Corpus: corpus, Place: i, At: talk.Stamp(at), Surface: out.Surface, Language: c.Language, Outcome: x.Outcome, Thumb: x.Thumb, Word: x.Word,
			Question: x.Question, Said: x.Reply, Page: c.Page, Due: ask || x.Reply == "" && x.Outcome == "",
		})
	}
	out.BeganAt, out.LastAt = es[0].At, es[len(es)-1].At
	return out, es
}

// asked is how many conversations are answered at a time.
const asked = 32

// replay has the draft answer what waits, conversation by conversation, several at once.
func (rm *Room) replay(ctx context.Context, j store.Job, p *job.Progress) error {
	c, err := rm.store.Corpus(ctx, j.Corpus)
	if err != nil {
		return err
	}
	waiting, err := rm.talk.CountDue(ctx, c.ID)
	if err != nil {
		return err
	}
	total := j.Done + waiting
	var done atomic.Int64
	done.Store(int64(j.Done))
	for {
		p.Set(ctx, int(done.Load()), total, "asking the draft")
		if err := ctx.Err(); err != nil {
			return err
		}
		es, err := rm.talk.Due(ctx, c.ID, asked)
		if err != nil || len(es) == 0 {
			rm.tell(ctx, c.ID)
			return err
		}
		b, err := rm.asking.Bench(ctx, asking.Caller{Audience: index.Public, Surface: SurfaceImport}, c, c.Method)
		if err != nil {
			return err
		}
		var talks []string
		for _, e := range es {
			if !slices.Contains(talks, e.Conversation) {
				talks = append(talks, e.Conversation)
			}
		}
		g, ctx := errgroup.WithContext(ctx)
		g.SetLimit(runtime.GOMAXPROCS(0))
		for _, id := range talks {
			g.Go(func() error {
				return rm.replayOne(ctx, c.ID, id, b, func() { p.Set(ctx, int(done.Add(1)), total, "asking the draft") })
			})
		}
		if err := g.Wait(); err != nil {
			return err
		}
	}
}

// replayOne answers what waits in one conversation, in order: each reply is part of what was said before the next question.
func (rm *Room) replayOne(ctx context.Context, corpus, conversation string, b answer.Bench, one func()) error {
	in, es, err := rm.talk.Conversation(ctx, corpus, conversation, 0, coretalk.MostExchanges)
	if err != nil {
		if errors.Is(err, fault.ErrMissing) { // erased meanwhile
			err = nil
		}
		return err
	}
	b.Page, b.Pins.Surface = in.Page, in.Surface
	var turns []query.Turn
	for _, e := range es {
		if err := ctx.Err(); err != nil {
			return err
		}
		if e.Due {
			if e, err = rm.asking.Replay(ctx, b, e, slices.Clone(turns)); err != nil {
				return err
			}
			one()
		}
		turns = append(turns, query.Turn{Role: "user", Text: bounded(e.Question)}, query.Turn{Role: "assistant", Text: bounded(e.Said)})
		turns = turns[max(0, len(turns)-mostTurns):]
	}
	return nil
}

// mostTurns is how many turns of a conversation are handed on with a question.
const mostTurns = 20

// bounded is what was said, as far as it is handed on.
func bounded(s string) string {
	const most = 2000
	if len(s) > most {
		return strings.ToValidUTF8(s[:most], "")
	}
	return s
}
