package rule

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"jolvex/core/embed"
	"jolvex/core/query"
)

func matcher(t *testing.T) *Matcher {
	t.Helper()
	e, err := embed.NewEncoder()
	require.NoError(t, err)
	m, err := NewMatcher(e, true)
	require.NoError(t, err)
	return m
}

var lost = Rule{ID: "lost", Name: "Lost things", When: When{Like: []string{
	"I have lost my bag on the boat", "I left my umbrella on the ferry", "my phone is missing since the crossing", "have you found a jacket", "someone may have handed in my wallet",
	"I forgot my glasses on board", "where do I report a lost item", "I can't find my rucksack after the trip",
}}, Then: []Action{{Kind: Line, Text: "Ring the pier office."}}}

// "About eight example wordings are enough for a rule to catch misspelt variants": common practice, no published source.
func TestEightExamplesCatchOtherWordingsAndSlips(t *testing.T) {
	m := matcher(t)
	for _, said := range []string{
		"I think I left my hat on the ferry this morning", "i hav lost my bagg on the baot", "my walet is missing since yesterday's crossing",
		"has anybody handed in a purse", "forgot my galsses on bord",
	} {
		x, err := m.Match(t.Context(), lost, Message{Text: said})
		require.NoError(t, err)
		assert.True(t, x.Holds, "%s: %s", said, x.Why)
	}
	for _, said := range []string{"How much is a kayak to Sandrel?", "Where can I leave my luggage?", "When does the first boat leave?", "Is there a lift on board?", "What happens if I miss my boat?", "I missed the last ferry"} {
		x, err := m.Match(t.Context(), lost, Message{Text: said})
		require.NoError(t, err)
		assert.False(t, x.Holds, "%s: %s", said, x.Why)
	}
}

func TestConditions(t *testing.T) {
	m := matcher(t)
	cases := []struct {
		when  When
		msg   Message
		holds bool
	}{
		{When{Contains: []string{"season ticket"}}, Message{Text: "Do you have saeson tickets?"}, true},
		{When{Contains: []string{"season ticket"}}, Message{Text: "Do you sell seasonal fruit?"}, false},
		{When{Contains: []string{"season ticket"}}, Message{Text: "what does a seasn ticket cost"}, true},
		{When{Contains: []string{"fog"}}, Message{Text: "I lost my dog"}, false},
		{When{Person: true}, Message{Text: "human please"}, true},
		{When{Person: true}, Message{Text: "representative"}, true},
		{When{Person: true}, Message{Text: "I want to speak to an agent"}, true},
		{When{Person: true}, Message{Text: "can someone call me"}, true},
		{When{Person: true}, Message{Text: "How many people fit on the boat?"}, false},
		{When{Person: true}, Message{Text: "Is the travel agent in town part of you?"}, false},
		{When{Urgent: true}, Message{Text: "The cellar is flooding, help me!!"}, true},
		{When{Urgent: true}, Message{Text: "What do you do in an emergency?"}, true},
		{When{Urgent: true}, Message{Text: "Which berth is it?"}, false},
		{When{Pages: []string{"/fares"}}, Message{Text: "x", Page: "https://a.example/fares/summer"}, true},
		{When{Pages: []string{"/fares"}}, Message{Text: "x", Page: "https://a.example/jobs"}, false},
		{When{Pages: []string{"a.example"}}, Message{Text: "x", Page: "https://A.example/jobs"}, true},
		{When{Pages: []string{"/fares"}}, Message{Text: "x"}, false},
		{When{Campaigns: []string{"spring", "letter"}}, Message{Text: "x", Campaign: "Spring"}, true},
		{When{Campaigns: []string{"spring"}}, Message{Text: "x", Campaign: "springs"}, false},
		{When{Campaigns: []string{"spring"}}, Message{Text: "x"}, false},
		{When{Places: []string{"Sandrel pier"}}, Message{Text: "x", Place: "sandrel pier"}, true},
		{When{Places: []string{"Sandrel pier"}, Campaigns: []string{"spring"}}, Message{Text: "x", Place: "Sandrel pier"}, false},
		{When{Languages: []string{"de"}, Places: []string{"pier"}}, Message{Text: "x", Language: "de", Place: "quay"}, false},
		{When{Languages: []string{"de"}}, Message{Text: "x", Language: "de"}, true},
		{When{Languages: []string{"de"}, Contains: []string{"y"}}, Message{Text: "x", Language: "de"}, false},
		{When{}, Message{Text: "whatever"}, true},
	}
	for _, c := range cases {
		x, err := m.Match(t.Context(), Rule{ID: "r", Name: "r", When: c.when}, c.msg)
		require.NoError(t, err)
		assert.Equal(t, c.holds, x.Holds, "%+v %q: %s", c.when, c.msg.Text, x.Why)
		assert.NotEmpty(t, x.Why)
	}
}

