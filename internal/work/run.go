package work

import (
	"context"
	"fmt"
	"runtime"
	"strings"

	"golang.org/x/sync/errgroup"

	"jolvex/core/answer"
	"jolvex/core/embed"
	"jolvex/core/index"
	"jolvex/core/method"
	"jolvex/core/prove"
	"jolvex/core/query"
	"jolvex/internal/store"
)

// StartRun freezes the set and the draft, and queues the run.
func (a *App) StartRun(ctx context.Context, corpus, set string) (Run, Job, error) {
	return a.start(ctx, corpus, set, prove.Alteration{}, "", 1)
}

// mostRepeats is how often a question may be asked in one run.
const mostRepeats = 9

// StartRepeated does as StartRun and asks each question several times: of use where a model words replies and the same question does
// not always get the same one.
func (a *App) StartRepeated(ctx context.Context, corpus, set string, repeats int) (Run, Job, error) {
	if repeats < 1 || repeats > mostRepeats {
		return Run{}, Job{}, inputError("a question is asked 1 to %d times, not %d", mostRepeats, repeats)
	}
	return a.start(ctx, corpus, set, prove.Alteration{}, "", repeats)
}

// StartTry freezes the set and the draft as an alteration would leave it, and queues the run. Nothing is applied; note says what
// is tried.
func (a *App) StartTry(ctx context.Context, corpus, set string, change prove.Alteration, note string) (Run, Job, error) {
	return a.start(ctx, corpus, set, change, note, 1)
}

func (a *App) start(ctx context.Context, corpus, set string, change prove.Alteration, note string, repeats int) (Run, Job, error) {
	c, err := a.store.Corpus(ctx, corpus)
	if err != nil {
		return Run{}, Job{}, err
	}
	s, err := a.store.QuestionSet(ctx, c.ID, set)
	if err != nil {
		return Run{}, Job{}, err
	}
	qs, err := a.store.Questions(ctx, s.ID)
	if err != nil {
		return Run{}, Job{}, err
	}
	m, err := altered(c.Method, change)
	if err != nil {
		return Run{}, Job{}, err
	}
	tried, err := a.bring(ctx, c, change)
	if err != nil {
		return Run{}, Job{}, err
	}
	r, err := a.store.CreateRun(ctx, s, qs, m, note, repeats, tried)
	if err != nil {
		return Run{}, Job{}, err
	}
	j, err := a.queue(ctx, c.ID, JobRun, r.ID)
	return runView(r, s.Name), j, err
}

// resultBatch is how many results are stored in one transaction.
const resultBatch = 20

func (a *App) run(ctx context.Context, j store.Job, p *progress) error {
	r, err := a.store.Run(ctx, j.Target)
	if err != nil {
		return err
	}
	c, err := a.store.Corpus(ctx, r.Corpus)
	if err != nil {
		return err
	}
	// One snapshot from the first question to the last, whatever is gathered meanwhile.
	snap, err := a.indexFor(ctx, c, r.Method, p)
	if err != nil {
		return err
	}
	if snap, err = a.with(ctx, snap, r.Method, r.Tried); err != nil {
		return err
	}
	b, err := a.benchOn(ctx, asRun, snap, r.Method)
	if err != nil {
		return err
	}
	if err := a.store.PinRun(ctx, r.ID, b.Pins); err != nil {
		return err
	}
	have, err := a.store.Results(ctx, r.ID, false)
	if err != nil {
		return err
	}
	done := map[string]bool{}
	for _, h := range have {
		done[h.Question] = true
	}
	for from := 0; from < len(r.Questions); from += resultBatch {
		to := min(from+resultBatch, len(r.Questions))
		batch := make([]*store.Result, to-from)
		var g errgroup.Group
		g.SetLimit(runtime.GOMAXPROCS(0))
		for i := from; i < to; i++ {
			if q := r.Questions[i]; !done[q.ID] {
				g.Go(func() error {
					if ctx.Err() == nil {
						one := a.judge(ctx, b, i, q, r.Repeats)
						batch[i-from] = &one
					}
					return nil
				})
			}
		}
		_ = g.Wait() // what cannot be judged is a result, too
		if err := ctx.Err(); err != nil {
			return err
		}
		var results []store.Result
		for _, b := range batch {
			if b != nil {
				results = append(results, *b)
			}
		}
		if err := a.store.AddResults(ctx, r.ID, results); err != nil {
			return err
		}
		p.set(ctx, to, len(r.Questions), "asking")
	}
	rs, err := a.store.Results(ctx, r.ID, false)
	if err != nil {
		return err
	}
	js := make([]prove.Judged, 0, len(rs))
	for _, x := range rs {
		js = append(js, prove.Judged{Question: r.Questions[x.Position], Verdict: x.Verdict, Millis: x.Millis, Failed: x.Failed})
	}
	if err := a.store.EndRun(ctx, r.ID, prove.Summarise(js)); err != nil {
		return err
	}
	return a.lookInto(ctx, c, snap, b, r, rs, p)
}

