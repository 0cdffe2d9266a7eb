package questions

import (
	"archive/zip"
	"bufio"
	"bytes"
	"cmp"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"path"
	"slices"
	"strconv"
	"strings"

	"jolvex/core/cells"
	"jolvex/core/extract"
	"jolvex/core/text"
)

// The forms in which question sets are read.
const (
	FormJSONL = "jsonl" // our own (docs/question-sets.md)
	FormCSV   = "csv"   // a header line, columns by name
	FormSquad = "squad" // SQuAD 1.1 and 2.0 (Rajpurkar et al. 2016, 2018)
	FormBEIR  = "beir"  // corpus.jsonl, queries.jsonl and qrels in a zip (Thakur et al. 2021)
)

// Imported is a file of expected questions as it was read. What cannot go in is told; nothing is left out in silence.
type Imported struct {
	Form      string      `json:"form" enum:"jsonl,csv,squad,beir"`
	Columns   []string    `json:"columns" nullable:"false" doc:"csv: what its columns were taken for"`
	Questions []Question  `json:"questions" nullable:"false"`
	Problems  []string    `json:"problems" nullable:"false"` // rows that cannot go in, and why
	Documents []Document  `json:"documents" nullable:"false" doc:"squad, beir: what the questions are about"`
	Misplaced []Misplaced `json:"-"` // of SQuAD: answers that do not stand where the file says; their questions go in all the same

	beyond int // rows past what a set holds
}

// Limits of an imported set.
const (
	MaxQuestions   = 100_000
	mostProblems   = 200
	mostUnpacked   = 256 << 20
	mostTextOfOne  = 4 << 20
	mostTextsOfSet = 200_000
)

// ErrSet says that a file as a whole cannot be read as a question set.
var ErrSet = errors.New("not a question set")

// ReadSet reads expected questions in whichever form they come, told by what stands in the file.
func ReadSet(body []byte) (Imported, error) {
	out := Imported{Columns: []string{}, Questions: []Question{}, Problems: []string{}, Documents: []Document{}}
	var err error
	src := ""
	packed := bytes.HasPrefix(body, []byte("PK\x03\x04"))
	if !packed {
		src = strings.TrimSpace(extract.Decode(body))
	}
	switch {
	case packed:
		out.Form, err = FormBEIR, out.beir(body)
	case strings.HasPrefix(src, "{") && strings.Contains(src[:min(len(src), 4000)], `"data"`):
		out.Form, err = FormSquad, out.squad([]byte(src))
	case strings.HasPrefix(src, "{"):
		out.Form = FormJSONL
		out.jsonl(src)
	default:
		out.Form, err = FormCSV, out.csv(src)
	}
	if err != nil {
		return out, fmt.Errorf("%w: %w", ErrSet, err)
	}
	out.settle()
	if len(out.Questions) == 0 && len(out.Problems) == 0 {
		return out, fmt.Errorf("%w: it holds no question", ErrSet)
	}
	return out, nil
}

func (m *Imported) problem(form string, args ...any) {
	if len(m.Problems) < mostProblems {
		m.Problems = append(m.Problems, fmt.Sprintf(form, args...))
	} else if len(m.Problems) == mostProblems {
		m.Problems = append(m.Problems, "and more")
	}
}

// take adds a question, when nothing is wrong with it.
func (m *Imported) take(where string, q Question) {
	if m.full() {
		return
	}
	if err := q.Check(); err != nil {
		m.problem("%s: %v", where, err)
		return
	}
	m.Questions = append(m.Questions, q)
}

// full reports whether a set holds no more, and counts what comes after.
func (m *Imported) full() bool {
	if len(m.Questions) < MaxQuestions {
		return false
	}
	m.beyond++
	return true
}

// settle tells of ids that stand twice, and of a set that is too large.
func (m *Imported) settle() {
	seen := map[string]bool{}
	m.Questions = slices.DeleteFunc(m.Questions, func(q Question) bool {
		if seen[q.ID] {
			m.problem("two questions have the id %s: the second is left out", q.ID)
			return true
		}
		seen[q.ID] = true
		return false
	})
	if m.beyond > 0 {
		m.problem("a set holds at most %d questions: the last %d are left out", MaxQuestions, m.beyond)
	}
}

