package questions

import (
	"testing"

	"jolvex/core/answer"
	"jolvex/core/extract"
	"jolvex/core/text"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestProposalsAreAnsweredWhereTheySay(t *testing.T) {
	d, err := extract.Extract(extract.Input{Address: "glossary.md", Body: []byte(`# Glossary of the mill

## How do I get in?

Ring the bell at the gate and wait for the miller to come down.

## Fees

| Sack | Grinding | Storage |
|---|---|---|
| Small | £2.00 | 3 days |
| Large | £3.50 | 5 days |

## Working hours

The mill wheel stands still on Sundays until noon. Entry for a school class costs £12.00 for the whole day.

- Hopper: the box into which the grain is poured before it is ground
`)})
	require.NoError(t, err)
	about := Document{Address: "https://mill.example/glossary", Title: d.Title}
	got := Propose(about, d)
	kinds := map[string]Question{}
	for _, p := range got {
		require.NoError(t, p.Question.Check())
		assert.NotEmpty(t, p.Answer)
		if _, ok := kinds[p.Kind]; !ok {
			kinds[p.Kind] = p.Question
		}
		for _, e := range p.Question.Expect { // what is expected stands where the proposal says
			switch e.Kind {
			case Gives:
				ok, note := HoldsFigure(p.Answer, e)
				assert.True(t, ok, "%s: %s", p.Question.Text, note)
			case Reaches, Mentions:
				ok, note := Says(p.Answer, e.Values)
				assert.True(t, ok, "%s: %s", p.Question.Text, note)
			case Cites:
				assert.True(t, about.Is(e.Values))
			}
		}
	}
	assert.Equal(t, "How do I get in?", kinds[FromPair].Text)
	assert.Equal(t, "How much is the grinding fee for Small?", kinds[FromTable].Text)
	assert.Equal(t, "What is meant by Hopper?", kinds[FromDefinition].Text)
	assert.Equal(t, "Working hours", kinds[FromHeading].Text)
	texts := map[string]bool{}
	for _, p := range got {
		texts[p.Question.Text] = true
	}
	assert.True(t, texts["Entry for a school class costs how much?"], "%v", texts)
	assert.True(t, texts["The mill wheel stands still on Sundays until what time?"], "%v", texts)
}

func TestAFigureIsAskedForWhereItStands(t *testing.T) {
	for said, want := range map[string]string{
		"A bicycle costs £3.50 each way.":          "A bicycle costs how much?",
		"The office opens at 09:00.":               "The office opens at what time?",
		"The office opens 09:00 daily.":            "The office opens at what time?",
		"Lost things are kept for 60 days.":        "Lost things are kept for how long?",
		"The lift is 90 cm wide.":                  "The lift is how wide?",
		"The lift carries up to 300 kg.":           "The lift carries up to how much?",
		"Schools get 30 % off.":                    "Schools get what percentage?",
		"The exhibition is open until 3 May 2027.": "The exhibition is open until which day?",
		"60 days": "",
	} {
		q := text.Quantities(said)
		require.Len(t, q, 1, said)
		assert.Equal(t, want, echo(said, q[0]))
	}
	for s, want := range map[string]string{"7.5.1. Basic fonts": "Basic fonts", "Table 12.1. Typical bashisms": "Typical bashisms", "Chapter 3. Boats": "Boats", "14 days to return": "14 days to return", "Fares": "Fares"} {
		assert.Equal(t, want, named(s))
	}
}

func TestWhatNoQuestionCoversComesFirst(t *testing.T) {
	var ps []Proposal
	for _, d := range []string{"a", "a", "a", "b", "b", "c"} {
		ps = append(ps, Proposal{Document: d})
	}
	Favour(ps, func(d string) bool { return d == "c" })
	order := ""
	for _, p := range ps {
		order += p.Document
	}
	assert.Equal(t, "ababac", order)
}

func TestWhatWasAskedIsExpectedToEndAsItDid(t *testing.T) {
	for outcome, want := range map[answer.Outcome]string{answer.Refused: Refuses, answer.AskedBack: AsksBack, answer.HandedOver: HandsOver, answer.Answered: Cites} {
		q, ok := FromReply(&answer.Trail{Question: " How much? ", Outcome: outcome}, Document{Address: "/fares"})
		require.True(t, ok, outcome)
		q.ID = "x"
		require.NoError(t, q.Check())
		assert.Equal(t, want, q.Expect[0].Kind)
		assert.Equal(t, "How much?", q.Text)
	}
	_, ok := FromReply(&answer.Trail{Question: "Hello", Outcome: answer.Courteous}, Document{})
	assert.False(t, ok)
	_, ok = FromReply(&answer.Trail{Question: "How much?", Outcome: answer.Answered}, Document{})
	assert.False(t, ok, "a reply that cites nothing expects nothing")
}

func TestACellIsAskedForAsPeopleDo(t *testing.T) {
	for _, c := range []struct{ subject, column, row, value, want string }{
		{"Passenger fares", "Adult", "Sandrel", "£7.40", "How much is the adult fare for Sandrel?"},
		{"Hire", "Per day", "Kayak", "£12.00", "How much is Kayak, per day?"},
		{"Hire", "Price", "Kayak", "£12.00", "What is the price of Kayak?"},
		{"Summer timetable", "Departs", "First boat", "07:10", "When does First boat depart?"},
		{"Summer timetable", "Little Hobb", "First boat", "07:10", "What time is Little Hobb for First boat?"},
		{"The fleet", "Length", "Pellworth", "52 m", "What is the length of Pellworth?"},
		{"The fleet", "Number of life rafts", "Pellworth", "8", "What is the number of life rafts for Pellworth?"},
	} {
		assert.Equal(t, c.want, cellAsked(c.subject, c.column, c.row, c.value))
	}
}
