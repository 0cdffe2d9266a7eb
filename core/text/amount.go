package text

import (
	"strconv"
	"strings"
	"time"
)

// minutesOf is how many minutes each unit of duration has; a month counts 30 days, a year 365.
var minutesOf = map[string]float64{"second": 1.0 / 60, "minute": 1, "hour": 60, "day": 1440, "night": 1440, "week": 10080, "month": 43200, "year": 525600}

// dimensions are the kinds of measure by their units.
var dimensions = map[string]QuantityKind{"kg": Weight, "g": Weight, "t": Weight, "mm": Length, "cm": Length, "m": Length, "km": Length, "mile": Length, "in": Length, "ft": Length}

// Dimension is the kind of a measure by its unit, Weight or Length; of other figures it is their kind.
func (q Quantity) Dimension() QuantityKind {
	if q.Kind == Measure {
		_, unit, _ := strings.Cut(q.Value, " ")
		if k := dimensions[unit]; k != "" {
			return k
		}
	}
	return q.Kind
}

// Is reports whether a figure is of a kind; a weight and a length are measures, too.
func (q Quantity) Is(k QuantityKind) bool { return q.Kind == k || q.Dimension() == k }

// Amount is a figure as a number that can be compared with others of the same unit: minutes for times of day and durations,
// days since 1970 for dates, the currency's unit for money. It reports false for what is no amount: addresses, telephone
// numbers, dates without a year.
func (q Quantity) Amount() (v float64, unit string, ok bool) {
	switch q.Kind {
	case Clock:
		h, m, found := strings.Cut(q.Value, ":")
		hours, err1 := strconv.Atoi(h)
		minutes, err2 := strconv.Atoi(m)
		return float64(60*hours + minutes), "", found && err1 == nil && err2 == nil
	case Date:
		t, err := time.Parse("2006-01-02", q.Value)
		return float64(t.Unix() / 86400), "day", err == nil
	case Money:
		currency, n, found := strings.Cut(q.Value, " ")
		x, err := strconv.ParseFloat(n, 64)
		return x, currency, found && err == nil
	case Percent:
		x, err := strconv.ParseFloat(strings.TrimSuffix(q.Value, "%"), 64)
		return x, "%", err == nil
	case Duration:
		n, u, _ := strings.Cut(q.Value, " ")
		x, err := strconv.ParseFloat(n, 64)
		return x * minutesOf[u], "", err == nil && minutesOf[u] > 0
	case Measure, Number:
		n, u, _ := strings.Cut(q.Value, " ")
		x, err := strconv.ParseFloat(n, 64)
		return x, u, err == nil
	}
	return 0, "", false
}

// baseOf are the base unit of each unit of measure, and how many of it one is.
var baseOf = map[string]struct {
	unit string
	n    float64
}{
	"t": {"kg", 1000}, "g": {"kg", 0.001}, "mm": {"m", 0.001}, "cm": {"m", 0.01}, "km": {"m", 1000}, "mile": {"m", 1609.344}, "in": {"m", 0.0254}, "ft": {"m", 0.3048}, "ml": {"l", 0.001},
}

// Base is Amount with measures in kilograms, metres and litres where they can be.
func (q Quantity) Base() (v float64, unit string, ok bool) {
	v, unit, ok = q.Amount()
	if b, found := baseOf[unit]; found && q.Kind == Measure {
		return v * b.n, b.unit, ok
	}
	return v, unit, ok
}
