package main

import (
	"context"
	"errors"
	"fmt"
	"log/slog"
	"math/rand/v2"
	"os"
	"path/filepath"
	"slices"
	"sort"
	"strings"

	"jolvex/core/answer"
	"jolvex/core/doc"
	"jolvex/core/index"
	"jolvex/core/measure"
	"jolvex/core/method"
	"jolvex/core/prove"
	"jolvex/core/query"
	"jolvex/core/questions"
	"jolvex/core/text"
	"jolvex/internal/app"
	"jolvex/internal/asking"
	"jolvex/internal/store"
	"jolvex/tools/evaluate/drawn"
	"jolvex/tools/evaluate/grounding"
)

// material is a body of documents with expected questions, asked as a person asks.
type material struct {
	name      string
	pages     func() ([]drawn.Page, error)
	questions func() ([]questions.Question, error)
}

// developersReference is where the Debian package of that name puts its pages.
const developersReference = "/usr/share/developers-reference"

// The seeds of the drawn organisations: the first pair may be looked at, the second is for closing figures alone.
var drawnSeeds = map[string]uint64{"open": 7, "held": 11}

// materials are the collections that replies are measured on, in one half: "open" for looking at, "held" for closing figures, "all".
func materials(half string) []material {
	out := []material{
		{"debian-faq", packaged(debianFAQ, "*.en.html"), fromFile("debian-faq", "all")},
		{"developers-reference", packaged(developersReference, "*.html"), fromFile("developers-reference", half)},
	}
	if half != "open" { // questions for closing figures alone; the guide's headings are among what support was fitted on
		out = append(out, material{"maint-guide", packaged("/usr/share/doc/maint-guide/html", "*.en.html"), fromFile("maint-guide", half)})
	}
	for _, h := range []string{"open", "held"} {
		if half != h && half != "all" {
			continue
		}
		for _, o := range []drawn.Organisation{drawn.Hire(drawnSeeds[h]), drawn.Courses(drawnSeeds[h])} {
			out = append(out, material{o.Name + ", " + h, func() ([]drawn.Page, error) { return o.Pages, nil }, func() ([]questions.Question, error) { return tagged(o.Questions, half), nil }})
		}
	}
	return out
}

// packaged reads the pages of a Debian package.
func packaged(dir, pattern string) func() ([]drawn.Page, error) {
	return func() ([]drawn.Page, error) {
		files, err := filepath.Glob(filepath.Join(dir, pattern))
		if err != nil || len(files) == 0 {
			return nil, errors.Join(err, fmt.Errorf("no pages in %s: is its Debian package installed?", dir))
		}
		var out []drawn.Page
		for _, f := range files {
			base := filepath.Base(f)
			if strings.HasPrefix(base, "index.") || slices.Contains([]string{"developers-reference.html", "search.html", "genindex.html"}, base) {
				continue // the contents, and all chapters once more
			}
			body, err := os.ReadFile(f)
			if err != nil {
				return nil, err
			}
			out = append(out, drawn.Page{Name: base, MediaType: "text/html", Body: string(body)})
		}
		return out, nil
	}
}

// fromFile reads expected questions, those of one half.
func fromFile(name, half string) func() ([]questions.Question, error) {
	return func() ([]questions.Question, error) {
		qs, err := readExpected("tools/evaluate/" + name + ".jsonl")
		if err != nil {
			return nil, err
		}
		var out []questions.Question
		for _, q := range qs {
			out = append(out, q.Question)
		}
		return tagged(out, half), nil
	}
}

// tagged keeps the questions of one half.
func tagged(qs []questions.Question, half string) []questions.Question {
	var out []questions.Question
	for _, q := range qs {
		if half == "all" || slices.Contains(q.Tags, half) {
			out = append(out, q)
		}
	}
	return out
}

// onMaterial asks the questions of every collection and sums up the replies by kind. keep is a folder in which indexes are kept between
// calls, "" for none; only is the collection to ask, "" for all.
func onMaterial(ctx context.Context, half, keep, only string, set list, verbose bool, quote int) error {
	if keep == "" {
		dir, err := os.MkdirTemp("", "jolvex-evaluate-")
		if err != nil {
			return err
		}
		defer os.RemoveAll(dir)
		keep = dir
	}
	a, err := app.Open(ctx, keep, slog.New(slog.NewTextHandler(os.Stderr, &slog.HandlerOptions{Level: slog.LevelWarn})), app.Options{})
	if err != nil {
		return err
	}
	defer a.Close()
	s := &session{ctx, a, set.change, verbose}
	var all tally
	var said []asked
	for _, m := range materials(half) {
		if !strings.HasPrefix(m.name, only) {
			continue
		}
		t, err := s.ask(m)
		if err != nil {
			return fmt.Errorf("%s: %w", m.name, err)
		}
		said = append(said, t.all...)
		if quote == 0 {
			t.print(m.name)
		}
		all.add(t)
	}
	if quote > 0 {
		verbatim(said, quote)
		return nil
	}
	all.print("all together")
	return nil
}

