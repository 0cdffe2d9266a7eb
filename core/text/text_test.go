package text

import (
	"strings"
	"testing"
	"unicode/utf8"

	"github.com/stretchr/testify/assert"
)

func norms(s string) string {
	var out []string
	for _, w := range Words(s) {
		out = append(out, w.Norm)
	}
	return strings.Join(out, " ")
}

// The first two cases are the example of Unicode Standard Annex #29, section 4 (word boundaries), from memory; the
// others follow its rules WB6/7 (apostrophe and full stop within words), WB11/12 (digits) and WB13a/b (underscore).
func TestWordsAgainstUAX29(t *testing.T) {
	cases := map[string]string{
		`The quick (“brown”) fox can't jump 32.3 feet, right?`: "the quick brown fox can't jump 32.3 feet right",
		"naïve Café":      "naive cafe",
		"1,200 pounds":    "1,200 pounds",
		"Tolmouth's pier": "tolmouth pier",
		"Tolmouth’s pier": "tolmouth pier",
		"dpkg-deb":        "dpkg deb",
		"foo_bar":         "foo_bar foo bar",
		"example.org":     "example.org example org",
		"…—!?":            "",
		"e-mail":          "e mail",
		"ﬁnd the ﬂag":     "find the flag",
	}
	for in, want := range cases {
		assert.Equal(t, want, norms(in), in)
	}
}

func TestWordsNameTheirPlace(t *testing.T) {
	s := "Ärger über 3.5 foo_bar’s"
	for _, w := range Words(s) {
		assert.NotEmpty(t, s[w.Start:w.End])
		assert.True(t, utf8.ValidString(s[w.Start:w.End]))
	}
}

// Words and stems from the sample vocabulary of the Snowball English stemmer (snowballstem.org, "The English (Porter2)
// stemming algorithm", the table at its top).
func TestStemAgainstSnowball(t *testing.T) {
	pairs := strings.Fields(`consign consign consigned consign consigning consign consignment consign consist consist consisted consist
		consistency consist consistent consist consistently consist consisting consist consists consist consolation consol
		consolations consol consolatory consolatori console consol consoled consol consoles consol consolidate consolid
		knack knack knackeries knackeri knacks knack knag knag knave knave knaves knave knavish knavish kneaded knead kneading knead
		knee knee kneel kneel kneeled kneel kneeling kneel kneels kneel knees knee knell knell knelt knelt knew knew knick knick`)
	for i := 0; i+1 < len(pairs); i += 2 {
		assert.Equal(t, pairs[i+1], Stem(pairs[i]), pairs[i])
	}
	assert.Equal(t, "rfc9309", Stem("rfc9309"), "words with digits stay")
}

func TestStopWordsAreLeftOut(t *testing.T) {
	var got []string
	for _, w := range Content("How much is the ferry to Sandrel?") {
		got = append(got, w.Norm)
	}
	assert.Equal(t, []string{"ferry", "sandrel"}, got)
}

func sentencesOf(s string) []string {
	var out []string
	for _, p := range Sentences(s) {
		out = append(out, s[p.Start:p.End])
	}
	return out
}

func TestSentences(t *testing.T) {
	cases := []struct {
		in   string
		want []string
	}{
		{"One. Two! Three?", []string{"One.", "Two!", "Three?"}},
		{"Bring food, e.g. bread. Dr. Hale agrees.", []string{"Bring food, e.g. bread.", "Dr. Hale agrees."}},
		{"It closes at 3 p.m. on Sunday. Come early.", []string{"It closes at 3 p.m. on Sunday.", "Come early."}},
		{"It closes at 3 p.m. The office is shut.", []string{"It closes at 3 p.m.", "The office is shut."}},
		{"A line\nthat goes on. And ends.", []string{"A line\nthat goes on.", "And ends."}},
		{"First\n\nSecond", []string{"First", "Second"}},
		{"The price is £4.50. Pay here.", []string{"The price is £4.50.", "Pay here."}},
		{"Ask J. Marlow (see p. 4). Then go.", []string{"Ask J. Marlow (see p. 4).", "Then go."}},
		{"Use No. 4 only. Stop.", []string{"Use No. 4 only.", "Stop."}},
		{"  ", nil},
	}
	for _, c := range cases {
		assert.Equal(t, c.want, sentencesOf(c.in), c.in)
	}
}

