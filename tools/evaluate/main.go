// Command evaluate measures the built-in method: its ranking beside general full-text engines, and its replies, on real
// FAQs from Debian packages and on the demo's questions. Every figure comes with its 95 % interval.
//
//	go run ./tools/evaluate            what `make evaluate` prints
//	go run ./tools/evaluate -all       also the FAQ of Perl, Debian Reference and the New Maintainers' Guide
package main

import (
	"context"
	"errors"
	"flag"
	"fmt"
	"math"
	"os"
	"path/filepath"
	"strings"

	"jolvex/core/embed"
	"jolvex/core/find"
	"jolvex/core/measure"
	"jolvex/core/method"
	"jolvex/internal/extractor"
	"jolvex/tools/evaluate/grounding"
	"jolvex/tools/evaluate/grouping"
)

func main() {
	extractor.RunWorker()
	all := flag.Bool("all", false, "also the FAQ of Perl, Debian Reference and the New Maintainers' Guide")
	only := flag.String("only", "", "ranking, passes, replies, material (a manual and drawn tables), accident (with -keep: facts said of something else), chart (with -keep: how true charts are), causes (of planted failures), languages (with -keep: a manual in four of them), grouping (of questions by meaning; with -all the constants are fitted), grounding (claims: those that were written alone), inventing, fit: fit the weights of the signals with cross-validation, or sweep: a grid over the shares of meaning")
	verbose := flag.Bool("verbose", false, "show every question that failed")
	sampled := flag.String("samples", "", "write what passages look like to this file, for fitting support")
	half := flag.String("half", "open", "with -only material: open, held (for closing figures alone) or all")
	keep := flag.String("keep", "", "with -only material: a folder in which indexes are kept between calls")
	quote := flag.Int("quote", 0, "with -only material: print so many replies, drawn by lot, in place of the figures")
	over := flag.String("over", "", "with -only material: the one collection to ask, by the beginning of its name; with -only languages: that of the pages")
	seed := flag.Uint64("seed", 60, "with -only causes: of the lot by which failures are planted")
	var set list
	flag.Var(&set, "set", "a setting to try, as find.dense=0.5; may be given several times")
	flag.Parse()
	if *only == "material" {
		if err := onMaterial(context.Background(), *half, *keep, *over, set, *verbose, *quote); err != nil {
			fmt.Fprintln(os.Stderr, "evaluate:", err)
			os.Exit(1)
		}
		return
	}
	if *only == "causes" {
		if err := causes(context.Background(), *seed, *verbose); err != nil {
			fmt.Fprintln(os.Stderr, "evaluate:", err)
			os.Exit(1)
		}
		return
	}
	if *only == "languages" {
		if err := languages(context.Background(), *keep, *over, *sampled, set, *verbose); err != nil {
			fmt.Fprintln(os.Stderr, "evaluate:", err)
			os.Exit(1)
		}
		return
	}
	if *only == "chart" {
		if err := charts(context.Background(), *half, *keep, *over, set); err != nil {
			fmt.Fprintln(os.Stderr, "evaluate:", err)
			os.Exit(1)
		}
		return
	}
	if *only == "accident" {
		if err := accidents(context.Background(), *half, *keep, *over, set); err != nil {
			fmt.Fprintln(os.Stderr, "evaluate:", err)
			os.Exit(1)
		}
		return
	}
	if err := run(context.Background(), *all, *verbose, *only, *sampled, set); err != nil {
		fmt.Fprintln(os.Stderr, "evaluate:", err)
		os.Exit(1)
	}
}

// list is a flag that may be given several times.
type list []string

// String implements flag.Value.
func (l *list) String() string { return strings.Join(*l, ",") }

// Set implements flag.Value.
func (l *list) Set(s string) error {
	*l = append(*l, s)
	return nil
}

// change applies the settings to a method.
func (l list) change(m *method.Method) error {
	changes := map[string]string{}
	for _, kv := range l {
		key, value, _ := strings.Cut(kv, "=")
		changes[key] = value
	}
	out, err := method.With(*m, changes)
	if err == nil {
		*m = out
	}
	return err
}

func run(ctx context.Context, all, verbose bool, only, sampled string, set list) error {
	m := method.Default()
	if err := set.change(&m); err != nil {
		return err
	}
	switch {
	case sampled != "":
		return samples(ctx, sampled)
	case only == "fit":
		return fit(ctx, all, m.Find)
	case only == "sweep":
		return sweep(ctx, all, m.Find)
	case only == "passes":
		return passes(ctx)
	case only == "inventing":
		return inventing()
	case only == "grouping":
		return grouping.Measure(ctx, "tools/evaluate/debian-faq.jsonl", all, verbose)
	case only == "grounding":
		return grounding.Measure(ctx, debianFAQ, verbose, false)
	case only == "claims":
		return grounding.Measure(ctx, debianFAQ, verbose, true)
	case only == "replies":
		return replies(set.change, verbose)
	}
	if err := rankings(ctx, all, m.Find); err != nil || only == "ranking" {
		return err
	}
	if err := replies(set.change, verbose); err != nil {
		return err
	}
	if err := onMaterial(ctx, "open", "", "", set, verbose, 0); err != nil {
		return err
	}
	return errors.Join(passes(ctx), grounding.Measure(ctx, debianFAQ, verbose, false), inventing())
}

