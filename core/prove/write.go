package prove

import (
	"encoding/csv"
	"encoding/json"
	"fmt"
	"io"
	"slices"
	"strings"
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
	c := csv.NewWriter(w)
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
