package asking

import (
	"context"
	"errors"
	"fmt"
	"strings"
	"time"

	"jolvex/core/answer"
	"jolvex/core/doc"
	"jolvex/core/embed"
	"jolvex/core/find"
	"jolvex/core/index"
	"jolvex/core/method"
	"jolvex/core/query"
	"jolvex/core/text"
	"jolvex/internal/fault"
	"jolvex/internal/indexing"
	"jolvex/internal/store"
)

// Evidence is one candidate of a reply with its text, for reading.
type Evidence struct {
	answer.Candidate
	Address string       `json:"address"`
	Title   string       `json:"title"`
	Path    []string     `json:"path" nullable:"false"`
	Text    string       `json:"text"`
	Section string       `json:"section,omitempty" doc:"The text of the section that a small chunk brings with it"`
	Lit     []text.Piece `json:"lit" nullable:"false" doc:"Byte ranges of Text that match the question's terms"`
}

// Cited is one citation: the passage that supports a sentence.
type Cited struct {
	Sentence int      `json:"sentence"`
	Document string   `json:"document"`
	Version  string   `json:"version"`
	Address  string   `json:"address"`
	Link     string   `json:"link" doc:"The address with the place in it: an anchor, a page, or a time (W3C Media Fragments)"`
	Title    string   `json:"title"`
	Path     []string `json:"path" nullable:"false"`
	Span     doc.Span `json:"span"`
	Passage  string   `json:"passage"`
	Audience string   `json:"audience" doc:"Who may be answered from the document now: public, staff, or group: and its name; empty when it is not there any more"`
}

// Reply is a reply with its evidence trail and the texts that the trail refers to.
type Reply struct {
	ID string `json:"id,omitempty"`
	// Conversation is the one that the reply belongs to: asked with it, the next message goes on with that.
	Conversation string        `json:"conversation,omitempty" doc:"Of a reply that is kept; a message that names it goes on with it"`
	Reply        string        `json:"reply"`
	Refused      bool          `json:"refused"`
	Support      float64       `json:"support"`
	Cited        []Cited       `json:"cited" nullable:"false"`
	Evidence     []Evidence    `json:"evidence" nullable:"false"`
	Left         []LeftOut     `json:"left" nullable:"false" doc:"What could have been among the evidence and is not, and why"`
	Trail        *answer.Trail `json:"trail"`
	Millis       float64       `json:"millis"`
}

// Bench puts together what a question of a corpus is answered with.
func (as *Asker) Bench(ctx context.Context, who Caller, c store.Corpus, m method.Method) (answer.Bench, error) {
	s, err := as.index.Shelf(ctx, c)
	if err != nil {
		return answer.Bench{}, err
	}
	return as.BenchOn(ctx, who, s.Snapshot.Load(), m)
}

// BenchOn is a bench over one snapshot.
func (as *Asker) BenchOn(ctx context.Context, who Caller, snap *index.Snapshot, m method.Method) (answer.Bench, error) {
	sentence := embed.Embedder(as.index.Words())
	emb, err := as.index.MadeBy(snap.Embedder)
	if err != nil {
		return answer.Bench{}, err
	}
	encoded := find.Encoded{Chunks: emb.ID() != as.index.Words().ID(), Sentences: snap.Sentences}
	if encoded.Sentences {
		sentence = as.index.SentenceEncoder(emb.ID())
	}
	began := time.Now()
	b := answer.Bench{
		View: snap.See(who.Audience), Texts: as.index, Embedder: emb, Sentence: sentence, Encoded: encoded, Foreign: encoded.Chunks && emb.ID() != as.index.Encoder().ID() && emb.ID() != embed.ManyID, Many: encoded.Chunks && emb.ID() == embed.ManyID, Memory: as.memory, Opened: as.opened, Words: as.index.Words(), Lexicon: as.index.Words(),
		Pins:  answer.Pins{Snapshot: snap.Name, Audience: who.Audience, Surface: who.Surface, AsOf: as.now().UTC().Format(time.RFC3339)},
		Clock: func() time.Duration { return time.Since(began) },
	}
	b.Page, b.Campaign, b.Place = who.Page, who.Campaign, who.Place
	return as.Under(ctx, b, m)
}

