package channels

import (
	"bytes"
	"fmt"
	"strings"
	"testing"
	"time"
	"unicode/utf8"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"jolvex/internal/fault"
	"jolvex/internal/serving"
)

func mailOf(lines ...string) []byte { return []byte(strings.Join(lines, "\r\n") + "\r\n") }

// What is quoted and signed: "-- " is RFC 3676, 4.3; the heads of quotations are common practice, no published source.
func TestWhatSomebodyWroteThemselves(t *testing.T) {
	for name, x := range map[string]struct{ text, own string }{
		"nothing quoted":       {"How much is it?\nAnd when?", "How much is it?\nAnd when?"},
		"signature":            {"How much is it?\n-- \nBen\nQuay Street", "How much is it?"},
		"a dash in a list":     {"I want\n- a boat\n- a bus", "I want\n- a boat\n- a bus"},
		"quoted below":         {"Thanks. And a cat?\n\nOn Mon, 4 May 2026 at 10:12, Desk <a@b.example> wrote:\n> Two pounds.\n> Ask again.\n", "Thanks. And a cat?"},
		"in two lines":         {"Und mein Hund?\n\nAm 4. Mai 2026 um 10:12 schrieb\nDesk <a@b.example>:\n> Zwei Pfund.\n", "Und mein Hund?"},
		"answered in between":  {"Hello\n\n> When?\n\nAt noon.\n\n> Where?\n\nOn the quay.", "Hello\n\nAt noon.\n\nOn the quay."},
		"a colon of one's own": {"My questions:\n> quoted\n\nWhen?", "My questions:\n\nWhen?"},
		"a head of its own":    {"And a cat?\n\n-----Original Message-----\nFrom: Desk <a@b.example>\nSent: Monday\nTo: Ben\nSubject: Dog\n\nTwo pounds.", "And a cat?"},
		"a head in bold":       {"Et un chat ?\n\n________________________________\n*De :* Desk <a@b.example>\n*Envoyé :* lundi\n*À :* Ben\n\nDeux livres.", "Et un chat ?"},
		"labels, no mail":      {"From: Tolmouth\nTo: Sandrel\nDate: Monday\nHow much?", "From: Tolmouth\nTo: Sandrel\nDate: Monday\nHow much?"},
	} {
		assert.Equal(t, x.own, own(x.text), name)
	}
}

// Greetings and closings of letters: common practice, no published source.
func TestAQuestionIsTakenOutOfItsLetter(t *testing.T) {
	for letter, question := range map[string]string{
		"Dear team,\n\ndoes a dog need a ticket?\n\nKind regards\nInes Holt":                                 "does a dog need a ticket?",
		"Hello!\nDoes a dog need a ticket?\n\nThanks,\n\nInes":                                               "Does a dog need a ticket?",
		"Sehr geehrte Damen und Herren,\n\nbraucht ein Hund eine Karte?\n\nMit freundlichen Grüßen\nJ. Holt": "braucht ein Hund eine Karte?",
		"Bonjour,\n\nun chien paie-t-il ?\n\nCordialement\nInes":                                             "un chien paie-t-il ?",
		"Hi\n\ndog to Sandrel price":                                                                         "Hi\n\ndog to Sandrel price",
		"dog price":                                                                                          "dog price",
		"Dogs and cats:\n\nhow much are they?\nAnd when is the first boat on 4 May?":                         "how much are they?\nAnd when is the first boat on 4 May?",
		"When does it leave?\n\nAnd how long does it take to get there with two dogs":                        "When does it leave?\n\nAnd how long does it take to get there with two dogs",
		"": "",
	} {
		assert.Equal(t, question, within(letter))
	}
}

func TestALetterIsRead(t *testing.T) {
	l, err := readLetter(mailOf("From: =?utf-8?q?J=C3=BCrgen?= <j@customers.example>", "Reply-To: other@customers.example", "Subject: =?iso-8859-1?q?F=E4hre?=",
		"Message-ID: <a@b>", "In-Reply-To: <2@c>", "References: <1@c> <2@c>", "MIME-Version: 1.0", `Content-Type: multipart/alternative; boundary="x"`, "",
		"--x", "Content-Type: text/plain; charset=iso-8859-1", "Content-Transfer-Encoding: quoted-printable", "", "Was kostet die F=E4hre?", "--x", "Content-Type: text/html", "", "<p>other</p>", "--x--"))
	require.NoError(t, err)
	assert.Equal(t, letter{id: "<a@b>", answers: []string{"<2@c>", "<1@c>"}, from: l.from, to: "other@customers.example", subject: "Fähre", text: "Was kostet die Fähre?"}, l)
	assert.Equal(t, "Jürgen", l.from.Name)

	l, err = readLetter(mailOf("From: a@b.example", "Content-Type: text/html", "", "<style>p{}</style><p>How much is <b>a dog</b>?</p><script>alert(1)</script><div>On 4 May 2026, Desk wrote:</div><blockquote><p>Two pounds.</p></blockquote>"))
	require.NoError(t, err)
	assert.Equal(t, "How much is a dog?", l.text)
	assert.NotEmpty(t, l.id, "one without an id is known by what it holds")

	for name, raw := range map[string][]byte{"empty": nil, "no sender": mailOf("Subject: x", "", "How much?"), "two senders": mailOf("From: a@b.example, c@d.example", "", "How much?"), "noise": {0, 1, 2, 0xff}} {
		_, err := readLetter(raw)
		assert.ErrorIs(t, err, fault.ErrInput, name)
	}
}

