package prove

import (
	"bytes"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"jolvex/core/query"
)

func TestWhatIsWrittenIsReadAgain(t *testing.T) {
	qs := []Question{
		{ID: "a", Text: "How much, \"all in\"?", Tags: []string{"fares", "two-word"}, Group: "g", Expect: []Expectation{{Kind: Gives, Values: []string{"£4.50", "£5.00"}, Within: 0.5}, {Kind: Cites, Values: []string{"/fares"}}}},
		{ID: "b", Text: "Say <b>", Turns: []query.Turn{{Role: "user", Text: "hello"}}, Script: []ScriptLine{{Text: "and?", Expect: []Expectation{{Kind: Refuses}}}}, Answers: []string{"it is so"}, Notes: "n", Owner: "o", Expect: []Expectation{{Kind: Short, Values: []string{"30"}}}},
	}
	var b bytes.Buffer
	require.NoError(t, WriteQuestions(&b, qs))
	got, err := ReadQuestions(&b)
	require.NoError(t, err)
	assert.Equal(t, qs, got)
}

func TestATableOfQuestionsIsReadAgain(t *testing.T) {
	qs := []Question{
		{ID: "a", Text: "How much, all in?", Tags: []string{"fares"}, Expect: []Expectation{{Kind: Cites, Values: []string{"/fares"}}, {Kind: Gives, Values: []string{"£4.50", "£5.00"}}, {Kind: Mentions, Values: []string{"each way"}}, {Kind: NotMentions, Values: []string{"free"}}}},
		{ID: "b", Text: "Who won?", Expect: []Expectation{{Kind: Refuses}}},
		{ID: "c", Text: "Kept short?", Expect: []Expectation{{Kind: Mentions, Values: []string{"yes"}}, {Kind: Short, Values: []string{"9"}}}},
	}
	var b bytes.Buffer
	short, err := WriteCSV(&b, qs)
	require.NoError(t, err)
	assert.Equal(t, []string{"c"}, short, "what the table cannot hold is told")
	m, err := ReadSet(b.Bytes())
	require.NoError(t, err)
	require.Empty(t, m.Problems)
	assert.Equal(t, qs[:2], m.Questions[:2])
}

// The form of trec_eval's qrels: query, iteration, document, grade.
func TestQrelsAreReadAgain(t *testing.T) {
	var b bytes.Buffer
	require.NoError(t, WriteQrels(&b, []Question{
		{ID: "q 1", Expect: []Expectation{{Kind: Cites, Values: []string{"/a", "/b"}}, {Kind: Refuses}}},
		{ID: "q2", Expect: []Expectation{{Kind: Reaches, Document: "/c", Values: []string{"x"}}}},
	}))
	got, err := ReadQrels(strings.NewReader(b.String()))
	require.NoError(t, err)
	assert.Equal(t, map[string]Grades{"q_1": {"/a": 1, "/b": 1}, "q2": {"/c": 1}}, got)
}
