// Package diagnose finds why a reply fell short of what was expected, from its trail and by asking again under other conditions, and
// proposes what would cure it.
package diagnose

import (
	"cmp"
	"context"
	"fmt"
	"slices"
	"strings"

	"jolvex/core/answer"
	"jolvex/core/doc"
	"jolvex/core/prove"
	"jolvex/core/query"
	"jolvex/core/questions"
	"jolvex/core/rule"
	"jolvex/core/text"
)

// Cause is why an expected question failed.
type Cause string

// The causes.
const (
	NotGathered     Cause = "notGathered"     // nothing that the corpus holds says it
	LeftOut         Cause = "leftOut"         // what says it failed, was left out, waits, or is for staff only
	OutOfDate       Cause = "outOfDate"       // another source says otherwise, and was believed
	CutAcross       Cause = "cutAcross"       // the passage is cut in two: no chunk holds all of it
	RankedBelow     Cause = "rankedBelow"     // the passage ranks below what the reply may draw on
	LostInRewriting Cause = "lostInRewriting" // without rewriting, the passage is found
	CrowdedOut      Cause = "crowdedOut"      // the passage stands behind one that repeats it
	NotUsed         Cause = "notUsed"         // the reply draws on the passage and leaves out what matters
	Unsupported     Cause = "unsupported"     // a model added what the evidence does not carry
	Neighbour       Cause = "neighbour"       // another passage was preferred
	WrongPage       Cause = "wrongPage"       // the reply is right, and cites another page
	WronglyRefused  Cause = "wronglyRefused"  // with a lower bar it is right
	ShouldRefuse    Cause = "shouldRefuse"    // it answered
	ShouldAskBack   Cause = "shouldAskBack"   // it answered, and something had to be told first
	AskedNeedlessly Cause = "askedNeedlessly" // it asked back, and the question leaves nothing open
	NotSearched     Cause = "notSearched"     // taken for a courtesy or the like: nothing was searched for
	NotUnderstood   Cause = "notUnderstood"   // a count, a largest or smallest, or a "not" that no record answers
	RuleMissed      Cause = "ruleMissed"      // a house rule should have fired
	RuleMisfired    Cause = "ruleMisfired"    // a house rule fired that should not have; it may stand before what the sources say
	MannerBreached  Cause = "manner"          // too long, in another language, or saying what is not to be said
	Doubtful        Cause = "doubtful"        // the expectation itself
)

// Named is a cause with what people call it.
type Named struct {
	Name  Cause  `json:"name"`
	Label string `json:"label"`
}

// Causes is the table of causes, in the order in which they are shown. It is not to be changed.
func Causes() []Named { return causes }

var causes = []Named{
	{NotGathered, "not gathered"},
	{LeftOut, "failed or left out"},
	{OutOfDate, "an out-of-date page preferred"},
	{CutAcross, "cut across chunks"},
	{RankedBelow, "ranked below the cut"},
	{LostInRewriting, "lost in rewriting"},
	{CrowdedOut, "crowded out by a repeat"},
	{NotUsed, "found but not used"},
	{Unsupported, "unsupported, added by the model"},
	{Neighbour, "another passage preferred"},
	{WrongPage, "wrong page cited"},
	{WronglyRefused, "wrongly refused"},
	{ShouldRefuse, "should have refused"},
	{ShouldAskBack, "should have asked back"},
	{AskedNeedlessly, "asked back needlessly"},
	{NotSearched, "never searched for"},
	{NotUnderstood, "kind of question not understood"},
	{RuleMissed, "house rule missed"},
	{RuleMisfired, "house rule answered instead"},
	{MannerBreached, "tone or length breached"},
	{Doubtful, "the expectation is doubtful"},
}

// Settling is a settled answer in the making: a question with what is to be answered.
type Settling struct {
	Question string `json:"question" minLength:"1" maxLength:"2000"`
	Answer   string `json:"answer" minLength:"1" maxLength:"20000"`
}

