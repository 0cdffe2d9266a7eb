package prove

import (
	"fmt"
	"maps"
	"math"
	"regexp"
	"slices"
	"strings"
	"unicode"
	"unicode/utf8"

	lru "github.com/hashicorp/golang-lru/v2"

	"jolvex/core/answer"
	"jolvex/core/doc"
	"jolvex/core/lang"
	"jolvex/core/questions"
	"jolvex/core/record"
	"jolvex/core/text"
)

// en is the language whose words are looked for.
var en = lang.English()

// place is a sentence, a list item or a row of a document, with what governs it.
type place struct {
	version string
	span    doc.Span
	text    string
	over    string // title, headings, names of the columns
	row     *doc.Row
	grid    *doc.Grid
	stems   map[string]bool // of the text itself
	above   map[string]bool // of what governs it, one for all places of a block
}

// has reports whether a place, or what governs it, has a word.
func (p *place) has(stem string) bool { return p.stems[stem] || p.above[stem] }

// Reader keeps the places of passages that were read lately: many questions of a run meet the same ones. It is safe for use by several at once.
type Reader struct {
	kept *lru.Cache[passage, []place]
}

type passage struct {
	version string
	span    doc.Span
}

// NewReader makes room for a number of passages.
func NewReader(passages int) (*Reader, error) {
	kept, err := lru.New[passage, []place](passages)
	if err != nil {
		return nil, fmt.Errorf("make room for %d passages: %w", passages, err)
	}
	return &Reader{kept}, nil
}

// places gives the places of a passage, which are only to be read; without a reader they are read anew.
func (r *Reader) places(version string, d *doc.Document, span doc.Span) []place {
	if r == nil {
		return placesIn(version, d, span)
	}
	at := passage{version, span}
	ps, ok := r.kept.Get(at)
	if !ok {
		ps = placesIn(version, d, span)
		r.kept.Add(at, ps)
	}
	return ps
}

// placesIn are the places of a document within a span.
func placesIn(version string, d *doc.Document, span doc.Span) []place {
	var out []place
	for i := max(0, d.BlockAt(span.Start)); i < len(d.Blocks) && d.Blocks[i].Span.Start < span.End; i++ {
		b := d.Blocks[i]
		if b.Kind == doc.Heading || b.Kind == doc.Picture || !b.Span.Overlaps(span) {
			continue
		}
		over := strings.Join(append([]string{d.Title}, d.Path(i)...), ". ")
		if b.Grid != nil {
			over += ". " + b.Grid.Caption + " " + strings.Join(b.Grid.Header, " ")
		}
		above := text.Stems(over)
		add := func(p place) {
			p.version, p.over, p.above, p.text = version, over, above, doc.Fold(d.Of(p.span))
			p.stems = text.Stems(p.text)
			out = append(out, p)
		}
		if b.Grid != nil {
			for r := range b.Grid.Rows {
				if row := &b.Grid.Rows[r]; row.Span.Overlaps(span) {
					add(place{span: row.Span, row: row, grid: b.Grid})
				}
			}
			continue
		}
		for _, s := range text.Sentences(d.Of(b.Span)) {
			if at := (doc.Span{Start: b.Span.Start + s.Start, End: b.Span.Start + s.End}); at.Overlaps(span) {
				add(place{span: at})
			}
		}
	}
	return out
}

// thing is what a question asks about: its content words with their weights, and the days that it names.
type thing struct {
	question string
	stems    map[string]float64
	named    map[string]bool // stems of the names and codes among them
	days     map[int]bool
	apart    bool // it speaks of holidays and the like
	all      []place
	order    []string // the stems in one order: sums of fractions differ by it
	weighed  bool     // all is read, and the words have weights
	seen     Seen
}

var (
	apartDay  = en.Pattern("apart-day")
	exclusion = en.Pattern("exclusion")
	notSo     = en.Pattern("excluded-after")
)

// thingOf reads what a question asks about. A word weighs the more the fewer of the places hold it that were found for the question.
func thingOf(q questions.Question, s Seen) *thing {
	t := &thing{question: q.Text, stems: map[string]float64{}, days: record.Days(q.Text), apart: apartDay.MatchString(q.Text), seen: s}
	if alone := s.Trail.Reading.Alone; alone != "" {
		t.question = alone
	}
	t.named = map[string]bool{}
	for i, w := range text.Words(t.question) {
		if text.Stop(w.Norm) {
			continue
		}
		t.stems[w.Stem] = 0
		if r, _ := utf8.DecodeRuneInString(t.question[w.Start:]); i > 0 && unicode.IsUpper(r) && len(record.Days(w.Norm)) == 0 || strings.ContainsAny(w.Norm, "0123456789") {
			t.named[w.Stem] = true
		}
	}
	return t
}