func collections(all bool) ([]*collection, error) {
	files, err := filepath.Glob(filepath.Join(debianFAQ, "*.en.html"))
	if err != nil {
		return nil, err
	}
	debian, err := fromHTML("debian-faq", files)
	if err != nil {
		return nil, err
	}
	qs, err := readExpected("tools/evaluate/debian-faq.jsonl")
	if err != nil {
		return nil, err
	}
	out := []*collection{debian}
	if err := debian.addExpected(qs); err != nil || !all {
		return out, err
	}
	reference, err := fromManual("debian-reference", filepath.Join(debianReference, "ch*.en.html"))
	if err != nil {
		return nil, err
	}
	guide, err := fromManual("maint-guide", filepath.Join(maintGuide, "*.en.html"))
	if err != nil {
		return nil, err
	}
	if files, err = filepath.Glob(perlFAQ); err != nil {
		return nil, err
	}
	perl, err := fromPod("perl-faq", files)
	return append(out, perl, reference, guide), err
}

func rankings(ctx context.Context, all bool, s find.Settings) error {
	static, err := embed.NewStatic()
	if err != nil {
		return err
	}
	encoder, err := embed.NewEncoder()
	if err != nil {
		return err
	}
	cs, err := collections(all)
	if err != nil {
		return err
	}
	ferries, err := fromDemo()
	if err != nil {
		return err
	}
	for _, c := range append(cs, ferries) {
		unit := "entries, their headings not indexed"
		if c == ferries {
			unit = "pages"
		}
		fmt.Printf("\n%s: %d %s. hit@1 / hit@3 / hit@5 in %%, MRR, nDCG@10, 95 %% interval of hit@5\n", c.name, len(c.entries), unit)
		bleve, err := bleveEngine(c)
		if err != nil {
			return err
		}
		fts, err := ftsEngine(c)
		if err != nil {
			return err
		}
		engines := []engine{bleve, fts}
		for _, r := range ours(s) {
			emb := embed.Embedder(encoder)
			if r.words {
				emb = static
			}
			e, err := product(ctx, r.name, c, emb, static, r.settings)
			if err != nil {
				return err
			}
			engines = append(engines, e)
		}
		for _, kind := range []string{"headings", "two-word", "reworded", "demo"} {
			for _, e := range engines {
				if err := printRanking(c, e, kind); err != nil {
					return err
				}
			}
		}
	}
	return nil
}

// ranked is one way of ranking that is measured.
type ranked struct {
	name     string
	words    bool // with word vectors, not the encoder
	settings find.Settings
}

// ours lists the product's signals alone, fused and reranked, in both grades of the built-in embedding.
func ours(s find.Settings) []ranked {
	with := func(change func(*find.Settings)) find.Settings {
		out := s
		change(&out)
		return out
	}
	return []ranked{
		{"words alone", true, with(func(s *find.Settings) { s.DenseWords, s.Sentence = 0, 0 })},
		{"word vectors alone", true, with(func(s *find.Settings) { s.DenseWords, s.Sentence = 1, 0 })},
		{"word vectors, fused", true, with(func(s *find.Settings) { s.Sentence = 0 })},
		{"word vectors, by ranks", true, with(func(s *find.Settings) { s.Sentence, s.Fusion = 0, find.ByRanks })},
		{"word vectors, reranked", true, s},
		{"encoder alone", false, with(func(s *find.Settings) { s.Dense, s.Sentence = 1, 0 })},
		{"encoder, fused", false, with(func(s *find.Settings) { s.Sentence = 0 })},
		{"encoder, by ranks", false, with(func(s *find.Settings) { s.Sentence, s.Fusion = 0, find.ByRanks })},
		{"encoder, reranked", false, s},
	}
}

func printRanking(c *collection, e engine, kind string) error {
	ranks, err := ranksOf(c, e, kind)
	if err != nil {
		return err
	}
	r := ranks.Retrieval()
	if r.Questions == 0 {
		return nil
	}
	w := measure.Wilson(int(math.Round(r.Hit5*float64(r.Questions))), r.Questions)
	fmt.Printf("  %-9s %-23s n=%-4d %3.0f / %3.0f / %3.0f   %.3f  %.3f   [%.0f, %.0f]\n", kind, e.name, r.Questions, 100*r.Hit1, 100*r.Hit3, 100*r.Hit5, r.MRR, r.NDCG, 100*w.Low, 100*w.High)
	return nil
}