// Alteration is a change to a method, or to what the corpus holds, as data, so that it can be tried, shown and applied.
type Alteration struct {
	Settings map[string]string `json:"settings,omitempty" doc:"Values of settings, by key"`
	RulesOff []string          `json:"rulesOff,omitempty" nullable:"false" doc:"House rules that are not obeyed, by id"`
	Wordings map[string]string `json:"wordings,omitempty" doc:"An example wording more for a house rule, by its id"`
	Glossary []query.Entry     `json:"glossary,omitempty" nullable:"false" doc:"Entries more"`
	Priority map[string]int    `json:"priority,omitempty" doc:"Of sources, by portable id"`
	// Sources has settings of cutting for single sources, by portable id: "strategy" to "structure".
	Sources map[string]map[string]string `json:"sources,omitempty" doc:"Settings of cutting of single sources, by portable id and name"`

	Settled  []Settling `json:"settled,omitempty" maxItems:"20" nullable:"false" doc:"Settled answers more"`
	Pages    []string   `json:"pages,omitempty" maxItems:"20" nullable:"false" doc:"Addresses of pages to gather"`
	TakeIn   []string   `json:"takeIn,omitempty" maxItems:"20" nullable:"false" doc:"Documents that failed, wait or were left out, by id, to be taken in"`
	LeaveOut []string   `json:"leaveOut,omitempty" maxItems:"20" nullable:"false" doc:"Documents to be left out, by id"`
}

// Recuts reports whether a change reaches the chunks, so that it can be tried on another index alone.
func (a Alteration) Recuts() bool {
	for key := range a.Settings {
		if strings.HasPrefix(key, "chunk.") || strings.HasPrefix(key, "embed.") {
			return true
		}
	}
	return len(a.Sources) > 0
}

// Fetches reports whether a change asks for pages to be fetched, which nobody does unasked.
func (a Alteration) Fetches() bool { return len(a.Pages)+len(a.TakeIn) > 0 }

// Material reports whether a change reaches what the corpus holds.
func (a Alteration) Material() bool { return a.Fetches() || len(a.Settled)+len(a.LeaveOut) > 0 }

// Fix is what may cure a failure: a change of the method, which can be tried at once, or something to be done elsewhere.
type Fix struct {
	Label    string      `json:"label"`
	Change   *Alteration `json:"change,omitempty" doc:"What to try; none when it is to be done by hand"`
	Document string      `json:"document,omitempty" doc:"The document, or the address, that it is about"`
	Do       string      `json:"do,omitempty" enum:"gather,retry,settle,amend,source" doc:"What is to be done by hand: gather a page, try a document again, write a settled answer, amend the expectation, mend the source"`
	Cures    bool        `json:"cures" doc:"With it, this question passes: it was tried"`
	Variants *Gain       `json:"variants,omitempty" doc:"How other wordings of the question fare without and with it"`
	Others   *Gain       `json:"others,omitempty" doc:"How other questions of the set that passed fare without and with it"`
}

// Gain is how many of some questions pass without a change and with it.
type Gain struct {
	Of     int `json:"of"`
	Before int `json:"before"`
	After  int `json:"after"`
}

// Tried is what came of a change on other questions than the one that failed.
type Tried struct {
	Variants Gain // drawn variants of the question: misspelt, of two words, reworded
	Others   Gain // questions of the set that passed
}

// Spot is a place that shows the cause.
type Spot struct {
	What     string `json:"what"` // "expected", "cited"
	Document string `json:"document"`
	Version  string `json:"version"`
	Address  string `json:"address"`
	Start    int    `json:"start" doc:"Byte in the version's text"`
	End      int    `json:"end"`
	Text     string `json:"text"`
}

