package check

import (
	"fmt"
	"maps"
	"math"
	"regexp"
	"slices"
	"sort"
	"strings"

	"jolvex/core/doc"
	"jolvex/core/text"
)

// statement is one sentence or table row that gives figures for something.
type statement struct {
	document  string
	span      doc.Span
	shown     string
	subject   []string            // stems of what it is about, sorted: its words without figures
	also      []string            // stems of the names of its columns and table
	context   map[string]bool     // stems of the title and the headings above
	qualifier map[string][]string // class -> values that narrow the subject: season, age, day, direction, name, size
	figures   map[string][]string // kind -> values
	written   map[string][]string // kind -> the same as they stand there
	row       bool                // of a table
}

// factBase holds the statements of all documents.
type factBase struct {
	statements []*statement
	frequency  map[string]int // stem -> documents that use it in a statement, or above one
	documents  int
}

// Words that narrow a subject: two statements that differ in one of a class are about different things. (Common practice,
// no published source.)
var classes = func() map[string]string {
	out := map[string]string{}
	for _, line := range en.List("class") { // in the order of the list: a word of two classes is of the first
		class, words, _ := strings.Cut(line, ": ")
		for _, w := range strings.Fields(words) {
			if stem := text.Stem(w); out[stem] == "" {
				out[stem] = class
			}
		}
	}
	return out
}()

// mostStatements is how many statements of one document are compared.
const mostStatements = 2000

// state takes down the statements of a document.
func (l *Look) state(in Input, list []sentence) {
	d := in.Doc
	seen := map[string]bool{}
	block := -1
	var above statement // of the block at hand: what stands above it
	for _, x := range list {
		if len(x.figures) == 0 || len(l.statements) >= mostStatements || symbolic(x.text) {
			continue
		}
		if x.block != block {
			block, above = x.block, statement{context: map[string]bool{}, qualifier: map[string][]string{}}
			for _, h := range append([]string{d.Title}, d.Path(block)...) {
				for _, w := range text.Content(h) {
					above.context[w.Stem] = true
				}
				above.narrow(h, lowerWord.MatchString(h))
			}
		}
		st := statement{document: in.ID, span: x.span, context: above.context, qualifier: map[string][]string{}, figures: map[string][]string{}, written: map[string][]string{}}
		for class, vs := range above.qualifier {
			st.qualifier[class] = slices.Clone(vs)
		}
		if g := d.Blocks[block].Grid; g == nil {
			st.read(x.text, x.figures)
		} else {
			st.readRow(g, x.span)
		}
		if len(st.figures) == 0 || len(st.subject) == 0 || len(st.subject)+len(st.also) < 2 {
			continue
		}
		st.shown = clip(x.text)
		for _, w := range append(slices.Clone(st.subject), st.also...) {
			seen[w] = true
		}
		for w := range st.context {
			seen[w] = true
		}
		l.statements = append(l.statements, st)
	}
	l.stems = slices.Sorted(maps.Keys(seen))
}

// symbolic tells a line of code or a formula from a sentence.
func symbolic(s string) bool {
	signs := 0
	for _, r := range s {
		switch {
		case strings.ContainsRune("→←⇒", r):
			return true
		case strings.ContainsRune("{}[]<>=_\\^~`*#+\"'()/|", r):
			signs++
		}
	}
	return strings.Contains(s, "::") || signs*20 > len(s)+20
}

// read takes the figures out of a sentence; what is left is its subject.
func (st *statement) read(s string, figures []text.Quantity) {
	var rest strings.Builder
	at := 0
	for _, q := range figures {
		rest.WriteString(s[at:q.Start])
		rest.WriteByte(' ')
		at = q.End
		st.figure(q, s[q.Start:q.End])
	}
	rest.WriteString(s[at:])
	st.subject = contentOf(rest.String())
	st.narrow(rest.String(), true)
}

// readRow takes a table row: cells without figures and the names of the columns with figures are its subject.
func (st *statement) readRow(g *doc.Grid, span doc.Span) {
	var r *doc.Row
	for i := range g.Rows {
		if g.Rows[i].Span == span {
			r = &g.Rows[i]
		}
	}
	if r == nil {
		return
	}
	st.row = true
	about, also := "", g.Caption
	clocks := 0
	for i, c := range r.Cells {
		qs := text.Quantities(c.Text)
		label := i == 0 && len(r.Cells) > 1 && hasLetters(c.Text)
		if len(qs) == 0 || label {
			about += " . " + c.Text
			for _, q := range qs {
				st.size(q)
			}
			continue
		}
		for _, q := range qs {
			if q.Kind == text.Clock {
				clocks++
			}
			st.figure(q, c.Text[q.Start:q.End])
		}
		if i < len(g.Header) {
			also += " . " + g.Header[i]
		}
	}
	if clocks > 1 {
		delete(st.figures, string(text.Clock)) // a line of a timetable
	}
	st.subject, st.also = contentOf(about), contentOf(also)
	st.narrow(about, true)
	st.narrow(also, true)
}

