package runs

import (
	"context"
	"errors"
	"fmt"
	"math"
	"runtime"
	"slices"
	"sync"

	"jolvex/core/answer"
	"jolvex/core/diagnose"
	"jolvex/core/find"
	"jolvex/core/index"
	"jolvex/core/prove"
	"jolvex/core/query"
	"jolvex/core/questions"
	"jolvex/internal/asking"
	"jolvex/internal/fault"
	"jolvex/internal/job"
	"jolvex/internal/store"

	"golang.org/x/sync/errgroup"
)

// Order is how a set is run.
type Order struct {
	Change  diagnose.Alteration // of the draft, that is tried and not applied
	Note    string              // what is tried, in words
	Repeats int                 // how often each question is asked; 0 for once
	Cap     store.Cap
}

// mostRepeats is how often a question may be asked in one run.
const mostRepeats = 9

// StartRun freezes the set, and the draft as the order's change would leave it, and queues the run. Asking each question several times is
// of use where a model words replies and the same question does not always get the same one.
func (rm *Room) StartRun(ctx context.Context, corpus, set string, o Order) (Run, job.Job, error) {
	if o.Repeats < 0 || o.Repeats > mostRepeats {
		return Run{}, job.Job{}, fault.Input("a question is asked 1 to %d times, not %d", mostRepeats, o.Repeats)
	}
	if o.Cap.Tokens < 0 || !(o.Cap.Price >= 0) || math.IsInf(o.Cap.Price, 1) {
		return Run{}, job.Job{}, fault.Input("a cap is a number, and not below 0")
	}
	c, err := rm.store.Corpus(ctx, corpus)
	if err != nil {
		return Run{}, job.Job{}, err
	}
	s, err := rm.store.QuestionSet(ctx, c.ID, set)
	if err != nil {
		return Run{}, job.Job{}, err
	}
	qs, err := rm.store.Questions(ctx, s.ID)
	if err != nil {
		return Run{}, job.Job{}, err
	}
	m, err := Altered(c.Method, o.Change)
	if err != nil {
		return Run{}, job.Job{}, err
	}
	tried, err := rm.gathering.Bring(ctx, c, o.Change)
	if err != nil {
		return Run{}, job.Job{}, err
	}
	r, err := rm.store.CreateRun(ctx, s, qs, m, store.Order{Note: o.Note, Repeats: o.Repeats, Tried: tried, Cap: o.Cap})
	if err != nil {
		return Run{}, job.Job{}, err
	}
	j, err := rm.jobs.Add(ctx, c.ID, job.Prove, r.ID)
	return runView(r, s.Name), j, err
}

// resultBatch is how many results are stored in one transaction.
const resultBatch = 20

func (rm *Room) run(ctx context.Context, j store.Job, p *job.Progress) error {
	r, err := rm.store.Run(ctx, j.Target)
	if err != nil {
		return err
	}
	c, err := rm.store.Corpus(ctx, r.Corpus)
	if err != nil {
		return err
	}
	// One snapshot from the first question to the last, whatever is gathered meanwhile.
	snap, err := rm.index.IndexFor(ctx, c, r.Method, p)
	if err != nil {
		return err
	}
	if snap, err = rm.index.With(ctx, snap, r.Method, r.Tried); err != nil {
		return err
	}
	b, err := rm.asking.BenchOn(ctx, Asker, snap, r.Method)
	if err != nil {
		return err
	}
	chunks, sentences := rm.index.UnreadOf(r.Method, snap)
	b.Pins.Unread = max(chunks, sentences)
	if err := rm.store.PinRun(ctx, r.ID, b.Pins); err != nil {
		return err
	}
	if err := rm.askAll(ctx, r, b, p); err != nil {
		return err
	}
	rs, err := rm.store.Results(ctx, r.ID, false)
	if err != nil {
		return err
	}
	js := make([]prove.Judged, 0, len(rs))
	for _, x := range rs {
		js = append(js, prove.Judged{Question: r.Questions[x.Position], Verdict: x.Verdict, Millis: x.Millis, Failed: x.Failed})
	}
	if err := rm.store.EndRun(ctx, r.ID, prove.Summarise(js)); err != nil {
		return err
	}
	return rm.lookInto(ctx, c, snap, b, r, rs, p)
}

