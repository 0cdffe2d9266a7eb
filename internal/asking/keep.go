package asking

import (
	"context"
	"crypto/sha256"
	"errors"
	"slices"
	"strings"

	"github.com/google/uuid"
	"github.com/jmoiron/sqlx"

	"jolvex/core/answer"
	"jolvex/core/embed"
	"jolvex/core/index"
	"jolvex/core/query"
	"jolvex/internal/fault"
	"jolvex/internal/store"
	"jolvex/internal/store/talk"
)

// The surfaces on which people ask. The traffic of those who work here is kept apart from users'.
const (
	SurfaceBench   = "bench"    // the workbench
	SurfaceCommand = "command"  // the command line
	SurfaceTester  = "tester"   // a tester's link to the draft
	SurfaceWidget  = "widget"   // on a site
	SurfaceLink    = "link"     // a share link
	SurfaceProgram = "program"  // another program, with a key
	SurfaceStaff   = "staff"    // people who answer others
	SurfaceService = "messages" // a messaging service
	SurfaceMail    = "mail"
)

// Tests reports whether what is asked on a surface is asked by people who work here.
func Tests(surface string) bool {
	return surface == SurfaceBench || surface == SurfaceCommand || surface == SurfaceTester
}

// keep stores a reply with its trail as an exchange of a conversation, which is begun when the caller names none.
func (as *Asker) keep(ctx context.Context, who Caller, c store.Corpus, t *answer.Trail) (id, conversation string, err error) {
	if id = who.Exchange; id == "" {
		id = uuid.NewString()
	}
	in := talk.Conversation{ID: who.Conversation, Corpus: c.ID, Surface: who.Surface, Audience: who.Audience, Visitor: who.Visitor, Page: who.Page, Tests: Tests(who.Surface), Release: who.Release}
	if in.ID != "" {
		have, _, err := as.talk.Conversation(ctx, c.ID, in.ID, 0, 0)
		if errors.Is(err, fault.ErrMissing) || err == nil && have.Audience != who.Audience {
			return "", "", fault.Input("there is no conversation %q to go on with", in.ID)
		}
		if err != nil {
			return "", "", err
		}
	} else {
		in.ID = uuid.NewString()
	}
	e := ExchangeOf(t)
	e.ID = id
	return id, in.ID, as.store.AddReply(ctx, c.ID, id, t, func(tx *sqlx.Tx) error { return as.talk.In(ctx, tx, in, e) })
}

// ExchangeOf is what the log keeps of a reply besides its trail.
func ExchangeOf(t *answer.Trail) talk.Exchange {
	e := talk.Exchange{Question: t.Question, Said: t.Text(), Outcome: string(t.Outcome), Support: t.Support, Language: t.Reading.Tongue, Trailed: true}
	if len(t.Parts) == 0 && t.Reading.Alone != t.Question && len(t.Turns) > 0 {
		e.Alone = t.Reading.Alone
	}
	if t.Rules != nil {
		var names []string
		for _, f := range t.Rules.Fired {
			names = append(names, strings.ReplaceAll(f.Name, "\n", " "))
		}
		e.Rules = strings.Join(names, "\n")
	}
	var cited []string
	for _, s := range t.Reply {
		if s.Candidate >= 0 && !slices.Contains(cited, t.Candidates[s.Candidate].Document) {
			cited = append(cited, t.Candidates[s.Candidate].Document)
		}
	}
	e.Cited = strings.Join(cited, "\n")
	return e
}

// Replay answers exchanges of a log, which go on with the given turns, under a bench, and keeps the replies. What cannot be asked is told in
// the exchange's note.
func (as *Asker) Replay(ctx context.Context, b answer.Bench, e talk.Exchange, turns []query.Turn) (talk.Exchange, error) {
	t, _, err := AskOn(ctx, b, query.Question{Text: e.Question, Turns: turns})
	if errors.Is(err, fault.ErrInput) {
		return e, as.talk.Undue(ctx, e.ID, err.Error())
	}
	if err != nil {
		return e, err
	}
	n := ExchangeOf(t)
	e.Said, e.Alone, e.Outcome, e.Support, e.Rules, e.Cited, e.Trailed, e.Due = n.Said, n.Alone, n.Outcome, n.Support, n.Rules, n.Cited, true, false
	if n.Language != "" {
		e.Language = n.Language
	}
	return e, as.store.AddReply(ctx, e.Corpus, e.ID, t, func(tx *sqlx.Tx) error { return as.talk.Replied(ctx, tx, e) })
}

// questionVectors is under which name vectors of questions are kept: apart from those of chunks, which are collected when no index holds them.
const questionVectors = " questions"

// QuestionVectors are the vectors of questions by the sentence encoder of English, or by that of many languages, [len(texts)], from memory where
// they are there.
func (as *Asker) QuestionVectors(ctx context.Context, many bool, texts []string) ([]embed.Vector, error) {
	by := as.index.Encoder()
	if many {
		by = embed.BuiltIn(embed.ManyID)
	}
	keys := make([][]byte, len(texts))
	for i, t := range texts {
		sum := sha256.Sum256([]byte(t))
		keys[i] = sum[:]
	}
	raw, err := as.store.Vectors(ctx, by.ID()+questionVectors, keys)
	if err != nil {
		return nil, err
	}
	out := make([]embed.Vector, len(texts))
	var missing []int
	for i, b := range raw {
		if len(b) != by.Dimensions() {
			missing = append(missing, i)
			continue
		}
		out[i] = make(embed.Vector, len(b))
		for k, x := range b {
			out[i][k] = int8(x)
		}
	}
	const batch = 64
	for from := 0; from < len(missing); from += batch {
		if err := ctx.Err(); err != nil {
			return nil, err
		}
		some := missing[from:min(from+batch, len(missing))]
		todo := make([]string, len(some))
		for i, at := range some {
			todo[i] = texts[at]
		}
		vs, err := by.Questions().Embed(ctx, todo)
		if err != nil {
			return nil, err
		}
		fresh, stored := make([][]byte, len(some)), make([][]byte, len(some))
		for i, at := range some {
			out[at], fresh[i], stored[i] = vs[i], keys[at], make([]byte, len(vs[i]))
			for k, x := range vs[i] {
				stored[i][k] = byte(x)
			}
		}
		if err := as.store.PutVectors(ctx, by.ID()+questionVectors, fresh, stored); err != nil {
			return nil, err
		}
	}
	return out, nil
}

// Rarity tells how rare a stem is among the chunks of a corpus that everybody may be answered from.
func (as *Asker) Rarity(ctx context.Context, c store.Corpus) (func(stem string) float64, error) {
	s, err := as.index.Shelf(ctx, c)
	if err != nil {
		return nil, err
	}
	v := s.Snapshot.Load().See(index.Public)
	return func(stem string) float64 { return index.Rarity(v.Chunks(), v.Frequency(stem)) }, nil
}
