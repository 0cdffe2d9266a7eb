package main

import (
	"context"
	"encoding/xml"
	"errors"
	"fmt"
	"net/http"
	"os"
	"sort"
	"strings"

	"github.com/spf13/cobra"

	"jolvex/core/prove"
	"jolvex/internal/api"
	"jolvex/internal/work"
)

func proveCommand(s *settings) *cobra.Command {
	var corpus, set, junit, file string
	var floor float64
	c := &cobra.Command{
		Use:   "prove --corpus NAME --set NAME",
		Short: "Run a question set and fail below a floor",
		Long: `Runs a question set over the corpus's draft and tells the pass rate. With --min-pass the command exits with code 3 when
the rate is below it; with --junit it writes a report that build servers read. --questions loads a file of expected
questions into the set first, one JSON object a line.`,
		Example: `  jolvex prove --corpus support --set release --min-pass 0.8 --junit report.xml
  jolvex prove --corpus support --set release --questions expected.jsonl`,
		Args: args(cobra.NoArgs),
		RunE: func(cmd *cobra.Command, _ []string) error {
			if floor < 0 || floor > 1 {
				return usageError{errors.New("--min-pass goes from 0 to 1")}
			}
			cl, err := connect(cmd.Context(), s)
			if err != nil {
				return err
			}
			report, err := runSet(cmd.Context(), cl, s, corpus, set, file)
			if err == nil && junit != "" {
				err = writeJUnit(junit, report)
			}
			if err == nil {
				err = printRun(s, report)
			}
			if err == nil && report.Run.Summary.Passed.Rate < floor {
				fmt.Fprintf(os.Stderr, "jolvex: the pass rate of %.3f is below the floor of %.3f\n", report.Run.Summary.Passed.Rate, floor)
				err = exitError{codeBelow}
			}
			return errors.Join(err, cl.close())
		},
	}
	f := c.Flags()
	f.StringVar(&corpus, "corpus", "", "name of the corpus")
	f.StringVar(&set, "set", "", "name of the question set")
	f.StringVar(&file, "questions", "", "load this JSONL file into the set first")
	f.Float64Var(&floor, "min-pass", 0, "least pass rate, 0 to 1")
	f.StringVar(&junit, "junit", "", "write a JUnit report to this file")
	must(c.MarkFlagRequired("corpus"))
	must(c.MarkFlagRequired("set"))
	return c
}

func runSet(ctx context.Context, cl *client, s *settings, corpus, set, file string) (*api.RunReport, error) {
	if file != "" {
		f, err := os.Open(file)
		if err != nil {
			return nil, err
		}
		qs, err := prove.ReadQuestions(f)
		if err := errors.Join(err, f.Close()); err != nil {
			return nil, fmt.Errorf("%s: %w", file, err)
		}
		if err := cl.call(ctx, http.MethodPut, corpusPath(corpus, "sets", set), qs, nil); err != nil {
			return nil, err
		}
	}
	var started api.StartedRun
	if err := cl.call(ctx, http.MethodPost, corpusPath(corpus, "sets", set, "runs"), nil, &started); err != nil {
		return nil, err
	}
	if _, err := cl.follow(ctx, corpus, started.Job.ID, func(j work.Job) {
		if !s.json && j.Total > 0 {
			fmt.Fprintf(os.Stderr, "\r%d of %d questions ", j.Done, j.Total)
		}
	}); err != nil {
		return nil, err
	}
	if !s.json {
		fmt.Fprintln(os.Stderr)
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
	fmt.Printf("hit@1 %.3f  hit@5 %.3f  MRR %.3f over %d questions; facts %d of %d\n", sum.Hit1, sum.Hit5, sum.MRR, sum.Ranked, sum.Facts.Hits, sum.Facts.Of)
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
	}
	return nil
}

// The JUnit form that build servers agree on; there is no published standard (common practice).
type junitSuite struct {
	XMLName  xml.Name    `xml:"testsuite"`
	Name     string      `xml:"name,attr"`
	Tests    int         `xml:"tests,attr"`
	Failures int         `xml:"failures,attr"`
	Errors   int         `xml:"errors,attr"`
	Time     string      `xml:"time,attr"`
	Cases    []junitCase `xml:"testcase"`
}

type junitCase struct {
	Name    string     `xml:"name,attr"`
	Class   string     `xml:"classname,attr"`
	Time    string     `xml:"time,attr"`
	Failure *junitText `xml:"failure"`
	Error   *junitText `xml:"error"`
}

type junitText struct {
	Message string `xml:"message,attr"`
	Text    string `xml:",chardata"`
}

func writeJUnit(path string, r *api.RunReport) error {
	suite := junitSuite{Name: r.Run.SetName, Tests: len(r.Results)}
	total := 0.0
	for _, x := range r.Results {
		total += x.Millis
		c := junitCase{Name: x.Question.ID + ": " + x.Question.Text, Class: r.Run.SetName, Time: fmt.Sprintf("%.3f", x.Millis/1000)}
		switch {
		case x.Failed != "":
			suite.Errors++
			c.Error = &junitText{Message: x.Failed}
		case !x.Verdict.Passed:
			suite.Failures++
			var notes []string
			for _, f := range x.Verdict.Findings {
				if !f.Held {
					notes = append(notes, f.Expectation.Kind+": "+f.Note)
				}
			}
			if len(notes) == 0 {
				notes = []string{"it refused"}
			}
			c.Failure = &junitText{Message: strings.Join(notes, "; "), Text: x.Reply}
		}
		suite.Cases = append(suite.Cases, c)
	}
	suite.Time = fmt.Sprintf("%.3f", total/1000)
	raw, err := xml.MarshalIndent(suite, "", "  ")
	if err != nil {
		return err
	}
	if err := os.WriteFile(path, append([]byte(xml.Header), append(raw, '\n')...), 0o644); err != nil {
		return fmt.Errorf("write the report: %w", err)
	}
	return nil
}
