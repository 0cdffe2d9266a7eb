package answer

import (
	"fmt"
	"regexp"
	"slices"
	"sort"
	"strings"
	"time"

	"jolvex/core/doc"
	"jolvex/core/embed"
	"jolvex/core/find"
	"jolvex/core/index"
	"jolvex/core/query"
	"jolvex/core/rule"
	"jolvex/core/text"
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

	asked string // language of the question, when it is not the corpus's
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
		if said, parts := query.Split(q.Text); len(parts) > 1 {
			return answerParts(q, said, parts, b)
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
	if alone.Support < t.Support-changed {
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
	b.asked = t.Reading.Language
	if own := courtesy(t.Reading.Kind, b.Answer); own != "" {
		t.Outcome, t.Why = Courteous, "a courtesy, not a question: "+string(t.Reading.Kind)
		t.Reply = own1(own)
		return t, nil
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

func own1(s string) []Sentence { return []Sentence{{Text: s, Candidate: -1, Support: 1}} }

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
	t.Reply = own1(strings.TrimSpace(s.Refusal + " " + s.TurnTo))
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

// weigh gives each term of the question its weight: the rarer, the heavier. A word that the corpus lacks is the
// rarest of all: what is asked about is not there.
func weigh(r query.Reading, b Bench) []asked {
	out := make([]asked, 0, len(r.Terms))
	glossed := slices.ContainsFunc(r.Terms, func(t query.Term) bool { return t.Pass == query.PassGlossary })
	for _, t := range r.Terms {
		df := b.View.Frequency(t.Stem)
		switch {
		case t.Pass == query.PassCompound, t.Pass == query.PassRelated, t.Pass == query.PassFeedback:
			continue // another spelling of a word that is there already, or one that nobody asked about
		case t.Pass == query.PassAsked && df == 0 && glossed:
			continue // the glossary says it in the corpus's words
		}
		out = append(out, asked{t, t.Weight * index.Rarity(b.View.Chunks(), df), b.Words.Word(t.Word)})
	}
	return out
}

// judge measures how well each passage carries an answer.
func judge(r query.Reading, ranked []find.Ranked, ps []*passage, terms []asked, b Bench) error {
	if len(ps) == 0 {
		return nil
	}
	vs, err := b.Sentence.Embed([]string{r.Meaning()})
	if err != nil {
		return fmt.Errorf("embed the question: %w", err)
	}
	amounts := text.Amounts(r.Meaning())
	cosines, err := cosinesOf(vs[0], ranked, b)
	if err != nil {
		return err
	}
	about, strange := background(cosines), strangers(r.Wordings[0].Text, b.View)
	calibrated := byEncoder
	if !b.Encoded.Chunks || b.Foreign {
		calibrated = byWords
	}
	cache := &wordCache{b.Words, map[string]embed.Vector{}}
	extra := map[string]bool{}
	for _, t := range r.Terms {
		if t.Pass == query.PassCompound {
			extra[t.Stem] = true
		}
	}
	for _, p := range ps {
		if err := compare(p, vs[0], b); err != nil {
			return err
		}
		scoreUnits(p, terms, amounts, r.Wants)
		f := Features{Cosine: cosines[p.index], Near: p.rank.Nearest, Margin: cosines[p.index] - about, Strange: strange}
		has := map[string]bool{}
		for i := range p.units {
			u := &p.units[i]
			for s := range u.stems {
				has[s] = true
			}
			for s := range u.context {
				has[s] = true
			}
			f.Near = max(f.Near, u.cosine)
			f.Unit = max(f.Unit, u.coverage)
			if len(r.Wants) > 0 && f.Figure <= 0 {
				f.Figure = -1
				if hasFigure(*u, r.Wants) {
					f.Figure = 1
				}
			}
		}
		words := wordsOf(p.units, append(append([]string(nil), p.rank.Entry.Path...), p.rank.Entry.Title)...)
		f.Soft, f.Exact = coverage(terms, has, words, cache)
		for s := range extra {
			if has[s] { // the compound's other spelling stands there
				f.Soft, f.Exact = max(f.Soft, 0.8), max(f.Exact, 0.8)
			}
		}
		f.Heading = headingMatch(terms, p.rank.Entry.Path)
		p.features = f
		if like := (f.Cosine + f.Near) / 2; b.Encoded.Sentences && like > f.Cosine { // one sentence of a chunk on many things
			f.Cosine, f.Margin = like, like-about
		}
		p.support = calibrated.support(f)
	}
	if lacksFigure(r.Wants, ps) {
		for _, p := range ps {
			p.features.Missing = 1
			p.support = less(p.support, calibrated.missing)
		}
	}
	return nil
}

// bearing is the share of the best support from which a passage bears on a question.
const bearing = 0.5

// lacksFigure reports whether a question asks for a price, or for a way to reach somebody, and no passage that bears on it holds
// any. Other figures can be told without one: "when?" by "before the boat sails".
func lacksFigure(wants []text.QuantityKind, ps []*passage) bool {
	best := 0.0
	for _, p := range ps {
		best = max(best, p.support)
	}
	for _, kinds := range [][]text.QuantityKind{{text.Money}, {text.Phone, text.Mail}} {
		if len(wants) == 0 || !slices.Contains(kinds, wants[0]) {
			continue
		}
		return !slices.ContainsFunc(ps, func(p *passage) bool {
			return p.support >= bearing*best && slices.ContainsFunc(p.units, func(u unit) bool { return holdsFigure(&u, kinds) })
		})
	}
	return false
}

func holdsFigure(u *unit, kinds []text.QuantityKind) bool {
	if slices.Contains(kinds, text.Money) && costless.MatchString(u.text) {
		return true
	}
	return slices.ContainsFunc(u.figures, func(q text.Quantity) bool {
		return slices.Contains(kinds, q.Kind) || q.Kind == text.Web && slices.Contains(kinds, text.Mail)
	})
}

// costless is the price of what costs nothing, said so that nothing else can be meant.
var costless = regexp.MustCompile(`(?i)\b(?:free of charge|(?:at )?no (?:extra |additional )?(?:charge|cost|fee)|without charge|gratis|costs? nothing|need not pay|do(?:es)? not (?:cost|charge)|for free|percent|per cent)\b|%`)

// cosinesOf is how alike each ranked chunk is to the question, [ranked].
func cosinesOf(question embed.Vector, ranked []find.Ranked, b Bench) ([]float64, error) {
	out := make([]float64, len(ranked))
	for i, x := range ranked {
		if out[i] = x.Cosine; !b.Foreign {
			continue
		}
		d, err := b.Texts.Version(x.Entry.Version)
		if err != nil {
			return nil, fmt.Errorf("open %s for a reply: %w", x.Entry.Address, err)
		}
		vs, err := b.Sentence.Embed([]string{strings.Join(append(append([]string{x.Entry.Title}, x.Entry.Path...), d.Of(x.Entry.Span)), "\n")})
		if err != nil {
			return nil, fmt.Errorf("embed %s: %w", x.Entry.Address, err)
		}
		out[i] = embed.Cosine(question, vs[0])
	}
	return out, nil
}

// compare gives each unit of a passage its likeness of meaning to the question.
func compare(p *passage, question embed.Vector, b Bench) error {
	whole := *p.rank.Entry
	whole.Span = whole.Evidence()
	e, err := b.Memory.Chunk(&whole, b.Texts, b.Sentence)
	if err != nil {
		return err
	}
	if n := len(e.Headings); n > 0 {
		p.headed = embed.Cosine(question, e.Headings[n-1])
	}
	by := map[int]embed.Vector{}
	for i, piece := range find.Pieces(p.doc, whole.Span) {
		by[piece.Span.Start] = e.Pieces[i]
	}
	for i := range p.units {
		if v, ok := by[p.units[i].span.Start]; ok {
			p.units[i].cosine = embed.Cosine(question, v)
		}
	}
	return nil
}

func record(t *Trail, ranking find.Ranking, ps []*passage) {
	for _, r := range ranking.Ranked {
		t.Candidates = append(t.Candidates, Candidate{
			Document: r.Entry.Document, Version: r.Entry.Version, Span: r.Entry.Span, Parent: r.Entry.Parent, Score: r.Score, Lexical: r.Lexical, Cosine: r.Cosine,
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

// pointing is what is said in place of a document that is not to be quoted; "" for one that may be.
func pointing(marks int, s Settings) string {
	switch {
	case marks&index.Volatile != 0:
		return s.PointNow
	case marks&index.Unquotable != 0:
		return s.PointTo
	}
	return ""
}

// asksForFile finds questions for a document itself rather than for what it says. (Common practice, no published source.)
var asksForFile = regexp.MustCompile(`(?i)\b(?:forms?|files?|copy|copies|pdfs?|downloads?|leaflets?|brochures?|templates?|documents?|guides?|print(?:ed|out)?|send me|(?:mail|e-?mail) me)\b`)

// handOut is the best passage of a document that may be handed out, when the question asks for one; nil for none.
func handOut(ps []*passage, question string) *passage {
	if !asksForFile.MatchString(question) {
		return nil
	}
	for _, p := range ps {
		if p.rank.Entry.Marks&index.Given != 0 {
			return p
		}
	}
	return nil
}

// fork tells each way of a fork under its name, or asks which is meant when they are many. It reports false when a way has
// nothing to say.
func (t *Trail) fork(f *fork, weights map[string]float64, b Bench) bool {
	if len(f.ways) > mostWays {
		t.askBack(f, f.ways[0].p, b.Answer)
		return true
	}
	var said []Sentence
	for _, w := range f.ways {
		w.p.share = 1
		qs := pick(w.p, b.Answer.Words/len(f.ways), weights, t.Reading.Wants)
		if len(qs) == 0 || pointing(w.p.rank.Entry.Marks, b.Answer) != "" {
			return false
		}
		for i, q := range qs {
			u := &q.p.units[q.u]
			text := u.plainText(weights)
			if i == 0 {
				text = w.label + ": " + text
			}
			said = append(said, Sentence{Text: text, Candidate: q.p.index, Version: q.p.rank.Entry.Version, Span: u.span, Support: q.p.support})
		}
	}
	t.Reply = append(t.Reply, said...)
	t.Outcome, t.Why = Answered, fmt.Sprintf("the evidence parts on what the question leaves open: %s", strings.Join(f.options, ", "))
	return true
}

func (t *Trail) askBack(f *fork, p *passage, s Settings) {
	t.Reply = []Sentence{{Text: f.put(s.Asking), Candidate: p.index, Version: p.rank.Entry.Version, Span: p.rank.Entry.Span, Support: p.support}}
	t.Outcome, t.Why = AskedBack, "the evidence parts on what the question leaves open"
}

// mostTies is how many rows are said that have the same most or least of something.
const mostTies = 4

func say(t *Trail, ps []*passage, terms []asked, b Bench) {
	weights := map[string]float64{}
	for _, a := range terms {
		weights[a.Stem] += a.weight
	}
	able := ps[:0:0]
	for _, p := range ps {
		if p.support >= b.Answer.Bar {
			able = append(able, p)
		}
	}
	if p, cells, ok := extremal(t.Reading.Alone, able[:min(len(able), b.Answer.Sources)], weights); ok && pointing(p.rank.Entry.Marks, b.Answer) == "" {
		for _, c := range cells[:min(len(cells), mostTies)] {
			t.Reply = append(t.Reply, Sentence{Text: p.cellText(c), Candidate: p.index, Version: p.rank.Entry.Version, Span: p.units[c.unit].span, Support: p.support})
		}
		t.Outcome, t.Why = Answered, fmt.Sprintf("the best evidence has a support of %.2f, the bar is %.2f; its table is compared", t.Support, t.Bar)
		return
	}
	specials(able, terms)
	if b.Answer.AskBack {
		if f := forked(able, terms, t.Reading.Wants); f != nil && t.fork(f, weights, b) {
			return
		}
	}
	quotes := compose(able, weights, t.Reading.Wants, b.Answer)
	if b.Answer.AskBack {
		if f := openTable(quotes, terms, t.Reading.Wants); f != nil {
			t.askBack(f, quotes[0].p, b.Answer)
			return
		}
	}
	// Sentences of one passage stand together, in the order of the page.
	order := map[*passage]int{}
	for _, q := range quotes {
		if _, ok := order[q.p]; !ok {
			order[q.p] = len(order)
		}
	}
	sort.SliceStable(quotes, func(i, j int) bool {
		if a, c := order[quotes[i].p], order[quotes[j].p]; a != c {
			return a < c
		}
		return quotes[i].u < quotes[j].u
	})
	pointed := map[string]bool{}
	for _, q := range quotes {
		u := &q.p.units[q.u]
		if form := pointing(q.p.rank.Entry.Marks, b.Answer); form != "" {
			if d := q.p.rank.Entry.Document; !pointed[d] {
				pointed[d] = true
				said := strings.ReplaceAll(form, "{title}", q.p.rank.Entry.Title)
				t.Reply = append(t.Reply, Sentence{Text: said, Candidate: q.p.index, Version: q.p.rank.Entry.Version, Span: u.span, Support: q.p.support})
			}
			continue
		}
		said := u.plainText(weights)
		if !q.p.answers() {
			said = withoutYes(said)
		}
		if b.Answer.forbids(said) {
			continue
		}
		t.Reply = append(t.Reply, Sentence{Text: said, Candidate: q.p.index, Version: q.p.rank.Entry.Version, Span: u.span, Support: q.p.support})
	}
	if given := handOut(able, t.Reading.Wordings[0].Text); given != nil && b.Answer.Give != "" {
		said := strings.ReplaceAll(b.Answer.Give, "{title}", given.rank.Entry.Title)
		t.Reply = append(t.Reply, Sentence{Text: said, Candidate: given.index, Version: given.rank.Entry.Version, Span: given.rank.Entry.Span, Support: given.support})
	}
	if len(t.Reply) == 0 {
		refuse(t, b.Answer, "the evidence holds no sentence that can be quoted")
		return
	}
	t.Outcome, t.Why = Answered, fmt.Sprintf("the best evidence has a support of %.2f, the bar is %.2f", t.Support, t.Bar)
}
