package prove

import (
	"fmt"
	"strconv"
	"strings"
)

// Floor is the least value of a measure, or of the pass rate of the questions with one tag.
type Floor struct {
	What  string  `json:"what" minLength:"1" maxLength:"120" doc:"Key of a measure, such as passed or facts; or tag: and the name of a tag"`
	Least float64 `json:"least" minimum:"0" maximum:"1"`
}

// ReadFloor reads a floor as people write it: facts=0.9, tag:fares=1.
func ReadFloor(s string) (Floor, error) {
	i := strings.LastIndexByte(s, '=')
	if i < 1 {
		return Floor{}, fmt.Errorf("a floor is like facts=0.9 or tag:fares=1, not %q", s)
	}
	x, err := strconv.ParseFloat(s[i+1:], 64)
	if err != nil || !(x >= 0 && x <= 1) {
		return Floor{}, fmt.Errorf("the floor %s: %q is not between 0 and 1", s, s[i+1:])
	}
	return Floor{s[:i], x}, nil
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

// Shortfall is a floor that a run stays below.
type Shortfall struct {
	Floor
	Value float64 `json:"value"`
}

// Below lists the floors that a run stays below.
func Below(s Summary, floors []Floor) ([]Shortfall, error) {
	out := []Shortfall{}
	for _, f := range floors {
		v, err := f.Value(s)
		if err != nil {
			return nil, err
		}
		if v < f.Least {
			out = append(out, Shortfall{f, v})
		}
	}
	return out, nil
}
