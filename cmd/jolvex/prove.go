package main

import (
	"context"
	"errors"
	"fmt"
	"net/http"
	"os"
	"sort"

	"github.com/spf13/cobra"

	"jolvex/core/questions"
	"jolvex/internal/api"
	"jolvex/internal/job"
	"jolvex/internal/proving/runs"
	"jolvex/internal/store"
)

// proveOptions are what a run in a build is held to, and where its reports go.
type proveOptions struct {
	corpus, set, questions            string
	least                             float64
	floors                            []string
	junit, report, markdown, baseline string
	cap                               store.Cap
	forecast                          bool
}

func proveCommand(s *settings) *cobra.Command {
	var o proveOptions
	c := &cobra.Command{
		Use:   "prove --corpus NAME --set NAME",
		Short: "Run a question set and fail below a floor",
		Long: `Runs a question set over the corpus's draft and tells what came of it. The command exits with code 3 when the pass rate is
below --min-pass, when a measure or a tag is below a --floor, or when the run is worse than a --baseline beyond chance
(McNemar's exact test at 5 %). Floors name a measure as the JSON report does (facts, grounded, refusalPrecision,
refusalRecall, hit1, hit5, mrr, ndcg, recall, citePrecision, agreement, pointed ...) or the pass rate of a tag, as tag:NAME. words<=60 and accident<=0.02 bound what is to
stay low. Questions that could not be judged stand in none of them.

--junit writes a report that build servers read, --markdown one for people, --report everything as JSON: keep that file and
give it as --baseline to a later run. --questions loads a file of expected questions into the set first, one JSON object a line.`,
		Example: `  jolvex prove --corpus support --set release --min-pass 0.8 --floor facts=0.9 --floor tag:fares=1 --junit report.xml
  jolvex prove --corpus support --set release --report now.json --baseline released.json --markdown summary.md`,
		Args: args(cobra.NoArgs),
		RunE: func(cmd *cobra.Command, _ []string) error {
			floors, err := readFloors(o)
			if err != nil {
				return usageError{err}
			}
			before, err := readBaseline(o.baseline)
			if err != nil {
				return err
			}
			cl, err := connect(cmd.Context(), s)
			if err != nil {
				return err
			}
			if o.forecast {
				return errors.Join(forecast(cmd.Context(), cl, s, o), cl.close())
			}
			report, err := runSet(cmd.Context(), cl, s, o)
			if err == nil {
				err = errors.Join(printRun(s, report), o.write(report))
			}
			if err == nil {
				err = held(os.Stderr, report, floors, before)
			}
			return errors.Join(err, cl.close())
		},
	}
	f := c.Flags()
	f.StringVar(&o.corpus, "corpus", "", "name of the corpus")
	f.StringVar(&o.set, "set", "", "name of the question set")
	f.StringVar(&o.questions, "questions", "", "load this JSONL file into the set first")
	f.Float64Var(&o.least, "min-pass", 0, "least pass rate, 0 to 1")
	f.StringArrayVar(&o.floors, "floor", nil, "least value of a measure or of a tag's pass rate, as facts=0.9 or tag:fares=1; may be given several times")
	f.StringVar(&o.junit, "junit", "", "write a JUnit report to this file")
	f.StringVar(&o.markdown, "markdown", "", "write a summary in Markdown to this file")
	f.StringVar(&o.report, "report", "", "write everything as JSON to this file")
	f.StringVar(&o.baseline, "baseline", "", "fail when the run is worse than this earlier JSON report, beyond chance")
	f.Float64Var(&o.cap.Price, "cap-price", 0, "stop asking when a model has cost so much, in the connection's currency; 0 for no cap")
	f.IntVar(&o.cap.Tokens, "cap-tokens", 0, "stop asking when a model has read and written so many tokens; 0 for no cap")
	f.BoolVar(&o.forecast, "forecast", false, "say what the run is likely to cost, and run nothing")
	must(c.MarkFlagRequired("corpus"))
	must(c.MarkFlagRequired("set"))
	return c
}

// forecast tells what a run is likely to cost.
func forecast(ctx context.Context, cl *client, s *settings, o proveOptions) error {
	var f runs.Forecast
	if err := cl.call(ctx, http.MethodGet, corpusPath(o.corpus, "sets", o.set, "forecast"), nil, &f); err != nil {
		return err
	}
	if s.json {
		return printJSON(f)
	}
	switch {
	case f.Model == "":
		fmt.Println("no model is asked: the run costs nothing")
	case f.Measured == 0:
		fmt.Printf("nothing was measured yet of what %s costs: a first run tells\n", f.Model)
	default:
		fmt.Printf("%d questions: about %.0f tokens read and %.0f written", f.Questions, f.Run.In, f.Run.Out)
		if f.Priced {
			fmt.Printf(", at a price of about %.4g", f.Run.Price)
		}
		fmt.Printf(" (from %d replies of %s)\n", f.Measured, f.Model)
	}
	return nil
}

