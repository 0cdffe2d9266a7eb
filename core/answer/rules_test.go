package answer

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"jolvex/core/answer/ground"
	"jolvex/core/doc"
	"jolvex/core/embed"
	"jolvex/core/index"
	"jolvex/core/query"
	"jolvex/core/rule"
)

// ruled is the usual bench under house rules, on a Wednesday at noon.
func ruled(t *testing.T, rules ...rule.Rule) Bench {
	t.Helper()
	e, err := embed.NewEncoder()
	require.NoError(t, err)
	b := bench(t, index.Public, pages)
	b.Rules, b.Pins.AsOf = rules, "2026-11-25T12:00:00Z"
	b.Matcher, err = rule.NewMatcher(e, true)
	require.NoError(t, err)
	return b
}

func contains(words ...string) rule.When { return rule.When{Contains: words} }

func TestARuleRepliesInPlaceOfTheSources(t *testing.T) {
	b := ruled(t, rule.Rule{ID: "d", Name: "Dogs", When: contains("dogs"), Then: []rule.Action{{Kind: rule.Reply, Text: "Ask the kennel."}}})
	r := ask(t, b, "Must dogs be on a lead?")
	assert.Equal(t, ByRule, r.Outcome)
	assert.Equal(t, "Ask the kennel.", r.Text())
	assert.Contains(t, r.Why, "Dogs")
	assert.Empty(t, r.Candidates, "nothing was looked up")
	require.NotNil(t, r.Rules)
	assert.Equal(t, "d", r.Rules.Fired[0].Rule)

	plain := ask(t, b, "How much is an adult return to Little Hobb?")
	assert.Equal(t, Answered, plain.Outcome)
	assert.Contains(t, plain.Text(), "£20.30")

	b.Rules[0].Off = true
	assert.Contains(t, ask(t, b, "Must dogs be on a lead?").Text(), "on a lead")
}

func TestARuleSpeaksBesideTheAnswer(t *testing.T) {
	b := ruled(t,
		rule.Rule{ID: "a", Name: "Before", When: contains("dogs"), Then: []rule.Action{{Kind: rule.Reply, Text: "The kennel is closed today.", Beside: true}}},
		rule.Rule{ID: "b", Name: "After", When: contains("dogs"), Then: []rule.Action{{Kind: rule.Line, Text: "Ask the crew for a bowl."}}},
	)
	r := ask(t, b, "Must dogs be on a lead?")
	assert.Equal(t, Answered, r.Outcome)
	require.GreaterOrEqual(t, len(r.Reply), 3)
	assert.Equal(t, "The kennel is closed today.", r.Reply[0].Text)
	assert.Equal(t, "Ask the crew for a bowl.", r.Reply[len(r.Reply)-1].Text)
	assert.Contains(t, r.Text(), "must be on a lead")

	b.Query.Split = true
	two := ask(t, b, "Must dogs be on a lead? How much is an adult return to Little Hobb?")
	require.Len(t, two.Parts, 2)
	first := two.Reply[two.Parts[0].From:two.Parts[0].To]
	require.NotEmpty(t, first)
	assert.Contains(t, first[0].Text, "on a lead", "the parts still name their own sentences")
}

func TestARuleThatWaitsSpeaksWhereTheSourcesDoNot(t *testing.T) {
	b := ruled(t, rule.Rule{ID: "w", Name: "Office", When: rule.When{Unanswered: true}, Then: []rule.Action{{Kind: rule.HandOver, Team: "office", Text: "I pass you on."}}})
	r := ask(t, b, "Who won the football world cup in 1998?")
	assert.Equal(t, HandedOver, r.Outcome)
	assert.Equal(t, "I pass you on.", r.Text())
	assert.Contains(t, r.Why, "below the bar", "why the sources had no answer is not lost")
	require.NotNil(t, r.Rules.HandOver)
	assert.Equal(t, "office", r.Rules.HandOver.Team)
	assert.NotEmpty(t, r.Candidates, "what was looked at stays in the trail")
	assert.Equal(t, Answered, ask(t, b, "Must dogs be on a lead?").Outcome)
}

