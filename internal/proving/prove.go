package proving

import (
	"context"
	"fmt"
	"slices"
	"sort"

	"jolvex/core/diagnose"
	"jolvex/core/prove"
	"jolvex/core/questions"
	"jolvex/internal/asking"
	"jolvex/internal/event"
	"jolvex/internal/fault"
	"jolvex/internal/store"
)

// QuestionSet is a question set as callers see it.
type QuestionSet struct {
	ID        string               `json:"id"`
	Name      string               `json:"name"`
	Version   string               `json:"version"`
	Count     int                  `json:"count"`
	Questions []questions.Question `json:"questions,omitempty" nullable:"false"`
}

// QuestionSets lists a corpus's sets.
func (pv *Prover) QuestionSets(ctx context.Context, corpus string) ([]QuestionSet, error) {
	c, err := pv.store.Corpus(ctx, corpus)
	if err != nil {
		return nil, err
	}
	ss, err := pv.store.QuestionSets(ctx, c.ID)
	if err != nil {
		return nil, err
	}
	out := make([]QuestionSet, len(ss))
	for i, s := range ss {
		out[i] = QuestionSet{ID: s.ID, Name: s.Name, Version: s.Version, Count: s.Questions}
	}
	return out, nil
}

// QuestionSet reads one set with its questions.
func (pv *Prover) QuestionSet(ctx context.Context, corpus, set string) (QuestionSet, error) {
	c, err := pv.store.Corpus(ctx, corpus)
	if err != nil {
		return QuestionSet{}, err
	}
	s, err := pv.store.QuestionSet(ctx, c.ID, set)
	if err != nil {
		return QuestionSet{}, err
	}
	qs, err := pv.store.Questions(ctx, s.ID)
	return QuestionSet{s.ID, s.Name, s.Version, s.Questions, qs}, err
}

// QuestionPage reads one page of a set: so many questions from a place on. A limit of 0 is for all of them.
func (pv *Prover) QuestionPage(ctx context.Context, corpus, set string, from, limit int) (QuestionSet, error) {
	if limit == 0 {
		limit = -1
	}
	c, err := pv.store.Corpus(ctx, corpus)
	if err != nil {
		return QuestionSet{}, err
	}
	s, err := pv.store.QuestionSet(ctx, c.ID, set)
	if err != nil {
		return QuestionSet{}, err
	}
	qs, err := pv.store.QuestionPage(ctx, s.ID, from, limit)
	return QuestionSet{s.ID, s.Name, s.Version, s.Questions, qs}, err
}

// Edit is a change of some questions of a set.
type Edit struct {
	Over  string               `json:"over" doc:"The version that was read: another one is not written over"`
	Put   []questions.Question `json:"put,omitempty" nullable:"false" doc:"New questions, which go to the end, and changed ones, which stay where they are"`
	Drop  []string             `json:"drop,omitempty" nullable:"false" doc:"Ids"`
	Order []string             `json:"order,omitempty" nullable:"false" doc:"All ids in their new order, when it is another"`
}

// EditQuestions changes some questions of a set; ErrChanged, wrapped, when somebody has changed it meanwhile.
func (pv *Prover) EditQuestions(ctx context.Context, corpus, set string, e Edit) (QuestionSet, error) {
	c, err := pv.store.Corpus(ctx, corpus)
	if err != nil {
		return QuestionSet{}, err
	}
	pv.sets.Lock()
	defer pv.sets.Unlock()
	s, err := pv.store.QuestionSet(ctx, c.ID, set)
	if err != nil {
		return QuestionSet{}, err
	}
	if e.Over != s.Version {
		return QuestionSet{}, fmt.Errorf("question set %s was %w: read it again before changing it", s.Name, fault.ErrChanged)
	}
	qs, err := pv.store.Questions(ctx, s.ID)
	if err != nil {
		return QuestionSet{}, err
	}
	put, drop := byID(e.Put), map[string]bool{}
	for _, id := range e.Drop {
		drop[id] = true
	}
	known := map[string]bool{}
	kept := make([]questions.Question, 0, len(qs)+len(e.Put))
	for _, q := range qs {
		known[q.ID] = true
		if drop[q.ID] {
			continue
		}
		if now, ok := put[q.ID]; ok {
			q = now
		}
		kept = append(kept, q)
	}
	for _, q := range e.Put {
		if !known[q.ID] {
			kept = append(kept, q)
		}
	}
	if len(e.Order) > 0 {
		if kept, err = inOrderOf(kept, e.Order); err != nil {
			return QuestionSet{}, err
		}
	}
	return pv.PutQuestions(ctx, corpus, s.Name, kept)
}

