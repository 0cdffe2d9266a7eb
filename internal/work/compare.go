package work

import (
	"context"
	"fmt"
	"strings"

	"jolvex/core/method"
	"jolvex/core/prove"
	"jolvex/internal/store"
)

// Compared are two runs side by side.
type Compared struct {
	Before   Run              `json:"before"`
	After    Run              `json:"after"`
	Sums     prove.Comparison `json:"sums"`
	Settings []SettingPair    `json:"settings" nullable:"false" doc:"In which the methods differ"`
	Replies  []ReplyPair      `json:"replies" nullable:"false" doc:"Of the questions that were fixed, broken, or fail in both"`
}

// SettingPair is a setting in which two methods differ.
type SettingPair struct {
	Key    string `json:"key"`
	Label  string `json:"label"`
	Before string `json:"before"`
	After  string `json:"after"`
}

// ReplyPair is one question with its replies in two runs.
type ReplyPair struct {
	Question prove.Question `json:"question"`
	Change   string         `json:"change" enum:"fixed,broken,failing"`
	Before   string         `json:"before"`
	After    string         `json:"after"`
}

// CompareRuns compares two runs of a corpus: the earlier one first.
func (a *App) CompareRuns(ctx context.Context, corpus, before, after string) (Compared, error) {
	c, err := a.store.Corpus(ctx, corpus)
	if err != nil {
		return Compared{}, err
	}
	var out Compared
	var js [2][]prove.Judged
	var said [2]map[string]string
	var runs [2]store.Run
	for i, id := range []string{before, after} {
		if runs[i], err = a.store.Run(ctx, id); err == nil && runs[i].Corpus != c.ID {
			err = fmt.Errorf("run %s: %w", id, ErrMissing)
		}
		if err != nil {
			return out, err
		}
		if js[i], said[i], err = a.judged(ctx, runs[i]); err != nil {
			return out, err
		}
	}
	out.Sums = prove.CompareRuns(js[0], js[1])
	if out.Sums.Questions == 0 {
		return out, inputError("the two runs have no question in common that was judged in both")
	}
	out.Before, out.After = runView(runs[0], ""), runView(runs[1], "")
	out.Settings = settingPairs(runs[0].Method, runs[1].Method)
	questions := map[string]prove.Question{}
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

// judged reads a run's verdicts, and what was said to each question.
func (a *App) judged(ctx context.Context, r store.Run) ([]prove.Judged, map[string]string, error) {
	rs, err := a.store.Results(ctx, r.ID, true)
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

// settingPairs lists the settings in which two methods differ, as people call them.
func settingPairs(a, b method.Method) []SettingPair {
	labels := map[string]string{}
	for _, f := range method.Fields() {
		labels[f.Key] = f.Label
	}
	out := []SettingPair{}
	for _, key := range method.Difference(a, b) {
		p := SettingPair{Key: key, Label: labels[key], Before: method.Value(a, key), After: method.Value(b, key)}
		if p.Label == "" {
			p.Label = strings.ToUpper(key[:1]) + key[1:]
		}
		out = append(out, p)
	}
	return out
}
