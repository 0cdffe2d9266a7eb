package coverage

import (
	"context"
	"errors"
	"fmt"
	"math"
	"math/rand/v2"
	"slices"
	"strings"

	"jolvex/core/answer"
	"jolvex/core/chart"
	"jolvex/core/doc"
	"jolvex/core/embed"
	"jolvex/core/index"
	"jolvex/core/prove"
	"jolvex/internal/asking"
	"jolvex/internal/job"
	"jolvex/internal/store"
)

// ChartDocument is a document on the chart.
type ChartDocument struct {
	ID      string      `json:"id"`
	Title   string      `json:"title"`
	Address string      `json:"address"`
	At      chart.Point `json:"at"`
	Words   int         `json:"words"`
	Cited   int         `json:"cited" doc:"Replies of the run that cite it"`
	Tested  int         `json:"tested" doc:"Questions that expect it"`
}

// Marks of questions on a chart.
const (
	MarkPassed  = "passed"
	MarkFailed  = "failed"
	MarkRefused = "refused"
	MarkNone    = "unjudged" // it was not asked, or could not be judged
)

// ChartQuestion is a question on the chart.
type ChartQuestion struct {
	ID   string      `json:"id"`
	Text string      `json:"question"`
	At   chart.Point `json:"at"`
	Mark string      `json:"mark" enum:"passed,failed,refused,unjudged"`
}

// Chart is a corpus as a picture: its documents by meaning on one plane, and the questions of a set among them.
type Chart struct {
	Documents       []ChartDocument `json:"documents" nullable:"false"`
	Questions       []ChartQuestion `json:"questions" nullable:"false"`
	Regions         []chart.Region  `json:"regions" nullable:"false" doc:"Named by the documents' own headings"`
	Gaps            []chart.Gap     `json:"gaps" nullable:"false" doc:"Where questions gather that were not answered well, and no document lies"`
	Trustworthiness float64         `json:"trustworthiness" doc:"Venna and Kaski's, at 12 neighbours, of the documents; 1 where they are fewer than 25"`
	Continuity      float64         `json:"continuity"`
	Run             string          `json:"run" doc:"The run whose verdicts are shown; empty when there is none"`
}

// Charted is a chart, or what it is waiting for.
type Charted struct {
	Chart *Chart `json:"chart,omitempty"`
	Stale bool   `json:"stale" doc:"The corpus, the set or its last run have changed since it was drawn"`
}

// Most that is drawn, most points by which the layout is judged.
const (
	mostCharted = 10_000
	mostTrusted = 1_500
)

// Chart gives the chart of a set as it was last drawn.
func (rm *Room) Chart(ctx context.Context, corpus, set string) (Charted, error) {
	c, s, err := rm.sets.CorpusAndSet(ctx, corpus, set)
	if err != nil {
		return Charted{}, err
	}
	var drawn Chart
	key, err := rm.store.Chart(ctx, s.ID, &drawn)
	if err != nil || key == "" {
		return Charted{Stale: true}, err
	}
	now, err := rm.chartKey(ctx, c, s)
	return Charted{Chart: &drawn, Stale: key != now}, err
}

// chartKey names what a chart is drawn of.
func (rm *Room) chartKey(ctx context.Context, c store.Corpus, s store.QuestionSet) (string, error) {
	shelf, err := rm.index.Shelf(ctx, c)
	if err != nil {
		return "", err
	}
	run, err := rm.runs.LastRun(ctx, c.ID, s.ID)
	return strings.Join([]string{chart.Version, shelf.Snapshot.Load().Name, s.Version, run.ID}, " "), err
}

// DrawChart queues the drawing of a set's chart.
func (rm *Room) DrawChart(ctx context.Context, corpus, set string) (job.Job, error) {
	c, s, err := rm.sets.CorpusAndSet(ctx, corpus, set)
	if err != nil {
		return job.Job{}, err
	}
	return rm.jobs.Add(ctx, c.ID, job.Chart, s.ID)
}

