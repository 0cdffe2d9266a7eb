package record

import (
	"cmp"
	"fmt"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"jolvex/core/doc"
	"jolvex/core/text"
)

// Tables are drawn, and what is asked of them is worked out by plain loops beside: what a table says needs no published source.

// thing is one row of a drawn table.
type thing struct {
	name          string
	price, weight int // pounds, kilograms
	seats         int
}

func (x thing) row() []string {
	return []string{x.name, fmt.Sprintf("£%d", x.price), fmt.Sprintf("%d kg", x.weight), fmt.Sprint(x.seats)}
}

// drawn is a table of things of one kind.
type drawn struct {
	kind, plural string
	things       []thing
}

// draw draws a table: names, prices and weights are all different, so that there is one cheapest and one heaviest.
func draw(r *rand.Rand) drawn {
	kinds := [][2]string{{"tent", "tents"}, {"canoe", "canoes"}, {"trailer", "trailers"}, {"sofa", "sofas"}, {"cabin", "cabins"}, {"bench", "benches"}}
	k := kinds[r.IntN(len(kinds))]
	begin, end := []string{"Bar", "Kel", "Mor", "Tav", "Zel", "Quin", "Har", "Dol"}, []string{"ba", "do", "vik", "nex", "rum", "sta", "lin", "pot"}
	d := drawn{kind: k[0], plural: k[1]}
	names, prices, weights := r.Perm(len(begin)*len(end)), r.Perm(80), r.Perm(60)
	for n := range 4 + r.IntN(6) {
		d.things = append(d.things, thing{begin[names[n]/len(end)] + end[names[n]%len(end)], 5 + prices[n], 2 + weights[n], 1 + r.IntN(9)})
	}
	return d
}

func (d drawn) page() *doc.Document {
	title := strings.ToUpper(d.plural[:1]) + d.plural[1:]
	return page(title, func(b *doc.Builder) {
		var rows [][]string
		for _, x := range d.things {
			rows = append(rows, x.row())
		}
		b.AddTable(doc.Place{}, "", []string{"Model", "Price", "Weight", "Seats"}, rows)
	})
}

// said gives the names of the records that an answer tells, and the texts of the cells that it tells of the first.
func said(a Answer) (names, cells []string) {
	for n, s := range a.Said {
		for i := range s.Record.Cells {
			if s.Record.Cells[i].Key {
				names = append(names, s.Record.Cells[i].Text)
			}
		}
		if n == 0 {
			for _, c := range s.Cells {
				cells = append(cells, s.Record.Cells[c].Text)
			}
		}
	}
	return names, cells
}

// over asks something of documents.
func over(question string, wants []text.QuantityKind, ds ...*doc.Document) (Answer, bool) {
	var all []Record
	known := map[string]bool{}
	for i, d := range ds {
		for s := range text.Stems(d.Text) {
			known[s] = true
		}
		for _, r := range Of(d) {
			r.Source = i
			all = append(all, r)
		}
	}
	return Ask(Asked{Text: question, Wants: wants, AsOf: "2026-11-30", Known: func(s string) bool { return known[s] }}, all)
}

const drawings = 40

func TestDrawnTablesAnswerAsTheyAre(t *testing.T) {
	for seed := range uint64(drawings) {
		r := rand.New(rand.NewPCG(seed, 30))
		d := draw(r)
		p := d.page()
		one := d.things[r.IntN(len(d.things))]

		a, ok := over("How much is the "+one.name+"?", []text.QuantityKind{text.Money}, p)
		require.True(t, ok, "%d: the price of %s", seed, one.name)
		names, cells := said(a)
		assert.Equal(t, []string{one.name}, names, seed)
		assert.Equal(t, []string{fmt.Sprintf("£%d", one.price)}, cells, seed)

		a, ok = over("How heavy is the "+one.name+"?", []text.QuantityKind{text.Weight}, p)
		require.True(t, ok, "%d: the weight of %s", seed, one.name)
		names, cells = said(a)
		assert.Equal(t, []string{one.name}, names, seed)
		assert.Equal(t, []string{fmt.Sprintf("%d kg", one.weight)}, cells, seed)

		_, ok = over("How much is the Xanthippe?", []text.QuantityKind{text.Money}, p)
		assert.False(t, ok, "%d: what is in no table has no price", seed)
		_, ok = over("What colour is the "+one.name+"?", nil, p)
		assert.False(t, ok, "%d: what no column tells is not told", seed)
	}
}

