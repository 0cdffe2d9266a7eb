package prove

import (
	"encoding/csv"
	"encoding/json"
	"fmt"
	"os"
	"slices"
	"strconv"
	"strings"
	"testing"

	"jolvex/core/answer"
	"jolvex/core/measure"
	"jolvex/core/questions"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// reference is what tools/reference/measures.py writes: what ir-measures, rouge-score and scipy measure of an exported run, of rankings
// drawn by lot, and of pairs of texts.
type reference struct {
	Libraries map[string]string
	Exported  map[string]map[string]float64
	Drawn     struct {
		Run, Qrels map[string][]string
		Measures   map[string]map[string]float64
	}
	Pairs []struct {
		Got, Want  string
		F1, RougeL float64
	}
	Bootstrap struct {
		Values    []float64
		Low, High float64
	}
}

func referenceOf(t *testing.T) reference {
	t.Helper()
	raw, err := os.ReadFile("testdata/reference.json")
	require.NoError(t, err)
	var r reference
	require.NoError(t, json.Unmarshal(raw, &r))
	require.NotEmpty(t, r.Libraries["ir-measures"])
	return r
}

// measured are the scores of a ranking of documents against the relevant ones, by the names that the library's measures have here.
func measured(ranked, relevant []string) map[string]float64 {
	trail := &answer.Trail{Outcome: answer.Answered}
	for _, d := range ranked {
		trail.Candidates = append(trail.Candidates, answer.Candidate{Document: d}, answer.Candidate{Document: d}) // two chunks of each
	}
	x := Judge(questions.Question{ID: "q", Text: "?"}, Seen{Trail: trail, Relevant: relevant}).Scores
	at := []int{x.Rank}
	return map[string]float64{"rr": measure.ReciprocalRank(at), "hit1": measure.Hit(at, 1), "hit5": measure.Hit(at, 5), "ndcg10": x.NDCG, "precision5": x.Precision, "recall5": x.Recall}
}

// ir-measures 0.4.3 (pytrec_eval-terrier 0.5.11) on the same rankings and judgements.
func TestRetrievalIsMeasuredAsByIrMeasures(t *testing.T) {
	r := referenceOf(t)
	require.Len(t, r.Drawn.Qrels, 40)
	for q, relevant := range r.Drawn.Qrels {
		got := measured(r.Drawn.Run[q], relevant)
		want := r.Drawn.Measures[q]
		if len(r.Drawn.Run[q]) == 0 { // the library leaves out a query without a ranking, and counts it as 0 in its means
			want = map[string]float64{}
		}
		for k, v := range got {
			assert.InDelta(t, want[k], v, 1e-9, "%s of %s", k, q)
		}
	}
}

// What a run exports as measured is what ir-measures makes of the rankings and judgements exported with it.
func TestAnExportedRunIsMeasuredAlikeElsewhere(t *testing.T) {
	r := referenceOf(t)
	f, err := os.Open("testdata/run.csv")
	require.NoError(t, err)
	defer f.Close()
	rows, err := csv.NewReader(f).ReadAll()
	require.NoError(t, err)
	judged := 0
	for _, row := range rows[1:] {
		want, ok := r.Exported[row[0]]
		if !ok {
			assert.Empty(t, row[slices.Index(rows[0], "ndcg10")], "%s names no document and has no measure", row[0])
			continue
		}
		judged++
		for _, k := range []string{"rr", "hit1", "hit5", "ndcg10", "recall5", "precision5"} {
			got, err := strconv.ParseFloat(row[slices.Index(rows[0], k)], 64)
			require.NoError(t, err, "%s of %s", k, row[0])
			assert.InDelta(t, want[k], got, 1e-9, "%s of %s", k, row[0])
		}
	}
	assert.Equal(t, len(r.Exported), judged)
	assert.Greater(t, judged, 30)
	// the files alone lead to the same
	run, err := os.ReadFile("testdata/run.trec")
	require.NoError(t, err)
	ranked := map[string][]string{}
	for line := range strings.Lines(string(run)) {
		var q, zero, d, rank, score, tag string
		_, err := fmt.Sscan(line, &q, &zero, &d, &rank, &score, &tag)
		require.NoError(t, err)
		ranked[q] = append(ranked[q], d)
	}
	qrels, err := os.Open("testdata/run.qrels")
	require.NoError(t, err)
	defer qrels.Close()
	grades, problems, err := questions.ReadQrels(qrels)
	require.NoError(t, err)
	require.Empty(t, problems)
	for q, want := range r.Exported {
		for k, v := range measured(ranked[q], grades[q].Ordered()) {
			assert.InDelta(t, want[k], v, 1e-9, "%s of %s", k, q)
		}
	}
}

// rouge-score 0.1.2 without its stemmer, and the evaluation script of SQuAD 2.0 (from memory).
func TestWordingIsMeasuredAsByTheLibraries(t *testing.T) {
	r := referenceOf(t)
	require.Greater(t, len(r.Pairs), 40)
	for _, p := range r.Pairs {
		assert.InDelta(t, p.F1, measure.SquadF1(p.Got, []string{p.Want}), 1e-9, "%q against %q", p.Got, p.Want)
		assert.InDelta(t, p.RougeL, measure.RougeL(measure.RougeWords(p.Got), measure.RougeWords(p.Want)), 1e-9, "%q against %q", p.Got, p.Want)
	}
}

// scipy 1.17.1, stats.bootstrap by percentiles with 20,000 resamples; ours has 2,000, so that the ends differ by what drawing leaves.
func TestTheBootstrapAgreesWithScipy(t *testing.T) {
	r := referenceOf(t).Bootstrap
	clusters := make([]string, len(r.Values))
	for i := range clusters {
		clusters[i] = fmt.Sprint(i)
	}
	got := measure.ClusterBootstrap(r.Values, clusters)
	assert.InDelta(t, r.Low, got.Low, 0.02)
	assert.InDelta(t, r.High, got.High, 0.02)
}