// Diagnosis is the cause of one failure with what shows it.
type Diagnosis struct {
	Cause Cause  `json:"cause" enum:"notGathered,leftOut,outOfDate,cutAcross,rankedBelow,lostInRewriting,crowdedOut,notUsed,unsupported,neighbour,wrongPage,wronglyRefused,shouldRefuse,shouldAskBack,askedNeedlessly,notSearched,notUnderstood,ruleMissed,ruleMisfired,manner,doubtful"`
	Why   string `json:"why"`
	// Sure is how far the cause is shown: 0.9 and more when asking again without it cured the question, about 0.7 when what was looked at tells
	// it, 0.5 and less when it is what was left.
	Sure  float64  `json:"sure,omitempty" minimum:"0" maximum:"1"`
	Spots []Spot   `json:"spots,omitempty" nullable:"false" doc:"The passages that show it"`
	Shown []string `json:"shown" nullable:"false" doc:"What was looked at, and what came of asking again under other conditions"`
	Fixes []Fix    `json:"fixes" nullable:"false"`
}

// Known is a document that the corpus knows of.
type Known struct {
	Document string
	Source   string
	Address  string
	Title    string
	Trouble  string // why no public reply can draw on it, in words; "" when one can
	Takeable bool   // of one with trouble: taking it in, or fetching it again, may end it
}

// Held is a place that holds what was expected.
type Held struct {
	Known
	Version string   // of the document
	Span    doc.Span // the sentence or row around it
	Text    string
	Row     string // of a row of a table: its cells with the names of their columns
	Heading string // title and headings that govern it
	Cut     bool   // no chunk holds all of it
	Past    bool   // it stands in an earlier version of the document alone
}

// Probe looks into a corpus, and asks again. It is what a diagnosis is shown with.
type Probe interface {
	// Named finds the documents that an expectation means by an address, an end of an address, or a title.
	Named(names []string) ([]Known, error)
	// Where is the address that a page of some name would have; "" when nobody can tell.
	Where(name string) string
	// Holding finds places that hold what an expectation (Mentions, Gives, Reaches) of a question wants, for the reply that was seen.
	Holding(ctx context.Context, q questions.Question, seen prove.Seen, e questions.Expectation) ([]Held, error)
	// Again answers the question under an altered method; with documents, from them alone.
	Again(ctx context.Context, change Alteration, documents []string) (prove.Seen, prove.Verdict, error)
	// Whole reports whether one chunk would hold all of a place under an altered method.
	Whole(ctx context.Context, change Alteration, h Held) (bool, error)
	// Try asks variants of the question, and other questions of its set that passed, without a change and with it. Of is 0 where that is not done.
	Try(ctx context.Context, change Alteration) (Tried, error)
	// Related tells how alike two wordings are in meaning, -1 to 1, and in how many chunks the first is used; known is false when the
	// meaning of one is not known.
	Related(a, b string) (likeness float64, known bool, uses int)
	// Rules are the method's house rules.
	Rules() []rule.Rule
}

// inquiry is one diagnosis under way.
type inquiry struct {
	q       questions.Question
	s       prove.Seen
	v       prove.Verdict
	p       Probe
	out     Diagnosis
	failing []questions.Expectation
}

// Diagnose finds the cause of a failure: each step looks at the trail, and asks again under other conditions where the trail
// alone does not tell. The first cause that is shown stands.
func Diagnose(ctx context.Context, q questions.Question, s prove.Seen, v prove.Verdict, p Probe) (Diagnosis, error) {
	n, err := inquire(ctx, q, s, v, p)
	if err != nil {
		return n.out, err
	}
	return n.out, n.tryFixes(ctx)
}

// inquire finds the cause, and what may cure it, untried.
func inquire(ctx context.Context, q questions.Question, s prove.Seen, v prove.Verdict, p Probe) (*inquiry, error) {
	n := &inquiry{q: q, s: s, v: v, p: p, out: Diagnosis{Shown: []string{}, Fixes: []Fix{}}}
	if cs := q.Conflicts(); len(cs) > 0 {
		n.fix(Fix{Label: "Amend the expectations", Do: "amend"})
		n.found(Doubtful, "the expectations cannot be meant so: %s", cs[0])
		n.out.Sure = proven
		return n, nil
	}
	for _, f := range v.Findings {
		if !f.Held {
			n.failing = append(n.failing, f.Expectation)
		}
	}
	for _, s := range steps() {
		done, err := s.look(n, ctx)
		if err != nil {
			return n, fmt.Errorf("diagnose %s: %w", q.ID, err)
		}
		if done {
			break
		}
	}
	if n.out.Cause == "" {
		n.found(Doubtful, "the reply draws on what was expected, and nothing shows what is wrong with it")
		n.out.Sure = guessed
		n.fix(Fix{Label: "Look whether the reply is right after all, and amend the expectation", Do: "amend"})
	}
	return n, nil
}

