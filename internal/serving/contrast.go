package serving

import (
	"math"
	"strconv"
)

// contrastToWhite is the contrast ratio of white letters on a colour #rrggbb (WCAG 2.2, definitions of contrast ratio and relative luminance).
func contrastToWhite(colour string) float64 {
	n, err := strconv.ParseUint(colour[1:], 16, 32)
	if err != nil {
		return 0
	}
	linear := func(shift uint) float64 {
		c := float64(n>>shift&0xff) / 255
		if c <= 0.04045 {
			return c / 12.92
		}
		return math.Pow((c+0.055)/1.055, 2.4)
	}
	luminance := 0.2126*linear(16) + 0.7152*linear(8) + 0.0722*linear(0)
	return math.Round(100*1.05/(luminance+0.05)) / 100
}