func runSet(ctx context.Context, cl *client, s *settings, o proveOptions) (*api.RunReport, error) {
	corpus, set, file := o.corpus, o.set, o.questions
	if file != "" {
		f, err := os.Open(file)
		if err != nil {
			return nil, err
		}
		qs, err := questions.ReadQuestions(f)
		if err := errors.Join(err, f.Close()); err != nil {
			return nil, fmt.Errorf("%s: %w", file, err)
		}
		if err := cl.call(ctx, http.MethodPut, corpusPath(corpus, "sets", set), qs, nil); err != nil {
			return nil, err
		}
	}
	var started api.StartedRun
	caps := fmt.Sprintf("?capTokens=%d&capPrice=%g", o.cap.Tokens, o.cap.Price)
	if err := cl.call(ctx, http.MethodPost, corpusPath(corpus, "sets", set, "runs")+caps, nil, &started); err != nil {
		return nil, err
	}
	if _, err := cl.follow(ctx, corpus, started.Job.ID, showProgress(s)); err != nil {
		return nil, err
	}
	var report api.RunReport
	if err := cl.call(ctx, http.MethodGet, corpusPath(corpus, "runs", started.Run.ID), nil, &report); err != nil {
		return nil, err
	}
	if report.Run.Summary == nil {
		return nil, errors.New("the run ended without a summary")
	}
	return &report, nil
}

// showProgress tells how far a job has come, on one line of a terminal; to a file or a pipe it tells nothing.
func showProgress(s *settings) func(job.Job) {
	info, err := os.Stderr.Stat()
	if s.json || err != nil || info.Mode()&os.ModeCharDevice == 0 {
		return func(job.Job) {}
	}
	last := -1
	return func(j job.Job) {
		if j.Total == 0 || j.Done == last {
			return
		}
		last = j.Done
		end := ""
		if j.Done == j.Total {
			end = "\n"
		}
		fmt.Fprintf(os.Stderr, "\r%d of %d, %s %s", j.Done, j.Total, j.Note, end)
	}
}

func printRun(s *settings, r *api.RunReport) error {
	if s.json {
		return printJSON(r)
	}
	sum := r.Run.Summary
	fmt.Printf("%s: %d of %d passed, %.1f %% (95 %% interval %.1f to %.1f)\n", r.Run.SetName, sum.Passed.Hits, sum.Passed.Of, 100*sum.Passed.Rate, 100*sum.Passed.Interval.Low, 100*sum.Passed.Interval.High)
	tags := make([]string, 0, len(sum.ByTag))
	for t := range sum.ByTag {
		tags = append(tags, t)
	}
	sort.Strings(tags)
	for _, t := range tags {
		v := sum.ByTag[t]
		fmt.Printf("  %-14s %d of %d\n", t, v.Hits, v.Of)
	}
	for _, f := range sum.Figures {
		if f.Key != "passed" {
			fmt.Printf("  %-38s %.3f [%.3f, %.3f] over %d\n", f.Label, f.Value, f.Interval.Low, f.Interval.High, f.Of)
		}
	}
	fmt.Printf("refusals: %d right, %d wrong, %d missed; reply p50 %.1f ms, p95 %.1f ms\n", sum.RightRefusals, sum.WrongRefusals, sum.MissedRefusals, sum.MillisP50, sum.MillisP95)
	if sum.Unjudged > 0 {
		fmt.Printf("%d could not be judged\n", sum.Unjudged)
	}
	if r.Run.Before != "" {
		fmt.Printf("since the run before: %d fixed, %d broken\n", len(r.Run.Fixed), len(r.Run.Broken))
	}
	for _, x := range r.Results {
		if x.Verdict.Passed {
			continue
		}
		fmt.Printf("failed %s %q\n", x.Question.ID, x.Question.Text)
		for _, f := range x.Verdict.Findings {
			if !f.Held {
				fmt.Printf("    %s: %s\n", f.Expectation.Kind, f.Note)
			}
		}
		fmt.Printf("    said: %s\n", clip(x.Reply, 300))
		if x.Cause != nil {
			fmt.Printf("    cause: %s\n", x.Cause.Why)
		}
	}
	return nil
}