// step is one place where a cause is looked for.
type step struct {
	look func(*inquiry, context.Context) (bool, error)
	of   []string // kinds of expectation whose failure it can explain
}

// steps are the places where causes are looked for, in order.
func steps() []step {
	return []step{
		{(*inquiry).rules, []string{questions.Follows, questions.HandsOver}},
		{(*inquiry).refusals, []string{questions.Refuses}},
		{(*inquiry).askedBack, []string{questions.AsksBack}},
		{(*inquiry).unsearched, nil}, // no candidate was looked at
		{(*inquiry).invented, nil},   // whatever was expected: the model said what no source holds
		{(*inquiry).manner, []string{questions.NotMentions, questions.Short, questions.Language}},
		{(*inquiry).sources, []string{questions.Mentions, questions.Gives, questions.Reaches, questions.Cites}},
	}
}

// How far a cause is shown.
const (
	proven  = 0.95
	told    = 0.7
	guessed = 0.4
)

// tryFixes asks the question once more under each change that is proposed, and other questions under those that cure it. What was tried and
// cures nothing is not proposed, unless nothing else is.
func (n *inquiry) tryFixes(ctx context.Context) error {
	tried := map[int]bool{}
	for i := range n.out.Fixes {
		f := &n.out.Fixes[i]
		if f.Change == nil || f.Change.Recuts() || f.Change.Fetches() { // another index is made, and pages are fetched, for the whole set alone
			continue
		}
		_, v, err := n.p.Again(ctx, *f.Change, nil)
		if err != nil {
			return fmt.Errorf("try %q: %w", f.Label, err)
		}
		tried[i] = true
		if f.Cures = v.Passed; !f.Cures {
			continue
		}
		t, err := n.p.Try(ctx, *f.Change)
		if err != nil {
			return fmt.Errorf("try %q on other questions: %w", f.Label, err)
		}
		if t.Variants.Of > 0 {
			f.Variants = &t.Variants
		}
		if t.Others.Of > 0 {
			f.Others = &t.Others
		}
	}
	var kept, idle []Fix
	for i, f := range n.out.Fixes {
		if tried[i] && !f.Cures && f.Do == "" {
			idle = append(idle, f)
		} else {
			kept = append(kept, f)
		}
	}
	if len(kept) == 0 {
		kept = idle
	}
	slices.SortStableFunc(kept, func(a, b Fix) int { return cmp.Or(a.merit()-b.merit(), a.order()-b.order()) })
	n.out.Fixes = append([]Fix{}, kept...)
	return nil
}

// merit is the lower the more a fix was seen to do: it cures other wordings as well and breaks nothing; it cures; it was not tried; it breaks
// something.
func (f Fix) merit() int {
	switch {
	case f.Others != nil && f.Others.After < f.Others.Before:
		return 3
	case f.Cures && (f.Variants == nil || f.Variants.After > f.Variants.Before || f.Variants.Before == f.Variants.Of):
		return 0
	case f.Cures:
		return 1
	default:
		return 2
	}
}

// order is that in which fixes are tried by people: mend the material, then the rule, then write a settled answer, then turn settings.
func (f Fix) order() int {
	c := f.Change
	switch {
	case f.Do == "settle" || c != nil && len(c.Settled) > 0:
		return 2
	case f.Do != "" || c != nil && (c.Fetches() || len(c.LeaveOut) > 0):
		return 0
	case c != nil && (len(c.RulesOff) > 0 || len(c.Wordings) > 0):
		return 1
	default:
		return 3
	}
}

