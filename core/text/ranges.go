package text

import (
	"math"
	"regexp"
	"strconv"
	"strings"
)

// Bounds are the values that a phrase allows: "2 to 7 days", "more than 10 kg", "under 5". Unit is a base unit ("hour" for
// durations), or "" for a bare number; bounds are in it.
type Bounds struct {
	Low, High         float64
	OpenLow, OpenHigh bool // the bound itself is not within
	Unit              string
}

// Holds reports whether an amount lies within.
func (b Bounds) Holds(x float64) bool {
	return (x > b.Low || x == b.Low && !b.OpenLow) && (x < b.High || x == b.High && !b.OpenHigh)
}

var rangeForms = []struct {
	re   *regexp.Regexp
	read func(a, b float64) Bounds
}{
	{en.Pattern("range-between"), func(a, b float64) Bounds { return Bounds{Low: a, High: b} }},
	{en.Pattern("range-over"), func(_, b float64) Bounds { return Bounds{Low: b, High: math.Inf(1), OpenLow: true} }},
	{en.Pattern("range-under"), func(_, b float64) Bounds { return Bounds{High: b, OpenHigh: true} }},
	{en.Pattern("range-up-to"), func(_, b float64) Bounds { return Bounds{High: b} }},
	{en.Pattern("range-at-least"), func(_, b float64) Bounds { return Bounds{Low: b, High: math.Inf(1)} }},
	{en.Pattern("range-plus"), func(_, b float64) Bounds { return Bounds{Low: b, High: math.Inf(1)} }},
}

var hours = map[string]float64{"second": 1.0 / 3600, "minute": 1.0 / 60, "min": 1.0 / 60, "hour": 1, "hr": 1, "day": 24, "week": 168, "month": 730, "year": 8760}

func baseUnit(u string) (unit string, factor float64) {
	u = strings.ToLower(u)
	if f, ok := hours[strings.TrimSuffix(u, "s")]; ok {
		return "hour", f
	}
	switch {
	case u == "":
		return "", 1
	case strings.HasPrefix(u, "kilo"), u == "kg":
		return "kg", 1
	case strings.HasPrefix(u, "tonne"):
		return "kg", 1000
	case u == "cm":
		return "m", 0.01
	case u == "km":
		return "m", 1000
	case u == "m", strings.HasPrefix(u, "metre"):
		return "m", 1
	case strings.HasPrefix(u, "mile"):
		return "m", 1609.344
	}
	return "person", 1
}

// BoundsIn finds the first range that a phrase states.
func BoundsIn(s string) (Bounds, bool) {
	for _, f := range rangeForms {
		m := f.re.FindStringSubmatch(s)
		if m == nil {
			continue
		}
		lowUnit, highUnit := m[2], m[4]
		if lowUnit == "" {
			lowUnit = highUnit
		}
		a, _ := strconv.ParseFloat(plain(m[1]), 64) // "" is 0: the form has no low number
		b, err := strconv.ParseFloat(plain(m[3]), 64)
		if err != nil {
			continue
		}
		_, fa := baseUnit(lowUnit)
		unit, fb := baseUnit(highUnit)
		out := f.read(a*fa, b*fb)
		out.Unit = unit
		return out, true
	}
	return Bounds{}, false
}

// Amount is a number with its base unit.
type Amount struct {
	Value float64
	Unit  string
}

var amountForm = en.Pattern("amount")

// Amounts finds the amounts that a question names: "three days" is 72 hours, "7 years old" is 61,320 hours and also,
// being an age, the bare number 7.
func Amounts(s string) []Amount {
	var out []Amount
	for _, m := range amountForm.FindAllStringSubmatch(s, -1) {
		x, err := strconv.ParseFloat(plain(m[1]), 64)
		if err != nil {
			continue
		}
		unit, f := baseUnit(m[2])
		out = append(out, Amount{x * f, unit})
		if strings.HasPrefix(strings.ToLower(m[2]), "year") || unit == "person" {
			out = append(out, Amount{x, ""})
		}
	}
	return out
}
