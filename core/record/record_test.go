package record

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"

	"jolvex/core/doc"
	"jolvex/core/text"
)

// page makes a document of a title, headings and short bodies.
func page(title string, add func(b *doc.Builder)) *doc.Document {
	var b doc.Builder
	b.Add(doc.Block{Kind: doc.Heading, Level: 1}, title)
	add(&b)
	d := b.Document()
	d.Title = title
	return d
}

func heading(b *doc.Builder, level int, s string) {
	b.Add(doc.Block{Kind: doc.Heading, Level: level}, s)
}
func para(b *doc.Builder, s string) { b.Add(doc.Block{Kind: doc.Paragraph}, s) }

func office(town, phone, parking, cards, sunday string) *doc.Document {
	return page(town+" office", func(b *doc.Builder) {
		para(b, "The office stands beside the station.")
		for _, x := range [][2]string{{"Address", "Mill Road, " + town}, {"Telephone", phone}, {"Parking spaces", parking}, {"Cards accepted", cards}} {
			heading(b, 2, x[0])
			para(b, x[1])
		}
		heading(b, 2, "Opening hours")
		b.AddTable(doc.Place{}, "", []string{"Day", "Hours"}, [][]string{{"Monday", "08:00 to 17:00"}, {"Saturday", "09:00 to 12:00"}, {"Sunday", sunday}})
	})
}

func library() []*doc.Document {
	return []*doc.Document{
		page("Tools", func(b *doc.Builder) {
			heading(b, 2, "Drills")
			b.AddTable(doc.Place{}, "", []string{"Model", "Per day", "Per week", "Deposit", "Weight"}, [][]string{{"Borra 200", "£30", "£110", "£90", "18 kg"}, {"Borra 400", "£22", "£160", "£120", "9 kg"}})
			heading(b, 2, "Saws")
			b.AddTable(doc.Place{}, "", []string{"Model", "Per day", "Per week", "Deposit", "Weight"}, [][]string{{"Senta 10", "£18", "£70", "£40", "7 kg"}, {"Senta 20", "£41", "£150", "£200", "31 kg"}})
		}),
		page("Tools 2019", func(b *doc.Builder) {
			para(b, "These prices were valid until 31 December 2019.")
			heading(b, 2, "Drills")
			b.AddTable(doc.Place{}, "", []string{"Model", "Per day"}, [][]string{{"Borra 200", "£13"}, {"Borra 400", "£12"}})
		}),
		office("Hornby", "01632 960001", "14", "yes", "10:00 to 14:00"),
		office("Quill", "01632 960002", "6", "no", "closed"),
		page("Delivery", func(b *doc.Builder) {
			b.AddTable(doc.Place{}, "", []string{"Distance from the office", "Charge"}, [][]string{{"Up to 5 miles", "£20"}, {"6 to 15 miles", "£15"}, {"16 to 50 miles", "£40"}})
		}),
		page("Pool", func(b *doc.Builder) {
			heading(b, 2, "Summer (May to September)")
			b.AddTable(doc.Place{}, "", []string{"Ticket", "Adult", "Child"}, [][]string{{"Single swim", "£6", "£3"}, {"Ten swims", "£50", "£25"}})
			heading(b, 2, "Winter (October to April)")
			b.AddTable(doc.Place{}, "", []string{"Ticket", "Adult", "Child"}, [][]string{{"Single swim", "£5", "£2"}, {"Ten swims", "£40", "£20"}})
			heading(b, 2, "Hours")
			b.Add(doc.Block{Kind: doc.Item, Level: 1}, "Monday to Friday: 06:30 to 21:00")
			b.Add(doc.Block{Kind: doc.Item, Level: 1}, "Sunday: 09:00 to 17:00")
		}),
		page("Rooms", func(b *doc.Builder) {
			b.AddTable(doc.Place{}, "", []string{"Capacity", "Equipment", "Floor", "Name", "Wheelchair access"}, [][]string{{"16", "whiteboard", "ground", "Oak Room", "yes"}, {"120", "whiteboard, projector", "first", "Elm Room", "yes"}, {"96", "whiteboard", "second", "Ash Room", "no"}})
		}),
	}
}

func put(question string, wants ...text.QuantityKind) string {
	var all []Record
	known := map[string]bool{}
	for i, d := range library() {
		for s := range text.Stems(d.Text) {
			known[s] = true
		}
		for _, r := range Of(d) {
			r.Source = i
			all = append(all, r)
		}
	}
	a, ok := Ask(Asked{Text: question, Wants: wants, AsOf: "2026-11-29", Known: func(s string) bool { return known[s] }}, all)
	if !ok {
		return ""
	}
	out := ""
	for i, s := range a.Say() {
		if i > 0 {
			out += " "
		}
		out += s.Text
	}
	return out
}

