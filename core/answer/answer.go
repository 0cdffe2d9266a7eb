package answer

import (
	"context"
	"fmt"
	"strings"
	"time"

	"jolvex/core/doc"
	"jolvex/core/embed"
	"jolvex/core/find"
	"jolvex/core/index"
	"jolvex/core/query"
	"jolvex/core/record"
	"jolvex/core/rule"
)

// Bench is what questions are answered with. It holds nothing of any one question, and serves many at once.
type Bench struct {
	View     *index.View
	Texts    find.Texts
	Embedder embed.Embedder // of the view's vectors
	Sentence embed.Embedder // of single sentences
	Encoded  find.Encoded
	// Foreign tells that the view's vectors come from an embedder that support was not calibrated for: the likeness that
	// support is made of is then taken from Sentence instead.
	Foreign         bool
	Many            bool // the vectors are those of the encoder of many languages
	Memory          *find.Memory
	Opened          *Opened
	Words           WordVectors
	Lexicon         query.Lexicon
	Glossary        []query.Entry
	Rules           []rule.Rule
	Matcher         *rule.Matcher // of Rules; nil obeys none
	Campaign, Place string        // by which the asker came, and for which the site says that it stands; "" when not known
	Page            string        // address of the page on which it is asked; "" when not known
	Model           Model         // words replies and questions; nil when none is connected
	Query           query.Settings
	Find            find.Settings
	Answer          Settings
	Filter          index.Filter
	Priority        map[string]int // of sources, by portable id
	Pins            Pins
	Clock           func() time.Duration // a stopwatch: time since some fixed moment
}

// shown is how many candidates a trail keeps.
const shown = 20

// asking is one question on its way through the five steps: understand, retrieve, plan, judge, word and ground. The first four
// decide; the last words the one plan that was picked.
type asking struct {
	Bench
	meter *meter   // of the model, when one is connected: what it is asked for this question is written down
	own   Settings // as the method has them: Answer has the texts of the language that is asked in
}

func (b Bench) asking() *asking {
	a := &asking{Bench: b, own: b.Answer}
	if b.Model != nil {
		a.meter = &meter{Model: b.Model}
		a.Model = nil // nothing goes past the meter
	}
	return a
}

// Answer takes a question through all five steps and leaves the evidence trail. A message that asks several things is
// decided part by part, and worded once.
func Answer(ctx context.Context, q query.Question, b Bench) (*Trail, error) {
	a := b.asking()
	rules, p, err := a.decide(ctx, q)
	if err != nil {
		return nil, err
	}
	if err := a.word(ctx, p); err != nil {
		return nil, err
	}
	return a.finish(ctx, q, rules, p)
}

// Decide takes a question through all steps but the last: the outcome, the evidence and its support are those of Answer, and the
// reply is put together from sentences of the evidence, whoever words replies otherwise. Nothing is asked of a model but, where
// the method has it so, wordings of the question.
func Decide(ctx context.Context, q query.Question, b Bench) (*Trail, error) {
	a := b.asking()
	rules, p, err := a.decide(ctx, q)
	if err != nil {
		return nil, err
	}
	return a.finish(ctx, q, rules, p)
}

// Search takes a question through the first two steps: what was understood, and what was found, best first. Whatever is asked is
// searched for, courtesies too; no house rule is obeyed, nothing is weighed, and there is no reply. probe has every signal valued, those
// without weight too.
func Search(ctx context.Context, q query.Question, b Bench, probe bool) (*Trail, find.Ranking, error) {
	a := b.asking()
	t := a.trail(q)
	lap := a.laps(t)
	a.understand(ctx, t, q)
	r := t.Reading
	if courteous(r.Kind) { // told as a courtesy, and searched for all the same
		a.Query.Courtesy = false
		r = query.Read(ctx, q, a.tools(), a.Query)
		t.Reading.Searches, t.Reading.Terms, t.Reading.Wants, t.Reading.Seeks, t.Reading.Alone = r.Searches, r.Terms, r.Wants, r.Seeks, r.Alone
	}
	lap("read")
	ranking, passages, err := a.retrieve(ctx, r, probe)
	if err != nil {
		return nil, ranking, err
	}
	t.found(ranking, passages)
	lap("search")
	t.Outcome = Unjudged
	t.Spent = a.meter.spent()
	return t, ranking, nil
}

// decide finds what is to be said, by whom, and on what evidence.
func (a *asking) decide(ctx context.Context, q query.Question) (*rule.State, *plan, error) {
	rules, err := a.obey(ctx, q, false)
	if err != nil {
		return nil, nil, err
	}
	if t := byRule(q, rules, a.Bench); t != nil {
		return nil, &plan{Trail: t}, nil
	}
	if rules != nil && len(rules.Sources) > 0 {
		a.Filter.Sources = rules.Sources
	}
	p, err := a.planAll(ctx, q)
	return rules, p, err
}

