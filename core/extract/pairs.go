package extract

import (
	"bytes"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"slices"
	"strings"

	"jolvex/core/cells"
	"jolvex/core/doc"
)

// Pair is a question with its answer.
type Pair struct {
	Line     int    `json:"line" doc:"Where it begins in the file, from 1"`
	Question string `json:"question"`
	Answer   string `json:"answer"`
	Problem  string `json:"problem" doc:"Why it will not go in; empty when it will"`
}

// PairFile is a file of questions and answers as it was read.
type PairFile struct {
	Form     string   `json:"form" enum:"csv,jsonl"`
	Columns  []string `json:"columns" doc:"Names of its columns, or of the fields of its objects" nullable:"false"`
	Question string   `json:"question" doc:"The column taken for the question"`
	Answer   string   `json:"answer" doc:"The column taken for the answer"`
	Pairs    []Pair   `json:"pairs" nullable:"false"`
	Good     int      `json:"good"`
	Bad      int      `json:"bad"`
}

// Limits of one pair, in bytes, and on the number of pairs.
const (
	MaxQuestion = 2000
	MaxAnswer   = 20_000
	MaxPairs    = 50_000
)

// Names by which files call their columns. (Common practice, no published source.)
var (
	questionNames = []string{"question", "questions", "q", "query", "title", "prompt", "input", "name", "frage"}
	answerNames   = []string{"answer", "answers", "a", "response", "reply", "text", "body", "output", "completion", "antwort"}
)

// ReadPairs reads questions and answers from CSV with a header line (RFC 4180, or with semicolons or tabs) or from JSON
// Lines, one object a line; an array of objects is read too. The columns are those named, else those whose names say it,
// else the first two. It fails when the file as a whole cannot be read; rows that cannot go in carry their problem.
func ReadPairs(body []byte, question, answer string) (PairFile, error) {
	if len(body) > MaxBytes {
		return PairFile{}, fmt.Errorf("%w: the limit is %d bytes", ErrTooLarge, MaxBytes)
	}
	src := strings.TrimSpace(decode(body, ""))
	f := PairFile{Form: "csv", Columns: []string{}, Question: question, Answer: answer, Pairs: []Pair{}}
	var rows []pairRow
	var err error
	if strings.HasPrefix(src, "{") || strings.HasPrefix(src, "[") {
		f.Form = "jsonl"
		f.Columns, rows, err = pairObjects(src)
	} else {
		f.Columns, rows, err = pairLines(src)
	}
	if err != nil {
		return f, err
	}
	if f.Question, err = column(f.Columns, question, questionNames, 0); err != nil {
		return f, err
	}
	if f.Answer, err = column(f.Columns, answer, answerNames, 1); err != nil {
		return f, err
	}
	if f.Question == f.Answer {
		return f, fmt.Errorf("%w: the question and the answer are to come from two columns", ErrKind)
	}
	seen := map[string]int{}
	for _, r := range rows {
		p := Pair{Line: r.line, Question: doc.Fold(r.fields[f.Question]), Answer: strings.TrimSpace(r.fields[f.Answer]), Problem: r.problem}
		key := strings.ToLower(p.Question)
		switch {
		case p.Problem != "":
		case p.Question == "" && p.Answer == "":
			p.Problem = "the row is empty"
		case p.Question == "":
			p.Problem = "there is no question"
		case p.Answer == "":
			p.Problem = "there is no answer"
		case len(p.Question) > MaxQuestion:
			p.Problem = fmt.Sprintf("the question is longer than %d bytes", MaxQuestion)
		case len(p.Answer) > MaxAnswer:
			p.Problem = fmt.Sprintf("the answer is longer than %d bytes", MaxAnswer)
		case seen[key] > 0:
			p.Problem = fmt.Sprintf("the question stands in line %d already", seen[key])
		case len(seen) >= MaxPairs:
			p.Problem = fmt.Sprintf("a file has at most %d pairs", MaxPairs)
		default:
			seen[key] = r.line
		}
		if p.Problem == "" {
			f.Good++
		} else {
			f.Bad++
		}
		f.Pairs = append(f.Pairs, p)
	}
	if len(f.Pairs) == 0 {
		return f, fmt.Errorf("%w: there is no row below the header", ErrNoText)
	}
	return f, nil
}

