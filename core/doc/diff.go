package doc

import (
	"strings"

	"github.com/pmezard/go-difflib/difflib"
)

// Op is what became of a passage between two versions.
type Op string

// The operations of a comparison.
const (
	Same    Op = "same"
	Added   Op = "added"
	Removed Op = "removed"
	Changed Op = "changed"
)

// Change is one block in a comparison of two versions. A changed block has both texts, and Parts that spell out the change
// in words; a removed one has no After, an added one no Before. A run of blocks that are the same is one Change with Count
// blocks and the text of none.
type Change struct {
	Op     Op     `json:"op" enum:"same,added,removed,changed"`
	Kind   Kind   `json:"kind,omitempty"`
	Before string `json:"before,omitempty"`
	After  string `json:"after,omitempty"`
	Parts  []Part `json:"parts,omitempty"`
	Count  int    `json:"count,omitempty"`
	Under  string `json:"under,omitempty"` // the nearest heading above
}

// Part is a run of words in a changed block.
type Part struct {
	Op   Op     `json:"op" enum:"same,added,removed"`
	Text string `json:"text"`
}

// Compare tells how version b differs from version a, block by block: tables row by row. It takes time proportional to the
// product of the numbers of blocks at worst.
func Compare(a, b *Document) []Change {
	as, bs := pieces(a), pieces(b)
	m := difflib.NewMatcherWithJunk(texts(as), texts(bs), false, nil)
	out := []Change{}
	for _, c := range m.GetOpCodes() {
		if c.Tag == 'e' {
			out = append(out, Change{Op: Same, Count: c.I2 - c.I1})
			continue
		}
		i, j := c.I1, c.J1
		for ; i < c.I2 && j < c.J2 && related(as[i].text, bs[j].text); i, j = i+1, j+1 {
			out = append(out, Change{Op: Changed, Kind: bs[j].kind, Before: as[i].text, After: bs[j].text, Parts: words(as[i].text, bs[j].text), Under: bs[j].under})
		}
		for ; i < c.I2; i++ {
			out = append(out, Change{Op: Removed, Kind: as[i].kind, Before: as[i].text, Under: as[i].under})
		}
		for ; j < c.J2; j++ {
			out = append(out, Change{Op: Added, Kind: bs[j].kind, After: bs[j].text, Under: bs[j].under})
		}
	}
	return out
}

type piece struct {
	kind        Kind
	text, under string
}

func pieces(d *Document) []piece {
	var out []piece
	under := ""
	for _, b := range d.Blocks {
		switch {
		case b.Kind == Heading:
			out = append(out, piece{b.Kind, d.Of(b.Span), under})
			under = d.Of(b.Span)
		case b.Grid != nil:
			at := b.Span.Start
			for _, r := range b.Grid.Rows {
				if head := strings.TrimSpace(d.Of(Span{at, r.Span.Start})); head != "" {
					out = append(out, piece{b.Kind, head, under})
				}
				out = append(out, piece{b.Kind, d.Of(r.Span), under})
				at = r.Span.End
			}
		default:
			out = append(out, piece{b.Kind, d.Of(b.Span), under})
		}
	}
	return out
}

func texts(ps []piece) []string {
	out := make([]string, len(ps))
	for i, p := range ps {
		out[i] = p.text
	}
	return out
}

// related tells whether one passage was made of another: a third of their words is the same.
func related(a, b string) bool {
	x, y := strings.Fields(a), strings.Fields(b)
	return difflib.NewMatcherWithJunk(x, y, false, nil).Ratio() >= 1.0/3
}

func words(a, b string) []Part {
	x, y := strings.Fields(a), strings.Fields(b)
	var out []Part
	add := func(op Op, ws []string) {
		if len(ws) > 0 {
			out = append(out, Part{op, strings.Join(ws, " ")})
		}
	}
	for _, c := range difflib.NewMatcherWithJunk(x, y, false, nil).GetOpCodes() {
		if c.Tag == 'e' {
			add(Same, x[c.I1:c.I2])
			continue
		}
		add(Removed, x[c.I1:c.I2])
		add(Added, y[c.J1:c.J2])
	}
	return out
}
