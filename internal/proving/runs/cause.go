package runs

import (
	"context"
	"errors"
	"fmt"
	"runtime"
	"slices"
	"sync/atomic"

	"jolvex/core/answer"
	"jolvex/core/chunk"
	"jolvex/core/diagnose"
	"jolvex/core/embed"
	"jolvex/core/index"
	"jolvex/core/method"
	"jolvex/core/prove"
	"jolvex/core/query"
	"jolvex/core/questions"
	"jolvex/core/rule"
	"jolvex/core/text"
	"jolvex/internal/fault"
	"jolvex/internal/job"
	"jolvex/internal/store"

	"golang.org/x/sync/errgroup"
)

// Altered gives a method with an alteration brought in; ErrInput, wrapped, when that does not go.
func Altered(m method.Method, change diagnose.Alteration) (method.Method, error) {
	m, err := method.Altered(m, change)
	if err != nil {
		return m, fault.Input("%v", err)
	}
	return m, nil
}

// probe asks again and looks into the corpus, for the diagnosis of one question.
type probe struct {
	*diagnose.Corpus
	rm     *Room
	corpus store.Corpus
	snap   *index.Snapshot // what b searches
	b      answer.Bench
	m      method.Method
	q      questions.Question
	others []questions.Question // of the set, that pass

	drawn    bool
	variants []questions.Question // of q
	before   int                  // of these, those that pass as things are
}

// Rules gives the method's house rules.
func (p *probe) Rules() []rule.Rule { return p.m.Rules }

// Again answers the question under an altered method.
func (p *probe) Again(ctx context.Context, change diagnose.Alteration, documents []string) (prove.Seen, prove.Verdict, error) {
	m, err := Altered(p.m, change)
	if err != nil {
		return prove.Seen{}, prove.Verdict{}, err
	}
	b, err := p.bench(ctx, m, change)
	if err != nil {
		return prove.Seen{}, prove.Verdict{}, err
	}
	b.Filter.Documents = documents
	s, v, _, err := p.rm.Examine(ctx, b, p.q)
	return s, v, err
}

// How many other questions a fix is tried on: variants of the one that failed, and questions of the set that passed. Of a small set, these
// are all of them: with some two fixes for each failure, about mostAsked questions are asked after a run.
const (
	mostVariants = 6
	leastOthers  = 12
	mostAsked    = 3_000
)

// othersFor is how many questions that passed each fix is tried on where so many failed.
func othersFor(failed int) int { return max(leastOthers, mostAsked/(2*max(1, failed))) }

// Try asks variants of the question and others that passed, with a change and without it. Where a model words replies, asking costs money: then
// nothing is asked, and the whole set is asked when somebody wants it.
func (p *probe) Try(ctx context.Context, change diagnose.Alteration) (diagnose.Tried, error) {
	var out diagnose.Tried
	if p.m.Answer.Composer == answer.ByModel || p.m.Query.Model {
		return out, nil
	}
	m, err := Altered(p.m, change)
	if err != nil {
		return out, err
	}
	with, err := p.bench(ctx, m, change)
	if err != nil {
		return out, err
	}
	if err := p.draw(ctx); err != nil {
		return out, err
	}
	passes := func(qs []questions.Question) (int, error) {
		var n atomic.Int64
		g, ctx := errgroup.WithContext(ctx)
		g.SetLimit(runtime.GOMAXPROCS(0))
		for _, q := range qs {
			g.Go(func() error {
				_, v, _, err := p.rm.Examine(ctx, with, q)
				if err == nil && v.Passed {
					n.Add(1)
				}
				return err
			})
		}
		err := g.Wait()
		return int(n.Load()), err
	}
	out.Variants = diagnose.Gain{Of: len(p.variants), Before: p.before}
	out.Others = diagnose.Gain{Of: len(p.others), Before: len(p.others)} // they passed in the run
	if out.Variants.After, err = passes(p.variants); err != nil {
		return out, err
	}
	out.Others.After, err = passes(p.others)
	return out, err
}

