package ground

import (
	"maps"
	"slices"
	"strings"

	"jolvex/core/text"
)

// deedsIn finds a deed that is claimed; what the evidence says word for word is none.
func deedsIn(said string, places []place) []Trouble {
	deed := deeds.FindString(said)
	if deed == "" || slices.ContainsFunc(places, func(p place) bool { return strings.Contains(strings.ToLower(p.text), strings.ToLower(deed)) }) {
		return nil
	}
	return []Trouble{trouble(Deed, deed)}
}

// shares is the share of the claim's words of letters that a place holds.
func (c *claim) shares(p *place) float64 {
	n, all := 0, 0
	for _, w := range c.words {
		if !wordy(w.Norm) {
			continue
		}
		all++
		if p.stems[w.Stem] || p.head[w.Stem] {
			n++
		}
	}
	return float64(n) / float64(max(1, all))
}

// alikeEnough is the share of its words that a sentence must share with another to deny it.
const alikeEnough = 0.6

// denies finds what a claim denies that its evidence says, or says that its evidence denies: word by word, in every place that shares most
// of its words.
func (c *claim) denies(places []place, against int) []Trouble {
	for i := range places {
		p := &places[i]
		if p.row != nil || i != against && c.shares(p) < alikeEnough {
			continue
		}
		agrees := c.deniesToo(p)
		for _, s := range slices.Sorted(maps.Keys(c.denied)) {
			if agrees || payWords[s] && slices.ContainsFunc(places, func(o place) bool { return containsAny(freeWords, norms(o.text)) }) {
				continue
			}
			if p.stems[s] && !denying(p.text, s) && !slices.ContainsFunc(places, func(o place) bool { return o.denied[s] }) {
				return []Trouble{trouble(Negation, c.word(s))}
			}
		}
		for s := range p.denied {
			if c.stems[s] && !agrees && !denying(c.said, s) && !c.limited() {
				return []Trouble{trouble(Negation, "says what “"+denial.FindString(p.text)+"” denies")}
			}
		}
	}
	p := &places[against]
	if p.row != nil || c.shares(p) < alikeEnough {
		return c.deniedThing(places, against)
	}
	if c.copies(p) && denials(c.said)%2 != denials(p.text)%2 && c.limited() == limitedIn(p.text) {
		return []Trouble{trouble(Negation, "the other way round")}
	}
	mine, theirs := len(c.denied) > 0, len(p.denied) > 0
	if mine != theirs && !shutIn(p.text) && !c.shut() && !c.limited() && !exception.MatchString(p.text) && !limit.MatchString(p.text) && mine {
		return []Trouble{trouble(Negation, denial.FindString(c.said))}
	}
	return c.deniedThing(places, against)
}

// deniesToo reports whether a claim denies something of a thing of which a place does, or which it makes an exception of.
func (c *claim) deniesToo(p *place) bool {
	if len(c.denied) == 0 {
		return false
	}
	denied := p.denied
	if m := exception.FindStringIndex(p.text); m != nil {
		denied = text.Stems(p.text[m[1]:])
	}
	for s := range denied {
		for i, x := range c.parts {
			goesOn := i > 0 && !slices.ContainsFunc(text.Words(x.text), func(w text.Word) bool { return auxiliary[w.Norm] }) // "not take food or drinks"
			if x.stems[s] && (len(deniedIn(x.text)) > 0 || goesOn && len(deniedIn(c.parts[i-1].text)) > 0) {
				return true
			}
		}
	}
	return false
}

// word is how a claim says a stem.
func (c *claim) word(stem string) string {
	for _, w := range text.Words(c.said) {
		if w.Stem == stem {
			return c.said[w.Start:w.End]
		}
	}
	return stem
}

func containsAny(set, of map[string]bool) bool {
	for s := range set {
		if of[s] {
			return true
		}
	}
	return false
}

// denying reports whether the part of a sentence that holds a stem denies something: "dogs are not allowed" says that no dogs are.
func denying(s, stem string) bool {
	return slices.ContainsFunc(partsOf(s), func(x part) bool {
		return text.Stems(x.text)[stem] && (len(deniedIn(x.text)) > 0 || shutIn(x.text))
	})
}

