package store

import (
	"encoding/json"
	"testing"

	"github.com/google/uuid"
	"github.com/jmoiron/sqlx"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"jolvex/core/answer"
	"jolvex/core/doc"
	"jolvex/core/method"
	"jolvex/core/questions"
)

func keptTrail(spans ...doc.Span) *answer.Trail {
	t := &answer.Trail{Outcome: answer.Answered}
	for i, s := range spans {
		t.Candidates = append(t.Candidates, answer.Candidate{Document: "d", Version: "v", Span: s, Kept: i == 0})
	}
	return t
}

// What a reply could draw on is counted by place, for replies and runs alike, corpus by corpus.
// alone is a reply with which nothing else is kept.
func alone(*sqlx.Tx) error { return nil }

func TestKeptIsCounted(t *testing.T) {
	s := open(t)
	c, err := s.CreateCorpus(t.Context(), "c")
	require.NoError(t, err)
	other, err := s.CreateCorpus(t.Context(), "other")
	require.NoError(t, err)
	a, b := doc.Span{Start: 0, End: 10}, doc.Span{Start: 10, End: 20}
	for _, tr := range []*answer.Trail{keptTrail(a, b), keptTrail(a), keptTrail(b)} {
		require.NoError(t, s.AddReply(t.Context(), c.ID, uuid.NewString(), tr, alone))
	}
	require.NoError(t, s.AddReply(t.Context(), other.ID, uuid.NewString(), keptTrail(b), alone))
	set, err := s.PutQuestions(t.Context(), c.ID, "set", []questions.Question{{ID: "1", Text: "?", Expect: []questions.Expectation{{Kind: questions.Refuses}}}}, "")
	require.NoError(t, err)
	r, err := s.CreateRun(t.Context(), set, nil, method.Default(), Order{})
	require.NoError(t, err)
	require.NoError(t, s.AddResults(t.Context(), r.ID, []Result{{Question: "1", Trail: keptTrail(a)}, {Position: 1, Question: "2"}}))
	got, err := s.Kept(t.Context(), c.ID, "d", "v")
	require.NoError(t, err)
	assert.Equal(t, []Kept{{"d", "v", 0, 10, 3}, {"d", "v", 10, 20, 1}}, got)
	assert.Equal(t, b, got[1].Span())
	none, err := s.Kept(t.Context(), c.ID, "d", "another version")
	require.NoError(t, err)
	assert.Empty(t, none)
	require.Error(t, s.AddResults(t.Context(), "no such run", []Result{{Question: "1", Trail: keptTrail(a)}}))
}

func TestStudiesAreKept(t *testing.T) {
	s := open(t)
	c, err := s.CreateCorpus(t.Context(), "c")
	require.NoError(t, err)
	set, err := s.PutQuestions(t.Context(), c.ID, "set", []questions.Question{{ID: "1", Text: "?", Expect: []questions.Expectation{{Kind: questions.Refuses}}}}, "")
	require.NoError(t, err)
	m := method.Default()
	m.Find.Dense = 0.35
	first, err := s.CreateStudy(t.Context(), "ablation", set, m, nil)
	require.NoError(t, err)
	assert.Nil(t, first.Outcome)
	second, err := s.CreateStudy(t.Context(), "fit", set, m, nil)
	require.NoError(t, err)
	require.NoError(t, s.EndStudy(t.Context(), first.ID, "snapshot", map[string]int{"seen": 3}))
	got, err := s.Study(t.Context(), first.ID)
	require.NoError(t, err)
	assert.Equal(t, json.RawMessage(`{"seen":3}`), got.Outcome)
	assert.Equal(t, "snapshot", got.Snapshot)
	assert.InDelta(t, 0.35, got.Method.Find.Dense, 0)
	assert.NotEmpty(t, got.EndedAt)
	all, err := s.Studies(t.Context(), c.ID, 10)
	require.NoError(t, err)
	require.Len(t, all, 2)
	assert.Equal(t, second.ID, all[0].ID, "newest first")
	_, err = s.Study(t.Context(), "none")
	require.ErrorIs(t, err, ErrMissing)
}

func TestConnectionsCountTokens(t *testing.T) {
	s := open(t)
	require.NoError(t, s.SaveConnection(t.Context(), Connection{Kind: "embeddings", Base: "http://a/v1", Dimensions: 256}))
	require.NoError(t, s.AddTokens(t.Context(), "embeddings", 5))
	require.NoError(t, s.AddTokens(t.Context(), "embeddings", 0))
	require.NoError(t, s.AddTokens(t.Context(), "embeddings", 7))
	c, err := s.Connection(t.Context(), "embeddings")
	require.NoError(t, err)
	assert.Equal(t, 12, c.Tokens)
	assert.Equal(t, 256, c.Dimensions)
	require.NoError(t, s.SaveConnection(t.Context(), Connection{Kind: "embeddings"}))
	_, err = s.Connection(t.Context(), "embeddings")
	assert.ErrorIs(t, err, ErrMissing)
}
