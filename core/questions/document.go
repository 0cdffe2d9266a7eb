package questions

import (
	"fmt"
	"math"
	"net/url"
	"regexp"
	"slices"
	"strconv"
	"strings"

	"jolvex/core/text"
)

// Refusal reports whether the question should be refused.
func (q Question) Refusal() bool {
	return slices.ContainsFunc(q.Expect, func(e Expectation) bool { return e.Kind == Refuses })
}

// MayRefuse reports whether a refusal is no failure: it is expected, or all that is expected is how a reply is to be and what it is
// not to say.
func (q Question) MayRefuse() bool {
	return q.Refusal() || len(q.Expect) > 0 && !slices.ContainsFunc(q.Expect, func(e Expectation) bool {
		return !e.Is(Form)
	})
}

// Document is what a citation expectation is compared with.
type Document struct {
	Address, Title string
	Text           string // what the candidate brings: of use to Reaches alone
}

var notWord = regexp.MustCompile(`[^\p{L}\p{N}]+`)

// flat is a text for comparison: folded words with one space between, and one at each end.
func flat(s string) string {
	return " " + strings.TrimSpace(notWord.ReplaceAllString(text.Normalise(s), " ")) + " "
}

// addresses are the mail addresses and links of a text: no wording is looked for inside one, unless it looks like one itself.
var addresses = regexp.MustCompile(`[\p{L}\p{N}._%+-]+@[\p{L}\p{N}-]+(?:\.[\p{L}\p{N}-]+)+|\bhttps?://[^\s<>"”]+|\bwww\.[^\s<>"”]+`)

// noWord stands for an address: a letter that is in no wording.
const noWord = " ꙮ "

// Says reports whether a reply says one of some wordings, and says so in words.
func Says(reply string, values []string) (bool, string) {
	whole, r := flat(reply), ""
	for _, v := range values {
		in := whole
		if !strings.ContainsAny(v, "@/.") {
			if r == "" {
				r = flat(addresses.ReplaceAllString(reply, noWord))
			}
			in = r
		}
		if w := flat(v); w != "  " && strings.Contains(in, w) {
			return true, "it says “" + v + "”"
		}
	}
	return false, "it does not say “" + strings.Join(values, "” or “") + "”"
}

// HoldsFigure reports whether a reply gives one of the figures of an expectation, within what it may be off by, and says so in words.
func HoldsFigure(reply string, e Expectation) (bool, string) {
	var said []string
	have := text.Quantities(reply)
	for _, v := range e.Values {
		for _, want := range text.Quantities(v) {
			for _, h := range have {
				if alike(h, want) || e.Within > 0 && h.Kind == want.Kind && apart(h, want) <= e.Within {
					return true, "it gives " + reply[h.Start:h.End]
				}
			}
		}
	}
	for _, h := range have {
		said = append(said, reply[h.Start:h.End])
	}
	wanted := strings.Join(e.Values, " or ")
	if e.Within > 0 {
		wanted += fmt.Sprintf(" within %g", e.Within)
	}
	if len(said) == 0 {
		return false, "it gives no figure, not " + wanted
	}
	return false, "it gives " + strings.Join(said, ", ") + ", not " + wanted
}

// alike reports whether two figures are the same: in other words, too, as 14 days are two weeks and 1.5 km are 1,500 m.
func alike(h, want text.Quantity) bool {
	if h.Value == want.Value {
		return h.Kind == want.Kind || want.Kind == text.Number
	}
	if h.Kind != want.Kind {
		return false
	}
	if m, n := months(h), months(want); m > 0 || n > 0 {
		return m == n // 60 days are not two months
	}
	x, unitX, okX := h.Base()
	y, unitY, okY := want.Base()
	return okX && okY && unitX == unitY && math.Abs(x-y) <= 1e-9*math.Max(math.Abs(x), math.Abs(y))
}

// months is a length of time in months, which differ in days, and of which a year has twelve; 0 for one that is counted otherwise.
func months(q text.Quantity) float64 {
	n, unit, _ := strings.Cut(q.Value, " ")
	x, err := strconv.ParseFloat(n, 64)
	if q.Kind != text.Duration || err != nil {
		return 0
	}
	return x * map[string]float64{"month": 1, "year": 12}[unit]
}

// apart is by how much two figures of one kind differ, in their own unit: minutes for times of day, days for dates; infinite for
// figures of different units, and for what is no figure.
func apart(a, b text.Quantity) float64 {
	x, unitX, okX := a.Amount()
	y, unitY, okY := b.Amount()
	if !okX || !okY || unitX != unitY {
		return math.Inf(1)
	}
	return math.Abs(x - y)
}

// RankOf is the rank of the first document that one of some names means, from 1; 0 for none.
func RankOf(docs []Document, values []string) int {
	for i, d := range docs {
		if d.Is(values) {
			return i + 1
		}
	}
	return 0
}

// Is reports whether one of some names means the document: an address, an end of one, or its title. A name that starts with "/" is a
// path and must be the whole path of the address.
func (d Document) Is(values []string) bool {
	for _, v := range values {
		if v == "" {
			continue
		}
		if strings.EqualFold(v, d.Title) || v == d.Address {
			return true
		}
		if strings.HasPrefix(v, "/") {
			if u, err := url.Parse(d.Address); err == nil && strings.TrimSuffix(u.Path, "/") == strings.TrimSuffix(v, "/") {
				return true
			}
			continue
		}
		if strings.HasSuffix(d.Address, "/"+v) {
			return true
		}
	}
	return false
}
