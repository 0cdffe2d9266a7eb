package extract

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func structured(t *testing.T, visible, data string) string {
	t.Helper()
	d, err := Extract(Input{Address: "https://a.example/x", MediaType: "text/html", Body: []byte(`<title>X</title><script type="application/ld+json">` + data + `</script><main><p>Shown.</p>` + visible + `</main>`)})
	require.NoError(t, err)
	require.NoError(t, d.Check())
	return d.Text
}

// The examples of schema.org for Product with Offer, Event, openingHours, OpeningHoursSpecification and VideoObject,
// shortened (schema.org/Product, /Event, /openingHours, /OpeningHoursSpecification, /VideoObject).
func TestStructuredDataOfSchemaOrg(t *testing.T) {
	got := structured(t, "", `{"@context":"https://schema.org","@type":"Product","name":"Kenmore White 17\" Microwave","brand":{"@type":"Brand","name":"ACME"},"offers":{"@type":"Offer","availability":"https://schema.org/InStock","price":"55.00","priceCurrency":"USD"}}`)
	assert.Contains(t, got, "Price | $55.00")
	assert.Contains(t, got, "Availability | In stock")
	assert.Contains(t, got, "Brand | ACME")
	got = structured(t, "", `[{"@type":"Event","name":"Typhoon with Radiation City","startDate":"2013-09-14T21:30","location":{"@type":"Place","name":"The Hi-Dive","address":{"streetAddress":"7 S. Broadway","addressLocality":"Denver"}},"offers":{"@type":"Offer","price":"13.00","priceCurrency":"USD"}}]`)
	assert.Contains(t, got, "Begins | 2013-09-14 21:30")
	assert.Contains(t, got, "Place | The Hi-Dive")
	assert.Contains(t, got, "Price | $13.00")
	got = structured(t, "", `{"@graph":[{"@type":"LocalBusiness","name":"Middle of Nowhere Foods","openingHours":["Mo-Sa 11:00-14:30","Mo,Th 17:00-21:30"],"telephone":"0131 496 0000"}]}`)
	assert.Contains(t, got, "Open Monday to Saturday | 11:00 to 14:30")
	assert.Contains(t, got, "Open Monday, Thursday | 17:00 to 21:30")
	assert.Contains(t, got, "Telephone | 0131 496 0000")
	got = structured(t, "", `{"@type":"Store","name":"Pier shop","openingHoursSpecification":[{"@type":"OpeningHoursSpecification","dayOfWeek":["http://schema.org/Tuesday","Wednesday"],"opens":"12:00:00","closes":"22:00"},{"dayOfWeek":"Sunday","opens":"00:00","closes":"00:00","validFrom":"2026-12-25"}]}`)
	assert.Contains(t, got, "Open Tuesday, Wednesday | 12:00 to 22:00")
	assert.Contains(t, got, "Open Sunday, from 2026-12-25 | closed")
	got = structured(t, "", `{"@type":"VideoObject","name":"In fog","transcript":"We go at half speed."}`)
	assert.Contains(t, got, "We go at half speed.")
}

func TestStructuredDataThatIsShownIsNotSaidTwice(t *testing.T) {
	const data = `{"@type":"FAQPage","mainEntity":{"@type":"Question","name":"Is it open?","acceptedAnswer":{"@type":"Answer","text":"<p>Yes, <b>daily</b>.</p>"}}}`
	assert.Contains(t, structured(t, "", data), "Is it open?\n\nYes, daily.")
	assert.NotContains(t, structured(t, "<p>Yes, daily.</p>", data), "Is it open?")
	assert.NotContains(t, structured(t, "<p>Costs $55.00</p>", `{"@type":"Product","name":"M","offers":{"price":"55.00","priceCurrency":"USD"}}`), "Price |")
	for _, broken := range []string{`{`, `[]`, `null`, `{"@type":7}`, `{"@type":"FAQPage","mainEntity":[1,"x",{"name":[]}]}`, `{"@type":"Product","offers":"none"}`, `{"openingHours":[7,{}]}`} {
		assert.Equal(t, "Shown.", structured(t, "", broken), broken)
	}
}