// deniedThing finds a thing that a claim takes along and of which the evidence only says that it is not so: "with an apron", where aprons
// are not provided.
func (c *claim) deniedThing(places []place, against int) []Trouble {
	if len(c.denied) > 0 || c.shut() {
		return nil
	}
	for _, w := range c.words {
		if places[against].stems[w.Stem] || places[against].head[w.Stem] || !wordy(w.Norm) {
			continue
		}
		held, denied := 0, 0
		for i := range places {
			if !places[i].stems[w.Stem] {
				continue
			}
			if held++; len(places[i].denied) > 0 && len(places[i].words) <= 6 {
				denied++
			}
		}
		if held > 0 && held == denied {
			return []Trouble{trouble(Negation, w.Norm)}
		}
	}
	return nil
}

// copies reports whether a claim has nearly all words of a place and hardly any other: what it denies more or less can only be an error.
func (c *claim) copies(p *place) bool {
	n := 0
	for _, w := range p.words {
		if c.stems[w.Stem] {
			n++
		}
	}
	return c.shares(p) >= copied && float64(n) >= copied*float64(len(p.words))
}

// copied is the share of words from which one sentence is a copy of another.
const copied = 0.85

// denials counts the denials of a sentence, words that deny by themselves included.
func denials(s string) int {
	n := len(denial.FindAllString(negatedComparison.ReplaceAllString(s, " "), -1))
	for _, w := range text.Words(s) {
		if shutWords[w.Norm] && !denial.MatchString(w.Norm) {
			n++
		}
	}
	return n
}

func (c *claim) limited() bool { return limitedIn(c.said) }

func limitedIn(s string) bool { return exception.MatchString(s) || limit.MatchString(s) }

func (c *claim) shut() bool { return shutIn(c.said) }

func shutIn(s string) bool {
	return slices.ContainsFunc(text.Words(s), func(w text.Word) bool {
		return shutWords[w.Norm] || undoes(w.Norm)
	})
}

// undoes reports whether a word begins with "un" and means the contrary of the rest of it.
func undoes(norm string) bool {
	return strings.HasPrefix(norm, "un") && len(norm) > 4 && !plainUn.MatchString(norm)
}

// optionTaken finds an option of a command that the evidence gives for something else: another place, with an option of its own, holds more
// of what the claim says it is for.
func (c *claim) optionTaken(places []place) []Trouble {
	mine := c.options()
	if mine == "" {
		return nil
	}
	own, other := 0.0, 0.0
	for i := range places {
		switch has := option.FindAllString(" "+places[i].text, -1); {
		case slices.ContainsFunc(has, func(o string) bool { return strings.TrimSpace(o) == mine }):
			own = max(own, c.shares(&places[i]))
		case len(has) > 0:
			other = max(other, c.shares(&places[i]))
		}
	}
	if other > own+1e-9 {
		return []Trouble{trouble(Misplace, mine)}
	}
	return nil
}

// opposes finds a word of a claim of which the nearest place holds the opposite alone.
func (c *claim) opposes(p *place) []Trouble {
	have, own := norms(p.text), norms(c.said)
	for _, w := range text.Words(c.said) {
		if have[w.Norm] || len(c.denied) > 0 && len(p.denied) == 0 { // not open, where it is closed
			continue
		}
		if slices.ContainsFunc(opposites[w.Norm], func(o string) bool { return have[o] && !own[o] }) {
			return []Trouble{trouble(Opposite, c.said[w.Start:w.End])}
		}
	}
	for _, w := range c.words {
		if have["un"+w.Norm] && !have[w.Norm] && len(c.denied) == 0 && !own["un"+w.Norm] {
			return []Trouble{trouble(Opposite, c.said[w.Start:w.End])}
		}
		if plain, ok := strings.CutPrefix(w.Norm, "un"); ok && have[plain] && !have[w.Norm] && denials(p.text) == 0 {
			return []Trouble{trouble(Opposite, c.said[w.Start:w.End])}
		}
	}
	for _, q := range c.figures {
		for _, f := range p.figures {
			if !equal(q, f) {
				continue
			}
			if a, b := before(c.said, q.Start), before(p.text, f.Start); sinceWords[a] && untilWords[b] || untilWords[a] && a != "to" && sinceWords[b] {
				return []Trouble{trouble(Opposite, a+" "+c.said[q.Start:q.End])}
			}
		}
	}
	low, lower := strings.ToLower(c.said), strings.ToLower(p.text)
	for _, b := range boundaries {
		for _, pair := range [][2]string{b, {b[1], b[0]}} {
			if strings.Contains(low, pair[0]+" ") && strings.Contains(lower, pair[1]+" ") && !strings.Contains(lower, pair[0]+" ") {
				return []Trouble{trouble(Opposite, pair[0])}
			}
		}
	}
	return nil
}

