package trials

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"runtime"

	"jolvex/core/answer"
	"jolvex/core/find"
	"jolvex/core/index"
	"jolvex/core/method"
	"jolvex/core/prove"
	"jolvex/core/query"
	"jolvex/core/questions"
	"jolvex/internal/asking"
	"jolvex/internal/fault"
	"jolvex/internal/job"
	"jolvex/internal/store"

	"golang.org/x/sync/errgroup"
)

// The kinds of study.
const (
	StudyAblation = "ablation" // what each pass and signal is worth
	StudyFit      = "fit"      // weights moved to suit a question set
)

// Study is something measured over a question set besides its verdicts.
type Study struct {
	ID        string          `json:"id"`
	Kind      string          `json:"kind" enum:"ablation,fit,trial"`
	Set       string          `json:"set"`
	CreatedAt string          `json:"createdAt"`
	EndedAt   string          `json:"endedAt"`
	Stale     []string        `json:"stale" nullable:"false" doc:"Settings that have changed since"`
	Ablation  *prove.Ablation `json:"ablation,omitempty"`
	Fit       *Fit            `json:"fit,omitempty"`
	Trial     *TrialOutcome   `json:"trial,omitempty"`
}

// Fit is what came of moving weights, with the settings as they would be.
type Fit struct {
	find.Fitted
	Find find.Settings `json:"find" doc:"The settings of the rank stage with the weights moved"`
}

// StartStudy freezes the draft and queues the study of a set.
func (rm *Room) StartStudy(ctx context.Context, corpus, set, kind string) (Study, job.Job, error) {
	c, err := rm.store.Corpus(ctx, corpus)
	if err != nil {
		return Study{}, job.Job{}, err
	}
	if kind != StudyAblation && kind != StudyFit {
		return Study{}, job.Job{}, fault.Input("%q is no kind of study", kind)
	}
	return rm.beginStudy(ctx, c, set, kind, nil)
}

// beginStudy freezes the draft, with the plan of a trial, and queues the work.
func (rm *Room) beginStudy(ctx context.Context, c store.Corpus, set, kind string, plan json.RawMessage) (Study, job.Job, error) {
	s, err := rm.store.QuestionSet(ctx, c.ID, set)
	if err != nil {
		return Study{}, job.Job{}, err
	}
	st, err := rm.store.CreateStudy(ctx, kind, s, c.Method, plan)
	if err != nil {
		return Study{}, job.Job{}, err
	}
	j, err := rm.jobs.Add(ctx, c.ID, job.Study, st.ID)
	if err != nil {
		return Study{}, job.Job{}, err
	}
	out, err := studyView(st, c.Method)
	return out, j, err
}

// Studies lists a corpus's latest studies, newest first.
func (rm *Room) Studies(ctx context.Context, corpus string) ([]Study, error) {
	c, err := rm.store.Corpus(ctx, corpus)
	if err != nil {
		return nil, err
	}
	ss, err := rm.store.Studies(ctx, c.ID, 20)
	if err != nil {
		return nil, err
	}
	out := make([]Study, len(ss))
	for i, s := range ss {
		if out[i], err = studyView(s, c.Method); err != nil {
			return nil, err
		}
	}
	return out, nil
}

func studyView(s store.Study, now method.Method) (Study, error) {
	out := Study{ID: s.ID, Kind: s.Kind, Set: s.Set, CreatedAt: s.CreatedAt, EndedAt: s.EndedAt, Stale: append([]string{}, method.Difference(s.Method, now)...)}
	if s.Outcome == nil {
		return out, nil
	}
	var into any
	switch s.Kind {
	case StudyAblation:
		out.Ablation = &prove.Ablation{}
		into = out.Ablation
	case StudyTrial:
		out.Trial = &TrialOutcome{}
		into = out.Trial
	default:
		out.Fit = &Fit{}
		into = out.Fit
	}
	if err := json.Unmarshal(s.Outcome, into); err != nil {
		return out, fmt.Errorf("read the outcome of study %s: %w", s.ID, err)
	}
	return out, nil
}

func (rm *Room) study(ctx context.Context, j store.Job, p *job.Progress) error {
	s, err := rm.store.Study(ctx, j.Target)
	if err != nil {
		return err
	}
	if s.Kind == StudyTrial {
		return rm.trial(ctx, s, p)
	}
	c, err := rm.store.Corpus(ctx, s.Corpus)
	if err != nil {
		return err
	}
	qs, err := rm.store.Questions(ctx, s.Set)
	if err != nil {
		return err
	}
	able := qs[:0:0]
	for _, q := range qs {
		if q.RankOf(nil) >= 0 {
			able = append(able, q)
		}
	}
	if len(able) == 0 {
		return errors.New("no question of the set names a document to be cited or a passage to be reached")
	}
	b, err := rm.asking.Bench(ctx, asking.Caller{Audience: index.Public, Surface: "study"}, c, s.Method)
	if err != nil {
		return err
	}
	var outcome any
	if s.Kind == StudyAblation {
		outcome, err = rm.ablate(ctx, b, s.Method, able, p)
	} else {
		outcome, err = rm.fit(ctx, b, s.Method, able, p)
	}
	if err != nil {
		return err
	}
	return rm.store.EndStudy(ctx, s.ID, b.Pins.Snapshot, outcome)
}