func (n *inquiry) found(c Cause, form string, args ...any) bool {
	n.out.Cause, n.out.Why = c, fmt.Sprintf(form, args...)
	if n.out.Sure == 0 {
		n.out.Sure = told
	}
	return true
}

func (n *inquiry) show(form string, args ...any) {
	n.out.Shown = append(n.out.Shown, fmt.Sprintf(form, args...))
}

func (n *inquiry) fix(f Fix) { n.out.Fixes = append(n.out.Fixes, f) }

// settle proposes a settled answer. What it is to say is taken from the place that holds what was expected, when there is one.
func (n *inquiry) settle(h *Held) {
	f := Fix{Label: "Write a settled answer", Do: "settle"}
	if h != nil {
		say := h.Text
		if h.Row != "" {
			say = h.Row
		}
		alone, headed := n.about(say), n.about(say+" "+h.Heading)
		if headed > alone { // the heading tells what the sentence is about
			say = strings.TrimSpace(h.Heading) + ": " + say
		}
		named := (questions.Document{Address: h.Address, Title: h.Title}).Is(n.namesExpected()) // then a person says that it is about it
		if headed == 0 && !named || len(say) > mostDraft {
			n.fix(f)
			return
		}
		f.Change = &Alteration{Settled: []Settling{{Question: n.alone(), Answer: say}}}
	}
	n.fix(f)
}

// mostDraft is the most bytes that are proposed as a settled answer.
const mostDraft = 600

// about is how many of the words that the question asks about a text has.
func (n *inquiry) about(s string) int {
	have, k := text.Stems(s), 0
	for _, w := range text.Content(n.alone()) {
		if have[w.Stem] {
			k++
		}
	}
	return k
}

// spot keeps a passage that shows the cause.
func (n *inquiry) spot(what string, s Spot) {
	if s.Document == "" || s.Version == "" {
		return
	}
	s.What, s.Text = what, shortened(s.Text)
	n.out.Spots = append(n.out.Spots, s)
}

func (n *inquiry) spotPlace(h Held) {
	n.spot("expected", Spot{Document: h.Document, Version: h.Version, Address: h.Address, Start: h.Span.Start, End: h.Span.End, Text: h.Text})
}

// spotCited keeps the passages that the reply cites, two of them.
func (n *inquiry) spotCited() {
	seen := 0
	for _, x := range n.s.Trail.Reply {
		if x.Candidate < 0 || x.Candidate >= len(n.s.Documents) || seen == 2 {
			continue
		}
		seen++
		c := n.s.Trail.Candidates[x.Candidate]
		n.spot("cited", Spot{Document: c.Document, Version: x.Version, Address: n.s.Documents[x.Candidate].Address, Start: x.Span.Start, End: x.Span.End, Text: x.Text})
	}
}

// alone is the question as it stands by itself.
func (n *inquiry) alone() string {
	if r := n.s.Trail.Reading; r.Alone != "" {
		return r.Alone
	}
	return n.q.Text
}

func (n *inquiry) set(label, key, value string) {
	n.fix(Fix{Label: label, Change: &Alteration{Settings: map[string]string{key: value}}})
}

// again asks once more and says what came of it.
func (n *inquiry) again(ctx context.Context, what string, change Alteration, documents ...string) (prove.Seen, prove.Verdict, error) {
	s, v, err := n.p.Again(ctx, change, documents)
	if err != nil {
		return s, v, err
	}
	n.show("%s, %s", what, endOf(s, v))
	return s, v, nil
}

func endOf(s prove.Seen, v prove.Verdict) string {
	switch {
	case v.Passed:
		return "it passes"
	case s.Trail.Outcome == answer.Refused:
		return "it is refused"
	default:
		return "it fails as well"
	}
}

// has reports whether one of some kinds fails, and gives the first.
func (n *inquiry) has(kinds ...string) (questions.Expectation, bool) {
	for _, e := range n.failing {
		if slices.Contains(kinds, e.Kind) {
			return e, true
		}
	}
	return questions.Expectation{}, false
}