// before is the word right before a place in a text.
func before(s string, at int) string {
	out := ""
	for _, w := range text.Words(s[:at]) {
		out = w.Norm
	}
	return out
}

func norms(s string) map[string]bool {
	m := map[string]bool{}
	for _, w := range text.Words(s) {
		m[w.Norm] = true
	}
	return m
}

// tie is a word of relation with the content word that follows it: "in testing".
type tie struct{ by, to string }

// ties lists the relations of a text; at most three words stand between a relation and its word.
func ties(s string) []tie {
	var out []tie
	ws := text.Words(s)
	for i, w := range ws {
		if !relation[w.Norm] {
			continue
		}
		for k := i + 1; k < len(ws) && k <= i+4; k++ {
			if relation[ws[k].Norm] {
				break
			}
			if !text.Stop(ws[k].Norm) && wordy(ws[k].Norm) {
				out = append(out, tie{w.Norm, ws[k].Stem})
				break
			}
		}
	}
	return out
}

// turned finds two things that have changed places: what stands "in" one there stands "in" the other here.
func (c *claim) turned(places []place, against int) []Trouble {
	mine := ties(c.said)
	for i := range places {
		p := &places[i]
		if p.row != nil || i != against && c.shares(p) < turnedFrom {
			continue
		}
		if i != against && c.options() != "" && !strings.Contains(p.text, c.options()) {
			continue
		}
		theirs := ties(p.text)
		for _, t := range mine {
			if slices.Contains(theirs, t) || !p.stems[t.to] {
				continue
			}
			for _, o := range theirs {
				if o.by == t.by && o.to != t.to && c.stems[o.to] && !slices.Contains(mine, o) {
					return []Trouble{trouble(Misplace, t.by+" "+t.to)}
				}
			}
		}
	}
	return nil
}

// crossed finds a part of a claim that takes what tells one of two parallel parts of a sentence together with what tells the other.
func (c *claim) crossed(places []place) []Trouble {
	for i := range places {
		if places[i].row != nil {
			continue
		}
		parts := parallel(places[i].text)
		for a := range parts {
			for b := range parts {
				if a == b {
					continue
				}
				one, other := text.Stems(parts[a]), text.Stems(parts[b])
				for _, x := range c.parts {
					mine := text.Stems(x.text)
					if share(mine, one, []map[string]bool{other}, nil) >= 0.5 && share(mine, other, []map[string]bool{one}, nil) >= 0.5 {
						return []Trouble{trouble(Misplace, x.text)}
					}
				}
			}
		}
	}
	return nil
}

// turnedFrom is the share of its words that a claim must share with a place to be held to turn it round.
const turnedFrom = 0.85

// options is the first option of a command in a claim.
func (c *claim) options() string { return strings.TrimSpace(option.FindString(" " + c.said)) }

// borrowed finds a claim whose subject, or the word that narrows a thing, stands in another place than what is said of it.
func (c *claim) borrowed(places []place, against int) []Trouble {
	p := &places[against]
	if p.row != nil || c.shares(p) < 0.4 {
		return nil
	}
	elsewhere := func(stem string) bool {
		if p.stems[stem] || p.head[stem] || p.points && against > 0 && places[against-1].stems[stem] {
			return false
		}
		return slices.ContainsFunc(places, func(o place) bool { return o.stems[stem] })
	}
	ws := text.Words(c.said)
	for i := 0; i+1 < len(ws); i++ {
		a, b := ws[i], ws[i+1]
		if text.Stop(a.Norm) || text.Stop(b.Norm) || !text.Adjacent(c.said, a, b) || !wordy(a.Norm) || !p.stems[b.Stem] || !elsewhere(a.Stem) {
			continue
		}
		if slices.ContainsFunc(places, func(o place) bool { return adjacent(o.text, a.Stem, b.Stem) }) {
			return []Trouble{trouble(Misplace, c.said[a.Start:b.End])}
		}
	}
	for _, w := range c.words {
		if calendar[strings.TrimSuffix(w.Norm, "s")] && elsewhere(w.Stem) {
			return []Trouble{trouble(Misplace, c.said[w.Start:w.End])}
		}
	}
	if t := c.hungOn(places, against, elsewhere); t != nil {
		return t
	}
	return c.ofAnother(places)
}