func TestAHandOverFallsBackOnWhereToTurn(t *testing.T) {
	b := ruled(t, rule.Rule{ID: "p", Name: "Person", When: rule.When{Person: true}, Then: []rule.Action{{Kind: rule.HandOver}}})
	r := ask(t, b, "I want to speak to a person")
	assert.Equal(t, HandedOver, r.Outcome)
	assert.Equal(t, "Ring us.", r.Text())
}

func TestARuleAsksForDetailsAndGoesOn(t *testing.T) {
	b := ruled(t, rule.Rule{ID: "l", Name: "Lost", When: contains("lost"), Then: []rule.Action{{Kind: rule.Ask, Text: "Thank you, we look for it.", Details: []rule.Detail{
		{Name: "phone", Ask: "Which number may we ring?", Type: rule.TypePhone},
	}}}})
	r := ask(t, b, "I have lost my hat")
	assert.Equal(t, AskedBack, r.Outcome)
	assert.Equal(t, "Which number may we ring?", r.Text())
	again := ask(t, b, "It is somewhere", "I have lost my hat", r.Text())
	assert.Equal(t, AskedBack, again.Outcome, "a number has to be told")
	done := ask(t, b, "01632 960123", "I have lost my hat", r.Text())
	assert.Equal(t, ByRule, done.Outcome)
	assert.Equal(t, "Thank you, we look for it.", done.Text())
	require.NotNil(t, done.Rules.Form)
	assert.True(t, done.Rules.Form.Done)
}

func TestARuleNarrowsTheSources(t *testing.T) {
	b := ruled(t, rule.Rule{ID: "n", Name: "Elsewhere", When: contains("dogs"), Then: []rule.Action{{Kind: rule.Narrow, Sources: []string{"another source"}}}})
	r := ask(t, b, "Must dogs be on a lead?")
	assert.Equal(t, Refused, r.Outcome, "the pages of the bench are of no source")
	assert.Equal(t, []string{"another source"}, r.Rules.Sources)
}

// marked gives a bench on which every chunk of one document has marks.
func marked(t *testing.T, document string, marks int) Bench {
	t.Helper()
	b := bench(t, index.Public, pages)
	b.Answer.PointTo, b.Answer.PointNow = "See {title}.", "See {title} for how it stands now."
	b.View.Each(func(_ int, e *index.Entry) bool {
		if e.Document == document {
			e.Marks = marks
		}
		return true
	})
	return b
}

func TestWhatIsNotToBeQuotedIsPointedTo(t *testing.T) {
	for marks, want := range map[int]string{index.Unquotable: "See ", index.Volatile: "how it stands now"} {
		r := ask(t, marked(t, "weather", marks), "What happens in fog?")
		require.Equal(t, Answered, r.Outcome)
		assert.Contains(t, r.Text(), want)
		assert.NotContains(t, r.Text(), "half speed")
	}
	assert.Contains(t, ask(t, marked(t, "weather", 0), "What happens in fog?").Text(), "half speed")
}

func TestHowWellTheEvidenceCarriesASentence(t *testing.T) {
	b := bench(t, index.Public, pages)
	r := ask(t, b, "Must dogs be on a lead?")
	require.NotEmpty(t, r.Reply)
	x := r.Reply[0]
	carried := func(s Sentence) float64 {
		g, err := b.Carried(t.Context(), r, s)
		require.NoError(t, err)
		return g
	}
	assert.Equal(t, 1.0, carried(x), "it was taken as it stands")
	own := x
	own.Candidate = -1
	assert.Equal(t, -1.0, carried(own), "the assistant's own words have no evidence")
	judged := x
	judged.Grounding = &ground.Grounding{Score: 0.25}
	assert.Equal(t, 0.25, carried(judged))
	wrong := x
	wrong.Text = "Dogs travel for £9.00 and need no lead."
	assert.Less(t, carried(wrong), 0.5)
	gone := *r
	gone.Candidates = []Candidate{{Version: "nowhere"}}
	_, err := b.Carried(t.Context(), &gone, Sentence{Text: "x"})
	assert.ErrorContains(t, err, "nowhere")
}

