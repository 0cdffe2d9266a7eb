package runs

import (
	"context"
	"fmt"
	"slices"
	"sort"

	"jolvex/core/diagnose"
	"jolvex/core/prove"
	"jolvex/core/questions"
	"jolvex/internal/asking"
	"jolvex/internal/fault"
	"jolvex/internal/store"
)

// Run is a run as callers see it.
type Run struct {
	ID        string         `json:"id"`
	Set       string         `json:"set"`
	SetName   string         `json:"setName"`
	CreatedAt string         `json:"createdAt"`
	EndedAt   string         `json:"endedAt"`
	Questions int            `json:"questions"`
	Summary   *prove.Summary `json:"summary,omitempty"`
	Fixed     []string       `json:"fixed" nullable:"false" doc:"Questions that failed in the run before and pass now"`
	Broken    []string       `json:"broken" nullable:"false" doc:"Questions that passed in the run before and fail now"`
	Before    string         `json:"before" doc:"The run it is compared with"`
	Unread    int            `json:"unread" doc:"Chunks that the encoder had not read when the run began: they were found by words alone, and the next run may differ"`
	Note      string         `json:"note" doc:"What was tried; empty for the draft as it was"`
}

func runView(r store.Run, set string) Run {
	return Run{ID: r.ID, Set: r.Set, SetName: set, CreatedAt: r.CreatedAt, EndedAt: r.EndedAt, Questions: r.Count, Summary: r.Summary, Note: r.Note, Unread: r.Pins.Unread, Fixed: []string{}, Broken: []string{}}
}

// Runs lists runs, newest first.
func (rm *Room) Runs(ctx context.Context, corpus, set string) ([]Run, error) {
	c, err := rm.store.Corpus(ctx, corpus)
	if err != nil {
		return nil, err
	}
	names := map[string]string{}
	ss, err := rm.store.QuestionSets(ctx, c.ID)
	if err != nil {
		return nil, err
	}
	for _, s := range ss {
		names[s.ID] = s.Name
		if s.Name == set {
			set = s.ID
		}
	}
	rs, err := rm.store.Runs(ctx, c.ID, set, 50)
	if err != nil {
		return nil, err
	}
	out := make([]Run, len(rs))
	for i, r := range rs {
		out[i] = runView(r, names[r.Set])
	}
	return out, nil
}

// Result is one question of a run with its verdict.
type Result struct {
	Question questions.Question  `json:"question"`
	Verdict  prove.Verdict       `json:"verdict"`
	Change   prove.Change        `json:"change" enum:"fixed,broken,new," doc:"Against the run before"`
	Reply    string              `json:"reply"`
	Millis   float64             `json:"millis"`
	Failed   string              `json:"failed" doc:"Why it could not be judged"`
	Cause    *diagnose.Diagnosis `json:"cause,omitempty" doc:"Why it failed, once that was looked into"`
}

// RunResults gives a run with its results, compared with the run of the same set before it.
func (rm *Room) RunResults(ctx context.Context, corpus, id string) (Run, []Result, error) {
	c, err := rm.store.Corpus(ctx, corpus)
	if err != nil {
		return Run{}, nil, err
	}
	r, err := rm.store.Run(ctx, id)
	if err == nil && r.Corpus != c.ID {
		err = fmt.Errorf("run %s: %w", id, fault.ErrMissing)
	}
	if err != nil {
		return Run{}, nil, err
	}
	set, err := rm.store.QuestionSet(ctx, c.ID, r.Set)
	if err != nil {
		return Run{}, nil, err
	}
	out := runView(r, set.Name)
	before, err := rm.verdictsBefore(ctx, r, &out)
	if err != nil {
		return Run{}, nil, err
	}
	rs, err := rm.store.Results(ctx, r.ID, true)
	if err != nil {
		return Run{}, nil, err
	}
	if out.Summary == nil && len(rs) > 0 { // under way: what is known so far
		js := make([]prove.Judged, 0, len(rs))
		for _, x := range rs {
			js = append(js, prove.Judged{Question: r.Questions[x.Position], Verdict: x.Verdict, Millis: x.Millis, Failed: x.Failed})
		}
		sum := prove.Summarise(js)
		out.Summary = &sum
	}
	list := make([]Result, 0, len(rs))
	for _, x := range rs {
		if x.Position >= len(r.Questions) {
			continue
		}
		one := Result{Question: r.Questions[x.Position], Verdict: x.Verdict, Millis: x.Millis, Failed: x.Failed, Cause: x.Cause}
		if x.Trail != nil {
			one.Reply = x.Trail.Text()
		}
		if out.Before != "" && x.Failed == "" {
			one.Change = prove.Compare(before[x.Question], x.Verdict)
		}
		switch one.Change {
		case prove.Fixed:
			out.Fixed = append(out.Fixed, x.Question)
		case prove.Broken:
			out.Broken = append(out.Broken, x.Question)
		}
		list = append(list, one)
	}
	return out, list, nil
}

