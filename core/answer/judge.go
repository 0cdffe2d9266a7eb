package answer

import (
	"cmp"
	"context"
	"fmt"
	"regexp"
	"slices"
	"strings"

	"jolvex/core/answer/support"
	"jolvex/core/embed"
	"jolvex/core/find"
	"jolvex/core/index"
	"jolvex/core/query"
	"jolvex/core/text"
)

// general is the share of chunks from which on a name is what all of the material speaks of, and tells nothing apart.
const general = 0.1

// weigh gives each term of the question its weight: the rarer, the heavier. A word that the corpus lacks is the
// rarest of all: what is asked about is not there.
func weigh(r query.Reading, b Bench) []asked {
	out := make([]asked, 0, len(r.Terms))
	names := support.Names(r.Wordings[0].Text, r.Tongue)
	glossed := slices.ContainsFunc(r.Terms, func(t query.Term) bool { return t.Pass == query.PassGlossary })
	for _, t := range r.Terms {
		df := b.View.Frequency(t.Stem)
		switch {
		case t.Pass == query.PassCompound, t.Pass == query.PassRelated, t.Pass == query.PassFeedback:
			continue // another spelling of a word that is there already, or one that nobody asked about
		case t.Pass == query.PassAsked && df == 0 && glossed:
			continue // the glossary says it in the corpus's words
		}
		name := names[t.Stem]
		if float64(df) >= general*float64(b.View.Chunks()) {
			name = 0
		}
		out = append(out, asked{t, name, t.Weight * index.Rarity(b.View.Chunks(), df), b.Words.Word(t.Word)})
	}
	return out
}

// judge measures how well each passage carries an answer.
func judge(ctx context.Context, r query.Reading, ranked []find.Ranked, ps []*passage, terms []asked, b Bench) error {
	if len(ps) == 0 {
		return nil
	}
	vs, err := b.Sentence.Embed(ctx, []string{r.Meaning()})
	if err != nil {
		return fmt.Errorf("embed the question: %w", err)
	}
	amounts := text.Amounts(r.Meaning())
	cosines, err := cosinesOf(ctx, vs[0], ranked, b)
	if err != nil {
		return err
	}
	about, strange := support.Background(cosines), support.Strangers(r.Wordings[0].Text, r.Tongue, b.View)
	calibrated := support.ByEncoder
	switch {
	case !b.Encoded.Chunks || b.Foreign:
		calibrated = support.ByWords
	case b.Many:
		calibrated = support.ByMany
	}
	cache := &wordCache{b.Words, map[string]embed.Vector{}}
	extra := map[string]bool{}
	for _, t := range r.Terms {
		if t.Pass == query.PassCompound {
			extra[t.Stem] = true
		}
	}
	keywords := len(text.Words(r.Alone)) <= mostKeywords && !strings.HasSuffix(r.Wordings[0].Text, "?")
	year := asksYear.MatchString(r.Alone)
	var demands []demand
	if b.Answer.Demands {
		demands = demandsOf(r.Alone, r.Wants)
	}
	open, often := openEnded.MatchString(r.Alone), asksOften.MatchString(r.Alone)
	for _, p := range ps {
		p.openEnded, p.often, p.keywords, p.year, p.demands = open, often, keywords, year, demands
		p.across = b.Many && foreign(r.Tongue, p.rank.Entry.Language)
		spread := 1.0
		switch {
		case p.across:
			spread = support.SpreadAcross
		case b.Many:
			spread = support.SpreadMany
		}
		if p.across {
			p.demands = nil // told by words, of which there are none in common
		}
		if err := compare(ctx, p, vs[0], b); err != nil {
			return err
		}
		scoreUnits(p, terms, amounts, r.Wants, spread)
		p.features = featuresOf(p, r.Wants, terms, extra, cache)
		p.features.Cosine, p.features.Margin, p.features.Strange = cosines[p.index], cosines[p.index]-about, strange
		f := p.features
		if like := (f.Cosine + f.Near) / 2; b.Encoded.Sentences && like > f.Cosine { // one sentence of a chunk on many things
			f.Cosine, f.Margin = like, like-about
		}
		by := calibrated
		if p.across {
			by = support.Across
		}
		p.support = by.Support(f)
		if len(r.Wants) > 0 && r.Wants[0] == text.Money && f.Soft < ofSomething && !p.across {
			p.features.Missing = 1
			p.support = calibrated.Lacking(p.support)
		}
	}
	if lacksFigure(r.Wants, ps) {
		for _, p := range ps {
			p.features.Missing = 1
			p.support = calibrated.Lacking(p.support)
		}
	}
	return nil
}

