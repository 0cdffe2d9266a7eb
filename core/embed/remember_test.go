package embed

import (
	"context"
	"errors"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// counting embeds a text as its length, and counts how often.
type counting struct {
	name  string
	calls int
}

func (c *counting) ID() string      { return c.name }
func (c *counting) Dimensions() int { return 1 }

func (c *counting) Embed(_ context.Context, texts []string) ([]Vector, error) {
	if texts[0] == "" {
		return nil, errors.New("nothing to embed")
	}
	c.calls++
	return []Vector{{int8(len(texts[0]))}}, nil
}

func TestATextIsEmbeddedOnce(t *testing.T) {
	m, err := NewMemory(2)
	require.NoError(t, err)
	one, two := &counting{name: "one"}, &counting{name: "two"}
	for range 3 {
		vs, err := m.Of(one).Embed(t.Context(), []string{"dog", "horse"})
		require.NoError(t, err)
		assert.Equal(t, []Vector{{3}, {5}}, vs)
	}
	assert.Equal(t, 2, one.calls)
	_, err = m.Of(two).Embed(t.Context(), []string{"dog"})
	require.NoError(t, err)
	assert.Equal(t, 1, two.calls, "what another made is not taken")
	_, err = m.Of(one).Embed(t.Context(), []string{"dog"})
	require.NoError(t, err)
	assert.Equal(t, 3, one.calls, "the oldest is given up")
	_, err = m.Of(one).Embed(t.Context(), []string{""})
	assert.Error(t, err)
	assert.Equal(t, "one", m.Of(one).ID())
}
