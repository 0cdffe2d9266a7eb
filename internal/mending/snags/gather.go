package snags

import (
	"context"
	"slices"
	"strings"

	"jolvex/core/embed"
	"jolvex/core/group"
	"jolvex/internal/job"
	"jolvex/internal/store"
	"jolvex/internal/store/talk"
)

// How many exchanges are gathered at a time, and how many of each snag stand for it.
const (
	mostGathered = 2000
	mostSeeds    = 12
)

// Gather queues the gathering of what went wrong.
func (rm *Room) Gather(ctx context.Context, corpus string) (job.Job, error) {
	c, err := rm.store.Corpus(ctx, corpus)
	if err != nil {
		return job.Job{}, err
	}
	return rm.jobs.Add(ctx, c.ID, job.Snags, "")
}

// work does the job of snags: with a target that snag is asked again, without one all that went wrong is gathered, and what waits for its source, and
// settled answers, are looked at.
func (rm *Room) work(ctx context.Context, j store.Job, p *job.Progress) error {
	if j.Target != "" {
		return rm.reask(ctx, j.Corpus, j.Target)
	}
	if err := rm.settled.Expire(ctx, j.Corpus); err != nil {
		return err
	}
	for done := 0; ; {
		p.Set(ctx, done, 0, "gathering what went wrong")
		n, err := rm.gatherSome(ctx, j.Corpus)
		if err != nil {
			return err
		}
		if done += n; n < mostGathered {
			break
		}
	}
	if err := rm.warm(ctx, j.Corpus); err != nil {
		return err
	}
	if err := rm.recheck(ctx, j.Corpus); err != nil {
		return err
	}
	if err := rm.settled.Contradictions(ctx, j.Corpus); err != nil {
		return err
	}
	rm.tell(ctx, j.Corpus)
	return nil
}

// mostWarm is how many different questions are kept embedded for what is grouped in a view.
const mostWarm = 1500

// warm embeds what was asked most, so that subjects and what a settled answer catches are there at once.
func (rm *Room) warm(ctx context.Context, corpus string) error {
	qs, err := rm.talk.Questions(ctx, corpus, "", mostWarm)
	if err != nil {
		return err
	}
	items := make([]group.Item, len(qs))
	for i, q := range qs {
		items[i] = group.Item{Text: q.Question, Foreign: foreign(q.Language)}
	}
	return rm.embed(ctx, items)
}

// gatherSome puts loose exchanges into the open snags that they are like, or into new ones, and tells how many they were.
func (rm *Room) gatherSome(ctx context.Context, corpus string) (int, error) {
	loose, err := rm.talk.Loose(ctx, corpus, mostGathered)
	if err != nil || len(loose) == 0 {
		return 0, err
	}
	have, err := rm.talk.Gathered(ctx, corpus, mostSeeds)
	if err != nil {
		return 0, err
	}
	have = have[:min(len(have), group.Most-len(loose))]
	about, err := rm.talk.Questions(ctx, corpus, "", 500)
	if err != nil {
		return 0, err
	}
	items := []group.Item{}
	for _, e := range slices.Concat(loose, have) {
		items = append(items, group.Item{Text: short(e.Asks()), Foreign: foreign(e.Language)})
	}
	n := len(items)
	for _, q := range about {
		items = append(items, group.Item{Text: short(q.Question), Foreign: foreign(q.Language)})
	}
	if err := rm.embed(ctx, items); err != nil {
		return 0, err
	}
	seeds, named := map[string]int{}, map[int]string{}
	for i := len(loose); i < n; i++ {
		id := have[i-len(loose)].Snag
		if seeds[id] == 0 {
			seeds[id] = len(seeds) + 1
			named[seeds[id]] = id
		}
		items[i].Seed = seeds[id]
	}
	for _, m := range group.Members(group.Groups(items[:n], items[n:], group.Usual())) {
		if err := rm.put(ctx, corpus, m, loose, items, named); err != nil {
			return 0, err
		}
	}
	return len(loose), nil
}

func foreign(language string) bool { return language != "" && language != "en" }

// embed gives items their vectors: by the encoder of many languages, too, where one of them needs it.
func (rm *Room) embed(ctx context.Context, items []group.Item) error {
	texts := make([]string, len(items))
	for i := range items {
		texts[i] = items[i].Text
	}
	near, err := rm.asking.QuestionVectors(ctx, false, texts)
	if err != nil {
		return err
	}
	across := make([]embed.Vector, len(items))
	if slices.ContainsFunc(items, func(it group.Item) bool { return it.Foreign }) {
		if across, err = rm.asking.QuestionVectors(ctx, true, texts); err != nil {
			return err
		}
	}
	for i := range items {
		items[i].Vector, items[i].Across = near[i], across[i]
	}
	return nil
}

// put keeps one group: in the snag that it belongs to, or as a new one.
func (rm *Room) put(ctx context.Context, corpus string, members []int, loose []talk.Exchange, items []group.Item, named map[int]string) error {
	snag, kind := "", Unanswered
	var ids, fresh, texts []string
	for _, i := range members {
		texts = append(texts, items[i].Text)
		if items[i].Seed > 0 {
			snag = named[items[i].Seed]
			continue
		}
		ids, fresh = append(ids, loose[i].ID), append(fresh, items[i].Text)
		if k := kindOf(loose[i]); k == Wrong || k == ThumbDown && kind == Unanswered {
			kind = k
		}
	}
	if len(ids) == 0 {
		return nil
	}
	if snag != "" {
		return rm.talk.Gather(ctx, corpus, snag, "", ids)
	}
	_, err := rm.talk.AddSnag(ctx, talk.Snag{Corpus: corpus, Kind: kind, Title: texts[group.Title(fresh)]}, ids, "", "")
	return err
}

// short is as much of a question as says what it is about.
func short(s string) string {
	const most = 600
	if s = strings.Join(strings.Fields(s), " "); len(s) > most {
		s = strings.ToValidUTF8(s[:most], "")
	}
	return s
}