// rules looks for a house rule that should have fired and did not, or that fired and should not have.
func (n *inquiry) rules(ctx context.Context) (bool, error) {
	if e, ok := n.has(questions.Follows, questions.HandsOver); ok {
		return n.missedRule(e), nil
	}
	st := n.s.Trail.Rules
	if st == nil || len(st.Fired) == 0 {
		return false, nil
	}
	var ids, names []string
	for _, f := range st.Fired {
		ids, names = append(ids, f.Rule), append(names, "“"+f.Name+"”")
	}
	seen, v, err := n.again(ctx, "without "+strings.Join(names, ", "), Alteration{RulesOff: ids})
	if err != nil {
		return false, err
	}
	instead := n.s.Trail.Outcome == answer.ByRule || n.s.Trail.Outcome == answer.HandedOver
	if !v.Passed && !(instead && seen.Trail.Outcome != n.s.Trail.Outcome && n.wantsSources()) {
		return false, nil
	}
	for i, id := range ids {
		n.fix(Fix{Label: "Do without the rule " + names[i], Change: &Alteration{RulesOff: []string{id}}})
	}
	if v.Passed {
		n.out.Sure = proven
		n.found(RuleMisfired, "the house rule %s fired: %s. It stands before what the sources say", names[0], st.Fired[0].Why)
		return true, nil
	}
	// Without the rule it fails as well, for a cause of its own: that one is looked for, too.
	n.found(RuleMisfired, "the house rule %s fired: %s. It answered in place of the sources, and without it %s", names[0], st.Fired[0].Why, strings.TrimPrefix(endOf(seen, v), "it "))
	return true, nil
}

// wantsSources reports whether something fails that only the sources could say.
func (n *inquiry) wantsSources() bool {
	return slices.ContainsFunc(n.failing, func(e questions.Expectation) bool { return e.Is(questions.Fact, questions.Place) })
}

func (n *inquiry) missedRule(e questions.Expectation) bool {
	for _, r := range n.p.Rules() {
		named := e.Kind == questions.Follows && slices.ContainsFunc(e.Values, func(v string) bool { return v == r.ID || strings.EqualFold(v, r.Name) })
		hands := e.Kind == questions.HandsOver && slices.ContainsFunc(r.Then, func(a rule.Action) bool { return a.Kind == rule.HandOver })
		if !named && !hands {
			continue
		}
		if r.Off {
			return n.found(RuleMissed, "the house rule “%s” is switched off", r.Name)
		}
		if st := n.s.Trail.Rules; st != nil {
			for _, m := range st.Matches {
				if m.Rule == r.ID {
					n.show("“%s”: %s", r.Name, m.Why)
				}
			}
			for _, f := range st.Fired {
				n.show("“%s” fired in its place: %s", f.Name, f.Why)
			}
		}
		n.fix(Fix{Label: "Add this question to the example wordings of “" + r.Name + "”", Change: &Alteration{Wordings: map[string]string{r.ID: n.q.Text}}})
		return n.found(RuleMissed, "the house rule “%s” did not fire", r.Name)
	}
	return n.found(RuleMissed, "no house rule does what is expected")
}

// refusals looks at questions that should have been refused.
func (n *inquiry) refusals(context.Context) (bool, error) {
	if _, ok := n.has(questions.Refuses); !ok {
		return false, nil
	}
	t := n.s.Trail
	n.show("the best evidence has a support of %.2f, the bar is %.2f", t.Support, t.Bar)
	n.found(ShouldRefuse, "it answered a question that the sources are not to answer")
	if bar := t.Support + 0.01; t.Outcome == answer.Answered && bar < 1 {
		n.set(fmt.Sprintf("Raise the evidence bar to %.2f", bar), "answer.bar", fmt.Sprintf("%.2f", bar))
	}
	n.fix(Fix{Label: "Write a settled answer that says where to turn, and expect that", Do: "settle"})
	return true, nil
}