// inOrderOf puts questions into the order of their ids; ErrInput, wrapped, when these are not just the questions.
func inOrderOf(qs []questions.Question, ids []string) ([]questions.Question, error) {
	by := byID(qs)
	out := make([]questions.Question, 0, len(qs))
	for _, id := range ids {
		q, ok := by[id]
		if !ok {
			return nil, fault.Input("the set has no question %s, or it stands in the order twice", id)
		}
		delete(by, id)
		out = append(out, q)
	}
	if len(by) > 0 {
		return nil, fault.Input("the order leaves out %d questions", len(by))
	}
	return out, nil
}

// PutQuestions makes or replaces a set. All questions must be in order, or none goes in.
func (pv *Prover) PutQuestions(ctx context.Context, corpus, name string, qs []questions.Question) (QuestionSet, error) {
	return pv.PutQuestionsBecause(ctx, corpus, name, qs, "")
}

// ReplaceQuestions replaces a set that is still the version that the caller has read; ErrChanged, wrapped, when somebody has
// changed it meanwhile. Without a version, it replaces whatever is there.
func (pv *Prover) ReplaceQuestions(ctx context.Context, corpus, name, version string, qs []questions.Question) (QuestionSet, error) {
	c, err := pv.store.Corpus(ctx, corpus)
	if err != nil {
		return QuestionSet{}, err
	}
	pv.sets.Lock()
	defer pv.sets.Unlock()
	if version != "" {
		s, err := pv.store.QuestionSet(ctx, c.ID, name)
		if err != nil {
			return QuestionSet{}, err
		}
		if s.Version != version {
			return QuestionSet{}, fmt.Errorf("question set %s was %w: read it again before replacing it", s.Name, fault.ErrChanged)
		}
	}
	return pv.PutQuestions(ctx, corpus, name, qs)
}

