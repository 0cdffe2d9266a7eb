package main

import (
	"context"
	"encoding/json"
	"fmt"
	"os"
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

// sample is one question with what its best passages looked like, for fitting the support figure.
type sample struct {
	Collection string            `json:"collection"`
	Kind       string            `json:"kind"` // answered, off-subject, not covered
	Question   string            `json:"question"`
	Right      []bool            `json:"right"` // [passage]: it is the entry that answers
	Features   []answer.Features `json:"features"`
	Sentence   []float64         `json:"sentence"`
	Cosines    []float64         `json:"cosines"`
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
				if err := c.take(ctx, out, b, emb, name, "answered "+a.kind, a.text, a.want); err != nil {
					return err
				}
				nb, err := c.bench(ctx, emb, static, withHeadings, a.want)
				if err != nil {
					return err
				}
				if err := c.take(ctx, out, nb, emb, name, "not covered", a.text, ""); err != nil {
					return err
				}
			}
			for j, o := range cs {
				if j == k {
					continue
				}
				for i, a := range o.asks {
					if i%4 == 0 && i < 200 {
						if err := c.take(ctx, out, b, emb, name, "off-subject", a.text, ""); err != nil {
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
	memory, err := find.NewMemory(1000)
	if err != nil {
		return answer.Bench{}, err
	}
	opened, err := answer.NewOpened(1000)
	if err != nil {
		return answer.Bench{}, err
	}
	m := method.Default()
	began := time.Now()
	v := (&index.Snapshot{Parts: []index.Part{{Segment: b.Build(), Vectors: vs}}}).See(index.Public)
	return answer.Bench{View: v, Texts: c, Embedder: emb, Sentence: emb, Encoded: find.Encoded{Chunks: true, Sentences: true}, Memory: memory, Opened: opened, Words: static, Lexicon: static, Query: m.Query, Find: m.Find, Answer: m.Answer, Clock: func() time.Duration { return time.Since(began) }}, nil
}

func (c *collection) take(ctx context.Context, out *json.Encoder, b answer.Bench, emb embed.Embedder, name, kind, q, want string) error {
	t, err := answer.Answer(ctx, query.Question{Text: q}, b)
	if err != nil {
		return err
	}
	s := sample{Collection: name, Kind: kind, Question: q}
	qv, err := emb.Embed(ctx, []string{q})
	if err != nil {
		return err
	}
	for _, cand := range t.Candidates {
		s.Cosines = append(s.Cosines, cand.Cosine)
		if cand.Features == nil || len(s.Right) == 5 {
			continue
		}
		d, err := c.Version(ctx, cand.Version)
		if err != nil {
			return err
		}
		var parts []string
		for _, p := range text.Sentences(d.Text) {
			parts = append(parts, d.Text[p.Start:p.End])
		}
		vs, err := emb.Embed(ctx, parts)
		if err != nil {
			return err
		}
		best := 0.0
		for _, v := range vs {
			best = max(best, embed.Cosine(v, qv[0]))
		}
		s.Right = append(s.Right, cand.Document == want)
		s.Features = append(s.Features, *cand.Features)
		s.Sentence = append(s.Sentence, best)
	}
	return out.Encode(s)
}
