package group

import (
	"fmt"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"jolvex/core/embed"
	"jolvex/core/measure"
)

func items(t *testing.T, texts ...string) []Item {
	e, err := embed.NewEncoder()
	require.NoError(t, err)
	vs, err := e.Embed(t.Context(), texts)
	require.NoError(t, err)
	out := make([]Item, len(texts))
	for i := range texts {
		out[i] = Item{Text: texts[i], Vector: vs[i]}
	}
	return out
}

func TestGroups(t *testing.T) {
	is := items(t, "Can I bring my dog?", "How much is parking?", "dogs allowed", "parking for a week", "is my dog allowed on board", "parking price", "Do you sell gift vouchers?", "gift voucher")
	want := []int{0, 1, 0, 1, 0, 1, 2, 2}
	assert.Equal(t, want, Groups(is, nil, Usual()))
	for i := range is {
		is[i].Vector = nil
	}
	got := Groups(is, nil, Usual())
	assert.Equal(t, got[6], got[7], "without vectors, by words")
	assert.NotEqual(t, got[0], got[1])
	assert.Empty(t, Groups(nil, nil, Usual()))
}

func TestSeedsStayApart(t *testing.T) {
	is := items(t, "dogs allowed", "Can I bring my dog?", "are dogs allowed on board", "gift voucher")
	is[0].Seed, is[1].Seed = 1, 2
	got := Groups(is, nil, Usual())
	assert.NotEqual(t, got[0], got[1], "two groups that are there are never one")
	assert.Contains(t, got[:2], got[2], "what is new goes to one of them")
	is[1].Seed, is[3].Seed = 1, 1
	got = Groups(is, nil, Usual())
	assert.Equal(t, got[0], got[3], "and what is together stays so, however unlike")
}

// TestGroupsAgainstPlainDefinition holds the fast way against the definition: join the two groups whose items are most alike on average, until
// none are alike enough (Sokal and Michener 1958).
func TestGroupsAgainstPlainDefinition(t *testing.T) {
	r := rand.New(rand.NewPCG(1, 2))
	for round := range 20 {
		is := make([]Item, 12+r.IntN(20))
		for i := range is {
			v := make(embed.Vector, 8)
			for k := range v {
				v[k] = int8(r.IntN(255) - 127)
			}
			is[i] = Item{Text: fmt.Sprint(i), Vector: v}
			if r.IntN(5) == 0 {
				is[i].Seed = 1 + r.IntN(3)
			}
		}
		f := Fit{Near: .1, Common: 1}
		assert.InDelta(t, 1, measure.AdjustedRand(Groups(is, nil, f), plainly(is, f)), 1e-9, "round %d", round)
	}
}

func plainly(is []Item, f Fit) []int {
	n := len(is)
	like := likenesses(is, nil, f)
	of := make([]int, n)
	seed := map[int]int{}
	for i := range of {
		of[i] = i
		for j := range i {
			if is[i].Seed > 0 && is[j].Seed == is[i].Seed {
				of[i] = of[j]
			}
		}
		seed[of[i]] = max(seed[of[i]], is[i].Seed)
	}
	for {
		a, b, best := -1, -1, f.Near
		for x := range n {
			for y := x + 1; y < n; y++ {
				sum, count := 0.0, 0
				for i := range n {
					for j := range n {
						if of[i] == x && of[j] == y {
							sum, count = sum+float64(like[i*n+j]), count+1
						}
					}
				}
				if count > 0 && sum/float64(count) >= best && !(seed[x] > 0 && seed[y] > 0) {
					a, b, best = x, y, sum/float64(count)
				}
			}
		}
		if a < 0 {
			return of
		}
		for i := range of {
			if of[i] == b {
				of[i] = a
			}
		}
		seed[a] = max(seed[a], seed[b])
	}
}

func TestTitle(t *testing.T) {
	assert.Equal(t, 1, Title([]string{"gift voucher", "Do you sell gift vouchers?", "a present"}))
	assert.Equal(t, 0, Title([]string{"parking", "Where may I park the car?", "Parking"}), "the most frequent wording")
}