// ask gathers a collection, unless it is kept, and asks its questions.
func (s *session) ask(m material) (*tally, error) {
	if _, err := s.app.Corpus(s.ctx, m.name); errors.Is(err, store.ErrMissing) {
		pages, err := m.pages()
		if err != nil {
			return nil, err
		}
		if err := s.corpus(m.name); err != nil {
			return nil, err
		}
		for _, p := range pages {
			if _, err := s.app.Gathering.Upload(s.ctx, m.name, p.Name, p.MediaType, []byte(p.Body)); err != nil {
				return nil, err
			}
		}
		if err := s.idle(m.name); err != nil {
			return nil, err
		}
	} else if err != nil {
		return nil, err
	} else if err := s.idle(m.name); err != nil { // an index of another version is made anew
		return nil, err
	}
	qs, err := m.questions()
	if err != nil {
		return nil, err
	}
	c, err := s.app.Corpus(s.ctx, m.name)
	if err != nil {
		return nil, err
	}
	indexed, err := s.app.Indexing.Method(s.ctx, m.name)
	if err != nil {
		return nil, err
	}
	asks := method.Default()
	if err := s.change(&asks); err != nil {
		return nil, err
	}
	b, err := s.app.Asking.Bench(s.ctx, asking.Caller{Audience: index.Public, Surface: "run"}, store.Corpus{ID: c.ID, Name: c.Name, Method: indexed}, asks)
	if err != nil {
		return nil, err
	}
	t := &tally{}
	for _, q := range qs {
		trail, ms, err := asking.AskOn(s.ctx, b, query.Question{Text: q.Text, Turns: q.Turns})
		if err != nil {
			return nil, err
		}
		seen := prove.Seen{Trail: trail}
		for _, c := range trail.Candidates {
			body, err := s.app.Indexing.Version(s.ctx, c.Version)
			if err != nil {
				return nil, err
			}
			seen.Documents = append(seen.Documents, questions.Document{Address: c.Address})
			seen.Bodies = append(seen.Bodies, body)
		}
		x := asked{q, trail, seen, prove.Judge(q, seen), ms}
		t.take(x)
		if s.verbose {
			x.print()
		}
	}
	return t, nil
}

// asked is one question with its reply.
type asked struct {
	questions.Question
	trail   *answer.Trail
	seen    prove.Seen
	verdict prove.Verdict
	ms      float64
}

func (x *asked) print() {
	mark := "ok  "
	if !x.verdict.Passed {
		mark = "FAIL"
	}
	fmt.Printf("%s %s %v %q %s %.2f (%d words)\n", mark, x.ID, x.Tags, x.Text, x.trail.Outcome, x.trail.Support, len(text.Words(x.trail.Text())))
	if !x.verdict.Passed {
		for _, s := range x.trail.Reply {
			fmt.Printf("       | %s\n", doc.Fold(s.Text))
		}
		for _, f := range x.verdict.Findings {
			if !f.Held {
				fmt.Printf("       - %s %v\n", f.Expectation.Kind, f.Expectation.Values)
			}
		}
		fmt.Printf("       why: %s\n", x.trail.Why)
	}
}

// verbatim prints some replies drawn by lot, good and bad, as Markdown.
func verbatim(all []asked, n int) {
	lot := rand.New(rand.NewPCG(20261129, 30))
	for _, i := range lot.Perm(len(all))[:min(n, len(all))] {
		x := &all[i]
		verdict := "holds what was expected"
		switch {
		case x.verdict.Passed && x.Refusal():
			verdict = "rightly refused"
		case x.Refusal():
			verdict = "**should be refused**"
		case !x.verdict.Passed:
			var lacks []string
			for _, f := range x.verdict.Findings {
				if !f.Held {
					lacks = append(lacks, strings.Join(f.Expectation.Values, " or "))
				}
			}
			verdict = "**lacks** " + strings.Join(lacks, "; ")
		}
		fmt.Printf("\n**%s** (support %.2f; %s)\n\n> %s\n", x.Text, x.trail.Support, verdict, doc.Fold(x.trail.Text()))
	}
}

// long is from how many words on a reply is long.
const long = 60

// rate counts hits among chances.
type rate struct{ hits, of int }

func (r *rate) count(hit bool) {
	r.of++
	if hit {
		r.hits++
	}
}