// Each sentence of RFC 3834, chapter 2, that says when a responder does not respond; lists by RFC 2369 and RFC 2919.
func TestMachinesAreNotAnswered(t *testing.T) {
	for header, machine := range map[string]bool{
		"Auto-Submitted: auto-generated": true, "Auto-Submitted: auto-replied": true, "Auto-Submitted: auto-notified; owner-email=x@y.example": true, "Auto-Submitted: no": false,
		"Return-Path: <>": true, "Return-Path: <a@b.example>": false, "List-Id: <a.b.example>": true, "List-Unsubscribe: <mailto:x@y.example>": true,
		"Precedence: bulk": true, "Precedence: first-class": false, "X-Nothing: x": false,
	} {
		l, err := readLetter(mailOf("From: a@b.example", header, "", "How much?"))
		require.NoError(t, err)
		assert.Equal(t, machine, l.machine != "", header)
	}
	for from, machine := range map[string]bool{
		"MAILER-DAEMON@b.example": true, "postmaster@b.example": true, "no-reply@b.example": true, "Do_Not_Reply@b.example": true, "owner-all@b.example": true, "all-request@b.example": true, "nora@b.example": false, "bounceback@b.example": false,
	} {
		l, err := readLetter(mailOf("From: "+from, "", "How much?"))
		require.NoError(t, err)
		assert.Equal(t, machine, l.machine != "", from)
	}
}

func TestHostileMailIsReadSoonOrNot(t *testing.T) {
	nested := func(deep int) []byte {
		var b bytes.Buffer
		b.WriteString("From: a@b.example\r\n")
		for n := range deep {
			fmt.Fprintf(&b, "Content-Type: multipart/mixed; boundary=\"b%d\"\r\n\r\n--b%d\r\n", n, n)
		}
		b.WriteString("\r\nHow much?\r\n")
		return b.Bytes()
	}
	for name, raw := range map[string][]byte{
		"deep":         nested(50),
		"too deep":     nested(100_000),
		"many parts":   append(mailOf("From: a@b.example", `Content-Type: multipart/mixed; boundary="x"`, ""), bytes.Repeat([]byte("--x\r\n\r\na\r\n"), 100_000)...),
		"many headers": append(mailOf("From: a@b.example"), append(bytes.Repeat([]byte("X: y\r\n"), 300_000), []byte("\r\nHow much?")...)...),
		"one line":     append(mailOf("From: a@b.example", ""), bytes.Repeat([]byte("a"), 8<<20)...),
		"many answers": append(append([]byte("From: a@b.example\r\nReferences: "), bytes.Repeat([]byte("<a@b> "), 100_000)...), []byte("\r\n\r\nHow much?")...),
		"quotes":       append(mailOf("From: a@b.example", ""), bytes.Repeat([]byte("> x\n\n"), 500_000)...),
		"tags":         append(mailOf("From: a@b.example", "Content-Type: text/html", ""), bytes.Repeat([]byte("<div><b>"), 100_000)...),
	} {
		done := make(chan error, 1)
		go func() {
			l, err := readLetter(raw)
			if err == nil && len(asked(l)) > mostText {
				err = fmt.Errorf("%d bytes are asked", len(asked(l)))
			}
			done <- err
		}()
		select {
		case err := <-done:
			if err != nil {
				assert.ErrorIs(t, err, fault.ErrInput, name)
			}
		case <-time.After(20 * time.Second): // what reading a hostile document may take
			t.Errorf("%s: still being read", name)
		}
	}
}

func TestLongRepliesAreSentInParts(t *testing.T) {
	long := strings.Repeat("A boat leaves at noon. Another one leaves at five, and waits for the bus!\n\n", 40)
	for _, longest := range []int{160, 500, 4096} {
		got := parts(long, longest)
		var all []string
		for _, p := range got {
			assert.LessOrEqual(t, utf8.RuneCountInString(p), longest)
			all = append(all, strings.Fields(p)...)
		}
		assert.Equal(t, strings.Fields(long), all, "nothing is lost or doubled")
	}
	assert.Equal(t, []string{"Fähre"}, parts("Fähre", 0))
	assert.Empty(t, parts("  ", 160))
	assert.Len(t, parts(strings.Repeat("ä", 400), 160), 3, "a word without an end")
}

func TestMarkup(t *testing.T) {
	s := serving.Said{
		Sentences: []serving.Sentence{{Text: "A *lift* costs <b>£2</b> [each]."}}, Options: []string{"Summer", "A *lift*"},
		Sources: []serving.Source{{Title: "Lifts & more", Link: "https://example.org/a(b)"}, {Title: "Leaflet.pdf"}},
	}
	for markup, want := range map[string]string{
		MarkupPlain:    "A *lift* costs <b>£2</b> [each].\n\n– Summer\n\nLifts & more: https://example.org/a(b)\nLeaflet.pdf\n\nBy a machine.",
		MarkupMarkdown: "A \\*lift\\* costs \\<b>£2\\</b> \\[each\\].\n\n– Summer\n\n[Lifts \\& more](https://example.org/a%28b%29)\nLeaflet.pdf\n\nBy a machine.",
		MarkupHTML:     "A *lift* costs &lt;b&gt;£2&lt;/b&gt; [each].\n\n– Summer\n\n<a href=\"https://example.org/a(b)\">Lifts &amp; more</a>\nLeaflet.pdf\n\nBy a machine.",
	} {
		assert.Equal(t, want, written(s, ChannelSettings{Markup: markup, Sources: true}, "By a machine."), markup)
	}
	assert.Equal(t, "A *lift* costs <b>£2</b> [each].\n\n– Summer", written(s, ChannelSettings{Markup: MarkupPlain}, ""))
	assert.Equal(t, "Re: Dog", subject("Dog"))
	assert.Equal(t, "RE: Dog", subject("RE: Dog"))
}
