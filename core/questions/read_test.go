package questions

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestReadQuestions(t *testing.T) {
	qs, err := ReadQuestions(strings.NewReader(`
{"id":"a","question":"How much?","tags":["price"],"expect":[{"kind":"gives","values":["£4.50"]}],"turns":[{"role":"user","text":"A dog."}]}

{"id":"b","question":"World cup?","expect":[{"kind":"refuses"}]}`))
	require.NoError(t, err)
	require.Len(t, qs, 2)
	assert.Equal(t, "A dog.", qs[0].Turns[0].Text)
	assert.True(t, qs[1].Refusal())
	for body, says := range map[string]string{
		"{\"id\":\"a\"\n": "line 1",
		"{\"id\":\"a\",\"question\":\"x\",\"expect\":[{\"kind\":\"refuses\"}]}\n{\"id\":\"b\",\"question\":\"y\"}": "line 2: question b expects nothing",
		`{"id":"a","question":"x","expect":[{"kind":"gives","values":["£4 or £5"]}]}`:                              "not one figure",
		`{"id":"a","question":"x","expect":[{"kind":"cites"}]}`:                                                    "names no wording",
		`{"question":"x","expect":[{"kind":"refuses"}]}`:                                                           "no id",
	} {
		_, err := ReadQuestions(strings.NewReader(body))
		assert.ErrorContains(t, err, says, body)
	}
}
