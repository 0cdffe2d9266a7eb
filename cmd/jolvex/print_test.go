package main

import (
	"bytes"
	"encoding/xml"
	"os"
	"path/filepath"
	"strconv"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"jolvex/core/answer"
	"jolvex/core/find"
	"jolvex/core/prove"
	"jolvex/core/query"
	"jolvex/core/questions"
	"jolvex/internal/api"
	"jolvex/internal/asking"
	"jolvex/internal/proving/runs"
)

func sample() *asking.Reply {
	return &asking.Reply{
		Reply: "Dogs pay £2.00. Guide dogs are free.", Support: 0.9, Millis: 3,
		Cited: []asking.Cited{
			{Sentence: 0, Address: "http://a/dogs", Link: "http://a/dogs#fares", Title: "Dogs", Path: []string{"Fares"}, Passage: "Dogs pay £2.00."},
			{Sentence: 1, Address: "http://a/dogs", Link: "http://a/dogs#fares", Title: "Dogs", Path: []string{"Fares"}, Passage: "Guide dogs are free."},
		},
		Evidence: []asking.Evidence{{Candidate: answer.Candidate{Score: 4.2, Kept: true, Signals: []find.Signal{{Name: "body", Share: 0.7}, {Name: "meaning", Share: 0.3}}}, Address: "http://a/dogs", Title: "Dogs", Path: []string{"Fares"}, Text: "Dogs pay\n£2.00."}},
		Trail: &answer.Trail{
			Outcome: answer.Answered, Bar: 0.5,
			Reading: query.Reading{Wordings: []query.Wording{{Pass: "asked", Text: "dog fare"}}},
			Reply:   []answer.Sentence{{Text: "Dogs pay £2.00.", Candidate: 0, Support: 0.9}, {Text: "Guide dogs are free.", Candidate: 0, Support: 0.9}},
		},
	}
}

func TestAReplyIsPrintedWithItsSources(t *testing.T) {
	var b bytes.Buffer
	printReply(&b, sample())
	assert.Equal(t, "Dogs pay £2.00. [1]\nGuide dogs are free. [1]\n\nsupport 0.90, bar 0.50, 3 ms\n[1] Dogs › Fares  http://a/dogs#fares\n", b.String())
}

func TestARankingIsPrintedWithItsReasons(t *testing.T) {
	var b bytes.Buffer
	printRanking(&b, sample())
	for _, want := range []string{"asked      dog fare", " 1  4.20  Dogs › Fares", "body 70 %, meaning 30 %", "Dogs pay £2.00."} {
		assert.Contains(t, b.String(), want)
	}
	b.Reset()
	printRanking(&b, &asking.Reply{Trail: &answer.Trail{}})
	assert.Contains(t, b.String(), "nothing found")
}

func TestARecordNamesWhatSupportsEachSentence(t *testing.T) {
	r := record(line{ID: "7", Question: "dog fare"}, sample())
	assert.Equal(t, "7", r.ID)
	assert.Equal(t, []sentence{{"Dogs pay £2.00.", 0.9, 0}, {"Guide dogs are free.", 0.9, 1}}, r.Sentences)
	assert.Equal(t, "http://a/dogs#fares", r.Cited[0].Link)
	assert.Equal(t, 1, r.Candidates[0].Rank)
	empty := record(line{ID: "8"}, nil)
	assert.NotNil(t, empty.Cited, "lists are never null")
	assert.NotNil(t, empty.Candidates)
}

func TestClip(t *testing.T) {
	assert.Equal(t, "a b", clip(" a\n b ", 10))
	assert.Equal(t, "ää…", clip("äääää", 2))
}

// The report has the form that build servers read: a suite with its counts, a case for each question, failures with words.
func TestJUnit(t *testing.T) {
	path := filepath.Join(t.TempDir(), "report.xml")
	refuse := questions.Expectation{Kind: questions.Refuses}
	report := &api.RunReport{Run: runs.Run{SetName: "set", CreatedAt: "2026-11-30T01:02:03.456Z"}, Results: []runs.Result{
		{Question: questions.Question{ID: "1", Text: "fine?"}, Verdict: prove.Verdict{Passed: true}, Millis: 1500},
		{Question: questions.Question{ID: "2", Text: "wrong & <odd>?"}, Verdict: prove.Verdict{Findings: []prove.Finding{{Expectation: refuse, Note: "it answered"}}}, Reply: "no"},
		{Question: questions.Question{ID: "3", Text: "out?"}, Failed: "time-out"},
	}}
	require.NoError(t, writeJUnit(path, report))
	raw, err := os.ReadFile(path)
	require.NoError(t, err)
	var s junitSuite
	require.NoError(t, xml.Unmarshal(raw, &s))
	assert.Equal(t, 3, s.Tests)
	assert.Equal(t, 1, s.Failures)
	assert.Equal(t, 1, s.Errors)
	assert.Equal(t, "1.500", s.Cases[0].Time)
	assert.Equal(t, "refuses: it answered", s.Cases[1].Failure.Message)
	assert.Equal(t, "2: wrong & <odd>?", s.Cases[1].Name)
	assert.Equal(t, "time-out", s.Cases[2].Error.Message)
	// What the schema that build servers share asks for of a suite, of a case and of a failure (from memory).
	assert.Equal(t, "2026-11-30T01:02:03", s.At)
	assert.Equal(t, "failed", s.Cases[1].Failure.Type)
	assert.Equal(t, "not judged", s.Cases[2].Error.Type)
	for _, c := range s.Cases {
		assert.NotEmpty(t, c.Name)
		assert.Equal(t, "set", c.Class)
		_, err := strconv.ParseFloat(c.Time, 64)
		require.NoError(t, err)
	}
	assert.Error(t, writeJUnit(filepath.Join(t.TempDir(), "no", "such", "folder.xml"), report))
}

func TestSocketPathsAreShortEnough(t *testing.T) {
	for _, dir := range []string{t.TempDir(), filepath.Join(t.TempDir(), strings.Repeat("deep/", 30))} {
		p, err := socketPath(dir)
		require.NoError(t, err)
		assert.Less(t, len(p), 104, "the least limit of the systems that Go runs on")
		again, err := socketPath(dir)
		require.NoError(t, err)
		assert.Equal(t, p, again)
	}
}