func hasLetters(s string) bool {
	return strings.IndexFunc(s, func(r rune) bool { return r >= 'a' && r <= 'z' || r >= 'A' && r <= 'Z' }) >= 0
}

// contentOf are the stems of a text's content words, sorted.
func contentOf(s string) []string {
	var out []string
	for _, w := range text.Content(s) {
		if !slices.Contains(out, w.Stem) && hasLetters(w.Stem) {
			out = append(out, w.Stem)
		}
	}
	sort.Strings(out)
	return out
}

func (st *statement) qualify(class, value string) {
	if !slices.Contains(st.qualifier[class], value) {
		st.qualifier[class] = append(st.qualifier[class], value)
	}
}

// lowerWord finds a longer word in small letters: a heading with one is not written with capitals throughout.
var lowerWord = regexp.MustCompile(`\b[a-z]{4,}\b`)

// narrow finds the words of s that narrow the subject: those of a class and, where capitals mean something, names - words
// with a capital inside a sentence.
func (st *statement) narrow(s string, capitals bool) {
	ws := text.Words(s)
	for i, w := range ws {
		if class := classes[w.Stem]; class != "" {
			st.qualify(class, w.Stem)
			continue
		}
		if i > 0 && ws[i-1].End > w.Start {
			continue // a part of the word before
		}
		c := s[w.Start]
		first := i == 0 || strings.ContainsAny(s[ws[i-1].End:w.Start], ".:;!?\n|(")
		if capitals && c >= 'A' && c <= 'Z' && !first && !text.Stop(w.Norm) && len(w.Norm) > 2 {
			st.qualify("name", w.Stem)
		}
	}
}

// size is a figure that narrows the subject rather than being said of it, such as "up to 5 m".
func (st *statement) size(q text.Quantity) {
	st.qualify("size", q.Value)
}

// figure takes up one figure by its kind. Sizes narrow the subject where a price or time is given for them.
func (st *statement) figure(q text.Quantity, written string) {
	kind := string(q.Kind)
	switch q.Kind {
	case text.Money:
		kind += " " + q.Value[:3]
	case text.Duration, text.Measure:
		_, unit, _ := strings.Cut(q.Value, " ")
		kind += " " + unit
	case text.Percent, text.Clock, text.Phone:
	case text.Date:
		st.qualify("date", q.Value)
		return
	case text.Number:
		if len(q.Value) == 4 && (q.Value[:2] == "19" || q.Value[:2] == "20") {
			st.qualify("year", q.Value)
			return
		}
		st.size(q)
		return
	default:
		return
	}
	if !slices.Contains(st.figures[kind], q.Value) {
		st.figures[kind], st.written[kind] = append(st.figures[kind], q.Value), append(st.written[kind], doc.Fold(written))
	}
}

// What makes two statements one subject. (Common practice, no published source; the limits were set by reading what they
// let through on documents of other people.)
const (
	coverMore    = 0.75 // of the words of the shorter one, by weight, that the other one has or stands under
	coverLess    = 0.34 // of the longer one, for prices and telephone numbers
	coverFigure  = 0.6  // and for other figures, of which texts have more
	sharedWords  = 2
	mostConflict = 200
)

