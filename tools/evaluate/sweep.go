package main

import (
	"context"
	"fmt"

	"jolvex/core/embed"
	"jolvex/core/find"
	"jolvex/core/measure"
)

// cached keeps vectors by text, so that a sweep over settings embeds each text once.
type cached struct {
	embed.Embedder
	seen map[string]embed.Vector
}

// Embed implements embed.Embedder.
func (c *cached) Embed(ctx context.Context, texts []string) ([]embed.Vector, error) {
	var missing []string
	for _, t := range texts {
		if _, ok := c.seen[t]; !ok {
			missing = append(missing, t)
		}
	}
	vs, err := c.Embedder.Embed(ctx, missing)
	if err != nil {
		return nil, err
	}
	for i, t := range missing {
		c.seen[t] = vs[i]
	}
	out := make([]embed.Vector, len(texts))
	for i, t := range texts {
		out[i] = c.seen[t]
	}
	return out, nil
}

// sweep prints the mean reciprocal rank and hit@5 of the encoder's ranking over a grid of the shares of meaning, by
// collection and kind of question.
func sweep(ctx context.Context, all bool, s find.Settings) error {
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
	emb := &cached{encoder, map[string]embed.Vector{}}
	for _, at := range grid() {
		s.Dense, s.Sentence, s.Lean = at[0], at[1], at[2]
		fmt.Printf("dense %.1f sentence %.1f lean %.1f:", at[0], at[1], at[2])
		for _, c := range cs {
			if len(c.entries) > 300 {
				continue
			}
			e, err := product(ctx, "", c, emb, static, s)
			if err != nil {
				return err
			}
			kinds := map[string][3]float64{}
			for _, a := range c.asks {
				got, err := e.rank(a.text)
				if err != nil {
					return err
				}
				k := kinds[a.kind]
				k[2]++
				for i, id := range got {
					if id == a.want {
						k[0] += measure.ReciprocalRank([]int{i + 1})
						k[1] += measure.Hit([]int{i + 1}, 5)
					}
				}
				kinds[a.kind] = k
			}
			for _, kind := range []string{"headings", "two-word", "reworded"} {
				if k := kinds[kind]; k[2] > 0 {
					fmt.Printf("  %s %s %.3f %.2f", c.name[:3], kind[:3], k[0]/k[2], k[1]/k[2])
				}
			}
		}
		fmt.Println()
	}
	return nil
}

// grid lists shares of meaning, weights of the nearest sentence and how far the shares lean to meaning.
func grid() [][3]float64 {
	var out [][3]float64
	for _, dense := range []float64{0.4, 0.5, 0.6, 0.7} {
		for _, sentence := range []float64{0, 0.2, 0.4} {
			for _, lean := range []float64{0, 0.5, 1} {
				out = append(out, [3]float64{dense, sentence, lean})
			}
		}
	}
	return out
}
