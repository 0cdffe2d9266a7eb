package text

import "strings"

// signs tell what a text holds that figures are made of. Looking for them once is many times cheaper than trying every form of figure
// on every sentence.
type signs uint32

const (
	hasDigit  signs = 1 << iota
	hasDigits       // enough for a telephone number
	hasAt
	hasWeb
	hasDash
	hasSlash
	hasColon // or a full stop
	hasSymbol
	hasPercent
	hasMonth
	hasSmall // a number in words
	hasAmount
	hasPast // "past", "to"
	hasOclock
	hasHalf // of the day: am, pm
	hasNoon
	hasMoney
	hasDuration
	hasMeasure
	hasPart // of a unit, or a unit of its own: "half", "fortnight"
)

// leastDigits are the digits of the shortest telephone number.
const leastDigits = 7

var signWords = func() map[string]signs {
	m := map[string]signs{}
	put := func(s signs, words string) {
		for _, w := range strings.Fields(words) {
			m[w] |= s
		}
	}
	put(hasMonth, "jan january feb february mar march apr april may jun june jul july aug august sep sept september oct october nov november dec december")
	put(hasSmall|hasAmount, strings.ReplaceAll(smallWords, "|", " "))
	put(hasPast, "past to")
	put(hasOclock, "clock")
	put(hasHalf, "am pm m")
	put(hasNoon, "noon midday midnight")
	put(hasMoney, "pound pounds gbp dollar dollars usd euro euros eur pence p cent cents")
	put(hasPercent, "percent cent")
	put(hasDuration, "second seconds sec secs minute minutes min mins hour hours hr hrs day days night nights week weeks month months year years")
	put(hasPart, "half fortnight fortnights")
	put(hasMeasure, "kg kilogram kilograms kilo kilos g gram grams tonne tonnes mm cm centimetre centimetres m metre metres meter meters km kilometre kilometres mile miles inch inches feet ft litre litres l ml mb gb tb kb")
	return m
}()

// longestSign is the length of the longest word that is a sign.
const longestSign = 12

// signsOf tells what a text holds, and where its numbers begin, in digits or in words.
func signsOf(s string) (signs, []int) {
	var out signs
	var starts []int
	digits, n, from := 0, 0, 0
	var word [longestSign]byte
	end := func() {
		if n > 0 && n <= longestSign {
			w := signWords[string(word[:n])]
			if out |= w; w&hasSmall != 0 && (from == 0 || !wordByte(s[from-1])) {
				starts = append(starts, from)
			}
		}
		n = 0
	}
	for i := 0; i < len(s); i++ {
		c := s[i]
		if c >= 'A' && c <= 'Z' {
			c += 'a' - 'A'
		}
		if c >= 'a' && c <= 'z' {
			if n < longestSign {
				word[n] = c
			}
			if n == 0 {
				from = i
			}
			n++
			continue
		}
		inWord := n > 0
		end()
		switch {
		case c >= '0' && c <= '9':
			if digits++; !inWord && (i == 0 || !wordByte(s[i-1])) {
				starts = append(starts, i)
			}
		case c == '@':
			out |= hasAt
		case c == '-':
			out |= hasDash
		case c == '/':
			out |= hasSlash
		case c == ':':
			out |= hasColon
			if strings.HasPrefix(s[i:], "://") {
				out |= hasWeb
			}
		case c == '.':
			out |= hasColon
		case c == '%':
			out |= hasPercent
		case c == '$':
			out |= hasSymbol
		case c >= 0x80: // pounds, euros and degrees are beyond ASCII
			switch {
			case strings.HasPrefix(s[i:], "£"), strings.HasPrefix(s[i:], "€"):
				out |= hasSymbol
			case strings.HasPrefix(s[i:], "°"):
				out |= hasMeasure
			}
		}
	}
	end()
	if digits > 0 {
		out |= hasDigit | hasAmount
	}
	if digits >= leastDigits {
		out |= hasDigits
	}
	return out, starts
}

func wordByte(c byte) bool { return c >= '0' && c <= '9' || c == '_' }