// contradictions finds pairs of statements of different documents that give different figures of one kind for one subject,
// where no statement of the second document on that subject agrees with the first.
func contradictions(looks []*Look) []Finding {
	f := &factBase{frequency: map[string]int{}, documents: len(looks)}
	for _, l := range looks {
		for i := range l.statements {
			f.statements = append(f.statements, &l.statements[i])
		}
		for _, w := range l.stems {
			f.frequency[w]++
		}
	}
	sort.Slice(f.statements, func(i, j int) bool {
		a, b := f.statements[i], f.statements[j]
		if a.document != b.document {
			return a.document < b.document
		}
		return a.span.Start < b.span.Start
	})
	by := map[string][]int{} // kind and stem -> statements
	for i := range f.statements {
		st := f.statements[i]
		for kind := range st.figures {
			for _, w := range f.rarest(st.subject) {
				by[kind+"\x00"+w] = append(by[kind+"\x00"+w], i)
			}
		}
	}
	type pair struct {
		document string
		kind     string
		of       int
	}
	matches := map[pair][]int{} // statements of another document on the subject of a statement
	for key, list := range by {
		kind, _, _ := strings.Cut(key, "\x00")
		if len(list) > 400 {
			continue // a word that so many statements share names no subject
		}
		for n, i := range list {
			for _, j := range list[n+1:] {
				a, b := f.statements[i], f.statements[j]
				if a.document == b.document || !f.same(a, b, kind) {
					continue
				}
				k, l := pair{b.document, kind, i}, pair{a.document, kind, j}
				if !slices.Contains(matches[k], j) {
					matches[k], matches[l] = append(matches[k], j), append(matches[l], i)
				}
			}
		}
	}
	agrees := func(p pair) bool {
		for _, j := range matches[p] {
			for _, v := range f.statements[j].figures[p.kind] {
				if slices.Contains(f.statements[p.of].figures[p.kind], v) {
					return true
				}
			}
		}
		return false
	}
	var out []Finding
	told := map[[2]int]bool{}
	keys := make([]pair, 0, len(matches))
	for p := range matches {
		keys = append(keys, p)
	}
	sort.Slice(keys, func(i, j int) bool {
		a, b := keys[i], keys[j]
		if a.of != b.of {
			return a.of < b.of
		}
		return a.document+a.kind < b.document+b.kind
	})
	for _, p := range keys {
		if agrees(p) || len(out) >= mostConflict {
			continue
		}
		slices.Sort(matches[p])
		a := f.statements[p.of]
		for _, j := range matches[p] {
			b := f.statements[j]
			if told[[2]int{min(p.of, j), max(p.of, j)}] || agrees(pair{a.document, p.kind, j}) {
				continue
			}
			told[[2]int{min(p.of, j), max(p.of, j)}] = true
			sev := Medium
			if strings.HasPrefix(p.kind, string(text.Money)) || p.kind == string(text.Phone) {
				sev = High
			}
			out = append(out, Finding{
				Kind: Contradiction, Severity: sev, At: Passage{a.document, a.span, a.shown}, Other: &Passage{b.document, b.span, b.shown},
				Detail: fmt.Sprintf("gives %s, another document %s", strings.Join(a.written[p.kind], " and "), strings.Join(b.written[p.kind], " and ")),
			})
			break
		}
	}
	return out
}

func (f *factBase) weight(stem string) float64 {
	return math.Log(1 + float64(f.documents)/float64(max(1, f.frequency[stem])))
}

// rarest are the words of a subject under which it is looked up.
func (f *factBase) rarest(subject []string) []string {
	s := slices.Clone(subject)
	sort.SliceStable(s, func(i, j int) bool { return f.weight(s[i]) > f.weight(s[j]) })
	return s[:min(4, len(s))]
}

// same tells whether two statements give a figure of one kind for one thing.
func (f *factBase) same(a, b *statement, kind string) bool {
	if a.row && b.row && (len(a.qualifier["size"]) == 0) != (len(b.qualifier["size"]) == 0) {
		return false // "Adult" and "Ten singles, adult": the names of rows are exact
	}
	for class, vs := range a.qualifier {
		ws := b.qualifier[class]
		if len(vs) == 0 || len(ws) == 0 {
			continue
		}
		common := false
		for _, v := range vs {
			common = common || slices.Contains(ws, v)
		}
		if !common {
			return false
		}
	}
	shared := 0
	for _, w := range append(slices.Clone(a.subject), a.also...) {
		if slices.Contains(b.subject, w) || slices.Contains(b.also, w) {
			shared++
		}
	}
	ofA, inA := f.cover(a, b)
	ofB, inB := f.cover(b, a)
	if ofA == 0 || ofB == 0 {
		return false
	}
	less := coverFigure
	if strings.HasPrefix(kind, string(text.Money)) || kind == string(text.Phone) {
		less = coverLess
		// A row of a price list that is named by one word, and a page about just that.
		if shared == 1 && (named(a, b) || named(b, a)) {
			return true
		}
	}
	return shared >= sharedWords && max(inA/ofA, inB/ofB) >= coverMore && min(inA/ofA, inB/ofB) >= less
}

// named tells whether the only word of a statement's subject is what another one, whose document has it in its title or in
// the heading above, speaks of.
func named(a, b *statement) bool {
	return len(a.subject) == 1 && len(a.also) > 0 && b.context[a.subject[0]] && slices.Contains(b.subject, a.subject[0])
}

// cover is the weight of a statement's words, and of those among them that another one has or stands under.
func (f *factBase) cover(a, b *statement) (of, in float64) {
	for _, w := range a.subject {
		x := f.weight(w)
		of += x
		if slices.Contains(b.subject, w) || slices.Contains(b.also, w) || b.context[w] {
			in += x
		}
	}
	return of, in
}