func (rm *Room) draw(ctx context.Context, j store.Job, p *job.Progress) error {
	c, err := rm.store.Corpus(ctx, j.Corpus)
	if err != nil {
		return err
	}
	s, err := rm.store.QuestionSet(ctx, c.ID, j.Target)
	if err != nil {
		return err
	}
	key, err := rm.chartKey(ctx, c, s)
	if err != nil {
		return err
	}
	b, err := rm.asking.Bench(ctx, asking.Caller{Audience: index.Public, Surface: "chart"}, c, c.Method)
	if err != nil {
		return err
	}
	out := Chart{Documents: []ChartDocument{}, Questions: []ChartQuestion{}, Regions: []chart.Region{}, Gaps: []chart.Gap{}}
	vectors, names, err := rm.chartDocuments(ctx, b, &out)
	if err != nil {
		return err
	}
	if len(out.Documents) == 0 {
		return errors.New("nothing is indexed yet: a chart shows documents")
	}
	asked, err := rm.chartQuestions(ctx, c, s, b, &out, p)
	if err != nil {
		return err
	}
	var among [][]float32
	for _, q := range asked {
		among = append(among, q.Vector)
	}
	p.Set(ctx, 0, 0, "laying the documents out by meaning")
	ps := chart.Place(vectors, among)
	n := len(out.Documents)
	for i := range out.Documents {
		out.Documents[i].At = ps[i]
	}
	for i := range out.Questions {
		out.Questions[i].At = ps[n+i]
	}
	out.Regions = append(out.Regions, chart.Regions(ps[:n], names)...)
	out.Gaps = append(out.Gaps, chart.Gaps(asked)...)
	out.Trustworthiness, out.Continuity = trusted(vectors, ps[:n])
	return rm.store.PutChart(ctx, c.ID, s.ID, key, out)
}

// trusted judges a layout, one of many points by a part of them drawn by lot.
func trusted(vectors [][]float32, ps []chart.Point) (float64, float64) {
	if len(ps) > mostTrusted {
		at := rand.New(rand.NewPCG(5, uint64(len(ps)))).Perm(len(ps))[:mostTrusted]
		slices.Sort(at)
		vs, qs := make([][]float32, len(at)), make([]chart.Point, len(at))
		for i, k := range at {
			vs[i], qs[i] = vectors[k], ps[k]
		}
		vectors, ps = vs, qs
	}
	return chart.Trust(vectors, ps, 12)
}

// chartDocuments lists the documents that public replies can draw on, with the mean of their chunks' vectors and what they call themselves.
func (rm *Room) chartDocuments(ctx context.Context, b answer.Bench, out *Chart) ([][]float32, []chart.Names, error) {
	at := map[string]int{}
	var vectors [][]float32
	var names []chart.Names
	version := map[string]string{}
	b.View.Each(func(n int, e *index.Entry) bool {
		v := b.View.Vector(n)
		if len(v) == 0 {
			return true
		}
		i, ok := at[e.Document]
		if !ok {
			if len(out.Documents) == mostCharted {
				return true
			}
			i = len(out.Documents)
			at[e.Document], version[e.Document] = i, e.Version
			out.Documents = append(out.Documents, ChartDocument{ID: e.Document, Title: e.Title, Address: e.Address})
			vectors = append(vectors, make([]float32, len(v)))
			names = append(names, chart.Names{e.Title})
		}
		if len(e.Path) > 0 && !slices.Contains(names[i], e.Path[0]) {
			names[i] = append(names[i], e.Path[0])
		}
		for k, x := range unit(v) {
			vectors[i][k] += x
		}
		return true
	})
	// In the order of their addresses, whatever the order in which they came in: the same corpus is drawn alike everywhere.
	order := make([]int, len(vectors))
	for i := range order {
		order[i] = i
	}
	slices.SortFunc(order, func(a, b int) int { return strings.Compare(out.Documents[a].Address, out.Documents[b].Address) })
	documents, sorted, called := make([]ChartDocument, len(order)), make([][]float32, len(order)), make([]chart.Names, len(order))
	for i, k := range order {
		d := out.Documents[k]
		body, err := rm.index.Version(ctx, version[d.ID])
		if err != nil {
			return nil, nil, fmt.Errorf("count the words of %s: %w", d.Address, err)
		}
		d.Words = len(strings.Fields(body.Of(doc.Span{End: len(body.Text)})))
		documents[i], sorted[i], called[i] = d, vectors[k], names[k]
		normalise(sorted[i])
	}
	out.Documents = documents
	return sorted, called, nil
}

