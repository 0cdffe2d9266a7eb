package main

import (
	"context"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"maps"
	"net/http"
	"net/url"
	"os"
	"path/filepath"
	"slices"
	"sort"
	"strings"
	"sync"
	"time"

	"github.com/spf13/cobra"
	"golang.org/x/sync/errgroup"

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
	var list string
	c := &cobra.Command{
		Use:   "gather --corpus NAME ADDRESS|FILE...",
		Short: "Take websites and files into a corpus",
		Long: `Gathers each address as a site - every page that its links and sitemaps lead to, on the same host and under the same
folder - and takes in each file or every file of a folder that can be read: HTML, Markdown, text, CSV, JSON, DOCX, ODT,
PPTX, XLSX, EPUB, and captions as WebVTT, SubRip or TTML. The corpus is made when it is missing. The command ends when everything is indexed and the sentence encoder has read it; with --no-encode it ends once
everything can be found, and the encoder goes on whenever the data folder is open. What failed is told with its reason and
can be tried again by the same command. It ends with code 1 when nothing came in, or when a site could not be reached or would
have lost much of what it had.`,
		Example: `  jolvex gather --corpus support https://www.example.org/
  jolvex gather --corpus support guide.md faq.html notes/
  jolvex gather --corpus staging --allow-private http://127.0.0.1:8080/`,
		Args: args(cobra.ArbitraryArgs),
		RunE: func(cmd *cobra.Command, targets []string) error {
			if len(targets) == 0 && list == "" {
				return usageError{errors.New("name an address, a file or a folder, or a list with --list")}
			}
			cl, err := connect(cmd.Context(), s)
			if err != nil {
				return err
			}
			g := gatherer{cl, s, corpus, set, quick, list}
			return errors.Join(g.all(cmd.Context(), targets), cl.close())
		},
	}
	f := c.Flags()
	f.StringVar(&corpus, "corpus", "", "name of the corpus, made when missing")
	f.StringVar(&list, "list", "", "file of addresses, one a line: those pages and no others")
	f.BoolVar(&quick, "no-encode", false, "do not wait for the sentence encoder")
	f.BoolVar(&set.AllowPrivate, "allow-private", false, "the host of the address may be private or on this machine")
	f.StringSliceVar(&set.PrivateHosts, "allow-host", nil, "further hosts, as host:port, that may be private")
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
	list   string
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
	Corpus   string              `json:"corpus"`
	States   map[string]int      `json:"states"`
	Chunks   int                 `json:"chunks"`
	Failed   []indexing.Document `json:"failed"`
	Seconds  float64             `json:"seconds"`
	Sources  []visited           `json:"sources"` // what was visited
	Files    int                 `json:"files"`   // that were handed over
	Problems []string            `json:"problems"`
}

// visited is what came of a site.
type visited struct {
	Address   string   `json:"address"`
	Documents int      `json:"documents"` // that can be found
	Failed    int      `json:"failed"`
	Notices   []string `json:"notices"`
}

func (g *gatherer) all(ctx context.Context, targets []string) error {
	began := time.Now()
	if err := g.ensure(ctx); err != nil {
		return err
	}
	out := gathered{Corpus: g.corpus, Failed: []indexing.Document{}, Sources: []visited{}, Problems: []string{}}
	var files []string
	for _, t := range targets {
		var err error
		info, statErr := os.Stat(t)
		switch {
		case strings.HasPrefix(t, "http://") || strings.HasPrefix(t, "https://"):
			err = g.site(ctx, t, &out)
		case statErr == nil && info.IsDir():
			before := len(files)
			if files, err = filesUnder(t, files); err == nil && len(files) == before {
				out.Problems = append(out.Problems, t+": no file in it can be read")
			}
		case statErr == nil:
			files = append(files, t)
		case errors.Is(statErr, fs.ErrNotExist) && !strings.Contains(t, "/") && strings.Contains(t, ".") && !slices.Contains(extract.Endings(), strings.ToLower(filepath.Ext(t))):
			err = g.site(ctx, "https://"+t+"/", &out)
		default:
			err = usageError{fmt.Errorf("%s is neither a file nor an http(s) address: %w", t, statErr)}
		}
		if err != nil {
			return err
		}
	}
	if g.list != "" {
		raw, err := os.ReadFile(g.list)
		if err != nil {
			return usageError{fmt.Errorf("read the list: %w", err)}
		}
		set := g.set
		set.Addresses = strings.Split(string(raw), "\n")
		if err := g.visit(ctx, g.list, gathering.NewSource{Kind: store.KindList, Settings: set}, &out); err != nil {
			return err
		}
	}
	if err := g.files(ctx, files, &out); err != nil {
		return err
	}
	if err := g.through(ctx); err != nil {
		return err
	}
	return g.report(ctx, &out, began)
}

