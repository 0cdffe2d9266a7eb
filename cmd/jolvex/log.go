package main

import (
	"errors"
	"fmt"
	"net/http"
	"net/url"
	"os"

	"github.com/spf13/cobra"

	"jolvex/internal/job"
	"jolvex/internal/mending/conversations"
)

// logCommand takes in and gives out what was asked.
func logCommand(s *settings) *cobra.Command {
	c := &cobra.Command{Use: "log", Short: "Take in conversations that were held elsewhere, or give out what was asked"}
	var corpus, form, since, until string
	var keep, tests, hide bool
	in := &cobra.Command{
		Use:     "import --corpus NAME FILE",
		Short:   "Take in conversations from JSON Lines or CSV; the draft answers every question",
		Example: "  jolvex log import --corpus support chats.jsonl\n  jolvex log import --corpus support --keep-replies chats.csv",
		Args:    args(cobra.ExactArgs(1)),
		RunE: func(cmd *cobra.Command, a []string) (err error) {
			body, err := os.ReadFile(a[0])
			if err != nil {
				return err
			}
			cl, err := connect(cmd.Context(), s)
			if err != nil {
				return err
			}
			var got conversations.Imported
			defer func() { err = errors.Join(err, cl.close()) }()
			if err := cl.call(cmd.Context(), http.MethodPost, corpusPath(corpus, "log", "import")+fmt.Sprintf("?keep=true&ask=%t", !keep), body, &got); err != nil {
				return err
			}
			for _, p := range got.Problems {
				fmt.Fprintf(os.Stderr, "line %d: %s\n", p.Line, p.Text)
			}
			fmt.Printf("%d conversations with %d questions read, %d conversations new, %d lines could not be taken in\n", got.Conversations, got.Exchanges, got.Fresh, got.Failed)
			if got.Job == nil {
				return nil
			}
			_, err = cl.follow(cmd.Context(), corpus, got.Job.ID, func(j job.Job) {
				if j.State == "done" {
					fmt.Printf("%d questions answered by the draft\n", j.Done)
				}
			})
			return err
		},
	}
	in.Flags().BoolVar(&keep, "keep-replies", false, "keep the replies of the file; the draft answers only where there is none")
	out := &cobra.Command{
		Use:     "export --corpus NAME",
		Short:   "Give out what users asked as JSON Lines or CSV",
		Example: "  jolvex log export --corpus support --since 2026-03-01T00:00:00Z > march.jsonl",
		Args:    args(cobra.NoArgs),
		RunE: func(cmd *cobra.Command, _ []string) (err error) {
			cl, err := connect(cmd.Context(), s)
			if err != nil {
				return err
			}
			defer func() { err = errors.Join(err, cl.close()) }()
			q := url.Values{"form": {form}, "since": {since}, "until": {until}, "tests": {fmt.Sprint(tests)}, "hide": {fmt.Sprint(hide)}}
			var raw []byte
			if err := cl.call(cmd.Context(), http.MethodGet, corpusPath(corpus, "log", "export")+"?"+q.Encode(), nil, &raw); err != nil {
				return err
			}
			_, err = os.Stdout.Write(raw)
			return err
		},
	}
	out.Flags().StringVar(&form, "form", "jsonl", "jsonl, which can be imported, or csv")
	out.Flags().StringVar(&since, "since", "", "the first moment, as 2026-03-01T00:00:00Z")
	out.Flags().StringVar(&until, "until", "", "the first moment that is no longer meant")
	out.Flags().BoolVar(&tests, "tests", false, "what people asked who work here, instead of what users did")
	out.Flags().BoolVar(&hide, "hide", false, "mask mail addresses, telephone numbers and the like")
	for _, x := range []*cobra.Command{in, out} {
		x.Flags().StringVar(&corpus, "corpus", "", "name of the corpus")
		must(x.MarkFlagRequired("corpus"))
		c.AddCommand(x)
	}
	return c
}