// askAll asks what a run has not asked yet and keeps the results, a batch at a time. It stops asking when a whole batch got no reply, and
// when the run's cap is reached; what is not asked then is a result, too.
func (rm *Room) askAll(ctx context.Context, r store.Run, b answer.Bench, p *job.Progress) error {
	have, err := rm.store.Results(ctx, r.ID, false)
	if err != nil {
		return err
	}
	pay := purse{cap: r.Cap}
	done := map[string]bool{}
	for _, h := range have {
		done[h.Question] = true
		pay.add(h.Verdict)
	}
	for from := 0; from < len(r.Questions); from += resultBatch {
		to := min(from+resultBatch, len(r.Questions))
		results, err := rm.askBatch(ctx, r, b, from, to, done, &pay)
		if err != nil {
			return err
		}
		if err := rm.store.AddResults(ctx, r.ID, results); err != nil {
			return err
		}
		why := ""
		if spent := pay.empty(); spent != "" && to < len(r.Questions) {
			why = "not asked: " + spent
		} else if len(results) == resultBatch && !slices.ContainsFunc(results, func(x store.Result) bool { return !x.Outage }) {
			why = "not asked, as none of the questions before got a reply: " + results[0].Failed
		}
		if why != "" {
			if err := rm.giveUp(ctx, r, to, why); err != nil {
				return err
			}
			to = len(r.Questions)
			from = to
		}
		p.Set(ctx, to, len(r.Questions), "asking")
	}
	return nil
}

// askBatch asks the questions of a run from one place up to another, those apart that were asked before.
func (rm *Room) askBatch(ctx context.Context, r store.Run, b answer.Bench, from, to int, done map[string]bool, pay *purse) ([]store.Result, error) {
	batch := make([]*store.Result, to-from)
	var g errgroup.Group
	g.SetLimit(runtime.GOMAXPROCS(0))
	for i := from; i < to; i++ {
		q := r.Questions[i]
		if done[q.ID] {
			continue
		}
		g.Go(func() error {
			if ctx.Err() != nil {
				return nil
			}
			one := store.Result{Position: i, Question: q.ID}
			if spent := pay.empty(); spent != "" {
				one.Failed = "not asked: " + spent
			} else {
				one = rm.judge(ctx, b, i, q, r.Repeats)
				pay.add(one.Verdict)
			}
			batch[i-from] = &one
			return nil
		})
	}
	_ = g.Wait() // what cannot be judged is a result, too
	var results []store.Result
	for _, x := range batch {
		if x != nil {
			results = append(results, *x)
		}
	}
	return results, ctx.Err()
}

// purse is what a run has spent on a model, and the most that it may.
type purse struct {
	cap store.Cap

	mu     sync.Mutex
	tokens int
	price  float64
}

// add counts what the replies behind a verdict cost.
func (p *purse) add(v prove.Verdict) {
	p.mu.Lock()
	defer p.mu.Unlock()
	p.tokens, p.price = p.tokens+v.Scores.TokensIn+v.Scores.TokensOut, p.price+v.Scores.Price
}

// empty says in words that the cap is reached; "" while there is something left.
func (p *purse) empty() string {
	p.mu.Lock()
	defer p.mu.Unlock()
	switch {
	case p.cap.Price > 0 && p.price >= p.cap.Price:
		return fmt.Sprintf("the most that this run may spend, %g, is spent", p.cap.Price)
	case p.cap.Tokens > 0 && p.tokens >= p.cap.Tokens:
		return fmt.Sprintf("the %d tokens that this run may use are used", p.cap.Tokens)
	}
	return ""
}

// giveUp writes down why the questions of a run from a place on were not asked.
func (rm *Room) giveUp(ctx context.Context, r store.Run, from int, why string) error {
	var rest []store.Result
	for i := from; i < len(r.Questions); i++ {
		rest = append(rest, store.Result{Position: i, Question: r.Questions[i].ID, Failed: why})
	}
	return rm.store.AddResults(ctx, r.ID, rest)
}

