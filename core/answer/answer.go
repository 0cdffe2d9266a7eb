package answer

import (
	"fmt"
	"strings"
	"time"

	"jolvex/core/doc"
	"jolvex/core/embed"
	"jolvex/core/find"
	"jolvex/core/index"
	"jolvex/core/query"
	"jolvex/core/rule"
)

// Bench is what a question is answered with.
type Bench struct {
	View     *index.View
	Texts    find.Texts
	Embedder embed.Embedder // of the view's vectors
	Sentence embed.Embedder // of single sentences
	Encoded  find.Encoded
	// Foreign tells that the view's vectors come from an embedder that support was not calibrated for: the likeness that
	// support is made of is then taken from Sentence instead.
	Foreign  bool
	Memory   *find.Memory
	Opened   *Opened
	Words    WordVectors
	Lexicon  query.Lexicon
	Glossary []query.Entry
	Rules    []rule.Rule
	Matcher  *rule.Matcher // of Rules; nil obeys none
	Page     string        // address of the page on which it is asked; "" when not known
	Model    Model         // words replies; nil when none is connected
	Write    query.Writer  // words questions by a model; nil when none is connected
	Query    query.Settings
	Find     find.Settings
	Answer   Settings
	Filter   index.Filter
	Priority map[string]int // of sources, by portable id
	Pins     Pins
	Clock    func() time.Duration // a stopwatch: time since some fixed moment

	oneMessage bool   // the question is one of several in a message: it leans on those before it more than on nothing
	asked      string // language of the question, when it is not the corpus's
}

// tools are what the passes over a question draw on.
func (b Bench) tools() query.Tools {
	return query.Tools{Corpus: b.View, Lexicon: b.Lexicon, Glossary: b.Glossary, Language: b.View.Language(), Look: b.look, Write: b.Write, Clock: b.Clock}
}

// look searches for a reading and gives the texts of the first chunks.
func (b Bench) look(r query.Reading, chunks int) ([]query.Found, error) {
	found, err := find.Rank(r, b.View, b.library(), b.Find, chunks)
	if err != nil {
		return nil, err
	}
	var out []query.Found
	for _, x := range found.Ranked {
		d, err := b.Texts.Version(x.Entry.Version)
		if err != nil {
			return nil, fmt.Errorf("open %s: %w", x.Entry.Address, err)
		}
		if x.Lexical > 0 {
			out = append(out, query.Found{Text: d.Of(x.Entry.Span), Score: x.Lexical})
		}
	}
	return out, nil
}

func (b Bench) library() find.Library {
	return find.Library{
		Texts: b.Texts, Embedder: b.Embedder, Sentence: b.Sentence, Encoded: b.Encoded, Memory: b.Memory,
		Filter: b.Filter, Priority: b.Priority, AsOf: index.Day(b.Pins.AsOf),
	}
}

// shown is how many candidates a trail keeps.
const shown = 20

// Answer reads the question, ranks, composes and grounds the reply, and leaves the evidence trail. A message that asks
// several things is answered part by part.
func Answer(q query.Question, b Bench) (*Trail, error) {
	rules, err := b.obey(q, false)
	if err != nil {
		return nil, err
	}
	if t := byRule(q, rules, b); t != nil {
		return t, nil
	}
	if rules != nil && len(rules.Sources) > 0 {
		b.Filter.Sources = rules.Sources
	}
	t, err := answerAll(q, b)
	if err != nil {
		return nil, err
	}
	if t.Outcome == Refused && rules != nil && rules.Waits {
		late, err := b.obey(q, true)
		if err != nil {
			return nil, err
		}
		if r := byRule(q, late, b); r != nil {
			r.Reading, r.Candidates, r.Left, r.Support, r.Timings = t.Reading, t.Candidates, t.Left, t.Support, t.Timings
			r.Why += "; " + t.Why
			return r, nil
		}
		rules = late
	}
	t.beside(rules)
	return t, nil
}

