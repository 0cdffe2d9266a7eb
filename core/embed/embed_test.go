package embed

import (
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestStaticTellsLikeFromUnlike(t *testing.T) {
	s, err := NewStatic()
	require.NoError(t, err)
	closer := [][3]string{
		{"puppy", "dog", "invoice"},
		{"suitcase", "luggage", "weather"},
		{"car", "vehicle", "breakfast"},
		{"telephone", "phone", "garden"},
		{"How much does it cost?", "The price is four pounds.", "The boat leaves at noon."},
	}
	for _, c := range closer {
		vs, err := s.Embed(t.Context(), c[:])
		require.NoError(t, err)
		assert.Greater(t, Cosine(vs[0], vs[1]), Cosine(vs[0], vs[2]), "%q is closer to %q than to %q", c[0], c[1], c[2])
	}
}

func TestStaticIsOfOneLengthAndOrderless(t *testing.T) {
	s, err := NewStatic()
	require.NoError(t, err)
	vs, err := s.Embed(t.Context(), []string{"the ferry to the island", "island the to ferry the", "", "zzqxj wvut", "…"})
	require.NoError(t, err)
	assert.Equal(t, vs[0], vs[1], "sums of whole numbers do not hang on order")
	assert.Len(t, vs[0], s.Dimensions())
	assert.InDelta(t, 1, Cosine(vs[0], vs[0]), 0.02)
	for _, x := range vs[2] {
		assert.Zero(t, x)
	}
	assert.Zero(t, Cosine(vs[2], vs[0]))
	assert.NotEqual(t, vs[2], vs[3], "unknown words are read in pieces")
	assert.NotEmpty(t, s.ID())
}

func TestWordPieces(t *testing.T) {
	s, err := NewStatic()
	require.NoError(t, err)
	assert.True(t, s.Knows("ferry"))
	assert.False(t, s.Knows("bycicle"))
	// Wikipedia's list of common misspellings, from memory.
	for wrong, right := range map[string]string{"recieve": "receive", "definate": "definite", "goverment": "government", "seperate": "separate", "untill": "until", "accomodate": "accommodate", "occured": "occurred", "freind": "friend", "calender": "calendar", "begining": "beginning"} {
		assert.Equal(t, right, s.OneEdit(wrong))
	}
	assert.Empty(t, s.OneEdit("xqztvw"))
	assert.Empty(t, s.OneEdit("a380"))
	assert.Greater(t, Cosine(s.Word("unbookable"), s.Word("unbookable")), 0.9)
}

func TestDot(t *testing.T) {
	a, b := Vector{1, -2, 3, 4, 127}, Vector{5, 6, -7, 8, 127}
	assert.EqualValues(t, 5-12-21+32+127*127, Dot(a, b))
	long := make(Vector, 1024)
	for i := range long {
		long[i] = -127
	}
	assert.EqualValues(t, 1024*127*127, Dot(long, long))
	assert.InDelta(t, 1024, Cosine(long, long), 1e-9)
	assert.False(t, math.IsNaN(Cosine(make(Vector, 4), make(Vector, 4))))
}
