package settled

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"strings"

	"jolvex/core/cells"
	"jolvex/internal/fault"
	"jolvex/internal/store/talk"
)

// portable is a settled answer as it stands in a file.
type portable struct {
	Question string   `json:"question"`
	Answer   string   `json:"answer"`
	Wordings []string `json:"wordings,omitempty"`
	Owner    string   `json:"owner,omitempty"`
	Expires  string   `json:"expires,omitempty"`
}

// columns of a file of comma-separated values, in their order; wordings stand one a line in their cell.
var columns = []string{"question", "answer", "wordings", "owner", "expires"}

// Export gives the settled answers that are in force as JSON Lines, or as CSV (RFC 4180). Import reads both.
func (rm *Room) Export(ctx context.Context, corpus, form string) ([]byte, error) {
	list, err := rm.List(ctx, corpus)
	if err != nil {
		return nil, err
	}
	var out bytes.Buffer
	w := cells.NewWriter(&out)
	if form == "csv" {
		if err := w.Write(columns); err != nil {
			return nil, err
		}
	}
	for _, a := range list {
		if a.State != talk.InForce {
			continue
		}
		if form == "csv" {
			row := []string{a.Question, a.Answer, strings.Join(a.Wordings, "\n"), a.Owner, a.Expires}
			if err := w.Write(row); err != nil {
				return nil, err
			}
			continue
		}
		raw, err := json.Marshal(portable{a.Question, a.Answer, a.Wordings, a.Owner, a.Expires})
		if err != nil {
			return nil, err
		}
		out.Write(append(raw, '\n'))
	}
	w.Flush()
	return out.Bytes(), w.Error()
}

// Taken tells what came of a file of settled answers.
type Taken struct {
	Fresh    int      `json:"fresh" doc:"Answers that were not there before"`
	Changed  int      `json:"changed" doc:"Answers to questions that had one: they got a version more"`
	Problems []string `json:"problems" nullable:"false" doc:"What could not be taken in, line by line"`
}

// mostImported is how many settled answers one file holds.
const mostImported = 2000

// Import takes in settled answers from JSON Lines or CSV. An answer to a question that has one becomes a new version of it.
func (rm *Room) Import(ctx context.Context, corpus string, body []byte) (Taken, error) {
	out := Taken{Problems: []string{}}
	rows, err := read(body)
	if err != nil {
		return out, fault.Input("%v", err)
	}
	if len(rows) > mostImported {
		return out, fault.Input("a file holds at most %d settled answers, this one %d", mostImported, len(rows))
	}
	list, err := rm.List(ctx, corpus)
	if err != nil {
		return out, err
	}
	have := map[string]Answer{}
	for _, a := range list {
		have[strings.ToLower(a.Question)] = a
	}
	for i, r := range rows {
		if r.problem == "" && (len(r.Question) > 2000 || len(r.Answer) > 20_000 || len(r.Wordings) > 20) {
			r.problem = "a question has at most 2,000 bytes, an answer 20,000, and there are at most 20 further wordings"
		}
		if r.problem != "" {
			out.Problems = append(out.Problems, fmt.Sprintf("%d: %s", i+1, r.problem))
			continue
		}
		a := Answer{Question: r.Question, Answer: r.Answer, Wordings: r.Wordings, Owner: r.Owner, Expires: r.Expires}
		old, there := have[strings.ToLower(strings.Join(strings.Fields(r.Question), " "))]
		if there {
			a.ID, a.Version = old.ID, old.Version
		}
		got, err := rm.Put(ctx, corpus, a)
		switch {
		case errors.Is(err, fault.ErrInput):
			out.Problems = append(out.Problems, fmt.Sprintf("%d: %s", i+1, strings.TrimPrefix(err.Error(), fault.ErrInput.Error()+": ")))
			continue
		case err != nil:
			return out, err
		case there:
			out.Changed++
		default:
			out.Fresh++
		}
		have[strings.ToLower(got.Question)] = got
	}
	return out, nil
}

// row is an answer of a file, or what keeps it from being one.
type row struct {
	portable
	problem string
}

var errForm = errors.New("neither lines of JSON nor comma-separated values with the columns question and answer")

func read(body []byte) ([]row, error) {
	body = bytes.TrimPrefix(body, []byte("\xef\xbb\xbf"))
	head := bytes.TrimSpace(body)
	if len(head) == 0 {
		return nil, errForm
	}
	var out []row
	if head[0] == '{' {
		for line := range bytes.Lines(body) {
			if line = bytes.TrimSpace(line); len(line) == 0 {
				continue
			}
			var r row
			if err := json.Unmarshal(line, &r.portable); err != nil {
				r.problem = "no JSON that can be read: " + err.Error()
			}
			out = append(out, r)
		}
		return out, nil
	}
	in := cells.NewReader(bytes.NewReader(body))
	in.FieldsPerRecord = -1
	names, err := in.Read()
	if err != nil {
		return nil, errForm
	}
	at := map[string]int{}
	for i, n := range names {
		at[strings.ToLower(strings.TrimSpace(n))] = i
	}
	if _, ok := at["question"]; !ok {
		return nil, errForm
	}
	if _, ok := at["answer"]; !ok {
		return nil, errForm
	}
	for {
		cells, err := in.Read()
		if err == io.EOF {
			return out, nil
		}
		if err != nil {
			out = append(out, row{problem: "no row that can be read: " + err.Error()})
			continue
		}
		cell := func(name string) string {
			if i, ok := at[name]; ok && i < len(cells) {
				return cells[i]
			}
			return ""
		}
		r := row{portable: portable{Question: cell("question"), Answer: cell("answer"), Owner: cell("owner"), Expires: cell("expires")}}
		if w := cell("wordings"); w != "" {
			r.Wordings = strings.Split(w, "\n")
		}
		out = append(out, r)
	}
}
