package gathering

import (
	"cmp"
	"context"
	"encoding/json"
	"fmt"
	"slices"

	"jolvex/core/check"
	"jolvex/internal/event"
	"jolvex/internal/fault"
	"jolvex/internal/indexing"
	"jolvex/internal/job"
	"jolvex/internal/store"
)

// What one visit may take away before a person is asked, when the source says nothing else.
const (
	lossShare = 20 // percent of the documents that were in
	lossLeast = 5  // documents
)

// oneText is the resemblance from which two pages show one text, a log-in or a maintenance page, which may tell the page or the hour
// besides. It can be low, for the pages must have been less alike before.
const oneText = 0.5

// Loss is what a visit would take away of a source, and why.
type Loss struct {
	Since string `json:"since" doc:"When the guard first saw it"`
	Lost  int    `json:"lost" doc:"Documents that would go"`
	Of    int    `json:"of" doc:"Documents that are in"`
	Saw   []Saw  `json:"saw" nullable:"false" doc:"What the visit saw in their place, the commonest first"`
}

// Saw is one thing that a visit saw in the place of documents.
type Saw struct {
	What  string `json:"what"`
	Count int    `json:"count"`
}

// change is what a visit would make of one document, as the guard looks at it.
type change struct {
	removes     bool
	reason      string
	old, new    check.Signature
	signed      bool   // both texts are long enough for their signatures
	hash, title string // of the new text
}

// shows reports whether another page's change brought the same text, while the texts before were two.
func (c *change) shows(other *change) bool {
	if c.hash == other.hash {
		return true
	}
	return c.signed && other.signed && c.new.Resemblance(&other.new) >= oneText && c.old.Resemblance(&other.old) < oneText
}

// mostTexts bounds the texts that pages are compared with: what stands on most of them is among the first.
const mostTexts = 200

// loss tells what changes would take away: documents that go, and pages that turned into one text. taken are the versions of the documents
// that stay as they are.
func loss(changes []change, taken map[string]bool) Loss {
	var out Loss
	saw := map[string]int{}
	type text struct {
		first *change
		n     int
	}
	var texts []*text
	for i := range changes {
		c := &changes[i]
		if c.removes {
			if c.reason != outOfScope { // that is what the person who changed the settings wanted
				saw[c.reason]++
			}
			continue
		}
		at := slices.IndexFunc(texts, func(t *text) bool { return c.shows(t.first) })
		switch {
		case at >= 0:
			texts[at].n++
		case taken[c.hash]:
			saw[fmt.Sprintf("the text of another page, “%s”", c.title)]++
		case len(texts) < mostTexts:
			texts = append(texts, &text{c, 1})
		}
	}
	for _, t := range texts {
		if t.n > 1 {
			saw[fmt.Sprintf("one and the same text, “%s”", t.first.title)] += t.n
		}
	}
	for what, n := range saw {
		out.Lost += n
		out.Saw = append(out.Saw, Saw{what, n})
	}
	slices.SortFunc(out.Saw, func(a, b Saw) int { return cmp.Or(b.Count-a.Count, cmp.Compare(a.What, b.What)) })
	return out
}

// much reports whether a loss is one that a person decides about.
func (l Loss) much(set store.SourceSettings) bool {
	share, least := cmp.Or(set.LossShare, lossShare), cmp.Or(set.LossLeast, lossLeast)
	return l.Lost > 0 && (l.Lost >= l.Of || l.Lost >= least && l.Lost*100 > share*l.Of)
}

// settleDecided makes the changes that a person let through, and returns how many they were.
func (ga *Gatherer) settleDecided(ctx context.Context, src store.Source) (int, error) {
	held, err := ga.store.Held(ctx, src.ID)
	if err != nil {
		return 0, err
	}
	n := 0
	for _, h := range held {
		if h.Decided == store.Take {
			n++
			if err := ga.make(ctx, src, h); err != nil {
				return n, err
			}
		}
	}
	return n, nil
}

// settle makes the changes that a visit has held back, or, when they would take away too much, leaves them for a person and says so.
func (ga *Gatherer) settle(ctx context.Context, src store.Source) error {
	set, err := src.Settings()
	if err != nil {
		return err
	}
	held, err := ga.store.Held(ctx, src.ID)
	if err != nil {
		return err
	}
	if held, err = ga.undecided(ctx, held); err != nil {
		return err
	}
	l, err := ga.lossOf(ctx, src, held)
	if err != nil {
		return err
	}
	if l.much(set) {
		why, err := json.Marshal(l)
		if err != nil {
			return err
		}
		return ga.store.Guarded(ctx, src.ID, string(why))
	}
	for _, h := range held {
		if err := ga.make(ctx, src, h); err != nil {
			return err
		}
	}
	return ga.store.Guarded(ctx, src.ID, "")
}

// undecided are the changes that nobody has decided about. A text that resembles the one that a person refused is that one: a page may tell
// the hour.
func (ga *Gatherer) undecided(ctx context.Context, held []store.Held) (out []store.Held, err error) {
	for _, h := range held {
		if h.Decided != "" {
			continue
		}
		if h.Refused != "" && !h.Removes() {
			now, err := ga.store.Version(ctx, h.Outcome.Hash)
			if err != nil {
				return nil, fmt.Errorf("read what %s would become: %w", h.Address, err)
			}
			refused, err := ga.store.Version(ctx, h.Refused)
			if err != nil {
				return nil, fmt.Errorf("read what was refused of %s: %w", h.Address, err)
			}
			a, okA := check.Sign(now.Text)
			b, okB := check.Sign(refused.Text)
			if okA && okB && a.Resemblance(&b) >= oneText {
				if err := ga.store.KeepStill(ctx, h.Document); err != nil {
					return nil, err
				}
				continue
			}
		}
		out = append(out, h)
	}
	return out, nil
}

