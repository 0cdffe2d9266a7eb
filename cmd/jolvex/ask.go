package main

import (
	"bufio"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"net/http"
	"os"
	"strings"

	"github.com/spf13/cobra"

	"jolvex/core/answer"
	"jolvex/core/find"
	"jolvex/core/query"
	"jolvex/internal/api"
	"jolvex/internal/asking"
)

func askCommand(s *settings) *cobra.Command {
	return questionCommand(s, "ask", "Ask a corpus and read the cited reply", printReply)
}

func findCommand(s *settings) *cobra.Command {
	return questionCommand(s, "find", "See the ranked chunks for a question, and why they rank", printRanking)
}

func questionCommand(s *settings, verb, short string, show func(io.Writer, *asking.Reply)) *cobra.Command {
	var corpus, file string
	c := &cobra.Command{
		Use:   verb + ` --corpus NAME "question"`,
		Short: short,
		Long: short + `.

With --questions, asks every line of a file ("-" for the standard input) and writes one JSON object a line. A line of the
file is a JSON object with "id", "question" and, for a follow-up, "turns": a list of {"role": "user" or "assistant",
"text": ...}, oldest first.`,
		Example: fmt.Sprintf("  jolvex %[1]s --corpus support \"How much is a day ticket?\"\n  jolvex %[1]s --corpus support --json \"refund kayak\"\n  jolvex %[1]s --corpus support --questions questions.jsonl > replies.jsonl", verb),
		Args: args(func(_ *cobra.Command, a []string) error {
			if (file == "") != (len(a) == 1) {
				return errors.New("give one question, or --questions FILE")
			}
			return nil
		}),
		RunE: func(cmd *cobra.Command, a []string) error {
			cl, err := connect(cmd.Context(), s)
			if err != nil {
				return err
			}
			one := func(q line) (*asking.Reply, error) {
				var r asking.Reply
				err := cl.call(cmd.Context(), http.MethodPost, corpusPath(corpus, verb), api.Ask{Question: q.Question, Turns: q.Turns, Surface: "command"}, &r)
				return &r, err
			}
			if file != "" {
				return errors.Join(many(cmd.Context(), file, one), cl.close())
			}
			r, err := one(line{Question: a[0]})
			switch {
			case err != nil:
			case s.json:
				err = printJSON(record(line{Question: a[0]}, r))
			default:
				show(os.Stdout, r)
			}
			return errors.Join(err, cl.close())
		},
	}
	c.Flags().StringVar(&corpus, "corpus", "", "name of the corpus")
	c.Flags().StringVar(&file, "questions", "", "file with a question a line, as JSON; - for the standard input")
	must(c.MarkFlagRequired("corpus"))
	return c
}

// line is one question of a file.
type line struct {
	ID       string       `json:"id"`
	Question string       `json:"question"`
	Turns    []query.Turn `json:"turns,omitempty"`
}

func many(ctx context.Context, file string, ask func(line) (*asking.Reply, error)) error {
	in := io.Reader(os.Stdin)
	if file != "-" {
		f, err := os.Open(file)
		if err != nil {
			return err
		}
		defer f.Close()
		in = f
	}
	sc := bufio.NewScanner(in)
	sc.Buffer(nil, 4<<20)
	out := bufio.NewWriter(os.Stdout)
	enc := json.NewEncoder(out)
	enc.SetEscapeHTML(false)
	failed := 0
	for n := 1; sc.Scan(); n++ {
		if strings.TrimSpace(sc.Text()) == "" {
			continue
		}
		var q line
		if err := json.Unmarshal(sc.Bytes(), &q); err != nil {
			return usageError{errors.Join(fmt.Errorf("line %d of %s: %w", n, file, err), out.Flush())}
		}
		if q.ID == "" {
			q.ID = fmt.Sprint(n)
		}
		r, err := ask(q)
		if ctx.Err() != nil {
			return errors.Join(ctx.Err(), out.Flush())
		}
		rec := record(q, r)
		if err != nil {
			failed++
			rec.Error = err.Error()
		}
		if err := enc.Encode(rec); err != nil {
			return err
		}
		if err := out.Flush(); err != nil {
			return err
		}
	}
	if err := sc.Err(); err != nil {
		return fmt.Errorf("read %s: %w", file, err)
	}
	if failed > 0 {
		return fmt.Errorf("%d questions could not be asked; their lines say why", failed)
	}
	return nil
}

