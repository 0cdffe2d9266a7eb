package answer

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"jolvex/core/index"
)

func TestTheTightestRangeIsTheRow(t *testing.T) {
	b := bench(t, index.Public, map[string]string{"post": "# Post\n\n## Parcels\n\n| Parcel | Price |\n|---|---|\n| Parcel up to 30 kg | £9.50 |\n| Parcel up to 10 kg | £5.00 |\n| Parcel up to 2 kg | £3.00 |\n"})
	for q, want := range map[string]string{"What does a parcel of 8 kg cost?": "£5.00", "price of a parcel of 1 kg": "£3.00", "What is the price of a parcel of 22 kg?": "£9.50"} {
		text := ask(t, b, q).Text()
		assert.Contains(t, text, want, q)
		for _, other := range []string{"£9.50", "£5.00", "£3.00"} {
			if other != want {
				assert.NotContains(t, text, other, q)
			}
		}
	}
}

func TestALaterQuestionOfAMessageLeansOnTheFirst(t *testing.T) {
	b := bench(t, index.Public, map[string]string{
		"parking": "# Parking\n\nThe car park is behind the school.\n\n| Stay | Price |\n|---|---|\n| One day | £7.50 |\n| One week | £32.00 |\n",
		"tickets": "# Tickets\n\nA day ticket costs £4.00. A day return costs £6.00.\n",
	})
	b.Query.Split = true
	assert.Contains(t, ask(t, b, "Where is the car park? What does a day cost?").Text(), "£7.50")
}
