package questions

import (
	"bytes"
	"encoding/json"
	"strings"
	"testing"

	"jolvex/core/extract"
	"jolvex/core/query"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
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
	got, _, err := ReadQrels(strings.NewReader(b.String()))
	require.NoError(t, err)
	assert.Equal(t, map[string]Grades{"q_1": {"/a": 1, "/b": 1}, "q2": {"/c": 1}}, got)
}

func mill(t *testing.T) Source {
	t.Helper()
	d, err := extract.Extract(extract.Input{Address: "mill.md", Body: []byte("# The mill\n\nÄltere mills grind at night. Grinding a sack costs £2.50 and takes a day.\n")})
	require.NoError(t, err)
	return Source{Document{Address: "mill.md", Title: d.Title, Text: d.Text}, d}
}

func TestABEIRCollectionIsReadAgain(t *testing.T) {
	var b bytes.Buffer
	require.NoError(t, WriteBEIR(&b, []Question{
		{ID: "q1", Text: "What does grinding cost?", Expect: []Expectation{{Kind: Cites, Values: []string{"mill.md"}}}},
		{ID: "q2", Text: "Who won?", Expect: []Expectation{{Kind: Refuses}}},
	}, []Source{mill(t)}))
	m, err := ReadSet(b.Bytes())
	require.NoError(t, err)
	assert.Equal(t, FormBEIR, m.Form)
	require.Len(t, m.Questions, 1, "a question that names no document is no query")
	assert.Equal(t, "What does grinding cost?", m.Questions[0].Text)
	require.Len(t, m.Documents, 1)
	assert.Contains(t, m.Documents[0].Text, "£2.50")
}

// Offsets are in characters, as the SQuAD scripts count (Rajpurkar et al. 2016).
func TestASquadFileIsReadAgain(t *testing.T) {
	var b bytes.Buffer
	short, err := WriteSquad(&b, []Question{
		{ID: "q1", Text: "What does grinding cost?", Expect: []Expectation{{Kind: Gives, Values: []string{"2.50 pounds"}}, {Kind: Cites, Values: []string{"mill.md"}}}},
		{ID: "q2", Text: "Who won?", Expect: []Expectation{{Kind: Refuses}}},
		{ID: "q3", Text: "And?", Expect: []Expectation{{Kind: Mentions, Values: []string{"windmill"}}, {Kind: Cites, Values: []string{"mill.md"}}}},
	}, []Source{mill(t)})
	require.NoError(t, err)
	assert.Equal(t, []string{"q3"}, short)
	var f struct {
		Data []struct {
			Paragraphs []struct {
				Context string
				QAs     []struct {
					Answers []struct {
						Text  string
						Start int `json:"answer_start"`
					}
				}
			}
		}
	}
	require.NoError(t, json.Unmarshal(b.Bytes(), &f))
	p := f.Data[0].Paragraphs[0]
	a := p.QAs[0].Answers[0]
	assert.Equal(t, "£2.50", a.Text)
	assert.Equal(t, a.Text, string([]rune(p.Context)[a.Start:a.Start+len([]rune(a.Text))]))
	m, err := ReadSet(b.Bytes())
	require.NoError(t, err)
	assert.Equal(t, FormSquad, m.Form)
	require.Len(t, m.Questions, 2)
	assert.True(t, m.Questions[1].Refusal())
}

func TestJudgementsNameTheDocuments(t *testing.T) {
	qs, strangers := Relevant([]Question{{ID: "q 1", Expect: []Expectation{{Kind: Cites, Values: []string{"/old"}}, {Kind: Mentions, Values: []string{"x"}}}}, {ID: "q2"}},
		map[string]Grades{"q_1": {"/a": 1, "/b": 2, "/c": 0}, "q9": {"/a": 1}})
	assert.Equal(t, []string{"q9"}, strangers)
	assert.Equal(t, []Expectation{{Kind: Mentions, Values: []string{"x"}}, {Kind: Cites, Values: []string{"/b", "/a"}}}, qs[0].Expect)
	assert.Empty(t, qs[1].Expect)
}
