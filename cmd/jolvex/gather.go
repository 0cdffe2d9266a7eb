package main

import (
	"context"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"net/http"
	"net/url"
	"os"
	"path/filepath"
	"slices"
	"sort"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"jolvex/core/extract"
	"jolvex/internal/api"
	"jolvex/internal/app"
	"jolvex/internal/gathering"
	"jolvex/internal/indexing"
	"jolvex/internal/job"
	"jolvex/internal/store"
)

func gatherCommand(s *settings) *cobra.Command {
	var corpus string
	var set store.SourceSettings
	var quick bool
	c := &cobra.Command{
		Use:   "gather --corpus NAME ADDRESS|FILE...",
		Short: "Take websites and files into a corpus",
		Long: `Gathers each address as a site - every page that its links and sitemaps lead to, on the same host and under the same
folder - and takes in each file or every file of a folder that can be read: HTML, Markdown, text, CSV, JSON, DOCX, ODT,
PPTX, XLSX, EPUB, and captions as WebVTT, SubRip or TTML. The corpus is made when it is missing. The command ends when everything is indexed and the sentence encoder has read it; with --no-encode it ends once
everything can be found, and the encoder goes on whenever the data folder is open. What failed is told with its reason and
can be tried again by the same command.`,
		Example: `  jolvex gather --corpus support https://www.example.org/
  jolvex gather --corpus support guide.md faq.html notes/
  jolvex gather --corpus staging --allow-private http://127.0.0.1:8080/`,
		Args: args(cobra.MinimumNArgs(1)),
		RunE: func(cmd *cobra.Command, targets []string) error {
			cl, err := connect(cmd.Context(), s)
			if err != nil {
				return err
			}
			g := gatherer{cl, s, corpus, set, quick}
			return errors.Join(g.all(cmd.Context(), targets), cl.close())
		},
	}
	f := c.Flags()
	f.StringVar(&corpus, "corpus", "", "name of the corpus, made when missing")
	f.BoolVar(&quick, "no-encode", false, "do not wait for the sentence encoder")
	f.BoolVar(&set.AllowPrivate, "allow-private", false, "may reach private and loopback addresses")
	f.IntVar(&set.PageCap, "pages", 0, "the most pages of a site (default 5000)")
	f.IntVar(&set.Delay, "delay", 0, "milliseconds between requests to one host (default 1000; none on loopback)")
	f.StringSliceVar(&set.Exclude, "exclude", nil, "path patterns to leave alone: * for anything, $ for the end")
	f.StringSliceVar(&set.Include, "include", nil, "path patterns to take in, all others are read for their links alone")
	f.StringVar(&set.Render, "render", "", "open pages in a browser: never, empty (when one comes back empty) or always")
	f.IntVar(&set.Depth, "depth", 0, "the most links to follow from the start address (default any number)")
	must(c.MarkFlagRequired("corpus"))
	return c
}

// must is for what can only go wrong in the source of this program.
func must(err error) {
	if err != nil {
		panic(err)
	}
}

type gatherer struct {
	cl     *client
	s      *settings
	corpus string
	set    store.SourceSettings
	quick  bool
}

func (g *gatherer) ensure(ctx context.Context) error {
	err := g.cl.call(ctx, http.MethodPost, "/corpora", map[string]string{"name": g.corpus}, nil)
	var problem *apiError
	if errors.As(err, &problem) && problem.Status == http.StatusConflict {
		return nil
	}
	return err
}

// gathered is what the command tells at its end.
type gathered struct {
	Corpus  string              `json:"corpus"`
	States  map[string]int      `json:"states"`
	Chunks  int                 `json:"chunks"`
	Failed  []indexing.Document `json:"failed"`
	Seconds float64             `json:"seconds"`
	Waited  []string            `json:"waitedFor"`
}

func (g *gatherer) all(ctx context.Context, targets []string) error {
	began := time.Now()
	if err := g.ensure(ctx); err != nil {
		return err
	}
	out := gathered{Corpus: g.corpus, Failed: []indexing.Document{}, Waited: []string{}}
	for _, t := range targets {
		var err error
		info, statErr := os.Stat(t)
		switch {
		case strings.HasPrefix(t, "http://") || strings.HasPrefix(t, "https://"):
			err = g.site(ctx, t, &out)
		case statErr == nil && info.IsDir():
			err = g.folder(ctx, t, &out)
		case statErr == nil:
			err = g.file(ctx, t, &out)
		case errors.Is(statErr, fs.ErrNotExist) && !strings.Contains(t, "/") && strings.Contains(t, ".") && !slices.Contains(extract.Endings(), strings.ToLower(filepath.Ext(t))):
			err = g.site(ctx, "https://"+t+"/", &out)
		default:
			err = usageError{fmt.Errorf("%s is neither a file nor an http(s) address: %w", t, statErr)}
		}
		if err != nil {
			return err
		}
	}
	if !g.quick {
		if err := g.encoded(ctx, &out); err != nil {
			return err
		}
	}
	return g.report(ctx, &out, began)
}