// ofAnother finds a claim whose predicate stands in places that say it of another subject, and in no other.
func (c *claim) ofAnother(places []place) []Trouble {
	mine, predicate := subject(c.said)
	if len(mine) == 0 || len(predicate) == 0 {
		return nil
	}
	best := 0.0
	var strange string
	for i := range places {
		p := &places[i]
		if p.row != nil {
			continue
		}
		n := 0
		for _, s := range predicate {
			if p.stems[s] {
				n++
			}
		}
		share := float64(n) / float64(len(predicate))
		if share < 0.5 || share < best {
			continue
		}
		odd := ""
		theirs, _ := subject(p.text)
		if len(theirs) > 0 && slices.ContainsFunc(theirs, func(s string) bool { return !c.stems[s] }) {
			for _, s := range mine {
				if !p.stems[s] && !p.head[s] && slices.ContainsFunc(places, func(o place) bool { return o.stems[s] }) {
					odd = s
				}
			}
		}
		if p.points && i > 0 && odd != "" && places[i-1].stems[odd] {
			odd = ""
		}
		if share > best || odd == "" {
			best, strange = share, odd
		}
	}
	if strange != "" {
		return []Trouble{trouble(Misplace, strange)}
	}
	return nil
}

// hungOn finds a thing that stands in a list of the claim and nowhere near what the claim says: "water and a shed", where the sheds of the
// evidence have nothing to do with the rest.
func (c *claim) hungOn(places []place, against int, elsewhere func(stem string) bool) []Trouble {
	for i, x := range c.parts {
		ws := text.Content(x.text)
		if i == 0 || len(ws) == 0 || len(ws) > 2 || slices.ContainsFunc(text.Words(x.text), func(w text.Word) bool { return auxiliary[w.Norm] }) {
			continue
		}
		strange := func(w text.Word) bool {
			return wordy(w.Norm) && elsewhere(w.Stem) && !slices.ContainsFunc(places, func(o place) bool {
				return o.stems[w.Stem] && slices.ContainsFunc(c.words, func(v text.Word) bool { return v.Stem != w.Stem && o.stems[v.Stem] })
			})
		}
		if !slices.ContainsFunc(ws, func(w text.Word) bool { return !strange(w) }) {
			return []Trouble{trouble(Misplace, x.text)}
		}
	}
	return nil
}

func adjacent(s, a, b string) bool {
	ws := text.Words(s)
	for i := 0; i+1 < len(ws); i++ {
		if ws[i].Stem == a && ws[i+1].Stem == b && text.Adjacent(s, ws[i], ws[i+1]) {
			return true
		}
	}
	return false
}

// subject are the stems of the content words of a sentence before its first auxiliary, of the first five words, and those after it; none
// where no auxiliary stands so near.
func subject(s string) (before, after []string) {
	ws := text.Words(s)
	for i, w := range ws {
		if i > 4 {
			return nil, nil
		}
		if auxiliary[w.Norm] {
			for _, o := range ws[i:] {
				if !text.Stop(o.Norm) && wordy(o.Norm) {
					after = append(after, o.Stem)
				}
			}
			return before, after
		}
		if !text.Stop(w.Norm) && wordy(w.Norm) {
			before = append(before, w.Stem)
		}
	}
	return nil, nil
}