func (rm *Room) verdictsBefore(ctx context.Context, r store.Run, out *Run) (map[string]*prove.Verdict, error) {
	all, err := rm.store.Runs(ctx, r.Corpus, r.Set, 200)
	if err != nil {
		return nil, err
	}
	sort.SliceStable(all, func(i, j int) bool { return all[i].CreatedAt > all[j].CreatedAt })
	for i, x := range all {
		if x.ID != r.ID {
			continue
		}
		for _, b := range all[i+1:] {
			if b.Summary == nil || b.Note != "" { // a run of something tried is no step of the draft
				continue
			}
			out.Before = b.ID
			rs, err := rm.store.Results(ctx, b.ID, false)
			if err != nil {
				return nil, err
			}
			m := map[string]*prove.Verdict{}
			for k := range rs {
				if rs[k].Failed == "" {
					m[rs[k].Question] = &rs[k].Verdict
				}
			}
			return m, nil
		}
	}
	return nil, nil
}

// Wanted finds where what a question of a run expects stands, and how far it came in the reply. It looks at the corpus as it is now.
func (rm *Room) Wanted(ctx context.Context, corpus, run, question string) ([]diagnose.Wanted, error) {
	r, err := rm.RunOf(ctx, corpus, run)
	if err != nil {
		return nil, err
	}
	rs, err := rm.store.Results(ctx, run, true)
	if err != nil {
		return nil, err
	}
	at := slices.IndexFunc(rs, func(x store.Result) bool { return x.Question == question && x.Trail != nil })
	if at < 0 {
		return nil, fmt.Errorf("question %s of run %s: %w", question, run, fault.ErrMissing)
	}
	c, err := rm.store.Corpus(ctx, r.Corpus)
	if err != nil {
		return nil, err
	}
	b, err := rm.asking.Bench(ctx, Asker, c, r.Method)
	if err != nil {
		return nil, err
	}
	lib, err := rm.sets.Library(ctx, c, b.View)
	if err != nil {
		return nil, err
	}
	q, seen := r.Questions[rs[at].Position], prove.Seen{Trail: rs[at].Trail}
	return diagnose.LookFor(ctx, q, seen, &probe{Corpus: lib, rm: rm, corpus: c, b: b, m: r.Method, q: q})
}

// ResultReply opens the evidence trail of one question of a run.
func (rm *Room) ResultReply(ctx context.Context, corpus, run, question string) (*asking.Reply, error) {
	if _, err := rm.RunOf(ctx, corpus, run); err != nil {
		return nil, err
	}
	rs, err := rm.store.Results(ctx, run, true)
	if err != nil {
		return nil, err
	}
	for _, x := range rs {
		if x.Question == question && x.Trail != nil {
			r, err := rm.asking.Expand(ctx, x.Trail)
			if err == nil {
				r.Millis = x.Millis
			}
			return r, err
		}
	}
	return nil, fmt.Errorf("question %s of run %s: %w", question, run, fault.ErrMissing)
}

func (rm *Room) RunOf(ctx context.Context, corpus, id string) (store.Run, error) {
	c, err := rm.store.Corpus(ctx, corpus)
	if err != nil {
		return store.Run{}, err
	}
	r, err := rm.store.Run(ctx, id)
	if err == nil && r.Corpus != c.ID {
		err = fmt.Errorf("run %s: %w", id, fault.ErrMissing)
	}
	return r, err
}

// LastRun is the latest run of a set over the draft that has ended, without its questions.
func (rm *Room) LastRun(ctx context.Context, corpus, set string) (store.Run, error) {
	rs, err := rm.store.Runs(ctx, corpus, set, 50)
	for _, r := range rs {
		if r.Summary != nil && r.Note == "" {
			return r, err
		}
	}
	return store.Run{}, err
}

// LastResults are those of the latest run of a set over the draft that has ended; none when there is no such run.
func (rm *Room) LastResults(ctx context.Context, corpus, set string) ([]store.Result, store.Run, error) {
	r, err := rm.LastRun(ctx, corpus, set)
	if err != nil || r.ID == "" {
		return nil, r, err
	}
	results, err := rm.store.Results(ctx, r.ID, true)
	if err != nil {
		return nil, r, err
	}
	r, err = rm.store.Run(ctx, r.ID)
	return results, r, err
}
