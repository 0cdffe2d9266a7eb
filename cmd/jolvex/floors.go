package main

import (
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"os"
	"strings"

	"jolvex/core/prove"
	"jolvex/internal/api"
	"jolvex/internal/proving/runs"
)

// readFloors reads what a run is held to.
func readFloors(o proveOptions) ([]prove.Floor, error) {
	if o.least < 0 || o.least > 1 {
		return nil, errors.New("--min-pass goes from 0 to 1")
	}
	var out []prove.Floor
	if o.least > 0 {
		out = append(out, prove.Floor{What: "passed", Bound: o.least})
	}
	for _, spec := range o.floors {
		f, err := prove.ReadFloor(spec)
		if err != nil {
			return nil, err
		}
		out = append(out, f)
	}
	return out, nil
}

// sure is the level at which a run is called worse than its baseline.
const sure = 0.05

// held holds a run against its floors and against an earlier one; exitError when it stays below.
func held(w io.Writer, r *api.RunReport, floors []prove.Floor, before *api.RunReport) error {
	if n := r.Run.Summary.Unjudged; n > 0 {
		fmt.Fprintf(w, "jolvex: %d of %d questions could not be judged; they stand in no rate, floor or comparison\n", n, r.Run.Summary.Questions)
	}
	short, err := prove.Below(*r.Run.Summary, floors)
	if err != nil {
		return err
	}
	for _, f := range short {
		what := f.What
		if what == "passed" {
			what = "the pass rate"
		}
		side := "below the floor"
		if f.AtMost {
			side = "above the most"
		}
		fmt.Fprintf(w, "jolvex: %s of %.3f is %s of %.3f\n", what, f.Value, side, f.Bound)
	}
	below := len(short) > 0
	if before != nil {
		c := prove.CompareRuns(judged(before.Results), judged(r.Results))
		if c.Questions == 0 {
			return errors.New("the baseline has no question in common with the run")
		}
		fmt.Fprintf(w, "against the baseline: %d fixed, %d broken over %d questions, p %.3f; a difference of %.3f could have been told from chance\n", len(c.Fixed), len(c.Broken), c.Questions, c.P, c.Smallest)
		if len(c.Broken) > len(c.Fixed) && c.P < sure {
			fmt.Fprintf(w, "jolvex: the run is worse than the baseline beyond chance; broken: %s\n", strings.Join(c.Broken, ", "))
			below = true
		}
	}
	if below {
		return exitError{codeBelow}
	}
	return nil
}

func judged(rs []runs.Result) []prove.Judged {
	out := make([]prove.Judged, len(rs))
	for i, r := range rs {
		out[i] = prove.Judged{Question: r.Question, Verdict: r.Verdict, Millis: r.Millis, Failed: r.Failed}
	}
	return out
}

// readBaseline reads a report that an earlier run wrote; nil without a path.
func readBaseline(path string) (*api.RunReport, error) {
	if path == "" {
		return nil, nil
	}
	raw, err := os.ReadFile(path)
	if err != nil {
		return nil, fmt.Errorf("read the baseline: %w", err)
	}
	var r api.RunReport
	if err := json.Unmarshal(raw, &r); err != nil {
		return nil, fmt.Errorf("read the baseline %s: %w", path, err)
	}
	if len(r.Results) == 0 {
		return nil, fmt.Errorf("the baseline %s holds no result: it is written with --report", path)
	}
	return &r, nil
}
