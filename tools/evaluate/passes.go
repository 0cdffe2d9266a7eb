package main

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"jolvex/core/embed"
	"jolvex/core/method"
	"jolvex/core/prove"
	"jolvex/core/query"
	"jolvex/core/text"
)

// passes measures what each pass of rewriting is worth: the ranking with and without it, on questions as they stand and with a
// slip of the pen in their longest word.
func passes(ctx context.Context) error {
	static, err := embed.NewStatic()
	if err != nil {
		return err
	}
	encoder, err := embed.NewEncoder()
	if err != nil {
		return err
	}
	cs, err := collections(false)
	if err != nil {
		return err
	}
	for _, c := range cs {
		c.asks = append(c.asks, misspelt(c.asks)...)
		fmt.Printf("\n%s: what each pass of rewriting is worth. MRR and hit@5 by kind of question\n", c.name)
		for _, v := range []struct {
			name   string
			change func(*query.Settings)
		}{
			{"as it is by default", func(*query.Settings) {}},
			{"no rewriting at all", func(s *query.Settings) { *s = query.Settings{Order: s.Order} }},
			{"without filler", func(s *query.Settings) { s.Filler = false }},
			{"without spelling", func(s *query.Settings) { s.Spelling = false }},
			{"without compounds", func(s *query.Settings) { s.Compound = false }},
			{"with related terms", func(s *query.Settings) { s.Related = true }},
			{"with feedback (RM3)", func(s *query.Settings) { s.Feedback = true }},
		} {
			set := method.Default().Query
			v.change(&set)
			e, err := rewritten(ctx, v.name, c, encoder, static, method.Default().Find, set)
			if err != nil {
				return err
			}
			fmt.Printf("  %-22s", v.name)
			for _, kind := range []string{"headings", "two-word", "reworded", "misspelt"} {
				r, err := ranksOf(c, e, kind)
				if err != nil {
					return err
				}
				got := r.Retrieval()
				fmt.Printf("  %s %.3f %3.0f %%", kind, got.MRR, 100*got.Hit5)
			}
			fmt.Println()
		}
	}
	return nil
}

// misspelt are questions with two letters of their longest word swapped.
func misspelt(asks []ask) []ask {
	var out []ask
	for _, a := range asks {
		ws := text.Content(a.text)
		if len(ws) == 0 {
			continue
		}
		long := slices.MaxFunc(ws, func(x, y text.Word) int { return len(x.Norm) - len(y.Norm) })
		w := a.text[long.Start:long.End]
		if len(w) < 6 || strings.ContainsAny(w, ".-_/") {
			continue
		}
		k := len(w) / 2
		out = append(out, ask{"misspelt", a.text[:long.Start] + w[:k] + w[k+1:k+2] + w[k:k+1] + w[k+2:] + a.text[long.End:], a.want})
	}
	return out
}

func ranksOf(c *collection, e engine, kind string) (prove.Ranks, error) {
	var out prove.Ranks
	for _, a := range c.asks {
		if a.kind != kind {
			continue
		}
		got, err := e.rank(a.text)
		if err != nil {
			return nil, fmt.Errorf("%s, %q: %w", e.name, a.text, err)
		}
		out = append(out, slices.Index(got, a.want)+1)
	}
	return out, nil
}