func TestTheMostAndTheLeastOfDrawnTables(t *testing.T) {
	for seed := range uint64(drawings) {
		d := draw(rand.New(rand.NewPCG(seed, 31)))
		for ask, least := range map[string]func(a, b thing) int{
			"cheapest": func(a, b thing) int { return cmp.Compare(a.price, b.price) }, "most expensive": func(a, b thing) int { return cmp.Compare(b.price, a.price) },
			"lightest": func(a, b thing) int { return cmp.Compare(a.weight, b.weight) }, "heaviest": func(a, b thing) int { return cmp.Compare(b.weight, a.weight) },
		} {
			a, ok := over("Which "+d.kind+" is the "+ask+"?", nil, d.page())
			require.True(t, ok, "%d: the %s %s", seed, ask, d.kind)
			names, _ := said(a)
			assert.Equal(t, slices.MinFunc(d.things, least).name, names[0], "%d: the %s %s of %v", seed, ask, d.kind, d.things)
			assert.Equal(t, len(d.things), a.Of, "%d: all were compared", seed)
		}
	}
}

func TestConditionsOnDrawnTables(t *testing.T) {
	for seed := range uint64(drawings) {
		r := rand.New(rand.NewPCG(seed, 32))
		d := draw(r)
		prices := make([]int, len(d.things))
		for i, x := range d.things {
			prices[i] = x.price
		}
		slices.Sort(prices)
		limit := prices[1+r.IntN(len(prices)-2)] // some are below, some are not
		var want []string
		for _, x := range d.things {
			if x.price < limit {
				want = append(want, x.name)
			}
		}
		a, ok := over(fmt.Sprintf("Which %s cost less than £%d?", d.plural, limit), nil, d.page())
		require.True(t, ok, "%d: below £%d of %v", seed, limit, d.things)
		names, _ := said(a)
		assert.ElementsMatch(t, want, names, "%d: below £%d of %v", seed, limit, d.things)

		x, y := d.things[0], d.things[1]
		a, ok = over(fmt.Sprintf("Which is cheaper, the %s or the %s?", x.name, y.name), nil, d.page())
		require.True(t, ok, seed)
		names, _ = said(a)
		assert.ElementsMatch(t, []string{x.name, y.name}, names, seed)
		if y.price < x.price {
			x = y
		}
		assert.Equal(t, x.name, names[0], "%d: the cheaper one first", seed)
	}
}

// In which order rows and documents stand, and what else there is, changes nothing of what is answered.
func TestTheOrderOfRecordsAnswersNothing(t *testing.T) {
	for seed := range uint64(drawings) {
		r := rand.New(rand.NewPCG(seed, 33))
		d, other := draw(r), draw(r)
		for other.kind == d.kind || slices.ContainsFunc(other.things, func(x thing) bool {
			return slices.ContainsFunc(d.things, func(y thing) bool { return x.name == y.name })
		}) { // one name for two things leaves open which is meant
			other = draw(r)
		}
		shuffled := drawn{d.kind, d.plural, slices.Clone(d.things)}
		r.Shuffle(len(shuffled.things), func(i, j int) { shuffled.things[i], shuffled.things[j] = shuffled.things[j], shuffled.things[i] })
		for _, q := range []string{"How much is the " + d.things[0].name + "?", "Which " + d.kind + " is the cheapest?", "Which " + d.kind + " is the heaviest?"} {
			a, ok := over(q, nil, d.page())
			require.True(t, ok, "%d: %s", seed, q)
			want, cells := said(a)
			for name, ds := range map[string][]*doc.Document{
				"rows shuffled": {shuffled.page()}, "another table before": {other.page(), d.page()}, "another table after": {d.page(), other.page()},
			} {
				b, ok := over(q, nil, ds...)
				require.True(t, ok, "%d: %s, %s", seed, q, name)
				got, gotCells := said(b)
				assert.Equal(t, want, got, "%d: %s, %s", seed, q, name)
				assert.Equal(t, cells, gotCells, "%d: %s, %s", seed, q, name)
			}
		}
	}
}
