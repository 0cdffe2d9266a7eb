package main

import (
	"bytes"
	"errors"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"jolvex/core/diagnose"
	"jolvex/core/prove"
	"jolvex/core/questions"
	"jolvex/internal/api"
	"jolvex/internal/proving/runs"
)

func reported(passed ...bool) *api.RunReport {
	r := &api.RunReport{Run: runs.Run{SetName: "set | one"}}
	var js []prove.Judged
	for i, p := range passed {
		q := questions.Question{ID: string(rune('a' + i)), Text: "question | " + string(rune('a'+i)), Tags: []string{"fares"}}
		x := runs.Result{Question: q, Verdict: prove.Verdict{Passed: p, Rank: -1}, Reply: "so"}
		if !p {
			x.Cause = &diagnose.Diagnosis{Cause: diagnose.RankedBelow, Why: "it ranks 12"}
		}
		r.Results = append(r.Results, x)
		js = append(js, prove.Judged{Question: q, Verdict: x.Verdict})
	}
	sum := prove.Summarise(js)
	r.Run.Summary = &sum
	return r
}

func TestFloorsAreHeld(t *testing.T) {
	r := reported(true, true, true, false)
	for spec, ok := range map[string]bool{"passed=0.75": true, "passed=0.76": false, "tag:fares=0.5": true, "tag:fares=0.9": false} {
		fs, err := readFloors(proveOptions{floors: []string{spec}})
		require.NoError(t, err)
		var b bytes.Buffer
		err = held(&b, r, fs, nil)
		if ok {
			assert.NoError(t, err, spec)
			continue
		}
		assert.Equal(t, exitError{codeBelow}, err, spec)
		assert.Contains(t, b.String(), "below the floor")
	}
	for _, bad := range []string{"facts", "facts=2", "=0.5", "facts=much"} {
		_, err := readFloors(proveOptions{floors: []string{bad}})
		assert.Error(t, err, bad)
	}
	for _, unknown := range []string{"beauty=0.5", "tag:none=0.5"} {
		fs, err := readFloors(proveOptions{floors: []string{unknown}})
		require.NoError(t, err)
		err = held(&bytes.Buffer{}, r, fs, nil)
		require.Error(t, err, "a floor under what is not measured must not hold by itself")
		assert.False(t, errors.Is(err, exitError{codeBelow}))
	}
}

func TestARunWorseThanItsBaselineFailsBeyondChanceAlone(t *testing.T) {
	all := func(n int, p bool) []bool {
		out := make([]bool, n)
		for i := range out {
			out[i] = p
		}
		return out
	}
	good := reported(all(20, true)...)
	var b bytes.Buffer
	assert.NoError(t, held(&b, reported(append(all(19, true), false)...), nil, good), "one question of twenty may be chance")
	assert.Equal(t, exitError{codeBelow}, held(&b, reported(append(all(12, true), all(8, false)...)...), nil, good))
	assert.Contains(t, b.String(), "worse than the baseline beyond chance")
	assert.NoError(t, held(&b, good, nil, reported(all(20, false)...)), "a better run is not held back")

	path := filepath.Join(t.TempDir(), "r.json")
	require.NoError(t, proveOptions{report: path}.write(good))
	again, err := readBaseline(path)
	require.NoError(t, err)
	assert.Len(t, again.Results, 20)
	require.NoError(t, os.WriteFile(path, []byte("{}"), 0o600))
	_, err = readBaseline(path)
	assert.Error(t, err)
	none, err := readBaseline("")
	require.NoError(t, err)
	assert.Nil(t, none)
}

func TestTheSummaryInMarkdown(t *testing.T) {
	md := markdown(reported(true, false))
	assert.Contains(t, md, `# set \| one`)
	assert.Contains(t, md, "1 of 2 passed, **50.0 %**")
	assert.Contains(t, md, "| fares | 1 of 2 |")
	assert.Contains(t, md, `| question \| b | it ranks 12 | so |`)
	for l := range strings.Lines(md) {
		if strings.HasPrefix(l, "|") {
			assert.Equal(t, byte('|'), l[len(l)-2], l)
		}
	}
}
