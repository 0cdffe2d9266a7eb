package extract

import (
	"encoding/json"
	"fmt"
	"slices"
	"strings"

	"github.com/PuerkitoBio/goquery"
	"golang.org/x/net/html"

	"jolvex/core/doc"
)

// thing is an object of a page's structured data (schema.org, as JSON-LD).
type thing map[string]any

// stated is what structured data state of one thing.
type stated struct {
	title string
	text  string      // running text: an answer, a transcript
	rows  [][2]string // facts, each with its name
}

// Limits on structured data of one page.
const (
	mostThings   = 500
	deepestThing = 12
)

// structuredData reads what schema.org data in JSON-LD say of questions, products, events, places with opening hours and
// films. A page with broken structured data is still a page.
func structuredData(page *goquery.Document) []stated {
	var out []stated
	page.Find(`script[type="application/ld+json"]`).Each(func(_ int, s *goquery.Selection) {
		var v any
		if json.Unmarshal([]byte(s.Text()), &v) != nil {
			return
		}
		eachThing(v, 0, func(t thing) bool {
			more := t.states()
			out = append(out, more...)
			return len(out) < mostThings && len(more) == 0 // what is inside a thing that was read is read with it
		})
	})
	return out
}

// microdata reads what a page states as microdata (W3C HTML Microdata): each item is a thing, as JSON-LD has them.
func microdata(page *goquery.Document) []stated {
	var out []stated
	page.Find("[itemscope]").Each(func(_ int, s *goquery.Selection) {
		if _, part := s.Attr("itemprop"); part || len(out) >= mostThings {
			return // read with the item that it belongs to
		}
		eachThing(map[string]any(itemOfMicrodata(s, 0)), 0, func(t thing) bool {
			more := t.states()
			out = append(out, more...)
			return len(out) < mostThings && len(more) == 0
		})
	})
	return out
}

func itemOfMicrodata(s *goquery.Selection, depth int) thing {
	t := thing{}
	if kinds := strings.Fields(s.AttrOr("itemtype", "")); len(kinds) > 0 {
		t["@type"] = kinds[0]
	}
	if depth > deepestThing {
		return t
	}
	s.Find("[itemprop]").Each(func(_ int, p *goquery.Selection) {
		if p.ParentsFiltered("[itemscope]").First().Get(0) != s.Get(0) {
			return // of an item within
		}
		var v any
		switch _, item := p.Attr("itemscope"); {
		case item:
			v = map[string]any(itemOfMicrodata(p, depth+1))
		case p.Is("meta"):
			v = p.AttrOr("content", "")
		case p.Is("time[datetime], data[value], meter[value]"):
			v = p.AttrOr("datetime", p.AttrOr("value", ""))
		case p.Is("link[href], a[href]") && strings.Contains(p.AttrOr("href", ""), "schema.org/"):
			v = p.AttrOr("href", "")
		case p.AttrOr("content", "") != "":
			v = p.AttrOr("content", "")
		default:
			v = doc.Fold(p.Text())
		}
		for name := range strings.FieldsSeq(p.AttrOr("itemprop", "")) {
			switch have := t[name].(type) {
			case nil:
				t[name] = v
			case []any:
				t[name] = append(have, v)
			default:
				t[name] = []any{have, v}
			}
		}
	})
	return t
}

// eachThing visits all objects of a value; do tells whether to look inside one.
func eachThing(v any, depth int, do func(thing) bool) {
	if depth > deepestThing {
		return
	}
	switch x := v.(type) {
	case []any:
		for _, e := range x {
			eachThing(e, depth+1, do)
		}
	case map[string]any:
		if !do(x) {
			return
		}
		for _, k := range sortedNames(x) {
			eachThing(x[k], depth+1, do)
		}
	}
}

func sortedNames(m map[string]any) []string {
	out := make([]string, 0, len(m))
	for k := range m {
		out = append(out, k)
	}
	slices.Sort(out)
	return out
}