// What a person who knows the tables would answer. (Common practice, no published source.)
func TestQuestionsAreExecuted(t *testing.T) {
	for _, c := range []struct {
		question string
		wants    []text.QuantityKind
		want     string
	}{
		{"How much is the Borra 200 per day?", []text.QuantityKind{text.Money}, "Borra 200 – £30 per day."},
		{"What did the Borra 200 cost per day in 2019?", []text.QuantityKind{text.Money}, "Tools 2019, Drills, Borra 200 – £13 per day."},
		{"How heavy is the Senta 20?", []text.QuantityKind{text.Weight}, "Senta 20 – Weight: 31 kg."},
		{"What is the deposit for the Borra 400?", nil, "Borra 400 – Deposit: £120."},
		{"Which drill is the cheapest per day?", nil, "Borra 400 – £22 per day."},
		{"What is the heaviest tool?", nil, "Senta 20 – Weight: 31 kg."},
		{"Which tools weigh less than 10 kg?", []text.QuantityKind{text.Weight}, "Borra 400 – Weight: 9 kg. Senta 10 – Weight: 7 kg."},
		{"Which drills do you have?", nil, "Borra 200. Borra 400."},
		{"Is the Senta 10 or the Senta 20 cheaper per day?", nil, "Senta 10 (cheaper) – £18 per day. Senta 20 – £41 per day."},
		{"Which model costs £160 per week?", nil, "Borra 400 – £160 per week."},
		{"What is the telephone number of the Quill office?", []text.QuantityKind{text.Phone}, "Quill office – Telephone: 01632 960002."},
		{"Can I pay by card at Quill?", nil, "No. Quill office – Cards accepted: no."},
		{"When is the Hornby office open on Saturdays?", []text.QuantityKind{text.Clock}, "Hornby office, Opening hours, Saturday – Hours: 09:00 to 12:00."},
		{"Which offices are open on Sundays?", nil, "Hornby office, Opening hours, Sunday – Hours: 10:00 to 14:00."},
		{"Which office has the most parking spaces?", nil, "Hornby office – Parking spaces: 14."},
		{"What does delivery cost for 12 miles?", []text.QuantityKind{text.Money}, "Delivery, 6 to 15 miles – Charge: £15."},
		{"How much do you charge to deliver 40 miles away?", []text.QuantityKind{text.Money}, "Delivery, 16 to 50 miles – Charge: £40."},
		{"What does a single swim cost for a child in July?", []text.QuantityKind{text.Money}, "Pool, Summer (May to September), Single swim – Child: £3."},
		{"How much is a single swim for an adult?", []text.QuantityKind{text.Money}, "Summer (May to September), Single swim – Adult: £6. Winter (October to April), Single swim – Adult: £5."},
		{"When is the pool open on Wednesday?", []text.QuantityKind{text.Clock}, "Pool, Hours, Monday to Friday – Hours: 06:30 to 21:00."},
		{"Which rooms have a projector?", nil, "Elm Room – Equipment: whiteboard, projector."},
		{"How many people fit into the Oak Room?", []text.QuantityKind{text.Number}, "Oak Room – Capacity: 16."},
		{"Is there wheelchair access to the Ash Room?", nil, "No. Ash Room – Wheelchair access: no."},
		{"Which room is the largest?", nil, "Elm Room – Capacity: 120."},
		{"How many rooms are there on the ground floor?", []text.QuantityKind{text.Number}, "1: Oak Room – Floor: ground."},
		{"Which tools weigh less than 2 kg?", []text.QuantityKind{text.Weight}, "None of the 4 that are listed. The nearest is Senta 10 – Weight: 7 kg."},
		{"Which drills cost more than £50 per day?", []text.QuantityKind{text.Money}, "None of the 2 that are listed. The nearest is Borra 200 – £30 per day."},
		{"What is the mail address of the Quill office?", []text.QuantityKind{text.Mail}, ""},
		// What no record explains has no answer here.
		{"How much is the Borra 900 per day?", []text.QuantityKind{text.Money}, ""},
		{"What is the noise level of the Borra 200?", nil, ""},
		{"When is the Mumford office open?", []text.QuantityKind{text.Clock}, ""},
		{"Who manages the Quill office?", nil, ""},
		{"What does delivery to France cost?", []text.QuantityKind{text.Money}, ""},
		{"Is there a piano in the Oak Room?", nil, ""},
	} {
		assert.Equal(t, c.want, put(c.question, c.wants...), c.question)
	}
}

func TestWhatIsPast(t *testing.T) {
	for _, c := range []struct {
		until string
		scope []string
		day   string
		past  bool
	}{
		{"2026-05-31", nil, "2026-06-01T08:00:00Z", true},
		{"2026-06-01", nil, "2026-06-01T08:00:00Z", false}, // its last day
		{"", []string{"Prices 2024"}, "2026-06-01", true},
		{"", []string{"Season 2026 to 2027"}, "2027-02-01", false},
		{"", []string{"Prices"}, "2026-06-01", false},
		{"2026-05-31", nil, "", false},
	} {
		assert.Equal(t, c.past, Past(c.until, c.scope, c.day), "%+v", c)
	}
}

// What is too long for a question over records, or no record at all, is left to prose.
func TestWhatRecordsDoNotAnswer(t *testing.T) {
	for _, q := range []string{"", "???", "How much?", strings.Repeat("Borra 200 price per day and week ", 100)} {
		assert.Empty(t, put(q), q)
	}
	boats := page("Departures", func(b *doc.Builder) {
		b.AddTable(doc.Place{}, "", []string{"To", "Boat", "Leaves"}, [][]string{{"Sandrel", "Pellworth", "08:30"}, {"Little Hobb", "Skerrowe", "09:00"}})
	})
	for _, q := range []string{"How long is the Skerrowe?", "Who built the Skerrowe?"} { // its name in another column is no answer
		a, ok := Ask(Asked{Text: q, Known: func(string) bool { return true }}, Of(boats))
		assert.False(t, ok, "%s: %v", q, a)
	}
	_, ok := Ask(Asked{Text: "How much is it?"}, nil)
	assert.False(t, ok)
	rows := make([][]string, mostRows+1)
	for i := range rows {
		rows[i] = []string{"Name", "£1"}
	}
	big := page("Register", func(b *doc.Builder) { b.AddTable(doc.Place{}, "", []string{"Item", "Price"}, rows) })
	assert.Empty(t, Of(big), "part of a table would give wrong answers")
}
