package main

import (
	"bytes"
	"context"
	"encoding/gob"
	"encoding/json"
	"errors"
	"fmt"
	"io/fs"
	"math/rand/v2"
	"os"
	"path/filepath"
	"regexp"
	"slices"
	"strings"

	"jolvex/core/answer"
	"jolvex/core/doc"
	"jolvex/core/embed"
	"jolvex/core/index"
	"jolvex/core/measure"
	"jolvex/core/method"
	"jolvex/core/query"
	"jolvex/core/questions"
	"jolvex/core/text"
	"jolvex/demo"
)

// tongues are the languages that are measured: the Debian packages debian-reference-en, -de, -fr and -es hold one manual.
var tongues = []string{"en", "de", "fr", "es"}

// askedInEach is how many headings are asked in each language.
const askedInEach = 150

// languages measures questions in four languages over a manual in each of them: its headings, asked of the text that stood under them, the
// headings themselves taken away. Sections are the same by their place. Vectors are kept in a folder between calls.
func languages(ctx context.Context, keep, over, sampled string, set list, verbose bool) error {
	m := method.Default()
	if err := set.change(&m); err != nil {
		return err
	}
	sections := map[string]*collection{}
	for _, l := range tongues {
		files, err := filepath.Glob(debianReference + "/ch*." + l + ".html")
		if err != nil {
			return err
		}
		if sections[l], err = sectionsOf("debian-reference "+l, files); err != nil {
			return err
		}
		for _, e := range sections[l].entries {
			e.answer = e.body.Document()
		}
	}
	picked := alike(sections)
	static, err := embed.NewStatic()
	if err != nil {
		return err
	}
	many, err := embed.NewManyEncoder()
	if err != nil {
		return err
	}
	english, err := embed.NewEncoder()
	if err != nil {
		return err
	}
	for _, enc := range []*embed.Encoder{many, english} {
		c := &remembering{enc, filepath.Join(keep, "languages-"+enc.ID()+".gob"), map[string]embed.Vector{}}
		if err := c.load(); err != nil {
			return err
		}
		fmt.Printf("%s\n%-12s %-16s %-16s %-16s %s\n", enc.Describe(), "asked>page", "hit@1", "hit@5", "refused", "a reply from the section")
		for _, page := range tongues {
			if over != "" && over != page {
				continue
			}
			if sampled != "" {
				if err := c.sample(ctx, sampled, page, sections, picked, static, m); err != nil {
					return err
				}
				continue
			}
			b, err := inLanguage(ctx, sections[page], page, c, static, m, nil)
			if err != nil {
				return err
			}
			for _, tongue := range tongues {
				if err := c.askIn(ctx, tongue, page, sections, picked, b, verbose); err != nil {
					return err
				}
			}
			if err := c.save(); err != nil {
				return err
			}
		}
	}
	return nil
}

// captioned finds headings that are captions of tables, or number a chapter.
var captioned = regexp.MustCompile(`^(?:Table|Tabelle|Tableau|Tabla|Chapter|Kapitel|Chapitre|Capítulo)\b`)

// alike keeps the chapters that have as many sections in every language, so that a section has the same place in all of them, and draws
// sections by lot that have a text and a heading of their own in every language.
func alike(sections map[string]*collection) []int {
	chapters := map[string]map[string]int{} // chapter -> language -> sections
	chapter := func(e *entry) string { return e.id[:strings.IndexByte(e.id, '.')] }
	for l, c := range sections {
		for _, e := range c.entries {
			if chapters[chapter(e)] == nil {
				chapters[chapter(e)] = map[string]int{}
			}
			chapters[chapter(e)][l]++
		}
	}
	for _, c := range sections {
		c.entries = slices.DeleteFunc(c.entries, func(e *entry) bool {
			in := chapters[chapter(e)]
			return slices.ContainsFunc(tongues, func(l string) bool { return in[l] != in["en"] })
		})
	}
	n := len(sections["en"].entries)
	var out []int
	for _, i := range rand.New(rand.NewPCG(15, 4)).Perm(n) {
		heads, ok := map[string]bool{}, true
		for _, c := range sections {
			heads[c.entries[i].heading] = true
			ok = ok && !captioned.MatchString(c.entries[i].heading) && len(c.entries[i].answer.Text) > 150
		}
		if ok && len(heads) == len(tongues) && len(out) < askedInEach {
			out = append(out, i)
		}
	}
	return out
}

// sample writes down what the replies to questions look like for fitting support (see fit.py): every other question has its section taken out.
func (c *remembering) sample(ctx context.Context, path, page string, sections map[string]*collection, picked []int, static *embed.Static, m method.Method) error {
	m.Answer.Bar = 0
	gone := map[string]bool{}
	for k, i := range picked {
		if k%2 == 1 {
			gone[sections[page].entries[i].id] = true
		}
	}
	b, err := inLanguage(ctx, sections[page], page, c, static, m, gone)
	if err != nil {
		return err
	}
	f, err := os.OpenFile(path, os.O_CREATE|os.O_APPEND|os.O_WRONLY, 0o644)
	if err != nil {
		return err
	}
	defer f.Close()
	out, in, name := json.NewEncoder(f), sections[page], c.enc.ID()+" "+page
	ferry, err := questions.ReadQuestions(bytes.NewReader(demo.VisitorQuestions()))
	if err != nil {
		return err
	}
	for _, q := range ferry {
		if err := in.take(ctx, out, b, name, "off-subject", q.Text, ""); err != nil {
			return err
		}
	}
	for _, tongue := range tongues {
		kind := "across"
		if tongue == page {
			kind = "within"
		}
		for _, i := range picked {
			if err := in.take(ctx, out, b, name, kind, sections[tongue].entries[i].heading, in.entries[i].id); err != nil {
				return err
			}
		}
	}
	return c.save()
}

