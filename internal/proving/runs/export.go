package runs

import (
	"bytes"
	"context"
	"fmt"
	"io"
	"slices"
	"strconv"
	"strings"

	"jolvex/core/cells"
	"jolvex/core/measure"
	"jolvex/core/questions"
	"jolvex/internal/fault"
	"jolvex/internal/store"
)

// The forms in which a run is written.
const (
	FormRun    = "run"    // the rankings, as TREC has them
	FormJudged = "qrels"  // the judgements that they were measured with
	FormScores = "scores" // what was measured of each question, as CSV
)

// ExportRun writes the rankings of a run in TREC's form, each document at the rank of its first chunk, or the relevance judgements that
// the run was measured with. Both name documents by their addresses, so that another tool measures the same.
func (rm *Room) ExportRun(ctx context.Context, corpus, run, form string) ([]byte, error) {
	r, err := rm.RunOf(ctx, corpus, run)
	if err != nil {
		return nil, err
	}
	rs, err := rm.store.Results(ctx, run, true)
	if err != nil {
		return nil, err
	}
	c, err := rm.store.Corpus(ctx, r.Corpus)
	if err != nil {
		return nil, err
	}
	ds, err := rm.sets.Documents(ctx, c)
	if err != nil {
		return nil, err
	}
	address := map[string]string{}
	for _, d := range ds {
		address[d.ID] = d.Address
	}
	name := func(ids []string) []string {
		out := slices.Clone(ids)
		for i, id := range out {
			if a := address[id]; a != "" { // one that is gone keeps its id, and a name that no document has stays as it is
				out[i] = a
			}
		}
		return out
	}
	var ids []string
	ranked, relevant := map[string][]string{}, map[string][]string{}
	for _, x := range rs {
		if x.Failed != "" {
			continue // it was not judged, and stands in no figure
		}
		ids = append(ids, x.Question)
		relevant[x.Question] = name(x.Verdict.Relevant)
		if x.Trail != nil {
			ranked[x.Question] = name(x.Trail.Ranked())
		}
	}
	var b bytes.Buffer
	switch form {
	case FormRun:
		err = questions.WriteRun(&b, ids, ranked, "jolvex-"+r.ID[:min(8, len(r.ID))])
	case FormJudged:
		err = questions.WriteJudgements(&b, ids, relevant)
	case FormScores:
		err = writeScores(&b, r, rs)
	default:
		err = fault.Input("a run is written as %s, %s or %s, not as %q", FormRun, FormJudged, FormScores, form)
	}
	return b.Bytes(), err
}

// writeScores writes what was measured of each question; what does not apply is empty.
func writeScores(w io.Writer, r store.Run, rs []store.Result) error {
	c := cells.NewWriter(w)
	rows := [][]string{{"id", "passed", "accident", "rr", "hit1", "hit5", "ndcg10", "recall5", "precision5", "f1", "rougeL", "words", "pointed", "pointedOf", "reply", "references"}}
	for _, x := range rs {
		if x.Failed != "" || x.Position >= len(r.Questions) {
			continue
		}
		s := x.Verdict.Scores
		num := func(v float64) string {
			if v < 0 {
				return ""
			}
			return strconv.FormatFloat(v, 'g', -1, 64)
		}
		rr, hit1, hit5 := -1.0, -1.0, -1.0
		if s.Rank >= 0 && s.NDCG >= 0 {
			at := []int{s.Rank}
			rr, hit1, hit5 = measure.ReciprocalRank(at), measure.Hit(at, 1), measure.Hit(at, 5)
		}
		reply := ""
		if x.Trail != nil && !x.Verdict.Refused {
			reply = x.Trail.Text()
		}
		rows = append(rows, []string{
			x.Question, strconv.FormatBool(x.Verdict.Passed), strconv.FormatBool(x.Verdict.Accident), num(rr), num(hit1), num(hit5), num(s.NDCG), num(s.Recall), num(s.Precision),
			num(s.F1), num(s.RougeL), strconv.Itoa(s.Words), strconv.Itoa(s.Pointed), strconv.Itoa(s.PointedOf), reply, strings.Join(r.Questions[x.Position].Answers, " | "),
		})
	}
	if err := c.WriteAll(rows); err != nil {
		return fmt.Errorf("write the scores of a run: %w", err)
	}
	return nil
}
