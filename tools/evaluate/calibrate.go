package main

import (
	"context"
	"encoding/json"
	"fmt"
	"math/rand/v2"
	"os"
	"slices"
	"time"

	"jolvex/core/answer"
	"jolvex/core/doc"
	"jolvex/core/embed"
	"jolvex/core/find"
	"jolvex/core/index"
	"jolvex/core/method"
	"jolvex/core/query"
	"jolvex/core/text"
)

// sample is one question with what the passage looked like that its reply stands on, for fitting the support figure.
type sample struct {
	Collection string          `json:"collection"`
	Kind       string          `json:"kind"` // answered ..., not covered, swapped, off-subject
	Question   string          `json:"question"`
	Right      bool            `json:"right"` // the reply stands on the entry that answers
	Features   answer.Features `json:"features"`
	Reply      string          `json:"reply"`
}

func samples(ctx context.Context, path string) error {
	static, err := embed.NewStatic()
	if err != nil {
		return err
	}
	enc, err := embed.NewEncoder()
	if err != nil {
		return err
	}
	emb := &cached{enc, map[string]embed.Vector{}}
	cs, err := collections(true)
	if err != nil {
		return err
	}
	f, err := os.Create(path)
	if err != nil {
		return err
	}
	defer f.Close()
	out := json.NewEncoder(f)
	rng := rand.New(rand.NewPCG(3, 4))
	for k, c := range cs {
		if len(c.entries) > 200 {
			c.entries = c.entries[:200]
		}
		for _, withHeadings := range []bool{false, true} {
			name := c.name
			if withHeadings {
				name += "+h"
			}
			b, err := c.bench(ctx, emb, static, withHeadings, "")
			if err != nil {
				return err
			}
			for i, a := range c.asks {
				if withHeadings && a.kind == "headings" || a.kind == "headings" && i >= len(c.entries) {
					continue
				}
				if err := c.take(ctx, out, b, name, "answered "+a.kind, a.text, a.want); err != nil {
					return err
				}
				nb, err := c.bench(ctx, emb, static, withHeadings, a.want)
				if err != nil {
					return err
				}
				if err := c.take(ctx, out, nb, name, "not covered", a.text, ""); err != nil {
					return err
				}
				if text, ok := c.swapped(a.text, rng); ok {
					if err := c.take(ctx, out, b, name, "swapped", text, ""); err != nil {
						return err
					}
				}
			}
			for j, o := range cs {
				if j == k {
					continue
				}
				for i, a := range o.asks {
					if i%4 == 0 && i < 200 {
						if err := c.take(ctx, out, b, name, "off-subject", a.text, ""); err != nil {
							return err
						}
					}
				}
			}
		}
		fmt.Println(c.name)
	}
	return nil
}

func (c *collection) bench(ctx context.Context, emb embed.Embedder, static *embed.Static, headings bool, without string) (answer.Bench, error) {
	b := index.NewBuilder(index.Public)
	var texts []string
	for _, e := range c.entries {
		if e.id == without {
			continue
		}
		t := index.Texts{index.Body: e.answer.Text}
		en := index.Entry{Document: e.id, Version: e.id, Address: e.id, Span: doc.Span{End: len(e.answer.Text)}}
		if headings {
			t[index.Path] = e.heading
			en.Path = []string{e.heading}
		}
		b.Add(en, t)
		texts = append(texts, t[index.Title]+"\n"+t[index.Path]+"\n"+t[index.Body])
	}
	vs, err := emb.Embed(ctx, texts)
	if err != nil {
		return answer.Bench{}, err
	}
	return c.over(index.Part{Segment: b.Build(), Vectors: vs}, emb, static, method.Default())
}

// over is a bench over one part of an index, of which an encoder has read everything.
func (c *collection) over(p index.Part, emb embed.Embedder, static *embed.Static, m method.Method) (answer.Bench, error) {
	memory, err := find.NewMemory(4000)
	if err != nil {
		return answer.Bench{}, err
	}
	opened, err := answer.NewOpened(4000)
	if err != nil {
		return answer.Bench{}, err
	}
	began := time.Now()
	v := (&index.Snapshot{Parts: []index.Part{p}}).See(index.Public)
	return answer.Bench{View: v, Texts: c, Embedder: emb, Sentence: emb, Encoded: find.Encoded{Chunks: true, Sentences: true}, Memory: memory, Opened: opened, Words: static, Lexicon: static, Query: m.Query, Find: m.Find, Answer: m.Answer, Clock: func() time.Duration { return time.Since(began) }}, nil
}

// take writes down what the reply to one question stands on, whatever its support.
func (c *collection) take(ctx context.Context, out *json.Encoder, b answer.Bench, name, kind, q, want string) error {
	b.Answer.Bar = 0
	t, err := answer.Decide(ctx, query.Question{Text: q}, b)
	if err != nil {
		return err
	}
	for _, x := range t.Reply {
		if x.Candidate < 0 || t.Candidates[x.Candidate].Features == nil {
			continue
		}
		on := t.Candidates[x.Candidate]
		return out.Encode(sample{name, kind, q, on.Document == want, *on.Features, t.Text()})
	}
	return nil
}

// swapped puts another word of the collection in the place of one of a question, so that no entry holds all of the question's words any
// more: a near miss. It reports false where none is found in a few tries.
func (c *collection) swapped(question string, rng *rand.Rand) (string, bool) {
	words := text.Content(question)
	if len(words) < 2 {
		return "", false
	}
	for range 20 {
		old := words[rng.IntN(len(words))]
		heading := text.Content(c.entries[rng.IntN(len(c.entries))].heading)
		if len(heading) == 0 || len(old.Norm) < 3 {
			continue
		}
		with := heading[rng.IntN(len(heading))]
		if len(with.Norm) < 3 || slices.ContainsFunc(words, func(w text.Word) bool { return w.Stem == with.Stem }) {
			continue
		}
		held := slices.ContainsFunc(c.entries, func(e *entry) bool {
			has := text.Stems(e.heading, e.answer.Text)
			return has[with.Stem] && !slices.ContainsFunc(words, func(w text.Word) bool { return w.Stem != old.Stem && !has[w.Stem] })
		})
		known := slices.ContainsFunc(c.entries, func(e *entry) bool { return text.Stems(e.heading, e.answer.Text)[with.Stem] })
		if !held && known {
			return question[:old.Start] + with.Norm + question[old.End:], true
		}
	}
	return "", false
}
