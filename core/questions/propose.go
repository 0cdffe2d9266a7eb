package questions

import (
	"fmt"
	"slices"
	"sort"
	"strings"
	"unicode"
	"unicode/utf8"

	"jolvex/core/answer"
	"jolvex/core/doc"
	"jolvex/core/query"
	"jolvex/core/text"
)

// The kinds of proposal.
const (
	FromPair       = "question and answer" // a heading that asks, and what stands under it
	FromTable      = "table"
	FromDefinition = "definition"
	FromFigure     = "figure in text"
	FromHeading    = "heading"
	FromTalk       = "conversation" // something that was asked
)

// Proposal is a question that a document answers, for a person to accept, edit or drop.
type Proposal struct {
	Question Question `json:"question"`
	Kind     string   `json:"kind" enum:"question and answer,table,definition,figure in text,heading,conversation"`
	Document string   `json:"document" doc:"Id"`
	Version  string   `json:"version"`
	Address  string   `json:"address"`
	Title    string   `json:"title"`
	Span     doc.Span `json:"span" doc:"Where the answer stands"`
	Answer   string   `json:"answer" doc:"What stands there"`
}

// Limits of what is proposed from one document.
const (
	mostOfKind  = 8
	mostOfTable = 3 // rows of one table
)

// Propose reads a document for questions that it answers: those that it asks itself, cells of tables, definitions, figures in its
// sentences, and its headings. What is proposed can be answered by what stands at its span, and expects that.
func Propose(about Document, d *doc.Document) []Proposal {
	p := &proposer{about: about, d: d, kinds: map[string]int{}, asked: map[string]bool{}}
	p.title()
	for i, b := range d.Blocks {
		switch b.Kind {
		case doc.Heading:
			p.heading(i)
		case doc.Table:
			p.table(i, b)
		case doc.Paragraph, doc.Item:
			p.sentences(i, b)
		}
	}
	return p.out
}

type proposer struct {
	about Document
	d     *doc.Document
	kinds map[string]int
	asked map[string]bool
	out   []Proposal
}

func (p *proposer) add(kind, question string, span doc.Span, expect ...Expectation) {
	question = strings.TrimSpace(question)
	key := strings.ToLower(question)
	if p.kinds[kind] >= mostOfKind || p.asked[key] || kind != FromPair && len(text.Content(question)) == 0 || len(question) > 300 {
		return
	}
	expect = append(expect, Expectation{Kind: Cites, Values: []string{p.about.Address}})
	q := Question{ID: p.about.Address + " " + fmt.Sprint(len(p.out)+1), Text: question, Tags: []string{"proposed"}, Expect: expect}
	if q.Check() != nil {
		return
	}
	p.kinds[kind]++
	p.asked[key] = true
	p.out = append(p.out, Proposal{Question: q, Kind: kind, Span: span, Answer: doc.Fold(p.d.Of(span)), Address: p.about.Address, Title: p.about.Title})
}

// title proposes a title that asks: questions that are kept with their answers have one.
func (p *proposer) title() {
	if !strings.HasSuffix(p.d.Title, "?") {
		return
	}
	for _, b := range p.d.Blocks {
		if b.Kind == doc.Paragraph || b.Kind == doc.Item {
			if first, ok := p.firstSentence(b.Span); ok {
				p.add(FromPair, p.d.Title, first, p.reaches(first))
			}
			return
		}
	}
}

// heading proposes a heading that asks, or one with a paragraph under it.
func (p *proposer) heading(i int) {
	b := p.d.Blocks[i]
	h := named(doc.Fold(p.d.Of(b.Span)))
	if i+1 >= len(p.d.Blocks) {
		return
	}
	next := p.d.Blocks[i+1]
	if next.Kind != doc.Paragraph && next.Kind != doc.Item {
		return
	}
	first, ok := p.firstSentence(next.Span)
	if !ok {
		return
	}
	switch words := len(text.Content(h)); {
	case strings.HasSuffix(h, "?"):
		p.add(FromPair, h, first, p.reaches(first))
	case words >= 1 && words <= 6 && !strings.EqualFold(h, p.d.Title):
		subject := h
		if words < 2 && p.d.Title != "" && h != "" {
			subject = named(p.d.Title) + " " + strings.ToLower(h[:1]) + h[1:]
		}
		p.add(FromHeading, subject, first, p.reaches(first))
	}
}

func (p *proposer) firstSentence(s doc.Span) (doc.Span, bool) {
	for _, x := range text.Sentences(p.d.Of(s)) {
		out := doc.Span{Start: s.Start + x.Start, End: s.Start + x.End}
		if len(text.Content(p.d.Of(out))) >= 3 {
			return out, true
		}
	}
	return doc.Span{}, false
}

// reaches expects the beginning of a sentence to be found.
func (p *proposer) reaches(s doc.Span) Expectation {
	ws := text.Words(p.d.Of(s))
	last := ws[min(len(ws), 10)-1]
	return Expectation{Kind: Reaches, Document: p.about.Address, Values: []string{p.d.Text[s.Start : s.Start+last.End]}}
}

