// Command evaluate measures the built-in method: its ranking beside general full-text engines, and its replies, on real
// FAQs from Debian packages and on the demo's questions. Every figure comes with its 95 % interval.
//
//	go run ./tools/evaluate            what `make evaluate` prints
//	go run ./tools/evaluate -all       also the FAQs of Python, Git and Perl, when their packages are installed
package main

import (
	"encoding/json"
	"flag"
	"fmt"
	"os"
	"path/filepath"
	"strings"

	"jolvex/core/embed"
	"jolvex/core/find"
	"jolvex/core/measure"
	"jolvex/core/method"
)

func main() {
	all := flag.Bool("all", false, "also the FAQs of Python, Git and Perl")
	only := flag.String("only", "", "ranking, replies, or sweep: a grid over the shares of meaning")
	verbose := flag.Bool("verbose", false, "show every question that failed")
	sampled := flag.String("samples", "", "write what passages look like to this file, for fitting support")
	var set list
	flag.Var(&set, "set", "a setting to try, as find.dense=0.5; may be given several times")
	flag.Parse()
	if err := run(*all, *verbose, *only, *sampled, set); err != nil {
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
	for _, kv := range l {
		key, value, _ := strings.Cut(kv, "=")
		stage, name, _ := strings.Cut(key, ".")
		raw, err := json.Marshal(map[string]map[string]json.RawMessage{stage: {name: json.RawMessage(value)}})
		if err != nil {
			return fmt.Errorf("setting %q: %w", kv, err)
		}
		before := *m
		if err := json.Unmarshal(raw, m); err != nil {
			return fmt.Errorf("setting %q: %w", kv, err)
		}
		if before == *m {
			return fmt.Errorf("setting %q changes nothing", kv)
		}
	}
	return nil
}

func run(all, verbose bool, only, sampled string, set list) error {
	m := method.Default()
	if err := set.change(&m); err != nil {
		return err
	}
	switch {
	case sampled != "":
		return samples(sampled)
	case only == "sweep":
		return sweep(all, m.Find)
	case only == "replies":
		return replies(set.change, verbose)
	}
	if err := rankings(all, m.Find); err != nil || only == "ranking" {
		return err
	}
	return replies(set.change, verbose)
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
