package tests

import (
	"fmt"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"github.com/jmoiron/sqlx"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	_ "modernc.org/sqlite"

	"jolvex/core/doc"
	"jolvex/core/record"
	"jolvex/core/text"
)

// thing is one row of a drawn table.
type thing struct {
	Name, Colour          string
	Price, Weight, Places int
}

var colours = []string{"red", "green", "yellow", "black", "white"}

// things draws a table: names of two syllables that are no words, no two alike.
func things(r *rand.Rand) []thing {
	var out []thing
	seen := map[string]bool{}
	for len(out) < 8+r.IntN(12) {
		b := []byte{"BDGKLMNPRTV"[r.IntN(11)], "aeiou"[r.IntN(5)], "bdgklmnprtv"[r.IntN(11)], "aeiou"[r.IntN(5)], "lmnrx"[r.IntN(5)]}
		if n := string(b); !seen[n] {
			seen[n] = true
			out = append(out, thing{n, colours[r.IntN(len(colours))], 5 + r.IntN(95), 1 + r.IntN(60), 2 + r.IntN(30)})
		}
	}
	return out
}

// asking is a question with the SQL that answers it: a list of names, or one value.
type asking struct {
	question, sql string
	value         bool
	wants         []text.QuantityKind
}

func draw(r *rand.Rand, ts []thing) asking {
	one := ts[r.IntN(len(ts))]
	n := 10 + r.IntN(70)
	colour := colours[r.IntN(len(colours))]
	money, weight := []text.QuantityKind{text.Money}, []text.QuantityKind{text.Weight}
	all := []asking{
		{"How much is the " + one.Name + "?", "SELECT price FROM things WHERE name = '" + one.Name + "'", true, money},
		{"What does the " + one.Name + " weigh?", "SELECT weight FROM things WHERE name = '" + one.Name + "'", true, weight},
		{"How many places does the " + one.Name + " have?", "SELECT places FROM things WHERE name = '" + one.Name + "'", true, []text.QuantityKind{text.Number}},
		{fmt.Sprintf("Which tents cost less than £%d?", n), fmt.Sprintf("SELECT name FROM things WHERE price < %d", n), false, money},
		{fmt.Sprintf("Which tents weigh more than %d kg?", n/2), fmt.Sprintf("SELECT name FROM things WHERE weight > %d", n/2), false, weight},
		{fmt.Sprintf("Which tents cost at least £%d?", n), fmt.Sprintf("SELECT name FROM things WHERE price >= %d", n), false, money},
		{"Which tents are " + colour + "?", "SELECT name FROM things WHERE colour = '" + colour + "'", false, nil},
		{fmt.Sprintf("Which %s tents cost less than £%d?", colour, n), fmt.Sprintf("SELECT name FROM things WHERE colour = '%s' AND price < %d", colour, n), false, money},
		{"Which tent is the cheapest?", "SELECT name FROM things WHERE price = (SELECT min(price) FROM things)", false, nil},
		{"What is the heaviest tent?", "SELECT name FROM things WHERE weight = (SELECT max(weight) FROM things)", false, nil},
		{"Which tent has the most places?", "SELECT name FROM things WHERE places = (SELECT max(places) FROM things)", false, nil},
		{fmt.Sprintf("Which tent costs £%d?", one.Price), fmt.Sprintf("SELECT name FROM things WHERE price = %d", one.Price), false, money},
		{"How many tents are " + colour + "?", "SELECT name FROM things WHERE colour = '" + colour + "'", false, []text.QuantityKind{text.Number}},
		{"Which " + colour + " tent is the lightest?", "SELECT name FROM things WHERE colour = '" + colour + "' AND weight = (SELECT min(weight) FROM things WHERE colour = '" + colour + "')", false, nil},
	}
	return all[r.IntN(len(all))]
}

// A question over records gives what the same question gives as SQL over the same rows in SQLite.
func TestRecordsAnswerAsSQLDoes(t *testing.T) {
	r := rand.New(rand.NewPCG(13, 29))
	asked, none := 0, 0
	for asked < 1000 {
		ts := things(r)
		db, err := sqlx.Open("sqlite", ":memory:")
		require.NoError(t, err)
		db.SetMaxOpenConns(1)
		_, err = db.Exec(`CREATE TABLE things (name TEXT, colour TEXT, price INT, weight INT, places INT)`)
		require.NoError(t, err)
		var rows [][]string
		for _, x := range ts {
			_, err = db.NamedExec(`INSERT INTO things VALUES (:name, :colour, :price, :weight, :places)`, x)
			require.NoError(t, err)
			rows = append(rows, []string{x.Name, x.Colour, fmt.Sprintf("£%d", x.Price), fmt.Sprintf("%d kg", x.Weight), fmt.Sprint(x.Places)})
		}
		var b doc.Builder
		b.Add(doc.Block{Kind: doc.Heading, Level: 1}, "Tents")
		b.AddTable(doc.Place{}, "", []string{"Tent", "Colour", "Price", "Weight", "Places"}, rows)
		d := b.Document()
		d.Title = "Tents"
		records := record.Of(d)
		known := text.Stems(d.Text, "costs weighs")
		for range 50 {
			q := draw(r, ts)
			asked++
			var want []string
			require.NoError(t, db.Select(&want, q.sql), q.sql)
			a, ok := record.Ask(record.Asked{Text: q.question, Wants: q.wants, AsOf: "2026-01-01", Known: func(s string) bool { return known[s] }}, records)
			if len(want) == 0 {
				if ok && a.None { // all that could have met the limit were counted
					var of int
					where, _, _ := strings.Cut(q.sql, " AND price")
					if !strings.Contains(where, "colour") {
						where, _, _ = strings.Cut(q.sql, " WHERE")
					}
					require.NoError(t, db.Get(&of, strings.Replace(where, "SELECT name", "SELECT count(*)", 1)))
					assert.Equal(t, of, a.Of, "%s: %v", q.question, a.Say())
					none++
					continue
				}
				assert.False(t, ok && len(a.Said) > 0, "%s: %v", q.question, a.Say())
				continue
			}
			if len(want) > 4 && !strings.HasPrefix(q.question, "Which tents") && !strings.HasPrefix(q.question, "How many") {
				continue // so many that tie are not told
			}
			var got []string
			for _, s := range a.Said {
				if !q.value {
					got = append(got, s.Record.Cells[0].Text)
					continue
				}
				require.Len(t, s.Cells, 1, q.question)
				got = append(got, strings.Trim(s.Record.Cells[s.Cells[0]].Text, "£ kg"))
			}
			slices.Sort(got)
			slices.Sort(want)
			assert.Equal(t, want, got, q.question)
		}
		require.NoError(t, db.Close())
		if t.Failed() {
			return
		}
	}
	assert.Positive(t, none, "some drawn limits are met by no row")
}