func answerAll(q query.Question, b Bench) (*Trail, error) {
	if b.Query.Split {
		message := q.Text
		if b.Query.Commands {
			message, _ = query.WithoutCommands(message)
		}
		if said, parts := query.Split(message); len(parts) > 1 {
			return answerParts(q, said, parts, b)
		}
	}
	if b.Answer.Lists {
		if names, questions, ok := query.Alternatives(q.Text); ok {
			return answerSides(q, names, questions, b)
		}
	}
	return answerOne(q, b)
}

// answerOne answers one question. One that says little, without pointing back at the conversation, is also taken by itself:
// it has changed the subject when it is answered as well so.
func answerOne(q query.Question, b Bench) (*Trail, error) {
	t, err := answerOnce(q, b)
	if err != nil || !t.Reading.Guessed {
		return t, err
	}
	alone, err := answerOnce(query.Question{Text: q.Text}, b)
	if err != nil || alone.Outcome != Answered {
		return t, err
	}
	less := t.Support - changed
	if b.oneMessage {
		less = t.Support + changed
	}
	if alone.Support < less {
		if on, err := t.speaksOf(alone.Reading.Terms, b.Texts); on || err != nil {
			return t, err
		}
	}
	alone.Turns = q.Turns
	alone.Timings = append(t.Timings, alone.Timings...)
	alone.Why += "; it stands alone: what was said before lends it no more support"
	return alone, nil
}

// speaksOf reports whether a passage that the reply stands on holds one of some terms.
func (t *Trail) speaksOf(terms []query.Term, texts find.Texts) (bool, error) {
	for _, s := range t.Reply {
		if s.Candidate < 0 {
			continue
		}
		d, err := texts.Version(s.Version)
		if err != nil {
			return false, fmt.Errorf("open a passage of the reply: %w", err)
		}
		has := stems(append(pathOf(d, s.Span), d.Title, d.Of(t.Candidates[s.Candidate].Evidence()))...)
		for _, x := range terms {
			if has[x.Stem] {
				return true, nil
			}
		}
	}
	return false, nil
}

// pathOf is the heading path of a span.
func pathOf(d *doc.Document, s doc.Span) []string {
	if i := d.BlockAt(s.Start); i >= 0 {
		return append([]string(nil), d.Path(i)...)
	}
	return nil
}

// changed is how much less support a question by itself may have than together with the conversation.
const changed = 0.05

func answerOnce(q query.Question, b Bench) (*Trail, error) {
	t := &Trail{Question: q.Text, Turns: q.Turns, Bar: b.Answer.Bar, Pins: b.Pins, Candidates: []Candidate{}}
	at := b.Clock()
	lap := func(step string) {
		now := b.Clock()
		t.Timings = append(t.Timings, Timing{step, (now - at).Microseconds()})
		at = now
	}
	t.Reading = query.Read(q, b.tools(), b.Query)
	lap("read")
	for i := range t.Reading.Steps {
		t.Timings = append(t.Timings, Timing{"pass " + t.Reading.Steps[i].Pass, t.Reading.Steps[i].Micros})
		t.Reading.Steps[i].Micros = 0
	}
	b.asked = t.Reading.Language
	if own := courtesy(t.Reading.Kind, b.Answer); own != "" {
		t.Outcome, t.Why = Courteous, "a courtesy, not a question: "+string(t.Reading.Kind)
		t.Reply = inOwnWords(own)
		return t, nil
	}
	if t.Reading.Kind == query.Command {
		refuse(t, b.Answer, "it orders the assistant about and asks nothing that sources could answer")
		return t, nil
	}
	if _, all := asksForAll(t.Reading.Alone); all && b.Answer.Lists {
		b.Find.Keep = max(b.Find.Keep, wider)
	}
	ranking, err := find.Rank(t.Reading, b.View, b.library(), b.Find, max(shown, b.Find.Keep))
	if err != nil {
		return nil, fmt.Errorf("rank %q: %w", q.Text, err)
	}
	ranked := ranking.Ranked
	lap("search")
	passages, err := open(ranked, b)
	if err != nil {
		return nil, err
	}
	terms := weigh(t.Reading, b)
	if err := judge(t.Reading, ranked, passages, terms, b); err != nil {
		return nil, err
	}
	record(t, ranking, passages)
	lap("weigh")
	switch {
	case t.Reading.Kind == query.Empty:
		refuse(t, b.Answer, "nothing was asked")
	case len(passages) == 0:
		refuse(t, b.Answer, "nothing in the corpus resembles the question")
	case t.Support < b.Answer.Bar:
		refuse(t, b.Answer, fmt.Sprintf("the best evidence has a support of %.2f, below the bar of %.2f", t.Support, b.Answer.Bar))
		t.nearBy(passages, b.Answer)
	default:
		done := false
		if b.Answer.Composer == ByModel {
			if b.Model == nil {
				t.Written = &Written{Prompt: []Message{}, Note: "no model is connected"}
			} else if done, err = byModel(t, passages, b); err != nil {
				return nil, err
			}
			lap("model")
		}
		if !done {
			say(t, passages, terms, b)
		}
	}
	lap("compose")
	return t, nil
}