// inLanguage makes a bench of a manual, its sections cut into chunks of some 160 words, but those without which it is to be.
func inLanguage(ctx context.Context, c *collection, language string, enc *remembering, static *embed.Static, m method.Method, without map[string]bool) (answer.Bench, error) {
	const words = 160
	b := index.NewBuilder(index.Public)
	var texts []string
	for _, e := range c.entries {
		if without[e.id] {
			continue
		}
		var span doc.Span
		flush := func() {
			if span.Len() > 0 {
				b.Add(index.Entry{Document: e.id, Version: e.id, Address: e.id, Language: language, Span: span}, index.Texts{index.Body: e.answer.Of(span)})
				texts = append(texts, "\n\n"+e.answer.Of(span))
			}
		}
		for _, bl := range e.answer.Blocks {
			if len(text.Words(e.answer.Of(doc.Span{Start: span.Start, End: bl.Span.End}))) > words {
				flush()
				span.Start = bl.Span.Start
			}
			span.End = bl.Span.End
		}
		flush()
	}
	vs, err := enc.Embed(ctx, append(texts, ""))
	if err != nil {
		return answer.Bench{}, err
	}
	out, err := c.over(index.Part{Segment: b.Build(), Vectors: vs[:len(texts)]}, enc, static, m)
	out.Embedder, out.Many = enc.questions(), enc.enc.ID() == embed.ManyID
	return out, err
}

func (c *remembering) askIn(ctx context.Context, tongue, page string, sections map[string]*collection, picked []int, b answer.Bench, verbose bool) error {
	var first, five, refused, right int
	for _, i := range picked {
		q, want := sections[tongue].entries[i].heading, sections[page].entries[i].id
		t, err := answer.Decide(ctx, query.Question{Text: q}, b)
		if err != nil {
			return err
		}
		rank, seen := 0, map[string]bool{}
		for _, x := range t.Candidates {
			if seen[x.Document] = true; x.Document == want {
				rank = len(seen)
				break
			}
		}
		first += of(rank == 1)
		five += of(rank >= 1 && rank <= 5)
		refused += of(t.Outcome == answer.Refused)
		from := t.Outcome == answer.Answered
		if from {
			from = false
			for _, x := range t.Reply {
				from = from || x.Candidate >= 0 && t.Candidates[x.Candidate].Document == want
			}
		}
		right += of(from)
		if verbose {
			fmt.Printf("  %q rank %d, %s (%s), support %.2f, in %q: %.160s\n", q, rank, t.Outcome, t.Why, t.Support, t.Reading.Tongue, doc.Fold(t.Text()))
		}
	}
	share := func(n int) string {
		in := measure.Wilson(n, len(picked))
		return fmt.Sprintf("%3.0f (%.0f-%.0f)", 100*float64(n)/float64(len(picked)), 100*in.Low, 100*in.High)
	}
	fmt.Printf("%-12s %-16s %-16s %-16s %s\n", tongue+">"+page, share(first), share(five), share(refused), share(right))
	return nil
}

func of(b bool) int {
	if b {
		return 1
	}
	return 0
}

// remembering keeps what an encoder has read in a file. A single text is a question.
type remembering struct {
	enc  *embed.Encoder
	file string
	seen map[string]embed.Vector
}

func (c *remembering) load() error {
	f, err := os.Open(c.file)
	if errors.Is(err, fs.ErrNotExist) {
		return nil
	}
	if err != nil {
		return err
	}
	defer f.Close()
	return gob.NewDecoder(f).Decode(&c.seen)
}

func (c *remembering) save() error {
	f, err := os.Create(c.file)
	if err != nil {
		return err
	}
	return errors.Join(gob.NewEncoder(f).Encode(c.seen), f.Close())
}

// ID implements embed.Embedder.
func (c *remembering) ID() string { return c.enc.ID() }

// Dimensions implements embed.Embedder.
func (c *remembering) Dimensions() int { return c.enc.Dimensions() }

func (c *remembering) questions() embed.Embedder { return asQuestions{c} }

// asQuestions reads all as questions.
type asQuestions struct{ *remembering }

// Embed implements embed.Embedder.
func (a asQuestions) Embed(ctx context.Context, texts []string) ([]embed.Vector, error) {
	return a.read(ctx, a.enc.Questions(), "q ", texts)
}

// Embed implements embed.Embedder.
func (c *remembering) Embed(ctx context.Context, texts []string) ([]embed.Vector, error) {
	if len(texts) == 1 {
		return c.questions().Embed(ctx, texts)
	}
	return c.read(ctx, c.enc, "p ", texts)
}

func (c *remembering) read(ctx context.Context, by embed.Embedder, side string, texts []string) ([]embed.Vector, error) {
	var missing []string
	for _, t := range texts {
		if _, ok := c.seen[side+t]; !ok {
			missing = append(missing, t)
		}
	}
	vs, err := by.Embed(ctx, missing)
	if err != nil {
		return nil, err
	}
	for i, t := range missing {
		c.seen[side+t] = vs[i]
	}
	out := make([]embed.Vector, len(texts))
	for i, t := range texts {
		out[i] = c.seen[side+t]
	}
	return out, nil
}
