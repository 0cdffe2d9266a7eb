package main

import (
	"context"
	"errors"
	"fmt"
	"log/slog"
	"maps"
	"math/rand/v2"
	"os"
	"path/filepath"
	"slices"
	"strings"

	"jolvex/core/diagnose"
	"jolvex/core/doc"
	"jolvex/core/embed"
	"jolvex/core/query"
	"jolvex/core/questions"
	"jolvex/core/rule"
	"jolvex/core/text"
	"jolvex/internal/app"
	"jolvex/internal/proving/runs"
	"jolvex/internal/store"
	"jolvex/tools/evaluate/drawn"
)

// mostTries is how often a place is drawn for one kind of failure.
const mostTries = 150

// planted is a failure with a known cause: a question, and what is changed so that it fails.
type planted struct {
	cause  diagnose.Cause
	also   []diagnose.Cause // that would be as true
	change diagnose.Alteration
	rules  []rule.Rule
	adds   []drawn.Page // that stay
	q      questions.Question
}

// base is a question that passes before anything is planted, with its reply and where what it expects stands.
type base struct {
	questions.Question
	result runs.Result
	body   body
	span   doc.Span // of the answer, 0 where it is not known
}

// garden is a corpus in which failures are planted.
type garden struct {
	*session
	name    string
	r       *rand.Rand
	bases   []base
	bodies  []body
	alien   []questions.Question // about something else: of another manual
	planned int
}

// causes plants failures by lot, 40 in Debian Reference and 20 in an organisation's tables, and prints which cause was found for which. Kinds
// and places are drawn; a plant after which the question still passes is no plant, and is drawn again.
func causes(ctx context.Context, seed uint64, verbose bool) error {
	dir, err := os.MkdirTemp("", "jolvex-causes-")
	if err != nil {
		return err
	}
	defer os.RemoveAll(dir)
	a, err := app.Open(ctx, dir, slog.New(slog.NewTextHandler(os.Stderr, &slog.HandlerOptions{Level: slog.LevelWarn})), app.Options{})
	if err != nil {
		return err
	}
	defer a.Close()
	s := &session{ctx, a, list(nil).change, verbose}
	alien, err := fromFile("maint-guide", "all")()
	if err != nil {
		return err
	}
	manual := &garden{session: s, name: "debian-reference", r: rand.New(rand.NewPCG(seed, 1)), alien: alien}
	pages, err := packaged(debianReference, "*.en.html")()
	if err != nil {
		return err
	}
	hire := drawn.Hire(23 + seed)
	tables := &garden{session: s, name: hire.Name, r: rand.New(rand.NewPCG(seed, 2)), alien: alien}
	count := map[[2]diagnose.Cause]int{}
	right, all, cured, wide := 0, 0, 0, 0
	for _, g := range []struct {
		*garden
		pages []drawn.Page
		own   []questions.Question
		kinds []func(*garden) (planted, bool)
		n     int
	}{
		{manual, pages, nil, []func(*garden) (planted, bool){notThere, leftOut, wrongExpectation, excludingExpectations, oneKept, wrongGlossary, older, decoy, otherPage, barTooHigh, offSubject, ruleInstead, ruleMissed, tooLong}, 40},
		{tables, hire.Pages, hire.Questions, []func(*garden) (planted, bool){notThere, leftOut, wrongExpectation, older, recordsOff, barTooHigh, offSubject, ruleInstead, tooLong, otherPage}, 20},
	} {
		if err := g.prepare(g.pages, g.own); err != nil {
			return fmt.Errorf("%s: %w", g.name, err)
		}
		fmt.Printf("%s: %d questions pass before anything is planted\n", g.name, len(g.bases))
		var due []func(*garden) (planted, bool) // every kind once, in an order by lot, and again
		for k, tries := 0, 0; k < g.n; {
			if len(due) == 0 {
				for _, at := range g.r.Perm(len(g.kinds)) {
					due = append(due, g.kinds[at])
				}
			}
			p, ok := due[0](g.garden)
			if tries++; tries > mostTries {
				due, tries = due[1:], 0 // it cannot be planted here
			}
			if !ok {
				continue
			}
			x, failed, err := g.plant(p)
			if err != nil {
				return fmt.Errorf("%s: plant %s: %w", g.name, p.cause, err)
			}
			if !failed {
				continue
			}
			due, tries = due[1:], 0
			k++
			all++
			got := diagnose.Cause("none")
			if x.Cause != nil {
				got = x.Cause.Cause
			}
			hit := got == p.cause || slices.Contains(p.also, got)
			if hit {
				right++
			}
			count[[2]diagnose.Cause{p.cause, got}]++
			if x.Cause != nil && len(x.Cause.Fixes) > 0 && x.Cause.Fixes[0].Cures {
				cured++
				if v := x.Cause.Fixes[0].Variants; v == nil || v.After > v.Before || v.Before == v.Of {
					wide++
				}
			}
			if verbose || !hit {
				why := ""
				if x.Cause != nil {
					why = fmt.Sprintf("%s (%.2f)", x.Cause.Why, x.Cause.Sure)
				}
				fmt.Printf("%-16s -> %-16s %q wants %v\n    said: %.160s\n    why: %.300s\n", p.cause, got, p.q.Text, p.q.Expect, doc.Fold(x.Reply), why)
			}
		}
	}
	fmt.Println("planted -> found")
	for _, k := range slices.SortedFunc(maps.Keys(count), func(a, b [2]diagnose.Cause) int { return strings.Compare(string(a[0]+a[1]), string(b[0]+b[1])) }) {
		fmt.Printf("  %-18s %-18s %d\n", k[0], k[1], count[k])
	}
	fmt.Printf("right first: %d of %d; the first fix cures %d, other wordings as well %d\n", right, all, cured, wide)
	return nil
}

