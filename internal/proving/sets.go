package proving

import (
	"bytes"
	"context"
	"encoding/csv"
	"errors"
	"fmt"
	"io"
	"reflect"
	"slices"
	"strconv"
	"strings"

	"jolvex/core/doc"
	"jolvex/core/index"
	"jolvex/core/measure"
	"jolvex/core/questions"
	"jolvex/internal/event"
	"jolvex/internal/fault"
	"jolvex/internal/store"
)

// SetVersion is what a question set was at some time.
type SetVersion struct {
	Version string   `json:"version"`
	At      string   `json:"at"`
	Why     string   `json:"why"`
	Count   int      `json:"count"`
	Added   []string `json:"added" nullable:"false" doc:"Ids that the version before did not have"`
	Changed []string `json:"changed" nullable:"false"`
	Dropped []string `json:"dropped" nullable:"false"`
}

// SetHistory lists what became of a question set, the newest first.
func (pv *Prover) SetHistory(ctx context.Context, corpus, set string) ([]SetVersion, error) {
	vs, lists, err := pv.setVersions(ctx, corpus, set)
	if err != nil {
		return nil, err
	}
	out := make([]SetVersion, len(vs))
	for i, v := range vs {
		out[i] = SetVersion{Version: v.Version, At: v.At, Why: v.Why, Count: len(lists[i]), Added: []string{}, Changed: []string{}, Dropped: []string{}}
		if i+1 == len(vs) {
			break
		}
		before, now := byID(lists[i+1]), byID(lists[i])
		for _, q := range lists[i] {
			if old, ok := before[q.ID]; !ok {
				out[i].Added = append(out[i].Added, q.ID)
			} else if !reflect.DeepEqual(old, q) {
				out[i].Changed = append(out[i].Changed, q.ID)
			}
		}
		for _, q := range lists[i+1] {
			if _, ok := now[q.ID]; !ok {
				out[i].Dropped = append(out[i].Dropped, q.ID)
			}
		}
	}
	return out, nil
}

func byID(qs []questions.Question) map[string]questions.Question {
	m := make(map[string]questions.Question, len(qs))
	for _, q := range qs {
		m[q.ID] = q
	}
	return m
}

func (pv *Prover) setVersions(ctx context.Context, corpus, set string) ([]store.SetVersion, [][]questions.Question, error) {
	c, err := pv.store.Corpus(ctx, corpus)
	if err != nil {
		return nil, nil, err
	}
	s, err := pv.store.QuestionSet(ctx, c.ID, set)
	if err != nil {
		return nil, nil, err
	}
	vs, err := pv.store.SetVersions(ctx, s.ID)
	if err != nil {
		return nil, nil, err
	}
	lists := make([][]questions.Question, 0, len(vs))
	all := 0
	for _, v := range vs {
		qs, err := pv.store.QuestionsOf(v)
		if err != nil {
			return nil, nil, err
		}
		if all += len(qs); all > mostUnpacked && len(lists) > 0 {
			break
		}
		lists = append(lists, qs)
	}
	return vs[:len(lists)], lists, nil
}

// mostUnpacked is how many questions the versions of a set that are looked at together hold at most: of a set of 100,000 its last three.
const mostUnpacked = 3 * questions.MaxQuestions

// RestoreSet brings a version of a set back; what it was in between stays in its history.
func (pv *Prover) RestoreSet(ctx context.Context, corpus, set, at string) (QuestionSet, error) {
	vs, lists, err := pv.setVersions(ctx, corpus, set)
	if err != nil {
		return QuestionSet{}, err
	}
	for i, v := range vs {
		if v.At == at {
			return pv.PutQuestionsBecause(ctx, corpus, set, lists[i], "as it was at "+at)
		}
	}
	return QuestionSet{}, fmt.Errorf("question set %s at %s: %w", set, at, fault.ErrMissing)
}

// RemoveSet deletes a set with its runs and its history.
func (pv *Prover) RemoveSet(ctx context.Context, corpus, set string) error {
	c, err := pv.store.Corpus(ctx, corpus)
	if err != nil {
		return err
	}
	s, err := pv.store.QuestionSet(ctx, c.ID, set)
	if err != nil {
		return err
	}
	if err := pv.store.DeleteQuestionSet(ctx, s.ID); err != nil {
		return err
	}
	event.Tell(ctx, pv.events, event.Questions, c.ID, event.QuestionsBody{Set: s.ID})
	return nil
}

// Doubt is an expectation whose source has changed since it was written.
type Doubt struct {
	Question string `json:"question" doc:"Id"`
	Written  string `json:"written" doc:"When the question was last changed"`
	Document string `json:"document"`
	Address  string `json:"address"`
	Changed  string `json:"changed" doc:"When the document was last changed, or went"`
	Gone     bool   `json:"gone"`

	Lost []string `json:"lost" nullable:"false" doc:"What the question expects to be said or reached and that none of its documents holds any more"`
}

