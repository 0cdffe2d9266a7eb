package text

import "unicode"

// Plain reports whether a name can be shown without deceiving whoever reads it: valid, and without control characters, invisible ones and
// such as turn the direction of writing (Unicode categories Cc and Cf, and the line and paragraph separators).
func Plain(s string) bool {
	for _, r := range s {
		if r == unicode.ReplacementChar || unicode.In(r, unicode.Cc, unicode.Cf, unicode.Zl, unicode.Zp) {
			return false
		}
	}
	return true
}
