// Package grouping measures how well questions are put together by meaning, beside groups that were made by hand before.
package grouping

import (
	"bufio"
	"bytes"
	"context"
	_ "embed" // the labelled questions
	"encoding/json"
	"fmt"
	"os"
	"slices"
	"strings"

	"jolvex/core/embed"
	"jolvex/core/find"
	"jolvex/core/group"
	"jolvex/core/index"
	"jolvex/core/measure"
	"jolvex/core/text"
	"jolvex/demo"
)

//go:embed library.tsv
var library string

//go:embed baths.tsv
var baths string

// labelled is a question with the number of the group that a person put it in.
type labelled struct {
	text  string
	group int
}

// Measure prints how far grouping agrees with groups made by hand. With fit, it tries other constants on the material that they are fitted on.
func Measure(ctx context.Context, faq string, fit, verbose bool) error {
	e, err := embed.NewEncoder()
	if err != nil {
		return err
	}
	raw, err := os.ReadFile(faq)
	if err != nil {
		return err
	}
	rewordings, err := fitted(raw)
	if err != nil {
		return err
	}
	sets := [][]labelled{labels(baths)}
	sets = append(sets, rewordings...)
	open := make([][]group.Item, len(sets))
	for i, ls := range sets {
		if open[i], err = items(ctx, e, ls); err != nil {
			return err
		}
	}
	if fit {
		for _, common := range []float64{0, .5, .8, 1, 1.2} {
			for near := .1; near < .6; near += .02 {
				f := group.Fit{Near: near, Common: common}
				fmt.Printf("common %.1f near %.2f:", common, near)
				mean := 0.0
				for i, ls := range sets {
					x := agreement(open[i], ls, f)
					fmt.Printf(" %.3f", x)
					mean += x / float64(len(sets))
				}
				fmt.Printf(" mean %.3f\n", mean)
			}
		}
		return nil
	}
	held := labels(library)
	all, err := items(ctx, e, held)
	if err != nil {
		return err
	}
	f := group.Usual()
	fmt.Printf("adjusted Rand index of grouping (near %.2f, common %.1f)\n", f.Near, f.Common)
	for i, name := range []string{"baths, fitted on", "debian-faq, fitted on", "demo, fitted on"} {
		fmt.Printf("  %-36s %4d questions  %.3f\n", name, len(sets[i]), agreement(open[i], sets[i], f))
	}
	fmt.Printf("  %-36s %4d questions  %.3f\n", "a library, labelled before", len(held), agreement(all, held, f))
	catches(sets[0], open[0], false)
	catches(held, all, verbose)
	if verbose {
		for _, m := range group.Members(group.Groups(all, nil, f)) {
			fmt.Println()
			for _, i := range m {
				fmt.Printf("  %2d %s\n", held[i].group, held[i].text)
			}
		}
	}
	return nil
}

func agreement(is []group.Item, by []labelled, f group.Fit) float64 {
	want := make([]int, len(by))
	for i, l := range by {
		want[i] = l.group
	}
	return measure.AdjustedRand(group.Groups(is, nil, f), want)
}

func items(ctx context.Context, e *embed.Encoder, ls []labelled) ([]group.Item, error) {
	texts := make([]string, len(ls))
	for i, l := range ls {
		texts[i] = l.text
	}
	vs, err := e.Embed(ctx, texts)
	out := make([]group.Item, len(ls))
	for i := range vs {
		out[i] = group.Item{Text: texts[i], Vector: vs[i]}
	}
	return out, err
}

// labels reads lines of a label and a question.
func labels(s string) []labelled {
	number := map[string]int{}
	var out []labelled
	for line := range strings.Lines(s) {
		label, q, ok := strings.Cut(strings.TrimSpace(line), "\t")
		if !ok || strings.HasPrefix(line, "#") {
			continue
		}
		if _, ok := number[label]; !ok {
			number[label] = len(number)
		}
		out = append(out, labelled{q, number[label]})
	}
	return out
}

// fitted are the questions that the constants are fitted on: headings of debian-faq with their rewordings, and the demo's second set.
func fitted(faq []byte) ([][]labelled, error) {
	number := map[string]int{}
	var all [][]labelled
	var out []labelled
	seen := map[string]bool{}
	add := func(label, q string) {
		if label == "" || q == "" || seen[q] {
			return
		}
		seen[q] = true
		if _, ok := number[label]; !ok {
			number[label] = len(number)
		}
		out = append(out, labelled{q, number[label]})
	}
	for _, raw := range [][]byte{faq, demo.Sets()[1].Lines} {
		lines := bufio.NewScanner(bytes.NewReader(raw))
		for lines.Scan() {
			var q struct{ ID, Question, Entry, Group string }
			if err := json.Unmarshal(lines.Bytes(), &q); err != nil {
				return nil, err
			}
			label := q.Entry + q.Group
			add(label, q.Entry)
			add(label, q.Question)
		}
		if err := lines.Err(); err != nil {
			return nil, err
		}
		all, out = append(all, out), nil
	}
	return all, nil
}

// How far a question must be caught to count, as in the room of settled answers; how many answers are settled, and with how many wordings each.
const (
	caughtFrom = .35
	answers    = 20
	worded     = 3
)

// catches settles the first 20 groups that have wordings enough with their first three, and prints how many of the other questions each takes: of
// those that were meant, and of those that were not.
func catches(ls []labelled, is []group.Item, verbose bool) {
	by := map[int][]int{}
	var order []int
	for i, l := range ls {
		if by[l.group] == nil {
			order = append(order, l.group)
		}
		by[l.group] = append(by[l.group], i)
	}
	in := map[string]int{}
	for _, l := range ls {
		for w := range text.Stems(l.text) {
			in[w]++
		}
	}
	rarity := func(stem string) float64 { return index.Rarity(len(ls), in[stem]) }
	meant, meantOf, over, overOf, n := 0, 0, 0, 0, 0
	for _, g := range order {
		if len(by[g]) <= worded || n == answers {
			continue
		}
		n++
		for i, l := range ls {
			how := 0.0
			for _, w := range by[g][:worded] {
				how = max(how, find.Catches(l.text, ls[w].text, embed.Cosine(is[w].Vector, is[i].Vector), rarity))
			}
			switch {
			case slices.Contains(by[g][:worded], i):
			case l.group == g:
				meantOf++
				if how >= caughtFrom {
					meant++
				}
			default:
				overOf++
				if how >= caughtFrom {
					over++
					if verbose {
						fmt.Printf("  taken over: %q by %q (%.2f)\n", l.text, ls[by[g][0]].text, how)
					}
				}
			}
		}
	}
	fmt.Printf("%d settled answers of %d wordings: of other wordings of the same %d of %d are caught, of all other questions %d of %d (%.2f %%)\n", n, worded, meant, meantOf, over, overOf, 100*float64(over)/float64(overOf))
}
