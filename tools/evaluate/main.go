// Command evaluate measures the built-in method: its ranking beside general full-text engines, and its replies, on real
// FAQs from Debian packages and on the demo's questions. Every figure comes with its 95 % interval.
//
//	go run ./tools/evaluate            what `make evaluate` prints
//	go run ./tools/evaluate -all       also the FAQs of Python, Git and Perl, when their packages are installed
package main

import (
	"flag"
	"fmt"
	"os"
	"path/filepath"
	"strconv"
	"strings"

	"jolvex/core/embed"
	"jolvex/core/find"
	"jolvex/core/measure"
	"jolvex/core/method"
)

func main() {
	all := flag.Bool("all", false, "also the FAQs of Python, Git and Perl")
	only := flag.String("only", "", "ranking or replies alone")
	set := flag.String("set", "", "find settings to try, as key=value,key=value")
	grid := flag.Bool("sweep", false, "print a grid over the shares of meaning")
	flag.Parse()
	if *grid {
		*only = "sweep"
	}
	if err := run(*all, *only, *set); err != nil {
		fmt.Fprintln(os.Stderr, "evaluate:", err)
		os.Exit(1)
	}
}

func run(all bool, only, set string) error {
	s, err := settings(set)
	if err != nil {
		return err
	}
	if only == "sweep" {
		return sweep(all, s)
	}
	if only != "replies" {
		if err := rankings(all, s); err != nil {
			return err
		}
	}
	if only != "ranking" {
		return replies()
	}
	return nil
}

func settings(set string) (find.Settings, error) {
	s := method.Default().Find
	if set == "" {
		return s, nil
	}
	fields := map[string]*float64{"k1": &s.K1, "b": &s.B, "dense": &s.Dense, "sentence": &s.Sentence}
	for _, kv := range strings.Split(set, ",") {
		k, v, _ := strings.Cut(kv, "=")
		x, err := strconv.ParseFloat(v, 64)
		if fields[k] == nil || err != nil {
			return s, fmt.Errorf("cannot set %q", kv)
		}
		*fields[k] = x
	}
	return s, nil
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
	if files, err = filepath.Glob(filepath.Join(pythonFAQ, "*.html")); err != nil {
		return nil, err
	}
	python, err := fromHTML("python-faq", files)
	if err != nil {
		return nil, err
	}
	git, err := fromHTML("git-faq", []string{gitFAQ})
	if err != nil {
		return nil, err
	}
	if files, err = filepath.Glob(perlFAQ); err != nil {
		return nil, err
	}
	perl, err := fromPod("perl-faq", files)
	return append(out, python, git, perl), err
}

func rankings(all bool, s find.Settings) error {
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
	for _, c := range cs {
		fmt.Printf("\n%s: %d entries, their headings not indexed. hit@1 / hit@5 / MRR in %%, 95 %% interval of hit@5\n", c.name, len(c.entries))
		bleve, err := bleveEngine(c)
		if err != nil {
			return err
		}
		fts, err := ftsEngine(c)
		if err != nil {
			return err
		}
		lexical := s
		lexical.DenseWords, lexical.Sentence = 0, 0
		words, err := product("Jolvex, words alone", c, static, static, lexical)
		if err != nil {
			return err
		}
		table, err := product("Jolvex, word vectors", c, static, static, s)
		if err != nil {
			return err
		}
		enc, err := product("Jolvex, encoder", c, encoder, static, s)
		if err != nil {
			return err
		}
		for _, kind := range []string{"headings", "two-word", "reworded"} {
			for _, e := range []engine{bleve, fts, words, table, enc} {
				if err := printRanking(c, e, kind); err != nil {
					return err
				}
			}
		}
	}
	return nil
}

func printRanking(c *collection, e engine, kind string) error {
	n, hit1, hit5, mrr := 0, 0.0, 0.0, 0.0
	for _, a := range c.asks {
		if a.kind != kind {
			continue
		}
		got, err := e.rank(a.text)
		if err != nil {
			return fmt.Errorf("%s, %q: %w", e.name, a.text, err)
		}
		rank := 0
		for i, id := range got {
			if id == a.want {
				rank = i + 1
				break
			}
		}
		n++
		hit1 += measure.Hit([]int{rank}, 1)
		hit5 += measure.Hit([]int{rank}, 5)
		mrr += measure.ReciprocalRank([]int{rank})
	}
	if n == 0 {
		return nil
	}
	w := measure.Wilson(int(hit5), n)
	f := 100 / float64(n)
	fmt.Printf("  %-9s %-21s n=%-4d %3.0f / %3.0f / %3.0f   [%.0f, %.0f]\n", kind, e.name, n, f*hit1, f*hit5, f*mrr, 100*w.Low, 100*w.High)
	return nil
}
