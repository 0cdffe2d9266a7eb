package runs

import (
	"bytes"
	"context"
	"fmt"
	"slices"
	"strings"

	"jolvex/core/cells"
	"jolvex/core/diagnose"
	"jolvex/core/questions"
	"jolvex/internal/fault"
	"jolvex/internal/store"
)

// What a person may say of a verdict.
const (
	ReviewRight    = "right"    // the verdict is right
	ReviewWrong    = "wrong"    // the verdict is wrong
	ReviewDoubtful = "doubtful" // the expectation is to be looked at
)

// Review is what a person says of one verdict, and what is to be done.
type Review struct {
	Mark  string `json:"mark" enum:"right,wrong,doubtful," doc:"Of the verdict; empty when only something is to be done"`
	Note  string `json:"note,omitempty" maxLength:"2000" doc:"What is to be done"`
	Owner string `json:"owner,omitempty" maxLength:"120" doc:"By whom"`
}

// PutReview keeps what is said of the verdict of a question of a run; an empty review takes it back.
func (rm *Room) PutReview(ctx context.Context, corpus, run, question string, v Review) error {
	r, err := rm.RunOf(ctx, corpus, run)
	if err != nil {
		return err
	}
	if !slices.ContainsFunc(r.Questions, func(q questions.Question) bool { return q.ID == question }) {
		return fmt.Errorf("question %s of run %s: %w", question, run, fault.ErrMissing)
	}
	return rm.store.PutReview(ctx, run, store.Review{Question: question, Mark: v.Mark, Note: strings.TrimSpace(v.Note), Owner: strings.TrimSpace(v.Owner)})
}

// Reviews are what is said of the verdicts of a run, by question.
func (rm *Room) Reviews(ctx context.Context, corpus, run string) (map[string]Review, error) {
	if _, err := rm.RunOf(ctx, corpus, run); err != nil {
		return nil, err
	}
	rs, err := rm.store.Reviews(ctx, run)
	if err != nil {
		return nil, err
	}
	out := map[string]Review{}
	for _, r := range rs {
		out[r.Question] = Review{r.Mark, r.Note, r.Owner}
	}
	return out, nil
}

// ExportReviews writes the failures of a run and all that was said of its verdicts as CSV, for others to work down.
func (rm *Room) ExportReviews(ctx context.Context, corpus, run string) ([]byte, error) {
	reviews, err := rm.Reviews(ctx, corpus, run)
	if err != nil {
		return nil, err
	}
	_, results, err := rm.RunResults(ctx, corpus, run)
	if err != nil {
		return nil, err
	}
	label := map[diagnose.Cause]string{}
	for _, c := range diagnose.Causes() {
		label[c.Name] = c.Label
	}
	rows := [][]string{{"id", "question", "verdict", "reply", "cause", "why", "proposed", "review", "to do", "who"}}
	for _, x := range results {
		v, said := reviews[x.Question.ID]
		verdict := "failed"
		switch {
		case x.Failed != "":
			verdict = "not judged"
		case x.Verdict.Passed:
			verdict = "passed"
		case x.Verdict.Accident:
			verdict = "by accident"
		}
		if verdict == "passed" && !said {
			continue
		}
		row := []string{x.Question.ID, x.Question.Text, verdict, x.Reply, "", x.Failed, "", v.Mark, v.Note, v.Owner}
		if x.Cause != nil {
			row[4], row[5] = label[x.Cause.Cause], x.Cause.Why
			if len(x.Cause.Fixes) > 0 {
				row[6] = x.Cause.Fixes[0].Label
			}
		}
		rows = append(rows, row)
	}
	var b bytes.Buffer
	if err := cells.NewWriter(&b).WriteAll(rows); err != nil {
		return nil, fmt.Errorf("write the list of run %s: %w", run, err)
	}
	return b.Bytes(), nil
}

// Clusters groups the failures of a run by cause and by the fix that they share.
func (rm *Room) Clusters(ctx context.Context, corpus, run string) ([]diagnose.Cluster, error) {
	if _, err := rm.RunOf(ctx, corpus, run); err != nil {
		return nil, err
	}
	rs, err := rm.store.Results(ctx, run, false)
	if err != nil {
		return nil, err
	}
	var fs []diagnose.Failure
	for _, x := range rs {
		if x.Cause != nil {
			fs = append(fs, diagnose.Failure{Question: x.Question, Diagnosis: *x.Cause})
		}
	}
	return diagnose.Clusters(fs), nil
}