// foreign reports whether a passage is in another language than the question; a passage that declares none is not.
func foreign(tongue, passage string) bool {
	code, _, _ := strings.Cut(strings.ToLower(passage), "-")
	return code != "" && code != cmp.Or(tongue, "en")
}

// featuresOf looks at what a passage and a question have in common, likeness of meaning of the whole apart. extra are the
// compounds' other spellings.
func featuresOf(p *passage, wants []text.QuantityKind, terms []asked, extra map[string]bool, cache *wordCache) Features {
	f := Features{Near: p.rank.Nearest}
	has := map[string]bool{}
	for i := range p.units {
		u := &p.units[i]
		if u.beyond {
			continue
		}
		for s := range u.stems {
			has[s] = true
		}
		for s := range u.context {
			has[s] = true
		}
		f.Near = max(f.Near, u.cosine)
		f.Unit = max(f.Unit, u.coverage)
		if len(wants) > 0 && f.Figure <= 0 {
			f.Figure = -1
			if hasFigure(*u, wants) {
				f.Figure = 1
			}
		}
	}
	if focus(p, terms, cache, &f); p.keywords {
		f.Lacks, f.Figure = 0, max(0, f.Figure) // of two key words, one is often said by others, and none asks for a figure
	}
	f.Names += p.unmet(cache)
	if p.year && !slices.ContainsFunc(p.units, func(u unit) bool { return !u.beyond && aYear.MatchString(u.text) }) {
		f.Names++ // nothing stands in for a year
	}
	if p.often {
		f.Figure = -1
		for i := range p.units {
			if u := &p.units[i]; !u.beyond && frequency.MatchString(u.text) {
				f.Figure = 1
			}
		}
	}
	words := wordsOf(p.found(), append(append([]string(nil), p.rank.Entry.Path...), p.rank.Entry.Title)...)
	f.Soft, f.Exact = coverage(terms, has, words, cache)
	for s := range extra {
		if has[s] { // the compound's other spelling stands there
			f.Soft, f.Exact = max(f.Soft, 0.8), max(f.Exact, 0.8)
		}
	}
	f.Heading = headingMatch(terms, p.rank.Entry.Path)
	return f
}

// asksYear finds questions for a year, and aYear a year. (Common practice, no published source.)
var (
	asksYear = en.Pattern("asks-year")
	aYear    = regexp.MustCompile(`\b(?:1[5-9]|20)\d\d\b`)
)

// mostKeywords is how many words a question may have that names what is looked for and asks nothing.
const mostKeywords = 3

// How often something is, as it is asked for and as it is told. (Common practice, no published source.)
var (
	asksOften = en.Pattern("asks-often")
	frequency = en.Pattern("frequency")
)

// found are the units of the chunk that was found, without those of the sections around it.
func (p *passage) found() []unit {
	from, to := 0, len(p.units)
	for from < to && p.units[from].beyond {
		from++
	}
	for to > from && p.units[to-1].beyond {
		to--
	}
	return p.units[from:to]
}

// ofSomething is the coverage of a question for a price below which a passage gives the price of something else: it shares nothing with
// what is asked, not even by like words. (Common practice, no published source.)
const ofSomething = 0.1

// bearing is the share of the best support from which a passage bears on a question.
const bearing = 0.5

// lacksFigure reports whether a question asks for a price, or for a way to reach somebody, and no passage that bears on it holds
// any. Other figures can be told without one: "when?" by "before the boat sails".
func lacksFigure(wants []text.QuantityKind, ps []*passage) bool {
	best := 0.0
	for _, p := range ps {
		best = max(best, p.support)
	}
	for _, kinds := range [][]text.QuantityKind{{text.Money}, {text.Phone, text.Mail}} {
		if len(wants) == 0 || !slices.Contains(kinds, wants[0]) {
			continue
		}
		return !slices.ContainsFunc(ps, func(p *passage) bool {
			return p.support >= bearing*best && slices.ContainsFunc(p.units, func(u unit) bool { return holdsFigure(&u, kinds) })
		})
	}
	return false
}