func TestARowIsWorded(t *testing.T) {
	g := &doc.Grid{Header: []string{"Passenger", "Single", "Return"}, Rows: []doc.Row{
		{Span: doc.Span{Start: 0, End: 9}, Cells: []doc.Cell{{Text: "Adult"}, {Text: "£8.20"}, {Text: "£14.60"}}},
		{Span: doc.Span{Start: 10, End: 20}, Cells: []doc.Cell{{Text: "Child"}, {Text: "£4.10"}, {}}},
	}}
	assert.Equal(t, "Adult – Single: £8.20; Return: £14.60.", Worded(g, doc.Span{Start: 0, End: 9}))
	assert.Equal(t, "Child – Single: £4.10.", Worded(g, doc.Span{Start: 10, End: 20}), "an empty cell says nothing")
	assert.Empty(t, Worded(g, doc.Span{Start: 1, End: 9}))
}

func TestSearchTakesCourtesiesForQuestions(t *testing.T) {
	b := bench(t, index.Public, pages)
	r, _, err := Search(t.Context(), query.Question{Text: "thanks for the dogs"}, b, true)
	require.NoError(t, err)
	assert.Equal(t, Unjudged, r.Outcome)
	assert.Empty(t, r.Reply, "nothing is said where nothing is weighed")
	assert.NotEmpty(t, r.Candidates)
	r, _, err = Search(t.Context(), query.Question{Text: "thanks"}, b, true)
	require.NoError(t, err)
	assert.Equal(t, query.Thanks, r.Reading.Kind, "it is told what it is")
	assert.NotEmpty(t, r.Reading.Searches, "and searched for all the same")
	_, ranking, err := Search(t.Context(), query.Question{Text: "Must dogs be on a lead?"}, b, true)
	require.NoError(t, err)
	require.NotEmpty(t, ranking.Ranked)
	assert.Equal(t, "dogs", ranking.Ranked[0].Entry.Document)
}

func TestAPersonIsAskedForWithoutARule(t *testing.T) {
	b := bench(t, index.Public, pages)
	b.Answer.Person = "I cannot put you through."
	for _, q := range []string{"human", "I want to speak to an agent", "can I talk to a person please", "representative!"} {
		r := ask(t, b, q)
		assert.Equal(t, HandedOver, r.Outcome, q)
		assert.Equal(t, "I cannot put you through. Ring us.", r.Text(), q)
	}
	r := ask(t, b, "Must dogs be on a lead? And I want to speak to a person.")
	assert.Equal(t, Answered, r.Outcome)
	assert.Contains(t, r.Text(), "lead")
	assert.Contains(t, r.Text(), "Ring us.")
	assert.NotContains(t, ask(t, b, "Must dogs be on a lead?").Text(), "Ring us.")
	assert.Equal(t, Refused, ask(t, b, "Can someone help me with the gearbox of my tractor?").Outcome, "a question without an answer stays one")
	b.Answer.TurnTo = ""
	assert.Equal(t, Refused, ask(t, b, "human").Outcome, "nobody can be named")
}

func TestAFixedReplyIsNotContradicted(t *testing.T) {
	b := ruled(t, rule.Rule{ID: "a", Name: "Flood", When: contains("flood"), Then: []rule.Action{{Kind: rule.Reply, Text: "Leave the deck.", Beside: true}}})
	r := ask(t, b, "What of the flood in the engine of the tractor?")
	assert.Equal(t, ByRule, r.Outcome)
	assert.Equal(t, "Leave the deck.", r.Text())
}
