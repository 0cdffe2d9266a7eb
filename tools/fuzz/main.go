// Command fuzz runs the fuzz tests one after another and adds how many inputs each was given to a list that is kept, docs/fuzz.tsv, so that the
// count goes on from run to run. It stops at the first input that crashes a test, which Go keeps beside the test.
package main

import (
	"bufio"
	"errors"
	"flag"
	"fmt"
	"io"
	"os"
	"os/exec"
	"regexp"
	"strconv"
	"strings"
	"time"

	"jolvex/core/extract"
)

var targets = []struct{ pack, name string }{
	{"./core/extract", "FuzzExtract"},
	{"./core/extract", "FuzzOffice"},
	{"./core/extract", "FuzzFromPDF"},
	{"./core/text", "FuzzWordsAndSentences"},
	{"./internal/gather", "FuzzRobots"},
	{"./internal/gather", "FuzzLists"},
}

func main() {
	each := flag.Duration("time", 30*time.Second, "for each test")
	only := flag.String("only", "", "tests whose names hold this")
	kept := flag.String("kept", "docs/fuzz.tsv", "the list")
	flag.Parse()
	if err := run(*each, *only, *kept); err != nil {
		fmt.Fprintln(os.Stderr, "fuzz:", err)
		os.Exit(1)
	}
}

func run(each time.Duration, only, kept string) error {
	for _, t := range targets {
		if !strings.Contains(t.name, only) {
			continue
		}
		n, err := fuzz(t.pack, t.name, each)
		if n > 0 {
			err = errors.Join(err, note(kept, fmt.Sprintf("%s\t%s\t%d\t%.0f\t%s\n", time.Now().UTC().Format("2006-01-02"), t.name, n, each.Seconds(), extract.Version)))
		}
		if err != nil {
			return fmt.Errorf("%s: %w", t.name, err)
		}
		fmt.Printf("%s: %d inputs\n", t.name, n)
	}
	return total(kept)
}

var execs = regexp.MustCompile(`execs: (\d+)`)

func fuzz(pack, name string, each time.Duration) (int, error) {
	cmd := exec.Command("go", "test", "-run", "^$", "-fuzz", "^"+name+"$", "-fuzztime", each.String(), "-fuzzminimizetime", "1s", pack)
	out, err := cmd.StdoutPipe()
	if err != nil {
		return 0, err
	}
	cmd.Stderr = os.Stderr
	if err := cmd.Start(); err != nil {
		return 0, err
	}
	last := 0
	for sc := bufio.NewScanner(io.TeeReader(out, os.Stderr)); sc.Scan(); {
		if m := execs.FindStringSubmatch(sc.Text()); m != nil {
			if last, err = strconv.Atoi(m[1]); err != nil {
				return 0, err
			}
		}
	}
	return last, cmd.Wait()
}

func note(kept, line string) error {
	f, err := os.OpenFile(kept, os.O_APPEND|os.O_CREATE|os.O_WRONLY, 0o644)
	if err != nil {
		return err
	}
	_, err = f.WriteString(line)
	return errors.Join(err, f.Close())
}

func total(kept string) error {
	raw, err := os.ReadFile(kept)
	if err != nil {
		return err
	}
	sum := map[string]int{}
	all := 0
	for line := range strings.Lines(string(raw)) {
		f := strings.Split(strings.TrimSpace(line), "\t")
		if len(f) != 5 || strings.HasPrefix(line, "#") {
			continue
		}
		n, err := strconv.Atoi(f[2])
		if err != nil {
			return fmt.Errorf("%s: %w", kept, err)
		}
		sum[f[1]] += n
		for _, t := range targets {
			if t.name == f[1] && t.pack == "./core/extract" {
				all += n
			}
		}
	}
	for _, t := range targets {
		fmt.Printf("%-24s %d\n", t.name, sum[t.name])
	}
	fmt.Printf("%-24s %d\n", "on core/extract in all", all)
	return nil
}
