package ground

import (
	"slices"

	"jolvex/core/text"
)

// compared holds a claim that puts one row over another, or first of all, against the figures of the table. Where the columns that it can
// mean do not agree, nothing is told.
func (c *claim) compared(places []place) []Trouble {
	for _, t := range tablesOf(places) {
		if trouble := c.comparedIn(t); trouble != nil {
			return trouble
		}
	}
	return nil
}

func (c *claim) comparedIn(t *table) []Trouble {
	for _, how := range []struct {
		at   []int
		sign float64
		all  bool
	}{
		{moreThan.FindStringIndex(c.said), 1, false},
		{lessThan.FindStringIndex(c.said), -1, false},
		{ofAllMost.FindStringIndex(c.said), 1, true},
		{ofAllLeast.FindStringIndex(c.said), -1, true},
	} {
		if how.at == nil {
			continue
		}
		one := most(singular(text.Stems(c.said[:how.at[0]])), t.own)
		other := most(singular(text.Stems(c.said[how.at[1]:])), t.own)
		if how.all {
			other = nil
			if len(one) == 0 {
				one = most(c.stems, t.own)
			}
			for i := range t.rows {
				if len(one) == 1 && i != one[0] {
					other = append(other, i)
				}
			}
		}
		if len(one) != 1 || len(other) == 0 || !how.all && len(other) != 1 {
			continue
		}
		money := ofMoney.MatchString(c.said)
		holds, fails := 0, 0
		_, heads := t.meantHeads(c, how.at[0])
		for _, x := range t.rows[one[0]].Cells {
			if len(heads) > 0 && !slices.Contains(heads, x.Head) {
				continue
			}
			mine, ok := amount(x.Text, money)
			if !ok {
				continue
			}
			is := true
			for _, i := range other {
				theirs, ok := 0.0, false
				for _, y := range t.rows[i].Cells {
					if y.Head == x.Head {
						theirs, ok = amount(y.Text, money)
					}
				}
				is = is && (!ok || how.sign*(mine-theirs) > 0)
			}
			if is {
				holds++
			} else {
				fails++
			}
		}
		if fails > 0 && holds == 0 {
			return []Trouble{trouble(Compare, c.said[how.at[0]:how.at[1]])}
		}
	}
	return nil
}

// amount is the first figure of a cell that can be compared; of money alone where prices are compared.
func amount(cell string, money bool) (float64, bool) {
	for _, q := range text.Quantities(cell) {
		if money && q.Kind != text.Money {
			continue
		}
		if v, _, ok := q.Base(); ok {
			return v, true
		}
	}
	return 0, false
}