var callBack = Rule{ID: "call", Name: "Call back", When: When{Contains: []string{"call me back"}}, Then: []Action{{
	Kind: Ask, Text: "Thank you, we ring you.", Confirm: true, Details: []Detail{
		{Name: "Name", Ask: "What is your name?", Type: TypeText},
		{Name: "Phone", Ask: "Under which number?", Type: TypePhone},
		{Name: "Mail", Ask: "And your mail address?", Type: TypeMail, Optional: true, Blocked: []string{"throwaway.example"}},
	},
}}}

// converse plays the messages of a person one after another and returns what was said last, and the last state.
func converse(t *testing.T, rules []Rule, said ...string) (string, State) {
	t.Helper()
	m := matcher(t)
	var turns []query.Turn
	var s State
	for _, x := range said {
		var err error
		s, err = m.Walk(t.Context(), rules, turns, Message{Text: x}, false)
		require.NoError(t, err)
		reply := s.Say
		if reply == "" {
			reply = "An answer."
		}
		for _, l := range s.Lines {
			reply += " " + l
		}
		turns = append(turns, query.Turn{Role: "user", Text: x}, query.Turn{Role: "assistant", Text: reply})
	}
	return turns[len(turns)-1].Text, s
}

func TestDetailsAreAskedFor(t *testing.T) {
	rules := []Rule{callBack}
	say, s := converse(t, rules, "Please call me back")
	assert.Equal(t, "What is your name?", say)
	assert.Equal(t, "Name", s.Form.Asking)

	say, _ = converse(t, rules, "Please call me back", "I'm Ada Venn", "not telling you letters")
	assert.Equal(t, "A telephone number has no letters. Under which number?", say)

	say, s = converse(t, rules, "Please call me back", "I'm Ada Venn", "01632 960411", "ada@throwaway.example", "ada@venn", "ada@venn.example")
	assert.Equal(t, "Name: Ada Venn; Phone: 01632 960411; Mail: ada@venn.example. Is that right?", say)
	assert.False(t, s.Form.Done)

	say, s = converse(t, rules, "call me back on 01632 960411", "Ada Venn", "no thanks", "yes")
	assert.Equal(t, "Thank you, we ring you.", say)
	assert.True(t, s.Form.Done)
	assert.Equal(t, []Told{{"Name", "Ada Venn"}, {"Phone", "01632 960411"}}, s.Form.Told, "the number stood in the message; the optional was declined")

	say, s = converse(t, rules, "call me back", "Ada Venn", "01632 960411", "skip", "No, the number is 01632 960412")
	assert.Equal(t, "Changed. Name: Ada Venn; Phone: 01632 960412. Is that right?", say)
	assert.False(t, s.Form.Done)

	say, s = converse(t, rules, "call me back", "Ada Venn", "cancel")
	assert.Contains(t, say, "cancelled")
	assert.True(t, s.Form.Cancelled)
	assert.Empty(t, s.Form.Told)

	_, s = converse(t, rules, "call me back", "Ada Venn", "x", "y", "z")
	assert.True(t, s.Form.Failed, "it is not asked for ever")

	say, s = converse(t, rules, "call me back", "Ada Venn", "How much is a kayak?")
	assert.Equal(t, "An answer. Under which number?", say, "a question in between is answered, and then it goes on")
	assert.Equal(t, "Phone", s.Form.Asking)

	say, _ = converse(t, rules, "call me back", "Ada Venn", "01632 960411", "skip", "yes", "call me back")
	assert.Contains(t, say, "Ada Venn", "what was told is not asked for again")
}

