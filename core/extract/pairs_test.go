package extract

import (
	"encoding/json"
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// paired lists the pairs of a file in short: question=answer, or the problem.
func paired(f PairFile) []string {
	out := []string{}
	for _, p := range f.Pairs {
		if p.Problem != "" {
			out = append(out, fmt.Sprintf("%d: %s", p.Line, p.Problem))
			continue
		}
		out = append(out, fmt.Sprintf("%d: %s=%s", p.Line, p.Question, p.Answer))
	}
	return out
}

// RFC 4180: quotes double quotes, line breaks within quotes; the other separators are common practice, no published source.
func TestPairsOfATable(t *testing.T) {
	for name, c := range map[string]struct {
		body string
		want []string
	}{
		"commas and quotes":    {"question,answer\n\"How \"\"much\"\"?\",\"Two,\nor three.\"\nWhen?,Now.\n", []string{"2: How \"much\"?=Two,\nor three.", "4: When?=Now."}},
		"semicolons":           {"Frage;Antwort\nWann?;Jetzt, gleich.\n", []string{"2: Wann?=Jetzt, gleich."}},
		"tabs, other order":    {"answer\tquestion\nNow.\tWhen?\n", []string{"2: When?=Now."}},
		"columns without name": {"one,two\nWhen?,Now.\n", []string{"2: When?=Now."}},
		"what will not go in":  {"question,answer\nWhen?,\n,Now.\n,\nWhere?,Here.\nwhere?,There.\nWho?,A,B\n", []string{"2: there is no answer", "3: there is no question", "4: the row is empty", "5: Where?=Here.", "6: the question stands in line 5 already", "7: it has 3 columns, the header 2"}},
		"too long":             {"question,answer\n" + strings.Repeat("x", MaxQuestion+1) + ",y\nz," + strings.Repeat("x", MaxAnswer+1) + "\n", []string{fmt.Sprintf("2: the question is longer than %d bytes", MaxQuestion), fmt.Sprintf("3: the answer is longer than %d bytes", MaxAnswer)}},
	} {
		f, err := ReadPairs([]byte(c.body), "", "")
		require.NoError(t, err, name)
		assert.Equal(t, c.want, paired(f), name)
		assert.Equal(t, "csv", f.Form)
		assert.Equal(t, len(f.Pairs), f.Good+f.Bad)
	}
}

func TestPairsOfObjects(t *testing.T) {
	f, err := ReadPairs([]byte("{\"q\": \"When?\", \"a\": \"Now.\", \"n\": 3}\n\nnot json\n{\"q\": \"Where?\", \"a\": null}\n"), "", "")
	require.NoError(t, err)
	assert.Equal(t, []string{"1: When?=Now.", "3: it is no JSON object", "4: there is no answer"}, paired(f))
	assert.Equal(t, []string{"a", "n", "q"}, f.Columns)
	f, err = ReadPairs([]byte(`[{"prompt": "When?", "reply": ["now", "soon"]}]`), "", "")
	require.NoError(t, err)
	assert.Equal(t, []string{`1: When?=["now","soon"]`}, paired(f), "what is no text is shown as it is written")
	f, err = ReadPairs([]byte(`[{"x": "When?", "y": "Now."}]`), "y", "x")
	require.NoError(t, err)
	assert.Equal(t, []string{"1: Now.=When?"}, paired(f), "the columns that were named")
}

func TestFilesThatAreNoPairs(t *testing.T) {
	for body, want := range map[string]string{
		"":                            "two columns or more",
		"question,answer\n":           "no row below the header",
		"only\nWhen?\n":               "two columns or more",
		"[{]":                         "damaged",
		"question,answer\nWhen?,Now.": "no column \"reply\"",
	} {
		_, err := ReadPairs([]byte(body), "", map[bool]string{true: "reply"}[strings.Contains(want, "reply")])
		assert.ErrorContains(t, err, want, body)
	}
	_, err := ReadPairs([]byte("question,answer\nWhen?,Now."), "question", "question")
	assert.ErrorContains(t, err, "two columns")
	_, err = ReadPairs(make([]byte, MaxBytes+1), "", "")
	assert.ErrorIs(t, err, ErrTooLarge)
}

func TestAPairIsADocument(t *testing.T) {
	d, err := FromPair(Pair{Question: "What does it cost?", Answer: "It costs **£2.00**:\n\n- by card\n- in cash\n"})
	require.NoError(t, err)
	require.NoError(t, d.Check())
	assert.Equal(t, "What does it cost?", d.Title)
	assert.Contains(t, d.Text, "£2.00")
	assert.Contains(t, strings.Join(listing(d), "; "), "item1 by card")
	_, err = FromPair(Pair{Question: "What?", Answer: " "})
	assert.ErrorIs(t, err, ErrNoText)
}

func FuzzReadPairs(f *testing.F) {
	f.Add([]byte("question,answer\na,b\n"))
	f.Add([]byte("[{\"q\":\"a\",\"a\":1}]"))
	f.Add([]byte("\"\n;\t,"))
	f.Fuzz(func(t *testing.T, body []byte) {
		p, err := ReadPairs(body, "", "")
		if err != nil {
			return
		}
		for _, x := range p.Pairs {
			if x.Problem == "" && (x.Question == "" || x.Answer == "") {
				t.Fatalf("a pair without a question or an answer: %+v", x)
			}
		}
		if _, err := json.Marshal(p); err != nil {
			t.Fatal(err)
		}
	})
}