// is reports whether the thing is of one of the types.
func (t thing) is(types ...string) bool {
	for _, have := range list(t["@type"]) {
		if s, ok := have.(string); ok && slices.Contains(types, strings.TrimPrefix(strings.TrimPrefix(s, "http://schema.org/"), "https://schema.org/")) {
			return true
		}
	}
	return false
}

// list gives a value as a list: one value is a list of one, none of none.
func list(v any) []any {
	switch x := v.(type) {
	case nil:
		return nil
	case []any:
		return x
	}
	return []any{v}
}

// word is a value as text: of a thing, its name or value; of several, all of them.
func word(v any) string {
	var out []string
	for _, x := range list(v) {
		switch x := x.(type) {
		case string:
			out = append(out, plainHTML(x))
		case float64, bool:
			out = append(out, fmt.Sprint(x))
		case map[string]any:
			for _, k := range []string{"name", "@value", "streetAddress", "addressLocality", "text"} {
				if s := word(x[k]); s != "" {
					out = append(out, s)
				}
			}
		}
	}
	return strings.Join(out, ", ")
}

// plainHTML is a value that may hold tags, as text.
func plainHTML(s string) string {
	if strings.ContainsAny(s, "<&") {
		if n, err := html.Parse(strings.NewReader(s)); err == nil {
			s = rawText(n)
		}
	}
	return doc.Fold(s)
}

// states is what a thing states; nothing for one of a kind that is not read.
func (t thing) states() []stated {
	switch {
	case t.is("FAQPage", "QAPage"):
		var out []stated
		for _, q := range list(t["mainEntity"]) {
			q, ok := q.(map[string]any)
			if !ok {
				continue
			}
			answer := ""
			for _, k := range []string{"acceptedAnswer", "suggestedAnswer"} {
				for _, a := range list(q[k]) {
					if a, ok := a.(map[string]any); ok && answer == "" {
						answer = word(a["text"])
					}
				}
			}
			if name := word(q["name"]); name != "" && answer != "" {
				out = append(out, stated{title: name, text: answer})
			}
		}
		return out
	case t.is("Product", "Service", "Offer"):
		s := stated{title: word(t["name"])}
		s.add("Brand", word(t["brand"]))
		s.add("Article number", word(t["sku"]))
		for _, o := range list(t["offers"]) {
			if o, ok := o.(map[string]any); ok {
				s.offer(o)
			}
		}
		if t.is("Offer") {
			s.offer(t)
		}
		return s.unlessEmpty()
	case t.is("Event", "BusinessEvent", "Festival", "MusicEvent", "SportsEvent", "EducationEvent", "ExhibitionEvent", "SocialEvent"):
		s := stated{title: word(t["name"])}
		s.add("Begins", moments(word(t["startDate"])))
		s.add("Ends", moments(word(t["endDate"])))
		s.add("Place", word(t["location"]))
		for _, o := range list(t["offers"]) {
			if o, ok := o.(map[string]any); ok {
				s.offer(o)
			}
		}
		return s.unlessEmpty()
	case t["openingHours"] != nil || t["openingHoursSpecification"] != nil:
		s := stated{title: word(t["name"])}
		s.hours(t)
		s.add("Telephone", word(t["telephone"]))
		s.add("Mail", strings.TrimPrefix(word(t["email"]), "mailto:"))
		s.add("Address", word(t["address"]))
		return s.unlessEmpty()
	case t.is("VideoObject", "AudioObject"):
		if s := (stated{title: word(t["name"]), text: word(t["transcript"])}); s.text != "" {
			return []stated{s}
		}
	}
	return nil
}

func (s *stated) add(name, value string) {
	if value != "" {
		s.rows = append(s.rows, [2]string{name, value})
	}
}

func (s *stated) unlessEmpty() []stated {
	if len(s.rows) == 0 {
		return nil
	}
	return []stated{*s}
}