// weigh reads the places that were found for the question, and gives its words their weights. It is most of the work of a verdict, and done
// when a place does not speak of all that was asked.
func (t *thing) weigh() {
	if t.weighed {
		return
	}
	t.weighed, t.order = true, slices.Sorted(maps.Keys(t.stems))
	for i, d := range t.seen.Bodies {
		if d != nil && i < len(t.seen.Trail.Candidates) {
			t.all = append(t.all, t.seen.Reader.places(t.seen.Trail.Candidates[i].Version, d, t.seen.Trail.Candidates[i].Evidence())...)
		}
	}
	for stem := range t.stems {
		n := 0
		for _, p := range t.all {
			if p.has(stem) {
				n++
			}
		}
		t.stems[stem] = math.Log(float64(len(t.all)+2) / float64(n+1))
	}
}

// whole reports whether a place speaks of everything that the question asks about.
func (t *thing) whole(p *place) bool {
	for s := range t.stems {
		if !p.has(s) {
			return false
		}
	}
	return true
}

// spoken is the share of what a question asks about that a place speaks of, 0 to 1.
func (t *thing) spoken(p *place) float64 {
	held, all := 0.0, 0.0
	for _, s := range t.order {
		w := t.stems[s]
		all += w
		if p.has(s) {
			held += w
		}
	}
	if all == 0 {
		return 1
	}
	return held / all
}

// names reports whether a place speaks of one of the things that the question names; where it names none, every place does.
func (t *thing) names(p *place) bool {
	for s := range t.named {
		if p.has(s) {
			return true
		}
	}
	return len(t.named) == 0
}

// Constants of when a fact is taken to be said of something else. They were set by reading, on the sets of debian-faq, debian-reference,
// maint-guide and perl-doc, what was marked among the replies that passed, and what was not among sentences that hold the same words
// elsewhere: go run ./tools/evaluate -only accident.
const (
	farFrom   = 0.80 // a place that speaks of at most this share of what was asked may be about something else
	farBehind = 0.20 // by how much another place with the same fact must speak of more of it
)

// byAccident reports whether a fact that a reply says is said of something else than what was asked, in each of the sentences that hold it,
// and of what.
func (t *thing) byAccident(e questions.Expectation) (string, bool) {
	why := ""
	for i, x := range t.seen.Trail.Reply {
		if !holdsFact(e, x.Text) {
			continue
		}
		if x.Candidate < 0 || x.Candidate >= len(t.seen.Bodies) || t.seen.Bodies[x.Candidate] == nil {
			return "", false // the assistant's own words, or a settled answer's: a person wrote them for this
		}
		here := t.placeOf(i)
		if here == nil {
			return "", false
		}
		reason, off := t.off(e, x.Text, here)
		if !off {
			return "", false
		}
		why = reason
	}
	return why, why != ""
}

func holdsFact(e questions.Expectation, s string) bool {
	var held bool
	if e.Kind == questions.Gives {
		held, _ = questions.HoldsFigure(s, e)
	} else {
		held, _ = questions.Says(s, e.Values)
	}
	return held
}

// placeOf is the place that a sentence of the reply draws on; nil when there is none. Of a sentence that draws on several, it is all of them.
func (t *thing) placeOf(i int) *place {
	x := t.seen.Trail.Reply[i]
	ps := placesIn(x.Version, t.seen.Bodies[x.Candidate], x.Span)
	if len(ps) == 0 {
		return nil
	}
	out := ps[0]
	if len(ps) > 1 {
		out.row, out.grid = nil, nil
	}
	for _, p := range ps[1:] {
		out.text += " " + p.text
	}
	d := t.seen.Bodies[x.Candidate]
	out.stems = text.Stems(x.Text, out.over, d.Of(sectionAt(d, ps[0].span)))
	return &out
}

// mostSection is how many bytes of the section around a place count as what it is said of.
const mostSection = 1500

