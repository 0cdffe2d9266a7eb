package app_test

import (
	"fmt"
	"os"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"jolvex/core/diagnose"
	"jolvex/core/query"
	"jolvex/core/questions"
	"jolvex/core/rule"
	"jolvex/internal/app"
	"jolvex/internal/gathering"
	"jolvex/internal/indexing"
	"jolvex/internal/proving/runs"
	"jolvex/internal/sim"
)

// plant is a failure that is planted: a question that fails for a known reason, under a method with a known fault.
type plant struct {
	cause  diagnose.Cause
	about  string
	change diagnose.Alteration
	q      questions.Question
}

func says(vs ...string) questions.Expectation {
	return questions.Expectation{Kind: questions.Mentions, Values: vs}
}

func figure(vs ...string) questions.Expectation {
	return questions.Expectation{Kind: questions.Gives, Values: vs}
}

func cites(vs ...string) questions.Expectation {
	return questions.Expectation{Kind: questions.Cites, Values: vs}
}

func set(kv ...string) diagnose.Alteration {
	a := diagnose.Alteration{Settings: map[string]string{}}
	for i := 0; i < len(kv); i += 2 {
		a.Settings[kv[i]] = kv[i+1]
	}
	return a
}

var plants = []plant{
	{diagnose.NotGathered, "no page says it", set(), questions.Question{Text: "What is the password of the wireless network on board?", Expect: []questions.Expectation{says("seagull2026")}}},
	{diagnose.NotGathered, "the page is not there", set(), questions.Question{Text: "How do I book a sleeping cabin?", Expect: []questions.Expectation{cites("/cabins"), says("two berths")}}},
	{diagnose.LeftOut, "the page was left out", set(), questions.Question{Text: "How long are lost things kept?", Expect: []questions.Expectation{cites("/lost-property"), figure("60 days")}}},
	{diagnose.LeftOut, "for staff only", set(), questions.Question{Text: "When is the crew's safety drill?", Expect: []questions.Expectation{says("first Tuesday")}}},
	{diagnose.OutOfDate, "two pages disagree", set(), questions.Question{Text: "What does the storm locker cost for a night?", Expect: []questions.Expectation{cites("lockers-2027.md"), figure("£7.00")}}},
	{diagnose.CutAcross, "fixed cuts", set("chunk.strategy", "fixed", "chunk.size", "50", "chunk.overlap", "0", "chunk.least", "1"), questions.Question{Text: "Where may dogs sit on board?", Expect: []questions.Expectation{{Kind: questions.Reaches, Document: "longline.md", Values: []string{"dogs may sit in the aft saloon below the bridge as well as on the forward benches beside the anchor winch whenever the sea is calm and nobody who sits there minds it or has said so to the purser at the counter before the boat has left the pier"}}}}},
	{diagnose.RankedBelow, "one chunk kept, and headings count for nothing", set("find.keep", "1", "find.path", "0", "find.title", "0"), questions.Question{Text: "How long before departure must I be at the pier with a car?", Expect: []questions.Expectation{{Kind: questions.Reaches, Document: "zz-cars.md", Values: []string{"45 minutes"}}}}},
	{diagnose.LostInRewriting, "a wrong glossary entry", diagnose.Alteration{Settings: map[string]string{"find.keep": "1", "query.feedback": "true", "query.share": "0.9", "query.words": "40", "query.chunks": "20"}, Glossary: []query.Entry{{Term: "brolly", Means: []string{"wheelchair", "lift", "ramp", "access guide", "step-free access"}}}}, questions.Question{Text: "brolly hire", Expect: []questions.Expectation{{Kind: questions.Reaches, Document: "brolly.md", Values: []string{"a brolly can be had"}}}}},
	{diagnose.CrowdedOut, "a page that repeats another", set(), questions.Question{Text: "May I take a sledge on the boat?", Expect: []questions.Expectation{{Kind: questions.Reaches, Document: "sledge-copy.md", Values: []string{"sledges travel on the car deck"}}}}},
	{diagnose.NotUsed, "replies too short", set("answer.words", "20"), questions.Question{Text: "Where does a jet ski stand on board?", Expect: []questions.Expectation{says("tied down at four corners"), says("checked by the mate")}}},
	{diagnose.Neighbour, "another passage is preferred", set("answer.sources", "1"), questions.Question{Text: "How long does the harbour tour take?", Expect: []questions.Expectation{figure("50 minutes")}}},
	{diagnose.WrongPage, "right, from another page", set(), questions.Question{Text: "May I take a sledge on the boat?", Expect: []questions.Expectation{says("car deck"), cites("/travel/luggage")}}},
	{diagnose.WronglyRefused, "a bar too high", set("answer.bar", "1"), questions.Question{Text: "Must dogs be on a lead?", Expect: []questions.Expectation{says("on a lead")}}},
	{diagnose.ShouldRefuse, "it answers", set("answer.bar", "0"), questions.Question{Text: "Who won the football world cup?", Expect: []questions.Expectation{{Kind: questions.Refuses}}}},
	{diagnose.ShouldAskBack, "asking back is off", set("answer.askBack", "false"), questions.Question{Text: "How much is a berth in the marina?", Expect: []questions.Expectation{{Kind: questions.AsksBack}}}},
	{diagnose.AskedNeedlessly, "it asks which", set(), questions.Question{Text: "How much is a berth in the marina?", Expect: []questions.Expectation{figure("£10.00")}}},
	{diagnose.NotSearched, "it sounds like thanks", set(), questions.Question{Text: "Thank you", Expect: []questions.Expectation{cites("evening.md")}}},
	{diagnose.NotUnderstood, "records are off", set("answer.records", "false"), questions.Question{Text: "Which class of boat has the cheapest berth in the marina?", Expect: []questions.Expectation{figure("£10.00"), cites("marina.md")}}},
	{diagnose.RuleMissed, "no example like it", set(), questions.Question{Text: "My cousin fancies a wedding on the boat", Expect: []questions.Expectation{{Kind: questions.Follows, Values: []string{"Parties"}}}}},
	{diagnose.RuleMisfired, "a rule before the sources", set(), questions.Question{Text: "Is there a discount for residents?", Expect: []questions.Expectation{{Kind: questions.NotMentions, Values: []string{"no discounts"}}}}},
	{diagnose.MannerBreached, "too long", set(), questions.Question{Text: "May I bring my dog?", Expect: []questions.Expectation{{Kind: questions.Short, Values: []string{"5"}}}}},
	{diagnose.MannerBreached, "in its own words", set("answer.turnTo", "Ask the boss."), questions.Question{Text: "Who won the football world cup?", Expect: []questions.Expectation{{Kind: questions.Refuses}, {Kind: questions.NotMentions, Values: []string{"the boss"}}}}},
	{diagnose.Doubtful, "the page says it otherwise", set(), questions.Question{Text: "Must dogs be on a lead?", Expect: []questions.Expectation{says("lead must be on dogs")}}},
	{diagnose.Doubtful, "the page has changed since", set(), questions.Question{Text: "When does the museum open?", Expect: []questions.Expectation{cites("museum.md"), figure("10:30")}}},
}

