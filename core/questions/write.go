package questions

import (
	"archive/zip"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"maps"
	"slices"
	"strings"

	"jolvex/core/cells"
	"jolvex/core/doc"
	"jolvex/core/text"
)

// WriteQuestions writes expected questions, one JSON object a line, as ReadQuestions reads them.
func WriteQuestions(w io.Writer, qs []Question) error {
	enc := json.NewEncoder(w)
	enc.SetEscapeHTML(false)
	for _, q := range qs {
		if err := enc.Encode(q); err != nil {
			return fmt.Errorf("write question %s: %w", q.ID, err)
		}
	}
	return nil
}

// Columns are those of WriteCSV.
func Columns() []string {
	return []string{"id", "question", "answer", "gives", "not", "document", "refuses", "tags", "group"}
}

// WriteCSV writes expected questions as a table, as ReadSet reads it: alternatives with a bar between. It returns the ids of
// questions of which the table cannot hold everything: conversations, scripts, several expectations of one kind, and kinds that
// have no column.
func WriteCSV(w io.Writer, qs []Question) ([]string, error) {
	c := cells.NewWriter(w)
	if err := c.Write(Columns()); err != nil {
		return nil, fmt.Errorf("write the head of a table of questions: %w", err)
	}
	var short []string
	for _, q := range qs {
		cells := map[string]string{"id": q.ID, "question": q.Text, "tags": strings.Join(q.Tags, "; "), "group": q.Group}
		whole := len(q.Turns)+len(q.Script)+len(q.Answers) == 0
		for _, e := range q.Expect {
			column := map[string]string{Mentions: "answer", Gives: "gives", NotMentions: "not", Cites: "document", Refuses: "refuses"}[e.Kind]
			value := strings.Join(e.Values, " | ")
			if e.Kind == Refuses {
				value = "yes"
			}
			bar := slices.ContainsFunc(e.Values, func(v string) bool { return strings.Contains(v, "|") })
			if column == "" || cells[column] != "" || e.Within > 0 || bar {
				whole = false
				continue
			}
			cells[column] = value
		}
		if !whole {
			short = append(short, q.ID)
		}
		row := make([]string, len(Columns()))
		for i, name := range Columns() {
			row[i] = cells[name]
		}
		if err := c.Write(row); err != nil {
			return nil, fmt.Errorf("write question %s: %w", q.ID, err)
		}
	}
	c.Flush()
	return short, c.Error()
}

// WriteQrels writes what is expected to be found in TREC's form, "query 0 document grade": each document that an expectation
// names, with grade 1.
func WriteQrels(w io.Writer, qs []Question) error {
	for _, q := range qs {
		for _, e := range q.Expect {
			names := e.Values
			if e.Kind == Reaches {
				names = []string{e.Document}
			} else if e.Kind != Cites {
				continue
			}
			for _, d := range names {
				if _, err := fmt.Fprintf(w, "%s 0 %s 1\n", plainField(q.ID), plainField(d)); err != nil {
					return fmt.Errorf("write what question %s expects: %w", q.ID, err)
				}
			}
		}
	}
	return nil
}

// WriteJudgements writes relevance judgements in TREC's form: for each query its relevant documents, all with grade 1.
func WriteJudgements(w io.Writer, queries []string, relevant map[string][]string) error {
	for _, q := range queries {
		for _, d := range relevant[q] {
			if _, err := fmt.Fprintf(w, "%s 0 %s 1\n", plainField(q), plainField(d)); err != nil {
				return fmt.Errorf("write the judgements of %s: %w", q, err)
			}
		}
	}
	return nil
}

// Source is a document as exports have it: its address stands for its id.
type Source struct {
	Document
	Body *doc.Document
}

// WriteBEIR writes a set with the documents it is about as a BEIR collection, as ReadSet reads it: corpus.jsonl, queries.jsonl and
// qrels/test.tsv in a zip. Queries are the questions that name a document.
func WriteBEIR(w io.Writer, qs []Question, ds []Source) error {
	z := zip.NewWriter(w)
	put := func(name string, write func(io.Writer) error) error {
		f, err := z.Create(name)
		if err != nil {
			return fmt.Errorf("write %s: %w", name, err)
		}
		return write(f)
	}
	line := func(w io.Writer, v map[string]string) error {
		enc := json.NewEncoder(w)
		enc.SetEscapeHTML(false)
		return enc.Encode(v)
	}
	return errors.Join(
		put("corpus.jsonl", func(w io.Writer) error {
			for _, d := range ds {
				if err := line(w, map[string]string{"_id": plainField(d.Address), "title": d.Title, "text": d.Text}); err != nil {
					return err
				}
			}
			return nil
		}),
		put("queries.jsonl", func(w io.Writer) error {
			for _, q := range qs {
				if len(q.meant(ds)) == 0 {
					continue
				}
				if err := line(w, map[string]string{"_id": plainField(q.ID), "text": q.Text}); err != nil {
					return err
				}
			}
			return nil
		}),
		put("qrels/test.tsv", func(w io.Writer) error {
			if _, err := io.WriteString(w, "query-id\tcorpus-id\tscore\n"); err != nil {
				return err
			}
			for _, q := range qs {
				for _, d := range q.meant(ds) {
					if _, err := fmt.Fprintf(w, "%s\t%s\t1\n", plainField(q.ID), plainField(d.Address)); err != nil {
						return err
					}
				}
			}
			return nil
		}),
		z.Close())
}