// Search does the first half of Answer: it reads the question and ranks, and composes no reply. Whatever is asked is
// searched for, courtesies too. probe has every signal valued, those without weight too.
func Search(q query.Question, b Bench, probe bool) (query.Reading, find.Ranking, error) {
	b.Query.Courtesy = false
	r := query.Read(q, b.tools(), b.Query)
	lib := b.library()
	lib.Probe = probe
	out, err := find.Rank(r, b.View, lib, b.Find, max(shown, b.Find.Keep))
	if err != nil {
		return r, out, fmt.Errorf("rank %q: %w", q.Text, err)
	}
	return r, out, nil
}

func inOwnWords(s string) []Sentence { return []Sentence{{Text: s, Candidate: -1, Support: 1}} }

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

// open fetches the text behind the kept chunks. A chunk whose words are those of a better one is passed over.
func open(ranked []find.Ranked, b Bench) ([]*passage, error) {
	var out []*passage
	seen := map[string]bool{}
	for i, r := range ranked {
		if len(out) == b.Find.Keep {
			break
		}
		d, err := b.Texts.Version(r.Entry.Version)
		if err != nil {
			return nil, fmt.Errorf("open %s for a reply: %w", r.Entry.Address, err)
		}
		body := d.Of(r.Entry.Evidence())
		if seen[body] {
			continue
		}
		seen[body] = true
		p := &passage{rank: r, index: i, doc: d, units: b.Opened.units(r.Entry.Version, d, r.Entry.Evidence())}
		if len(p.units) > 0 {
			out = append(out, p)
		}
	}
	return out, nil
}

func record(t *Trail, ranking find.Ranking, ps []*passage) {
	for _, r := range ranking.Ranked {
		t.Candidates = append(t.Candidates, Candidate{
			Document: r.Entry.Document, Version: r.Entry.Version, Address: r.Entry.Address, Span: r.Entry.Span, Parent: r.Entry.Parent, Score: r.Score, Lexical: r.Lexical, Cosine: r.Cosine,
			Nearest: r.Nearest, Found: r.Found, Signals: r.Signals, Why: find.Because(r.Signals, r.Terms, len(t.Reading.Terms)),
		})
	}
	for _, l := range ranking.Left {
		t.Left = append(t.Left, Left{Document: l.Entry.Document, Version: l.Entry.Version, Span: l.Entry.Span, Why: l.Why, Of: l.Of})
	}
	for _, p := range ps {
		t.Candidates[p.index].Kept = true
		t.Candidates[p.index].Support = p.support
		t.Candidates[p.index].Features = &p.features
		t.Support = max(t.Support, p.support)
	}
}