// Doubts lists the expectations of a set whose sources have changed since they were written: they are to be looked at before they
// are believed.
func (pv *Prover) Doubts(ctx context.Context, corpus, set string) ([]Doubt, error) {
	vs, lists, err := pv.setVersions(ctx, corpus, set)
	if err != nil {
		return nil, err
	}
	out := []Doubt{}
	if len(vs) == 0 {
		return out, nil
	}
	c, err := pv.store.Corpus(ctx, corpus)
	if err != nil {
		return nil, err
	}
	ds, err := pv.documents(ctx, c)
	if err != nil {
		return nil, err
	}
	written := map[string]string{}
	now := byID(lists[0])
	for i, v := range vs { // back in time, as long as the question was what it is now
		for _, q := range lists[i] {
			if cur, ok := now[q.ID]; ok && reflect.DeepEqual(cur, q) && (i == 0 || written[q.ID] == vs[i-1].At) {
				written[q.ID] = v.At
			}
		}
	}
	names, by := questions.NewDirectory(), map[string]store.Document{}
	for _, d := range ds {
		names.Add(d.ID, d.Address, d.Title)
		by[d.ID] = d
	}
	for _, q := range lists[0] {
		var changed, expected []store.Document
		for _, id := range names.Relevant(q) {
			d, ok := by[id]
			if !ok {
				continue
			}
			if expected = append(expected, d); d.ChangedAt > written[q.ID] {
				changed = append(changed, d)
			}
		}
		if len(changed) == 0 {
			continue
		}
		lost, err := pv.lostOf(ctx, q, expected)
		if err != nil {
			return nil, err
		}
		for _, d := range changed {
			out = append(out, Doubt{q.ID, written[q.ID], d.ID, d.Address, d.ChangedAt, !d.Stands(), lost})
		}
	}
	return out, nil
}

// lostOf looks again, by its text, for what a question expects in the documents that it names, and gives the first wording of each that none
// of them holds.
func (pv *Prover) lostOf(ctx context.Context, q questions.Question, expected []store.Document) ([]string, error) {
	lost := []string{}
	var bodies []*doc.Document
	for _, d := range expected {
		if !d.Stands() {
			continue
		}
		body, err := pv.index.Version(ctx, d.Version)
		if err != nil {
			return nil, fmt.Errorf("look for what is expected of %s: %w", d.Address, err)
		}
		bodies = append(bodies, body)
	}
	for _, e := range q.Expect {
		if e.Kind != questions.Reaches && e.Kind != questions.Mentions && e.Kind != questions.Gives || len(e.Values) == 0 {
			continue
		}
		if !slices.ContainsFunc(bodies, func(d *doc.Document) bool { return len(e.Places(d, 1)) > 0 }) {
			lost = append(lost, e.Values[0])
		}
	}
	return lost, nil
}

// The forms in which a set or a run is written.
const (
	FormJSONL = "jsonl"
	FormCSV   = "csv"
	FormQrels = "qrels"
	FormBEIR  = "beir"
	FormSquad = "squad"
)

// ExportSet writes a set as JSONL, CSV or TREC qrels, or with the documents that it names as a BEIR collection or in SQuAD's form.
func (pv *Prover) ExportSet(ctx context.Context, corpus, set, form string) ([]byte, error) {
	c, err := pv.store.Corpus(ctx, corpus)
	if err != nil {
		return nil, err
	}
	qs, err := pv.questionsIn(ctx, c.ID, set)
	if err != nil {
		return nil, err
	}
	var b bytes.Buffer
	switch form {
	case FormJSONL:
		err = questions.WriteQuestions(&b, qs)
	case FormCSV:
		_, err = questions.WriteCSV(&b, qs)
	case FormQrels:
		err = questions.WriteQrels(&b, qs)
	case FormBEIR, FormSquad:
		ds, err := pv.sourcesOf(ctx, c, form == FormBEIR, qs)
		if err != nil {
			return nil, err
		}
		if form == FormBEIR {
			err = questions.WriteBEIR(&b, qs, ds)
		} else {
			_, err = questions.WriteSquad(&b, qs, ds)
		}
		return b.Bytes(), err
	default:
		err = fault.Input("a set is written as %s, %s, %s, %s or %s, not as %q", FormJSONL, FormCSV, FormQrels, FormBEIR, FormSquad, form)
	}
	return b.Bytes(), err
}

// sourcesOf are the documents that everybody may be answered from, all or those that questions name.
func (pv *Prover) sourcesOf(ctx context.Context, c store.Corpus, all bool, qs []questions.Question) ([]questions.Source, error) {
	s, err := pv.index.Shelf(ctx, c)
	if err != nil {
		return nil, err
	}
	lib, err := pv.corpusOf(ctx, c, s.Snapshot.Load().See(index.Public))
	if err != nil {
		return nil, err
	}
	var out []questions.Source
	for _, d := range lib.Members {
		about := questions.Document{Address: d.Address, Title: d.Title}
		if d.Trouble != "" || !all && !slices.ContainsFunc(qs, func(q questions.Question) bool { return expects(q, about) }) {
			continue
		}
		body, err := pv.index.Version(ctx, d.Version)
		if err != nil {
			return nil, fmt.Errorf("write %s: %w", d.Address, err)
		}
		about.Text = body.Text
		out = append(out, questions.Source{Document: about, Body: body})
	}
	return out, nil
}

