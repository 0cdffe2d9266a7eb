package main

import (
	"context"
	"fmt"

	"jolvex/core/embed"
	"jolvex/core/find"
	"jolvex/core/index"
	"jolvex/core/method"
	"jolvex/core/query"
)

// cases ranks every question of the collections with all signals valued. A question's entry is its cluster: headings,
// two-word and reworded variants of one question are one.
func cases(ctx context.Context, cs []*collection, emb embed.Embedder, words *embed.Static, s find.Settings) ([]find.Case, error) {
	var out []find.Case
	s.Fold = false
	for _, c := range cs {
		texts := make([]string, len(c.entries))
		for i, e := range c.entries {
			texts[i] = e.answer.Text
		}
		vs, err := emb.Embed(ctx, texts)
		if err != nil {
			return nil, err
		}
		memory, err := find.NewMemory(len(texts))
		if err != nil {
			return nil, err
		}
		v := (&index.Snapshot{Parts: []index.Part{{Segment: c.snapshot(), Vectors: vs}}}).See(index.Public)
		encoded := emb.ID() != words.ID()
		lib := find.Library{Texts: c, Embedder: emb, Sentence: emb, Encoded: find.Encoded{Chunks: encoded, Sentences: encoded}, Memory: memory, Probe: true}
		for _, a := range c.asks {
			r, err := find.Rank(ctx, query.Read(ctx, query.Question{Text: a.text}, query.Tools{Corpus: v, Lexicon: words}, method.Default().Query), v, lib, s, 40)
			if err != nil {
				return nil, err
			}
			one := find.Case{Cluster: c.name + a.want, Ranked: r.Ranked}
			for _, x := range r.Ranked {
				one.Relevant = append(one.Relevant, x.Entry.Document == a.want)
			}
			out = append(out, one)
		}
	}
	return out, nil
}

// fit prints what moving the weights of the signals would be worth on questions that had no part in it.
func fit(ctx context.Context, all bool, s find.Settings) error {
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
	for _, emb := range []embed.Embedder{static, &cached{encoder, map[string]embed.Vector{}}} {
		encoded := emb.ID() != static.ID()
		qs, err := cases(ctx, cs, emb, static, s)
		if err != nil {
			return err
		}
		f, err := find.Fit(context.Background(), qs, s, find.Encoded{Chunks: encoded, Sentences: encoded})
		if err != nil {
			return err
		}
		fmt.Printf("%s: %d questions of %d clusters: %.4f before, %.4f fitted, %.4f unseen; gain %+.4f [%+.4f, %+.4f], kept %v\n", emb.ID(), f.Questions, f.Clusters, f.Before, f.After, f.Unseen, f.Gain, f.Interval.Low, f.Interval.High, f.Kept)
		for _, m := range f.Moved {
			fmt.Printf("  %-11s %.2f -> %.2f   folds %.2f\n", m.Key, m.Before, m.After, m.Folds)
		}
	}
	return nil
}