// judge asks one question the way everybody asks, and compares the reply with what was expected. Asked several times, it passes when
// most of the replies do, and the first reply that ended so stands for it.
func (rm *Room) judge(ctx context.Context, b answer.Bench, at int, q questions.Question, repeats int) store.Result {
	out := store.Result{Position: at, Question: q.ID}
	s, v, ms, err := rm.Examine(ctx, b, q)
	if err != nil {
		out.Failed, out.Outage = err.Error(), errors.Is(err, errOutage) || errors.Is(err, find.ErrEmbed)
		return out
	}
	out.Verdict, out.Trail, out.Millis = v, s.Trail, ms
	if repeats < 2 {
		return out
	}
	trails, verdicts := []*answer.Trail{s.Trail}, []prove.Verdict{v}
	for range repeats - 1 {
		s, v, more, err := rm.Examine(ctx, b, q)
		if err != nil {
			out.Failed = err.Error()
			return out
		}
		trails, verdicts, out.Millis = append(trails, s.Trail), append(verdicts, v), out.Millis+more
	}
	out.Millis /= float64(repeats)
	k := 0
	out.Verdict, k = prove.Majority(verdicts)
	out.Trail = trails[k]
	return out
}

// Examine plays a question's script, puts the question, and judges what comes. The time is that of the last reply.
func (rm *Room) Examine(ctx context.Context, b answer.Bench, q questions.Question) (prove.Seen, prove.Verdict, float64, error) {
	turns := q.Turns
	var earlier []prove.Finding
	var in, out int
	var price float64
	for i, line := range q.Script {
		s, _, err := rm.put(ctx, b, line.Text, turns)
		if err != nil {
			return prove.Seen{}, prove.Verdict{}, 0, fmt.Errorf("message %d of the script: %w", i+1, err)
		}
		read, wrote, cost := s.Trail.Cost()
		in, out, price = in+read, out+wrote, price+cost
		earlier = append(earlier, prove.JudgeLine(line, i+1, s)...)
		turns = append(turns[:len(turns):len(turns)], query.Turn{Role: "user", Text: line.Text}, query.Turn{Role: "assistant", Text: s.Trail.Text()})
	}
	s, ms, err := rm.put(ctx, b, q.Text, turns)
	if err != nil {
		return s, prove.Verdict{}, ms, err
	}
	s.Relevant = rm.Directory(b).Relevant(q)
	v := prove.Judge(q, s).After(earlier)
	v.Scores.Pay(in, out, price)
	return s, v, ms, nil
}

// Directory finds the documents that a bench can answer from by their names.
func (rm *Room) Directory(b answer.Bench) *questions.Directory {
	key := b.Pins.Snapshot + " " + b.Pins.Audience
	if d, ok := rm.names.Get(key); ok {
		return d
	}
	d, seen := questions.NewDirectory(), map[string]bool{}
	b.View.Each(func(_ int, e *index.Entry) bool {
		if !seen[e.Document] {
			seen[e.Document] = true
			d.Add(e.Document, e.Address, e.Title)
		}
		return true
	})
	rm.names.Add(key, d)
	return d
}

// errOutage says that the model which the method asks for did not answer.
var errOutage = errors.New("the model did not answer, and the reply is not judged")

// put asks one question on a bench and gathers what a judge looks at.
func (rm *Room) put(ctx context.Context, b answer.Bench, text string, turns []query.Turn) (prove.Seen, float64, error) {
	t, ms, err := asking.AskOn(ctx, b, query.Question{Text: text, Turns: turns})
	if err != nil {
		return prove.Seen{}, ms, err
	}
	if why := t.Outage(); why != "" { // what stood in for the model says nothing of the method
		return prove.Seen{}, ms, fmt.Errorf("%w: %s", errOutage, why)
	}
	s := prove.Seen{Trail: t, Reader: rm.reader, Grounded: make([]float64, len(t.Reply))}
	for _, cand := range t.Candidates {
		body, err := rm.index.Version(ctx, cand.Version)
		if err != nil {
			return s, ms, err
		}
		d := questions.Document{Address: cand.Address, Title: body.Title, Text: body.Of(cand.Evidence())}
		s.Documents, s.Bodies = append(s.Documents, d), append(s.Bodies, body)
	}
	for i, x := range t.Reply {
		if s.Grounded[i], err = b.Carried(ctx, t, x); err != nil {
			return s, ms, err
		}
	}
	return s, ms, nil
}

// Asker is who asks the questions of a run.
var Asker = asking.Caller{Audience: index.Public, Surface: "run"}