// lossOf tells what held changes would take away of a source.
func (ga *Gatherer) lossOf(ctx context.Context, src store.Source, held []store.Held) (Loss, error) {
	if len(held) == 0 {
		return Loss{}, nil
	}
	docs, err := ga.store.Pages(ctx, src.ID)
	if err != nil {
		return Loss{}, err
	}
	changing := map[string]bool{}
	for _, h := range held {
		changing[h.Document] = true
	}
	taken, of := map[string]bool{}, 0
	for _, d := range docs {
		if d.Stands() {
			of++
			taken[d.Version] = taken[d.Version] || !changing[d.ID]
		}
	}
	changes := make([]change, len(held))
	for i, h := range held {
		if err := ctx.Err(); err != nil {
			return Loss{}, err
		}
		if changes[i], err = ga.changeOf(ctx, h); err != nil {
			return Loss{}, err
		}
	}
	l := loss(changes, taken)
	l.Of = of
	return l, nil
}

func (ga *Gatherer) changeOf(ctx context.Context, h store.Held) (change, error) {
	c := change{removes: h.Removes(), reason: h.Outcome.Reason, hash: h.Outcome.Hash, title: h.Outcome.Title}
	if c.removes {
		return c, nil
	}
	now, err := ga.store.Content(ctx, h)
	if err != nil {
		return c, fmt.Errorf("read what %s would become: %w", h.Address, err)
	}
	before, err := ga.store.Version(ctx, h.Before)
	if err != nil {
		return c, fmt.Errorf("read what %s is: %w", h.Address, err)
	}
	var a, b bool
	c.old, a = check.Sign(before.Text)
	c.new, b = check.Sign(now.Text)
	c.signed = a && b
	return c, nil
}

// make makes a change that was held.
func (ga *Gatherer) make(ctx context.Context, src store.Source, h store.Held) error {
	d, err := ga.store.Document(ctx, h.Document)
	if err != nil {
		return err
	}
	o := h.Outcome
	if o.Content, err = ga.store.Content(ctx, h); err != nil {
		return fmt.Errorf("read what %s becomes: %w", d.Address, err)
	}
	if o, err = ga.store.Finish(ctx, d, src, o); err != nil {
		return err
	}
	if err := ga.store.Drop(ctx, d.ID); err != nil {
		return err
	}
	event.Tell(ctx, ga.events, indexing.DocumentEvent, src.Corpus, indexing.DocumentView(after(d, o)))
	return nil
}

// after is a document as an outcome leaves it.
func after(d store.Document, o store.Outcome) store.Document {
	d.State, d.Reason, d.Title, d.Status, d.Words, d.Version = o.State, o.Reason, o.Title, o.Status, o.Words, o.Hash
	if o.Address != "" {
		d.Address = o.Address
	}
	return d
}

// HeldDocument is a document whose change waits for a person.
type HeldDocument struct {
	ID      string `json:"id"`
	Address string `json:"address"`
	What    string `json:"what" doc:"What the visit saw in its place"`
}

// Held lists the documents of a source whose changes wait for a person.
func (ga *Gatherer) Held(ctx context.Context, corpus, source string) ([]HeldDocument, error) {
	s, err := ga.sourceOf(ctx, corpus, source)
	if err != nil {
		return nil, err
	}
	held, err := ga.store.Held(ctx, s.ID)
	if err != nil {
		return nil, err
	}
	out := []HeldDocument{}
	for _, h := range held {
		if h.Decided != "" {
			continue
		}
		what := h.Outcome.Reason
		if !h.Removes() {
			what = fmt.Sprintf("another text: “%s”, %d words", h.Outcome.Title, h.Outcome.Words)
		}
		out = append(out, HeldDocument{h.Document, h.Address, what})
	}
	return out, nil
}

// Decide settles what the guard has held back: with take the changes are made, by a job; else the old versions stay for as long as the
// changes are these.
func (ga *Gatherer) Decide(ctx context.Context, corpus, source string, take bool) (job.Job, error) {
	s, err := ga.sourceOf(ctx, corpus, source)
	if err != nil {
		return job.Job{}, err
	}
	if s.HeldSince == "" {
		return job.Job{}, fault.Input("nothing of this source is held back")
	}
	decision := store.Keep
	if take {
		decision = store.Take
	}
	if err := ga.store.Decide(ctx, s.ID, decision); err != nil {
		return job.Job{}, err
	}
	event.Tell(ctx, ga.events, event.Source, s.Corpus, event.SourceBody{ID: s.ID})
	return ga.jobs.Add(ctx, s.Corpus, job.Gather, s.ID)
}

// lossSeen reads what the guard of a source saw; nil when it holds nothing back.
func lossSeen(s store.Source) (*Loss, error) {
	if s.HeldSince == "" {
		return nil, nil
	}
	l := Loss{}
	if err := json.Unmarshal([]byte(s.HeldWhy), &l); err != nil {
		return nil, fmt.Errorf("read what is held of source %s: %w", s.Address, err)
	}
	l.Since = s.HeldSince
	return &l, nil
}