func TestQuantities(t *testing.T) {
	cases := []struct {
		in   string
		want string // kind value; ...
	}{
		{"It costs £4.50 or 4.50 pounds.", "price GBP 4.5; price GBP 4.5"},
		{"£1,090.00 a year", "price GBP 1090"},
		{"$3 million and €2k", "price USD 3000000; price EUR 2000"},
		{"80 pence", "price GBP 0.8"},
		{"two pounds sixty and two hundred and fifty pounds", "price GBP 2.6; price GBP 250"},
		{"a year and a half, one and a half hours, half an hour", "duration 1.5 year; duration 1.5 hour; duration 0.5 hour"},
		{"a fortnight, two fortnights or twenty-one days", "duration 14 day; duration 28 day; duration 21 day"},
		{"ten thousand people, 10 thousand, ten thousand five hundred", "number 10000; number 10000; number 10500"},
		{"29 February, 31 April", "date --02-29; number 31"},
		{"five and six of them", "number 5; number 6"},
		{"at 7.40 am, 07:40 and 7:40pm", "time 07:40; time 07:40; time 19:40"},
		{"noon to midnight", "time 12:00; time 00:00"},
		{"12 am and 12 p.m.", "time 00:00; time 12:00"},
		{"3rd May 2026, May 3, 2026, 2026-05-03, 3/5/2026", "date 2026-05-03; date 2026-05-03; date 2026-05-03; date 2026-05-03"},
		{"on 25 December", "date --12-25"},
		{"35 minutes, a two-hour trip, 10 working days", "duration 35 minute; duration 2 hour; number 10"},
		{"15 % or fifteen per cent", "percent 15%; percent 15%"},
		{"up to 23 kg", "measure 23 kg"},
		{"call 01632 960411 or +44 1632 960411", "phone 01632960411; phone +441632960411"},
		{"write to hello@tolmouthferries.example.", "mail hello@tolmouthferries.example"},
		{"see https://example.org/a?b=1.", "web https://example.org/a?b=1"},
		{"1,200 people and twenty-one dogs", "number 1200; number 21"},
		{"from 1998 to 2004", "number 1998; number 2004"},
		{"no figures here", ""},
	}
	for _, c := range cases {
		var got []string
		for _, q := range Quantities(c.in) {
			got = append(got, string(q.Kind)+" "+q.Value)
		}
		assert.Equal(t, c.want, strings.Join(got, "; "), c.in)
	}
}

func TestBounds(t *testing.T) {
	cases := []struct {
		label  string
		amount string
		holds  bool
	}{
		{"2 to 7 days", "three days", true},
		{"2 to 7 days", "a week, 7 days", true},
		{"2 to 7 days", "48 hours", true},
		{"More than 7 days before departure", "7 days", false},
		{"More than 7 days before departure", "12 days", true},
		{"Less than 24 hours", "5 hours", true},
		{"Less than 24 hours", "two days", false},
		{"Child (5 to 15)", "7 years", true},
		{"Senior (65 and over)", "70 years", true},
		{"Senior (65 and over)", "64 years", false},
		{"Up to 4 hours", "4 hours", true},
		{"Parcel up to 10 kg", "12 kg", false},
	}
	for _, c := range cases {
		b, ok := BoundsIn(c.label)
		assert.True(t, ok, c.label)
		held := false
		for _, a := range Amounts(c.amount) {
			held = held || a.Unit == b.Unit && b.Holds(a.Value)
		}
		assert.Equal(t, c.holds, held, "%s: %s", c.label, c.amount)
	}
	_, ok := BoundsIn("Motorhome")
	assert.False(t, ok)
}

func FuzzWordsAndSentences(f *testing.F) {
	for _, s := range []string{"", "a.b_c:d", "Dr.", "\xff\xfe", "1.2.3.", "«Ça va?» – Oui.", "a\n\nb", strings.Repeat("(", 50)} {
		f.Add(s)
	}
	f.Fuzz(func(t *testing.T, s string) {
		for _, w := range Words(s) {
			if w.Start < 0 || w.End > len(s) || w.Start >= w.End {
				t.Fatalf("word %+v outside a text of %d bytes", w, len(s))
			}
		}
		at := 0
		for _, p := range Sentences(s) {
			if p.Start < at || p.End > len(s) || p.Start >= p.End {
				t.Fatalf("sentence %+v after %d in a text of %d bytes", p, at, len(s))
			}
			at = p.End
		}
		for _, q := range Quantities(s) {
			if q.Start < 0 || q.End > len(s) || q.Value == "" {
				t.Fatalf("quantity %+v", q)
			}
		}
	})
}

func TestFoldedAreTheWordsAlone(t *testing.T) {
	for _, s := range []string{"", "Dogs' leads: foo_bar, a.b and dpkg-deb.", "ÉTÉ at 12:30, 3.5 km; it’s Mary’s", "日本 x_ _y ..."} {
		var want []string
		for _, w := range Words(s) {
			want = append(want, w.Norm)
		}
		assert.Equal(t, want, append([]string(nil), Folded(s)...), s)
	}
}

func TestFewWordsTellTheirLanguage(t *testing.T) {
	for s, want := range map[string]string{
		"Combien coûte":                 "fr",
		"Was kostet ein Hund?":          "de",
		"wie viel":                      "de",
		"¿Dónde puedo aparcar?":         "es",
		"où est le quai":                "fr",
		"refund kayak":                  "",
		"die in a car, war and plus":    "en",
		"sea plane trip":                "",
		"Hotel de la Mer":               "",
		"How much is the Grüße letter?": "en",
		"":                              "",
	} {
		got, n := ByFunctionWords(Words(s))
		assert.Equal(t, want, got, "%s (%d)", s, n)
	}
	assert.Equal(t, []string{"fr"}, FunctionWord("combien"))
	assert.Empty(t, FunctionWord("kayak"))
}