// finish brings in what house rules say beside the reply, or in place of one that was refused, and sums up.
func (a *asking) finish(ctx context.Context, q query.Question, rules *rule.State, p *plan) (*Trail, error) {
	t := p.Trail
	t.Spent = a.meter.spent()
	if t.Outcome == Refused && rules != nil && rules.Waits {
		late, err := a.obey(ctx, q, true)
		if err != nil {
			return nil, err
		}
		if r := byRule(q, late, a.Bench); r != nil {
			r.Reading, r.Candidates, r.Left, r.Support, r.Timings, r.Spent = t.Reading, t.Candidates, t.Left, t.Support, t.Timings, t.Spent
			r.Why += "; " + t.Why
			return r, nil
		}
		rules = late
	}
	a.abroad(t)
	t.Support = t.said(t.Reply)
	for i, part := range t.Parts {
		t.Parts[i].Support = t.said(t.Reply[part.From:part.To])
	}
	a.toAPerson(t, rules)
	t.beside(rules)
	return t, nil
}

// --- understand -------------------------------------------------------------------------------------------------

// trail begins the record of a question.
func (b Bench) trail(q query.Question) *Trail {
	return &Trail{Question: q.Text, Turns: q.Turns, Bar: b.Answer.Bar, Pins: b.Pins, Candidates: []Candidate{}, Reply: []Sentence{}}
}

// laps gives a function that writes down how long each step took.
func (b Bench) laps(t *Trail) func(step string) {
	at := b.Clock()
	return func(step string) {
		now := b.Clock()
		t.Timings = append(t.Timings, Timing{step, (now - at).Microseconds()})
		at = now
	}
}

// understand reads the question pass by pass.
func (a *asking) understand(ctx context.Context, t *Trail, q query.Question) {
	t.Reading = query.Read(ctx, q, a.tools(), a.Query)
	a.speak(t.Reading)
	for i := range t.Reading.Steps {
		t.Timings = append(t.Timings, Timing{"pass " + t.Reading.Steps[i].Pass, t.Reading.Steps[i].Micros})
		t.Reading.Steps[i].Micros = 0
	}
}

// tools are what the passes over a question draw on.
func (a *asking) tools() query.Tools {
	t := query.Tools{Corpus: a.View, Lexicon: a.Lexicon, Glossary: a.Glossary, Language: a.View.Language(), Look: a.look, Clock: a.Clock}
	if a.meter != nil {
		t.Write = a.meter.writer(a.View.Language())
	}
	return t
}

// look searches for a reading and gives the texts of the first chunks.
func (a *asking) look(ctx context.Context, r query.Reading, chunks int) ([]query.Found, error) {
	found, err := find.Rank(ctx, r, a.View, a.library(), a.Find, chunks)
	if err != nil {
		return nil, err
	}
	var out []query.Found
	for _, x := range found.Ranked {
		d, err := a.Texts.Version(ctx, x.Entry.Version)
		if err != nil {
			return nil, fmt.Errorf("open %s: %w", x.Entry.Address, err)
		}
		if x.Lexical > 0 {
			out = append(out, query.Found{Text: d.Of(x.Entry.Span), Score: x.Lexical})
		}
	}
	return out, nil
}

// --- retrieve ---------------------------------------------------------------------------------------------------

func (b Bench) library() find.Library {
	return find.Library{
		Texts: b.Texts, Embedder: b.Embedder, Sentence: b.Sentence, Encoded: b.Encoded, Memory: b.Memory,
		Filter: b.Filter, Priority: b.Priority, AsOf: index.Day(b.Pins.AsOf),
	}
}

// retrieve ranks chunks for a reading and opens those that a reply may draw on.
func (a *asking) retrieve(ctx context.Context, r query.Reading, probe bool) (find.Ranking, []*passage, error) {
	keep := a.Find.Keep
	if _, all := asksForAll(r.Alone); all && a.Answer.Lists {
		keep = max(keep, wider)
	}
	lib := a.library()
	lib.Probe = probe
	ranking, err := find.Rank(ctx, r, a.View, lib, a.Find, max(shown, keep))
	if err != nil {
		return ranking, nil, fmt.Errorf("rank %q: %w", r.Text(), err)
	}
	passages, err := a.open(ctx, ranking.Ranked, keep)
	return ranking, passages, err
}

// mostOpened is how many bytes around a chunk are opened for a reply, however large the section is that it brings along.
const mostOpened = 24 << 10

