package ground

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"jolvex/core/embed"
)

func grounder(t *testing.T) Grounder {
	static, err := embed.NewStatic()
	require.NoError(t, err)
	return Grounder{Sentence: static, Words: static}
}

var boarding = []Source{
	{Text: "The ticket office opens at 09:30 and closes at 18:00. A bicycle costs £4.00 on every crossing. Dogs are not allowed on Little Hobb.", Heading: "Before you board"},
	{Text: "You must be at the berth 20 minutes before departure. Ring 01632 960411 or write to desk@tolmouth.example. More at https://tolmouth.example/fares.", Heading: "Contact"},
}

func TestWhatTheEvidenceSaysIsCarried(t *testing.T) {
	g := grounder(t)
	for _, said := range []string{
		"A bicycle costs £4.00 on every crossing.",
		"A bicycle costs 4 pounds on every crossing.",
		"The ticket office opens at half past nine.",
		"The ticket office closes at 6 pm.",
		"The ticket office opens at 9.30 am and closes at 6 p.m.",
		"Dogs aren't allowed on Little Hobb.",
		"No dogs are allowed on Little Hobb.",
		"You must be at the berth twenty minutes before departure.",
		"Ring 01632 960 411 or write to desk@tolmouth.example.",
	} {
		x, err := g.Check(t.Context(), said, "", boarding)
		require.NoError(t, err)
		assert.Empty(t, x.Troubles, said)
		assert.Greater(t, x.Score, 0.5, said)
	}
}

func TestWhatTheEvidenceDoesNotSayIsTold(t *testing.T) {
	g := grounder(t)
	cases := map[string]string{
		"A bicycle costs £5.00 on every crossing.":                    Figure,
		"The ticket office opens at half past eight.":                 Figure,
		"You must be at the berth 20 hours before departure.":         Figure,
		"Ring 01632 960412 or write to desk@tolmouth.example.":        Figure,
		"Write to office@tolmouth.example.":                           Figure,
		"More at https://tolmouth.example/prices.":                    Figure,
		"Dogs are allowed on Little Hobb.":                            Negation,
		"A bicycle does not cost £4.00 on every crossing.":            Negation,
		"Dogs are not allowed on Bracken Holm.":                       Name,
		"You must be at the berth 20 minutes after departure.":        Opposite,
		"The ticket office opens at 09:30 on Sunday.":                 Figure,
		"I have sent you the timetable by mail.":                      Deed,
		"Your booking has been confirmed.":                            Deed,
		"Whales are often seen from the upper deck in late afternoon": Subject,
	}
	for said, want := range cases {
		x, err := g.Check(t.Context(), said, "", boarding)
		require.NoError(t, err)
		assert.True(t, x.Has(want), "%s: %+v", said, x)
		assert.Less(t, x.Score, 0.5, said)
	}
	engine := []Source{{Text: "The engine is a B12 by the maker of the A380; it runs at 50Hz from 9am on the 3rd of May.", Heading: "Class K2"}}
	for said, unknown := range map[string]bool{
		"The engine is a B14.":                      true,
		"The engine is a b12 of class K2.":          false,
		"The engine of the A381 runs at 9am.":       true,
		"The engine runs at 50Hz on the 3rd of May": false,
	} {
		x, err := g.Check(t.Context(), said, "", engine)
		require.NoError(t, err)
		assert.Equal(t, unknown, x.Has(Figure), "%s: %+v", said, x.Troubles)
	}
	x, err := g.Check(t.Context(), "The B14 is one.", "Is the B14 one?", engine)
	require.NoError(t, err)
	assert.False(t, x.Has(Figure), "a code of the question may be said again")
	x, err = g.Check(t.Context(), "For your 3 bags there is room.", "Is there room for 3 bags?", boarding)
	require.NoError(t, err)
	assert.False(t, x.Has(Figure), "a figure of the question may be said again")
	x, err = g.Check(t.Context(), "Anything.", "", nil)
	require.NoError(t, err)
	assert.Zero(t, x.Score, "without evidence nothing is carried")
}

func TestASentenceThatRunsOnIsNotWeighed(t *testing.T) {
	g := grounder(t)
	x, err := g.Check(t.Context(), strings.Repeat("unless only before a fortnight, and not ; , ", 400), "", boarding)
	require.NoError(t, err)
	assert.Zero(t, x.Score)
	assert.True(t, x.Has(Subject))
	for _, s := range []string{"", "   ", "\x00", "|||", "[1]", "€"} {
		_, err := g.Check(t.Context(), s, s, []Source{{Text: s, Heading: s}})
		require.NoError(t, err, "%q", s)
	}
}