// String implements fmt.Stringer: with the 95 % interval.
func (r rate) String() string {
	w := measure.Wilson(r.hits, r.of)
	return fmt.Sprintf("%3d of %3d  %3.0f %% [%.0f, %.0f]", r.hits, r.of, 100*float64(r.hits)/float64(max(1, r.of)), 100*w.Low, 100*w.High)
}

// tally sums up replies.
type tally struct {
	kinds                            []string
	facts, passed                    map[string]*rate
	recall, precision, wrong, padded rate
	right, other                     []float64 // support of right replies, and of the others
	millis                           []float64
	words                            []float64
	all                              []asked
}

func (t *tally) take(x asked) {
	if t.facts == nil {
		t.facts, t.passed = map[string]*rate{}, map[string]*rate{}
	}
	kind := x.Tags[0]
	if t.passed[kind] == nil {
		t.kinds = append(t.kinds, kind)
		t.facts[kind], t.passed[kind] = &rate{}, &rate{}
	}
	t.passed[kind].count(x.verdict.Passed)
	refused, should := x.trail.Outcome == answer.Refused, x.Refusal()
	t.millis, t.all = append(t.millis, x.ms), append(t.all, x)
	if should {
		t.recall.count(refused)
	} else {
		t.wrong.count(refused)
	}
	if refused {
		t.precision.count(should)
	}
	if x.verdict.Passed && !refused {
		t.right = append(t.right, x.trail.Support)
	} else {
		t.other = append(t.other, x.trail.Support)
	}
	if should {
		return
	}
	for _, f := range x.verdict.Findings {
		if f.Expectation.Kind == questions.Mentions || f.Expectation.Kind == questions.Gives {
			t.facts[kind].count(f.Held && !refused)
		}
	}
	if refused || !x.verdict.Passed {
		return
	}
	n := len(text.Words(x.trail.Text()))
	t.words = append(t.words, float64(n))
	t.padded.count(n > long && x.oneSentence())
}

// oneSentence reports whether one sentence of the reply holds all that was expected.
func (x *asked) oneSentence() bool {
	return slices.ContainsFunc(x.trail.Reply, func(s answer.Sentence) bool {
		alone := *x.trail
		alone.Reply = []answer.Sentence{s}
		return prove.Judge(x.Question, prove.Seen{Trail: &alone}).Passed
	})
}

func (t *tally) add(o *tally) {
	if t.facts == nil {
		t.facts, t.passed = map[string]*rate{}, map[string]*rate{}
	}
	for _, k := range o.kinds {
		if t.passed[k] == nil {
			t.kinds = append(t.kinds, k)
			t.facts[k], t.passed[k] = &rate{}, &rate{}
		}
		for _, p := range [][2]*rate{{t.facts[k], o.facts[k]}, {t.passed[k], o.passed[k]}} {
			p[0].hits, p[0].of = p[0].hits+p[1].hits, p[0].of+p[1].of
		}
	}
	for _, p := range [][2]*rate{{&t.recall, &o.recall}, {&t.precision, &o.precision}, {&t.wrong, &o.wrong}, {&t.padded, &o.padded}} {
		p[0].hits, p[0].of = p[0].hits+p[1].hits, p[0].of+p[1].of
	}
	t.right, t.other, t.millis, t.words = append(t.right, o.right...), append(t.other, o.other...), append(t.millis, o.millis...), append(t.words, o.words...)
}

func (t *tally) print(name string) {
	fmt.Printf("\n%s: %d questions\n", name, len(t.millis))
	var facts rate
	sort.Strings(t.kinds)
	for _, k := range t.kinds {
		facts.hits, facts.of = facts.hits+t.facts[k].hits, facts.of+t.facts[k].of
		line := fmt.Sprintf("  %-12s passed %s", k, t.passed[k])
		if t.facts[k].of > 0 {
			line += fmt.Sprintf("   facts %s", t.facts[k])
		}
		fmt.Println(line)
	}
	fmt.Printf("  facts                %s (a refusal finds none)\n", facts)
	if t.recall.of > 0 {
		fmt.Printf("  refusal recall       %s\n", t.recall)
	}
	fmt.Printf("  refusal precision    %s\n  wrongly refused      %s of what can be answered\n", t.precision, t.wrong)
	fmt.Printf("  over %d words where one sentence holds all: %s; words of a right reply p50 %.0f, p95 %.0f\n", long, t.padded, measure.Percentile(t.words, 0.5), measure.Percentile(t.words, 0.95))
	fmt.Printf("  support of right replies against the others: AUC %.3f; reply p50 %.0f ms, p95 %.0f ms\n", grounding.AUC(t.right, t.other), measure.Percentile(t.millis, 0.5), measure.Percentile(t.millis, 0.95))
}