// opened is what is opened of a document for a chunk: the chunk, and what it brings along within reach.
func opened(e *index.Entry) doc.Span {
	all := e.Evidence()
	return doc.Span{Start: max(all.Start, e.Span.Start-mostOpened), End: min(all.End, e.Span.End+mostOpened)}
}

// reach is how many bytes of the sections around a chunk are opened with it, on either side.
const reach = 6 << 10

// sections widens a span to the sections that it lies in, within reach: what is quoted begins where its section begins.
func sections(d *doc.Document, s doc.Span) doc.Span {
	out := s
	for i := d.BlockAt(s.Start); i >= 0 && s.Start-d.Blocks[i].Span.Start <= reach; i-- {
		out.Start = min(out.Start, d.Blocks[i].Span.Start)
		if d.Blocks[i].Kind == doc.Heading {
			break
		}
	}
	for i := d.BlockAt(max(s.Start, s.End-1)); i >= 0 && i < len(d.Blocks); i++ {
		b := &d.Blocks[i]
		if b.Span.Start >= s.End && b.Kind == doc.Heading || b.Span.End-s.End > reach {
			break
		}
		out.End = max(out.End, b.Span.End)
	}
	return out
}

// open fetches the text behind the first chunks, at most keep. A chunk whose words are those of a better one is passed over.
func (a *asking) open(ctx context.Context, ranked []find.Ranked, keep int) ([]*passage, error) {
	var out []*passage
	seen := map[string]bool{}
	for i, r := range ranked {
		if len(out) == keep {
			break
		}
		d, err := a.Texts.Version(ctx, r.Entry.Version)
		if err != nil {
			return nil, fmt.Errorf("open %s for a reply: %w", r.Entry.Address, err)
		}
		span := opened(r.Entry)
		body := d.Of(span)
		if seen[body] {
			continue
		}
		seen[body] = true
		p := &passage{rank: r, index: i, doc: d, units: a.Opened.units(r.Entry.Version, d, sections(d, span))}
		p.past = record.Past(a.Opened.whole(r.Entry.Version, d).until, append([]string{d.Title}, r.Entry.Path...), a.Pins.AsOf)
		for k := range p.units {
			p.units[k].beyond = !p.units[k].span.Overlaps(span)
		}
		if len(p.units) > 0 {
			out = append(out, p)
		}
	}
	return out, nil
}

// found puts what was found into the trail.
func (t *Trail) found(ranking find.Ranking, ps []*passage) {
	n := shown
	for _, p := range ps {
		n = max(n, p.index+1)
	}
	for _, r := range ranking.Ranked[:min(len(ranking.Ranked), n)] {
		t.Candidates = append(t.Candidates, Candidate{
			Document: r.Entry.Document, Version: r.Entry.Version, Language: r.Entry.Language, Address: r.Entry.Address, Span: r.Entry.Span, Parent: r.Entry.Parent, Score: r.Score, Lexical: r.Lexical, Cosine: r.Cosine,
			Nearest: r.Nearest, Found: r.Found, Signals: r.Signals, Why: find.Because(r.Signals, r.Terms, len(t.Reading.Terms)),
		})
	}
	for _, l := range ranking.Left {
		t.Left = append(t.Left, Left{Document: l.Entry.Document, Version: l.Entry.Version, Span: l.Entry.Span, Why: l.Why, Of: l.Of})
	}
	for _, p := range ps {
		t.Candidates[p.index].Kept = true
	}
}

// weighed puts what judging found of the passages into the trail.
func (t *Trail) weighed(ps []*passage) {
	for _, p := range ps {
		t.Candidates[p.index].Support = p.support
		t.Candidates[p.index].Features = &p.features
	}
}

// pathOf is the heading path of a span.
func pathOf(d *doc.Document, s doc.Span) []string {
	if i := d.BlockAt(s.Start); i >= 0 {
		return append([]string(nil), d.Path(i)...)
	}
	return nil
}

// --- what is said without evidence -------------------------------------------------------------------------------

func inOwnWords(s string) []Sentence { return []Sentence{{Text: s, Candidate: -1, Support: 1}} }

func courteous(k query.Kind) bool {
	return k == query.Greeting || k == query.Thanks || k == query.Goodbye || k == query.Assent
}

func courtesy(k query.Kind, s Settings) string {
	switch k {
	case query.Greeting:
		return s.Greeting
	case query.Thanks:
		return s.Thanks
	case query.Goodbye:
		return s.Goodbye
	case query.Assent:
		return s.Assenting
	}
	return ""
}

func refuse(t *Trail, s Settings, why string) {
	t.Outcome, t.Why = Refused, why
	t.Reply = inOwnWords(strings.TrimSpace(s.Refusal + " " + s.TurnTo))
}