// draw draws the variants of the question, and asks them once as things are.
func (p *probe) draw(ctx context.Context) error {
	if p.drawn {
		return nil
	}
	p.drawn = true
	v := p.b.View
	for _, x := range questions.Stress(p.q, func(stem string) float64 { return index.Rarity(v.Chunks(), v.Frequency(stem)) }) {
		same := slices.ContainsFunc(x.Tags, func(t string) bool {
			return t == questions.StressMisspelt || t == questions.StressTwoWord || t == questions.StressReworded
		})
		if !same || len(p.variants) == mostVariants {
			continue
		}
		x.Script = nil
		p.variants = append(p.variants, x)
		_, v, _, err := p.rm.Examine(ctx, p.b, x)
		if err != nil {
			return err
		}
		if v.Passed {
			p.before++
		}
	}
	return nil
}

// Related tells how alike two wordings are by the vectors of their words, and in how many chunks the first is used.
func (p *probe) Related(a, b string) (likeness float64, known bool, uses int) {
	for _, w := range text.Content(a) {
		uses = max(uses, p.b.View.Frequency(w.Stem))
		for _, o := range text.Content(b) {
			x, y := p.b.Words.Word(w.Norm), p.b.Words.Word(o.Norm)
			if len(x) == 0 || len(y) == 0 {
				continue
			}
			likeness, known = max(likeness, float64(embed.Cosine(x, y))), true
		}
	}
	return likeness, known, uses
}

// besides are questions of a run that passed, by which a fix is seen to break nothing: those with most words in common with the one that
// failed, for they are the likeliest to be touched by it.
func besides(q questions.Question, qs []questions.Question, passed map[string]bool, most int) []questions.Question {
	type near struct {
		q questions.Question
		n int
	}
	asked := text.Stems(q.Text)
	var out []near
	for _, o := range qs {
		if !passed[o.ID] || o.ID == q.ID || len(o.Script) > 0 {
			continue
		}
		n := 0
		for s := range text.Stems(o.Text) {
			if asked[s] {
				n++
			}
		}
		out = append(out, near{o, n})
	}
	slices.SortStableFunc(out, func(a, b near) int { return b.n - a.n })
	var list []questions.Question
	for _, o := range out[:min(len(out), most)] {
		list = append(list, o.q)
	}
	return list
}

func passedOf(rs []store.Result) map[string]bool {
	out := map[string]bool{}
	for _, x := range rs {
		out[x.Question] = x.Failed == "" && x.Verdict.Passed
	}
	return out
}

// bench is what an altered method answers on.
func (p *probe) bench(ctx context.Context, m method.Method, change diagnose.Alteration) (answer.Bench, error) {
	if !change.Material() {
		return p.rm.asking.Under(ctx, p.b, m)
	}
	tried, err := p.rm.gathering.Bring(ctx, p.corpus, change)
	if err != nil {
		return answer.Bench{}, err
	}
	snap, err := p.rm.index.With(ctx, p.snap, m, tried)
	if err != nil {
		return answer.Bench{}, err
	}
	return p.rm.asking.BenchOn(ctx, Asker, snap, m)
}

// Whole cuts the document of a place under an altered method, and looks whether one chunk holds all of it.
func (p *probe) Whole(ctx context.Context, change diagnose.Alteration, h diagnose.Held) (bool, error) {
	m, err := Altered(p.m, change)
	if err != nil {
		return false, err
	}
	at := slices.IndexFunc(p.Members, func(d diagnose.Member) bool { return d.Document == h.Document })
	if at < 0 {
		return false, nil
	}
	_, chunks, err := p.rm.index.ChunksOf(ctx, p.Members[at].Version, m.Cutting(h.Source))
	return slices.ContainsFunc(chunks, func(c chunk.Chunk) bool { return c.Span.Contains(h.Span) || c.Parent.Contains(h.Span) }), err
}