// Under puts a bench under another method that searches the same index.
func (as *Asker) Under(ctx context.Context, b answer.Bench, m method.Method) (answer.Bench, error) {
	hash, err := m.Hash()
	if err != nil {
		return b, err
	}
	b.Pins.Method = hash
	b.Glossary, b.Query, b.Find, b.Priority, b.Answer = m.Glossary, m.Query, m.Find, m.Priority, m.Answer
	b.Rules, b.Matcher, b.Model, b.Pins.Model = m.Rules, nil, nil, ""
	if len(b.Rules) > 0 {
		if b.Matcher, err = as.matcher(); err != nil {
			return b, err
		}
	}
	if m.Answer.Composer != answer.ByModel && !m.Query.Model {
		return b, nil
	}
	link, err := as.connections.Chat(ctx)
	if link != nil {
		b.Model, b.Pins.Model = link, link.ID()
	}
	return b, err
}

// maxQuestion is the most bytes of one message, maxTurns of a conversation.
const (
	maxQuestion = 4000
	maxTurns    = 50
)

// AskOn is the one path of a question: every surface and every run comes through here. The time is in milliseconds.
func AskOn(ctx context.Context, b answer.Bench, q query.Question) (*answer.Trail, float64, error) {
	q, err := bounded(q)
	if err != nil {
		return nil, 0, err
	}
	began := time.Now()
	t, err := answer.Answer(ctx, q, b)
	return t, millis(began), err
}

// bounded is a question within the bounds of messages and conversations; ErrInput, wrapped, when it is too long.
func bounded(q query.Question) (query.Question, error) {
	if len(q.Text) > maxQuestion {
		return q, fault.Input("a question has at most %d bytes, this one %d", maxQuestion, len(q.Text))
	}
	if len(q.Turns) > maxTurns {
		q.Turns = q.Turns[len(q.Turns)-maxTurns:]
	}
	return q, nil
}

func millis(began time.Time) float64 { return float64(time.Since(began).Microseconds()) / 1000 }

// Ask answers a question under the corpus's draft and keeps the reply.
func (as *Asker) Ask(ctx context.Context, who Caller, corpus string, q query.Question) (*Reply, error) {
	c, err := as.store.Corpus(ctx, corpus)
	if err != nil {
		return nil, err
	}
	if err := indexing.CheckAudience(who.Audience); err != nil {
		return nil, fault.Input("nobody may ask as %q", who.Audience)
	}
	b, err := as.Bench(ctx, who, c, c.Method)
	if err != nil {
		return nil, err
	}
	r, err := as.AskAndKeep(ctx, who, c, b, q)
	if err != nil {
		return nil, err
	}
	return r, as.lay(ctx, r, map[string]store.Document{})
}

// AskAndKeep answers a question on a bench, keeps the reply as an exchange of its conversation, and does what house rules want done beside it. Of the
// evidence it gives what is cited.
func (as *Asker) AskAndKeep(ctx context.Context, who Caller, c store.Corpus, b answer.Bench, q query.Question) (*Reply, error) {
	t, ms, err := AskOn(ctx, b, q)
	if err != nil {
		return nil, err
	}
	r, err := as.cite(ctx, t, map[string]store.Document{})
	if err != nil {
		return nil, err
	}
	r.Millis = ms
	if r.ID, r.Conversation, err = as.keep(ctx, who, c, t); err != nil {
		return nil, err
	}
	return r, as.carryOut(ctx, c.ID, r.ID, t)
}