// harbour is the demo site with what the plants need.
func harbour(t *testing.T) *app.App {
	t.Helper()
	a := fresh(t)
	gather(t, a, "c", ferries(t))
	put := func(name, body string) indexing.Document {
		d, err := a.Gathering.Upload(t.Context(), "c", name, "", []byte(body))
		require.NoError(t, err)
		require.NotEqual(t, "failed", d.State, d.Reason)
		return d
	}
	require.NoError(t, a.Gathering.LeaveOut(t.Context(), "c", []string{byPath(t, a, "c")["/lost-property"].ID}, true))
	staff := "staff"
	d := put("drill.md", "# Drill\n\nThe safety drill of the crew is on the first Tuesday of each month.\n")
	_, err := a.Gathering.ChangeDocument(t.Context(), "c", d.ID, gathering.DocumentChange{Audience: &staff})
	require.NoError(t, err)
	put("lockers.md", "# Storm lockers\n\nA storm locker on the pier costs £5.00 for a night. What does the storm locker cost? It is paid at the desk for the night.\n")
	put("lockers-2027.md", "# Prices from January\n\nA storm locker on the pier costs £7.00 for a night.\n")
	put("longline.md", "# Seats\n\nOn the Aster, as the master decides and after the crew has looked at the weather, dogs may sit in the aft saloon below the bridge as well as on the forward benches beside the anchor winch whenever the sea is calm and nobody who sits there minds it or has said so to the purser at the counter before the boat has left the pier.\n")
	put("tour.md", "# Harbour tour\n\nThe harbour tour takes 90 minutes and begins at the pier.\n")
	put("evening.md", "# Evenings\n\nWhen it grows dark the small boat goes once round the harbour, which is done in 50 minutes; bring a coat.\n")
	put("zz-cars.md", "# Check-in\n\nWith a car 45 minutes.\n")
	put("brolly.md", "# Rain\n\nWhen it pours, a brolly can be had at the kiosk.\n")
	sledge := "# Sledges\n\nSledges travel on the car deck and cost nothing. They are tied to the rail by the crew.\n"
	put("sledge.md", sledge)
	put("sledge-copy.md", strings.Replace(sledge, "# Sledges", "# Sledges again", 1))
	put("jetski.md", "# Jet skis\n\nA jet ski stands on its trailer, tied down at four corners with the straps that lie on the car deck. It is checked by the mate, who looks at the battery, the vents and the tank, before it is driven on.\n")
	rows := "# Marina\n\n| Length of the boat | A berth in the marina for a night |\n|---|---|\n"
	for i := range 10 {
		rows += fmt.Sprintf("| Class %c | £%d.00 |\n", 'A'+i, 10+i)
	}
	put("marina.md", rows)
	put("museum.md", "# Museum\n\nThe museum opens at 10:30 on weekdays.\n")
	put("museum.md", "# Museum\n\nThe museum opens at 11:15 on weekdays.\n")
	m, err := a.Indexing.Method(t.Context(), "c")
	require.NoError(t, err)
	m.Rules = []rule.Rule{
		{ID: "parties", Name: "Parties", When: rule.When{Like: []string{"I want to hire the boat for my birthday party"}, Nearness: 0.95}, Then: []rule.Action{{Kind: rule.Reply, Text: "Write to the office about parties."}}},
		{ID: "discount", Name: "Discounts", When: rule.When{Contains: []string{"discount"}}, Then: []rule.Action{{Kind: rule.Reply, Text: "There are no discounts."}}},
	}
	_, err = a.Indexing.SaveMethod(t.Context(), "c", m)
	require.NoError(t, err)
	return a
}