// lookInto finds the cause of every failure of a run. With a model that words replies, asking again costs money: then it is
// done for a question when somebody wants to know.
func (rm *Room) lookInto(ctx context.Context, c store.Corpus, snap *index.Snapshot, b answer.Bench, r store.Run, rs []store.Result, p *job.Progress) error {
	if r.Method.Answer.Composer == answer.ByModel {
		return nil
	}
	var failed []store.Result
	for _, x := range rs {
		if x.Failed == "" && !x.Verdict.Passed && x.Cause == nil {
			failed = append(failed, x)
		}
	}
	if len(failed) == 0 {
		return nil
	}
	lib, err := rm.sets.Library(ctx, c, b.View)
	if err != nil {
		return err
	}
	base := probe{Corpus: lib, rm: rm, corpus: c, snap: snap, b: b, m: r.Method}
	passed := passedOf(rs)
	var errs []error // one that cannot be looked into does not keep the others from it
	for i, x := range failed {
		if err := ctx.Err(); err != nil {
			return err
		}
		base.others = besides(r.Questions[x.Position], r.Questions, passed, othersFor(len(failed)))
		d, err := rm.diagnose(ctx, base, r.Questions[x.Position])
		if err == nil {
			err = rm.store.PutCause(ctx, r.ID, x.Question, d)
		}
		if err != nil {
			errs = append(errs, fmt.Errorf("look into question %s: %w", x.Question, err))
		}
		p.Set(ctx, i+1, len(failed), "finding causes")
	}
	return errors.Join(errs...)
}

// diagnose answers a question once more and finds why it fails. A question whose script fails is looked into where it fails first.
func (rm *Room) diagnose(ctx context.Context, p probe, q questions.Question) (diagnose.Diagnosis, error) {
	q, err := rm.firstFailing(ctx, p.b, q)
	if err != nil {
		return diagnose.Diagnosis{}, err
	}
	s, v, _, err := rm.Examine(ctx, p.b, q)
	if err != nil {
		return diagnose.Diagnosis{}, err
	}
	if v.Passed {
		return diagnose.Diagnosis{Cause: diagnose.Doubtful, Why: "asked once more, it passes: what answers is not steady", Shown: []string{}, Fixes: []diagnose.Fix{}}, nil
	}
	p.q = q
	return diagnose.Diagnose(ctx, q, s, v, &p)
}

// firstFailing gives the message of a script whose reply first falls short, as a question of its own with what was said before;
// the question itself, when its script holds.
func (rm *Room) firstFailing(ctx context.Context, b answer.Bench, q questions.Question) (questions.Question, error) {
	turns := q.Turns
	for i, line := range q.Script {
		s, _, err := rm.put(ctx, b, line.Text, turns)
		if err != nil {
			return q, err
		}
		if slices.ContainsFunc(prove.JudgeLine(line, i+1, s), func(f prove.Finding) bool { return !f.Held }) {
			return questions.Question{ID: q.ID, Text: line.Text, Turns: turns, Expect: line.Expect}, nil
		}
		turns = append(turns[:len(turns):len(turns)], query.Turn{Role: "user", Text: line.Text}, query.Turn{Role: "assistant", Text: s.Trail.Text()})
	}
	q.Turns, q.Script = turns, nil
	return q, nil
}