// table proposes cells: the row by its first cell, the column by its header.
func (p *proposer) table(i int, b doc.Block) {
	g := b.Grid
	if g == nil || len(g.Header) < 2 {
		return
	}
	subject := g.Caption
	if path := p.d.Path(i); subject == "" && len(path) > 0 {
		subject = path[len(path)-1]
	}
	if subject == "" {
		subject = p.d.Title
	}
	subject = named(subject)
	step := max(1, len(g.Rows)/mostOfTable)
	for r := 0; r < len(g.Rows); r += step {
		row := g.Rows[r]
		c := 1 + (r/step)%(len(g.Header)-1) // another column each time
		if len(row.Cells) <= c || row.Cells[0].Text == "" || row.Cells[c].Text == "" || g.Header[c] == "" {
			continue
		}
		value := strings.TrimSpace(row.Cells[c].Text)
		e := Expectation{Kind: Mentions, Values: []string{value}}
		if len(text.Quantities(value)) == 1 {
			e.Kind = Gives
		} else if len(text.Words(value)) == 0 || len(text.Words(value)) > 8 {
			continue
		}
		ask := cellAsked(subject, g.Header[c], row.Cells[0].Text, value)
		if p.alike(g) > 1 { // the same rows stand in several tables: which one is meant?
			ask = strings.TrimSuffix(ask, "?") + " (" + lowered(subject) + ")?"
		}
		p.add(FromTable, ask, row.Span, e)
	}
}

// alike counts the tables of the document that have a header.
func (p *proposer) alike(g *doc.Grid) (n int) {
	for _, b := range p.d.Blocks {
		if b.Kind == doc.Table && b.Grid != nil && slices.Equal(b.Grid.Header, g.Header) {
			n++
		}
	}
	return n
}

// cellAsked asks for a cell as people do: a price by what is paid, a time by what happens then, anything else by its column.
func cellAsked(subject, column, row, value string) string {
	column = strings.TrimSpace(column)
	kind := text.QuantityKind("")
	if qs := text.Quantities(value); len(qs) == 1 {
		kind = qs[0].Kind
	}
	ws := text.Words(column)
	switch {
	case kind == text.Money && len(ws) > 0 && pricedAs[ws[len(ws)-1].Norm] == "":
		for _, w := range text.Words(subject) {
			if noun := pricedAs[w.Norm]; noun != "" {
				return fmt.Sprintf("How much is the %s %s for %s?", lowered(column), noun, row)
			}
		}
		return fmt.Sprintf("How much is %s, %s?", row, lowered(column))
	case kind == text.Clock && len(ws) == 1 && happensAt[ws[0].Norm] != "":
		return fmt.Sprintf("When does %s %s?", row, happensAt[ws[0].Norm])
	case kind == text.Clock:
		return fmt.Sprintf("What time is %s for %s?", lowered(column), row)
	case len(ws) <= 2:
		return fmt.Sprintf("What is the %s of %s?", lowered(column), row)
	}
	return fmt.Sprintf("What is the %s for %s?", lowered(column), row)
}

// pairs reads a list whose entries are two words each.
func pairs(entries []string) map[string]string {
	out := map[string]string{}
	for _, e := range entries {
		k, v, _ := strings.Cut(e, " ")
		out[k] = v
	}
	return out
}

// asksFor is how the owner of an address is asked for; %s is it. asksIn are the words that take the place of a figure where it stands, so that the
// sentence asks for it as people do: "A bicycle costs how much?"
var (
	asksFor = map[text.QuantityKind]string{text.Phone: "What is the telephone number for %s?", text.Mail: "What is the mail address for %s?"}
	asksIn  = map[text.QuantityKind][]string{
		text.Money: en.List("ask-money"), text.Clock: en.List("ask-clock"), text.Date: en.List("ask-date"), text.Duration: en.List("ask-duration"),
		text.Measure: en.List("ask-measure"), text.Percent: en.List("ask-percent"),
	}
	numbered      = en.Pattern("section-number")
	endsForFigure = en.Pattern("ends-for-figure")
	measuredAs    = en.Set("measured-as")
	pricedAs      = pairs(en.List("priced-as"))
	happensAt     = pairs(en.List("happens-at"))
)

// lowered is the name of a column inside a sentence; what is written in capitals or begins a name of several words stays.
func lowered(s string) string {
	if len(s) < 2 || strings.ToUpper(s) == s || strings.Contains(s, " ") && strings.ToLower(s[1:]) != s[1:] {
		return s
	}
	r, n := utf8.DecodeRuneInString(s)
	return string(unicode.ToLower(r)) + s[n:]
}

// named is a heading or caption without its number.
func named(s string) string { return strings.TrimSpace(numbered.ReplaceAllString(s, "")) }

