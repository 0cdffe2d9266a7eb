// Package grounding measures how well it is told that a sentence is not carried by its evidence.
package grounding

import (
	"context"
	embedfs "embed"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"math"
	"os"
	"path/filepath"
	"regexp"
	"sort"
	"strings"

	"jolvex/core/answer/ground"
	"jolvex/core/doc"
	"jolvex/core/embed"
	"jolvex/core/extract"
	"jolvex/core/measure"
	"jolvex/core/text"
	"jolvex/demo"
)

// claim is a sentence with the passage that it is held against.
type claim struct {
	kind     string // what was done to it
	said     string
	asked    string
	evidence ground.Source
	true     bool
}

// claims makes labelled pairs of the sentences of documents by listed corruptions: as it stands, a paraphrase by rules, a
// number swapped, a negation flipped, a name swapped, a sentence from elsewhere.
func claims(docs []*doc.Document) []claim {
	var all []passageOf
	for _, d := range docs {
		for i, b := range d.Blocks {
			if b.Kind != doc.Paragraph && b.Kind != doc.Item {
				continue
			}
			from, to := max(0, i-1), min(len(d.Blocks), i+2)
			span := doc.Span{Start: d.Blocks[from].Span.Start, End: d.Blocks[to-1].Span.End}
			src := ground.Source{Text: d.Of(span), Heading: strings.Join(append([]string{d.Title}, d.Path(i)...), " – ")}
			t := d.Of(b.Span)
			for _, p := range text.Sentences(t) {
				s := doc.Fold(t[p.Start:p.End])
				if n := len(text.Words(s)); n >= 7 && n <= 40 && !strings.HasSuffix(s, "?") && !strings.HasSuffix(s, ":") {
					all = append(all, passageOf{s, src, d.Title})
				}
			}
		}
	}
	names := namesIn(all)
	var out []claim
	for i, p := range all {
		switch i % 3 { // evenly: no sentence serves twice for the same thing
		case 0:
			out = append(out, claim{kind: "as it stands", said: p.said, evidence: p.src, true: true})
			if s := swapNumber(p.said, p.src); s != "" {
				out = append(out, claim{kind: "number swapped", said: s, evidence: p.src, true: false})
			}
		case 1:
			if s := paraphrase(p.said); s != p.said {
				out = append(out, claim{kind: "paraphrase", said: s, evidence: p.src, true: true})
			}
			if s := swapName(p.said, p.src, names, i); s != "" {
				out = append(out, claim{kind: "name swapped", said: s, evidence: p.src, true: false})
			}
		case 2:
			if s := flip(p.said); s != "" {
				out = append(out, claim{kind: "negation flipped", said: s, evidence: p.src, true: false})
			}
			if other := all[(i+len(all)/2)%len(all)]; other.title != p.title && i%2 == 0 {
				out = append(out, claim{kind: "from elsewhere", said: other.said, evidence: p.src, true: false})
			}
		}
	}
	return out
}

type passageOf struct {
	said  string
	src   ground.Source
	title string
}

var digits = regexp.MustCompile(`\d+`)

// swapNumber puts another number for the first one, such as the passage does not hold.
func swapNumber(s string, src ground.Source) string {
	m := digits.FindStringIndex(s)
	if m == nil {
		return ""
	}
	for _, d := range []string{"7", "14", "35", "62", "480"} {
		if !strings.Contains(src.Text, d) {
			return s[:m[0]] + d + s[m[1]:]
		}
	}
	return ""
}

var name = regexp.MustCompile(`[a-z,] ([A-Z][a-z]{3,})\b`)

func namesIn(ps []passageOf) []string {
	seen := map[string]bool{}
	for _, p := range ps {
		for _, m := range name.FindAllStringSubmatch(p.said, -1) {
			seen[m[1]] = true
		}
	}
	var out []string
	for n := range seen {
		out = append(out, n)
	}
	sort.Strings(out)
	return out
}

func swapName(s string, src ground.Source, names []string, at int) string {
	m := name.FindStringSubmatchIndex(s)
	if m == nil {
		return ""
	}
	for k := range names {
		if n := names[(at+k)%len(names)]; !strings.Contains(src.Text+src.Heading, n) {
			return s[:m[2]] + n + s[m[3]:]
		}
	}
	return ""
}

var (
	denied  = regexp.MustCompile(`\b(is|are|was|were|do|does|did|can|could|will|would|must|may|should|has|have) not `)
	affirms = regexp.MustCompile(`\b(is|are|was|were|can|could|will|would|must|may|should) `)
)