// meant are the documents that a question names.
func (q Question) meant(ds []Source) []Source {
	var out []Source
	for _, d := range ds {
		if slices.ContainsFunc(q.Expect, func(e Expectation) bool {
			return e.Kind == Cites && d.Is(e.Values) || e.Kind == Reaches && d.Is([]string{e.Document})
		}) {
			out = append(out, d)
		}
	}
	return out
}

// WriteSquad writes a set in the form of SQuAD 2.0: each question under the first document that it names, with the places of the
// wordings and figures that it expects; one that is to be refused stands under the first document of all, as impossible. It returns
// the ids of questions of which nothing can be written: they name no document, or what they expect does not stand in it.
func WriteSquad(w io.Writer, qs []Question, ds []Source) ([]string, error) {
	type answer struct {
		Text  string `json:"text"`
		Start int    `json:"answer_start"`
	}
	type qa struct {
		ID         string   `json:"id"`
		Question   string   `json:"question"`
		Answers    []answer `json:"answers"`
		Impossible bool     `json:"is_impossible"`
	}
	type paragraph struct {
		Context string `json:"context"`
		QAs     []qa   `json:"qas"`
	}
	type article struct {
		Title      string      `json:"title"`
		Paragraphs []paragraph `json:"paragraphs"`
	}
	under := map[string][]qa{}
	var short []string
	for _, q := range qs {
		x := qa{ID: q.ID, Question: q.Text, Answers: []answer{}}
		if q.Refusal() && len(ds) > 0 {
			x.Impossible = true
			under[ds[0].Address] = append(under[ds[0].Address], x)
			continue
		}
		ms := q.meant(ds)
		if len(ms) > 0 {
			for _, e := range q.Expect {
				for _, p := range e.spans(ms[0].Body) {
					x.Answers = append(x.Answers, answer{ms[0].Text[p.Start:p.End], len([]rune(ms[0].Text[:p.Start]))})
				}
			}
		}
		if len(x.Answers) == 0 {
			short = append(short, q.ID)
			continue
		}
		under[ms[0].Address] = append(under[ms[0].Address], x)
	}
	var articles []article
	for _, d := range ds {
		if len(under[d.Address]) > 0 {
			articles = append(articles, article{d.Title, []paragraph{{d.Text, under[d.Address]}}})
		}
	}
	enc := json.NewEncoder(w)
	enc.SetEscapeHTML(false)
	return short, enc.Encode(map[string]any{"version": "v2.0", "data": articles})
}

// spans are the places of the very wordings and figures that an expectation wants to be said.
func (e Expectation) spans(d *doc.Document) []doc.Span {
	var out []doc.Span
	switch e.Kind {
	case Mentions, Reaches:
		for _, v := range e.Values {
			if s, ok := locate(d, v); ok {
				out = append(out, s)
			}
		}
	case Gives:
		for _, v := range e.Values {
			for _, want := range text.Quantities(v) {
				for _, h := range text.Quantities(d.Text) {
					if h.Kind == want.Kind && h.Value == want.Value {
						out = append(out, doc.Span{Start: h.Start, End: h.End})
						break
					}
				}
			}
		}
	}
	return out
}

// Relevant gives questions the documents that relevance judgements name for them, in place of those that they named; it returns the
// ids of judgements for which there is no question.
func Relevant(qs []Question, judged map[string]Grades) (out []Question, strangers []string) {
	known := map[string]bool{}
	for _, q := range qs {
		id := plainField(q.ID)
		known[id] = true
		var values []string
		for _, d := range judged[id].Ordered() {
			if judged[id][d] > 0 {
				values = append(values, d)
			}
		}
		if len(values) > 0 {
			q.Expect = append(slices.DeleteFunc(slices.Clone(q.Expect), func(e Expectation) bool { return e.Kind == Cites }), Expectation{Kind: Cites, Values: values})
		}
		out = append(out, q)
	}
	for _, id := range slices.Sorted(maps.Keys(judged)) {
		if !known[id] {
			strangers = append(strangers, id)
		}
	}
	return out, strangers
}