// echo is a sentence that asks for the figure in it, up to the figure; "" where it cannot.
func echo(said string, q text.Quantity) string {
	words := asksIn[q.Kind]
	before := strings.TrimRight(said[:q.Start], " ,.;:(-–—")
	if len(words) == 0 || before == "" {
		return ""
	}
	ask := words[0]
	if _, bare, ok := strings.Cut(ask, " "); ok && (q.Kind == text.Clock || q.Kind == text.Date) && endsForFigure.MatchString(before) {
		ask = bare // "opens at what time", not "opens at at what time"
	}
	if q.Kind == text.Measure {
		if ws := text.Words(said[q.End:]); len(ws) > 0 && measuredAs[ws[0].Norm] {
			ask = "how " + ws[0].Norm
		}
	}
	return before + " " + ask + "?"
}

var leading = en.Pattern("proposal-leading")

// sentences proposes definitions and sentences with one figure.
func (p *proposer) sentences(i int, b doc.Block) {
	if term, _, ok := query.Definition(doc.Fold(p.d.Of(b.Span))); ok && strings.Contains(strings.ToLower(p.d.Title), "glossary") {
		p.add(FromDefinition, "What is meant by "+leading.ReplaceAllString(term, "")+"?", b.Span, p.reaches(b.Span))
		return
	}
	for _, x := range text.Sentences(p.d.Of(b.Span)) {
		s := doc.Span{Start: b.Span.Start + x.Start, End: b.Span.Start + x.End}
		said := doc.Fold(p.d.Of(s))
		qs := text.Quantities(said)
		if len(qs) != 1 || asksFor[qs[0].Kind] == "" && asksIn[qs[0].Kind] == nil || len(text.Content(said)) < 4 || len(said) > 220 {
			continue
		}
		// What the figure is of: the sentence up to the figure, without its verb at the end, or else after it.
		subject := strings.Trim(said[:qs[0].Start], " ,.;:(-–—")
		subject = tail.ReplaceAllString(subject, "")
		if len(text.Content(subject)) < 2 {
			if asksFor[qs[0].Kind] == "" {
				continue // what it is of stands elsewhere: nobody would ask so
			}
			if path := p.d.Path(i); len(path) > 0 {
				subject = named(path[len(path)-1]) + " " + subject
			} else {
				subject = p.d.Title + " " + subject
			}
		}
		subject = strings.TrimSpace(leading.ReplaceAllString(subject, ""))
		if n := len(text.Content(subject)); n == 0 || n > mostOfSubject || noSubject.MatchString(subject) {
			continue
		}
		ask := echo(said, qs[0])
		if form := asksFor[qs[0].Kind]; form != "" {
			ask = fmt.Sprintf(form, subject)
		}
		p.add(FromFigure, ask, s, Expectation{Kind: Gives, Values: []string{said[qs[0].Start:qs[0].End]}})
	}
}

// mostOfSubject is how many content words the subject of a figure may have, for the question to be one that somebody might ask.
const mostOfSubject = 7

// noSubject finds beginnings of sentences that name nothing a figure could be of: orders, conditions, pronouns. (Common practice, no
// published source.)
var noSubject = en.Pattern("proposal-no-subject")

// tail is what a beginning of a sentence may end with that belongs to the figure after it.
var tail = en.Pattern("proposal-tail")

// FromReply makes an expected question of something that was asked, with what was said before it: that it ends as it did, and cites
// what it cited. Whether it ended rightly is for the person to say who takes it. It reports false when a reply expects nothing.
func FromReply(t *answer.Trail, cited Document) (Question, bool) {
	q := Question{Text: strings.TrimSpace(t.Question), Turns: t.Turns, Tags: []string{"asked"}}
	switch t.Outcome {
	case answer.Refused:
		q.Expect = []Expectation{{Kind: Refuses}}
	case answer.AskedBack:
		q.Expect = []Expectation{{Kind: AsksBack}}
	case answer.HandedOver:
		q.Expect = []Expectation{{Kind: HandsOver}}
	case answer.Answered:
		if cited.Address == "" {
			return q, false
		}
		q.Expect = []Expectation{{Kind: Cites, Values: []string{cited.Address}}}
	default:
		return q, false
	}
	return q, q.Text != ""
}

// Favour orders proposals so that documents that no question covers come first, and each gives one before any gives a second.
func Favour(ps []Proposal, covered func(document string) bool) {
	turn := map[string]int{}
	key := make([]int, len(ps))
	for i, p := range ps {
		turn[p.Document]++
		key[i] = turn[p.Document]
		if covered(p.Document) {
			key[i] += 1000
		}
	}
	at := make([]int, len(ps))
	for i := range at {
		at[i] = i
	}
	sort.SliceStable(at, func(a, b int) bool { return key[at[a]] < key[at[b]] })
	sorted := make([]Proposal, len(ps))
	for i, k := range at {
		sorted[i] = ps[k]
	}
	copy(ps, sorted)
}
