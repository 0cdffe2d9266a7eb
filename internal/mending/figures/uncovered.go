package figures

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"jolvex/core/answer"
	"jolvex/core/group"
	"jolvex/internal/fault"
	"jolvex/internal/store/talk"
)

// Near is a passage that comes near to what was asked, and does not answer it.
type Near struct {
	Title    string   `json:"title"`
	Path     []string `json:"path" nullable:"false"`
	Address  string   `json:"address"`
	Document string   `json:"document"`
	Text     string   `json:"text" doc:"Its first sentences"`
}

// Uncovered is a subject that users ask about and nothing answers: a brief for whoever writes the page.
type Uncovered struct {
	Title    string   `json:"title"`
	Wordings []string `json:"wordings" nullable:"false" doc:"In users' words, the most frequent first, at most ten"`
	Asked    int      `json:"asked"`
	People   int      `json:"people" doc:"Conversations"`
	Near     []Near   `json:"near" nullable:"false" doc:"What near pages say"`
}

// How many subjects are briefed, and how much of a near passage is told.
const (
	mostBriefs = 20
	mostNear   = 3
	mostText   = 300
)

// Uncovered lists the subjects that were mostly refused in a stretch of time, the most asked first.
func (rm *Room) Uncovered(ctx context.Context, corpus string, f Filter) ([]Uncovered, error) {
	c, err := rm.store.Corpus(ctx, corpus)
	if err != nil {
		return nil, err
	}
	es, err := rm.asked(ctx, c.ID, f)
	if err != nil {
		return nil, err
	}
	es = slices.DeleteFunc(es, func(e talk.Exchange) bool { return e.Outcome != string(answer.Refused) || e.Mark == "right" })
	groups, _, err := rm.grouped(ctx, es)
	if err != nil {
		return nil, err
	}
	slices.SortStableFunc(groups, func(a, b []talk.Exchange) int { return len(b) - len(a) })
	out := []Uncovered{}
	for _, g := range groups[:min(len(groups), mostBriefs)] {
		u, err := rm.brief(ctx, c.ID, g)
		if err != nil {
			return nil, err
		}
		out = append(out, u)
	}
	return out, nil
}

func (rm *Room) brief(ctx context.Context, corpus string, g []talk.Exchange) (Uncovered, error) {
	u := Uncovered{Wordings: []string{}, Near: []Near{}, Asked: len(g), People: len(talksOf(g))}
	texts := make([]string, len(g))
	count := map[string]int{}
	for i, e := range g {
		texts[i] = e.Asks()
		count[texts[i]]++
	}
	u.Title = texts[group.Title(texts)]
	for _, t := range texts {
		if !slices.Contains(u.Wordings, t) {
			u.Wordings = append(u.Wordings, t)
		}
	}
	slices.SortStableFunc(u.Wordings, func(a, b string) int { return count[b] - count[a] })
	u.Wordings = u.Wordings[:min(10, len(u.Wordings))]
	at := slices.IndexFunc(g, func(e talk.Exchange) bool { return e.Trailed && e.Asks() == u.Title })
	if at < 0 {
		return u, nil
	}
	r, err := rm.asking.Reply(ctx, corpus, g[at].ID)
	if err != nil {
		return u, fmt.Errorf("open the reply to “%s”: %w", u.Title, err)
	}
	for _, e := range r.Evidence {
		if len(u.Near) == mostNear {
			break
		}
		text := strings.Join(strings.Fields(e.Text), " ")
		if len(text) > mostText {
			text = strings.ToValidUTF8(text[:mostText], "") + "…"
		}
		u.Near = append(u.Near, Near{e.Title, append([]string{}, e.Path...), e.Address, e.Document, text})
	}
	return u, nil
}

// Brief words what nobody covered as Markdown, for whoever writes the pages.
func (rm *Room) Brief(ctx context.Context, corpus string, f Filter) ([]byte, error) {
	us, err := rm.Uncovered(ctx, corpus, f)
	if err != nil {
		return nil, err
	}
	if len(us) == 0 {
		return nil, fault.Input("every question of that time was answered")
	}
	var b strings.Builder
	b.WriteString("# What users ask and no page answers\n")
	for _, u := range us {
		fmt.Fprintf(&b, "\n## %s\n\nAsked %d times in %d conversations:\n\n", plain(u.Title), u.Asked, u.People)
		for _, w := range u.Wordings {
			fmt.Fprintf(&b, "- %s\n", plain(w))
		}
		if len(u.Near) > 0 {
			b.WriteString("\nNear it stands:\n\n")
		}
		for _, n := range u.Near {
			fmt.Fprintf(&b, "- %s (%s): %s\n", plain(strings.Join(append([]string{n.Title}, n.Path...), " › ")), n.Address, plain(n.Text))
		}
	}
	return []byte(b.String()), nil
}

// plain is a text on one line that Markdown makes nothing of.
func plain(s string) string {
	return strings.NewReplacer("<", "&lt;", "*", `\*`, "_", `\_`, "[", `\[`, "`", "'", "#", `\#`).Replace(strings.Join(strings.Fields(s), " "))
}