// limits finds an exception, an "only" or a narrower thing that a claim leaves out, adds or turns round.
func (c *claim) limits(places []place, against int) []Trouble {
	p := &places[against]
	if p.row != nil {
		return nil
	}
	if t := c.inException(p); t != nil {
		return t
	}
	if all := slices.IndexFunc(text.Words(c.said), func(w text.Word) bool { return universal[w.Norm] }); all >= 0 && exception.MatchString(p.text) && !c.limited() &&
		c.shares(p) >= alikeEnough && !slices.ContainsFunc(text.Words(p.text), func(w text.Word) bool { return universal[w.Norm] }) {
		return []Trouble{trouble(Limit, exception.FindString(p.text))}
	}
	if t := c.ownException(places); t != nil {
		return t
	}
	if t := c.withoutCondition(p); t != nil {
		return t
	}
	only, theirs := limit.FindStringIndex(c.said), limit.MatchString(p.text)
	if only != nil && !theirs && !exception.MatchString(p.text) && only[0] == 0 {
		return []Trouble{trouble(Limit, c.said[only[0]:only[1]])}
	}
	if theirs && only == nil && !exception.MatchString(c.said) && len(c.denied) == 0 && c.shares(p) >= 0.3 {
		unknown := 0
		for _, w := range c.words {
			if wordy(w.Norm) && !p.stems[w.Stem] && !p.head[w.Stem] {
				unknown++
			}
		}
		if 5*unknown >= 2*len(c.words) {
			return []Trouble{trouble(Limit, limit.FindString(p.text))}
		}
	}
	if t := c.ordinals(p); t != nil {
		return t
	}
	return c.widened(places, against)
}

// ordinals finds a day of which the evidence picks one, and the claim takes any: the first Sunday of the month, Sundays.
func (c *claim) ordinals(p *place) []Trouble {
	ws, own := text.Words(p.text), norms(c.said)
	for i := 0; i+1 < len(ws); i++ {
		if ordinals[ws[i].Norm] && calendar[strings.TrimSuffix(ws[i+1].Norm, "s")] && !own[ws[i].Norm] && text.Adjacent(p.text, ws[i], ws[i+1]) && c.stems[ws[i+1].Stem] && c.shares(p) >= alikeEnough {
			if n, bare := modifier(c.said, ws[i+1].Stem); n == "" && bare {
				return []Trouble{trouble(Limit, p.text[ws[i].Start:ws[i+1].End])}
			}
		}
	}
	return nil
}

// inException finds a claim that says of the exception what holds of the rest.
func (c *claim) inException(p *place) []Trouble {
	m := exception.FindStringIndex(p.text)
	if m == nil || m[0] == 0 || c.limited() || len(c.denied) > 0 || c.shut() {
		return nil
	}
	apart := text.Content(p.text[m[1]:])
	if i := strings.IndexByte(p.text[m[1]:], ','); i > 0 {
		apart = text.Content(p.text[m[1] : m[1]+i])
	}
	main := text.Stems(p.text[:m[0]])
	inIt, inMain := 0, 0
	for _, w := range apart {
		if c.stems[w.Stem] && !main[w.Stem] {
			inIt++
		}
	}
	for _, w := range c.words {
		if main[w.Stem] {
			inMain++
		}
	}
	if len(apart) > 0 && 2*inIt >= len(apart) && inMain >= 2 {
		return []Trouble{trouble(Limit, p.text[m[0]:])}
	}
	return nil
}

// ownException finds an exception that a claim makes and of which nothing stands in the evidence.
func (c *claim) ownException(places []place) []Trouble {
	m := exception.FindStringIndex(c.said)
	if m == nil {
		return nil
	}
	apart := text.Content(c.said[m[1]:])
	if len(apart) == 0 || slices.ContainsFunc(apart, func(w text.Word) bool {
		return slices.ContainsFunc(places, func(p place) bool { return p.stems[w.Stem] || p.head[w.Stem] })
	}) {
		return nil
	}
	return []Trouble{trouble(Limit, c.said[m[0]:])}
}