// Reply opens a kept reply.
func (as *Asker) Reply(ctx context.Context, corpus, id string) (*Reply, error) {
	c, err := as.store.Corpus(ctx, corpus)
	if err != nil {
		return nil, err
	}
	t, err := as.store.Reply(ctx, c.ID, id)
	if err != nil {
		return nil, err
	}
	r, err := as.Expand(ctx, t)
	if err == nil {
		r.ID = id
	}
	return r, err
}

// Expand fetches the texts that a trail refers to.
func (as *Asker) Expand(ctx context.Context, t *answer.Trail) (*Reply, error) {
	documents := map[string]store.Document{}
	r, err := as.cite(ctx, t, documents)
	if err != nil {
		return nil, err
	}
	return r, as.lay(ctx, r, documents)
}

// cite is a trail as a reply, with the passages that its sentences rest on and without the other evidence.
func (as *Asker) cite(ctx context.Context, t *answer.Trail, documents map[string]store.Document) (*Reply, error) {
	r := &Reply{Reply: t.Text(), Refused: t.Outcome == answer.Refused, Support: t.Support, Trail: t, Cited: []Cited{}, Evidence: []Evidence{}, Left: []LeftOut{}}
	for i, s := range t.Reply {
		if s.Candidate < 0 {
			continue
		}
		body, err := as.index.Version(ctx, s.Version)
		if err != nil {
			return nil, fmt.Errorf("open the evidence: %w", err)
		}
		d, err := as.DocumentOrStandIn(ctx, t.Candidates[s.Candidate].Document, documents)
		if err != nil {
			return nil, fmt.Errorf("open the evidence: %w", err)
		}
		at := d.Address
		if d.Media != "" {
			at = d.Media // what is said is cited at the moment at which it is said
		}
		r.Cited = append(r.Cited, Cited{i, d.ID, s.Version, d.Address, body.Link(at, s.Span), body.Title, body.PathAt(s.Span), s.Span, body.Of(s.Span), d.Audience})
	}
	return r, nil
}

// lay puts all candidates beside a reply, and what was left out.
func (as *Asker) lay(ctx context.Context, r *Reply, documents map[string]store.Document) error {
	for _, c := range r.Trail.Candidates {
		body, err := as.index.Version(ctx, c.Version)
		if err != nil {
			return fmt.Errorf("open the evidence: %w", err)
		}
		d, err := as.DocumentOrStandIn(ctx, c.Document, documents)
		if err != nil {
			return fmt.Errorf("open the evidence: %w", err)
		}
		e := Evidence{Candidate: c, Address: d.Address, Title: body.Title, Path: body.PathAt(c.Span), Text: body.Of(c.Span), Lit: []text.Piece{}}
		if c.Parent.Len() > 0 {
			e.Section = body.Of(c.Parent)
		}
		e.Lit = append(e.Lit, find.Lit(e.Text, r.Trail.Reading.Terms)...)
		r.Evidence = append(r.Evidence, e)
	}
	var err error
	r.Left, err = as.leftOut(ctx, documents, r.Trail.Left)
	return err
}

// expanded is a trail for reading, with the time that it took.
func (as *Asker) expanded(ctx context.Context, t *answer.Trail, millis float64) (*Reply, error) {
	r, err := as.Expand(ctx, t)
	if err == nil {
		r.Millis = millis
	}
	return r, err
}

// DocumentOrStandIn finds a document, among those found before or else in the corpus. One that is not there any more - its source was deleted,
// what it said is kept - and one that is only tried are stood for.
func (as *Asker) DocumentOrStandIn(ctx context.Context, id string, found map[string]store.Document) (store.Document, error) {
	if d, ok := found[id]; ok {
		return d, nil
	}
	d, err := as.store.Document(ctx, id)
	if errors.Is(err, fault.ErrMissing) {
		at, tried := strings.CutPrefix(id, indexing.TriedPrefix)
		if !tried {
			at = "no longer there"
		}
		d, err = store.Document{ID: id, Address: at}, nil
	}
	if err == nil {
		found[id] = d
	}
	return d, err
}