// ImportQrels gives the questions of a set the documents that TREC's relevance judgements name for them.
func (pv *Prover) ImportQrels(ctx context.Context, corpus, set string, body []byte) (ImportedSet, error) {
	out := ImportedSet{Form: FormQrels, Columns: []string{}, Problems: []string{}, Doubtful: []Problem{}}
	c, err := pv.store.Corpus(ctx, corpus)
	if err != nil {
		return out, err
	}
	pv.sets.Lock()
	defer pv.sets.Unlock()
	qs, err := pv.questionsIn(ctx, c.ID, set)
	if err != nil {
		return out, err
	}
	judged, bad, err := questions.ReadQrels(bytes.NewReader(body))
	if err != nil {
		return out, fault.Input("%v", err)
	}
	out.Problems = append(out.Problems, bad...)
	qs, strangers := questions.Relevant(qs, judged)
	for _, id := range strangers[:min(len(strangers), 200)] {
		out.Problems = append(out.Problems, "the set has no question "+id)
	}
	out.Questions = len(judged) - len(strangers)
	if out.Questions == 0 {
		return out, fault.Input("none of the judgements is about a question of the set")
	}
	s, err := pv.PutQuestionsBecause(ctx, corpus, set, qs, "relevance judgements")
	out.Set = &s
	return out, err
}

// The forms in which a run is written.
const (
	FormRun    = "run"    // the rankings, as TREC has them
	FormJudged = "qrels"  // the judgements that they were measured with
	FormScores = "scores" // what was measured of each question, as CSV
)

// ExportRun writes the rankings of a run in TREC's form, each document at the rank of its first chunk, or the relevance judgements that
// the run was measured with. Both name documents by their addresses, so that another tool measures the same.
func (pv *Prover) ExportRun(ctx context.Context, corpus, run, form string) ([]byte, error) {
	r, err := pv.runOf(ctx, corpus, run)
	if err != nil {
		return nil, err
	}
	rs, err := pv.store.Results(ctx, run, true)
	if err != nil {
		return nil, err
	}
	c, err := pv.store.Corpus(ctx, r.Corpus)
	if err != nil {
		return nil, err
	}
	ds, err := pv.documents(ctx, c)
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
	c := csv.NewWriter(w)
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

// Amend replaces the expectations of one question: the reply of a run was right, and the expectation wrong. Why is kept.
func (pv *Prover) Amend(ctx context.Context, corpus, set string, q questions.Question, why string) (QuestionSet, error) {
	c, err := pv.store.Corpus(ctx, corpus)
	if err != nil {
		return QuestionSet{}, err
	}
	if strings.TrimSpace(why) == "" {
		return QuestionSet{}, fault.Input("say why the expectation is changed")
	}
	pv.sets.Lock()
	defer pv.sets.Unlock()
	s, err := pv.store.QuestionSet(ctx, c.ID, set)
	if err != nil {
		return QuestionSet{}, err
	}
	qs, err := pv.store.Questions(ctx, s.ID)
	if err != nil {
		return QuestionSet{}, err
	}
	for i := range qs {
		if qs[i].ID == q.ID {
			qs[i] = q
			return pv.PutQuestionsBecause(ctx, corpus, s.Name, qs, q.ID+": "+why)
		}
	}
	return QuestionSet{}, fmt.Errorf("question %s of set %s: %w", q.ID, set, fault.ErrMissing)
}

// AddQuestions puts questions at the end of a set, which is made when there is none; ids that are taken get a number.
func (pv *Prover) AddQuestions(ctx context.Context, corpus, set string, more []questions.Question, why string) (QuestionSet, error) {
	c, err := pv.store.Corpus(ctx, corpus)
	if err != nil {
		return QuestionSet{}, err
	}
	pv.sets.Lock()
	defer pv.sets.Unlock()
	var qs []questions.Question
	name := set
	switch s, err := pv.store.QuestionSet(ctx, c.ID, set); {
	case errors.Is(err, fault.ErrMissing): // it is made
	case err != nil:
		return QuestionSet{}, err
	default:
		name = s.Name
		if qs, err = pv.store.Questions(ctx, s.ID); err != nil {
			return QuestionSet{}, err
		}
	}
	taken := byID(qs)
	for _, q := range more {
		id := q.ID
		for n := 2; ; n++ {
			if _, ok := taken[q.ID]; !ok && q.ID != "" {
				break
			}
			q.ID = fmt.Sprintf("%s %d", strings.TrimSpace(id), n)
		}
		taken[q.ID] = q
		qs = append(qs, q)
	}
	return pv.PutQuestionsBecause(ctx, corpus, name, qs, why)
}
