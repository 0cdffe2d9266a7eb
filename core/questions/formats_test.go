package questions

import (
	"archive/zip"
	"bytes"
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestATableOfQuestions(t *testing.T) {
	const csv = "No;Question;Expected answer;Page;Tags;Out of scope\n" +
		"1;How much is a kayak?;£6.50;/fares;price, two;\n" +
		"2;Is there a lift?;lift|elevator;;;\n" +
		"3;Who won the cup?;;;;yes\n" +
		"4;;x;;;\n5;Nothing expected?;;;;\n2;Again?;y;;;\n"
	m, err := ReadSet([]byte(csv))
	require.NoError(t, err)
	assert.Equal(t, FormCSV, m.Form)
	require.Len(t, m.Questions, 3)
	assert.Equal(t, []Expectation{{Kind: Cites, Values: []string{"/fares"}}, {Kind: Gives, Values: []string{"£6.50"}}}, m.Questions[0].Expect, "one figure is expected by its value")
	assert.Equal(t, []string{"price", "two"}, m.Questions[0].Tags)
	assert.Equal(t, []Expectation{{Kind: Mentions, Values: []string{"lift", "elevator"}}}, m.Questions[1].Expect)
	assert.True(t, m.Questions[2].Refusal())
	assert.Len(t, m.Problems, 3)
	assert.Contains(t, strings.Join(m.Problems, "\n"), "row 6: question 5 expects nothing: it could not fail")
	assert.Contains(t, strings.Join(m.Problems, "\n"), "two questions have the id 2")
	_, err = ReadSet([]byte("a,b\n1,2\n"))
	assert.ErrorIs(t, err, ErrSet)
	latin := []byte("question,answer\nWie hei\xdft das Boot?,Pellworth\n")
	m, err = ReadSet(latin)
	require.NoError(t, err)
	assert.Equal(t, "Wie heißt das Boot?", m.Questions[0].Text, "another encoding is understood")
}

// The form of SQuAD 2.0 (Rajpurkar, Jia and Liang 2018): made-up content.
func TestSquadFiles(t *testing.T) {
	const file = `{"version":"v2.0","data":[{"title":"The_Skerrowe","paragraphs":[{"context":"The Skerrowe was built in 1996.","qas":[
		{"id":"a","question":"When was she built?","is_impossible":false,"answers":[{"text":"1996","answer_start":26},{"text":"in 1996","answer_start":23},{"text":"1996","answer_start":26}]},
		{"id":"b","question":"Who built her?","is_impossible":true,"answers":[],"plausible_answers":[{"text":"1996","answer_start":26}]}]}]}]}`
	m, err := ReadSet([]byte(file))
	require.NoError(t, err)
	assert.Equal(t, FormSquad, m.Form)
	require.Len(t, m.Questions, 2)
	assert.Equal(t, []string{"1996", "in 1996"}, m.Questions[0].Expect[0].Values)
	assert.Equal(t, []Expectation{{Kind: Refuses}}, m.Questions[1].Expect)
	require.Len(t, m.Documents, 1)
	assert.Equal(t, "The Skerrowe, paragraph 1", m.Documents[0].Title)
	assert.Empty(t, m.Misplaced, "every answer stands where the file says")
	wrong, err := ReadSet([]byte(strings.NewReplacer(`"answer_start":23`, `"answer_start":22`, `"answers":[{"text":"1996","answer_start":26}`, `"answers":[{"text":"1996","answer_start":-3}`).Replace(file)))
	require.NoError(t, err)
	require.Len(t, wrong.Questions, 2, "its question goes in all the same")
	assert.Equal(t, []Misplaced{{"a", "“1996” does not stand at character -3 of its paragraph"}, {"a", "“in 1996” does not stand at character 22 of its paragraph"}}, wrong.Misplaced)
	assert.True(t, standsAt([]rune("Fährt 9:30"), "9:30", 6), "offsets count characters, not bytes")
	assert.False(t, standsAt([]rune("9:30"), "9:30", 1))
	_, err = ReadSet([]byte(`{"data": 3}`))
	assert.ErrorIs(t, err, ErrSet)
}

func zipped(t *testing.T, files map[string]string) []byte {
	var b bytes.Buffer
	z := zip.NewWriter(&b)
	for name, body := range files {
		w, err := z.Create(name)
		require.NoError(t, err)
		_, err = w.Write([]byte(body))
		require.NoError(t, err)
	}
	require.NoError(t, z.Close())
	return b.Bytes()
}

// The layout of a BEIR collection (Thakur et al. 2021): made-up content.
func TestBEIRCollections(t *testing.T) {
	m, err := ReadSet(zipped(t, map[string]string{
		"boats/corpus.jsonl":   `{"_id":"d1","title":"Pellworth","text":"Carries cars."}` + "\n" + `{"_id":"d2","title":"Aster","text":"No cars."}` + "\nnot json\n",
		"boats/queries.jsonl":  `{"_id":"q1","text":"which boat carries cars"}` + "\n" + `{"_id":"q2","text":"of another part"}`,
		"boats/qrels/test.tsv": "query-id\tcorpus-id\tscore\nq1\td1\t1\nq1\td2\t0\n",
	}))
	require.NoError(t, err)
	assert.Equal(t, FormBEIR, m.Form)
	require.Len(t, m.Questions, 1)
	assert.Equal(t, []Expectation{{Kind: Cites, Values: []string{"d1"}}}, m.Questions[0].Expect)
	assert.Len(t, m.Documents, 2)
	assert.Len(t, m.Problems, 2)
	assert.Contains(t, m.Problems[1], "1 queries are left out", "nothing is left out in silence")
	_, err = ReadSet(zipped(t, map[string]string{"corpus.jsonl": "{}"}))
	assert.ErrorIs(t, err, ErrSet)
}

// The forms of trec_eval: "query iteration document grade" and "query Q0 document rank score tag".
func TestTRECFiles(t *testing.T) {
	g, _, err := ReadQrels(strings.NewReader("301 0 FR940202-2-00150 1\n301 0 FR940104-0-00001 0\n\n302 0 X 2\n"))
	require.NoError(t, err)
	assert.Equal(t, Grades{"FR940202-2-00150": 1, "FR940104-0-00001": 0}, g["301"])
	assert.Equal(t, []string{"FR940202-2-00150", "FR940104-0-00001"}, g["301"].Ordered())
	g, problems, err := ReadQrels(strings.NewReader("query document grade\na b\nd 0 e f\nd 0 e 1\n"))
	require.NoError(t, err)
	assert.Equal(t, []string{"line 2 of the qrels has 2 fields, not 3 or 4", "line 3 of the qrels: \"f\" is no grade"}, problems, "one bad line refuses itself, not the file")
	assert.Equal(t, map[string]Grades{"d": {"e": 1}}, g)
	var b bytes.Buffer
	require.NoError(t, WriteRun(&b, []string{"q 1"}, map[string][]string{"q 1": {"/fares", "/refunds"}}, "draft"))
	assert.Equal(t, "q_1 Q0 /fares 1 2 draft\nq_1 Q0 /refunds 2 1 draft\n", b.String())
}

func TestManyRows(t *testing.T) {
	var b strings.Builder
	b.WriteString("question,answer\n")
	for i := range 101_000 {
		fmt.Fprintf(&b, "Question %d?,answer %d\n", i, i)
	}
	m, err := ReadSet([]byte(b.String()))
	require.NoError(t, err)
	assert.Len(t, m.Questions, MaxQuestions)
	assert.Contains(t, m.Problems[0], "the last 1000 are left out")
	_, err = ReadSet([]byte("  \n"))
	assert.ErrorIs(t, err, ErrSet)
}