// prepare gathers a corpus, by word vectors alone, and keeps the questions that pass.
func (g *garden) prepare(pages []drawn.Page, own []questions.Question) error {
	if err := g.corpus(g.name); err != nil {
		return err
	}
	m, err := g.app.Indexing.Method(g.ctx, g.name)
	if err != nil {
		return err
	}
	m.Embed.Grade = embed.GradeWords
	if _, err := g.app.Indexing.SaveMethod(g.ctx, g.name, m); err != nil {
		return err
	}
	if err := g.upload(pages); err != nil {
		return err
	}
	if g.bodies, err = g.session.bodies(g.name); err != nil {
		return err
	}
	spans := map[string]doc.Span{}
	if own == nil {
		for _, b := range g.bodies {
			for _, p := range questions.Propose(questions.Document{Address: b.Address, Title: b.text.Title}, b.text) {
				own = append(own, p.Question)
				spans[p.Question.ID] = p.Span
			}
		}
	}
	results, err := g.try(own, diagnose.Alteration{})
	if err != nil {
		return err
	}
	for _, x := range results {
		if !x.Verdict.Passed || x.Verdict.Refused {
			continue
		}
		for _, b := range g.bodies {
			if slices.ContainsFunc(x.Question.Expect, func(e questions.Expectation) bool {
				return e.Kind == questions.Cites && (questions.Document{Address: b.Address, Title: b.text.Title}).Is(e.Values) || e.Kind != questions.Cites && e.Is(questions.Fact) && len(spans) == 0 && len(e.Places(b.text, 1)) > 0
			}) {
				g.bases = append(g.bases, base{x.Question, x, b, spans[x.Question.ID]})
				break
			}
		}
	}
	if len(g.bases) < 20 {
		return fmt.Errorf("only %d questions pass before anything is planted", len(g.bases))
	}
	return nil
}

