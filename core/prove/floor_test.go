package prove

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestFloors(t *testing.T) {
	s := Summary{ByTag: map[string]Rate{"fares": rate(1, 2), "a=b": rate(1, 1)}, Figures: []Figure{{Key: "passed", Value: 0.75}, {Key: "facts", Value: 1}, {Key: "words", Value: 48}}}
	for spec, below := range map[string]bool{"passed=0.75": false, "passed=0.751": true, "facts=1": false, "tag:fares=0.5": false, "tag:fares=0.6": true, "tag:a=b=1": false, "words<=60": false, "words<=47.5": true, "passed<=0.7": true, "facts<=1": false} {
		f, err := ReadFloor(spec)
		require.NoError(t, err, spec)
		got, err := Below(s, []Floor{f})
		require.NoError(t, err, spec)
		if !below {
			assert.Empty(t, got, spec)
			continue
		}
		require.Len(t, got, 1, spec)
		assert.Equal(t, f, got[0].Floor)
		assert.NotEqual(t, f.AtMost, got[0].Value < f.Bound)
	}
	for _, bad := range []string{"", "facts", "=0.5", "facts=2", "facts=-0.1", "facts=much", "facts=NaN", "facts=Inf", "facts<=2", "words<=-1", "<=1"} {
		_, err := ReadFloor(bad)
		assert.Error(t, err, bad)
	}
	for _, unknown := range []Floor{{What: "beauty"}, {What: "tag:none"}, {What: "beauty", Bound: 1, AtMost: true}} {
		_, err := Below(s, []Floor{unknown})
		assert.Error(t, err, "a floor under what is not measured must not hold by itself")
	}
}
