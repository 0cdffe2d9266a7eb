package prove

import "jolvex/core/measure"

// Effect says what can be told of a difference, whoever shows it.
type Effect string

// The effects.
const (
	Better  Effect = "better"
	Worse   Effect = "worse"
	Unclear Effect = "unclear" // it cannot be told from chance
)

// chance is that of a mistake that is taken when a difference is told from none (common practice, no published source).
const chance = 0.05

// effectOfSplit tells a split of questions that were fixed and broken from an even one, by the chance of one as uneven.
func effectOfSplit(fixed, broken int, p float64) Effect {
	switch {
	case p >= chance:
		return Unclear
	case fixed > broken:
		return Better
	default:
		return Worse
	}
}

// effectWithin tells a gain from none by its interval.
func effectWithin(gain measure.Interval) Effect {
	switch {
	case gain.Low > 0:
		return Better
	case gain.High < 0:
		return Worse
	default:
		return Unclear
	}
}
