package visit_test

import (
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"jolvex/core/rule"
	"jolvex/internal/fault"
	"jolvex/internal/serving/desk"
)

// office has somebody who asks for a person handed over to the office, after a name and a mail address.
func (h *harbour) office() {
	h.t.Helper()
	m, err := h.app.Indexing.Method(h.t.Context(), corpus)
	require.NoError(h.t, err)
	m.Rules = []rule.Rule{{ID: "person", Name: "Asks for a person", When: rule.When{Person: true}, Then: []rule.Action{
		{Kind: rule.HandOver, Team: "Office", Purpose: "Wants to talk to somebody", Text: "I am passing you on to our office."},
		{Kind: rule.Ask, Text: "Thank you, our office has it.", Details: []rule.Detail{
			{Name: "Name", Ask: "What is your name?", Type: rule.TypeText}, {Name: "Mail", Ask: "At which mail address do we reach you?", Type: rule.TypeMail},
		}},
	}}}
	_, err = h.app.Indexing.SaveMethod(h.t.Context(), corpus, m)
	require.NoError(h.t, err)
	h.release()
}

// TestAPersonAnswers has a visitor handed over, taken, answered and given back to the assistant.
func TestAPersonAnswers(t *testing.T) {
	h := open(t)
	h.office()
	pass := h.site()
	ask := func(text, conversation string) map[string]any {
		status, said := h.send("/v/ask", msg{"pass": pass, "text": text, "conversation": conversation, "visitor": "0123456789abcdef0123456789abcdef", "page": "https://www.tolmouth.example/dogs"})
		require.Equal(t, 200, status, said)
		return said
	}
	news := func(conversation, after string) map[string]any {
		status, got := h.send("/v/news", msg{"pass": pass, "conversation": conversation, "after": after})
		require.Equal(t, 200, status, got)
		return got
	}
	first := ask("How much is a dog?", "")
	conversation := first["conversation"].(string)
	assert.Empty(t, first["person"])
	assert.Empty(t, news(conversation, "")["state"])

	assert.Equal(t, "waiting", ask("I want to speak to a human", conversation)["person"])
	ask("Ada Quayle", conversation)
	ask("ada@quayle.example", conversation)
	queue, err := h.app.Desk.List(t.Context(), corpus, false, "Morgan")
	require.NoError(t, err)
	require.Len(t, queue, 1, "one conversation waits once")
	w := queue[0]
	assert.Equal(t, []string{"Asks for a person", "Office", "Wants to talk to somebody", "waiting", "https://www.tolmouth.example/dogs"}, []string{w.Rule, w.Team, w.Purpose, w.State, w.Page})
	assert.Contains(t, w.Summary, "How much is a dog?")
	assert.True(t, w.Mail)
	for _, d := range w.Told {
		assert.NotContains(t, []string{"Ada Quayle", "ada@quayle.example"}, d.Value, "nobody has taken it yet")
	}

	got, err := h.app.Desk.Take(t.Context(), corpus, w.ID, "", "Morgan")
	require.NoError(t, err)
	assert.ElementsMatch(t, []rule.Told{{Name: "Name", Value: "Ada Quayle"}, {Name: "Mail", Value: "ada@quayle.example"}}, got.Told)
	_, err = h.app.Desk.Take(t.Context(), corpus, w.ID, "", "Robin")
	require.ErrorIs(t, err, fault.ErrInput, "Morgan has it")
	assert.Equal(t, "taken", news(conversation, "")["state"])

	passed := ask("It is a very large dog.", conversation)
	assert.Equal(t, []any{"passedOn", "taken", []any{}}, []any{passed["outcome"], passed["person"], passed["sentences"]}, "a person is on it: the assistant is quiet")
	_, err = h.app.Desk.Answer(t.Context(), corpus, w.ID, "Robin", desk.Written{Text: "Who are you?"})
	require.ErrorIs(t, err, fault.ErrInput, "Morgan has it")
	_, err = h.app.Desk.Answer(t.Context(), corpus, w.ID, "Morgan", desk.Written{Text: "Hello", Prepared: "no-such"})
	require.Error(t, err)
	assert.Empty(t, news(conversation, "")["lines"], "nothing was said by what failed")
	got, err = h.app.Desk.Answer(t.Context(), corpus, w.ID, "Morgan", desk.Written{Text: "Large dogs pay <b>£2.00</b>, too.", Mail: true})
	require.NoError(t, err)
	require.Len(t, got.Lines, 2)
	assert.Equal(t, []string{"visitor", "staff"}, []string{got.Lines[0].Author, got.Lines[1].Author})
	heard := news(conversation, "")["lines"].([]any)
	require.Len(t, heard, 1, "what the visitor said is not said back")
	one := heard[0].(map[string]any)
	assert.Equal(t, []any{"Morgan", "Large dogs pay <b>£2.00</b>, too."}, []any{one["name"], one["text"]})
	assert.Empty(t, news(conversation, "999")["lines"])
	sent, err := h.app.Mending.Notices.Deliveries(t.Context(), corpus)
	require.NoError(t, err)
	require.Len(t, sent, 1)
	assert.Equal(t, "ada@quayle.example", sent[0].Recipient)

	_, err = h.app.Desk.Close(t.Context(), corpus, w.ID, "Morgan")
	require.NoError(t, err)
	_, err = h.app.Desk.Answer(t.Context(), corpus, w.ID, "Morgan", desk.Written{Text: "One thing more"})
	require.ErrorIs(t, err, fault.ErrInput)
	assert.Contains(t, text(ask("How much is a dog?", conversation)), "£2.00", "the assistant answers again")
	status, _ := h.send("/v/forget", msg{"pass": pass, "visitor": "0123456789abcdef0123456789abcdef"})
	require.Equal(t, 200, status)
	sent, err = h.app.Mending.Notices.Deliveries(t.Context(), corpus)
	require.NoError(t, err)
	assert.Empty(t, sent, "what was mailed to somebody goes with them")
	closed, err := h.app.Desk.List(t.Context(), corpus, true, "Morgan")
	require.NoError(t, err)
	assert.Empty(t, closed)
	status, _ = h.send("/v/news", msg{"pass": pass, "conversation": "no-such"})
	assert.Equal(t, 404, status)
}

