package main

import (
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"os"
	"strconv"
	"strings"

	"jolvex/core/prove"
	"jolvex/internal/api"
	"jolvex/internal/work"
)

// floor is the least value of a measure, or of the pass rate of a tag.
type floor struct {
	what  string // a measure's key, or tag:NAME
	least float64
}

// readFloors reads what a run is held to.
func readFloors(o proveOptions) ([]floor, error) {
	if o.least < 0 || o.least > 1 {
		return nil, errors.New("--min-pass goes from 0 to 1")
	}
	var out []floor
	if o.least > 0 {
		out = append(out, floor{"passed", o.least})
	}
	for _, f := range o.floors {
		i := strings.LastIndexByte(f, '=')
		if i < 1 {
			return nil, fmt.Errorf("a floor is like facts=0.9 or tag:fares=1, not %q", f)
		}
		x, err := strconv.ParseFloat(f[i+1:], 64)
		if err != nil || x < 0 || x > 1 {
			return nil, fmt.Errorf("--floor %s: %q is not between 0 and 1", f, f[i+1:])
		}
		out = append(out, floor{f[:i], x})
	}
	return out, nil
}

// value finds what a floor is about in a run; an error when the run does not measure it.
func (f floor) value(s *prove.Summary) (float64, error) {
	if tag, ok := strings.CutPrefix(f.what, "tag:"); ok {
		r, ok := s.ByTag[tag]
		if !ok {
			return 0, fmt.Errorf("no question of the run has the tag %q", tag)
		}
		return r.Rate, nil
	}
	var keys []string
	for _, x := range s.Figures {
		if x.Key == f.what {
			return x.Value, nil
		}
		keys = append(keys, x.Key)
	}
	return 0, fmt.Errorf("the run has no measure %q; it has %s", f.what, strings.Join(keys, ", "))
}

// sure is the level at which a run is called worse than its baseline.
const sure = 0.05

// held holds a run against its floors and against an earlier one; exitError when it stays below.
func held(w io.Writer, r *api.RunReport, floors []floor, before *api.RunReport) error {
	below := false
	for _, f := range floors {
		v, err := f.value(r.Run.Summary)
		if err != nil {
			return err
		}
		if v < f.least {
			what := f.what
			if what == "passed" {
				what = "the pass rate"
			}
			fmt.Fprintf(w, "jolvex: %s of %.3f is below the floor of %.3f\n", what, v, f.least)
			below = true
		}
	}
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

func judged(rs []work.Result) []prove.Judged {
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
