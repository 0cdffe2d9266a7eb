package extract

import (
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"jolvex/core/doc"
)

// sheet draws text on a page as a reader of PDF files hands it over.
type sheet struct{ PDFPage }

func newSheet(n int) *sheet { return &sheet{PDFPage{Number: n, Width: 600, Height: 800}} }

func (s *sheet) write(x, y, size float32, bold bool, text string) *sheet {
	for _, r := range text {
		w := 0.5 * size
		s.Glyphs = append(s.Glyphs, Glyph{Rune: r, Box: Box{x, y, x + w, y + size}, Size: size, Bold: bold})
		x += w
	}
	s.Glyphs = append(s.Glyphs, Glyph{Rune: '\n'})
	return s
}

func (s *sheet) lines(x, y float32, lines ...string) *sheet {
	for i, l := range lines {
		s.write(x, y+float32(i)*12, 10, false, l)
	}
	return s
}

func read(t *testing.T, pages ...*sheet) *doc.Document {
	t.Helper()
	var p PDF
	for _, s := range pages {
		p.Pages = append(p.Pages, s.PDFPage)
	}
	d, err := FromPDF("a-leaflet.pdf", p)
	require.NoError(t, err)
	require.NoError(t, d.Check())
	return d
}

func shown(d *doc.Document) []string {
	var out []string
	for _, b := range d.Blocks {
		out = append(out, fmt.Sprintf("%s: %s", b.Kind, d.Of(b.Span)))
	}
	return out
}

func TestPDFColumnsAreReadOneAfterAnother(t *testing.T) {
	left := []string{"The boat leaves the pier at Tolmouth at", "half past eight in the morning and goes", "to Sandrel, where it waits for the mail", "that comes down from the hill, and the", "post is put on board by the post-\x02", "man himself, who goes along."}
	right := []string{"In the afternoon it goes back by way of", "Little Hobb, if there is anybody who has", "asked for it, and else by the straight", "course, which takes a quarter of an hour", "less than the other one does in a calm", "sea, as all of them know."}
	s := newSheet(1).write(50, 60, 20, true, "The day of the boat")
	s.lines(50, 120, left...).lines(320, 120, right...)
	d := read(t, s)
	assert.Equal(t, []string{
		"heading: The day of the boat",
		"paragraph: The boat leaves the pier at Tolmouth at half past eight in the morning and goes to Sandrel, where it waits for the mail that comes down from the hill, and the post is put on board by the post-man himself, who goes along.",
		"paragraph: In the afternoon it goes back by way of Little Hobb, if there is anybody who has asked for it, and else by the straight course, which takes a quarter of an hour less than the other one does in a calm sea, as all of them know.",
	}, shown(d))
	assert.Equal(t, "The day of the boat", d.Title)
}

func TestPDFRunningHeadsAndPageNumbersAreDropped(t *testing.T) {
	var pages []*sheet
	for n := 1; n <= 4; n++ {
		s := newSheet(n).write(50, 30, 8, false, "Conditions of carriage").write(300, 770, 8, false, fmt.Sprintf("Page %d of 4", n))
		text := make([]string, 10)
		for i := range text {
			text[i] = fmt.Sprintf("This is line %s of the text of page %s.", strings.Repeat("a", i+1), strings.Repeat("b", n))
		}
		pages = append(pages, s.lines(50, 120, text...))
	}
	alone := read(t, newSheet(1).write(50, 12, 6, false, "Tolmouth Ferries").lines(50, 120, "A page may stand alone, with", "its text below the head."))
	assert.Equal(t, []string{"paragraph: A page may stand alone, with its text below the head."}, shown(alone))
	d := read(t, pages...)
	assert.NotContains(t, d.Text, "Conditions")
	assert.NotContains(t, d.Text, "Page ")
	assert.Contains(t, d.Text, "page bbbb.")
	assert.Equal(t, 4, d.Blocks[len(d.Blocks)-1].Place.Page)
}