// Cause finds why a question of a run failed, or gives what was found.
func (rm *Room) Cause(ctx context.Context, corpus, run, question string) (diagnose.Diagnosis, error) {
	r, err := rm.RunOf(ctx, corpus, run)
	if err != nil {
		return diagnose.Diagnosis{}, err
	}
	rs, err := rm.store.Results(ctx, run, false)
	if err != nil {
		return diagnose.Diagnosis{}, err
	}
	at := slices.IndexFunc(rs, func(x store.Result) bool { return x.Question == question })
	if at < 0 {
		return diagnose.Diagnosis{}, fmt.Errorf("question %s of run %s: %w", question, run, fault.ErrMissing)
	}
	if x := rs[at]; x.Cause != nil {
		return *x.Cause, nil
	} else if x.Verdict.Passed || x.Failed != "" {
		return diagnose.Diagnosis{}, fault.Input("question %s did not fail", question)
	}
	c, err := rm.store.Corpus(ctx, r.Corpus)
	if err != nil {
		return diagnose.Diagnosis{}, err
	}
	d, err := rm.look(ctx, c, r, rs, r.Questions[rs[at].Position])
	if err != nil {
		return d, err
	}
	return d, rm.store.PutCause(ctx, run, question, d)
}

// look finds why a question fails under the method of a run, whose other questions are what a fix is tried on.
func (rm *Room) look(ctx context.Context, c store.Corpus, r store.Run, rs []store.Result, q questions.Question) (diagnose.Diagnosis, error) {
	shelf, err := rm.index.Shelf(ctx, c)
	if err != nil {
		return diagnose.Diagnosis{}, err
	}
	snap, err := rm.index.With(ctx, shelf.Snapshot.Load(), r.Method, r.Tried)
	if err != nil {
		return diagnose.Diagnosis{}, err
	}
	b, err := rm.asking.BenchOn(ctx, Asker, snap, r.Method)
	if err != nil {
		return diagnose.Diagnosis{}, err
	}
	lib, err := rm.sets.Library(ctx, c, b.View)
	if err != nil {
		return diagnose.Diagnosis{}, err
	}
	return rm.diagnose(ctx, probe{Corpus: lib, rm: rm, corpus: c, snap: snap, b: b, m: r.Method, others: besides(q, r.Questions, passedOf(rs), othersFor(1))}, q)
}

// Look finds why a question that belongs to no run fails under the draft. What would cure it is tried on the questions that passed in the last
// run over the draft, when there is one.
func (rm *Room) Look(ctx context.Context, corpus string, q questions.Question) (diagnose.Diagnosis, error) {
	c, err := rm.store.Corpus(ctx, corpus)
	if err != nil {
		return diagnose.Diagnosis{}, err
	}
	last, err := rm.store.Runs(ctx, c.ID, "", 10)
	if err != nil {
		return diagnose.Diagnosis{}, err
	}
	r, rs := store.Run{}, []store.Result(nil)
	if at := slices.IndexFunc(last, func(r store.Run) bool { return r.Summary != nil && r.Note == "" }); at >= 0 {
		r.Questions = last[at].Questions
		if rs, err = rm.store.Results(ctx, last[at].ID, false); err != nil {
			return diagnose.Diagnosis{}, err
		}
	}
	r.Method = c.Method
	return rm.look(ctx, c, r, rs, q)
}

// Judged is the reply of the draft to one question, held against what is expected of it.
type Judged struct {
	Reply   string
	Outcome answer.Outcome
	Cited   []string // documents
	Passed  bool
}

// Judge asks the draft a question that belongs to no run, and holds the reply against what is expected.
func (rm *Room) Judge(ctx context.Context, corpus string, q questions.Question) (Judged, error) {
	c, err := rm.store.Corpus(ctx, corpus)
	if err != nil {
		return Judged{}, err
	}
	b, err := rm.asking.Bench(ctx, Asker, c, c.Method)
	if err != nil {
		return Judged{}, err
	}
	s, v, _, err := rm.Examine(ctx, b, q)
	if err != nil {
		return Judged{}, err
	}
	out := Judged{Reply: s.Trail.Text(), Outcome: s.Trail.Outcome, Passed: v.Passed}
	for _, x := range s.Trail.Reply {
		if x.Candidate >= 0 && !slices.Contains(out.Cited, s.Trail.Candidates[x.Candidate].Document) {
			out.Cited = append(out.Cited, s.Trail.Candidates[x.Candidate].Document)
		}
	}
	return out, nil
}