func (g *garden) upload(pages []drawn.Page) error {
	for _, p := range pages {
		if _, err := g.app.Gathering.Upload(g.ctx, g.name, filepath.Base(p.Name), p.MediaType, []byte(p.Body)); err != nil {
			return err
		}
	}
	return g.idle(g.name)
}

// try runs questions over the draft with a change.
func (g *garden) try(qs []questions.Question, change diagnose.Alteration) ([]runs.Result, error) {
	if _, err := g.app.Proving.Sets.PutQuestions(g.ctx, g.name, "planted", qs); err != nil {
		return nil, err
	}
	r, _, err := g.app.Proving.Runs.StartRun(g.ctx, g.name, "planted", runs.Order{Change: change, Note: "planted"})
	if err != nil {
		return nil, err
	}
	if err := g.idle(g.name); err != nil {
		return nil, err
	}
	_, results, err := g.app.Proving.Runs.RunResults(g.ctx, g.name, r.ID)
	return results, err
}

// plant brings a failure in, asks, and takes it out again.
func (g *garden) plant(p planted) (runs.Result, bool, error) {
	if p.q.Check() != nil {
		return runs.Result{}, false, nil
	}
	m, err := g.app.Indexing.Method(g.ctx, g.name)
	if err != nil {
		return runs.Result{}, false, err
	}
	m.Rules = p.rules
	if _, err := g.app.Indexing.SaveMethod(g.ctx, g.name, m); err != nil {
		return runs.Result{}, false, err
	}
	if err := g.upload(p.adds); err != nil {
		return runs.Result{}, false, err
	}
	results, err := g.try([]questions.Question{p.q}, p.change)
	var gone []string
	for _, a := range p.adds {
		ds, _, err := g.app.Indexing.Documents(g.ctx, g.name, store.Filter{Text: filepath.Base(a.Name), Limit: 2})
		if err != nil {
			return runs.Result{}, false, err
		}
		for _, d := range ds {
			gone = append(gone, d.ID)
		}
	}
	if len(gone) > 0 {
		if err := errors.Join(err, g.app.Gathering.LeaveOut(g.ctx, g.name, gone, true), g.idle(g.name)); err != nil {
			return runs.Result{}, false, err
		}
	}
	if err != nil || len(results) == 0 {
		return runs.Result{}, false, err
	}
	return results[0], !results[0].Verdict.Passed && results[0].Failed == "", nil
}

func (g *garden) one() base {
	b := g.bases[g.r.IntN(len(g.bases))]
	g.planned++
	b.ID = fmt.Sprint("p", g.planned)
	return b
}

func settings(kv ...string) diagnose.Alteration {
	a := diagnose.Alteration{Settings: map[string]string{}}
	for i := 0; i < len(kv); i += 2 {
		a.Settings[kv[i]] = kv[i+1]
	}
	return a
}

// notThere asks what another manual answers and this corpus does not say.
func notThere(g *garden) (planted, bool) {
	q := g.alien[g.r.IntN(len(g.alien))]
	if q.Refusal() {
		return planted{}, false
	}
	var facts []questions.Expectation
	for _, e := range q.Expect {
		if e.Kind != questions.Mentions {
			continue
		}
		for _, b := range g.bodies {
			if said, _ := questions.Says(b.text.Text, e.Values); said {
				return planted{}, false
			}
		}
		facts = append(facts, e)
	}
	q.ID, q.Expect, q.Tags = "alien", facts, nil
	return planted{cause: diagnose.NotGathered, q: q}, len(facts) > 0
}

func leftOut(g *garden) (planted, bool) {
	b := g.one()
	return planted{cause: diagnose.LeftOut, q: b.Question, change: diagnose.Alteration{LeaveOut: []string{b.body.ID}}}, true
}

// wrongExpectation expects of the page what it does not say.
func wrongExpectation(g *garden) (planted, bool) {
	b := g.one()
	q := b.Question
	q.Expect = []questions.Expectation{{Kind: questions.Mentions, Values: []string{[]string{"on the third floor", "by carrier pigeon", "seventeen purple forms", "only in leap years"}[g.r.IntN(4)]}}, {Kind: questions.Cites, Values: []string{b.body.Address}}}
	return planted{cause: diagnose.Doubtful, q: q}, true
}

