package main

import (
	"encoding/json"
	"encoding/xml"
	"errors"
	"fmt"
	"os"
	"strings"

	"jolvex/core/prove"
	"jolvex/internal/api"
)

// write writes the reports that were asked for.
func (o proveOptions) write(r *api.RunReport) error {
	var errs []error
	if o.junit != "" {
		errs = append(errs, writeJUnit(o.junit, r))
	}
	if o.markdown != "" {
		errs = append(errs, writeFile(o.markdown, []byte(markdown(r))))
	}
	if o.report != "" {
		raw, err := json.MarshalIndent(r, "", "  ")
		errs = append(errs, err, writeFile(o.report, append(raw, '\n')))
	}
	return errors.Join(errs...)
}

func writeFile(path string, body []byte) error {
	if err := os.WriteFile(path, body, 0o644); err != nil {
		return fmt.Errorf("write the report: %w", err)
	}
	return nil
}

// markdown sums a run up for people: its figures, its tags, and what failed with its cause.
func markdown(r *api.RunReport) string {
	var b strings.Builder
	sum := r.Run.Summary
	fmt.Fprintf(&b, "# %s\n\n%d of %d passed, **%.1f %%** (95 %% interval %.1f to %.1f).\n", cellText(r.Run.SetName), sum.Passed.Hits, sum.Passed.Of, 100*sum.Passed.Rate, 100*sum.Passed.Interval.Low, 100*sum.Passed.Interval.High)
	if sum.Unjudged > 0 {
		fmt.Fprintf(&b, "\n%d questions could not be judged; they count neither way.\n", sum.Unjudged)
	}
	if r.Run.Before != "" {
		fmt.Fprintf(&b, "\nSince the run before: %d fixed, %d broken.\n", len(r.Run.Fixed), len(r.Run.Broken))
	}
	b.WriteString("\n| measure | value | 95 % interval | over |\n|---|---|---|---|\n")
	for _, f := range sum.Figures {
		fmt.Fprintf(&b, "| %s | %.3f | %.3f to %.3f | %d |\n", cellText(f.Label), f.Value, f.Interval.Low, f.Interval.High, f.Of)
	}
	if len(sum.Tags) > 0 {
		b.WriteString("\n| tag | passed | facts | refused rightly, wrongly, missed |\n|---|---|---|---|\n")
		for _, t := range sum.Tags {
			fmt.Fprintf(&b, "| %s | %d of %d | %d of %d | %d, %d, %d |\n", cellText(t.Tag), t.Passed.Hits, t.Passed.Of, t.Facts.Hits, t.Facts.Of, t.Right, t.Wrong, t.Missed)
		}
	}
	if len(sum.Kinds) > 0 {
		b.WriteString("\n| expectation | held | 95 % interval |\n|---|---|---|\n")
		for _, k := range sum.Kinds {
			fmt.Fprintf(&b, "| %s | %d of %d | %.3f to %.3f |\n", k.Kind, k.Held.Hits, k.Held.Of, k.Held.Interval.Low, k.Held.Interval.High)
		}
	}
	first := true
	for _, x := range r.Results {
		if x.Verdict.Passed {
			continue
		}
		if first {
			b.WriteString("\n## What failed\n\n| question | why | said |\n|---|---|---|\n")
			first = false
		}
		why := x.Failed
		if x.Cause != nil {
			why = x.Cause.Why
		} else if why == "" {
			why = strings.Join(lacking(x.Verdict), "; ")
		}
		fmt.Fprintf(&b, "| %s | %s | %s |\n", cellText(x.Question.Text), cellText(why), cellText(clip(x.Reply, 200)))
	}
	return b.String()
}

// cellText keeps a text inside a table cell of Markdown.
func cellText(s string) string {
	return strings.NewReplacer("|", `\|`, "\n", " ", "<", "&lt;").Replace(s)
}

// The JUnit form that build servers agree on; there is no published standard (common practice).
type junitSuite struct {
	XMLName  xml.Name    `xml:"testsuite"`
	Name     string      `xml:"name,attr"`
	Tests    int         `xml:"tests,attr"`
	Failures int         `xml:"failures,attr"`
	Errors   int         `xml:"errors,attr"`
	Skipped  int         `xml:"skipped,attr"`
	At       string      `xml:"timestamp,attr"`
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
	Type    string `xml:"type,attr"`
	Text    string `xml:",chardata"`
}

func writeJUnit(path string, r *api.RunReport) error {
	suite := junitSuite{Name: r.Run.SetName, Tests: len(r.Results), At: strings.TrimSuffix(strings.Split(r.Run.CreatedAt, ".")[0], "Z")}
	total := 0.0
	for _, x := range r.Results {
		total += x.Millis
		c := junitCase{Name: x.Question.ID + ": " + x.Question.Text, Class: r.Run.SetName, Time: fmt.Sprintf("%.3f", x.Millis/1000)}
		switch {
		case x.Failed != "":
			suite.Errors++
			c.Error = &junitText{Message: x.Failed, Type: "not judged"}
		case !x.Verdict.Passed:
			suite.Failures++
			c.Failure = &junitText{Message: strings.Join(lacking(x.Verdict), "; "), Type: "failed", Text: x.Reply}
			if x.Verdict.Accident {
				c.Failure.Type = "by accident"
			}
			if x.Cause != nil {
				c.Failure.Text += "\ncause: " + x.Cause.Why
			}
		}
		suite.Cases = append(suite.Cases, c)
	}
	suite.Time = fmt.Sprintf("%.3f", total/1000)
	raw, err := xml.MarshalIndent(suite, "", "  ")
	if err != nil {
		return err
	}
	return writeFile(path, append([]byte(xml.Header), append(raw, '\n')...))
}

// lacking says in what a reply fell short.
func lacking(v prove.Verdict) []string {
	var notes []string
	for _, f := range v.Findings {
		if !f.Held {
			notes = append(notes, f.Expectation.Kind+": "+f.Note)
		}
	}
	if len(notes) == 0 {
		return []string{"it refused"}
	}
	return notes
}