func (rm *Room) ablate(ctx context.Context, b answer.Bench, m method.Method, qs []questions.Question, p *job.Progress) (prove.Ablation, error) {
	parts := m.Ablations()
	total := len(qs) * (1 + len(parts))
	whole, err := rm.ranks(ctx, b, m, qs, func(done int) { p.Set(ctx, done, total, "ranking with all parts") })
	if err != nil {
		return prove.Ablation{}, err
	}
	out := prove.Ablation{Parts: []prove.Worth{}}
	for i, w := range parts {
		before := len(qs) * (i + 1)
		without, err := rm.ranks(ctx, b, w.Method, qs, func(done int) { p.Set(ctx, before+done, total, "ranking without: "+w.Label) })
		if err != nil {
			return out, err
		}
		out.Add(prove.Worth{Key: w.Key, Label: w.Label, Kind: w.Kind}, qs, whole, without)
	}
	return out, nil
}

// ranks gives the rank of each question's expected candidate under a method that searches the same index.
func (rm *Room) ranks(ctx context.Context, b answer.Bench, m method.Method, qs []questions.Question, done func(int)) (prove.Ranks, error) {
	b.Query, b.Find, b.Priority = m.Query, m.Find, m.Priority
	out := make(prove.Ranks, len(qs))
	return out, rm.eachQuestion(ctx, qs, done, func(i int, q questions.Question) error {
		_, r, err := answer.Search(ctx, query.Question{Text: q.Text, Turns: q.Turns}, b, false)
		if err != nil {
			return err
		}
		ds, err := rm.candidates(ctx, r.Ranked)
		out[i] = q.RankOf(ds)
		return err
	})
}

// eachQuestion does the work for every question, on all cores, and tells how far it has come.
func (rm *Room) eachQuestion(ctx context.Context, qs []questions.Question, done func(int), do func(i int, q questions.Question) error) error {
	const batch = 16
	for from := 0; from < len(qs); from += batch {
		g, ctx := errgroup.WithContext(ctx)
		g.SetLimit(runtime.GOMAXPROCS(0))
		to := min(from+batch, len(qs))
		for i := from; i < to; i++ {
			g.Go(func() error {
				if err := ctx.Err(); err != nil {
					return err
				}
				return do(i, qs[i])
			})
		}
		if err := g.Wait(); err != nil {
			return err
		}
		done(to)
	}
	return nil
}

// candidates are ranked chunks as expectations are compared with them.
func (rm *Room) candidates(ctx context.Context, rs []find.Ranked) ([]questions.Document, error) {
	out := make([]questions.Document, len(rs))
	for i, r := range rs {
		body, err := rm.index.Version(ctx, r.Entry.Version)
		if err != nil {
			return nil, fmt.Errorf("open %s: %w", r.Entry.Address, err)
		}
		out[i] = questions.Document{Address: r.Entry.Address, Title: r.Entry.Title, Text: body.Of(r.Entry.Evidence())}
	}
	return out, nil
}

func (rm *Room) fit(ctx context.Context, b answer.Bench, m method.Method, qs []questions.Question, p *job.Progress) (*Fit, error) {
	b.Find.Fold, b.Find.Diversity, b.Find.Keep = false, 0, 40
	cases := make([]find.Case, len(qs))
	err := rm.eachQuestion(ctx, qs, func(done int) { p.Set(ctx, done, len(qs), "looking at the candidates") }, func(i int, q questions.Question) error {
		_, r, err := answer.Search(ctx, query.Question{Text: q.Text, Turns: q.Turns}, b, true)
		if err != nil {
			return err
		}
		ds, err := rm.candidates(ctx, r.Ranked)
		if err != nil {
			return err
		}
		cases[i] = find.Case{Cluster: q.Cluster(), Ranked: r.Ranked}
		for k := range ds {
			cases[i].Relevant = append(cases[i].Relevant, q.RankOf(ds[k:k+1]) == 1)
		}
		return nil
	})
	if err != nil {
		return nil, err
	}
	p.Set(ctx, len(qs), len(qs), "moving the weights")
	f, err := find.Fit(ctx, cases, m.Find, b.Encoded)
	if err != nil {
		return nil, err
	}
	return &Fit{f, f.Settings}, nil
}
