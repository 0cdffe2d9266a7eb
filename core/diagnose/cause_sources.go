package diagnose

import (
	"context"
	"fmt"
	"maps"
	"regexp"
	"slices"
	"strings"

	"jolvex/core/answer"
	"jolvex/core/measure"
	"jolvex/core/prove"
	"jolvex/core/query"
	"jolvex/core/questions"
	"jolvex/core/record"
	"jolvex/core/text"
)

// sources follows what was expected from the corpus into the reply: is it there, can it be drawn on, does one chunk hold it, does
// it rank, is it kept, is it said?
func (n *inquiry) sources(ctx context.Context) (bool, error) {
	named, err := n.documents()
	if err != nil {
		return false, err
	}
	if len(named) > 0 && !slices.ContainsFunc(named, func(k Known) bool { return k.Trouble == "" }) {
		return n.unable(named[0]), nil
	}
	fact, wantsFact := n.has(questions.Mentions, questions.Gives, questions.Reaches)
	if names := n.namesExpected(); len(names) > 0 && len(named) == 0 {
		f := Fix{Label: "Gather it", Do: "gather", Document: names[0]}
		if at := n.p.Where(names[0]); at != "" {
			f.Change, f.Document = &Alteration{Pages: []string{at}}, at
		}
		n.fix(f)
		return n.found(NotGathered, "the corpus has no document %q", names[0]), nil
	}
	if !wantsFact {
		if n.v.Refused {
			return n.refused(ctx, Held{}, false)
		}
		if _, ok := n.has(questions.Cites); ok {
			return n.wrongPage(named), nil
		}
		return false, nil
	}
	held, err := n.p.Holding(ctx, n.q, n.s, fact)
	if err != nil {
		return false, err
	}
	if other := slices.DeleteFunc(slices.Clone(held), n.saidByAccident(fact)); len(other) > 0 {
		held = other
	}
	place, ok := n.choosePlace(held, named)
	switch {
	case !ok && len(named) == 0 && n.saidOtherwise(fact) != "":
		n.fix(Fix{Label: "Amend the expectation to what the sources say", Do: "amend"})
		n.spotCited()
		return n.found(Doubtful, "no document says %s; what speaks of it says “%s”", quotedValues(fact), n.saidOtherwise(fact)), nil
	case !ok && countOf.MatchString(n.q.Text) && n.s.Trail.Outcome == answer.Answered && !strings.Contains(n.s.Trail.Why, "record"):
		n.settle(nil)
		return n.found(NotUnderstood, "it asks for a number of things that no document says, and no record answers it"), nil
	case !ok && n.wordedAnew(fact):
		n.fix(Fix{Label: "Amend the expectation to what the source says", Do: "amend"})
		return n.found(Doubtful, "no document says %s; the reply means much the same in other words", quotedValues(fact)), nil
	case !ok && len(named) > 0:
		n.fix(Fix{Label: "Amend the expectation to what the source says", Do: "amend", Document: named[0].Document})
		n.fix(Fix{Label: "Mend the source", Do: "source", Document: named[0].Document})
		return n.found(Doubtful, "%s is in the corpus and does not say %s, nor does any other document", named[0].Address, quotedValues(fact)), nil
	case !ok:
		n.fix(Fix{Label: "Gather a page that says it", Do: "gather"})
		n.settle(nil)
		return n.found(NotGathered, "no document of the corpus says %s", quotedValues(fact)), nil
	case place.Past:
		n.fix(Fix{Label: "Amend the expectation to what the source says now", Do: "amend", Document: place.Document})
		return n.found(Doubtful, "%s said %s in an earlier version and does not any more: the expectation is older than its source", place.Address, quotedValues(fact)), nil
	case place.Trouble != "":
		return n.unable(place.Known), nil
	case place.Cut:
		n.show("no chunk holds all of “%s”", shortened(place.Text))
		n.fix(Fix{Label: "Cut this source by structure", Change: &Alteration{Sources: map[string]map[string]string{place.Source: {"strategy": "structure"}}}})
		n.fix(Fix{Label: "Make the chunks of this source larger", Change: &Alteration{Sources: map[string]map[string]string{place.Source: {"size": "400", "overlap": "60"}}}})
		n.fix(Fix{Label: "Cut by structure", Change: &Alteration{Settings: map[string]string{"chunk.strategy": "structure"}}})
		n.fix(Fix{Label: "Make chunks larger", Change: &Alteration{Settings: map[string]string{"chunk.size": "400", "chunk.overlap": "60"}}})
		for _, f := range n.out.Fixes {
			whole, err := n.p.Whole(ctx, *f.Change, place)
			if err != nil {
				return false, err
			}
			n.show("%s: %s", f.Label, map[bool]string{true: "one chunk holds all of it", false: "it is cut as well"}[whole])
		}
		return n.found(CutAcross, "a cut runs through the passage in %s", place.Address), nil
	}
	n.spotPlace(place)
	n.spotCited()
	return n.ranked(ctx, place)
}