// sectionAt is the text around a place under one heading, a row of a table alone.
func sectionAt(d *doc.Document, s doc.Span) doc.Span {
	i := d.BlockAt(s.Start)
	if i < 0 || d.Blocks[i].Grid != nil {
		return s
	}
	out := s
	for k := i; k >= 0 && d.Blocks[k].Kind != doc.Heading && s.Start-d.Blocks[k].Span.Start < mostSection; k-- {
		out.Start = min(out.Start, d.Blocks[k].Span.Start)
	}
	for k := i; k < len(d.Blocks) && d.Blocks[k].Kind != doc.Heading && d.Blocks[k].Span.End-s.End < mostSection; k++ {
		out.End = max(out.End, d.Blocks[k].Span.End)
	}
	return out
}

// off reports whether what stands at a place is said of something else, and of what.
func (t *thing) off(e questions.Expectation, said string, p *place) (string, bool) {
	if e.Kind == questions.Mentions && t.excludes(e, said) {
		return "it is named only to say that it is not so", true
	}
	if why, off := t.otherDay(p); off {
		return why, true
	}
	if why, off := t.otherRow(p); off {
		return why, true
	}
	if why, off := t.otherFigure(e, said); off {
		return why, true
	}
	if why, off := t.otherTable(e, p); off {
		return why, true
	}
	if t.whole(p) {
		return "", false
	}
	t.weigh()
	have, named := t.spoken(p), t.names(p)
	if have > farFrom && named {
		return "", false
	}
	for i := range t.all {
		o := &t.all[i]
		if o.version == p.version && o.span.Overlaps(p.span) {
			continue
		}
		spoken := t.spoken(o)
		further := have <= farFrom && spoken-have >= farBehind || !named && spoken > have && t.names(o)
		if further && (holdsFact(e, o.text) || p.row != nil && !t.subject(e, p) && holdsFact(e, o.over)) {
			return "it is said of something else: “" + clip(p.text) + "”, while “" + clip(o.text) + "” says it of what was asked", true
		}
	}
	return "", false
}

// otherDay reports whether a place speaks of other days than those that the question names.
func (t *thing) otherDay(p *place) (string, bool) {
	if t.apart {
		if n := len(record.Days(p.text)); n > 0 && n < 7 && !apartDay.MatchString(p.text+" "+p.over) {
			return "it is said of an ordinary day: “" + clip(p.text) + "”", true
		}
		return "", false
	}
	if len(t.days) == 0 {
		return "", false
	}
	days := record.Days(p.text + " . " + p.over)
	for d := range t.days {
		if days[d] {
			return "", false
		}
	}
	if m := apartDay.FindString(p.text); m != "" {
		return "it is said of " + strings.ToLower(m), true
	}
	if n := len(record.Days(p.text)); n > 0 && n < 7 {
		return "it is said of another day: “" + clip(p.text) + "”", true
	}
	return "", false
}

// otherRow reports whether a place is a row of a table beside the one that the question names.
func (t *thing) otherRow(p *place) (string, bool) {
	if p.row == nil || len(p.row.Cells) == 0 {
		return "", false
	}
	name := p.row.Cells[0].Text
	named := func(s string) int {
		n := 0
		for stem := range text.Stems(s) {
			if _, ok := t.stems[stem]; ok {
				n++
			}
		}
		return n
	}
	own := named(name)
	for i := range p.grid.Rows {
		r := &p.grid.Rows[i]
		if r.Span == p.row.Span || len(r.Cells) == 0 {
			continue
		}
		if other := r.Cells[0].Text; own == 0 && named(other) > 0 && wholly(other, t.stems) && !wholly(name, t.stems) {
			return "it is said of “" + clip(name) + "”, not of “" + clip(other) + "”", true
		}
	}
	return "", false
}

