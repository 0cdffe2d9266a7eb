package extract

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// A message with an HTML part, an encoded subject and an attached file (RFC 2045, 2047 and 5322), and a page saved as one (RFC 2557).
func TestMessagesAndSavedPages(t *testing.T) {
	letter := strings.ReplaceAll(`From: Harbour office <office@harbour.example>
Date: Mon, 02 Mar 2026 09:30:00 +0000
Subject: =?utf-8?q?Ramp_closed_=E2=80=93_pier_two?=
MIME-Version: 1.0
Content-Type: multipart/mixed; boundary=a

--a
Content-Type: multipart/alternative; boundary=b

--b
Content-Type: text/plain; charset=utf-8

plain words
--b
Content-Type: text/html; charset=iso-8859-1
Content-Transfer-Encoding: quoted-printable

<p>The ramp is closed until Friday; it costs =A32.00 to use the lift.</p>
--b--
--a
Content-Type: application/pdf
Content-Disposition: attachment; filename="plan.pdf"

x
--a--
`, "\n", "\r\n")
	d, err := Extract(Input{Address: "notice.eml", Body: []byte(letter)})
	require.NoError(t, err)
	assert.Equal(t, "Ramp closed – pier two", d.Title)
	assert.Equal(t, "2026-03-02", d.Dated)
	assert.Equal(t, []string{
		"paragraph: From: Harbour office <office@harbour.example>", "paragraph: The ramp is closed until Friday; it costs £2.00 to use the lift.", "item: Attached: plan.pdf",
	}, blocksSaid(t, Input{Address: "notice.eml", Body: []byte(letter)}))

	page := strings.ReplaceAll(`From: <Saved by a browser>
Subject: Tides
MIME-Version: 1.0
Content-Type: multipart/related; type="text/html"; boundary=a

--a
Content-Type: text/html
Content-Transfer-Encoding: base64
Content-Location: https://harbour.example/tides

PHRpdGxlPlRpZGVzPC90aXRsZT48cD5IaWdoIHdhdGVyIGlzIGF0IG5vb24uPC9wPg==
--a
Content-Type: image/png
Content-Location: https://harbour.example/p.png

x
--a--
`, "\n", "\r\n")
	assert.Equal(t, []string{"paragraph: High water is at noon."}, blocksSaid(t, Input{Address: "tides.mht", Body: []byte(page)}))

	_, err = Extract(Input{Address: "contract.doc", Body: []byte{0xd0, 0xcf, 0x11, 0xe0}})
	assert.ErrorIs(t, err, ErrKind)
	assert.ErrorContains(t, err, "save it as .docx")
	for _, broken := range []string{"", "Subject: x\r\n\r\n", strings.Repeat("Content-Type: multipart/mixed; boundary=a\r\n\r\n--a\r\n", 100)} {
		_, err := Extract(Input{Address: "x.eml", Body: []byte(broken)})
		assert.Error(t, err)
	}
}

// Objects keep their owners: nested ones as columns of a record, those with more under their names.
func TestJSONKeepsOwners(t *testing.T) {
	assert.Equal(t, []string{"table: Name | Price amount | Price currency | Seats\nAster | 5 | GBP | 90, 12\nSkerrowe | 7 | GBP | 120"}, blocksSaid(t, Input{Address: "boats.json", Body: []byte(
		`[{"name":"Aster","price":{"amount":5,"currency":"GBP"},"seats":[90,12]},{"name":"Skerrowe","price":{"amount":7,"currency":"GBP"},"seats":[120]}]`,
	)}))
	assert.Equal(t, []string{"heading: Pier two", "item: Name: Pier two", "heading: Boats", "table: Name | Seats\nAster | 90\nSkerrowe | 120"}, blocksSaid(t, Input{Address: "piers.json", Body: []byte(
		`[{"name":"Pier two","boats":[{"name":"Aster","seats":90},{"name":"Skerrowe","seats":120}]}]`,
	)})[:4])
}