// chartQuestions lists the questions of the set's last run with their verdicts, or of the set where there is no run.
func (rm *Room) chartQuestions(ctx context.Context, c store.Corpus, s store.QuestionSet, b answer.Bench, out *Chart, p *job.Progress) ([]chart.Asked, error) {
	results, run, err := rm.runs.LastResults(ctx, c.ID, s.ID)
	if err != nil {
		return nil, err
	}
	qs := run.Questions
	if out.Run = run.ID; run.ID == "" {
		if qs, err = rm.store.Questions(ctx, s.ID); err != nil {
			return nil, err
		}
	}
	by := map[string]store.Result{}
	cited := map[string]int{}
	for _, x := range results {
		by[x.Question] = x
		if x.Trail == nil {
			continue
		}
		seen := map[string]bool{}
		for _, r := range x.Trail.Reply {
			if r.Candidate >= 0 && r.Candidate < len(x.Trail.Candidates) && !seen[x.Trail.Candidates[r.Candidate].Document] {
				d := x.Trail.Candidates[r.Candidate].Document
				seen[d] = true
				cited[d]++
			}
		}
	}
	tested := map[string]int{}
	var asked []chart.Asked
	for i, q := range qs[:min(len(qs), mostCharted)] {
		if err := ctx.Err(); err != nil {
			return nil, err
		}
		for _, d := range rm.runs.Directory(b).Relevant(q) {
			tested[d]++
		}
		v, err := b.Embedder.Embed(ctx, []string{q.Text})
		if err != nil {
			return nil, fmt.Errorf("place question %s: %w", q.ID, err)
		}
		x, ok := by[q.ID]
		a := chart.Asked{Text: q.Text, Vector: unit(v[0]), Nearest: nearestOf(b.View, v[0])}
		mark := MarkNone
		if ok && x.Failed == "" {
			mark = markOf(x.Verdict)
			a.Open = mark != MarkPassed
		}
		out.Questions = append(out.Questions, ChartQuestion{ID: q.ID, Text: q.Text, Mark: mark})
		asked = append(asked, a)
		p.Set(ctx, i+1, len(qs), "placing the questions")
	}
	for i := range out.Documents {
		out.Documents[i].Cited, out.Documents[i].Tested = cited[out.Documents[i].ID], tested[out.Documents[i].ID]
	}
	return asked, nil
}

// markOf is how a question ended: a refusal is told as one, right or wrong, for it says that nothing was found.
func markOf(v prove.Verdict) string {
	switch {
	case v.Refused:
		return MarkRefused
	case v.Passed:
		return MarkPassed
	default:
		return MarkFailed
	}
}

// nearestOf is the likeness of the chunk that is nearest to a question.
func nearestOf(v *index.View, q embed.Vector) float64 {
	best := -1.0
	v.Each(func(n int, _ *index.Entry) bool {
		if x := v.Vector(n); len(x) == len(q) {
			best = max(best, float64(embed.Cosine(q, x)))
		}
		return true
	})
	return best
}

// unit is a vector at length 1.
func unit(v embed.Vector) []float32 {
	out := make([]float32, len(v))
	for k, x := range v {
		out[k] = float32(x)
	}
	normalise(out)
	return out
}

func normalise(v []float32) {
	sum := 0.0
	for _, x := range v {
		sum += float64(x) * float64(x)
	}
	if sum == 0 {
		return
	}
	for k := range v {
		v[k] = float32(float64(v[k]) / math.Sqrt(sum))
	}
}
