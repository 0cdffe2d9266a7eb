package text

import (
	"math/rand/v2"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
)

// every tries all forms of figure at every place, whatever the signs.
func every(s string) []Quantity {
	saved := recognisers
	defer func() { recognisers = saved }()
	all := make([]recogniser, len(saved))
	for i, r := range saved {
		r.needs = 0
		if r.re.anchored {
			r.re = anywhere(strings.Replace(r.re.String(), "^", `\b`, 1))
		}
		all[i] = r
	}
	recognisers = all
	return Quantities(s + " @")
}

// Looking for signs first loses no figure.
func TestSignsLoseNothing(t *testing.T) {
	words := strings.Fields("half past nine seven o'clock noon 7.40 pm 07:40 £4.50 4.50 pounds €12 twelve euros 50p 15 % fifteen per cent 3rd May 2026 May 3 2026-05-03 3/5/2026 two hours 35-minute 4.5 m 23 kg 20 °C 1,200 01632 960411 desk@example.org https://example.org/a the boat takes about until and a.m. 9 a.m. twenty-five to ten quarter 10k £2m 5GB March to A4 x7 3_4 no.12 (5) 7-8 4five")
	r := rand.New(rand.NewPCG(1, 2))
	for range 4000 {
		var b strings.Builder
		for range 1 + r.IntN(7) {
			b.WriteString(words[r.IntN(len(words))])
			b.WriteString([]string{" ", " ", ", ", "-"}[r.IntN(4)])
		}
		s := b.String()
		assert.Equal(t, every(s), Quantities(s), s)
	}
}

func BenchmarkQuantities(b *testing.B) {
	for name, s := range map[string]string{
		"none": "The master of the boat decides whether it sails and tells everybody in the waiting room about it.",
		"one":  "The crossing takes about 35 minutes when the sea is calm and the wind is from the west.",
	} {
		b.Run(name, func(b *testing.B) {
			for b.Loop() {
				Quantities(s)
			}
		})
	}
}
