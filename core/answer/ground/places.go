package ground

import (
	"slices"
	"strings"

	"jolvex/core/doc"
	"jolvex/core/text"
)

// place is one sentence, or one row of a table, of the evidence: what a claim is held against.
type place struct {
	text    string
	row     *Row // nil for a sentence
	source  int
	words   []text.Word // content words
	stems   map[string]bool
	wide    map[string]bool // stems of it and of the sentence after it: a claim often needs two
	head    map[string]bool // stems of the headings
	denied  map[string]bool // stems that it denies
	figures []text.Quantity
	points  bool // it begins by pointing at what was said before it
}

// placesOf takes passages apart. Parts of a sentence between semicolons are places of their own.
func placesOf(evidence []Source) []place {
	var out []place
	for n, e := range evidence {
		head := text.Stems(e.Heading)
		rows := map[string]*Row{}
		for i := range e.Rows {
			rows[strings.TrimSpace(e.Rows[i].Text)] = &e.Rows[i]
		}
		from := len(out)
		add := func(s string, row *Row) {
			p := place{text: s, row: row, source: n, words: text.Content(s), stems: singular(text.Stems(s)), head: head, figures: text.Quantities(s), denied: deniedIn(s), points: backward.MatchString(s)}
			out = append(out, p)
		}
		for line := range strings.Lines(e.Text) {
			line = strings.TrimSpace(line)
			if r := rows[line]; r != nil {
				add(line, r)
				continue
			}
			for _, p := range text.Sentences(line) {
				whole := line[p.Start:p.End]
				for s := range strings.SplitSeq(whole, "; ") {
					add(s, nil)
				}
			}
		}
		for i := from; i < len(out); i++ {
			out[i].wide = map[string]bool{}
			for k := range out[i].stems {
				out[i].wide[k] = true
			}
			if i+1 < len(out) && out[i].row == nil && out[i+1].row == nil {
				for k := range out[i+1].stems {
					out[i].wide[k] = true
				}
			}
		}
	}
	return out
}

// part is a piece of a claim between commas and conjunctions.
type part struct {
	start, end int
	text       string
	stems      map[string]bool
}

func (g Grounder) read(said, asked string) *claim {
	c := &claim{said: said, asked: asked, words: text.Content(said), stems: singular(text.Stems(said)), figures: text.Quantities(said), denied: deniedIn(said)}
	for _, p := range partsOf(said) {
		p.stems = singular(text.Stems(p.text))
		c.parts = append(c.parts, p)
	}
	return c
}

// partsOf cuts a sentence at commas and conjunctions; "1,000" and figures are kept whole.
func partsOf(s string) []part {
	var out []part
	at := 0
	for _, m := range segment.FindAllStringIndex(s, -1) {
		if m[0] > at {
			out = append(out, part{start: at, end: m[0], text: s[at:m[0]]})
		}
		at = m[1]
	}
	if at < len(s) {
		out = append(out, part{start: at, end: len(s), text: s[at:]})
	}
	return out
}

// singular adds the stems of the singular to those of plurals that no ending tells.
func singular(stems map[string]bool) map[string]bool {
	for many, one := range plurals {
		if stems[many] {
			stems[one] = true
		}
	}
	return stems
}

// closest is the place that shares most of the claim's words, figures counting double; the first of equals.
func (c *claim) closest(places []place) int {
	best, at := -1.0, 0
	for i := range places {
		n := 0.0
		for _, w := range c.words {
			if places[i].stems[w.Stem] {
				n++
			}
		}
		for _, q := range c.figures {
			if same(q, places[i].figures) {
				n++
			}
		}
		if n -= 0.001 * float64(len(places[i].words)); n > best {
			best, at = n, i
		}
	}
	return at
}

// parallel cuts a sentence into the parts that say the same of different things: "unshift puts it at the front and push puts it at the end",
// "kept when it is removed and deleted when it is purged". The verb of the first, or its condition, stands in all; nil where that is not so.
func parallel(s string) []string {
	var out []string
	var tie string
	for _, x := range partsOf(s) {
		ws := text.Words(x.text)
		if len(ws) < 4 || text.Stop(ws[0].Norm) && len(out) > 0 {
			return nil
		}
		if tie == "" {
			tie = tieOf(ws)
		}
		if tie == "" || !slices.ContainsFunc(ws, func(w text.Word) bool { return w.Norm == tie }) {
			return nil
		}
		out = append(out, x.text)
	}
	return out
}

// tieOf is the word that parallel parts must share: a condition, or a verb among the first four words.
func tieOf(ws []text.Word) string {
	verb := ""
	for i, w := range ws {
		if conditionWords[w.Norm] && i > 0 {
			return w.Norm
		}
		if verb == "" && i > 0 && i < 4 && !text.Stop(w.Norm) && strings.HasSuffix(w.Norm, "s") {
			verb = w.Norm
		}
	}
	return verb
}

// stands reports whether the claim stands in the evidence word for word, as a sentence or as a part of one between semicolons.
func (c *claim) stands(evidence []Source) bool {
	plain := func(s string) string { return strings.ToLower(strings.TrimRight(doc.Fold(s), ".!?;")) }
	said := plain(c.said)
	for _, e := range evidence {
		for line := range strings.Lines(e.Text) {
			for _, p := range text.Sentences(line) {
				whole := line[p.Start:p.End]
				if said == plain(whole) || slices.ContainsFunc(strings.Split(whole, "; "), func(s string) bool { return said == plain(s) }) {
					return true
				}
			}
		}
	}
	return false
}

// wordy reports whether a word is none of digits.
func wordy(norm string) bool { return !strings.ContainsAny(norm, "0123456789") }

// deniedIn lists the stems of the words that a sentence denies: the first two content words after a denial, up to the end of its part.
func deniedIn(s string) map[string]bool {
	out := map[string]bool{}
	clear := negatedComparison.ReplaceAllStringFunc(s, func(m string) string { return strings.Repeat(" ", len(m)) })
	for _, m := range denial.FindAllStringIndex(clear, -1) {
		rest := clear[m[1]:]
		if i := segment.FindStringIndex(rest); i != nil && i[0] > 0 {
			rest = rest[:i[0]]
		}
		if len(text.Content(rest)) == 0 { // "cockerels may not"
			rest = clear[:m[0]]
			if all := segment.FindAllStringIndex(rest, -1); len(all) > 0 {
				rest = rest[all[len(all)-1][1]:]
			}
		}
		n := 0
		for _, w := range text.Content(rest) {
			if n++; n > 1 {
				break
			}
			out[w.Stem] = true
		}
	}
	return out
}