// otherTable reports whether a place is a row of another table than the one asked about: of the same form, where one like it stands under
// what the question names (the hours of another branch); or where another table with this fact has the column that was asked for or its unit
// (its price, where its weight was), or is about the thing itself (a class held in a room, where the room was asked about).
func (t *thing) otherTable(e questions.Expectation, p *place) (string, bool) {
	if p.row == nil {
		return "", false
	}
	t.weigh()
	named, columns := t.names(p), text.Stems(strings.Join(p.grid.Header, " "), p.grid.Caption)
	for i := range t.all {
		o := &t.all[i]
		if o.row == nil || o.grid == p.grid {
			continue
		}
		if slices.Equal(o.grid.Header, p.grid.Header) {
			if !named && t.names(o) {
				return "it is said of something else of its kind: “" + clip(p.over) + "”", true
			}
			continue
		}
		if !holdsFact(e, o.text) {
			continue
		}
		if t.more(text.Stems(strings.Join(o.grid.Header, " "), o.grid.Caption), columns) && t.spoken(o) > t.spoken(p) ||
			t.subject(e, o) && !t.subject(e, p) || t.measured(o) && !t.measured(p) {
			return "another table than the one asked about says it: “" + clip(p.text) + "”", true
		}
	}
	return "", false
}

// subject reports whether a row is about what was asked: about the fact that is expected, or a thing that the question names.
func (t *thing) subject(e questions.Expectation, p *place) bool {
	if len(p.row.Cells) == 0 {
		return false
	}
	name := p.row.Cells[0].Text
	return holdsFact(e, name) || wholly(name, t.stems)
}

// measured reports whether a row gives a figure of the kind and the unit of one that the question names.
func (t *thing) measured(p *place) bool {
	unit := func(q text.Quantity) string {
		_, unit, ok := q.Base()
		if !ok {
			return ""
		}
		return unit
	}
	asked := text.Quantities(t.question)
	return slices.ContainsFunc(text.Quantities(p.text+" "+strings.Join(p.grid.Header, " ")), func(have text.Quantity) bool {
		return slices.ContainsFunc(asked, func(want text.Quantity) bool {
			return have.Kind == want.Kind && unit(want) != "" && unit(have) == unit(want)
		})
	})
}

// more reports whether words hold all of what was asked that others hold, and something besides.
func (t *thing) more(words, others map[string]bool) bool {
	more := false
	for s := range t.stems {
		if others[s] && !words[s] {
			return false
		}
		more = more || words[s] && !others[s]
	}
	return more
}

// otherFigure reports whether a bare number that is expected stands in a sentence only as the mark of a note or of a list, or as a price
// where a count is asked for.
func (t *thing) otherFigure(e questions.Expectation, said string) (string, bool) {
	if e.Kind != questions.Mentions {
		return "", false
	}
	why := ""
	for _, v := range e.Values {
		if strings.Trim(v, "0123456789") != "" {
			if len(wordings(said, v)) > 0 {
				return "", false
			}
			continue
		}
		for _, at := range wordings(said, v) {
			switch {
			case noteMark.MatchString(said[:at.Start]+"#"+said[at.End:]) || strings.TrimSpace(said[:at.Start]) == "" && listMark.MatchString(said[at.End:]):
				why = "the figure there is only a mark: “" + clip(said) + "”"
			case asksCount.MatchString(t.question) && isPrice(said, at):
				why = "the figure there is a price: “" + clip(said) + "”"
			default:
				return "", false
			}
		}
	}
	return why, why != ""
}

var (
	noteMark  = regexp.MustCompile(`\[\s*#\s*\]`)
	listMark  = regexp.MustCompile(`^\s*[.)]\s*($|\D)`)
	asksCount = en.Pattern("demands-count")
)

// isPrice reports whether a place in a text is within a sum of money.
func isPrice(s string, at doc.Span) bool {
	return slices.ContainsFunc(text.Quantities(s), func(q text.Quantity) bool {
		return q.Kind == text.Money && q.Start <= at.Start && at.End <= q.End
	})
}

// wholly reports whether all content words of a name are asked about.
func wholly(name string, stems map[string]float64) bool {
	ws := text.Content(name)
	return len(ws) > 0 && !slices.ContainsFunc(ws, func(w text.Word) bool {
		_, ok := stems[w.Stem]
		return !ok
	})
}

// excludes reports whether a sentence names a thing only to take it out of what is asked for. A question that denies something itself, and
// one that names the thing, is not answered by naming it.
func (t *thing) excludes(e questions.Expectation, said string) bool {
	if denial.MatchString(t.question) {
		return false
	}
	if asked, _ := questions.Says(t.question, e.Values); asked {
		return false
	}
	named := false
	for _, v := range e.Values {
		if denial.MatchString(v) {
			return false
		}
		for _, at := range wordings(said, v) {
			named = true
			if !exclusion.MatchString(said[:at.Start]) && !notSo.MatchString(said[at.End:]) {
				return false
			}
		}
	}
	return named
}