// Every planted failure is traced to its cause. CONFUSION=1 prints which cause was found for which.
func TestPlantedFailuresAreTracedToTheirCauses(t *testing.T) {
	a := harbour(t)
	right := 0
	for i, p := range plants {
		p.q.ID = fmt.Sprint(i)
		name := fmt.Sprintf("set %d", i)
		_, err := a.Proving.Sets.PutQuestions(t.Context(), "c", name, []questions.Question{p.q})
		require.NoError(t, err)
		r, j, err := a.Proving.Runs.StartRun(t.Context(), "c", name, runs.Order{Change: p.change, Note: p.about})
		require.NoError(t, err, p.about)
		require.Equal(t, "done", ended(t, a, "c", j.ID).State, p.about)
		_, results, err := a.Proving.Runs.RunResults(t.Context(), "c", r.ID)
		require.NoError(t, err)
		x := results[0]
		if !assert.False(t, x.Verdict.Passed, "%s: %q was to fail and says: %s", p.about, p.q.Text, x.Reply) {
			continue
		}
		require.NotNil(t, x.Cause, p.about)
		if assert.Equal(t, p.cause, x.Cause.Cause, "%s: %q\nsaid: %s\nwhy: %s\nshown: %s", p.about, p.q.Text, x.Reply, x.Cause.Why, strings.Join(x.Cause.Shown, "; ")) {
			right++
		}
		assert.NotEmpty(t, x.Cause.Why)
		if os.Getenv("CONFUSION") != "" {
			cures := slices.ContainsFunc(x.Cause.Fixes, func(f diagnose.Fix) bool { return f.Cures })
			fmt.Printf("%-16s -> %-16s %-34s cured by a fix: %v\n", p.cause, x.Cause.Cause, p.about, cures)
		}
	}
	planted := map[diagnose.Cause]bool{diagnose.Unsupported: true} // by the test below
	for _, p := range plants {
		planted[p.cause] = true
	}
	for _, c := range diagnose.Causes() {
		assert.True(t, planted[c.Name], "nothing is planted for %s", c.Name)
	}
}

func TestWhatAModelInventsIsTheCause(t *testing.T) {
	a := modelled(t, sim.Inventing, nil)
	m, err := a.Indexing.Method(t.Context(), "c")
	require.NoError(t, err)
	m.Answer.Unsupported = "mark"
	_, err = a.Indexing.SaveMethod(t.Context(), "c", m)
	require.NoError(t, err)
	_, err = a.Proving.Sets.PutQuestions(t.Context(), "c", "s", []questions.Question{{ID: "1", Text: "Must dogs be on a lead?", Expect: []questions.Expectation{figure("£2.00")}}})
	require.NoError(t, err)
	r, j, err := a.Proving.Runs.StartRun(t.Context(), "c", "s", runs.Order{})
	require.NoError(t, err)
	require.Equal(t, "done", ended(t, a, "c", j.ID).State)
	_, results, err := a.Proving.Runs.RunResults(t.Context(), "c", r.ID)
	require.NoError(t, err)
	assert.Nil(t, results[0].Cause, "asking a model again costs money: it is done when somebody wants to know")
	d, err := a.Proving.Runs.Cause(t.Context(), "c", r.ID, "1")
	require.NoError(t, err)
	assert.Equal(t, diagnose.Unsupported, d.Cause, "%s: %s", d.Why, results[0].Reply)
	again, err := a.Proving.Runs.Cause(t.Context(), "c", r.ID, "1")
	require.NoError(t, err)
	assert.Equal(t, d, again, "what was found is kept")
}