// flip denies what a sentence says, or says what it denies.
func flip(s string) string {
	if m := denied.FindStringSubmatchIndex(s); m != nil {
		return s[:m[0]] + s[m[2]:m[3]] + " " + s[m[1]:]
	}
	if strings.Contains(s, "n't") || strings.Contains(strings.ToLower(s), " no ") {
		return ""
	}
	if m := affirms.FindStringSubmatchIndex(s); m != nil {
		return s[:m[3]] + " not " + s[m[1]:]
	}
	return ""
}

// rules of paraphrase: what they put means the same.
var paraphrases = []struct {
	re *regexp.Regexp
	to string
}{
	{regexp.MustCompile(`\bmust\b`), "have to"},
	{regexp.MustCompile(`\bmay\b`), "can"},
	{regexp.MustCompile(`\bis not\b`), "isn't"},
	{regexp.MustCompile(`\bdo not\b`), "don't"},
	{regexp.MustCompile(`\bcannot\b`), "can't"},
	{regexp.MustCompile(`\bfor example\b`), "for instance"},
	{regexp.MustCompile(`\bhowever,? `), ""},
	{regexp.MustCompile(`\balso `), ""},
	{regexp.MustCompile(`\bvery `), ""},
	{regexp.MustCompile(`\bin order to\b`), "to"},
	{regexp.MustCompile(`\bbecause\b`), "since"},
	{regexp.MustCompile(`\bsuch as\b`), "like"},
	{regexp.MustCompile(`\bneed to\b`), "have to"},
	{regexp.MustCompile(`\bwish to\b`), "want to"},
	{regexp.MustCompile(`\bobtain\b`), "get"},
	{regexp.MustCompile(`\bcosts £(\d+)\.00\b`), "costs $1 pounds"},
	{regexp.MustCompile(`£(\d+)\.(\d\d)\b`), "$1.$2 pounds"},
	{regexp.MustCompile(`\b(\d+) minutes\b`), "$1 mins"},
	{regexp.MustCompile(`^If ([^,]+), (.+)\.$`), "$2 if $1."},
	{regexp.MustCompile(`^(When|Before|After) ([^,]+), (.+)\.$`), "$3 $1 $2."},
}

func paraphrase(s string) string {
	for _, p := range paraphrases {
		s = p.re.ReplaceAllString(s, p.to)
	}
	return s
}

// writtenClaims reads claims that a person wrote over short passages: true ones in other words, and false ones such as a model
// makes up. The checks were written with claims.jsonl at hand; claims-after.jsonl was written afterwards, and some of what it showed was mended then:
// docs/decisions/0014 has the figures of the first look.
func writtenClaims(name string) ([]claim, error) {
	f, err := written.Open(name)
	if err != nil {
		return nil, err
	}
	defer f.Close()
	var out []claim
	for dec := json.NewDecoder(f); ; {
		var in struct {
			Heading, Text, Asked string
			Claims               []struct {
				Said, Kind string
				Holds      bool
			}
		}
		if err := dec.Decode(&in); errors.Is(err, io.EOF) {
			return out, nil
		} else if err != nil {
			return nil, fmt.Errorf("read %s: %w", name, err)
		}
		for _, c := range in.Claims {
			out = append(out, claim{
				kind: map[bool]string{true: "true: ", false: "false: "}[c.Holds] + c.Kind, said: c.Said, asked: in.Asked,
				evidence: ground.Source{Text: in.Text, Heading: in.Heading, Rows: rowsIn(in.Text)}, true: c.Holds,
			})
		}
	}
}

// rowsIn reads the lines of a text that are rows of a table, as a model is given them: "label – head: value; head: value."
func rowsIn(s string) []ground.Row {
	var out []ground.Row
	for line := range strings.Lines(s) {
		line = strings.TrimSpace(line)
		label, cells, ok := strings.Cut(line, " – ")
		if !ok || !strings.Contains(cells, ": ") {
			continue
		}
		r := ground.Row{Text: line, Label: label}
		for c := range strings.SplitSeq(strings.TrimSuffix(cells, "."), "; ") {
			head, value, _ := strings.Cut(c, ": ")
			r.Cells = append(r.Cells, ground.Cell{Head: head, Text: value})
		}
		out = append(out, r)
	}
	return out
}

//go:embed claims*.jsonl
var written embedfs.FS