func holdsFigure(u *unit, kinds []text.QuantityKind) bool {
	if slices.Contains(kinds, text.Money) && costless.MatchString(u.text) {
		return true
	}
	return slices.ContainsFunc(u.figures, func(q text.Quantity) bool {
		return slices.ContainsFunc(kinds, q.Is) || q.Kind == text.Web && slices.Contains(kinds, text.Mail)
	})
}

// costless is the price of what costs nothing, said so that nothing else can be meant.
var costless = en.Pattern("costless")

// cosinesOf is how alike each ranked chunk is to the question, [ranked].
func cosinesOf(ctx context.Context, question embed.Vector, ranked []find.Ranked, b Bench) ([]float64, error) {
	out := make([]float64, len(ranked))
	for i, x := range ranked {
		if out[i] = x.Cosine; !b.Foreign {
			continue
		}
		d, err := b.Texts.Version(ctx, x.Entry.Version)
		if err != nil {
			return nil, fmt.Errorf("open %s for a reply: %w", x.Entry.Address, err)
		}
		vs, err := b.Sentence.Embed(ctx, []string{strings.Join(append(append([]string{x.Entry.Title}, x.Entry.Path...), d.Of(x.Entry.Span)), "\n")})
		if err != nil {
			return nil, fmt.Errorf("embed %s: %w", x.Entry.Address, err)
		}
		out[i] = embed.Cosine(question, vs[0])
	}
	return out, nil
}

// compare gives each unit of a passage its likeness of meaning to the question.
func compare(ctx context.Context, p *passage, question embed.Vector, b Bench) error {
	whole := *p.rank.Entry
	whole.Span = whole.Evidence()
	e, err := b.Memory.Chunk(ctx, &whole, b.Texts, b.Sentence)
	if err != nil {
		return err
	}
	if n := len(e.Headings); n > 0 {
		p.headed = embed.Cosine(question, e.Headings[n-1])
	}
	next := 0
	for i, w := range find.Windows(p.doc, whole.Span) {
		like := embed.Cosine(question, e.Windows[i])
		for ; next < len(p.units) && p.units[next].span.Start < w.Span.End; next++ {
			if !p.units[next].beyond {
				p.units[next].cosine = like
			}
		}
	}
	return nil
}

// nearest is the passage's best sentence or row, and the section that it stands in; another row of its table speaks of something else.
func (p *passage) nearest() (top *unit, near []unit) {
	for i := range p.units {
		if u := &p.units[i]; !u.beyond && (top == nil || u.score > top.score) {
			top = u
		}
	}
	if top == nil {
		return nil, nil
	}
	for i := range p.units {
		if u := &p.units[i]; u.section == top.section && (u.row == nil || u == top || top.row == nil) {
			near = append(near, *u)
		}
	}
	return top, near
}

// unmet is how much the question demands that the section of the passage's best sentence does not hold.
func (p *passage) unmet(cache *wordCache) float64 {
	if len(p.demands) == 0 {
		return 0
	}
	_, near := p.nearest()
	heads := text.Words(strings.Join(append(append([]string(nil), p.rank.Entry.Path...), p.rank.Entry.Title), " "))
	out := 0.0
	for i := range p.demands {
		if !p.demands[i].met(near, heads, cache) {
			out += p.demands[i].weighs
		}
	}
	return out
}

// focus looks at the section of the passage's best sentence: how near that sentence is in meaning, how many names, codes and figures of
// the question it lacks, how much the heaviest word weighs that it lacks, and how much it holds of all.
func focus(p *passage, terms []asked, cache *wordCache, f *Features) {
	top, near := p.nearest()
	if top == nil {
		f.Lacks = 1
		return
	}
	f.Told = top.cosine
	has := map[string]bool{}
	for i := range near {
		u := &near[i]
		for _, set := range []map[string]bool{u.stems, u.context} {
			for s := range set {
				has[s] = true
			}
		}
	}
	words := wordsOf(near, append(append([]string(nil), p.rank.Entry.Path...), p.rank.Entry.Title)...)
	sum := 0.0
	for i := range terms {
		sum += terms[i].weight
	}
	for i := range terms {
		t := &terms[i]
		if has[t.Stem] {
			continue
		}
		f.Names += t.name
		like := 0.0
		for _, w := range words {
			like = max(like, embed.Cosine(t.vector, cache.get(w)))
		}
		if share := t.weight / sum * (1 - max(0, like)); share > f.Lacks {
			f.Lacks = share
		}
	}
	f.Names = min(f.Names, 2)
	f.Held, _ = coverage(terms, has, words, cache)
}
