package questions

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestExpectationsThatExcludeEachOther(t *testing.T) {
	e := func(kind string, values ...string) Expectation { return Expectation{Kind: kind, Values: values} }
	within := func(v string, by float64) Expectation {
		return Expectation{Kind: Gives, Values: []string{v}, Within: by}
	}
	for name, c := range map[string]struct {
		expect []Expectation
		want   string // "" for nothing wrong
	}{
		"a fact and its page":           {[]Expectation{e(Mentions, "a lead"), e(Cites, "/dogs"), e(Short, "20")}, ""},
		"refuses and says":              {[]Expectation{e(Refuses), e(Mentions, "a lead")}, "it refuses, and it says something"},
		"refuses and cites":             {[]Expectation{e(Cites, "/dogs"), e(Refuses)}, "it refuses"},
		"refuses and does not say":      {[]Expectation{e(Refuses), e(NotMentions, "£2")}, ""},
		"two ways to end":               {[]Expectation{e(AsksBack), e(HandsOver)}, "cannot end in two ways"},
		"one way to end, said twice":    {[]Expectation{e(AsksBack), e(AsksBack)}, ""},
		"expected and forbidden":        {[]Expectation{e(Mentions, "on a lead"), e(NotMentions, "a lead")}, "expected and forbidden"},
		"another alternative is left":   {[]Expectation{e(Mentions, "on a lead", "leashed"), e(NotMentions, "a lead")}, ""},
		"a forbidden figure":            {[]Expectation{e(Gives, "£2.00"), e(NotMentions, "£2.00")}, "expected and forbidden"},
		"longer than it may be":         {[]Expectation{e(Mentions, "one two three four"), e(Short, "3")}, "more than 3 words"},
		"two languages":                 {[]Expectation{e(Language, "en"), e(Language, "de")}, "in en and in de"},
		"a language that both allow":    {[]Expectation{e(Language, "en", "de"), e(Language, "de")}, ""},
		"off by more than it is":        {[]Expectation{within("£5", 5)}, "nearly anything would do"},
		"off by a little":               {[]Expectation{within("£5", 0.5), within("09:00", 30)}, ""},
		"a telephone number that is so": {[]Expectation{within("01632 960411", 3)}, "is no amount"},
	} {
		t.Run(name, func(t *testing.T) {
			got := Question{ID: "q", Text: "?", Expect: c.expect}.Conflicts()
			if c.want == "" {
				assert.Empty(t, got)
				return
			}
			require.NotEmpty(t, got)
			assert.Contains(t, strings.Join(got, "; "), c.want)
		})
	}
	q := Question{ID: "q", Text: "?", Expect: []Expectation{e(Refuses)}, Script: []ScriptLine{{Text: "hello"}, {Text: "and?", Expect: []Expectation{e(AsksBack), e(HandsOver)}}}}
	assert.Equal(t, []string{"message 2 of its script: a reply cannot end in two ways: it asks back, and it hands over"}, q.Conflicts())
}

func TestFiguresInOtherWords(t *testing.T) {
	for _, c := range []struct {
		reply, want string
		held        bool
	}{
		{"It is kept for two weeks.", "14 days", true},
		{"It is kept for 14 days.", "two weeks", true},
		{"It is kept for a fortnight.", "14 days", true},
		{"It takes 90 minutes.", "an hour and a half", true},
		{"It is 1.5 km away.", "1,500 m", true},
		{"It is kept for three weeks.", "14 days", false},
		{"There are 14 of them.", "14 days", false},
		{"It costs £14.", "14 days", false},
		{"It takes two months.", "60 days", false},
		{"It takes a year and a half.", "18 months", true},
	} {
		held, note := HoldsFigure(c.reply, Expectation{Kind: Gives, Values: []string{c.want}})
		assert.Equal(t, c.held, held, "%s for %s: %s", c.reply, c.want, note)
	}
}

func TestAWordingIsNotFoundInsideAnAddress(t *testing.T) {
	for _, c := range []struct {
		reply, want string
		said        bool
	}{
		{"Write to hello@ferries.example.", "hello", false},
		{"Write to hello@ferries.example.", "ferries", false},
		{"Write to hello@ferries.example.", "hello@ferries.example", true},
		{"Write to hello@ferries.example.", "ferries.example", true},
		{"See https://x.example/fares/dogs for more.", "dogs", false},
		{"See https://x.example/fares/dogs for more.", "https://x.example/fares/dogs", true},
		{"Hello. Write to lost@ferries.example now.", "hello", true},
		{"Write to a@b.example now.", "to now", false}, // what stands in between is not taken out
	} {
		said, _ := Says(c.reply, []string{c.want})
		assert.Equal(t, c.said, said, "%q in %q", c.want, c.reply)
	}
}
