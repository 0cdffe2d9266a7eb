package prove

import (
	"fmt"
	"strconv"
	"strings"
)

// Floor is what a measure, or the pass rate of the questions with one tag, must reach; or, of a measure that is to stay low, what it may
// not exceed.
type Floor struct {
	What   string  `json:"what" minLength:"1" maxLength:"120" doc:"Key of a measure, such as passed or facts; or tag: and the name of a tag"`
	Bound  float64 `json:"bound" minimum:"0" doc:"A share from 0 to 1; of words, their number"`
	AtMost bool    `json:"atMost,omitempty" doc:"The measure may not exceed the bound, in place of staying below it: words, accident"`
}

// ReadFloor reads a floor as people write it: facts=0.9, tag:fares=1; or words<=60.
func ReadFloor(s string) (Floor, error) {
	i := strings.LastIndexByte(s, '=')
	if i < 1 {
		return Floor{}, fmt.Errorf("a floor is like facts=0.9, tag:fares=1 or words<=60, not %q", s)
	}
	f := Floor{What: s[:i]}
	if i > 1 && f.What[i-1] == '<' {
		f.What, f.AtMost = f.What[:i-1], true
	}
	if f.What == "<" {
		return Floor{}, fmt.Errorf("the floor %s names no measure", s)
	}
	x, err := strconv.ParseFloat(s[i+1:], 64)
	if err != nil || !(x >= 0) || x > 1 && f.What != wordsKey {
		return Floor{}, fmt.Errorf("the floor %s: %q is not between 0 and 1", s, s[i+1:])
	}
	f.Bound = x
	return f, nil
}

// Value is what a run measured of what the floor is about. A run that does not measure it is an error: a floor under nothing would
// hold by itself.
func (f Floor) Value(s Summary) (float64, error) {
	if tag, ok := strings.CutPrefix(f.What, "tag:"); ok {
		r, ok := s.ByTag[tag]
		if !ok {
			return 0, fmt.Errorf("no question of the run has the tag %q", tag)
		}
		return r.Rate, nil
	}
	var keys []string
	for _, x := range s.Figures {
		if x.Key == f.What {
			return x.Value, nil
		}
		keys = append(keys, x.Key)
	}
	return 0, fmt.Errorf("the run has no measure %q; it has %s", f.What, strings.Join(keys, ", "))
}

// Shortfall is a floor that a run does not hold.
type Shortfall struct {
	Floor
	Value float64 `json:"value"`
}

// Below lists the floors that a run does not hold.
func Below(s Summary, floors []Floor) ([]Shortfall, error) {
	out := []Shortfall{}
	for _, f := range floors {
		v, err := f.Value(s)
		if err != nil {
			return nil, err
		}
		if v < f.Bound && !f.AtMost || v > f.Bound && f.AtMost {
			out = append(out, Shortfall{f, v})
		}
	}
	return out, nil
}