var denial = en.Pattern("denial")

// wordings finds a wording in a text, whatever its case and punctuation.
func wordings(s, wording string) []doc.Span {
	var parts []string
	for _, w := range text.Words(wording) {
		parts = append(parts, regexp.QuoteMeta(wording[w.Start:w.End]))
	}
	if len(parts) == 0 {
		return nil
	}
	re, err := regexp.Compile(`(?i)` + strings.Join(parts, `[^\p{L}\p{N}]+`))
	if err != nil {
		return nil
	}
	var out []doc.Span
	for _, m := range re.FindAllStringIndex(s, -1) {
		out = append(out, doc.Span{Start: m[0], End: m[1]})
	}
	return out
}

func clip(s string) string {
	s = doc.Fold(s)
	if len(s) <= 120 {
		return s
	}
	cut := strings.LastIndexByte(s[:120], ' ')
	if cut < 60 {
		cut = 120
		for cut > 0 && s[cut]&0xC0 == 0x80 {
			cut--
		}
	}
	return s[:cut] + " …"
}

// toThePoint counts the sentences of a reply from evidence, and those of them that were wanted: that carry an expected fact or passage, or
// belong to the same record, steps or list as one that does. of is 0 where nothing is expected that a sentence could carry.
func toThePoint(q questions.Question, s Seen) (pointed, of int) {
	var wanted []questions.Expectation
	for _, e := range q.Expect {
		if e.Is(questions.Fact) || e.Kind == questions.Reaches {
			wanted = append(wanted, e)
		}
	}
	if len(wanted) == 0 || s.Trail.Outcome != answer.Answered || len(s.Bodies) == 0 {
		return 0, 0
	}
	type run struct {
		version string
		span    doc.Span
	}
	var runs []run // of each sentence: the record, the steps or the list to which it belongs
	var hits []bool
	for _, x := range s.Trail.Reply {
		if x.Candidate < 0 || x.Candidate >= len(s.Bodies) || s.Bodies[x.Candidate] == nil {
			continue
		}
		d := s.Bodies[x.Candidate]
		runs = append(runs, run{x.Version, together(d, x.Span)})
		hit := slices.ContainsFunc(wanted, func(e questions.Expectation) bool {
			return holdsFact(e, x.Text) || e.Kind == questions.Reaches && holdsFact(e, d.Of(x.Span))
		})
		hits = append(hits, hit)
	}
	for i := range runs {
		wanted := hits[i]
		for k := range runs {
			wanted = wanted || hits[k] && runs[k].version == runs[i].version && runs[k].span.Overlaps(runs[i].span)
		}
		if wanted {
			pointed++
		}
	}
	return pointed, len(runs)
}

// together is the span of the record, the steps or the list that a place belongs to, with the line that leads in; of running text, the
// place itself.
func together(d *doc.Document, s doc.Span) doc.Span {
	i := d.BlockAt(s.Start)
	if i < 0 {
		return s
	}
	if b := d.Blocks[i]; b.Grid != nil {
		for _, r := range b.Grid.Rows {
			if r.Span.Overlaps(s) {
				return doc.Span{Start: min(s.Start, r.Span.Start), End: max(s.End, r.Span.End)}
			}
		}
		return s
	}
	item := func(k int) bool { return k >= 0 && k < len(d.Blocks) && d.Blocks[k].Kind == doc.Item }
	leads := func(k int) bool {
		return k >= 0 && d.Blocks[k].Kind == doc.Paragraph && strings.HasSuffix(strings.TrimSpace(d.Of(d.Blocks[k].Span)), ":")
	}
	if !item(i) {
		if !leads(i) || !item(i+1) || s.End < d.Blocks[i].Span.End-1 {
			return s
		}
		i++
	}
	from, to := i, i
	for item(from - 1) {
		from--
	}
	for item(to + 1) {
		to++
	}
	out := doc.Span{Start: d.Blocks[from].Span.Start, End: d.Blocks[to].Span.End}
	if leads(from - 1) { // its last sentence leads in
		ss := text.Sentences(d.Of(d.Blocks[from-1].Span))
		if len(ss) > 0 {
			out.Start = d.Blocks[from-1].Span.Start + ss[len(ss)-1].Start
		}
	}
	return out
}
