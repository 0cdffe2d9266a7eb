package prove

import (
	"testing"

	"jolvex/core/answer"
	"jolvex/core/doc"
	"jolvex/core/questions"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// shop is a page with a table of hours, a list, steps and two sections that give the same figure. Made up for these tests.
func shop() *doc.Document {
	var b doc.Builder
	b.Doc().Title = "The shop"
	b.Add(doc.Block{Kind: doc.Heading, Level: 2}, "Opening hours")
	b.AddTable(doc.Place{}, "Hours", []string{"Day", "Opens", "Closes"}, [][]string{
		{"Monday to Friday", "08:00", "18:00"}, {"Sunday", "10:00", "16:00"}, {"Public holidays", "11:00", "16:00"},
	})
	b.Add(doc.Block{Kind: doc.Heading, Level: 2}, "Mixers")
	b.AddTable(doc.Place{}, "Mixers for hire", []string{"Mixer", "A day"}, [][]string{{"Alva 10", "£40"}, {"Brunt 20", "£55"}})
	b.AddTable(doc.Place{}, "What they weigh", []string{"Mixer", "Weight"}, [][]string{{"Alva 10", "14 kg"}, {"Brunt 20", "21 kg"}})
	b.AddTable(doc.Place{}, "Courses", []string{"Course", "Held in", "Places"}, [][]string{{"Walling", "Upper Hall", "12"}})
	b.AddTable(doc.Place{}, "Rooms", []string{"Room", "Places"}, [][]string{{"Upper Hall", "30"}})
	b.Add(doc.Block{Kind: doc.Heading, Level: 2}, "What you may bring")
	b.Add(doc.Block{Kind: doc.Paragraph}, "You may bring:")
	b.Add(doc.Block{Kind: doc.Item, Level: 1}, "a bicycle")
	b.Add(doc.Block{Kind: doc.Item, Level: 1}, "a pushchair")
	b.Add(doc.Block{Kind: doc.Paragraph}, "Every dog is welcome except a mastiff. Kayaks are not taken.")
	b.Add(doc.Block{Kind: doc.Heading, Level: 2}, "Returning a mixer late")
	b.Add(doc.Block{Kind: doc.Paragraph}, "A mixer that is returned late costs £25 more.")
	b.Add(doc.Block{Kind: doc.Heading, Level: 2}, "Parking at the yard")
	b.Add(doc.Block{Kind: doc.Paragraph}, "A lorry left overnight costs £25. It holds eight lorries [3]. A second one costs £8 more.")
	for _, branch := range []string{"Quay branch", "Hill branch"} {
		b.Add(doc.Block{Kind: doc.Heading, Level: 2}, branch)
		b.AddTable(doc.Place{}, "", []string{"Open on", "Hours"}, [][]string{{branch[:1] + " Saturday", "07:00 to 12:00"}})
	}
	return b.Document()
}

// saidAt is a reply of the sentences or rows of the shop's page in which some words stand.
func saidAt(t *testing.T, words ...string) Seen {
	t.Helper()
	d := shop()
	require.NoError(t, d.Check())
	whole := doc.Span{End: len(d.Text)}
	s := Seen{Trail: &answer.Trail{Outcome: answer.Answered, Candidates: []answer.Candidate{{Document: "shop", Version: "v", Span: whole, Kept: true}}}, Documents: []questions.Document{{Address: "http://x/shop"}}, Bodies: []*doc.Document{d}}
	for _, w := range words {
		found := false
		for _, p := range placesIn("v", d, whole) {
			if ok, _ := questions.Says(p.text, []string{w}); ok && !found {
				found = true
				s.Trail.Reply = append(s.Trail.Reply, answer.Sentence{Text: p.text, Candidate: 0, Version: "v", Span: p.span})
			}
		}
		require.True(t, found, w)
	}
	return s
}

func TestAFactMustBeSaidOfTheThingAsked(t *testing.T) {
	for name, c := range map[string]struct {
		question, reply string
		want            questions.Expectation
		accident        bool
	}{
		"the line on public holidays":         {"When does the shop close on Sunday?", "Public holidays", figure("16:00"), true},
		"the line that was asked for":         {"When does the shop close on Sunday?", "Sunday", figure("16:00"), false},
		"a range holds the day":               {"When does the shop open on a Tuesday?", "Monday to Friday", figure("08:00"), false},
		"another day":                         {"When does the shop open on Saturday?", "Sunday", figure("10:00"), true},
		"an ordinary day for a holiday":       {"When does it close on public holidays?", "Sunday", figure("16:00"), true},
		"no day is asked for":                 {"When does the shop close?", "Sunday", figure("16:00"), false},
		"another row":                         {"What does the Brunt 20 cost a day?", "Alva 10", figure("£40"), true},
		"the row":                             {"What does the Alva 10 cost a day?", "Alva 10", figure("£40"), false},
		"named to be left out":                {"Which dogs may I bring?", "mastiff", mention("mastiff"), true},
		"said not to be so":                   {"What can I take along?", "Kayaks", mention("Kayaks"), true},
		"the question names it itself":        {"Are kayaks taken?", "Kayaks", mention("kayaks"), false},
		"the question denies":                 {"What is not taken?", "Kayaks", mention("kayaks"), false},
		"what is expected denies":             {"What can I take along?", "Kayaks", mention("Kayaks are not taken"), false},
		"the hours of another branch":         {"When does the Hill branch open on Saturday?", "Q Saturday", figure("07:00"), true},
		"the hours of the branch":             {"When does the Hill branch open on Saturday?", "H Saturday", figure("07:00"), false},
		"its price, where its weight was":     {"Which mixers weigh less than 15 kg?", "Alva 10 | £40", mention("Alva 10"), true},
		"its weight":                          {"Which mixers weigh less than 15 kg?", "Alva 10 | 14 kg", mention("Alva 10"), false},
		"a course in the room":                {"Which is the largest room?", "Walling", mention("Upper Hall"), true},
		"the room":                            {"Which is the largest room?", "Upper Hall | 30", mention("Upper Hall"), false},
		"where the course is":                 {"Where is the walling course held?", "Walling", mention("Upper Hall"), false},
		"the mark of a note":                  {"How many lorries does the yard hold?", "eight lorries", mention("3"), true},
		"a price for a count":                 {"How many lorries does the yard hold?", "second one", mention("8"), true},
		"the price itself":                    {"What does a second lorry cost?", "second one", mention("8"), false},
		"the same figure of something else":   {"What is the charge when a mixer is returned late?", "lorry", figure("£25"), true},
		"the figure of what was asked":        {"What is the charge when a mixer is returned late?", "returned late", figure("£25"), false},
		"put in other words than the source":  {"What is the fine for bringing the machine back after the time?", "returned late", figure("£25"), false},
		"other words, and no other place has": {"How much for the smaller one?", "Alva 10", figure("£40"), false},
	} {
		t.Run(name, func(t *testing.T) {
			v := Judge(questions.Question{ID: "q", Text: c.question, Expect: []questions.Expectation{c.want}}, saidAt(t, c.reply))
			require.Len(t, v.Findings, 1)
			assert.Equal(t, c.accident, v.Findings[0].Accident, v.Findings[0].Note)
			assert.Equal(t, !c.accident, v.Passed, v.Findings[0].Note)
			assert.Equal(t, c.accident, v.Accident)
		})
	}
}

func mention(ws ...string) questions.Expectation {
	return questions.Expectation{Kind: questions.Mentions, Values: ws}
}

func figure(f string) questions.Expectation {
	return questions.Expectation{Kind: questions.Gives, Values: []string{f}}
}

func TestAnAccidentIsCountedApart(t *testing.T) {
	q := questions.Question{ID: "q", Text: "When does the shop close on Sunday?", Tags: []string{"hours"}, Expect: []questions.Expectation{figure("16:00")}}
	off, on := Judge(q, saidAt(t, "Public holidays")), Judge(q, saidAt(t, "Sunday"))
	wrong := Judge(questions.Question{ID: "w", Text: q.Text, Expect: []questions.Expectation{figure("16:00"), mention("noon")}}, saidAt(t, "Public holidays"))
	assert.False(t, wrong.Accident, "something is missing besides")
	other := q
	other.ID = "r"
	s := Summarise([]Judged{{Question: q, Verdict: off}, {Question: other, Verdict: on}})
	assert.Equal(t, 1, s.Accidents)
	assert.Equal(t, 1, s.Passed.Hits)
	assert.Equal(t, 1, s.Facts.Hits, "what is said by accident is not found")
	require.Len(t, s.Tags, 1)
	assert.Equal(t, 1, s.Tags[0].Accident.Hits)
	assert.Equal(t, 2, s.Tags[0].Accident.Of)
	v, err := Floor{What: "accident"}.Value(s)
	require.NoError(t, err)
	assert.InDelta(t, 0.5, v, 1e-9)
	c := CompareRuns([]Judged{{Question: q, Verdict: off}}, []Judged{{Question: q, Verdict: on}})
	var keys []string
	for _, m := range c.Measures {
		keys = append(keys, m.Key)
	}
	assert.Subset(t, keys, []string{"accident", "pointed", "words"})
}

func TestSentencesToThePoint(t *testing.T) {
	for name, c := range map[string]struct {
		reply       []string
		want        []questions.Expectation
		pointed, of int
	}{
		"the fact and something beside it":   {[]string{"returned late", "lorry"}, []questions.Expectation{mention("mixer")}, 1, 2},
		"one item speaks for its list":       {[]string{"You may bring", "a bicycle", "a pushchair", "lorry"}, []questions.Expectation{mention("bicycle")}, 3, 4},
		"rows beside the row are not wanted": {[]string{"Sunday", "Public holidays"}, []questions.Expectation{mention("Sunday")}, 1, 2},
		"nothing of it":                      {[]string{"lorry"}, []questions.Expectation{mention("mixer")}, 0, 1},
		"a passage that was to be found":     {[]string{"lorry", "returned late"}, []questions.Expectation{{Kind: questions.Reaches, Values: []string{"lorry left overnight"}, Document: "/shop"}}, 1, 2},
		"nothing that a sentence can carry":  {[]string{"lorry"}, []questions.Expectation{{Kind: questions.Cites, Values: []string{"/shop"}}}, 0, 0},
	} {
		t.Run(name, func(t *testing.T) {
			x := Judge(questions.Question{ID: "q", Text: "What of it?", Expect: c.want}, saidAt(t, c.reply...)).Scores
			assert.Equal(t, c.pointed, x.Pointed)
			assert.Equal(t, c.of, x.PointedOf)
			assert.Positive(t, x.Words)
		})
	}
}