// through waits until everything that came in is indexed and checked and, unless that is not wanted, the sentence encoder has read it. Each
// job is waited for by its own number; what they queue is waited for as well.
func (g *gatherer) through(ctx context.Context) error {
	steps := map[string]string{job.Gather: "fetched: %d of %d pages", job.TakeIn: "indexed: %d of %d files", job.Rebuild: "indexed: %d of %d documents", job.Check: "checked: %d of %d documents", job.Encode: "encoder: %d of %d chunks"}
	for {
		var jobs []job.Job
		if err := g.cl.call(ctx, http.MethodGet, corpusPath(g.corpus, "jobs"), nil, &jobs); err != nil {
			return err
		}
		at := slices.IndexFunc(jobs, func(j job.Job) bool {
			return steps[j.Kind] != "" && (j.State == "queued" || j.State == "running") && (j.Kind != job.Encode || !g.quick)
		})
		if at < 0 {
			return nil
		}
		if _, err := g.cl.follow(ctx, g.corpus, jobs[at].ID, g.counter(steps[jobs[at].Kind])); err != nil {
			return fmt.Errorf("%s: %w", jobs[at].Kind, err)
		}
		g.say("\n")
	}
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
	return g.visit(ctx, address, gathering.NewSource{Kind: store.KindSite, Address: address, Settings: g.set}, out)
}

// visit adds a source and waits until it has been visited.
func (g *gatherer) visit(ctx context.Context, address string, n gathering.NewSource, out *gathered) error {
	var added api.AddedSource
	if err := g.cl.call(ctx, http.MethodPost, corpusPath(g.corpus, "sources"), n, &added); err != nil {
		return fmt.Errorf("gather %s: %w", address, err)
	}
	for _, p := range added.Source.Problems {
		g.say("%s: %s\n", address, p)
	}
	_, err := g.cl.follow(ctx, g.corpus, added.Job.ID, g.counter(address+": %d of %d pages"))
	g.say("\n")
	if err != nil {
		return fmt.Errorf("gather %s: %w", address, err)
	}
	var sources []gathering.Source
	if err := g.cl.call(ctx, http.MethodGet, corpusPath(g.corpus, "sources"), nil, &sources); err != nil {
		return err
	}
	for _, s := range sources {
		if s.ID != added.Source.ID {
			continue
		}
		in := s.States[store.Indexed] + s.States[store.Unchanged]
		out.Sources = append(out.Sources, visited{s.Address, in, s.States[store.Failed], s.Notices})
		switch {
		case s.Held != nil:
			out.Problems = append(out.Problems, fmt.Sprintf("%s: %d of %d documents would go (%s); the old versions stay until a person decides, on the source's card in Gather",
				s.Address, s.Held.Lost, s.Held.Of, s.Held.Saw[0].What))
		case s.Trouble != "":
			out.Problems = append(out.Problems, s.Address+": "+s.Trouble)
		case in == 0 && s.States[store.Found] == 0:
			out.Problems = append(out.Problems, s.Address+": nothing came in")
		}
	}
	return nil
}