// PutQuestionsBecause does as PutQuestions, and keeps why.
func (pv *Prover) PutQuestionsBecause(ctx context.Context, corpus, name string, qs []questions.Question, why string) (QuestionSet, error) {
	c, err := pv.store.Corpus(ctx, corpus)
	if err != nil {
		return QuestionSet{}, err
	}
	if name == "" || len(name) > 120 {
		return QuestionSet{}, fault.Input("a question set needs a name of 1 to 120 characters")
	}
	if len(qs) == 0 || len(qs) > questions.MaxQuestions {
		return QuestionSet{}, fault.Input("a question set holds 1 to %d questions, not %d", questions.MaxQuestions, len(qs))
	}
	seen := map[string]bool{}
	for _, q := range qs {
		if err := q.Check(); err != nil {
			return QuestionSet{}, fault.Input("%v", err)
		}
		if seen[q.ID] {
			return QuestionSet{}, fault.Input("two questions have the id %s", q.ID)
		}
		seen[q.ID] = true
	}
	s, err := pv.store.PutQuestions(ctx, c.ID, name, qs, why)
	if err != nil {
		return QuestionSet{}, err
	}
	event.Tell(ctx, pv.events, event.Questions, c.ID, event.QuestionsBody{Set: s.ID})
	return QuestionSet{s.ID, s.Name, s.Version, s.Questions, nil}, nil
}

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
func (pv *Prover) Runs(ctx context.Context, corpus, set string) ([]Run, error) {
	c, err := pv.store.Corpus(ctx, corpus)
	if err != nil {
		return nil, err
	}
	names := map[string]string{}
	ss, err := pv.store.QuestionSets(ctx, c.ID)
	if err != nil {
		return nil, err
	}
	for _, s := range ss {
		names[s.ID] = s.Name
		if s.Name == set {
			set = s.ID
		}
	}
	rs, err := pv.store.Runs(ctx, c.ID, set, 50)
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
func (pv *Prover) RunResults(ctx context.Context, corpus, id string) (Run, []Result, error) {
	c, err := pv.store.Corpus(ctx, corpus)
	if err != nil {
		return Run{}, nil, err
	}
	r, err := pv.store.Run(ctx, id)
	if err == nil && r.Corpus != c.ID {
		err = fmt.Errorf("run %s: %w", id, fault.ErrMissing)
	}
	if err != nil {
		return Run{}, nil, err
	}
	set, err := pv.store.QuestionSet(ctx, c.ID, r.Set)
	if err != nil {
		return Run{}, nil, err
	}
	out := runView(r, set.Name)
	before, err := pv.verdictsBefore(ctx, r, &out)
	if err != nil {
		return Run{}, nil, err
	}
	rs, err := pv.store.Results(ctx, r.ID, true)
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

func (pv *Prover) verdictsBefore(ctx context.Context, r store.Run, out *Run) (map[string]*prove.Verdict, error) {
	all, err := pv.store.Runs(ctx, r.Corpus, r.Set, 200)
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
			rs, err := pv.store.Results(ctx, b.ID, false)
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
func (pv *Prover) Wanted(ctx context.Context, corpus, run, question string) ([]diagnose.Wanted, error) {
	r, err := pv.runOf(ctx, corpus, run)
	if err != nil {
		return nil, err
	}
	rs, err := pv.store.Results(ctx, run, true)
	if err != nil {
		return nil, err
	}
	at := slices.IndexFunc(rs, func(x store.Result) bool { return x.Question == question && x.Trail != nil })
	if at < 0 {
		return nil, fmt.Errorf("question %s of run %s: %w", question, run, fault.ErrMissing)
	}
	c, err := pv.store.Corpus(ctx, r.Corpus)
	if err != nil {
		return nil, err
	}
	b, err := pv.asking.Bench(ctx, asRun, c, r.Method)
	if err != nil {
		return nil, err
	}
	lib, err := pv.corpusOf(ctx, c, b.View)
	if err != nil {
		return nil, err
	}
	q, seen := r.Questions[rs[at].Position], prove.Seen{Trail: rs[at].Trail}
	return diagnose.LookFor(ctx, q, seen, &probe{Corpus: lib, pv: pv, corpus: c, b: b, m: r.Method, q: q})
}

// ResultReply opens the evidence trail of one question of a run.
func (pv *Prover) ResultReply(ctx context.Context, corpus, run, question string) (*asking.Reply, error) {
	if _, err := pv.runOf(ctx, corpus, run); err != nil {
		return nil, err
	}
	rs, err := pv.store.Results(ctx, run, true)
	if err != nil {
		return nil, err
	}
	for _, x := range rs {
		if x.Question == question && x.Trail != nil {
			r, err := pv.asking.Expand(ctx, x.Trail)
			if err == nil {
				r.Millis = x.Millis
			}
			return r, err
		}
	}
	return nil, fmt.Errorf("question %s of run %s: %w", question, run, fault.ErrMissing)
}

func (pv *Prover) runOf(ctx context.Context, corpus, id string) (store.Run, error) {
	c, err := pv.store.Corpus(ctx, corpus)
	if err != nil {
		return store.Run{}, err
	}
	r, err := pv.store.Run(ctx, id)
	if err == nil && r.Corpus != c.ID {
		err = fmt.Errorf("run %s: %w", id, fault.ErrMissing)
	}
	return r, err
}
