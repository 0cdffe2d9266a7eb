package diagnose

import (
	"cmp"
	"context"
	"errors"
	"slices"
	"strings"
	"testing"

	"jolvex/core/answer"
	"jolvex/core/answer/ground"
	"jolvex/core/doc"
	"jolvex/core/prove"
	"jolvex/core/query"
	"jolvex/core/questions"
	"jolvex/core/rule"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// scripted is a corpus as a diagnosis sees it: what is known, what is held, and what comes of asking again.
type scripted struct {
	known []Known
	held  []Held
	rules []rule.Rule
	again func(change Alteration, documents []string) (prove.Seen, bool)
	asked []string
	tried Tried
	alike map[string]float64 // of two wordings with a space between
	uses  map[string]int
	fails error
}

func (s *scripted) Named(names []string) ([]Known, error) {
	var out []Known
	for _, k := range s.known {
		if (questions.Document{Address: k.Address, Title: k.Title}).Is(names) {
			out = append(out, k)
		}
	}
	return out, s.fails
}

func (s *scripted) Holding(_ context.Context, _ questions.Question, _ prove.Seen, e questions.Expectation) ([]Held, error) {
	return s.held, s.fails
}

func (s *scripted) Rules() []rule.Rule { return s.rules }

func (s *scripted) Try(context.Context, Alteration) (Tried, error) { return s.tried, s.fails }

func (s *scripted) Related(a, b string) (float64, bool, int) {
	l, known := s.alike[a+" "+b]
	return l, known, s.uses[a]
}

func (s *scripted) Where(name string) string {
	if strings.HasPrefix(name, "/") {
		return "https://ferries.example" + name
	}
	return ""
}

func (s *scripted) Whole(ctx context.Context, change Alteration, _ Held) (bool, error) {
	return change.Settings["chunk.size"] != "", s.fails
}

func (s *scripted) Again(ctx context.Context, change Alteration, documents []string) (prove.Seen, prove.Verdict, error) {
	var keys []string
	for k, v := range change.Settings {
		keys = append(keys, k+"="+v)
	}
	slices.Sort(keys)
	s.asked = append(s.asked, strings.Join(append(append(keys, change.RulesOff...), documents...), " "))
	if s.again == nil {
		return reply(answer.Answered, "so"), prove.Verdict{}, s.fails
	}
	seen, passed := s.again(change, documents)
	return seen, prove.Verdict{Passed: passed, Refused: seen.Trail.Outcome == answer.Refused}, s.fails
}

// Reply is a reply of one sentence from the first candidate.
func reply(o answer.Outcome, said string, candidates ...answer.Candidate) prove.Seen {
	t := &answer.Trail{Outcome: o, Support: 0.7, Bar: 0.5, Candidates: candidates, Reply: []answer.Sentence{{Text: said, Candidate: -1}}}
	s := prove.Seen{Trail: t}
	for _, c := range candidates {
		s.Documents = append(s.Documents, questions.Document{Address: "http://x/" + c.Document, Title: c.Document})
	}
	if len(candidates) > 0 && o == answer.Answered {
		t.Reply[0].Candidate = 0
	}
	return s
}

func chunkOf(document string, from, to int, kept bool) answer.Candidate {
	return answer.Candidate{Document: document, Span: doc.Span{Start: from, End: to}, Kept: kept}
}

// place is where the expected passage stands: characters 10 to 20 of the page "fares".
func place(change func(*Held)) Held {
	h := Held{Known: Known{Document: "fares", Source: "site", Address: "http://x/fares", Title: "fares"}, Span: doc.Span{Start: 10, End: 20}, Text: "A kayak costs £6.50 each way."}
	if change != nil {
		change(&h)
	}
	return h
}

var wanted = questions.Question{ID: "q", Text: "What does a kayak cost?", Expect: []questions.Expectation{{Kind: questions.Gives, Values: []string{"£6.50"}}, {Kind: questions.Cites, Values: []string{"/fares"}}}}

func diagnosed(t *testing.T, q questions.Question, s prove.Seen, p *scripted) Diagnosis {
	t.Helper()
	v := prove.Judge(q, s)
	require.False(t, v.Passed, "the question has to fail")
	n, err := inquire(t.Context(), q, s, v, p) // what may cure it, tried or not
	require.NoError(t, err)
	assert.NotEmpty(t, n.out.Why)
	assert.Positive(t, n.out.Sure)
	return n.out
}

func labels(d Diagnosis) string {
	var out []string
	for _, f := range d.Fixes {
		out = append(out, f.Label)
	}
	return strings.Join(out, "; ")
}

func TestEachCauseIsTold(t *testing.T) {
	here := []Known{place(nil).Known}
	off := reply(answer.Answered, "The boat is blue.", chunkOf("boats", 0, 50, true))
	kept := reply(answer.Answered, "The boat is blue.", chunkOf("boats", 0, 50, true), chunkOf("fares", 0, 50, true))
	for name, c := range map[string]struct {
		q    questions.Question
		s    prove.Seen
		p    scripted
		want Cause
		fix  string // a part of the labels of the fixes
	}{
		"the page is not there":  {wanted, off, scripted{}, NotGathered, "Gather it"},
		"the page was left out":  {wanted, off, scripted{known: []Known{place(func(h *Held) { h.Trouble = "it was left out" }).Known}}, LeftOut, "take it in"},
		"nothing says it":        {questions.Question{ID: "q", Text: "?", Expect: []questions.Expectation{{Kind: questions.Mentions, Values: []string{"a moat"}}}}, off, scripted{}, NotGathered, "settled answer"},
		"the page says no such":  {wanted, off, scripted{known: here}, Doubtful, "Amend"},
		"it said so once":        {wanted, off, scripted{known: here, held: []Held{place(func(h *Held) { h.Past = true })}}, Doubtful, "says now"},
		"a cut runs through":     {wanted, off, scripted{known: here, held: []Held{place(func(h *Held) { h.Cut = true })}}, CutAcross, "Cut this source by structure"},
		"too far down":           {wanted, off, scripted{known: here, held: []Held{place(nil)}}, RankedBelow, "priority"},
		"kept and not said":      {wanted, kept, scripted{known: here, held: []Held{place(nil)}}, NotUsed, "Draw on more chunks"},
		"another was preferred":  {wanted, kept, scripted{known: here, held: []Held{place(nil)}, again: func(_ Alteration, only []string) (prove.Seen, bool) { return off, len(only) == 1 && only[0] == "fares" }}, Neighbour, "priority"},
		"right, another page":    {questions.Question{ID: "q", Text: "?", Expect: []questions.Expectation{{Kind: questions.Cites, Values: []string{"/fares"}}}}, off, scripted{known: here}, WrongPage, "Accept the page"},
		"it answered":            {questions.Question{ID: "q", Text: "?", Expect: []questions.Expectation{{Kind: questions.Refuses}}}, off, scripted{}, ShouldRefuse, "Raise the evidence bar to 0.71"},
		"it did not ask back":    {questions.Question{ID: "q", Text: "?", Expect: []questions.Expectation{{Kind: questions.AsksBack}}}, off, scripted{}, ShouldAskBack, "Ask back"},
		"too many words":         {questions.Question{ID: "q", Text: "?", Expect: []questions.Expectation{{Kind: questions.Short, Values: []string{"2"}}}}, off, scripted{}, MannerBreached, "2 words"},
		"another language":       {questions.Question{ID: "q", Text: "?", Expect: []questions.Expectation{{Kind: questions.Language, Values: []string{"fr"}}}}, off, scripted{}, MannerBreached, ""},
		"words of a passage":     {questions.Question{ID: "q", Text: "?", Expect: []questions.Expectation{{Kind: questions.NotMentions, Values: []string{"blue"}}}}, off, scripted{}, Neighbour, "Never say “blue”"},
		"words of its own":       {questions.Question{ID: "q", Text: "?", Expect: []questions.Expectation{{Kind: questions.NotMentions, Values: []string{"sorry"}}}}, reply(answer.Answered, "So sorry."), scripted{}, MannerBreached, ""},
		"no rule does so":        {questions.Question{ID: "q", Text: "?", Expect: []questions.Expectation{{Kind: questions.HandsOver}}}, off, scripted{}, RuleMissed, ""},
		"the rule is off":        {questions.Question{ID: "q", Text: "?", Expect: []questions.Expectation{{Kind: questions.Follows, Values: []string{"Parties"}}}}, off, scripted{rules: []rule.Rule{{ID: "p", Name: "Parties", Off: true}}}, RuleMissed, ""},
		"the rule did not catch": {questions.Question{ID: "q", Text: "?", Expect: []questions.Expectation{{Kind: questions.Follows, Values: []string{"Parties"}}}}, off, scripted{rules: []rule.Rule{{ID: "p", Name: "Parties"}}}, RuleMissed, "example wordings of “Parties”"},
	} {
		d := diagnosed(t, c.q, c.s, &c.p)
		assert.Equal(t, c.want, d.Cause, "%s: %s", name, d.Why)
		assert.Contains(t, labels(d), c.fix, name)
	}
}

func TestAFoldedPassageIsCrowdedOut(t *testing.T) {
	s := reply(answer.Answered, "The boat is blue.", chunkOf("boats", 0, 50, true))
	s.Trail.Left = []answer.Left{{Document: "fares", Span: doc.Span{Start: 0, End: 40}, Why: "repeats", Of: 1}}
	d := diagnosed(t, wanted, s, &scripted{known: []Known{place(nil).Known}, held: []Held{place(nil)}})
	assert.Equal(t, CrowdedOut, d.Cause)
	assert.Equal(t, "false", d.Fixes[0].Change.Settings["find.fold"])
}

// The pass that leads away is found by switching off one after another those that changed something.
func TestThePassThatLeadsAwayIsNamed(t *testing.T) {
	s := reply(answer.Answered, "The boat is blue.", chunkOf("boats", 0, 50, true))
	s.Trail.Reading.Steps = []query.Step{{Pass: query.PassSpelling, Changed: true}, {Pass: query.PassGlossary, Changed: true}, {Pass: query.PassFiller}}
	p := &scripted{known: []Known{place(nil).Known}, held: []Held{place(nil)}, again: func(c Alteration, _ []string) (prove.Seen, bool) {
		if c.Settings["query.glossary"] == "false" {
			return reply(answer.Answered, "A kayak costs £6.50.", chunkOf("fares", 0, 50, true)), true
		}
		return s, false
	}}
	d, err := Diagnose(t.Context(), wanted, s, prove.Judge(wanted, s), p)
	require.NoError(t, err)
	assert.Equal(t, LostInRewriting, d.Cause, d.Why)
	assert.Contains(t, d.Why, "glossary")
	require.Len(t, d.Fixes, 1, "spelling is not to blame")
	assert.True(t, d.Fixes[0].Cures)
	assert.Contains(t, d.Shown, "without the pass spelling, it fails as well")
}

func TestAPassageFurtherDownIsLookedForAndKept(t *testing.T) {
	s := reply(answer.Answered, "The boat is blue.", chunkOf("boats", 0, 50, true), chunkOf("fares", 0, 50, false))
	p := &scripted{known: []Known{place(nil).Known}, held: []Held{place(nil)}, again: func(c Alteration, _ []string) (prove.Seen, bool) {
		return reply(answer.Answered, "A kayak costs £6.50.", chunkOf("boats", 0, 9, true), chunkOf("fares", 0, 50, true)), c.Settings["find.keep"] != ""
	}}
	d, err := Diagnose(t.Context(), wanted, s, prove.Judge(wanted, s), p)
	require.NoError(t, err)
	assert.Equal(t, RankedBelow, d.Cause)
	assert.Equal(t, "Keep 3 chunks for the reply", d.Fixes[0].Label, "what cures comes first")
	assert.True(t, d.Fixes[0].Cures)
	for _, f := range d.Fixes[1:] {
		assert.Equal(t, "settle", f.Do, "what was tried and cures nothing is not proposed")
	}
}

func TestAWrongRefusalIsShownWithTheBarAtZero(t *testing.T) {
	s := reply(answer.Refused, "Nothing about that.", chunkOf("fares", 0, 50, true))
	s.Trail.Support = 0.41
	right := reply(answer.Answered, "A kayak costs £6.50.", chunkOf("fares", 0, 50, true))
	p := &scripted{known: []Known{place(nil).Known}, held: []Held{place(nil)}, again: func(c Alteration, _ []string) (prove.Seen, bool) {
		return right, c.Settings["answer.bar"] == "0" || c.Settings["answer.bar"] == "0.40"
	}}
	d, err := Diagnose(t.Context(), wanted, s, prove.Judge(wanted, s), p)
	require.NoError(t, err)
	assert.Equal(t, WronglyRefused, d.Cause)
	assert.Equal(t, "Lower the evidence bar to 0.40", d.Fixes[0].Label)
	assert.True(t, d.Fixes[0].Cures, "a fix is tried, not believed")
	assert.Contains(t, d.Shown, "with the evidence bar at 0, it passes")
}

func TestARuleThatStandsBeforeTheSources(t *testing.T) {
	s := reply(answer.ByRule, "There are no discounts.")
	s.Trail.Rules = &rule.State{Fired: []rule.Fired{{Rule: "d", Name: "Discounts", Why: "it says “discount”"}}}
	p := &scripted{again: func(c Alteration, _ []string) (prove.Seen, bool) {
		return reply(answer.Answered, "A kayak costs £6.50."), slices.Contains(c.RulesOff, "d")
	}}
	d := diagnosed(t, wanted, s, p)
	assert.Equal(t, RuleMisfired, d.Cause)
	assert.Equal(t, []string{"d"}, d.Fixes[0].Change.RulesOff)

	p.again = func(Alteration, []string) (prove.Seen, bool) { return s, false }
	d = diagnosed(t, wanted, s, p)
	assert.NotEqual(t, RuleMisfired, d.Cause, "without the rule it fails as well: the rule is not to blame")
}

func TestASourceThatSaysOtherwiseAndWasBelieved(t *testing.T) {
	s := reply(answer.Answered, "A kayak costs £5.00 each way.", chunkOf("old", 0, 50, true), chunkOf("fares", 0, 50, true))
	d := diagnosed(t, wanted, s, &scripted{known: []Known{place(nil).Known}, held: []Held{place(nil)}})
	assert.Equal(t, OutOfDate, d.Cause, d.Why)
	assert.Contains(t, labels(d), "Leave out what is out of date")
}

func TestWhatAModelAddsIsTold(t *testing.T) {
	s := reply(answer.Answered, "A kayak costs £9.00.", chunkOf("fares", 0, 50, true))
	s.Trail.Written = &answer.Written{}
	s.Trail.Reply[0].Grounding, s.Trail.Reply[0].Unsupported = &ground.Grounding{Score: 0.1}, true
	d := diagnosed(t, wanted, s, &scripted{known: []Known{place(nil).Known}, held: []Held{place(nil)}})
	assert.Equal(t, Unsupported, d.Cause)
}

// The page that is named wins over others that hold the figure, and among its places the one that speaks of what was asked.
func TestThePlaceThatIsMeant(t *testing.T) {
	other := place(func(h *Held) {
		h.Document, h.Address, h.Text = "dogs", "http://x/dogs", "A kayak and a dog cost £6.50."
	})
	beside := place(func(h *Held) { h.Span, h.Text = doc.Span{Start: 30, End: 40}, "Parking costs £6.50 a day." })
	n := &inquiry{q: wanted}
	got, ok := n.choosePlace([]Held{other, beside, place(nil)}, []Known{place(nil).Known})
	require.True(t, ok)
	assert.Equal(t, place(nil).Span, got.Span)
	_, ok = n.choosePlace(nil, nil)
	assert.False(t, ok)
}

func TestADiagnosisThatBreaksOffSaysSo(t *testing.T) {
	s := reply(answer.Answered, "The boat is blue.", chunkOf("boats", 0, 50, true))
	_, err := Diagnose(t.Context(), wanted, s, prove.Judge(wanted, s), &scripted{fails: errors.New("the disk is full")})
	assert.ErrorContains(t, err, "the disk is full")
}

func TestCausesAreAllDifferent(t *testing.T) {
	seen := map[Cause]bool{}
	for _, c := range Causes() {
		assert.False(t, seen[c.Name], c)
		assert.NotEmpty(t, c.Label, c.Name)
		seen[c.Name] = true
	}
	assert.Len(t, seen, 21)
}

func TestChangesThatReachTheChunks(t *testing.T) {
	assert.True(t, Alteration{Settings: map[string]string{"chunk.size": "300"}}.Recuts())
	assert.True(t, Alteration{Settings: map[string]string{"embed.grade": "words"}}.Recuts())
	assert.True(t, Alteration{Sources: map[string]map[string]string{"s": {"size": "300"}}}.Recuts())
	assert.False(t, Alteration{Settings: map[string]string{"find.keep": "3"}, RulesOff: []string{"x"}}.Recuts())
}

func TestAWordThatTheSourceDoesNotUseIsProposedForTheGlossary(t *testing.T) {
	q := wanted
	q.Text = "What does a canoe cost?"
	s := reply(answer.Answered, "The boat is blue.", chunkOf("boats", 0, 50, true))
	h := place(func(h *Held) { h.Title, h.Heading = "Kayaks", "Kayaks" })
	h.Known.Title = "Kayaks"
	for name, c := range map[string]struct {
		alike    map[string]float64
		uses     int
		proposed bool
	}{
		"alike and hardly used":          {map[string]float64{"canoe Kayaks": 0.7}, 0, true},
		"two words that are not related": {map[string]float64{"canoe Kayaks": 0.1}, 0, false},
		"a meaning that nobody knows":    {nil, 0, false},
		"a word with a life of its own":  {map[string]float64{"canoe Kayaks": 0.7}, 30, false},
	} {
		d := diagnosed(t, q, s, &scripted{known: []Known{h.Known}, held: []Held{h}, alike: c.alike, uses: map[string]int{"canoe": c.uses}})
		assert.Equal(t, RankedBelow, d.Cause)
		assert.Equal(t, c.proposed, strings.Contains(labels(d), "Tell the glossary that “canoe” means “Kayaks”"), name)
	}
}

func TestOtherCutsAreShown(t *testing.T) {
	h := place(func(h *Held) { h.Cut = true })
	d := diagnosed(t, wanted, reply(answer.Answered, "The boat is blue.", chunkOf("boats", 0, 50, true)), &scripted{known: []Known{h.Known}, held: []Held{h}})
	assert.Contains(t, d.Shown, "Make chunks larger: one chunk holds all of it")
	assert.Contains(t, d.Shown, "Cut by structure: it is cut as well")
}

func TestWhereWhatIsExpectedStands(t *testing.T) {
	s := reply(answer.Answered, "The boat is blue.", chunkOf("boats", 0, 50, true), chunkOf("fares", 0, 50, false))
	q := questions.Question{ID: "q", Text: "What does a kayak cost?", Expect: []questions.Expectation{{Kind: questions.Gives, Values: []string{"£6.50"}}, {Kind: questions.Cites, Values: []string{"/fares"}}, {Kind: questions.Short, Values: []string{"9"}}}}
	got, err := LookFor(t.Context(), q, s, &scripted{known: []Known{place(nil).Known}, held: []Held{place(nil)}})
	require.NoError(t, err)
	require.Len(t, got, 2, "a length stands nowhere")
	assert.Equal(t, []int{0, 2}, []int{got[0].Expectation, got[0].Rank})
	assert.Equal(t, "A kayak costs £6.50 each way.", got[0].Text)
	assert.False(t, got[0].Kept)
	assert.Equal(t, []int{1, 2}, []int{got[1].Expectation, got[1].Rank})
	got, err = LookFor(t.Context(), q, s, &scripted{})
	require.NoError(t, err)
	assert.Empty(t, got, "nothing holds it")
	_, err = LookFor(t.Context(), q, s, &scripted{fails: errors.New("the disk is gone")})
	assert.ErrorContains(t, err, "the disk is gone")
}

// What people would call the cause. (Common practice, no published source.)
func TestCausesThatLookLikeOthers(t *testing.T) {
	here := []Known{place(nil).Known}
	blue := reply(answer.Answered, "The boat is blue.", chunkOf("boats", 0, 50, true), chunkOf("fares", 0, 50, true))
	courtesy := reply(answer.Courteous, "You are welcome.")
	back := reply(answer.AskedBack, "Which do you mean?", chunkOf("fares", 0, 50, true))
	ruled := reply(answer.ByRule, "Ring us.", chunkOf("fares", 0, 50, true))
	ruled.Trail.Rules = &rule.State{Fired: []rule.Fired{{Rule: "r", Name: "Ring", Why: "it is like an example"}}}
	old := reply(answer.Answered, "A kayak costs £5.00 each way.", chunkOf("fares-2019", 0, 60, true), chunkOf("fares", 0, 50, true))
	var b doc.Builder
	b.Doc().Title = "Kayak fares 2019"
	b.Add(doc.Block{Kind: doc.Paragraph}, "A kayak costs £5.00 each way on every boat.")
	body := b.Document()
	old.Bodies, old.Trail.Reply[0].Span, old.Trail.Reply[0].Version = []*doc.Document{body, nil}, doc.Span{Start: 0, End: len(body.Text)}, "v"
	old.Trail.Pins.AsOf = "2026-11-30T00:00:00Z"
	table := place(func(h *Held) { h.Row = "Kayak: £6.50" })
	most := wanted
	most.Text = "What is the cheapest thing to take along?"
	both := wanted
	both.Expect = append(slices.Clone(wanted.Expect), questions.Expectation{Kind: questions.Refuses})
	bare := questions.Question{ID: "q", Text: "What does a kayak cost each way?", Expect: []questions.Expectation{{Kind: questions.Gives, Values: []string{"£9.99"}}}}
	says := reply(answer.Answered, "A kayak costs £6.50 each way.", chunkOf("fares", 0, 50, true))
	count := questions.Question{ID: "q", Text: "How many boats are there?", Expect: []questions.Expectation{{Kind: questions.Gives, Values: []string{"7"}}}}
	for name, c := range map[string]struct {
		q    questions.Question
		s    prove.Seen
		p    scripted
		want Cause
		why  string
	}{
		"taken for a courtesy": {wanted, courtesy, scripted{known: here, held: []Held{place(nil)}}, NotSearched, "nothing was searched for"},
		"asked back for nothing": {wanted, back, scripted{known: here, held: []Held{place(nil)}, again: func(c Alteration, _ []string) (prove.Seen, bool) {
			return says, c.Settings["answer.askBack"] == "false"
		}}, AskedNeedlessly, "without asking back"},
		"a rule, and more is wrong":       {wanted, ruled, scripted{known: here, held: []Held{place(nil)}, again: func(Alteration, []string) (prove.Seen, bool) { return blue, false }}, RuleMisfired, "in place of the sources"},
		"last year's page":                {wanted, old, scripted{known: here, held: []Held{place(nil)}}, OutOfDate, "2019"},
		"the smallest, out of a table":    {most, blue, scripted{known: here, held: []Held{table}}, NotUnderstood, "the largest or smallest"},
		"a number that nobody wrote down": {count, says, scripted{}, NotUnderstood, "a number of things"},
		"two that exclude each other":     {both, blue, scripted{}, Doubtful, "it refuses, and it"},
		"every source says otherwise":     {bare, says, scripted{}, Doubtful, "£6.50"},
	} {
		t.Run(name, func(t *testing.T) {
			d := diagnosed(t, c.q, c.s, &c.p)
			assert.Equal(t, c.want, d.Cause, d.Why)
			assert.Contains(t, d.Why, c.why)
		})
	}
}

// A fix that cures one wording alone, or breaks what passed, comes after one that does neither; among equals, material goes before rules,
// rules before settled answers, and those before settings.
func TestFixesStandInTheOrderInWhichTheyAreTried(t *testing.T) {
	set := Fix{Label: "set", Cures: true, Change: &Alteration{Settings: map[string]string{"a": "b"}}}
	breaks, only := set, set
	breaks.Label, breaks.Others = "breaks", &Gain{5, 5, 3}
	only.Label, only.Variants = "only", &Gain{4, 1, 1}
	fixes := []Fix{
		breaks, only, set,
		{Label: "settle", Do: "settle", Cures: true, Change: &Alteration{Settled: []Settling{{}}}},
		{Label: "rule", Cures: true, Change: &Alteration{RulesOff: []string{"r"}}},
		{Label: "leave out", Cures: true, Change: &Alteration{LeaveOut: []string{"d"}}, Variants: &Gain{4, 1, 4}},
		{Label: "untried", Do: "source"},
	}
	slices.SortStableFunc(fixes, func(a, b Fix) int { return cmp.Or(a.merit()-b.merit(), a.order()-b.order()) })
	var got []string
	for _, f := range fixes {
		got = append(got, f.Label)
	}
	assert.Equal(t, []string{"leave out", "rule", "settle", "set", "only", "untried", "breaks"}, got)
}

func TestAFixIsTriedOnOtherQuestions(t *testing.T) {
	s := reply(answer.Refused, "Nothing about that.", chunkOf("fares", 0, 50, true))
	s.Trail.Support = 0.41
	p := &scripted{known: []Known{place(nil).Known}, held: []Held{place(nil)}, tried: Tried{Variants: Gain{3, 0, 2}, Others: Gain{6, 6, 5}}, again: func(Alteration, []string) (prove.Seen, bool) { return s, true }}
	d, err := Diagnose(t.Context(), wanted, s, prove.Judge(wanted, s), p)
	require.NoError(t, err)
	require.NotEmpty(t, d.Fixes)
	assert.Equal(t, &Gain{3, 0, 2}, d.Fixes[0].Variants)
	assert.Equal(t, &Gain{6, 6, 5}, d.Fixes[0].Others)
	assert.Equal(t, 0.95, d.Sure, "asking again without it showed the cause")
}

// A settled answer in the making tells what it is about.
func TestADraftIsASentenceAboutTheThingAsked(t *testing.T) {
	n := &inquiry{q: wanted, s: reply(answer.Answered, "so")}
	n.settle(&Held{Text: "It costs £6.50 each way.", Heading: "Fares Kayaks"})
	n.settle(&Held{Text: "It costs £6.50.", Heading: "The pier"})
	n.settle(&Held{Text: "A kayak costs £6.50.", Heading: "Fares"})
	n.q.Text = "What do I pay for my canoe?" // no word of it stands there, and the question names the page
	n.settle(&Held{Known: Known{Address: "http://x/fares"}, Text: "A kayak is £6.50."})
	n.settle(&Held{Known: Known{Address: "http://x/other"}, Text: "A kayak is £6.50."})
	require.Len(t, n.out.Fixes, 5)
	assert.Equal(t, "A kayak is £6.50.", settledOf(n.out.Fixes[3]))
	assert.Empty(t, settledOf(n.out.Fixes[4]), "a page that nobody names, and no word of the question: it may be about anything")
	assert.Equal(t, "Fares Kayaks: It costs £6.50 each way.", n.out.Fixes[0].Change.Settled[0].Answer)
	assert.Equal(t, "It costs £6.50.", settledOf(n.out.Fixes[1]), "“cost” is asked about, and the heading tells no more")
	assert.Equal(t, "A kayak costs £6.50.", settledOf(n.out.Fixes[2]))
}

func settledOf(f Fix) string {
	if f.Change == nil {
		return ""
	}
	return f.Change.Settled[0].Answer
}
