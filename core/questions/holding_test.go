package questions

import (
	"testing"

	"github.com/stretchr/testify/assert"
)

func TestHolding(t *testing.T) {
	assert.Equal(t, []Expectation{{Kind: Gives, Values: []string{"£25.00"}}, {Kind: Gives, Values: []string{"12 months"}}}, Holding("Vouchers cost from £25.00, and are valid for 12 months. Ask at the office by 17:00."))
	assert.Equal(t, []Expectation{{Kind: Mentions, Values: []string{"Dogs travel on a lead", "Three lie on the deck"}}}, Holding("Dogs travel on a lead.\nThree lie on the deck."))
	for _, e := range Holding("No.") {
		assert.NoError(t, e.Check())
	}
}
