package trials

import (
	"cmp"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"hash/fnv"
	"maps"
	"runtime"
	"slices"
	"time"

	"jolvex/core/answer"
	"jolvex/core/diagnose"
	"jolvex/core/index"
	"jolvex/core/method"
	"jolvex/core/prove"
	"jolvex/core/questions"
	"jolvex/internal/asking"
	"jolvex/internal/fault"
	"jolvex/internal/job"
	"jolvex/internal/proving/runs"
	"jolvex/internal/store"
)

// StudyTrial is many methods over one set.
const StudyTrial = "trial"

// TrialCost is what a trial would take, reckoned before it is begun.
type TrialCost struct {
	Methods   int       `json:"methods" doc:"The draft among them"`
	Indexes   int       `json:"indexes" doc:"Indexes that have to be made besides the corpus's own"`
	Questions int       `json:"questions" doc:"Times that a question is asked"`
	Seconds   float64   `json:"seconds" doc:"About so long, from what asking and cutting take now"`
	Unread    int       `json:"unread" doc:"Chunks that an encoder or endpoint has not read yet, at the most"`
	Cost      runs.Cost `json:"cost" doc:"Of a model, as the draft costs now"`
	Priced    bool      `json:"priced" doc:"The connection has prices"`
}

// TrialOutcome is what has come of a trial so far.
type TrialOutcome struct {
	Plan prove.Plan     `json:"plan"`
	Arms []prove.Arm    `json:"arms" nullable:"false" doc:"The draft, and the methods that were tried"`
	Of   int            `json:"of" doc:"How many there are to be"`
	Sums prove.Trialled `json:"sums"`
	Took float64        `json:"took" doc:"Seconds"`
}

// methodsOf lists the methods of a plan over a draft: the draft first, and no method twice.
func methodsOf(m method.Method, p prove.Plan) ([]map[string]string, []method.Method, error) {
	if err := p.Check(); err != nil {
		return nil, nil, fault.Input("%v", err)
	}
	settings, methods := []map[string]string{{}}, []method.Method{m}
	draft, err := m.Hash()
	if err != nil {
		return nil, nil, err
	}
	seen := map[string]bool{draft: true}
	for _, kv := range p.Methods() {
		x, err := runs.Altered(m, diagnose.Alteration{Settings: kv})
		if err != nil {
			return nil, nil, err
		}
		hash, err := x.Hash()
		if err != nil {
			return nil, nil, err
		}
		if seen[hash] {
			continue
		}
		seen[hash] = true
		settings, methods = append(settings, kv), append(methods, x)
	}
	return settings, methods, nil
}

// EstimateTrial reckons what a trial would take: a few questions are asked, and one document is cut, to see how long that takes.
func (rm *Room) EstimateTrial(ctx context.Context, corpus, set string, plan prove.Plan) (TrialCost, error) {
	var out TrialCost
	c, err := rm.store.Corpus(ctx, corpus)
	if err != nil {
		return out, err
	}
	qs, err := rm.sets.QuestionsIn(ctx, c.ID, set)
	if err != nil {
		return out, err
	}
	_, methods, err := methodsOf(c.Method, plan)
	if err != nil {
		return out, err
	}
	b, err := rm.asking.Bench(ctx, asking.Caller{Audience: index.Public, Surface: "trial"}, c, c.Method)
	if err != nil {
		return out, err
	}
	out.Methods = len(methods)
	stages := map[string]bool{}
	for _, m := range methods {
		st, err := m.Stages(rm.index.Target(m).ID())
		if err != nil {
			return out, err
		}
		stages[st.Index] = true
	}
	out.Indexes = len(stages) - 1
	left, clusters := len(methods), len(inOrder(qs))
	for i, n := range plan.Rounds(clusters) {
		before := 0
		if i > 0 {
			before = plan.Rounds(clusters)[i-1]
		}
		out.Questions += left * (n - before) * len(qs) / max(1, clusters)
		left = max(1, (left+1)/2)
	}
	began := time.Now()
	var paid []runs.Cost
	for _, q := range runs.SampleOf(qs) {
		_, v, _, err := rm.runs.Examine(ctx, b, q)
		if err != nil {
			return out, err
		}
		paid = append(paid, runs.Cost{In: float64(v.Scores.TokensIn), Out: float64(v.Scores.TokensOut)})
	}
	each := time.Since(began).Seconds() / float64(max(1, len(paid)))
	f, err := rm.runs.Costs(ctx, c, store.QuestionSet{}, c.Method, paid)
	if err != nil {
		return out, err
	}
	out.Cost, out.Priced = f.Each.Times(float64(out.Questions)), f.Priced
	const read = 8 // documents
	docs, err := rm.store.Indexable(ctx, c.ID, []string{store.Indexed, store.Unchanged}, "", read)
	if err != nil {
		return out, err
	}
	began = time.Now()
	if _, err := rm.index.Prepare(ctx, docs, c.Method); err != nil {
		return out, err
	}
	counts, err := rm.store.CountStates(ctx, c.ID, "")
	if err != nil {
		return out, err
	}
	perIndex := time.Since(began).Seconds() / float64(max(1, len(docs))) * float64(counts[store.Indexed]+counts[store.Unchanged])
	out.Seconds = each*float64(out.Questions)/float64(runtime.GOMAXPROCS(0)) + perIndex*float64(out.Indexes)
	if rm.index.Behind(c.Method) != nil {
		out.Unread = out.Indexes * b.View.Chunks()
	}
	return out, nil
}