// saidByAccident tells of the places from which the reply says a fact that was found to be said of something else.
func (n *inquiry) saidByAccident(e questions.Expectation) func(Held) bool {
	accident := slices.ContainsFunc(n.v.Findings, func(f prove.Finding) bool {
		return f.Accident && f.Expectation.Kind == e.Kind && slices.Equal(f.Expectation.Values, e.Values)
	})
	return func(h Held) bool {
		return accident && slices.ContainsFunc(n.s.Trail.Reply, func(x answer.Sentence) bool { return x.Version == h.Version && x.Span.Overlaps(h.Span) })
	}
}

// saidOtherwise is the figure that a reply gives in place of the expected one, of the same kind and about the very thing asked; "" for none.
func (n *inquiry) saidOtherwise(e questions.Expectation) string {
	if n.v.Refused || n.s.Trail.Outcome != answer.Answered || n.s.Trail.Support < n.s.Trail.Bar {
		return ""
	}
	want := figuresOf(e.Values)
	if len(want) == 0 {
		return ""
	}
	asked := text.Content(n.alone())
	for _, x := range n.s.Trail.Reply {
		if x.Candidate < 0 {
			continue
		}
		have := text.Stems(x.Text)
		if x.Candidate < len(n.s.Bodies) && n.s.Bodies[x.Candidate] != nil {
			d := n.s.Bodies[x.Candidate]
			have = text.Stems(append(d.PathAt(x.Span), x.Text, d.Title)...)
		}
		k := 0
		for _, w := range asked {
			if have[w.Stem] {
				k++
			}
		}
		if len(asked) == 0 || 4*k < 3*len(asked) {
			continue
		}
		for _, q := range text.Quantities(x.Text) {
			if q.Kind == want[0].Kind {
				return x.Text[q.Start:q.End]
			}
		}
	}
	return ""
}

func figuresOf(values []string) []text.Quantity {
	var out []text.Quantity
	for _, v := range values {
		out = append(out, text.Quantities(v)...)
	}
	return out
}

// namesExpected are the documents that the question names.
func (n *inquiry) namesExpected() []string {
	var out []string
	for _, e := range n.q.Expect {
		switch e.Kind {
		case questions.Cites:
			out = append(out, e.Values...)
		case questions.Reaches:
			out = append(out, e.Document)
		}
	}
	return out
}

func (n *inquiry) documents() ([]Known, error) {
	names := n.namesExpected()
	if len(names) == 0 {
		return nil, nil
	}
	return n.p.Named(names)
}

// unable tells of a document that no public reply can draw on.
func (n *inquiry) unable(k Known) bool {
	f := Fix{Label: "Try it again, or take it in", Do: "retry", Document: k.Document}
	if k.Takeable {
		f.Change = &Alteration{TakeIn: []string{k.Document}}
	}
	n.fix(f)
	n.out.Sure = proven
	return n.found(LeftOut, "%s cannot be drawn on: %s", k.Address, k.Trouble)
}

