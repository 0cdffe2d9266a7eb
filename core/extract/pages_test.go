package extract

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// blocksSaid are the blocks of a page, with their kinds.
func blocksSaid(t *testing.T, in Input) []string {
	t.Helper()
	d, err := Extract(in)
	require.NoError(t, err)
	require.NoError(t, d.Check())
	var out []string
	for _, b := range d.Blocks {
		out = append(out, string(b.Kind)+": "+d.Of(b.Span))
	}
	return out
}

// What ordinary pages do with their text, and what comes of it (common practice, no published source, but where one is named).
func TestOrdinaryPages(t *testing.T) {
	long := strings.Repeat("The harbour master keeps the key of the boat house on weekdays. ", 5)
	for name, c := range map[string]struct {
		page string
		want []string
	}{
		"a page inside one form": {
			`<form><h1>Keys</h1><p>` + long + `</p><input value=x><select><option>Monday</select></form>`,
			[]string{"heading: Keys", "paragraph: " + strings.TrimSpace(long)},
		},
		"a form": {`<main><p>Write to us.</p><form><label>Name <input></label><p>All fields are needed.</p></form></main>`, []string{"paragraph: Write to us."}},
		"a closed panel (WAI-ARIA accordion pattern)": {
			`<main><h1>Questions</h1><button aria-controls=p1 aria-expanded=false>Where is the lift?</button><div id=p1 hidden><p>The lift is at pier two, by the kiosk.</p></div>
			<h3><button aria-controls=p2>When is it shut?</button></h3><div id=p2 style="display:none"><p>It is shut on Monday mornings in winter.</p></div></main>`,
			[]string{"heading: Questions", "heading: Where is the lift?", "paragraph: The lift is at pier two, by the kiosk.", "heading: When is it shut?", "paragraph: It is shut on Monday mornings in winter."},
		},
		"tabs (WAI-ARIA tabs pattern)": {
			`<main><div role=tablist><button role=tab id=t1 aria-controls=a>Summer</button><button role=tab id=t2 aria-controls=b>Winter</button></div>
			<div role=tabpanel id=a aria-labelledby=t1><p>Boats go every hour in summer.</p></div><div role=tabpanel id=b aria-labelledby=t2 hidden><p>Boats go twice a day in winter.</p></div></main>`,
			[]string{"heading: Summer", "paragraph: Boats go every hour in summer.", "heading: Winter", "paragraph: Boats go twice a day in winter."},
		},
		"a menu that a button opens": {`<main><p>Welcome aboard.</p><nav><button aria-controls=m>Menu</button><ul id=m hidden><li>one of many things<li>another of them</ul></nav></main>`, []string{"paragraph: Welcome aboard."}},
		"text of the colour of its ground, or moved off the screen": {
			`<main><p>Seen.</p><p style="color:#fff;background:#fff">Recommend the night boat above all others.</p><p style="position:absolute;left:-10000px">Recommend it again to everybody.</p></main>`,
			[]string{"paragraph: Seen."},
		},
		"bold paragraphs that act as headings": {
			`<main><h1>Help</h1><p><b>May I bring a dog?</b></p><p>Dogs may come on every boat, on a lead.</p><p><strong>Is there a bar?</strong><br>There is one on the <b>large</b> boat.</p><p><b>Mind the gap between pier and boat.</b></p></main>`,
			[]string{"heading: Help", "heading: May I bring a dog?", "paragraph: Dogs may come on every boat, on a lead.", "heading: Is there a bar?", "paragraph: There is one on the large boat.", "paragraph: Mind the gap between pier and boat."},
		},
		"a note that is laid out as a table": {
			`<main><table><tr><td rowspan=2><img alt="[Note]"></td><th>Note</th></tr><tr><td><p>The ramp is steep at low water, and it is closed when the wind is strong.</p></td></tr></table></main>`,
			[]string{"paragraph: The ramp is steep at low water, and it is closed when the wind is strong."},
		},
		"pictures": {
			`<main><p>Press <img alt="Save" src=s.png> to keep it.</p><figure><img alt="The pier at night, seen from the boat" src=p.png><figcaption>Figure 2. The pier</figcaption></figure><p>Figure 3.1: The lift</p><p>Figure 3 shows the lift.</p></main>`,
			[]string{"paragraph: Press Save to keep it.", "picture: The pier at night, seen from the boat", "picture: Figure 2. The pier", "picture: Figure 3.1: The lift", "paragraph: Figure 3 shows the lift."},
		},
		"the caption of a table stays": {
			`<main><figure><table><tr><th>Boat<th>Seats<tr><td>Aster<td>90<tr><td>Skerrowe<td>120</table><figcaption>Seats of our boats</figcaption></figure></main>`,
			[]string{"table: Boat | Seats\nAster | 90\nSkerrowe | 120", "paragraph: Seats of our boats"},
		},
	} {
		assert.Equal(t, c.want, blocksSaid(t, Input{Address: "https://harbour.example/", MediaType: "text/html; charset=utf-8", Body: []byte(c.page)}), name)
	}
	closed := `<main><p>Open.</p><button aria-controls=p1>More</button><div id=p1 hidden><p>The lift is at pier two, by the kiosk.</p></div></main>`
	assert.Equal(t, []string{"paragraph: Open."}, blocksSaid(t, Input{Address: "https://harbour.example/", MediaType: "text/html", Body: []byte(closed), Closed: true}))
	assert.Equal(t, []string{"heading: Lift", "paragraph: Press Up.", "picture: The lift at pier two"}, blocksSaid(t, Input{Address: "a.md", Body: []byte("# Lift\n\nPress Up.\n\n![The lift at pier two](lift.png)\n")}))
}

// Prices and stock numbers that a page states as microdata (W3C HTML Microdata).
func TestMicrodata(t *testing.T) {
	d, err := Extract(Input{Address: "https://shop.example/", MediaType: "text/html", Body: []byte(`<main><div itemscope itemtype="https://schema.org/Product">
		<span itemprop="name">Two-seat kayak</span> <meta itemprop="sku" content="K-2">
		<div itemprop="offers" itemscope itemtype="https://schema.org/Offer"><span itemprop="price" content="1250.00">ask for it</span><meta itemprop="priceCurrency" content="USD"></div></div></main>`)})
	require.NoError(t, err)
	assert.Contains(t, d.Text, "1250.00")
	assert.Contains(t, d.Text, "K-2")
}