// filesUnder adds the files of a folder that can be read to a list.
func filesUnder(dir string, files []string) ([]string, error) {
	err := filepath.WalkDir(dir, func(path string, d fs.DirEntry, err error) error {
		if err != nil {
			return err
		}
		if d.IsDir() && strings.HasPrefix(d.Name(), ".") && path != dir {
			return filepath.SkipDir
		}
		if d.Type().IsRegular() && extract.Readable(path) {
			files = append(files, path)
		}
		return nil
	})
	return files, err
}

// filesAtOnce is how many files are sent at a time.
const filesAtOnce = 4

// files hands files over. They go into the index together; see through.
func (g *gatherer) files(ctx context.Context, paths []string, out *gathered) error {
	if len(paths) == 0 {
		return nil
	}
	var mu sync.Mutex
	refused, reasons := 0, map[string]int{}
	group, ctx := errgroup.WithContext(ctx)
	group.SetLimit(filesAtOnce)
	for _, path := range paths {
		group.Go(func() error {
			d, err := g.file(ctx, path)
			if err != nil {
				return err
			}
			mu.Lock()
			defer mu.Unlock()
			if out.Files++; d.State == store.Failed || d.State == store.LeftOut {
				refused++
				reasons[d.Reason]++
				g.say("%s: %s %s\n", path, d.State, d.Reason)
			} else if len(paths) <= 20 {
				g.say("%s: taken in\n", path)
			} else if out.Files%100 == 0 || out.Files == len(paths) {
				g.say("\r%d of %d files", out.Files, len(paths))
			}
			return nil
		})
	}
	err := group.Wait()
	g.say("\n")
	if err == nil && refused == len(paths) {
		out.Problems = append(out.Problems, fmt.Sprintf("none of the files could be taken in: %s", slices.Sorted(maps.Keys(reasons))[0]))
	}
	return err
}

func (g *gatherer) file(ctx context.Context, path string) (indexing.Document, error) {
	var d indexing.Document
	f, err := os.Open(path)
	if err != nil {
		return d, fmt.Errorf("take in %s: %w", path, err)
	}
	// One byte over the limit is enough for the file to be told as too large.
	body, err := io.ReadAll(io.LimitReader(f, extract.MaxBytes+1))
	if err := errors.Join(err, f.Close()); err != nil {
		return d, fmt.Errorf("take in %s: %w", path, err)
	}
	if err := g.cl.call(ctx, http.MethodPut, corpusPath(g.corpus, "files")+"?later=true&name="+url.QueryEscape(filepath.ToSlash(path)), body, &d); err != nil {
		return d, fmt.Errorf("take in %s: %w", path, err)
	}
	return d, nil
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
		fmt.Printf("%s: %s indexed in %s, %.1f s\n", g.corpus, plural(c.Documents, "document", "documents"), plural(c.Chunks, "chunk", "chunks"), out.Seconds)
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
		for _, v := range out.Sources {
			fmt.Printf("%s: %s, %d failed\n", v.Address, plural(v.Documents, "document", "documents"), v.Failed)
			for _, n := range v.Notices {
				fmt.Printf("%s: %s\n", v.Address, n)
			}
		}
		if out.Files > 0 {
			fmt.Printf("%s handed over\n", plural(out.Files, "file", "files"))
		}
		for _, d := range list.Documents {
			fmt.Printf("failed: %s: %s\n", d.Address, d.Reason)
		}
	}
	for _, p := range out.Problems {
		fmt.Fprintln(os.Stderr, "jolvex:", p)
	}
	if c.Documents == 0 || len(out.Problems) > 0 {
		if c.Documents == 0 && len(out.Problems) == 0 {
			fmt.Fprintln(os.Stderr, "jolvex: nothing came in")
		}
		return exitError{codeFailed}
	}
	return nil
}

// plural is a count with its noun.
func plural(n int, one, many string) string {
	if n == 1 {
		return "1 " + one
	}
	return fmt.Sprintf("%d %s", n, many)
}