func (m *Imported) jsonl(src string) {
	n := 0
	for line := range strings.Lines(src) {
		n++
		if line = strings.TrimSpace(line); line == "" {
			continue
		}
		var q Question
		if err := json.Unmarshal([]byte(line), &q); err != nil {
			m.problem("line %d: %v", n, err)
			continue
		}
		m.take(fmt.Sprintf("line %d", n), q)
	}
}

// Names by which columns of expected questions go. (Common practice, no published source.)
var columnNames = map[string][]string{
	"id":       {"id", "no", "number", "key"},
	"question": {"question", "query", "q", "prompt", "input", "utterance"},
	"answer":   {"answer", "answers", "expected", "expected answer", "mentions", "output", "reference", "ground truth", "a"},
	"gives":    {"gives", "figure", "value"},
	"not":      {"not", "not mentions", "must not say", "forbidden"},
	"document": {"document", "source", "page", "url", "cites", "address"},
	"refuses":  {"refuses", "refuse", "unanswerable", "out of scope", "should refuse"},
	"tags":     {"tags", "tag", "kind", "category", "topic"},
	"group":    {"group", "variant of"},
}

// csv reads a table: what is expected in columns, alternatives with a bar between.
func (m *Imported) csv(src string) error {
	r := cells.NewReader(strings.NewReader(src))
	r.FieldsPerRecord, r.TrimLeadingSpace, r.LazyQuotes = -1, true, true
	first, _, _ := strings.Cut(src, "\n")
	for _, c := range []rune{'\t', ';'} {
		if strings.Count(first, string(c)) > strings.Count(first, ",") {
			r.Comma = c
		}
	}
	head, err := r.Read()
	if err != nil {
		return fmt.Errorf("its first line cannot be read: %w", err)
	}
	at := map[string]int{}
	for i, h := range head {
		h = strings.ToLower(strings.TrimSpace(h))
		for name, words := range columnNames {
			if _, have := at[name]; !have && slices.Contains(words, strings.ReplaceAll(h, "_", " ")) {
				at[name] = i
				m.Columns = append(m.Columns, head[i]+" as "+name)
			}
		}
	}
	slices.Sort(m.Columns)
	if _, ok := at["question"]; !ok {
		return fmt.Errorf("none of its columns is called question: %s", strings.Join(head, ", "))
	}
	for line := 2; ; line++ {
		row, err := r.Read()
		if errors.Is(err, io.EOF) {
			return nil
		}
		if err != nil {
			m.problem("row %d: %v", line, err)
			continue
		}
		cell := func(name string) string {
			if i, ok := at[name]; ok && i < len(row) {
				return strings.TrimSpace(row[i])
			}
			return ""
		}
		if strings.Join(row, "") == "" || m.full() {
			continue
		}
		m.take(fmt.Sprintf("row %d", line), fromRow(cell, line))
	}
}

// fromRow makes a question of a row. An answer that is one figure is expected by its value.
func fromRow(cell func(string) string, line int) Question {
	q := Question{ID: cmp.Or(cell("id"), "r"+strconv.Itoa(line)), Text: cell("question"), Group: cell("group"), Tags: list(cell("tags"), ";,")}
	if a := list(cell("answer"), "|"); len(a) > 0 {
		kind := Mentions
		if !slices.ContainsFunc(a, func(s string) bool { return !oneFigure(s) }) {
			kind = Gives
		}
		q.Expect = append(q.Expect, Expectation{Kind: kind, Values: a})
	}
	for name, kind := range map[string]string{"gives": Gives, "not": NotMentions, "document": Cites} {
		if v := list(cell(name), "|"); len(v) > 0 {
			q.Expect = append(q.Expect, Expectation{Kind: kind, Values: v})
		}
	}
	slices.SortStableFunc(q.Expect, func(a, b Expectation) int { return strings.Compare(a.Kind, b.Kind) })
	switch strings.ToLower(cell("refuses")) {
	case "yes", "true", "1", "x", "y":
		q.Expect = []Expectation{{Kind: Refuses}}
	}
	return q
}

func oneFigure(s string) bool {
	qs := text.Quantities(s)
	return len(qs) == 1 && qs[0].Start == 0 && qs[0].End == len(s)
}