// choosePlace prefers a place in a document that the question names, one that can be drawn on, and one that shares words with
// the question.
func (n *inquiry) choosePlace(held []Held, named []Known) (Held, bool) {
	asked := map[string]bool{}
	for _, w := range text.Content(n.q.Text) {
		asked[w.Stem] = true
	}
	best, score, share := Held{}, -1.0, 0.0
	shares := make([]float64, len(held))
	for i, h := range held {
		s := 0.0
		for _, is := range []struct {
			so     bool
			weight float64
		}{
			{slices.ContainsFunc(named, func(k Known) bool { return k.Document == h.Document }), 8},
			{h.Trouble == "", 4},
			{!h.Past, 2},
			{!h.Cut, 0.1},
		} {
			if is.so {
				s += is.weight
			}
		}
		shared := map[string]bool{}
		for _, w := range text.Content(h.Heading + " " + h.Text) {
			if asked[w.Stem] {
				shared[w.Stem] = true
			}
		}
		shares[i] = float64(len(shared)) / float64(max(1, len(asked)))
		if s += 1.8 * shares[i]; s > score {
			best, score, share = h, s, shares[i]
		}
	}
	for i, h := range held { // the very passage cannot be drawn on, and the words stand elsewhere by chance
		if h.Trouble != "" && best.Trouble == "" && !slices.ContainsFunc(named, func(k Known) bool { return k.Document == best.Document }) && shares[i]-share >= byChance {
			best, share = h, shares[i]
		}
	}
	return best, score >= 0
}

// byChance is by how much more of what is asked one place must speak than another for the other to hold the same words by chance. Common
// practice, no published source.
const byChance = 0.3

// wordedAnew reports whether the reply says what was expected in other words: most of the words of an alternative stand in it.
func (n *inquiry) wordedAnew(e questions.Expectation) bool {
	if e.Kind != questions.Mentions || n.v.Refused {
		return false
	}
	have := map[string]bool{}
	for _, w := range text.Words(n.s.Trail.Text()) {
		have[w.Stem] = true
	}
	for _, v := range e.Values {
		ws := text.Content(v)
		k := 0
		for _, w := range ws {
			if have[w.Stem] {
				k++
			}
		}
		if len(ws) >= 2 && 3*k >= 2*len(ws) {
			return true
		}
	}
	return false
}

// candidate is the rank, from 1, of the candidate that brings a place; 0 for none.
func candidate(s prove.Seen, h Held) int {
	for i, c := range s.Trail.Candidates {
		if c.Document == h.Document && c.Evidence().Start <= h.Span.Start && h.Span.End <= c.Evidence().End {
			return i + 1
		}
	}
	return 0
}

func kept(s prove.Seen, rank int) bool { return rank > 0 && s.Trail.Candidates[rank-1].Kept }

// ranked looks why a place that can be drawn on was not, or was and is not said.
func (n *inquiry) ranked(ctx context.Context, h Held) (bool, error) {
	r := candidate(n.s, h)
	if kept(n.s, r) {
		n.show("the passage ranks %d and is kept", r)
		if n.v.Refused {
			return n.refused(ctx, h, true)
		}
		return n.said(ctx, h, r)
	}
	if r > 0 {
		n.show("the passage ranks %d, below what is kept", r)
	} else {
		n.show("the passage is not among the %d that were found", len(n.s.Trail.Candidates))
	}
	if n.older(h) {
		return true, nil
	}
	if lost, err := n.rewriting(ctx, h, true); lost || err != nil {
		return lost, err
	}
	for _, l := range n.s.Trail.Left {
		if l.Document == h.Document && l.Span.Start <= h.Span.Start && h.Span.End <= l.Span.End && (l.Why == "repeats" || l.Why == "section") {
			n.set("Let repeats take places of their own", "find.fold", "false")
			f := Fix{Label: "Leave one of the two out", Do: "source", Document: h.Document}
			if l.Of > 0 && l.Of <= len(n.s.Trail.Candidates) {
				f.Document = n.s.Trail.Candidates[l.Of-1].Document
				f.Change = &Alteration{LeaveOut: []string{f.Document}}
			}
			n.fix(f)
			return n.found(CrowdedOut, "the passage in %s stands behind candidate %d, which repeats it", h.Address, l.Of), nil
		}
	}
	deep := Alteration{Settings: map[string]string{"find.keep": "50", "find.candidates": "400"}}
	s, v, err := n.again(ctx, "with 50 chunks kept", deep)
	if err != nil {
		return false, err
	}
	at := candidate(s, h)
	if v.Passed {
		n.out.Sure = proven
	}
	if v.Passed && at > 0 {
		n.set(fmt.Sprintf("Keep %d chunks for the reply", min(50, at+1)), "find.keep", fmt.Sprint(min(50, at+1)))
	}
	if term, means := n.inOwnWords(h); term != "" && n.joins(term, means) {
		n.fix(Fix{Label: "Tell the glossary that “" + term + "” means “" + means + "”", Change: &Alteration{Glossary: []query.Entry{{Term: term, Means: []string{means}}}}})
	}
	n.set("Give headings more weight", "find.path", "6")
	n.set("Give meaning more weight", "find.dense", "0.8")
	n.fix(Fix{Label: "Raise the priority of its source", Change: &Alteration{Priority: map[string]int{h.Source: 2}}})
	n.settle(&h)
	if at > 0 {
		return n.found(RankedBelow, "the passage in %s ranks %d", h.Address, at), nil
	}
	return n.found(RankedBelow, "the passage in %s is not among the %d that are found with 50 kept", h.Address, len(s.Trail.Candidates)), nil
}

