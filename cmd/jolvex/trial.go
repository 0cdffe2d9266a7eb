package main

import (
	"errors"
	"fmt"
	"maps"
	"net/http"
	"os"
	"slices"
	"strings"

	"github.com/spf13/cobra"

	"jolvex/core/diagnose"
	"jolvex/core/prove"
	"jolvex/internal/api"
	"jolvex/internal/proving/trials"
)

// valuesOf reads the values of a setting: with semicolons between where there is one, as values may hold commas themselves, else with
// commas.
func valuesOf(s string) []string {
	if list, ok := strings.CutSuffix(s, ";"); ok || strings.Contains(s, ";") {
		return strings.Split(list, ";")
	}
	return strings.Split(s, ",")
}

func trialCommand(s *settings) *cobra.Command {
	var corpus, set, search string
	var vary []string
	var budget int
	var seed uint64
	var apply, reckon bool
	c := &cobra.Command{
		Use:   "trial --corpus NAME --set NAME --vary KEY=VALUE,VALUE ...",
		Short: "Try many methods over one question set",
		Long: `Runs a question set under every combination of the values given for some settings, and says which method to take: one that is
better than the draft beyond chance after Holm's correction over all that were tried, the fastest of those that cannot be told
from the best. Settings have the keys that the interface shows, such as chunk.size or answer.bar. With --apply the method is
brought into the draft; nothing is applied when none is better beyond chance.`,
		Example: `  jolvex trial --corpus support --set release --vary find.keep=4,8,12 --vary answer.bar=0.4,0.5,0.6
  jolvex trial --corpus support --set release --vary 'query.order=glossary,filler,spelling,followUp,compound,related,feedback;filler,spelling,followUp,glossary,compound,related,feedback'
  jolvex trial --corpus support --set release --search halving --budget 64 --vary chunk.size=150,250,400 --vary find.dense=0.3,0.6,0.8 --apply`,
		Args: args(cobra.NoArgs),
		RunE: func(cmd *cobra.Command, _ []string) error {
			plan := prove.Plan{Search: search, Budget: budget, Seed: seed}
			for _, v := range vary {
				key, values, ok := strings.Cut(v, "=")
				if !ok || values == "" {
					return usageError{fmt.Errorf("--vary is like find.keep=4,8,12, not %q", v)}
				}
				plan.Factors = append(plan.Factors, prove.Factor{Key: key, Values: valuesOf(values)})
			}
			if err := plan.Check(); err != nil {
				return usageError{err}
			}
			cl, err := connect(cmd.Context(), s)
			if err != nil {
				return err
			}
			path := corpusPath(corpus, "sets", set, "trials")
			var cost trials.TrialCost
			if err := cl.call(cmd.Context(), http.MethodPost, path+"/estimate", plan, &cost); err != nil {
				return errors.Join(err, cl.close())
			}
			if !s.json || reckon {
				fmt.Fprintf(os.Stderr, "%d methods over %d indexes, %d questions to ask: about %.0f s\n", cost.Methods, cost.Indexes+1, cost.Questions, cost.Seconds)
			}
			if reckon {
				return cl.close()
			}
			id, out, err := runTrial(cmd, cl, s, corpus, path, plan)
			if err == nil {
				err = printTrial(s, out)
			}
			if err == nil && apply && out.Sums.Sure {
				err = cl.call(cmd.Context(), http.MethodPost, corpusPath(corpus, "method", "changes"), trials.Applied{Change: diagnose.Alteration{Settings: out.Arms[out.Sums.Pick].Settings}, Note: "out of a trial", Trial: id}, nil)
			}
			return errors.Join(err, cl.close())
		},
	}
	f := c.Flags()
	f.StringVar(&corpus, "corpus", "", "name of the corpus")
	f.StringVar(&set, "set", "", "name of the question set")
	f.StringArrayVar(&vary, "vary", nil, "a setting and its values, as find.keep=4,8,12; may be given several times")
	f.StringVar(&search, "search", prove.SearchGrid, "grid, random or halving")
	f.IntVar(&budget, "budget", 0, "the most methods to try; 0 for all")
	f.Uint64Var(&seed, "seed", 1, "of the draw")
	f.BoolVar(&apply, "apply", false, "bring the method into the draft when it is better beyond chance")
	f.BoolVar(&reckon, "estimate", false, "only say what it would take")
	must(c.MarkFlagRequired("corpus"))
	must(c.MarkFlagRequired("set"))
	must(c.MarkFlagRequired("vary"))
	return c
}

func runTrial(cmd *cobra.Command, cl *client, s *settings, corpus, path string, plan prove.Plan) (id string, out *trials.TrialOutcome, err error) {
	var started api.StartedStudy
	if err := cl.call(cmd.Context(), http.MethodPost, path, plan, &started); err != nil {
		return "", nil, err
	}
	if _, err := cl.follow(cmd.Context(), corpus, started.Job.ID, showProgress(s)); err != nil {
		return "", nil, err
	}
	var all []trials.Study
	if err := cl.call(cmd.Context(), http.MethodGet, corpusPath(corpus, "studies"), nil, &all); err != nil {
		return "", nil, err
	}
	for _, x := range all {
		if x.ID == started.Study.ID && x.Trial != nil {
			return x.ID, x.Trial, nil
		}
	}
	return "", nil, errors.New("the trial ended without an outcome")
}

func printTrial(s *settings, t *trials.TrialOutcome) error {
	if s.json {
		return printJSON(t)
	}
	order := make([]int, len(t.Arms))
	for i := range order {
		order[i] = i
	}
	slices.SortStableFunc(order, func(a, b int) int {
		switch x, y := t.Arms[a].Passed.Rate, t.Arms[b].Passed.Rate; {
		case x > y:
			return -1
		case x < y:
			return 1
		}
		return 0
	})
	for _, i := range order[:min(len(order), 12)] {
		a := t.Arms[i]
		fmt.Printf("%5.1f %%  p95 %5.0f ms  +%d -%d  p %.3f  %s\n", 100*a.Passed.Rate, a.MillisP95, a.Fixed, a.Broken, a.P, settingsOf(a))
	}
	for _, f := range t.Sums.Factors {
		fmt.Printf("%-24s %3.0f %% of the spread\n", f.Key, 100*f.Share)
	}
	fmt.Printf("take: %s\n  %s\n", settingsOf(t.Arms[t.Sums.Pick]), t.Sums.Why)
	fmt.Printf("chosen on four fifths and scored on the fifth: %.1f %% [%.1f, %.1f], %+.1f points against the draft [%+.1f, %+.1f]\n",
		100*t.Sums.Honest.Rate, 100*t.Sums.Honest.Interval.Low, 100*t.Sums.Honest.Interval.High, 100*t.Sums.Gain, 100*t.Sums.Within.Low, 100*t.Sums.Within.High)
	return nil
}

func settingsOf(a prove.Arm) string {
	if len(a.Settings) == 0 {
		return "the draft as it is"
	}
	var out []string
	for _, k := range slices.Sorted(maps.Keys(a.Settings)) {
		out = append(out, k+"="+a.Settings[k])
	}
	return strings.Join(out, " ")
}
