package prove

import (
	"maps"
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"

	"jolvex/core/questions"
)

func TestEveryKindOfExpectationIsChecked(t *testing.T) {
	var want []string
	for _, k := range questions.Kinds() {
		want = append(want, k.Name)
	}
	assert.ElementsMatch(t, want, slices.Collect(maps.Keys(checks)))
}
