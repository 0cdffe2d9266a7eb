package method

import (
	"reflect"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"jolvex/core/chunk"
)

func TestDefaultsAreWithinTheirBounds(t *testing.T) {
	assert.Empty(t, Default().Validate())
	for _, f := range Fields() {
		assert.NotEmpty(t, f.Label, f.Key)
		assert.NotEmpty(t, f.Help, f.Key)
		for _, o := range f.Options {
			assert.NotEmpty(t, o.Help, "%s: %s", f.Key, o.Value)
		}
		if f.Kind == "integer" || f.Kind == "number" {
			require.NotNil(t, f.Min, f.Key)
			require.NotNil(t, f.Max, f.Key)
		}
	}
}

func TestValidate(t *testing.T) {
	m := Default()
	m.Chunk.Size = 5
	m.Chunk.Strategy = "random"
	m.Answer.Bar = 1.5
	assert.Len(t, m.Validate(), 4, "size, strategy, bar, and an overlap larger than the size")
}

// A source may be cut in its own way: the chunk stage feels it, bounds hold for it, and the difference names it.
func TestSourcesOfTheirOwn(t *testing.T) {
	m := Default()
	own := m.Chunk
	own.Strategy, own.Size = "captions", 200
	m.Sources = map[string]chunk.Settings{"film": own}
	assert.Empty(t, m.Validate())
	assert.Equal(t, own, m.Cutting("film"))
	assert.Equal(t, m.Chunk, m.Cutting("page"))
	assert.Equal(t, []string{"sources.film"}, Difference(Default(), m))
	assert.Empty(t, Difference(m, m))
	got, base := stages(t, m), stages(t, Default())
	assert.Equal(t, base[1], got[1])
	assert.NotEqual(t, base[2], got[2])
	own.Size = 7
	m.Sources["film"] = own
	bad := m.Validate()
	require.NotEmpty(t, bad)
	assert.Contains(t, bad[0], "source film: chunk.size: 7 is outside 32 to 2000 tokens")
}

func stages(t *testing.T, m Method) []string {
	t.Helper()
	s, err := m.Stages("embedder-1")
	require.NoError(t, err)
	v := reflect.ValueOf(s)
	var out []string
	for i := range v.NumField() {
		out = append(out, v.Field(i).String())
	}
	return out
}

// A change is felt by its own stage and all after it, and by none before.
func TestStageHashesAreChained(t *testing.T) {
	base := stages(t, Default())
	changes := map[int]func(*Method){
		2: func(m *Method) { m.Chunk.Overlap = 41 },
		5: func(m *Method) { m.Query.Spelling = false },
		6: func(m *Method) { m.Find.Dense = 0.55 },
		7: func(m *Method) { m.Answer.Refusal = "No." },
	}
	for first, change := range changes {
		m := Default()
		change(&m)
		got := stages(t, m)
		for i := range got {
			assert.Equal(t, i >= first, got[i] != base[i], "stage %d after a change at stage %d", i, first)
		}
	}
	other, err := Default().Stages("embedder-2")
	require.NoError(t, err)
	assert.NotEqual(t, base[3], other.Embed)
	assert.Equal(t, base[2], other.Chunk)
}

func TestHashAndDifference(t *testing.T) {
	a, b := Default(), Default()
	ha, err := a.Hash()
	require.NoError(t, err)
	b.Find.K1, b.Answer.TurnTo = 1.3, "Ring us."
	hb, err := b.Hash()
	require.NoError(t, err)
	assert.NotEqual(t, ha, hb)
	assert.Equal(t, []string{"find.k1", "answer.turnTo"}, Difference(a, b))
	assert.Empty(t, Difference(a, a))
}

// RFC 8785: the canonical form does not hang on the order of members or the writing of numbers.
func TestHashIsCanonical(t *testing.T) {
	type one struct {
		A float64 `json:"a"`
		B string  `json:"b"`
	}
	type other struct {
		B string  `json:"b"`
		A float64 `json:"a"`
	}
	x, err := hashOf(one{10, "ü"})
	require.NoError(t, err)
	y, err := hashOf(other{"ü", 1e1})
	require.NoError(t, err)
	assert.Equal(t, x, y)
}

func TestWithSettingsChanged(t *testing.T) {
	m := Default()
	small, err := With(m, map[string]string{"chunk.strategy": "fixed", "chunk.size": "50", "chunk.overlap": "0"})
	require.NoError(t, err)
	_, err = With(small, map[string]string{"chunk.size": "400", "chunk.overlap": "60"})
	require.NoError(t, err, "an overlap that the size before would not bear")
	for key, value := range map[string]string{"find.keep": "12", "answer.bar": "0.35", "query.spelling": "false", "answer.tone": "plain", "chunk.strategy": "fixed"} {
		got, err := With(m, map[string]string{key: value})
		require.NoError(t, err, key)
		assert.Equal(t, value, Value(got, key))
		assert.Equal(t, []string{key}, Difference(m, got))
	}
	for key, value := range map[string]string{"find.keep": "none", "answer.bar": "2", "nothing.here": "1", "query.spelling": "perhaps", "chunk.strategy": "by hand"} {
		_, err := With(m, map[string]string{key: value})
		assert.Error(t, err, key)
	}
}

func TestATrialReachesEverySetting(t *testing.T) {
	m := Default()
	free := 0
	for _, f := range Fields() {
		if strings.HasPrefix(f.Key, "embed.") || f.Kind == "text" && len(f.Options) == 0 {
			assert.Empty(t, f.Try, "%s: nothing that a trial can vary", f.Key)
			free++
			continue
		}
		assert.GreaterOrEqual(t, len(f.Try), 2, f.Key)
		assert.Contains(t, f.Try, f.Default, f.Key)
		taken := 0
		for _, v := range f.Try {
			x, err := With(m, map[string]string{f.Key: v})
			if err != nil { // some settings bound each other: not every value goes with the others as they are
				continue
			}
			taken++
			assert.Equal(t, v != f.Default, len(Difference(m, x)) == 1, "%s: %s", f.Key, v)
		}
		assert.GreaterOrEqual(t, taken, 2, "%s: %v", f.Key, f.Try)
	}
	assert.Less(t, free, len(Fields())/3)
	order := map[string]bool{}
	for _, f := range Fields() {
		if f.Key == "query.order" {
			for _, v := range f.Try {
				order[v] = true
			}
		}
	}
	assert.Len(t, order, 5, "the order of the rewrite passes is among them")
}
