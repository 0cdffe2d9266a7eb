package method

import (
	"testing"

	"github.com/stretchr/testify/assert"
)

// Each ablation changes what it names and nothing before the stages that search the same index.
func TestAblations(t *testing.T) {
	m := Default()
	base := stages(t, m)
	keys := map[string]bool{}
	for _, w := range m.Ablations() {
		keys[w.Key] = true
		assert.NotEmpty(t, Difference(m, w.Method), w.Key)
		assert.Empty(t, w.Method.Validate(), w.Key)
		assert.Equal(t, base[4], stages(t, w.Method)[4], "%s: the index stays", w.Key)
	}
	assert.True(t, keys["find.dense"] && keys["find.lexical"] && keys["query.spelling"])
	assert.False(t, keys["find.coverage"], "what has no weight cannot be taken out")
	assert.False(t, keys["priority"])
	m.Priority = map[string]int{"s": 2}
	assert.Equal(t, []string{"priority.s"}, Difference(Default(), m))
	keys = map[string]bool{}
	for _, w := range m.Ablations() {
		keys[w.Key] = true
	}
	assert.True(t, keys["priority"])
	m.Priority["s"] = 9
	assert.Contains(t, m.Validate()[0], "9 is outside -3 to 3")
}