// Measure prints how well sentences that the evidence does not carry are told from those that it does: those that were written down alone, or
// also such as are made of the pages of the FAQ in a folder and of the demo.
func Measure(ctx context.Context, faq string, verbose, only bool) error {
	if only {
		return weigh(ctx, verbose, []claimed{{"claims.jsonl", nil}, {"claims-after.jsonl", nil}})
	}
	var debian, ferries []*doc.Document
	files, err := filepath.Glob(filepath.Join(faq, "*.en.html"))
	if err != nil {
		return err
	}
	for _, f := range files {
		body, err := os.ReadFile(f)
		if err != nil {
			return err
		}
		d, err := extract.Extract(extract.Input{Address: "file://" + f, MediaType: "text/html", Body: body})
		if err != nil {
			return err
		}
		debian = append(debian, d)
	}
	err = fs.WalkDir(demo.Pages(), ".", func(path string, e fs.DirEntry, err error) error {
		if err != nil || !strings.HasSuffix(path, ".md") {
			return err
		}
		body, err := fs.ReadFile(demo.Pages(), path)
		if err != nil {
			return err
		}
		d, err := extract.Extract(extract.Input{Address: "demo:" + path, MediaType: "text/markdown", Body: body})
		if err == nil {
			ferries = append(ferries, d)
		}
		return err
	})
	if err != nil {
		return err
	}
	return weigh(ctx, verbose, []claimed{{"debian-faq", debian}, {"Tolmouth Ferries", ferries}, {"claims.jsonl", nil}, {"claims-after.jsonl", nil}})
}

// claimed is what claims are made of: documents, or a file of written claims.
type claimed struct {
	name string
	docs []*doc.Document
}

// weigh weighs the claims of each material with word vectors and with the encoder.
func weigh(ctx context.Context, verbose bool, sets []claimed) error {
	encoder, err := embed.NewEncoder()
	if err != nil {
		return err
	}
	static, err := embed.NewStatic()
	if err != nil {
		return err
	}
	for _, set := range sets {
		cs := claims(set.docs)
		if set.docs == nil {
			if cs, err = writtenClaims(set.name); err != nil {
				return err
			}
		}
		for _, g := range []ground.Grounder{{Sentence: static, Words: static}, {Sentence: encoder, Encoded: true, Words: static}} {
			if err := groundedness(ctx, set.name, cs, g, verbose && g.Encoded); err != nil {
				return err
			}
		}
	}
	return nil
}

func groundedness(ctx context.Context, name string, cs []claim, g ground.Grounder, verbose bool) error {
	type scored struct {
		claim
		x ground.Grounding
	}
	var all []scored
	for _, c := range cs {
		x, err := g.Check(ctx, c.said, c.asked, []ground.Source{c.evidence})
		if err != nil {
			return err
		}
		all = append(all, scored{c, x})
	}
	by := map[string][2]int{}
	told, right, wrong, carried := 0, 0, 0, 0
	var pos, neg []float64
	for _, s := range all {
		n := by[s.kind]
		n[1]++
		if flagged := s.x.Score < 0.5; flagged != s.true {
			n[0]++
		} else if verbose {
			fmt.Printf("  %s %.2f %s %v (%.2f, %.2f)\n", s.kind, s.x.Score, s.said, s.x.Troubles, s.x.Contain, s.x.Like)
		}
		by[s.kind] = n
		if s.true {
			carried++
			pos = append(pos, s.x.Score)
			if s.x.Score < 0.5 {
				wrong++
			}
			continue
		}
		neg = append(neg, s.x.Score)
		told++
		if s.x.Score < 0.5 {
			right++
		}
	}
	kept := measure.Wilson(carried-wrong, max(1, carried))
	by2 := make([]string, 0, len(by))
	for k := range by {
		by2 = append(by2, k)
	}
	sort.Strings(by2)
	p, r := measure.Wilson(right, max(1, right+wrong)), measure.Wilson(right, max(1, told))
	with := "word vectors"
	if g.Encoded {
		with = "encoder"
	}
	fmt.Printf("\ngrounding, %s, %s: %d pairs, %d of them not carried\n  told as not carried: precision %.0f %% [%.0f, %.0f], recall %.0f %% [%.0f, %.0f], AUC %.3f\n  carried and kept: %d of %d, %.0f %% [%.0f, %.0f]\n",
		name, with, len(all), told, 100*float64(right)/math.Max(1, float64(right+wrong)), 100*p.Low, 100*p.High, 100*float64(right)/float64(max(1, told)), 100*r.Low, 100*r.High, AUC(pos, neg),
		carried-wrong, carried, 100*float64(carried-wrong)/float64(max(1, carried)), 100*kept.Low, 100*kept.High)
	for _, k := range by2 {
		w := measure.Wilson(by[k][0], by[k][1])
		fmt.Printf("    %-18s right %d of %d, %.0f %% [%.0f, %.0f]\n", k, by[k][0], by[k][1], 100*float64(by[k][0])/float64(by[k][1]), 100*w.Low, 100*w.High)
	}
	return nil
}

// AUC is the share of pairs of one carried and one not in which the carried one scores higher; ties count half.
func AUC(pos, neg []float64) float64 {
	sum := 0.0
	for _, p := range pos {
		for _, n := range neg {
			switch {
			case p > n:
				sum++
			case p == n:
				sum += 0.5
			}
		}
	}
	return sum / float64(max(1, len(pos)*len(neg)))
}
