package runs

import (
	"context"

	"jolvex/core/answer"
	"jolvex/core/method"
	"jolvex/core/questions"
	"jolvex/internal/fault"
	"jolvex/internal/store"
)

// Forecast is what asking is likely to cost of a model's tokens, reckoned from what replies have cost.
type Forecast struct {
	Model     string  `json:"model" doc:"That words replies; empty where the built-in one does, which costs nothing"`
	Priced    bool    `json:"priced" doc:"The connection has prices; otherwise price is 0"`
	Measured  int     `json:"measured" doc:"Replies that it is reckoned from; 0 when none was measured, and nothing else is told"`
	From      string  `json:"from" enum:"set,corpus,sample," doc:"Where they were measured: runs of this set, runs of other sets, or questions asked for this forecast"`
	Each      Cost    `json:"each" doc:"Of one question, on average"`
	Questions int     `json:"questions" doc:"Times that a question is asked in the run"`
	Run       Cost    `json:"run"`
	Month     Cost    `json:"month" doc:"Of so many questions a month as were named"`
	Spent     float64 `json:"spent" doc:"This month so far, on this connection"`
	Cap       float64 `json:"cap" doc:"The connection's, for a month; 0 for none"`
}

// Cost is in a model's tokens and in its connection's currency.
type Cost struct {
	In    float64 `json:"in" doc:"Tokens read"`
	Out   float64 `json:"out" doc:"Tokens written"`
	Price float64 `json:"price"`
}

// Times gives the cost of so many.
func (c Cost) Times(n float64) Cost { return Cost{c.In * n, c.Out * n, c.Price * n} }

// mostMonth is how many questions a month may be reckoned with.
const mostMonth = 100_000_000

// sampled is how many questions are asked to make a forecast where nothing was measured, or where a trial's time is reckoned.
const sampled = 8

// Forecast reckons what a run of a set costs, its questions asked so often, and a month with so many questions. Where no reply of this
// model was measured, a few questions of the set are asked when sample says so: that costs what it costs.
func (rm *Room) Forecast(ctx context.Context, corpus, set string, repeats, month int, sample bool) (Forecast, error) {
	if repeats < 1 || repeats > mostRepeats || month < 0 || month > mostMonth {
		return Forecast{}, fault.Input("a question is asked 1 to %d times, and a month has 0 to %d questions", mostRepeats, mostMonth)
	}
	c, s, err := rm.sets.CorpusAndSet(ctx, corpus, set)
	if err != nil {
		return Forecast{}, err
	}
	out, err := rm.Costs(ctx, c, s, c.Method, nil)
	if err != nil {
		return out, err
	}
	if out.Model != "" && out.Measured == 0 && sample {
		if out, err = rm.costsOfSample(ctx, c, s); err != nil {
			return out, err
		}
	}
	out.Questions = s.Questions * repeats
	out.Run, out.Month = out.Each.Times(float64(out.Questions)), out.Each.Times(float64(month))
	return out, nil
}

// Costs gives what one question of a set costs under a method: from the runs of the set with its model, else from those of other sets,
// else from the verdicts at hand. Prices are those of the connection as it is now.
func (rm *Room) Costs(ctx context.Context, c store.Corpus, s store.QuestionSet, m method.Method, at []Cost) (Forecast, error) {
	var out Forecast
	if !asksModel(m) {
		return out, nil
	}
	link, err := rm.connections.ChatConnection(ctx)
	if err != nil || link.Base == "" {
		return out, err
	}
	out.Model, out.Priced = link.Model, link.PriceIn > 0 || link.PriceOut > 0
	out.Spent, out.Cap = link.Spent, link.Cap
	for _, from := range []struct{ name, set string }{{"set", s.ID}, {"corpus", ""}} {
		if len(at) > 0 {
			break
		}
		if at, err = rm.paidIn(ctx, c.ID, from.set, link.ID()); err != nil {
			return out, err
		}
		out.From = from.name
	}
	if len(at) == 0 {
		out.From = ""
		return out, nil
	}
	for _, x := range at {
		out.Each.In, out.Each.Out = out.Each.In+x.In, out.Each.Out+x.Out
	}
	n := float64(len(at))
	out.Measured, out.Each.In, out.Each.Out = len(at), out.Each.In/n, out.Each.Out/n
	out.Each.Price = (out.Each.In*link.PriceIn + out.Each.Out*link.PriceOut) / 1e6
	return out, nil
}

// asksModel reports whether a method spends anything on a model.
func asksModel(m method.Method) bool { return m.Answer.Composer == answer.ByModel || m.Query.Model }

// mostRead is how many replies of a run are read for a forecast, and runsRead how many runs are looked through for one.
const (
	mostRead = 500
	runsRead = 20
)

// paidIn gives what the judged questions of the latest run cost that a model worded: a run of a set, or of any.
func (rm *Room) paidIn(ctx context.Context, corpus, set, model string) ([]Cost, error) {
	list, err := rm.store.Runs(ctx, corpus, set, runsRead)
	if err != nil {
		return nil, err
	}
	for _, r := range list {
		if !asksModel(r.Method) || r.Pins.Model != model {
			continue
		}
		rs, err := rm.store.Results(ctx, r.ID, false)
		if err != nil {
			return nil, err
		}
		var out []Cost
		for _, x := range rs {
			if x.Failed == "" && len(out) < mostRead {
				n := float64(max(1, r.Repeats))
				out = append(out, Cost{In: float64(x.Verdict.Scores.TokensIn) / n, Out: float64(x.Verdict.Scores.TokensOut) / n})
			}
		}
		if len(out) > 0 {
			return out, nil
		}
	}
	return nil, nil
}

// costsOfSample asks a few questions of a set to see what they cost.
func (rm *Room) costsOfSample(ctx context.Context, c store.Corpus, s store.QuestionSet) (Forecast, error) {
	qs, err := rm.store.Questions(ctx, s.ID)
	if err != nil {
		return Forecast{}, err
	}
	b, err := rm.asking.Bench(ctx, Asker, c, c.Method)
	if err != nil {
		return Forecast{}, err
	}
	var at []Cost
	for _, q := range SampleOf(qs) {
		_, v, _, err := rm.Examine(ctx, b, q)
		if err != nil {
			return Forecast{}, err
		}
		at = append(at, Cost{In: float64(v.Scores.TokensIn), Out: float64(v.Scores.TokensOut)})
	}
	out, err := rm.Costs(ctx, c, s, c.Method, at)
	out.From = "sample"
	return out, err
}

// SampleOf picks a few questions, evenly over a set.
func SampleOf(qs []questions.Question) []questions.Question {
	n := min(sampled, len(qs))
	out := make([]questions.Question, n)
	for i := range out {
		out[i] = qs[i*len(qs)/n]
	}
	return out
}
