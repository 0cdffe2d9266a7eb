package diagnose

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestFailuresWithOneFixAreShownTogether(t *testing.T) {
	bar := func(v string, cures bool) Fix {
		return Fix{Label: "Lower the bar to " + v, Cures: cures, Change: &Alteration{Settings: map[string]string{"answer.bar": v}}}
	}
	out := func(d string) Fix {
		return Fix{Label: "Leave out", Cures: true, Change: &Alteration{LeaveOut: []string{d}}}
	}
	settle := Fix{Label: "Settle", Do: "settle", Cures: true, Change: &Alteration{Settled: []Settling{{Question: "q", Answer: "a"}}}}
	got := Clusters([]Failure{
		{"a", Diagnosis{Cause: WronglyRefused, Fixes: []Fix{bar("0.41", true), settle}}},
		{"b", Diagnosis{Cause: WronglyRefused, Fixes: []Fix{bar("0.38", true), settle}}},
		{"c", Diagnosis{Cause: WronglyRefused, Fixes: []Fix{bar("0.38", true)}}},
		{"d", Diagnosis{Cause: OutOfDate, Fixes: []Fix{out("old"), out("old")}}},
		{"e", Diagnosis{Cause: OutOfDate, Fixes: []Fix{out("old")}}},
		{"f", Diagnosis{Cause: OutOfDate, Fixes: []Fix{out("another")}}},
		{"g", Diagnosis{Cause: NotGathered}},
	})
	require.Len(t, got, 2)
	assert.Equal(t, []string{"a", "b", "c"}, got[0].Questions)
	assert.Equal(t, 3, got[0].Cures)
	assert.Equal(t, "Lower the bar to 0.38", got[0].Fix.Label, "the bar that lets all three through")
	assert.Equal(t, []string{"d", "e"}, got[1].Questions)
	words := func(v string) Fix {
		return Fix{Label: v, Cures: true, Change: &Alteration{Settings: map[string]string{"answer.words": v}}}
	}
	got = Clusters([]Failure{
		{"a", Diagnosis{Cause: NotUsed, Fixes: []Fix{words("100")}}}, {"b", Diagnosis{Cause: NotUsed, Fixes: []Fix{words("240")}}}, {"c", Diagnosis{Cause: NotUsed, Fixes: []Fix{words("240")}}},
	})
	require.Len(t, got, 1)
	assert.Equal(t, 2, got[0].Cures, "what another length cures is not counted")
	assert.Equal(t, "240", got[0].Fix.Label)
	assert.Empty(t, Clusters(nil))
}