func excludingExpectations(g *garden) (planted, bool) {
	b := g.one()
	q := b.Question
	q.Expect = append(slices.Clone(q.Expect), questions.Expectation{Kind: questions.Refuses})
	return planted{cause: diagnose.Doubtful, q: q}, true
}

// oneKept keeps one chunk where what is expected stands in a later one.
func oneKept(g *garden) (planted, bool) {
	b := g.one()
	if b.result.Verdict.Rank < 2 {
		return planted{}, false
	}
	return planted{cause: diagnose.RankedBelow, also: []diagnose.Cause{diagnose.LostInRewriting}, q: b.Question, change: settings("find.keep", "1")}, true
}

// wrongGlossary tells the glossary that the longest word of a question means something else.
func wrongGlossary(g *garden) (planted, bool) {
	b, other := g.one(), g.one()
	longest := ""
	for _, w := range text.Content(b.Text) {
		if len(w.Norm) > len(longest) {
			longest = w.Norm
		}
	}
	var means []string
	for _, w := range text.Content(other.Text) {
		means = append(means, w.Norm)
	}
	if longest == "" || len(means) < 2 || b.body.ID == other.body.ID {
		return planted{}, false
	}
	means = append(means, strings.Join(means, " "))
	return planted{cause: diagnose.LostInRewriting, q: b.Question, change: diagnose.Alteration{Settings: map[string]string{"query.share": "0.9", "find.keep": "2"}, Glossary: []query.Entry{{Term: longest, Means: means}}}}, true
}

// older adds last decade's page, whose figures differ, and which is written for the question.
func older(g *garden) (planted, bool) {
	b := g.one()
	for _, e := range b.Expect {
		if e.Kind != questions.Gives && e.Kind != questions.Mentions {
			continue
		}
		for _, s := range e.Places(b.body.text, 1) {
			said := doc.Fold(b.body.text.Of(s))
			at, ok := expectedFigure(e, said)
			if !ok || len(said) > 400 || len(strings.Fields(said)) < 4 {
				continue
			}
			old := said[:at.Start] + other(said[at.Start:at.End]) + said[at.End:]
			if held, _ := questions.HoldsFigure(old, questions.Expectation{Kind: questions.Gives, Values: []string{said[at.Start:at.End]}}); held {
				continue
			}
			q := b.Question
			q.Expect = []questions.Expectation{{Kind: questions.Gives, Values: []string{said[at.Start:at.End]}}, {Kind: questions.Cites, Values: []string{b.body.Address}}}
			page := fmt.Sprintf("# %s (2014)\n\n%s %s\n", strings.TrimSuffix(b.Text, "?"), b.Text, old)
			return planted{cause: diagnose.OutOfDate, q: q, adds: []drawn.Page{{Name: fmt.Sprintf("old-%s-2014.md", b.ID), MediaType: "text/markdown", Body: page}}}, q.Expect[0].Check() == nil
		}
	}
	return planted{}, false
}

// expectedFigure is the figure of a sentence that an expectation is about.
func expectedFigure(e questions.Expectation, said string) (text.Quantity, bool) {
	for _, q := range text.Quantities(said) {
		figure := said[q.Start:q.End]
		if slices.ContainsFunc(e.Values, func(v string) bool { return strings.EqualFold(strings.TrimSpace(v), figure) }) {
			return q, true
		}
	}
	return text.Quantity{}, false
}

// other is a figure with its digits changed.
func other(s string) string {
	return strings.Map(func(r rune) rune {
		if r >= '1' && r <= '8' {
			return r + 1
		}
		return r
	}, s)
}