func TestPDFTablesKeepTheNamesOfTheirColumns(t *testing.T) {
	s := newSheet(1).lines(50, 60, "Fares hold from March to March.", "They are in pounds.")
	rows := [][]string{{"Passenger", "Single", "Return"}, {"Adult", "£8.20", "£14.60"}, {"Child", "£4.10", "£7.30"}}
	for i, r := range rows {
		for j, c := range r {
			s.write(60+float32(j)*120, 120+float32(i)*20, 10, i == 0, c)
		}
	}
	aligned := read(t, s)
	for y := float32(115); y <= 175; y += 20 {
		s.Rules = append(s.Rules, Box{50, y, 410, y + 0.5})
	}
	for x := float32(50); x <= 410; x += 120 {
		s.Rules = append(s.Rules, Box{x, 115, x + 0.5, 175})
	}
	for name, d := range map[string]*doc.Document{"ruled": read(t, s), "aligned": aligned} {
		g := d.Blocks[len(d.Blocks)-1].Grid
		require.NotNil(t, g, "%s: %v", name, shown(d))
		assert.Equal(t, []string{"Passenger", "Single", "Return"}, g.Header, name)
		assert.Equal(t, "Child | £4.10 | £7.30", d.Of(g.Rows[1].Span), name)
	}
}

func TestPDFHyphensListsAndFootnotes(t *testing.T) {
	s := newSheet(1)
	s.lines(50, 60, "The harbour of Tolmouth has an impor\x02", "tant pier, which the har\x02", "bour master keeps; write to debian-user or a user\x02", "@host.", "")
	s.lines(50, 130, "• Bring your ticket.", "• Bring a coat,", "for it is cold.", "1. Go on board.", "2. Sit down.")
	s.write(50, 700, 8, false, "1See the other leaflet.")
	d := read(t, s)
	assert.Equal(t, []string{
		"paragraph: The harbour of Tolmouth has an important pier, which the harbour master keeps; write to debian-user or a user-@host.",
		"item: Bring your ticket.", "item: Bring a coat, for it is cold.", "item: Go on board.", "item: Sit down.",
		"paragraph: 1See the other leaflet.",
	}, shown(d))
}

func TestPDFWithoutTextIsToldApart(t *testing.T) {
	p := PDF{Pages: []PDFPage{{Number: 1, Width: 600, Height: 800, Pictures: 1}}}
	d, err := FromPDF("scan.pdf", p)
	assert.ErrorIs(t, err, ErrNoText)
	assert.Contains(t, d.Notes[0], "scanned")
	d, err = FromPDF("empty.pdf", PDF{})
	assert.ErrorIs(t, err, ErrNoText)
	assert.Empty(t, d.Notes)
}

// A list of contents says nothing that the document does not.
func TestPDFContentsAreLeftOut(t *testing.T) {
	s := newSheet(1)
	for i := range 8 {
		s.write(50, 60+float32(i)*14, 10, false, fmt.Sprintf("%d. Chapter %s . . . . . . . . . . %d", i, strings.Repeat("x", i+1), i*3))
	}
	d := read(t, s, newSheet(2).lines(50, 60, "Here the text begins, and it goes on", "for a while."))
	assert.Equal(t, []string{"paragraph: Here the text begins, and it goes on for a while."}, shown(d))
}

func FuzzFromPDF(f *testing.F) {
	f.Add([]byte("The boat\nleaves"), uint16(40), uint16(300))
	f.Fuzz(func(t *testing.T, text []byte, gap, drop uint16) {
		pg := PDFPage{Number: 1, Width: 600, Height: 800}
		x, y := float32(20), float32(20)
		for i, r := range string(text) {
			size := float32(8 + int(r)%7)
			pg.Glyphs = append(pg.Glyphs, Glyph{Rune: r, Box: Box{x, y, x + size/2, y + size}, Size: size, Bold: r%5 == 0, Mono: r%11 == 0})
			if x += size/2 + float32(int(gap)*i%60); x > 560 || r == '\n' {
				x, y = 20, y+float32(drop%40)
			}
			if i%9 == 0 {
				pg.Rules = append(pg.Rules, Box{x, y, x + float32(gap%400), y + 1}, Box{x, y, x + 1, y + float32(drop%300)})
			}
		}
		d, err := FromPDF("fuzz.pdf", PDF{Pages: []PDFPage{pg, pg}})
		if err != nil {
			return
		}
		if err := d.Check(); err != nil {
			t.Fatal(err)
		}
	})
}