func list(s, between string) []string {
	var out []string
	for _, p := range strings.FieldsFunc(s, func(r rune) bool { return strings.ContainsRune(between, r) }) {
		if p = strings.TrimSpace(p); p != "" {
			out = append(out, p)
		}
	}
	return out
}

// squad reads SQuAD: each paragraph is a document, each question expects one of its answers, or a refusal where it has none.
func (m *Imported) squad(src []byte) error {
	var f struct {
		Data []struct {
			Title      string `json:"title"`
			Paragraphs []struct {
				Context string `json:"context"`
				Qas     []struct {
					ID         string `json:"id"`
					Question   string `json:"question"`
					Impossible bool   `json:"is_impossible"`
					Answers    []struct {
						Text  string `json:"text"`
						Start *int   `json:"answer_start"`
					} `json:"answers"`
				} `json:"qas"`
			} `json:"paragraphs"`
		} `json:"data"`
	}
	if err := json.Unmarshal(src, &f); err != nil {
		return err
	}
	for _, d := range f.Data {
		title := strings.ReplaceAll(d.Title, "_", " ")
		for i, p := range d.Paragraphs {
			name := fmt.Sprintf("%s, paragraph %d", title, i+1)
			m.Documents = append(m.Documents, Document{Title: name, Text: p.Context})
			context := []rune(p.Context) // offsets count characters
			for _, q := range p.Qas {
				x := Question{ID: q.ID, Text: strings.TrimSpace(q.Question), Tags: []string{title}}
				for _, a := range q.Answers {
					if a.Start != nil && !standsAt(context, a.Text, *a.Start) && len(m.Misplaced) < mostProblems {
						m.Misplaced = append(m.Misplaced, Misplaced{q.ID, fmt.Sprintf("“%s” does not stand at character %d of its paragraph", a.Text, *a.Start)})
					}
					if len(x.Expect) == 0 {
						x.Expect = []Expectation{{Kind: Mentions}, {Kind: Cites, Values: []string{name}}}
					}
					if !slices.Contains(x.Expect[0].Values, a.Text) {
						x.Expect[0].Values = append(x.Expect[0].Values, a.Text)
					}
				}
				if q.Impossible {
					x.Expect = []Expectation{{Kind: Refuses}}
				}
				m.take("question "+q.ID, x)
			}
		}
	}
	return nil
}

// Misplaced is an answer that does not stand where its file says that it does.
type Misplaced struct{ Question, Why string }

// standsAt reports whether a text holds an answer from a character on.
func standsAt(context []rune, answer string, at int) bool {
	want := []rune(answer)
	return at >= 0 && at+len(want) <= len(context) && string(context[at:at+len(want)]) == answer
}

