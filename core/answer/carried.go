package answer

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"jolvex/core/answer/ground"
	"jolvex/core/text"
)

// Carried is how well the evidence carries a sentence of a reply, as Check has it. A sentence that was taken from its passage as it
// stands needs no weighing: its words and figures are all there.
func (b Bench) Carried(ctx context.Context, t *Trail, x Sentence) (float64, error) {
	switch {
	case x.Candidate < 0:
		return -1, nil
	case x.Grounding != nil:
		return x.Grounding.Score, nil
	}
	c := t.Candidates[x.Candidate]
	d, err := b.Texts.Version(ctx, c.Version)
	if err != nil {
		return 0, fmt.Errorf("open the evidence of a sentence: %w", err)
	}
	units := b.Opened.units(c.Version, d, sections(d, c.Evidence()))
	if taken(x, units) {
		return 1, nil
	}
	heading := strings.Join(append([]string{d.Title}, pathOf(d, c.Evidence())...), " ")
	for _, u := range units {
		if u.grid != nil {
			heading += " " + strings.Join(u.grid.Header, " ")
		}
	}
	g, err := b.grounder().Check(ctx, x.Text, t.Question, []ground.Source{{Text: d.Of(c.Evidence()), Heading: heading}})
	return g.Score, err
}

// taken reports whether the units at a sentence's passage, with what governs them, hold all of its words and figures.
func taken(x Sentence, units []unit) bool {
	var at []*unit
	for i := range units {
		if units[i].span.Overlaps(x.Span) {
			at = append(at, &units[i])
		}
	}
	for s := range text.Stems(x.Text) {
		if !slices.ContainsFunc(at, func(u *unit) bool { return u.stems[s] || u.context[s] }) {
			return false
		}
	}
	for _, q := range text.Quantities(x.Text) {
		there := slices.ContainsFunc(at, func(u *unit) bool {
			return slices.ContainsFunc(u.figures, func(f text.Quantity) bool { return f.Value == q.Value })
		})
		if !there {
			return false
		}
	}
	return len(at) > 0
}