// inOwnWords finds the longest word of the question that neither the place nor its headings have, and the heading that the place
// stands under, which may be what the corpus calls it; "" when the question's words are all there, or no heading is.
func (n *inquiry) inOwnWords(h Held) (term, means string) {
	have := map[string]bool{}
	for _, w := range text.Words(h.Heading + " " + h.Text) {
		have[w.Stem] = true
	}
	for _, w := range text.Content(n.q.Text) {
		if !have[w.Stem] && len(w.Norm) > len(term) {
			term = w.Norm
		}
	}
	if term == "" || h.Title == "" || len(text.Content(h.Title)) > 4 || strings.HasSuffix(h.Title, "?") {
		return "", ""
	}
	return term, h.Title
}

// alike is the likeness in meaning from which two wordings may be joined by the glossary; often is from how many chunks on a word has a
// life of its own in the corpus, which an entry would add to. Common practice, no published source: 0.45 parts synonyms from words that only
// stand near each other in most vocabularies of word vectors.
const (
	alike = 0.45
	often = 3
)

// joins reports whether a glossary entry would join two wordings that belong together: of like meaning, and the one hardly used in the corpus
// for something else.
func (n *inquiry) joins(term, means string) bool {
	likeness, known, uses := n.p.Related(term, means)
	return known && likeness >= alike && uses < often
}

// passes are the settings that switch the passes of rewriting.
var passes = map[string]string{
	query.PassCommands: "query.commands", query.PassFiller: "query.filler", query.PassSpelling: "query.spelling", query.PassFollowUp: "query.followUp", query.PassGlossary: "query.glossary", query.PassCompound: "query.compound",
	query.PassRelated: "query.related", query.PassFeedback: "query.feedback", query.PassModel: "query.model", query.PassLanguage: "query.language",
}

// rewriting looks whether the passage is found when the question is searched for as it was put, or, where it was found, whether the reply
// would be right.
func (n *inquiry) rewriting(ctx context.Context, h Held, found bool) (bool, error) {
	var changed []string
	for _, st := range n.s.Trail.Reading.Steps {
		if st.Changed && passes[st.Pass] != "" {
			changed = append(changed, st.Pass)
		}
	}
	if len(changed) == 0 {
		return false, nil
	}
	off := map[string]string{"query.split": "false"}
	for _, key := range slices.Sorted(maps.Values(passes)) {
		off[key] = "false"
	}
	s, v, err := n.again(ctx, "searched for as it was put", Alteration{Settings: off})
	if err != nil || !v.Passed && !(found && kept(s, candidate(s, h))) {
		return false, err
	}
	blamed := ""
	for _, pass := range changed {
		s, v, err := n.again(ctx, "without the pass "+pass, Alteration{Settings: map[string]string{passes[pass]: "false"}})
		if err != nil {
			return false, err
		}
		if v.Passed || found && kept(s, candidate(s, h)) {
			if v.Passed {
				n.out.Sure = proven
			}
			n.set("Switch the pass "+pass+" off", passes[pass], "false")
			if blamed == "" {
				blamed = pass
			}
		}
	}
	if blamed == "" {
		return n.found(LostInRewriting, "rewritten, the question does not reach the passage that it reaches as it was put"), nil
	}
	return n.found(LostInRewriting, "the pass %s leads away from the passage", blamed), nil
}