// beir reads a zip of corpus.jsonl, queries.jsonl and qrels: each query expects one of the documents that are relevant to it to
// be cited.
func (m *Imported) beir(body []byte) error {
	z, err := zip.NewReader(bytes.NewReader(body), int64(len(body)))
	if err != nil {
		return err
	}
	left := int64(mostUnpacked)
	open := func(want func(name string) bool) ([]byte, error) {
		for _, f := range z.File {
			if !want(f.Name) {
				continue
			}
			r, err := f.Open()
			if err != nil {
				return nil, err
			}
			defer r.Close()
			b, err := io.ReadAll(io.LimitReader(r, left+1))
			if left -= int64(len(b)); left < 0 {
				return nil, fmt.Errorf("unpacked it is larger than %d bytes", mostUnpacked)
			}
			return b, err
		}
		return nil, nil
	}
	named := func(base string) func(string) bool { return func(name string) bool { return path.Base(name) == base } }
	corpus, err1 := open(named("corpus.jsonl"))
	queries, err2 := open(named("queries.jsonl"))
	qrels, err3 := open(named("test.tsv"))
	if qrels == nil && err3 == nil {
		qrels, err3 = open(func(name string) bool { return strings.HasSuffix(name, ".tsv") || strings.HasSuffix(name, ".qrels") })
	}
	if err := errors.Join(err1, err2, err3); err != nil {
		return err
	}
	if corpus == nil || queries == nil || qrels == nil {
		return errors.New("the zip lacks one of corpus.jsonl, queries.jsonl and the qrels")
	}
	relevant, bad, err := ReadQrels(bytes.NewReader(qrels))
	if err != nil {
		return err
	}
	for _, p := range bad {
		m.problem("%s", p)
	}
	type row struct {
		ID    string `json:"_id"`
		Title string `json:"title"`
		Text  string `json:"text"`
	}
	each := func(b []byte, what string, do func(row)) {
		sc := bufio.NewScanner(bytes.NewReader(b))
		sc.Buffer(nil, mostTextOfOne)
		n := 0
		for sc.Scan() {
			n++
			var r row
			if err := json.Unmarshal(sc.Bytes(), &r); err != nil || r.ID == "" {
				m.problem("%s, line %d: it has no _id", what, n)
				continue
			}
			do(r)
		}
		if err := sc.Err(); err != nil {
			m.problem("%s, line %d: %v", what, n+1, err)
		}
	}
	known, dropped, alone := map[string]bool{}, 0, 0
	each(corpus, "corpus.jsonl", func(r row) {
		if len(m.Documents) == mostTextsOfSet {
			dropped++
		} else {
			known[r.ID] = true
			m.Documents = append(m.Documents, Document{Address: r.ID, Title: r.Title, Text: r.Text})
		}
	})
	each(queries, "queries.jsonl", func(r row) {
		var want []string
		for _, d := range relevant[r.ID].Ordered() {
			if relevant[r.ID][d] > 0 && known[d] {
				want = append(want, d)
			}
		}
		if len(want) == 0 {
			alone++ // a query of another part of the collection
			return
		}
		m.take("query "+r.ID, Question{ID: r.ID, Text: r.Text, Expect: []Expectation{{Kind: Cites, Values: want}}})
	})
	if dropped > 0 {
		m.problem("%d documents are left out: %d are taken at most", dropped, mostTextsOfSet)
	}
	if alone > 0 {
		m.problem("%d queries are left out: none of the documents here is relevant to them", alone)
	}
	return nil
}

// Grades are the relevance grades of documents for one query.
type Grades map[string]int

// Ordered lists the documents by grade, highest first, then by name.
func (g Grades) Ordered() []string {
	out := make([]string, 0, len(g))
	for d := range g {
		out = append(out, d)
	}
	slices.SortFunc(out, func(a, b string) int { return cmp.Or(g[b]-g[a], strings.Compare(a, b)) })
	return out
}

// ReadQrels reads relevance judgements: TREC's "query iteration document grade", or BEIR's "query document grade" with a header. A line that
// cannot be read is left out and told in problems, the first 200 of them.
func ReadQrels(r io.Reader) (judged map[string]Grades, problems []string, err error) {
	judged = map[string]Grades{}
	bad := 0
	problem := func(form string, args ...any) {
		if bad++; bad <= mostProblems {
			problems = append(problems, fmt.Sprintf(form, args...))
		}
	}
	sc := bufio.NewScanner(r)
	sc.Buffer(nil, 1<<20)
	for n := 1; sc.Scan(); n++ {
		f := strings.Fields(sc.Text())
		if len(f) == 0 {
			continue
		}
		if len(f) != 3 && len(f) != 4 {
			problem("line %d of the qrels has %d fields, not 3 or 4", n, len(f))
			continue
		}
		query, document := f[0], f[len(f)-2]
		grade, err := strconv.Atoi(f[len(f)-1])
		if err != nil {
			if n > 1 { // the first may be the header
				problem("line %d of the qrels: %q is no grade", n, f[len(f)-1])
			}
			continue
		}
		if judged[query] == nil {
			judged[query] = Grades{}
		}
		judged[query][document] = grade
	}
	if bad > mostProblems {
		problems = append(problems, fmt.Sprintf("and %d lines more", bad-mostProblems))
	}
	return judged, problems, sc.Err()
}

// WriteRun writes rankings in TREC's form: "query Q0 document rank score tag". [query] best first.
func WriteRun(w io.Writer, queries []string, ranked map[string][]string, tag string) error {
	b := bufio.NewWriter(w)
	for _, q := range queries {
		for i, d := range ranked[q] {
			fmt.Fprintf(b, "%s Q0 %s %d %d %s\n", plainField(q), plainField(d), i+1, len(ranked[q])-i, plainField(tag))
		}
	}
	return b.Flush()
}

// plainField keeps a field whole: the form parts fields by white space.
func plainField(s string) string {
	return cmp.Or(strings.Join(strings.Fields(s), "_"), "-")
}
