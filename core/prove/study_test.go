package prove

import (
	"math"
	"testing"

	"jolvex/core/answer"
	"jolvex/core/doc"
	"jolvex/core/questions"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestPassages(t *testing.T) {
	var b doc.Builder
	b.Doc().Title = "Dogs"
	b.Add(doc.Block{Kind: doc.Heading, Level: 1}, "Dogs")
	b.Add(doc.Block{Kind: doc.Paragraph}, "Dogs are welcome. A dog pays £2.00 each way. Guide dogs travel free.")
	b.AddTable(doc.Place{}, "", []string{"Kind", "Fare"}, [][]string{{"Large dog", "£3.50"}, {"Small dog", "£1.00"}})
	d := b.Document()
	here := questions.Document{Address: "https://example.org/dogs", Title: "Dogs"}
	said := func(q questions.Question, at questions.Document) []string {
		var out []string
		for _, s := range q.Passages(at, d) {
			out = append(out, d.Of(s))
		}
		return out
	}
	reach := questions.Question{Expect: []questions.Expectation{{Kind: questions.Reaches, Document: "/dogs", Values: []string{"no such words", "guide dogs  TRAVEL, free"}}}}
	assert.Equal(t, []string{"Guide dogs travel free"}, said(reach, here))
	assert.Empty(t, said(reach, questions.Document{Address: "https://example.org/cats"}))
	cite := questions.Question{Expect: []questions.Expectation{{Kind: questions.Cites, Values: []string{"/dogs"}}, {Kind: questions.Gives, Values: []string{"£2.00"}}, {Kind: questions.Gives, Values: []string{"£3.50"}}, {Kind: questions.Mentions, Values: []string{"nothing like it"}}}}
	assert.Equal(t, []string{"A dog pays £2.00 each way.", "Large dog | £3.50"}, said(cite, here))
	assert.Empty(t, said(questions.Question{Expect: cite.Expect[1:]}, here), "without a document no place is meant")
}

func TestReaches(t *testing.T) {
	q := questions.Question{ID: "1", Text: "?", Expect: []questions.Expectation{{Kind: questions.Reaches, Document: "guide.md", Values: []string{"pier office"}}}}
	require.NoError(t, q.Check())
	s := seen(answer.Answered, "x", 0)
	s.Trail.Candidates = make([]answer.Candidate, 3)
	v := Judge(q, s)
	assert.False(t, v.Passed)
	assert.Equal(t, 3, v.Rank)
	assert.Contains(t, v.Findings[0].Note, "ranks 3, too far down")
	s.Trail.Candidates[2].Kept = true
	assert.True(t, Judge(q, s).Passed)
	s.Documents[2].Text = "Something else."
	v = Judge(q, s)
	assert.False(t, v.Passed)
	assert.Equal(t, 0, v.Rank)
	assert.Error(t, questions.Question{ID: "1", Text: "?", Expect: []questions.Expectation{{Kind: questions.Reaches, Values: []string{"x"}}}}.Check(), "no document")
}

func TestRankOfPrefersThePassage(t *testing.T) {
	cands := []questions.Document{{Address: "a/x", Text: "one"}, {Address: "a/y", Text: "two"}, {Address: "a/y", Text: "three"}}
	cites := questions.Expectation{Kind: questions.Cites, Values: []string{"y"}}
	assert.Equal(t, 2, questions.Question{Expect: []questions.Expectation{cites}}.RankOf(cands))
	assert.Equal(t, 3, questions.Question{Expect: []questions.Expectation{{Kind: questions.Reaches, Document: "y", Values: []string{"three"}}, cites}}.RankOf(cands))
	assert.Equal(t, -1, questions.Question{Expect: []questions.Expectation{{Kind: questions.Refuses}}}.RankOf(cands))
	assert.Equal(t, 0, questions.Question{Expect: []questions.Expectation{cites}}.RankOf(nil))
}

// nDCG with one right answer at rank r is 1/log2(1+r) (the form of trec_eval-like tools, with the ideal at rank 1).
func TestRetrieval(t *testing.T) {
	got := Ranks{1, 2, 0, -1, 12, 5}.Retrieval()
	assert.Equal(t, 5, got.Questions)
	assert.InDelta(t, 1.0/5, got.Hit1, 1e-12)
	assert.InDelta(t, 2.0/5, got.Hit3, 1e-12)
	assert.InDelta(t, 3.0/5, got.Hit5, 1e-12)
	assert.InDelta(t, (1+0.5+1.0/12+0.2)/5, got.MRR, 1e-12)
	assert.InDelta(t, (1+1/math.Log2(3)+1/math.Log2(6))/5, got.NDCG, 1e-12)
	assert.Zero(t, Ranks{-1}.Retrieval().Hit1)
}

func TestAblation(t *testing.T) {
	var a Ablation
	qs := []questions.Question{{ID: "a"}, {ID: "b", Group: "g"}, {ID: "c", Group: "g"}, {ID: "d"}}
	a.Add(Worth{Key: "find.dense"}, qs, Ranks{1, 1, 2, -1}, Ranks{2, 1, 1, -1})
	w := a.Parts[0]
	assert.Equal(t, []string{"a"}, w.Helped)
	assert.Equal(t, []string{"c"}, w.Hurt)
	assert.InDelta(t, 0, w.MRR, 1e-12)
	assert.LessOrEqual(t, w.Interval.Low, 0.0)
	assert.GreaterOrEqual(t, w.Interval.High, 0.0)
	assert.InDelta(t, (w.Interval.High-w.Interval.Low)/2, a.Seen, 1e-12)
	assert.Equal(t, 3, a.Whole.Questions)
	assert.Equal(t, "group g", qs[1].Cluster())
}