// refused looks whether a lower bar would have let the right answer through.
func (n *inquiry) refused(ctx context.Context, h Held, known bool) (bool, error) {
	s, v, err := n.again(ctx, "with the evidence bar at 0", Alteration{Settings: map[string]string{"answer.bar": "0"}})
	if err != nil {
		return false, err
	}
	t := n.s.Trail
	var place *Held
	if known {
		place = &h
	}
	if v.Passed {
		bar := max(0, t.Support-0.01)
		n.set(fmt.Sprintf("Lower the evidence bar to %.2f", bar), "answer.bar", fmt.Sprintf("%.2f", bar))
		n.settle(place)
		n.out.Sure = proven
		return n.found(WronglyRefused, "its support is %.2f, the bar %.2f; with a lower bar it is right", t.Support, t.Bar), nil
	}
	if !known || s.Trail.Outcome == answer.Refused {
		n.settle(place)
		return n.found(WronglyRefused, "it is refused, and below the bar there is no right answer either: %s", t.Why), nil
	}
	n.s, n.v = s, v // what would have been said
	return n.said(ctx, h, candidate(s, h))
}

// wrongPage: the reply holds what it should and cites something else.
func (n *inquiry) wrongPage(named []Known) bool {
	for _, k := range named {
		n.fix(Fix{Label: "Raise the priority of the source of " + k.Address, Change: &Alteration{Priority: map[string]int{k.Source: 2}}})
		break
	}
	n.set("Draw on more chunks", "answer.sources", "3")
	n.fix(Fix{Label: "Accept the page that is cited", Do: "amend"})
	return n.found(WrongPage, "the reply says what is expected, and cites another page")
}

// said looks why a passage that is kept is not said.
func (n *inquiry) said(ctx context.Context, h Held, r int) (bool, error) {
	if n.contradicted(h) || n.older(h) {
		return true, nil
	}
	if kind := kindOf(n.q.Text); kind != "" && !countOf.MatchString(n.q.Text) && kindOf(h.Text) == "" && n.s.Trail.Outcome == answer.Answered && !strings.Contains(n.s.Trail.Why, "record") {
		_, v, err := n.again(ctx, "with records", Alteration{Settings: map[string]string{"answer.records": "true"}})
		if err != nil {
			return false, err
		}
		if v.Passed {
			n.out.Sure = proven
			n.set("Answer from records", "answer.records", "true")
			return n.found(NotUnderstood, "it asks for %s; from records it would be right, and they are switched off", kind), nil
		}
		n.settle(&h)
		return n.found(NotUnderstood, "it asks for %s, and no record answers that: the reply quotes what stands near", kind), nil
	}
	if lost, err := n.rewriting(ctx, h, false); lost || err != nil {
		return lost, err
	}
	if slices.ContainsFunc(n.s.Trail.Reply, func(x answer.Sentence) bool { return x.Candidate == r-1 }) {
		n.set("Let replies be longer", "answer.words", "240")
		n.set("Draw on more chunks", "answer.sources", "4")
		n.settle(&h)
		return n.found(NotUsed, "the reply draws on the passage in %s and leaves out “%s”", h.Address, shortened(h.Text)), nil
	}
	_, v, err := n.again(ctx, "from "+h.Address+" alone, whatever its support", Alteration{Settings: map[string]string{"answer.bar": "0"}}, h.Document)
	if err != nil {
		return false, err
	}
	n.set("Draw on more chunks", "answer.sources", "4")
	n.fix(Fix{Label: "Raise the priority of its source", Change: &Alteration{Priority: map[string]int{h.Source: 2}}})
	n.settle(&h)
	if v.Passed {
		n.out.Sure = proven
		return n.found(Neighbour, "another passage was preferred to that in %s", h.Address), nil
	}
	return n.found(NotUsed, "the passage in %s is kept, and “%s” is not picked from it", h.Address, shortened(h.Text)), nil
}

// sameSubject is the share of their words, figures apart, that two sentences have in common which say the same of one thing.
const sameSubject = 0.5