// decoy adds a page whose heading is the question and whose text is about something else.
func decoy(g *garden) (planted, bool) {
	b, o := g.one(), g.one()
	said := doc.Fold(o.result.Reply)
	if len(said) < 60 || b.body.ID == o.body.ID {
		return planted{}, false
	}
	q := b.Question
	page := fmt.Sprintf("# %s\n\n%s %s\n", strings.TrimSuffix(b.Text, "?"), strings.TrimSuffix(b.Text, "?")+".", said)
	return planted{cause: diagnose.Neighbour, also: []diagnose.Cause{diagnose.WrongPage}, q: q, adds: []drawn.Page{{Name: "decoy-" + b.ID + ".md", MediaType: "text/markdown", Body: page}}}, true
}

// otherPage expects the reply to cite a page that is not about it.
func otherPage(g *garden) (planted, bool) {
	b, o := g.one(), g.one()
	if b.body.ID == o.body.ID {
		return planted{}, false
	}
	q := b.Question
	q.Expect = []questions.Expectation{{Kind: questions.Cites, Values: []string{o.body.Address}}}
	for _, e := range b.Expect {
		if e.Kind != questions.Cites {
			q.Expect = append(q.Expect, e)
		}
	}
	return planted{cause: diagnose.WrongPage, q: q}, len(q.Expect) > 1
}

func barTooHigh(g *garden) (planted, bool) {
	return planted{cause: diagnose.WronglyRefused, q: g.one().Question, change: settings("answer.bar", "1")}, true
}

func offSubject(g *garden) (planted, bool) {
	ask := []string{"Who won the football world cup in 1998?", "How do I bake sourdough bread?", "What is the capital of Mongolia?", "Which films are on television tonight?"}[g.r.IntN(4)]
	return planted{cause: diagnose.ShouldRefuse, q: questions.Question{ID: "off", Text: ask, Expect: []questions.Expectation{{Kind: questions.Refuses}}}, change: settings("answer.bar", "0")}, true
}

// ruleInstead has a house rule answer in place of the sources; one time in two what is expected could not be found without it either.
func ruleInstead(g *garden) (planted, bool) {
	b := g.one()
	ws := text.Content(b.Text)
	if len(ws) == 0 {
		return planted{}, false
	}
	w := ws[len(ws)-1].Norm
	p := planted{cause: diagnose.RuleMisfired, q: b.Question, rules: []rule.Rule{{ID: "r", Name: "Desk", When: rule.When{Contains: []string{w}}, Then: []rule.Action{{Kind: rule.Reply, Text: "Please ask at the desk."}}}}}
	if g.r.IntN(2) == 0 {
		p.change = settings("answer.bar", "1")
	}
	return p, true
}

func ruleMissed(g *garden) (planted, bool) {
	b := g.one()
	q := b.Question
	q.Expect = []questions.Expectation{{Kind: questions.Follows, Values: []string{"Parties"}}}
	return planted{cause: diagnose.RuleMissed, q: q, rules: []rule.Rule{{ID: "p", Name: "Parties", When: rule.When{Like: []string{"I want to hire a room for a birthday party"}, Nearness: 0.95}, Then: []rule.Action{{Kind: rule.Reply, Text: "Write to the office."}}}}}, true
}

func tooLong(g *garden) (planted, bool) {
	b := g.one()
	q := b.Question
	q.Expect = append(slices.Clone(q.Expect), questions.Expectation{Kind: questions.Short, Values: []string{"3"}})
	return planted{cause: diagnose.MannerBreached, q: q}, len(q.Conflicts()) == 0
}

// recordsOff switches records off for questions that they answer.
func recordsOff(g *garden) (planted, bool) {
	b := g.one()
	if !slices.ContainsFunc(b.Tags, func(t string) bool { return t == "superlative" || t == "count" || t == "negation" }) {
		return planted{}, false
	}
	return planted{cause: diagnose.NotUnderstood, q: b.Question, change: settings("answer.records", "false")}, true
}