func TestRulesStopAndStandBesideTheAnswer(t *testing.T) {
	flood := Rule{ID: "flood", Name: "Flood", When: When{Contains: []string{"flood"}}, Then: []Action{{Kind: Reply, Text: "Leave the cellar.", Beside: true}, {Kind: Alert, To: "duty@tolmouth.example", Purpose: "flood"}}}
	fixed := Rule{ID: "fixed", Name: "Fixed", When: When{Contains: []string{"flood"}}, Then: []Action{{Kind: Reply, Text: "No boats today."}}, Stop: true}
	after := Rule{ID: "after", Name: "After", Then: []Action{{Kind: Line, Text: "By machine."}}}
	_, s := converse(t, []Rule{flood, fixed, after}, "there is a flood")
	assert.Equal(t, []string{"Leave the cellar."}, s.Before)
	assert.Equal(t, "No boats today.", s.Say)
	require.Len(t, s.Alerts, 1)
	assert.Empty(t, s.Lines, "the rule before it stops")
	off := fixed
	off.Off = true
	_, s = converse(t, []Rule{off, after}, "there is a flood")
	assert.Equal(t, []string{"By machine."}, s.Lines)
}

func TestRulesThatWaitForNoAnswer(t *testing.T) {
	m := matcher(t)
	r := callBack
	r.When = When{Unanswered: true}
	s, err := m.Walk(t.Context(), []Rule{r}, nil, Message{Text: "Do you sell vouchers?"}, false)
	require.NoError(t, err)
	assert.True(t, s.Waits)
	assert.Nil(t, s.Form)
	s, err = m.Walk(t.Context(), []Rule{r}, nil, Message{Text: "Do you sell vouchers?"}, true)
	require.NoError(t, err)
	assert.Equal(t, "What is your name?", s.Say)
	turns := []query.Turn{{Role: "user", Text: "Do you sell vouchers?"}, {Role: "assistant", Text: "What is your name?"}}
	s, err = m.Walk(t.Context(), []Rule{r}, turns, Message{Text: "Ada Venn"}, false)
	require.NoError(t, err)
	assert.Equal(t, "Under which number?", s.Say)
	turns[1].Text = "No vouchers."
	s, err = m.Walk(t.Context(), []Rule{r}, turns, Message{Text: "Ada Venn"}, false)
	require.NoError(t, err)
	assert.Nil(t, s.Form, "nothing was asked for then")
}

func TestChoicesNumbersAndDates(t *testing.T) {
	van := Detail{Name: "Van", Type: TypeChoice, Choices: []string{"Small van", "Large van"}}
	for said, want := range map[string]string{"the smal one": "Small van", "2": "Large van", "large van please": "Large van", "a horse": ""} {
		v, _ := van.find(said, true)
		assert.Equal(t, want, v, said)
	}
	people := Detail{Name: "People", Ask: "How many are you?", Type: TypeNumber}
	for said, want := range map[string]string{
		"we are twelve people": "12", "ten thousand": "10,000", "1,200": "1,200", "4": "4", "four or five": "", "1O": "", "l2 people": "", "at 10:30": "", "on 3 May 2027": "",
		"ext. 204": "", "none of it": "",
	} {
		v, why := people.find(said, true)
		assert.Equal(t, want, v, said)
		assert.Equal(t, want == "", why != "", said)
	}
	for said, want := range map[string]string{"Ring me on extension 204, we are 5 people": "5", "we come at 10 on the 12 o'clock boat": "", "flat 7": "", "a table for people, 6 of them": "6"} {
		v, _ := people.find(said, false)
		assert.Equal(t, want, v, said)
	}
	for said, want := range map[string]string{"01632 960411": "01632 960411", "O1632 96O411": "", "01632 96O411": "", "it is 01632 960411 ext 5": "01632 960411"} {
		v, _ := Detail{Type: TypePhone}.find(said, true)
		assert.Equal(t, want, v, said)
	}
	for _, said := range []string{"30 February 2027", "31/04/2027", "2027-02-29"} {
		v, why := Detail{Type: TypeDate}.find(said, true)
		assert.Empty(t, v, said)
		assert.Equal(t, "There is no such day.", why, said)
	}
	v, _ := Detail{Type: TypeDate}.find("29 February 2028", true)
	assert.Equal(t, "29 February 2028", v)
	v, _ = Detail{Type: TypeDate}.find("on 3 May 2027", true)
	assert.Equal(t, "3 May 2027", v)
	for said, want := range map[string]string{"it was last Tuesday": "last Tuesday", "yesterday evening": "yesterday", "next friday": "next friday"} {
		v, _ = Detail{Type: TypeDate}.find(said, true)
		assert.Equal(t, want, v, "which Tuesday matters")
	}
	_, why := Detail{Type: TypeDate}.find("soon", true)
	assert.NotEmpty(t, why)
	for _, bad := range []string{"ada@", "ada.example", "ada@venn", "@venn.example"} {
		v, _ := Detail{Type: TypeMail}.find(bad, true)
		assert.Empty(t, v, bad)
	}
}