// contradicted looks for a sentence of the reply that says otherwise than the expected place, in words much the same.
func (n *inquiry) contradicted(h Held) bool {
	for _, x := range n.s.Trail.Reply {
		if x.Candidate < 0 || !text.FiguresDiffer(x.Text, h.Text) {
			continue
		}
		c := n.s.Trail.Candidates[x.Candidate]
		if c.Document == h.Document || measure.TokenF1(plain(x.Text), plain(h.Text)) < sameSubject {
			continue
		}
		n.show("the reply: “%s”", shortened(x.Text))
		n.show("the expected passage: “%s”", shortened(h.Text))
		n.fix(Fix{Label: "Leave out what is out of date", Do: "source", Document: c.Document, Change: &Alteration{LeaveOut: []string{c.Document}}})
		n.set("Prefer what was changed lately", "find.fresh", "1.5")
		n.fix(Fix{Label: "Raise the priority of its source", Change: &Alteration{Priority: map[string]int{h.Source: 2}}})
		return n.found(OutOfDate, "%s says otherwise than %s, and was believed", n.s.Documents[x.Candidate].Address, h.Address)
	}
	return false
}

// older looks whether the reply draws on a page about the same that is no longer in force.
func (n *inquiry) older(h Held) bool {
	today := n.s.Trail.Pins.AsOf
	for _, x := range n.s.Trail.Reply {
		if x.Candidate < 0 || x.Candidate >= len(n.s.Bodies) || n.s.Bodies[x.Candidate] == nil {
			continue
		}
		c, d := n.s.Trail.Candidates[x.Candidate], n.s.Bodies[x.Candidate]
		if c.Document == h.Document {
			continue
		}
		heads := strings.Join(append(d.PathAt(x.Span), d.Title), " ")
		year, want := yearIn(heads+" "+n.s.Documents[x.Candidate].Address), yearIn(h.Heading+" "+h.Address)
		until := record.Until(d)
		past := len(today) >= 10 && until != "" && until < today[:10]
		why := ""
		switch {
		case past:
			why = "it held until " + until
		case year != "" && want != "" && year < want:
			why = "it is of " + year + ", the expected page of " + want
		case year != "" && want == "" && len(today) >= 4 && year < today[:4]:
			why = "it is of " + year
		case outdated.MatchString(heads) && !outdated.MatchString(h.Heading):
			why = "it calls itself so"
		default:
			continue
		}
		if !past && measure.TokenF1(plain(heads+" "+x.Text), plain(h.Heading+" "+h.Text)) < sameSubject/2 {
			continue
		}
		n.fix(Fix{Label: "Leave out what is out of date", Document: c.Document, Change: &Alteration{LeaveOut: []string{c.Document}}})
		n.fix(Fix{Label: "Say on the page until when it holds", Do: "source", Document: c.Document})
		n.set("Prefer what was changed lately", "find.fresh", "1.5")
		n.fix(Fix{Label: "Raise the priority of its source", Change: &Alteration{Priority: map[string]int{h.Source: 2}}})
		n.found(OutOfDate, "%s is out of date (%s), and was preferred to %s", n.s.Documents[x.Candidate].Address, why, h.Address)
		return true
	}
	return false
}

var (
	aYear    = regexp.MustCompile(`\b(?:19|20)\d\d\b`)
	outdated = en.Pattern("outdated")
)

// yearIn is the latest year that a text names; "" for none.
func yearIn(s string) string {
	out := ""
	for _, y := range aYear.FindAllString(s, -1) {
		out = max(out, y)
	}
	return out
}

// kindOf is what a question asks for that takes more than a sentence of the sources, in words; "" for nothing of that sort.
func kindOf(question string) string {
	switch {
	case countOf.MatchString(question):
		return "a number of things"
	case slices.ContainsFunc(record.Extremes(), func(x record.Extreme) bool { return x.Asked.MatchString(question) }):
		return "the largest or smallest of something"
	case asksWithout.MatchString(question):
		return "what something is not so of"
	}
	return ""
}

var (
	countOf     = en.Pattern("how-many-are")
	asksWithout = en.Pattern("asks-without")
)

// plain are the words of a sentence without its figures.
func plain(s string) []string {
	var out []string
	for _, w := range text.Content(s) {
		if len(text.Quantities(w.Norm)) == 0 {
			out = append(out, w.Stem)
		}
	}
	return out
}

func quotedValues(e questions.Expectation) string {
	return "“" + strings.Join(e.Values, "” or “") + "”"
}

// shortened is the beginning of a text, for a line of a diagnosis.
func shortened(s string) string {
	if r := []rune(s); len(r) > 140 {
		return string(r[:139]) + "…"
	}
	return s
}