type pairRow struct {
	line    int
	fields  map[string]string
	problem string
}

func pairLines(src string) (columns []string, rows []pairRow, err error) {
	r := cells.NewReader(strings.NewReader(src))
	r.Comma, r.FieldsPerRecord, r.LazyQuotes = separator(src), -1, true
	for {
		rec, err := r.Read()
		if errors.Is(err, io.EOF) {
			break
		}
		line, _ := r.FieldPos(0)
		if err != nil {
			return columns, rows, fmt.Errorf("damaged: %w", err)
		}
		if columns == nil {
			for i, c := range rec {
				if c = doc.Fold(c); c == "" || slices.Contains(columns, c) {
					c = fmt.Sprintf("column %d", i+1)
				}
				columns = append(columns, c)
			}
			continue
		}
		row := pairRow{line: line, fields: map[string]string{}}
		for i, v := range rec {
			if i < len(columns) {
				row.fields[columns[i]] = v
			}
		}
		if len(rec) > len(columns) {
			row.problem = fmt.Sprintf("it has %d columns, the header %d", len(rec), len(columns))
		}
		rows = append(rows, row)
	}
	if len(columns) < 2 {
		return columns, rows, fmt.Errorf("%w: a file of questions and answers has two columns or more, with their names in the first line", ErrKind)
	}
	return columns, rows, nil
}

func pairObjects(src string) (columns []string, rows []pairRow, err error) {
	take := func(line int, raw []byte) {
		row := pairRow{line: line, fields: map[string]string{}}
		dec := json.NewDecoder(bytes.NewReader(raw))
		var o map[string]any
		if err := dec.Decode(&o); err != nil {
			row.problem = "it is no JSON object"
		}
		names := make([]string, 0, len(o))
		for k := range o {
			names = append(names, k)
		}
		slices.Sort(names)
		for _, k := range names {
			switch v := o[k].(type) {
			case string:
				row.fields[k] = v
			case nil:
				continue
			default:
				if text, err := json.Marshal(v); err == nil {
					row.fields[k] = string(text)
				}
			}
			if !slices.Contains(columns, k) {
				columns = append(columns, k)
			}
		}
		rows = append(rows, row)
	}
	if strings.HasPrefix(src, "[") {
		var list []json.RawMessage
		if err := json.Unmarshal([]byte(src), &list); err != nil {
			return nil, nil, fmt.Errorf("damaged: %w", err)
		}
		for i, raw := range list {
			take(i+1, raw)
		}
		return columns, rows, nil
	}
	n := 0
	for line := range strings.SplitSeq(src, "\n") {
		if n++; strings.TrimSpace(line) != "" {
			take(n, []byte(line))
		}
	}
	return columns, rows, nil
}

// column finds the column asked for, else the one whose name says what it holds, else the one at a place.
func column(columns []string, asked string, names []string, otherwise int) (string, error) {
	if asked != "" {
		if !slices.Contains(columns, asked) {
			return "", fmt.Errorf("%w: there is no column %q", ErrKind, asked)
		}
		return asked, nil
	}
	for _, n := range names {
		for _, c := range columns {
			if strings.EqualFold(c, n) {
				return c, nil
			}
		}
	}
	if otherwise >= len(columns) {
		return "", fmt.Errorf("%w: questions and answers need two columns", ErrKind)
	}
	return columns[otherwise], nil
}

// FromPair makes the document of a pair: the question is its title and heading, the answer, read as Markdown, its text.
func FromPair(p Pair) (*doc.Document, error) {
	d, err := fromMarkdown(Input{Address: p.Question, Body: []byte(p.Answer)})
	if err != nil {
		return nil, err
	}
	d.Title = p.Question
	if len(d.Blocks) == 0 {
		return d, ErrNoText
	}
	return d, nil
}