// asked is one reply as the command line writes it.
type asked struct {
	ID         string          `json:"id,omitempty"`
	Question   string          `json:"question"`
	Reply      string          `json:"reply"`
	Refused    bool            `json:"refused"`
	Outcome    string          `json:"outcome"`
	Why        string          `json:"why"`
	Support    float64         `json:"support"`
	Sentences  []sentence      `json:"sentences"`
	Cited      []cited         `json:"cited"`
	Candidates []candidate     `json:"candidates"`
	Wordings   []query.Wording `json:"wordings"`
	Millis     float64         `json:"milliseconds"`
	Error      string          `json:"error,omitempty"`
}

type sentence struct {
	Text    string  `json:"text"`
	Support float64 `json:"support"`
	Cited   int     `json:"cited"` // index in cited, -1 for none
}

type cited struct {
	Address string   `json:"address"`
	Link    string   `json:"link"`
	Title   string   `json:"title"`
	Path    []string `json:"headingPath"`
	Passage string   `json:"passage"`
}

type candidate struct {
	Rank    int           `json:"rank"`
	Score   float64       `json:"score"`
	Address string        `json:"address"`
	Title   string        `json:"title"`
	Path    []string      `json:"headingPath"`
	Text    string        `json:"text"`
	Kept    bool          `json:"kept"`
	Support float64       `json:"support,omitempty"`
	Signals []find.Signal `json:"signals"`
	Why     []string      `json:"why"`
	// Features are what the support is made of, for candidates that the reply could draw on.
	Features *answer.Features `json:"features,omitempty"`
}

func record(q line, r *asking.Reply) asked {
	out := asked{ID: q.ID, Question: q.Question, Sentences: []sentence{}, Cited: []cited{}, Candidates: []candidate{}, Wordings: []query.Wording{}}
	if r == nil || r.Trail == nil {
		return out
	}
	out.Reply, out.Refused, out.Support, out.Millis = r.Reply, r.Refused, r.Support, r.Millis
	out.Outcome, out.Why, out.Wordings = string(r.Trail.Outcome), r.Trail.Why, r.Trail.Reading.Wordings
	at := map[int]int{}
	for i, c := range r.Cited {
		at[c.Sentence] = i
		out.Cited = append(out.Cited, cited{c.Address, c.Link, c.Title, c.Path, c.Passage})
	}
	for i, t := range r.Trail.Reply {
		k, ok := at[i]
		if !ok {
			k = -1
		}
		out.Sentences = append(out.Sentences, sentence{t.Text, t.Support, k})
	}
	for i, e := range r.Evidence {
		out.Candidates = append(out.Candidates, candidate{i + 1, e.Score, e.Address, e.Title, e.Path, e.Text, e.Kept, e.Support, e.Signals, e.Why, e.Features})
	}
	return out
}

func printJSON(v any) error {
	enc := json.NewEncoder(os.Stdout)
	enc.SetEscapeHTML(false)
	enc.SetIndent("", "  ")
	return enc.Encode(v)
}

func printReply(w io.Writer, r *asking.Reply) {
	marks := map[int]int{}
	var sources []asking.Cited
	number := map[string]int{}
	for _, c := range r.Cited {
		key := c.Address + strings.Join(c.Path, "/")
		if number[key] == 0 {
			sources = append(sources, c)
			number[key] = len(sources)
		}
		marks[c.Sentence] = number[key]
	}
	for i, s := range r.Trail.Reply {
		if m := marks[i]; m > 0 {
			fmt.Fprintf(w, "%s [%d]\n", s.Text, m)
			continue
		}
		fmt.Fprintln(w, s.Text)
	}
	fmt.Fprintf(w, "\nsupport %.2f, bar %.2f, %.0f ms\n", r.Support, r.Trail.Bar, r.Millis)
	for i, c := range sources {
		fmt.Fprintf(w, "[%d] %s  %s\n", i+1, strings.Join(append([]string{c.Title}, c.Path...), " › "), c.Link)
	}
}

func printRanking(w io.Writer, r *asking.Reply) {
	for _, x := range r.Trail.Reading.Wordings {
		fmt.Fprintf(w, "%-10s %s\n", x.Pass, x.Text)
	}
	for i, e := range r.Evidence {
		var why []string
		for _, s := range e.Signals {
			if s.Share >= 0.005 {
				why = append(why, fmt.Sprintf("%s %.0f %%", s.Name, 100*s.Share))
			}
		}
		fmt.Fprintf(w, "\n%2d  %.2f  %s\n    %s\n    %s\n    %s\n", i+1, e.Score, strings.Join(append([]string{e.Title}, e.Path...), " › "), e.Address, strings.Join(why, ", "), clip(e.Text, 200))
	}
	if len(r.Evidence) == 0 {
		fmt.Fprintln(w, "nothing found")
	}
}

func clip(s string, n int) string {
	s = strings.Join(strings.Fields(s), " ")
	if r := []rune(s); len(r) > n {
		return string(r[:n]) + "…"
	}
	return s
}