// StartTrial freezes draft and plan, and queues the trial.
func (rm *Room) StartTrial(ctx context.Context, corpus, set string, plan prove.Plan) (Study, job.Job, error) {
	c, err := rm.store.Corpus(ctx, corpus)
	if err != nil {
		return Study{}, job.Job{}, err
	}
	if _, _, err := methodsOf(c.Method, plan); err != nil {
		return Study{}, job.Job{}, err
	}
	raw, err := json.Marshal(plan)
	if err != nil {
		return Study{}, job.Job{}, err
	}
	return rm.beginStudy(ctx, c, set, StudyTrial, raw)
}

// group is the methods of a trial that search one index.
type group struct {
	stage string
	arms  []int
}

// contest is a trial under way.
type contest struct {
	rm       *Room
	corpus   store.Corpus
	study    store.Study
	plan     prove.Plan
	qs       []questions.Question
	methods  []method.Method
	out      TrialOutcome
	judged   [][]*prove.Judged // [arm][question]
	groups   []group
	order    [][]int // clusters in the order in which they are asked, as questions
	asked    int
	total    int
	began    time.Time
	snapshot string
}

// trial tries every method of a plan. Methods that search the same index share it, and vectors are shared by content. What has come
// so far is stored after each round over an index, and stays when the trial is stopped.
func (rm *Room) trial(ctx context.Context, s store.Study, p *job.Progress) error {
	c, err := rm.store.Corpus(ctx, s.Corpus)
	if err != nil {
		return err
	}
	t := &contest{rm: rm, corpus: c, study: s, began: time.Now()}
	if err := json.Unmarshal(s.Plan, &t.plan); err != nil {
		return fmt.Errorf("read the plan of trial %s: %w", s.ID, err)
	}
	if t.qs, err = rm.store.Questions(ctx, s.Set); err != nil {
		return err
	}
	if len(t.qs) == 0 {
		return errors.New("the set has no question")
	}
	settings, methods, err := methodsOf(s.Method, t.plan)
	if err != nil {
		return err
	}
	t.methods, t.order = methods, inOrder(t.qs)
	t.out = TrialOutcome{Plan: t.plan, Of: len(methods), Arms: make([]prove.Arm, len(methods))}
	t.judged = make([][]*prove.Judged, len(methods))
	for i := range methods {
		t.out.Arms[i].Settings = settings[i]
		t.judged[i] = make([]*prove.Judged, len(t.qs))
	}
	if err := t.share(); err != nil {
		return err
	}
	alive := make([]int, len(methods))
	for i := range alive {
		alive[i] = i
	}
	rounds := t.plan.Rounds(len(t.order))
	t.total = t.reckon(rounds)
	for i, n := range rounds {
		if err := t.round(ctx, alive, n, p); err != nil {
			return errors.Join(err, t.keep(context.WithoutCancel(ctx), false))
		}
		if i+1 < len(rounds) {
			alive = t.betterHalf(alive)
		}
	}
	return t.keep(ctx, true)
}

// share groups the methods by the index that they search.
func (t *contest) share() error {
	at := map[string]int{}
	for i, m := range t.methods {
		st, err := m.Stages(t.rm.index.Target(m).ID())
		if err != nil {
			return err
		}
		k, ok := at[st.Index]
		if !ok {
			k = len(t.groups)
			at[st.Index] = k
			t.groups = append(t.groups, group{stage: st.Index})
		}
		t.groups[k].arms = append(t.groups[k].arms, i)
	}
	return nil
}

