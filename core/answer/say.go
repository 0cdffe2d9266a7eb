package answer

import (
	"fmt"
	"slices"
	"sort"
	"strings"

	"jolvex/core/index"
	"jolvex/core/lang"
)

// A passage is near by a question from this support on; so many are named.
const (
	nearSupport = 0.3
	mostNear    = 2
)

// nearBy adds to a refusal what there is near by, by its headings.
func (t *Trail) nearBy(ps []*passage, s Settings) {
	var subjects []string
	for _, p := range ps {
		subject := p.rank.Entry.Title
		if path := p.rank.Entry.Path; len(path) > 0 {
			subject = path[len(path)-1]
		}
		if p.support >= nearSupport && subject != "" && len(subjects) < mostNear && !slices.Contains(subjects, subject) {
			subjects = append(subjects, subject)
		}
	}
	if len(subjects) > 0 && s.NearMiss != "" {
		t.Reply = append(t.Reply, inOwnWords(strings.ReplaceAll(s.NearMiss, "{subjects}", lang.In(t.Reading.Tongue).Quoted(subjects)))...)
	}
}

// pointing is what is said in place of a document that is not to be quoted; "" for one that may be.
func pointing(marks int, s Settings) string {
	switch {
	case marks&index.Volatile != 0:
		return s.PointNow
	case marks&index.Unquotable != 0:
		return s.PointTo
	}
	return ""
}

// asksForFile finds questions for a document itself rather than for what it says. (Common practice, no published source.)
var asksForFile = en.Pattern("asks-for-file")

// handOut is the best passage of a document that may be handed out, when the question asks for one; nil for none.
func handOut(ps []*passage, question string) *passage {
	if !asksForFile.MatchString(question) {
		return nil
	}
	for _, p := range ps {
		if p.rank.Entry.Marks&index.Given != 0 {
			return p
		}
	}
	return nil
}

// fork tells each way of a fork under its name, or asks which is meant when they are many. It reports false when a way has
// nothing to say.
func (t *Trail) fork(f *fork, weights map[string]float64, b Bench) bool {
	if len(f.ways) > mostWays {
		t.askBack(f, f.ways[0].p, b.Answer)
		return true
	}
	var said []Sentence
	for _, w := range f.ways {
		one := b.Answer
		one.Words /= len(f.ways)
		qs := compose([]*passage{w.p}, plainly, weights, one)
		if len(qs) == 0 || pointing(w.p.rank.Entry.Marks, b.Answer) != "" {
			return false
		}
		for i, q := range qs {
			u := &q.p.units[q.u]
			text := u.plainText(weights)
			if i == 0 {
				text = w.label + ": " + text
			}
			said = append(said, Sentence{Text: text, Candidate: q.p.index, Version: q.p.rank.Entry.Version, Span: u.span, Support: q.p.support})
		}
	}
	t.Reply = append(t.Reply, said...)
	t.Outcome, t.Why = Answered, fmt.Sprintf("the evidence parts on what the question leaves open: %s", strings.Join(f.options, ", "))
	return true
}

func (t *Trail) askBack(f *fork, p *passage, s Settings) {
	t.Reply = []Sentence{{Text: f.put(s.Asking), Candidate: p.index, Version: p.rank.Entry.Version, Span: p.rank.Entry.Span, Support: p.support}}
	t.Outcome, t.Why, t.Options = AskedBack, "the evidence parts on what the question leaves open", f.options
}

// say puts a reply together from sentences of the evidence.
func say(t *Trail, ps []*passage, terms []asked, b Bench) {
	weights := map[string]float64{}
	for _, a := range terms {
		weights[a.Stem] += a.weight
	}
	able := ps[:0:0]
	for _, p := range ps {
		if p.support >= b.Answer.Bar {
			able = append(able, p)
		}
	}
	form := formOf(t.Reading.Alone)
	if b.Answer.Lists && form == wholly && !sectionLists(able) && t.listed(ps, able, terms, b) {
		return
	}
	if b.Answer.AskBack {
		if f := forked(able, terms, t.Reading.Wants); f != nil && t.fork(f, weights, b) {
			return
		}
	}
	quotes := compose(able, form, weights, b.Answer)
	if b.Answer.AskBack {
		if f := openTable(quotes, terms, t.Reading.Wants); f != nil {
			t.askBack(f, quotes[0].p, b.Answer)
			return
		}
	}
	// Sentences of one passage stand together, in the order of the page.
	order := map[*passage]int{}
	for _, q := range quotes {
		if _, ok := order[q.p]; !ok {
			order[q.p] = len(order)
		}
	}
	sort.SliceStable(quotes, func(i, j int) bool {
		if a, c := order[quotes[i].p], order[quotes[j].p]; a != c {
			return a < c
		}
		return quotes[i].u < quotes[j].u
	})
	pointed := map[string]bool{}
	for n, q := range quotes {
		u := &q.p.units[q.u]
		if form := pointing(q.p.rank.Entry.Marks, b.Answer); form != "" {
			if d := q.p.rank.Entry.Document; !pointed[d] {
				pointed[d] = true
				said := strings.ReplaceAll(form, "{title}", q.p.rank.Entry.Title)
				t.Reply = append(t.Reply, Sentence{Text: said, Candidate: q.p.index, Version: q.p.rank.Entry.Version, Span: u.span, Support: q.p.support})
			}
			continue
		}
		said := u.plainText(weights)
		if !q.p.answers() {
			said = withoutYes(said)
		}
		if b.Answer.forbids(said) {
			continue
		}
		if n == 0 || quotes[n-1].p != q.p || quotes[n-1].u != q.u-1 {
			said = q.p.named(q.u, said)
		}
		t.Reply = append(t.Reply, Sentence{Text: said, Candidate: q.p.index, Version: q.p.rank.Entry.Version, Span: u.span, Support: q.p.support})
	}
	if given := handOut(able, t.Reading.Wordings[0].Text); given != nil && b.Answer.Give != "" {
		said := strings.ReplaceAll(b.Answer.Give, "{title}", given.rank.Entry.Title)
		t.Reply = append(t.Reply, Sentence{Text: said, Candidate: given.index, Version: given.rank.Entry.Version, Span: given.rank.Entry.Span, Support: given.support})
	}
	if len(t.Reply) == 0 {
		refuse(t, b.Answer, "the evidence holds no sentence that can be quoted")
		return
	}
	t.Outcome, t.Why = Answered, fmt.Sprintf("the best evidence has a support of %.2f, the bar is %.2f", t.best(), t.Bar)
}
