package settled

import (
	"context"
	"slices"
	"strings"

	"jolvex/core/answer"
	"jolvex/core/embed"
	"jolvex/core/find"
	"jolvex/internal/fault"
	"jolvex/internal/store/talk"
)

// Caught is a question that a settled answer in the making would take for its own.
type Caught struct {
	Question string  `json:"question"`
	How      float64 `json:"how" doc:"How far, 0 to 1"`
	Count    int     `json:"count" doc:"How often users asked it; 0 for a question of a set"`
	Set      string  `json:"set,omitempty" doc:"The set that it belongs to"`
	Exchange string  `json:"exchange,omitempty" doc:"Its last exchange"`
	Meant    bool    `json:"meant" doc:"It belongs to the snag that is settled, or had no right answer"`
}

// Catch is what a settled answer in the making would catch.
type Catch struct {
	Caught     []Caught `json:"caught" nullable:"false" doc:"Those meant first, the nearest first; at most 200 of each"`
	Meant      int      `json:"meant" doc:"Questions that it should catch"`
	Over       int      `json:"over" doc:"Questions that it would take over from other answers"`
	Of         int      `json:"of" doc:"Questions that were looked at"`
	Everything bool     `json:"everything" doc:"It would take over so many of the others that it cannot be meant so"`
}

// How far a settled answer takes a question so that it counts as caught, how many are listed, and of which share of all questions it is said that it
// catches everything.
const (
	caughtFrom = .35
	mostCaught = 200
	everything = .15
	mostLooked = 5000
)

// Catches tells which past questions of users, and which of the sets, a settled answer in the making would catch. Those that belong to the snag
// that is settled, were refused, or were marked wrong are meant; the others it would take over.
func (rm *Room) Catches(ctx context.Context, corpus, snag string, a Answer) (Catch, error) {
	out := Catch{Caught: []Caught{}}
	c, err := rm.store.Corpus(ctx, corpus)
	if err != nil {
		return out, err
	}
	if len(a.Wordings) > 20 {
		return out, fault.Input("a settled answer has at most 20 further wordings")
	}
	wordings := []string{}
	for _, w := range append([]string{a.Question}, a.Wordings...) {
		if w = strings.TrimSpace(w); w != "" {
			wordings = append(wordings, w)
		}
	}
	if len(wordings) == 0 {
		return out, nil
	}
	all, err := rm.past(ctx, c.ID, snag)
	if err != nil {
		return out, err
	}
	texts := slices.Clone(wordings)
	for _, x := range all {
		texts = append(texts, x.Question)
	}
	vs, err := rm.asking.QuestionVectors(ctx, false, texts)
	if err != nil {
		return out, err
	}
	out.Of = len(all)
	rarity, err := rm.asking.Rarity(ctx, c)
	if err != nil {
		return out, err
	}
	for i, x := range all {
		for k, w := range wordings {
			x.How = max(x.How, find.Catches(x.Question, w, embed.Cosine(vs[k], vs[len(wordings)+i]), rarity))
		}
		if x.How < caughtFrom {
			continue
		}
		if x.Meant {
			out.Meant++
		} else {
			out.Over++
		}
		out.Caught = append(out.Caught, x)
	}
	slices.SortStableFunc(out.Caught, func(a, b Caught) int {
		switch {
		case a.Meant != b.Meant && a.Meant:
			return -1
		case a.Meant != b.Meant:
			return 1
		case a.How > b.How:
			return -1
		case a.How < b.How:
			return 1
		}
		return b.Count - a.Count
	})
	out.Caught = firstOfEach(out.Caught)
	out.Everything = out.Of >= 20 && float64(out.Over) > everything*float64(out.Of)
	return out, nil
}

func firstOfEach(all []Caught) []Caught {
	meant, over := 0, 0
	return slices.DeleteFunc(all, func(x Caught) bool {
		n := &over
		if x.Meant {
			n = &meant
		}
		*n++
		return *n > mostCaught
	})
}

// past are the questions of users and of the sets that a settled answer is held against.
func (rm *Room) past(ctx context.Context, corpus, snag string) ([]Caught, error) {
	asked, err := rm.talk.Questions(ctx, corpus, "", mostLooked)
	if err != nil {
		return nil, err
	}
	var out []Caught
	seen := map[string]bool{}
	for _, q := range asked {
		if len(q.Question) > 1000 {
			continue // no question that is meant to be settled
		}
		seen[strings.ToLower(q.Question)] = true
		meant := snag != "" && q.Snag == snag || q.Mark == "wrong" || q.Thumb == "down" || q.Outcome == string(answer.Refused) && q.Mark != "right"
		out = append(out, Caught{Question: q.Question, Count: q.Count, Exchange: q.ID, Meant: meant})
	}
	qs, sets, err := rm.expected.ExpectedQuestions(ctx, corpus)
	if err != nil {
		return nil, err
	}
	for i, q := range qs {
		if !seen[strings.ToLower(q)] {
			seen[strings.ToLower(q)] = true
			out = append(out, Caught{Question: q, Set: sets[i]})
		}
	}
	return out, nil
}

// Contradictions looks what the sources say without the settled answers, and warns of those that a source contradicts, or makes needless.
func (rm *Room) Contradictions(ctx context.Context, corpus string) error {
	c, err := rm.store.Corpus(ctx, corpus)
	if err != nil {
		return err
	}
	ss, err := rm.talk.SettledAnswers(ctx, c.ID)
	if err != nil || len(ss) == 0 {
		return err
	}
	documents, err := rm.documents(ctx, c.ID)
	if err != nil {
		return err
	}
	for _, s := range ss {
		if s.State != talk.InForce {
			continue
		}
		warning, err := rm.asking.Otherwise(ctx, c, s.Question, s.Answer)
		if err != nil {
			return err
		}
		if documents[strings.ToLower(s.Question)] == "" {
			warning = "It is given no longer: what it rested on was deleted with its source. Save it again to bring it back."
		}
		if warning != s.Warning {
			if err := rm.talk.WarnSettled(ctx, c.ID, s.ID, warning); err != nil {
				return err
			}
		}
	}
	return nil
}