var currencies = map[string]string{"GBP": "£", "EUR": "€", "USD": "$"}

func (s *stated) offer(o thing) {
	sign := currencies[word(o["priceCurrency"])]
	price := func(v any) string {
		if p := word(v); p != "" {
			if sign != "" {
				return sign + p
			}
			return strings.TrimSpace(p + " " + word(o["priceCurrency"]))
		}
		return ""
	}
	s.add("Price", price(o["price"]))
	s.add("Price from", price(o["lowPrice"]))
	s.add("Price to", price(o["highPrice"]))
	if a := word(o["availability"]); a != "" {
		s.add("Availability", spaced(a[strings.LastIndexByte(a, '/')+1:]))
	}
}

// spaced writes a name such as InStock as words.
func spaced(s string) string {
	var b strings.Builder
	for i, r := range s {
		if i > 0 && r >= 'A' && r <= 'Z' {
			b.WriteByte(' ')
			r += 'a' - 'A'
		}
		b.WriteRune(r)
	}
	return b.String()
}

// moments writes a moment of ISO 8601 with a space between day and time.
func moments(s string) string {
	if len(s) > 16 && s[10] == 'T' {
		return s[:10] + " " + s[11:16]
	}
	return strings.Replace(s, "T", " ", 1)
}

var weekdays = map[string]string{"Mo": "Monday", "Tu": "Tuesday", "We": "Wednesday", "Th": "Thursday", "Fr": "Friday", "Sa": "Saturday", "Su": "Sunday"}

// hours reads opening hours in both forms of schema.org: "Mo-Fr 09:00-17:00", and specifications.
func (s *stated) hours(t thing) {
	for _, v := range list(t["openingHours"]) {
		days, times, ok := strings.Cut(doc.Fold(word(v)), " ")
		if !ok {
			continue
		}
		for short, long := range weekdays {
			days = strings.ReplaceAll(days, short, long)
		}
		s.add("Open "+strings.NewReplacer("-", " to ", ",", ", ").Replace(days), strings.ReplaceAll(times, "-", " to "))
	}
	for _, v := range list(t["openingHoursSpecification"]) {
		o, ok := v.(map[string]any)
		if !ok {
			continue
		}
		var days []string
		for _, d := range list(o["dayOfWeek"]) {
			name := word(d)
			days = append(days, name[strings.LastIndexByte(name, '/')+1:])
		}
		when := strings.Join(days, ", ")
		if from := word(o["validFrom"]); from != "" {
			when += ", from " + from
		}
		if to := word(o["validThrough"]); to != "" {
			when += ", until " + to
		}
		opens, closes := clockOf(word(o["opens"])), clockOf(word(o["closes"]))
		switch {
		case opens == "" || closes == "":
		case opens == closes:
			s.add("Open "+strings.TrimPrefix(when, ", "), "closed")
		default:
			s.add("Open "+strings.TrimPrefix(when, ", "), opens+" to "+closes)
		}
	}
}

func clockOf(s string) string {
	if len(s) == 8 && s[2] == ':' {
		return s[:5]
	}
	return s
}

// addStructured appends what structured data state and the visible text does not hold already.
func (r *htmlReader) addStructured(all []stated) {
	for _, s := range all {
		seen := doc.Fold(r.b.Peek())
		if s.text != "" && !strings.Contains(seen, s.text) {
			r.b.Add(doc.Block{Kind: doc.Heading, Level: 2}, s.title)
			r.b.Add(doc.Block{Kind: doc.Paragraph}, s.text)
		}
		var rows [][]string
		for _, row := range s.rows {
			if !strings.Contains(seen, row[1]) {
				rows = append(rows, []string{row[0], row[1]})
			}
		}
		if len(rows) > 0 {
			r.b.AddTable(doc.Place{}, s.title, nil, rows)
		}
	}
}
