package rule

import (
	"testing"
	"time"
	_ "time/tzdata"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"jolvex/core/query"
)

func TestHours(t *testing.T) {
	at := func(s string) time.Time {
		x, err := time.Parse("2006-01-02 15:04", s)
		require.NoError(t, err)
		return x
	}
	for _, c := range []struct {
		hours, at string
		in        bool
	}{ // 25 November 2026 is a Wednesday
		{"Mon-Fri 09:00-17:00", "2026-11-25 09:00", true},
		{"Mon-Fri 09:00-17:00", "2026-11-25 17:00", false},
		{"Mon-Fri 09:00-17:00", "2026-11-28 12:00", false},
		{"Monday to Friday 9.00 to 17.00, Sat 10:00-12:30", "2026-11-28 12:29", true},
		{"Fri-Mon 08:00-10:00", "2026-11-29 09:00", true}, // over the end of the week
		{"Fri-Mon 08:00-10:00", "2026-11-25 09:00", false},
		{"Fri 22:00-02:00", "2026-11-28 01:30", true}, // over midnight, into Saturday
		{"Fri 22:00-02:00", "2026-11-27 01:30", false},
		{"daily 00:00-24:00", "2026-11-25 23:59", true},
	} {
		ss, err := hours(c.hours)
		require.NoError(t, err, c.hours)
		assert.Equal(t, c.in, within(ss, at(c.at)), "%s at %s", c.hours, c.at)
	}
	for _, bad := range []string{"weekdays", "Mon 25:00-26:00", "Mon 09:61-10:00", "", "Mon-Fri"} {
		_, err := hours(bad)
		assert.Error(t, err, bad)
	}
}

// With nobody there, what is asked for is asked for, and nobody is handed over to; the zone is the rule's.
func TestNobodyThereAsksForDetailsInstead(t *testing.T) {
	r := Rule{ID: "p", Name: "A person", When: When{Contains: []string{"speak to somebody"}}, Then: []Action{
		{Kind: HandOver, Text: "I pass you on.", Hours: "Mon-Fri 09:00-17:00", Zone: "Europe/London"},
		{Kind: Ask, Away: true, Text: "We ring you.", Details: []Detail{{Name: "Number", Ask: "Under which number?", Type: TypePhone}}},
	}}
	require.Empty(t, r.Check())
	m := matcher(t)
	for when, open := range map[string]bool{"2026-07-01T08:30:00Z": true, "2026-01-05T08:30:00Z": false, "2026-07-01T16:30:00Z": false} { // 09:30, 08:30 and 17:30 there
		at, err := time.Parse(time.RFC3339, when)
		require.NoError(t, err)
		s, err := m.Walk(t.Context(), []Rule{r}, nil, Message{Text: "I want to speak to somebody", At: at}, false)
		require.NoError(t, err)
		assert.Equal(t, open, s.HandOver != nil, when)
		assert.Equal(t, !open, s.Form != nil, when)
	}
	turns := []query.Turn{{Role: "user", Text: "I want to speak to somebody"}, {Role: "assistant", Text: "Under which number?"}}
	s, err := m.Walk(t.Context(), []Rule{r}, turns, Message{Text: "01632 960123", At: time.Date(2026, 7, 1, 12, 0, 0, 0, time.UTC)}, false)
	require.NoError(t, err)
	require.NotNil(t, s.Form, "a form once open is gone through, whoever has come meanwhile")
	assert.True(t, s.Form.Done)

	r.Then[0].Zone = "Nowhere/Land"
	assert.Len(t, r.Check(), 1)
}

// Common practice, no published source.
func TestAskingForSomebodyToRing(t *testing.T) {
	for s, want := range map[string]bool{
		"Could one of your staff ring me?": true, "Can somebody please call me about it": true, "Would a colleague contact me tomorrow?": true,
		"Can someone with a wheelchair board?": false, "Do your staff speak French?": false, "Who can I ring about freight?": false,
	} {
		assert.Equal(t, want, AsksForPerson(s) != nil, s)
	}
}

func TestAWideningRuleUndoesANarrowingOne(t *testing.T) {
	narrow := Rule{ID: "n", Name: "Freight", When: When{Contains: []string{"parcel"}}, Then: []Action{{Kind: Narrow, Sources: []string{"freight"}}}}
	widen := Rule{ID: "w", Name: "Anywhere", When: When{Contains: []string{"anywhere"}}, Then: []Action{{Kind: Widen}}}
	require.Empty(t, CheckAll([]Rule{narrow, widen}))
	m := matcher(t)
	for _, rules := range [][]Rule{{narrow, widen}, {widen, narrow}} {
		s, err := m.Walk(t.Context(), rules, nil, Message{Text: "a parcel to anywhere"}, false)
		require.NoError(t, err)
		assert.Empty(t, s.Sources)
		s, err = m.Walk(t.Context(), rules, nil, Message{Text: "a parcel"}, false)
		require.NoError(t, err)
		assert.Equal(t, []string{"freight"}, s.Sources)
	}
}