// unsearched looks at replies that were made before anything was searched for, and at those that ask back in place of a reply.
func (n *inquiry) unsearched(ctx context.Context) (bool, error) {
	if !n.wantsSources() {
		return false, nil
	}
	switch t := n.s.Trail; t.Outcome {
	case answer.Courteous:
		n.settle(nil)
		n.out.Sure = proven
		return n.found(NotSearched, "it was taken for a courtesy, and nothing was searched for"), nil
	case answer.AskedBack:
		_, v, err := n.again(ctx, "without asking back", Alteration{Settings: map[string]string{"answer.askBack": "false"}})
		if err != nil || !v.Passed {
			return false, err
		}
		n.set("Do not ask back", "answer.askBack", "false")
		n.settle(nil)
		n.out.Sure = proven
		return n.found(AskedNeedlessly, "it asked back, and without asking back it is right"), nil
	}
	return false, nil
}

func (n *inquiry) askedBack(context.Context) (bool, error) {
	if _, ok := n.has(questions.AsksBack); !ok {
		return false, nil
	}
	n.set("Ask back where the evidence parts", "answer.askBack", "true")
	return n.found(ShouldAskBack, "it answered where something has to be told first"), nil
}

// invented looks for sentences of a model that the evidence does not carry.
func (n *inquiry) invented(context.Context) (bool, error) {
	t := n.s.Trail
	if t.Written == nil {
		return false, nil
	}
	for _, s := range t.Reply {
		if s.Grounding == nil || !s.Unsupported && s.Grounding.Score >= prove.CarriedFrom {
			continue
		}
		n.show("“%s” has a grounding of %.2f", s.Text, s.Grounding.Score)
		n.set("Withhold what the evidence does not carry", "answer.unsupported", answer.Withhold)
		n.set("Have sentences of the evidence stand as they are", "answer.composer", answer.BySentences)
		return n.found(Unsupported, "the model says what its evidence does not carry"), nil
	}
	return false, nil
}

// manner looks at replies that say the right thing in the wrong way, and at words that should not be said.
func (n *inquiry) manner(ctx context.Context) (bool, error) {
	for _, e := range n.failing {
		if !e.Is(questions.Form) {
			return false, nil
		}
	}
	if e, ok := n.has(questions.NotMentions); ok {
		return n.forbidden(ctx, e)
	}
	if e, ok := n.has(questions.Short); ok {
		n.set("Let replies have "+e.Values[0]+" words", "answer.words", fmt.Sprint(max(20, questions.MostWords(e))))
		n.set("Put replies together from one chunk", "answer.sources", "1")
		return n.found(MannerBreached, "the reply is longer than %s words", e.Values[0]), nil
	}
	if _, ok := n.has(questions.Language); ok {
		return n.found(MannerBreached, "the reply is in another language than expected"), nil
	}
	return false, nil
}

// forbidden looks where words come from that should not be said.
func (n *inquiry) forbidden(ctx context.Context, e questions.Expectation) (bool, error) {
	for _, s := range n.s.Trail.Reply {
		if is, _ := questions.Says(s.Text, e.Values); !is {
			continue
		}
		said := ""
		for _, v := range e.Values {
			if is, _ := questions.Says(s.Text, []string{v}); is {
				said = v
			}
		}
		if s.Candidate < 0 {
			return n.found(MannerBreached, "“%s” stands in the assistant's own words", said), nil
		}
		d := n.s.Documents[s.Candidate]
		n.show("“%s” comes from %s", s.Text, d.Address)
		n.set("Never say “"+said+"”", "answer.never", "“"+said+"”")
		others, err := n.p.Holding(ctx, n.q, n.s, questions.Expectation{Kind: questions.Mentions, Values: []string{said}})
		if err != nil {
			return false, err
		}
		if len(others) > 1 {
			n.show("%d places say so", len(others))
		}
		n.set("Put replies together from one chunk", "answer.sources", "1")
		return n.found(Neighbour, "the reply takes in a passage that is not what was asked for"), nil
	}
	return false, nil
}