func (t *contest) reckon(rounds []int) int {
	total, left, before := 0, len(t.methods), 0
	for _, n := range rounds {
		for _, c := range t.order[before:n] {
			total += left * len(c)
		}
		left, before = max(1, (left+1)/2), n
	}
	return total
}

// inOrder are the clusters of a set as places of their questions, in an order that has nothing to do with the set's.
func inOrder(qs []questions.Question) [][]int {
	by := map[string][]int{}
	for i, q := range qs {
		by[q.Cluster()] = append(by[q.Cluster()], i)
	}
	hash := func(s string) uint64 {
		h := fnv.New64a()
		h.Write([]byte("order of asking " + s))
		return h.Sum64()
	}
	names := slices.SortedFunc(maps.Keys(by), func(a, b string) int { return cmp.Or(cmp.Compare(hash(a), hash(b)), cmp.Compare(a, b)) })
	out := make([][]int, len(names))
	for i, n := range names {
		out[i] = by[n]
	}
	return out
}

// round asks the first clusters of questions of every method that is still in.
func (t *contest) round(ctx context.Context, alive []int, clusters int, p *job.Progress) error {
	var places []int
	for _, c := range t.order[:clusters] {
		places = append(places, c...)
	}
	for _, g := range t.groups {
		var b *answer.Bench
		for _, arm := range g.arms {
			if !slices.Contains(alive, arm) {
				continue
			}
			if b == nil {
				snap, err := t.rm.index.IndexFor(ctx, t.corpus, t.methods[arm], p)
				if err != nil {
					return err
				}
				made, err := t.rm.asking.BenchOn(ctx, asking.Caller{Audience: index.Public, Surface: "trial"}, snap, t.methods[arm])
				if err != nil {
					return err
				}
				b = &made
			}
			if err := t.ask(ctx, arm, *b, places, p); err != nil {
				return err
			}
			t.out.Arms[arm].Chunks = b.View.Chunks()
		}
		if b != nil {
			t.snapshot = b.Pins.Snapshot
			if err := t.keep(ctx, false); err != nil {
				return err
			}
		}
	}
	return nil
}

func (t *contest) ask(ctx context.Context, arm int, b answer.Bench, places []int, p *job.Progress) error {
	b, err := t.rm.asking.Under(ctx, b, t.methods[arm])
	if err != nil {
		return err
	}
	var due []questions.Question
	var at []int
	for _, i := range places {
		if t.judged[arm][i] == nil {
			due, at = append(due, t.qs[i]), append(at, i)
		}
	}
	before := t.asked
	err = t.rm.eachQuestion(ctx, due, func(done int) {
		t.asked = before + done
		p.Set(ctx, t.asked, t.total, fmt.Sprintf("method %d of %d", arm+1, len(t.methods)))
	}, func(i int, q questions.Question) error {
		j := &prove.Judged{Question: q}
		_, v, ms, err := t.rm.runs.Examine(ctx, b, q)
		if err != nil {
			j.Failed = err.Error()
		}
		j.Verdict, j.Millis = v, ms
		t.judged[arm][at[i]] = j
		return nil
	})
	t.out.Arms[arm].Measure(t.qs, t.judged[arm])
	return err
}

// betterHalf keeps the better half of the methods, and the draft whatever it does.
func (t *contest) betterHalf(alive []int) []int {
	sorted := slices.Clone(alive)
	slices.SortStableFunc(sorted, func(a, b int) int {
		x, y := t.out.Arms[a], t.out.Arms[b]
		return cmp.Or(cmp.Compare(y.Passed.Rate, x.Passed.Rate), cmp.Compare(y.Facts.Rate, x.Facts.Rate), cmp.Compare(a, b))
	})
	kept := sorted[:max(1, (len(sorted)+1)/2)]
	if !slices.Contains(kept, 0) {
		kept[len(kept)-1] = 0
	}
	slices.Sort(kept)
	return kept
}

// keep stores what has come so far, compared; whole tells that the trial has ended.
func (t *contest) keep(ctx context.Context, whole bool) error {
	out := t.out
	out.Arms = slices.DeleteFunc(slices.Clone(t.out.Arms), func(a prove.Arm) bool { return a.Outcomes == "" })
	out.Sums = prove.Analyse(t.plan, t.qs, out.Arms)
	out.Took = time.Since(t.began).Seconds()
	if !whole {
		return t.rm.store.SaveStudy(ctx, t.study.ID, out)
	}
	return t.rm.store.EndStudy(ctx, t.study.ID, t.snapshot, out)
}