func TestRulesThatAreWrong(t *testing.T) {
	assert.Empty(t, CheckAll([]Rule{lost, callBack}))
	assert.Len(t, CheckAll([]Rule{lost, lost}), 1)
	for _, a := range []Action{{Kind: "dance"}, {Kind: Reply}, {Kind: Ask}, {Kind: Alert, To: "nobody"}, {Kind: Narrow}, {Kind: Ask, Details: []Detail{{Name: "x", Type: "choice"}}}, {Kind: Ask, Details: []Detail{{Name: "x", Type: "colour"}}}} {
		assert.NotEmpty(t, Rule{ID: "a", Name: "a", Then: []Action{a}}.Check(), a.Kind)
	}
	assert.NotEmpty(t, Rule{ID: "a", Name: "a"}.Check())
}

// An alert that promises details is raised when they are confirmed, and every alert once in a conversation.
func TestAnAlertIsRaisedOnce(t *testing.T) {
	alert := Action{Kind: Alert, To: "desk@tolmouth.example", Purpose: "call back"}
	asks := callBack
	asks.Then = append([]Action{alert}, asks.Then...)
	rules := []Rule{asks}
	for _, said := range [][]string{
		{"call me back"},
		{"call me back", "Ada Venn", "01632 960411", "skip"},
		{"call me back", "Ada Venn", "cancel"},
		{"call me back", "Ada Venn", "01632 960411", "skip", "yes", "Which boats take cars?"},
	} {
		_, s := converse(t, rules, said...)
		assert.Empty(t, s.Alerts, "%v", said)
	}
	_, s := converse(t, rules, "call me back", "Ada Venn", "01632 960411", "skip", "yes")
	require.Len(t, s.Alerts, 1)
	assert.Len(t, s.Form.Told, 2)

	_, s = converse(t, rules, "call me back", "Ada Venn", "01632 960411", "skip", "yes", "call me back", "the number is 01632 960412", "yes")
	require.Len(t, s.Alerts, 1, "a second request is one of its own")
	assert.Equal(t, "01632 960412", s.Form.Told[1].Value)

	flood := []Rule{{ID: "flood", Name: "Flood", When: When{Like: []string{"water is coming in", "the cabin is flooded"}}, Then: []Action{alert}}}
	_, s = converse(t, flood, "Water is coming in!")
	assert.Len(t, s.Alerts, 1)
	_, s = converse(t, flood, "Water is coming in! Which office is open now?")
	assert.Len(t, s.Alerts, 1, "a question beside it does not hide it")
	_, s = converse(t, flood, "Water is coming in!", "The water is still coming in")
	assert.Empty(t, s.Alerts, "it was raised before")
}

func TestWhatWasToldBeforeACancelIsForgotten(t *testing.T) {
	say, _ := converse(t, []Rule{callBack}, "call me back", "Ada Venn", "cancel")
	assert.Contains(t, say, "cancelled")
	say, _ = converse(t, []Rule{callBack}, "call me back", "Ada Venn", "cancel", "call me back")
	assert.Equal(t, "What is your name?", say)
}
