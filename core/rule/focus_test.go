package rule

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestARuleForOneThingLeavesTheOthers(t *testing.T) {
	m := matcher(t)
	r := Rule{ID: "k200", Name: "Reset of the K200", When: When{Like: []string{
		"How do I reset the K200?", "My K200 does not start any more", "The K200 shows an error", "Factory settings of the K200",
	}}, Then: []Action{{Kind: Reply, Text: "Hold the red button."}}}
	for said, holds := range map[string]bool{
		"how can i reset my K200":                 true,
		"the k200 dose not strat anymroe":         true,
		"my K200 shwos an eror":                   true,
		"How do I reset the K300?":                false,
		"My K210 does not start any more":         false,
		"factory settings of the k20":             false,
		"How much does the K200 weigh, and where": false,
	} {
		x, err := m.Match(t.Context(), r, Message{Text: said})
		require.NoError(t, err)
		assert.Equal(t, holds, x.Holds, "%s: %s", said, x.Why)
	}
}

func TestThreeSlipsDoNotHideAMessage(t *testing.T) {
	m := matcher(t)
	r := Rule{ID: "refund", Name: "Refunds", When: When{Like: []string{
		"I want my money back for a ticket", "How do I get a refund?", "Can I return my ticket?", "Please refund my booking",
	}}, Then: []Action{{Kind: Reply, Text: "Write to us."}}}
	for said, holds := range map[string]bool{
		"i wnat my mony bakc for a ticket": true,
		"how do i gett a refudn plaese":    true,
		"plese refnud my bookign":          true,
		"cna i retrun my tiket":            true,
		"wehn dose the frist bus leave":    false,
	} {
		x, err := m.Match(t.Context(), r, Message{Text: said})
		require.NoError(t, err)
		assert.Equal(t, holds, x.Holds, "%s: %s (%.2f)", said, x.Why, x.Like)
	}
}

// A word with dots in it is one word and its parts, which stand in the same place.
func TestWordsWithPartsArePutRightOnce(t *testing.T) {
	m := matcher(t)
	r := Rule{ID: "r", Name: "Parties", When: When{Like: []string{"I want to hire a room for a birthday party"}}, Then: []Action{{Kind: Reply, Text: "Write to us."}}}
	for _, said := range []string{"for my birthda.y", "What is shwon by tset.flie_nmae?", "brithday.paryt_rooom", "Whta does pakcage.nmae=valeu do", "a.b.c.d", "…._..", "room.party:birthday"} {
		_, err := m.Match(t.Context(), r, Message{Text: said})
		require.NoError(t, err, said)
	}
}