// encoded waits until the sentence encoder has read what was taken in.
func (g *gatherer) encoded(ctx context.Context, out *gathered) error {
	var jobs []job.Job
	if err := g.cl.call(ctx, http.MethodGet, corpusPath(g.corpus, "jobs"), nil, &jobs); err != nil {
		return err
	}
	for _, j := range jobs {
		if j.Kind != job.Encode || j.State != "queued" && j.State != "running" {
			continue
		}
		done, err := g.cl.follow(ctx, g.corpus, j.ID, g.counter("encoder: %d of %d chunks"))
		g.say("\n")
		if err != nil {
			return fmt.Errorf("encode: %w", err)
		}
		out.Waited = append(out.Waited, fmt.Sprintf("the sentence encoder: %d chunks read", done.Total))
	}
	return nil
}

// counter tells each new step of a job on one line.
func (g *gatherer) counter(format string) func(job.Job) {
	last := ""
	return func(j job.Job) {
		line := fmt.Sprintf(format, j.Done, j.Total)
		if line == last || j.Total == 0 {
			return
		}
		last = line
		if j.Left > 1 {
			line += fmt.Sprintf(", %.1f a second, %.0f s left", j.Rate, j.Left)
		}
		g.say("\r%-70s", line)
	}
}

func (g *gatherer) say(format string, a ...any) {
	if !g.s.json {
		fmt.Fprintf(os.Stderr, format, a...)
	}
}

func (g *gatherer) site(ctx context.Context, address string, out *gathered) error {
	var added api.AddedSource
	if err := g.cl.call(ctx, http.MethodPost, corpusPath(g.corpus, "sources"), gathering.NewSource{Kind: store.KindSite, Address: address, Settings: g.set}, &added); err != nil {
		return fmt.Errorf("gather %s: %w", address, err)
	}
	j, err := g.cl.follow(ctx, g.corpus, added.Job.ID, g.counter(address+": %d of %d pages"))
	g.say("\n")
	if err != nil {
		return fmt.Errorf("gather %s: %w", address, err)
	}
	out.Waited = append(out.Waited, fmt.Sprintf("%s: %d pages fetched and indexed", address, j.Done))
	return nil
}

func (g *gatherer) folder(ctx context.Context, dir string, out *gathered) error {
	return filepath.WalkDir(dir, func(path string, d fs.DirEntry, err error) error {
		if err != nil {
			return err
		}
		if d.IsDir() && strings.HasPrefix(d.Name(), ".") && path != dir {
			return filepath.SkipDir
		}
		if d.Type().IsRegular() && slices.Contains(extract.Endings(), strings.ToLower(filepath.Ext(path))) {
			return g.file(ctx, path, out)
		}
		return nil
	})
}

func (g *gatherer) file(ctx context.Context, path string, out *gathered) error {
	f, err := os.Open(path)
	if err != nil {
		return err
	}
	// One byte over the limit is enough for the file to be told as too large.
	body, err := io.ReadAll(io.LimitReader(f, extract.MaxBytes+1))
	if err := errors.Join(err, f.Close()); err != nil {
		return err
	}
	var d indexing.Document
	if err := g.cl.call(ctx, http.MethodPut, corpusPath(g.corpus, "files")+"?name="+url.QueryEscape(filepath.ToSlash(path)), body, &d); err != nil {
		return fmt.Errorf("take in %s: %w", path, err)
	}
	g.say("%s: %s %s\n", path, d.State, d.Reason)
	out.Waited = append(out.Waited, path+": "+d.State)
	return nil
}

func (g *gatherer) report(ctx context.Context, out *gathered, began time.Time) error {
	var c app.Corpus
	if err := g.cl.call(ctx, http.MethodGet, corpusPath(g.corpus), nil, &c); err != nil {
		return err
	}
	var list api.DocumentList
	if err := g.cl.call(ctx, http.MethodGet, corpusPath(g.corpus, "documents")+"?state=failed&limit=1000", nil, &list); err != nil {
		return err
	}
	out.States, out.Chunks, out.Failed, out.Seconds = c.States, c.Chunks, list.Documents, time.Since(began).Seconds()
	if g.s.json {
		if err := printJSON(out); err != nil {
			return err
		}
	} else {
		fmt.Printf("%s: %d documents indexed in %d chunks, %.1f s\n", g.corpus, c.Documents, c.Chunks, out.Seconds)
		var states []string
		for st, n := range c.States {
			if st != store.Indexed {
				states = append(states, fmt.Sprintf("%d %s", n, st))
			}
		}
		sort.Strings(states)
		if len(states) > 0 {
			fmt.Println("also", strings.Join(states, ", "))
		}
		for _, w := range out.Waited {
			fmt.Println("waited for", w)
		}
		for _, d := range list.Documents {
			fmt.Printf("failed: %s: %s\n", d.Address, d.Reason)
		}
	}
	if c.Documents == 0 {
		return exitError{codeFailed}
	}
	return nil
}
