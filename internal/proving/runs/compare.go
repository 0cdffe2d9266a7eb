package runs

import (
	"context"
	"fmt"

	"jolvex/core/prove"
	"jolvex/core/questions"
	"jolvex/internal/fault"
	"jolvex/internal/indexing"
	"jolvex/internal/store"
)

// Compared are two runs side by side.
type Compared struct {
	Before   Run                    `json:"before"`
	After    Run                    `json:"after"`
	Sums     prove.Comparison       `json:"sums"`
	Settings []indexing.SettingPair `json:"settings" nullable:"false" doc:"In which the methods differ"`
	Replies  []ReplyPair            `json:"replies" nullable:"false" doc:"Of the questions that were fixed, broken, or fail in both"`
}

// ReplyPair is one question with its replies in two runs.
type ReplyPair struct {
	Question questions.Question `json:"question"`
	Change   string             `json:"change" enum:"fixed,broken,failing"`
	Before   string             `json:"before"`
	After    string             `json:"after"`
}

// CompareRuns compares two runs of a corpus: the earlier one first.
func (rm *Room) CompareRuns(ctx context.Context, corpus, before, after string) (Compared, error) {
	c, err := rm.store.Corpus(ctx, corpus)
	if err != nil {
		return Compared{}, err
	}
	var out Compared
	var js [2][]prove.Judged
	var said [2]map[string]string
	var runs [2]store.Run
	for i, id := range []string{before, after} {
		if runs[i], err = rm.store.Run(ctx, id); err == nil && runs[i].Corpus != c.ID {
			err = fmt.Errorf("run %s: %w", id, fault.ErrMissing)
		}
		if err != nil {
			return out, err
		}
		if js[i], said[i], err = rm.Judged(ctx, runs[i]); err != nil {
			return out, err
		}
	}
	out.Sums = prove.CompareRuns(js[0], js[1])
	if out.Sums.Questions == 0 {
		return out, fault.Input("the two runs have no question in common that was judged in both")
	}
	out.Before, out.After = runView(runs[0], ""), runView(runs[1], "")
	out.Settings = indexing.SettingPairs(runs[0].Method, runs[1].Method)
	questions := map[string]questions.Question{}
	for _, j := range js[1] {
		questions[j.Question.ID] = j.Question
	}
	out.Replies = []ReplyPair{}
	for _, part := range []struct {
		change string
		ids    []string
	}{{"broken", out.Sums.Broken}, {"fixed", out.Sums.Fixed}, {"failing", out.Sums.Failing}} {
		for _, id := range part.ids {
			out.Replies = append(out.Replies, ReplyPair{questions[id], part.change, said[0][id], said[1][id]})
		}
	}
	return out, nil
}

// Judged reads a run's verdicts, and what was said to each question.
func (rm *Room) Judged(ctx context.Context, r store.Run) ([]prove.Judged, map[string]string, error) {
	rs, err := rm.store.Results(ctx, r.ID, true)
	if err != nil {
		return nil, nil, err
	}
	said := map[string]string{}
	var out []prove.Judged
	for _, x := range rs {
		if x.Position >= len(r.Questions) {
			continue
		}
		q := r.Questions[x.Position]
		out = append(out, prove.Judged{Question: q, Verdict: x.Verdict, Millis: x.Millis, Failed: x.Failed})
		if x.Trail != nil {
			said[q.ID] = x.Trail.Text()
		}
	}
	return out, said, nil
}