// withoutCondition finds a claim that leaves out under what condition alone a thing holds, or says of the other case what holds of one:
// "only with an adult", "normal otherwise".
func (c *claim) withoutCondition(p *place) []Trouble {
	if c.limited() || len(c.denied) > 0 || c.shut() {
		return nil
	}
	if m := limit.FindStringIndex(p.text); m != nil && m[0] > 0 && c.shares(p) >= alikeEnough {
		rest := p.text[m[1]:]
		if i := segment.FindStringIndex(rest); i != nil {
			rest = rest[:i[0]]
		}
		apart, main := text.Content(rest), text.Stems(p.text[:m[0]])
		held := 0
		for _, w := range c.words {
			if main[w.Stem] && wordy(w.Norm) {
				held++
			}
		}
		said := 0
		for _, w := range apart {
			if c.stems[w.Stem] {
				said++
			}
		}
		if held >= 2 && len(apart) > 0 && 2*said <= len(apart) && !c.stems[apart[len(apart)-1].Stem] {
			return []Trouble{trouble(Limit, p.text[m[0]:m[1]]+rest)}
		}
	}
	m, when := otherwise.FindStringIndex(p.text), condition.FindStringIndex(p.text)
	if m == nil || when == nil || when[0] > m[0] || otherwise.MatchString(c.said) {
		return nil
	}
	clause := p.text[when[1]:m[0]]
	if i := strings.IndexByte(clause, ','); i > 0 {
		clause = clause[:i]
	}
	before, after := text.Stems(p.text[:m[0]]), text.Stems(p.text[m[1]:])
	inClause, inOther := false, false
	for _, w := range c.words {
		inClause = inClause || text.Stems(clause)[w.Stem]
		inOther = inOther || after[w.Stem] && !before[w.Stem]
	}
	if inClause && inOther {
		return []Trouble{trouble(Misplace, p.text[m[0]:])}
	}
	return nil
}

// widened finds a claim about all of a thing where its evidence speaks of one kind of it, and other sentences of others.
func (c *claim) widened(places []place, against int) []Trouble {
	p := &places[against]
	if c.shares(p) < alikeEnough {
		return nil
	}
	about, _ := subject(c.said)
	for _, s := range about {
		narrower, bare := modifier(p.text, s)
		if narrower == "" || bare || c.stems[narrower] || p.head[narrower] {
			continue
		}
		if own, _ := modifier(c.said, s); own != "" {
			continue
		}
		for i := range places {
			if o, plain := modifier(places[i].text, s); i != against && places[i].row == nil && (plain || o != "" && o != narrower) {
				return []Trouble{trouble(Limit, narrower)}
			}
		}
	}
	return nil
}

// modifier is the stem of the content word right before a word, and whether the word stands without one.
func modifier(s, stem string) (narrower string, bare bool) {
	ws := text.Words(s)
	for i, w := range ws {
		if w.Stem != stem {
			continue
		}
		if i > 0 && text.Adjacent(s, ws[i-1], w) && !text.Stop(ws[i-1].Norm) && !auxiliary[ws[i-1].Norm] && wordy(ws[i-1].Norm) {
			narrower = ws[i-1].Stem
			continue
		}
		bare = true
	}
	return narrower, bare
}

// added finds a phrase of which nothing stands in the evidence in a claim of which the rest stands there word for word: a paraphrase
// changes words throughout, an addition hangs something on.
func (g Grounder) added(c *claim, places []place, against int) []Trouble {
	p := &places[against]
	known := func(w text.Word) bool {
		if slices.ContainsFunc(c.figures, func(q text.Quantity) bool { return q.Start < w.End && w.Start < q.End }) {
			return true
		}
		return !wordy(w.Norm) || places[against].wide[w.Stem] || p.head[w.Stem] || slices.ContainsFunc(places, func(o place) bool { return o.stems[w.Stem] })
	}
	rest, total := 0, 0
	for _, w := range c.words {
		if total++; known(w) {
			rest++
		}
	}
	ws := text.Words(c.said)
	asked := text.Stems(c.asked)
	for i := 0; i < len(ws); i++ {
		if !hangs[ws[i].Norm] || i < 3 {
			continue
		}
		n := 0
		k := i + 1
		strange := 0
		for ; k < len(ws) && (articles[ws[k].Norm] || !text.Stop(ws[k].Norm)); k++ {
			if articles[ws[k].Norm] || auxiliary[ws[k].Norm] {
				continue
			}
			n++
			if !known(ws[k]) && !freeWords[ws[k].Norm] && !asked[ws[k].Stem] && g.near(ws[k], p) < 0.5 {
				strange++
			}
		}
		if k+1 < len(ws) && calendar[ws[k+1].Norm] {
			continue // told more closely by what follows
		}
		if n > 0 && strange == n && rest >= 3 && 10*rest >= 7*(total-strange) && total-strange >= 3 && rest == total-strange {
			return []Trouble{trouble(Added, c.said[ws[i].Start:ws[min(k, len(ws))-1].End])}
		}
	}
	return nil
}