// TestPersonalDataTakesTwoDetails tries what opens somebody's conversation.
func TestPersonalDataTakesTwoDetails(t *testing.T) {
	h := open(t)
	h.office()
	pass := h.site()
	conversation := ""
	for _, text := range []string{"Can I speak to a human?", "Ada Quayle", "ada@quayle.example"} {
		status, said := h.send("/v/ask", msg{"pass": pass, "text": text, "conversation": conversation})
		require.Equal(t, 200, status, said)
		conversation = said["conversation"].(string)
	}
	for _, few := range [][]string{{}, {"Ada Quayle"}, {"Ada Quayle", "ADA  QUAYLE"}, {"Ada Quayle", "x"}, {"", ""}} {
		_, err := h.app.Desk.ByDetails(t.Context(), corpus, "Morgan", few)
		assert.ErrorIs(t, err, fault.ErrInput, "%q", few)
	}
	for _, wrong := range [][]string{{"Ada Quayle", "ada@other.example"}, {"Eve Quayle", "ada@quayle.example"}, {"Ada Quayle", "ada@quayle.example", "07700 900123"}} {
		got, err := h.app.Desk.ByDetails(t.Context(), corpus, "Morgan", wrong)
		require.NoError(t, err)
		assert.Empty(t, got, "%q", wrong)
	}
	got, err := h.app.Desk.ByDetails(t.Context(), corpus, "Morgan", []string{"ada quayle", "Ada@Quayle.example"})
	require.NoError(t, err)
	require.Len(t, got, 1)
	assert.Equal(t, conversation, got[0].Conversation)
	assert.True(t, slices.Contains(got[0].Told, rule.Told{Name: "Mail", Value: "ada@quayle.example"}))
}

// TestAReplyIsPreparedForStaff has staff's material in it, told apart; what is changed becomes a snag, what is sent as it was does not.
func TestAReplyIsPreparedForStaff(t *testing.T) {
	h := open(t)
	h.put("crew.md", "# Crew\n\n## Waiver\n\nThe bosun may waive the fee for assistance animals on winter crossings.\n", "staff")
	h.release()
	r, err := h.app.Desk.Prepare(t.Context(), corpus, "Who may waive the fee for assistance animals?", "")
	require.NoError(t, err)
	require.Contains(t, r.Reply, "bosun")
	require.NotEmpty(t, r.Cited)
	assert.Equal(t, "staff", r.Cited[0].Audience)
	public, err := h.app.Desk.Prepare(t.Context(), corpus, "How much is a dog?", "")
	require.NoError(t, err)
	require.NotEmpty(t, public.Cited)
	assert.Equal(t, "public", public.Cited[0].Audience)

	snags := func() int {
		list, err := h.app.Mending.Snags.List(t.Context(), corpus, "")
		require.NoError(t, err)
		return len(list)
	}
	require.NoError(t, h.app.Desk.Sent(t.Context(), corpus, public.ID, "Morgan", "Dear Ada,\n\n"+public.Reply+"\n\nKind regards", "ada@quayle.example"))
	assert.Zero(t, snags(), "words around it change nothing")
	require.NoError(t, h.app.Desk.Sent(t.Context(), corpus, public.ID, "Morgan", "A dog costs £2.50 since Monday.", ""))
	list, err := h.app.Mending.Snags.List(t.Context(), corpus, "")
	require.NoError(t, err)
	require.Len(t, list, 1)
	assert.Equal(t, "A dog costs £2.50 since Monday.", list[0].Fact)
	assert.Contains(t, list[0].Note, "£2.00", "both texts are in it")
	assert.ErrorIs(t, h.app.Desk.Sent(t.Context(), corpus, public.ID, "Morgan", "Hello", "no address"), fault.ErrInput)
	pass := h.site()
	status, said := h.send("/v/ask", msg{"pass": pass, "text": "How much is a dog?"})
	require.Equal(t, 200, status)
	assert.ErrorIs(t, h.app.Desk.Sent(t.Context(), corpus, said["exchange"].(string), "Morgan", "Nothing", ""), fault.ErrInput, "a visitor's reply was not prepared here")
	_, told := h.send("/v/ask", msg{"pass": pass, "text": "Who may waive the fee for assistance animals?"})
	assert.NotContains(t, text(told), "bosun")
}