// judge asks one question the way everybody asks, and compares the reply with what was expected. Asked several times, it passes when
// most of the replies do, and the first reply that ended so stands for it.
func (a *App) judge(ctx context.Context, b answer.Bench, at int, q prove.Question, repeats int) store.Result {
	out := store.Result{Position: at, Question: q.ID}
	s, v, ms, err := a.examine(ctx, b, q)
	if err != nil {
		out.Failed = err.Error()
		return out
	}
	out.Verdict, out.Trail, out.Millis = v, s.Trail, ms
	if repeats < 2 {
		return out
	}
	trails, verdicts := []*answer.Trail{s.Trail}, []prove.Verdict{v}
	for range repeats - 1 {
		s, v, more, err := a.examine(ctx, b, q)
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

// examine plays a question's script, puts the question, and judges what comes. The time is that of the last reply.
func (a *App) examine(ctx context.Context, b answer.Bench, q prove.Question) (prove.Seen, prove.Verdict, float64, error) {
	turns := q.Turns
	var earlier []prove.Finding
	for i, line := range q.Script {
		s, _, err := a.put(ctx, b, line.Text, turns)
		if err != nil {
			return prove.Seen{}, prove.Verdict{}, 0, fmt.Errorf("message %d of the script: %w", i+1, err)
		}
		earlier = append(earlier, prove.JudgeLine(line, i+1, s)...)
		turns = append(turns[:len(turns):len(turns)], query.Turn{Role: "user", Text: line.Text}, query.Turn{Role: "assistant", Text: s.Trail.Text()})
	}
	s, ms, err := a.put(ctx, b, q.Text, turns)
	if err != nil {
		return s, prove.Verdict{}, ms, err
	}
	return s, prove.Judge(q, s).After(earlier), ms, nil
}

// put asks one question on a bench and gathers what a judge looks at.
func (a *App) put(ctx context.Context, b answer.Bench, text string, turns []query.Turn) (prove.Seen, float64, error) {
	t, ms, err := askOn(ctx, b, query.Question{Text: text, Turns: turns})
	if err != nil {
		return prove.Seen{}, ms, err
	}
	s := prove.Seen{Trail: t, Grounded: make([]float64, len(t.Reply))}
	for _, cand := range t.Candidates {
		body, err := a.Version(ctx, cand.Version)
		if err != nil {
			return s, ms, err
		}
		d := prove.Document{Address: cand.Address, Title: body.Title, Text: body.Of(cand.Evidence())}
		s.Documents = append(s.Documents, d)
	}
	for i, x := range t.Reply {
		if s.Grounded[i], err = b.Carried(ctx, t, x); err != nil {
			return s, ms, err
		}
	}
	return s, ms, nil
}

// asRun is who asks the questions of a run.
var asRun = Caller{Audience: index.Public, Surface: "run"}

// indexFor is an index that was built with the method: the corpus's own, or else one made for the purpose and kept nowhere.
func (a *App) indexFor(ctx context.Context, c store.Corpus, m method.Method, p *progress) (*index.Snapshot, error) {
	s, err := a.shelf(ctx, c)
	if err != nil {
		return nil, err
	}
	st, err := m.Stages(a.target(m).ID())
	if err != nil {
		return nil, err
	}
	if built, _ := s.stage.Load().(string); built != "" && built != st.Index {
		return a.scratch(ctx, c, m, func(done, total int) { p.set(ctx, done, total, "making an index to try it on") })
	}
	return s.snapshot.Load(), nil
}

// scratch builds an index in memory under a method and keeps nothing of it but the vectors of chunks, by their content.
func (a *App) scratch(ctx context.Context, c store.Corpus, m method.Method, tell func(done, total int)) (*index.Snapshot, error) {
	var cuts []cut
	after, seen := "", 0
	for {
		docs, err := a.store.Indexable(ctx, c.ID, []string{store.Fetched, store.Indexed, store.Unchanged}, after, 100)
		if err != nil {
			return nil, err
		}
		if len(docs) == 0 {
			break
		}
		after = docs[len(docs)-1].ID
		more, err := a.prepare(ctx, docs, m)
		if err != nil {
			return nil, fmt.Errorf("cut documents: %w", err)
		}
		cuts, seen = append(cuts, more...), seen+len(docs)
		tell(seen, seen+1)
	}
	return a.snapshotOf(ctx, cuts, m, tell)
}

// snapshotOf makes segments of cuts, with vectors of the embedder that the method asks for.
func (a *App) snapshotOf(ctx context.Context, cuts []cut, m method.Method, tell func(done, total int)) (*index.Snapshot, error) {
	b := a.behind(m)
	parts, hashes, err := a.partsOf(ctx, cuts, b, tell)
	if err != nil {
		return nil, err
	}
	out := &index.Snapshot{Embedder: a.target(m).ID(), Parts: parts}
	out.Name = index.Hash([]byte(out.Embedder + strings.Join(hashes, "")))
	if out.Embedder == a.encoder.ID() {
		for _, c := range cuts {
			if err := a.encodeSentences(ctx, c.entries); err != nil {
				return nil, err
			}
		}
		out.Sentences = true
	}
	return out, nil
}

// partsOf makes a segment of each audience's cuts, with word vectors or those of a reader, and gives their hashes, too.
func (a *App) partsOf(ctx context.Context, cuts []cut, b reader, tell func(done, total int)) (parts []index.Part, hashes []string, err error) {
	var vs []embed.Vector
	if b != nil {
		var texts []string
		for _, c := range cuts {
			for _, t := range c.texts {
				texts = append(texts, whole(t))
			}
		}
		if vs, err = a.remembered(ctx, b, texts); err != nil {
			return nil, nil, err
		}
		const batch = 64
		for from := 0; from < len(texts); from += batch {
			to := min(from+batch, len(texts))
			if err := a.encodeMissing(ctx, b, texts[from:to], vs[from:to]); err != nil {
				return nil, nil, err
			}
			tell(to, len(texts))
		}
	}
	builders, sets := map[string]*index.Builder{}, map[string][]embed.Vector{}
	var order []string
	at := 0
	for _, c := range cuts {
		b := builders[c.audience]
		if b == nil {
			b = index.NewBuilder(c.audience)
			builders[c.audience] = b
			order = append(order, c.audience)
		}
		for i, e := range c.entries {
			b.Add(e, c.texts[i])
		}
		if vs == nil {
			sets[c.audience] = append(sets[c.audience], c.words...)
		} else {
			sets[c.audience] = append(sets[c.audience], vs[at:at+len(c.texts)]...)
		}
		at += len(c.texts)
	}
	for _, au := range order {
		if builders[au].Len() == 0 {
			continue
		}
		seg := builders[au].Build()
		hashes = append(hashes, index.Hash(seg.Encode()))
		parts = append(parts, index.Part{Segment: seg, Vectors: index.Flat(sets[au])})
	}
	return parts, hashes, nil
}

func (a *App) provingJobs() {
	a.register(JobRun, true, a.run)
	a.register(JobStudy, true, a.study)
}
