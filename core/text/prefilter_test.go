package text

import (
	"math/rand/v2"
	"regexp"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
)

// What a prefilter rules out never matches: drawn texts over the letters and words of the expressions themselves, with a fixed seed.
func TestAPrefilterRulesOutNoMatch(t *testing.T) {
	r := rand.New(rand.NewPCG(7, 7))
	bits := []string{"ignore", "IGNORE", "all", "previous", "instruction", "inſtructions", "\u212aeep", "keep", "note", "note to AI", "to", "AI", "assistant", " ", "  ", ".", "\n", "é", "s", "x"}
	for _, expression := range []string{
		`(?i)\b(?:ignore|disregard)\b.{0,40}\b(?:previous|all)\b.{0,30}\binstructions?\b`, `(?i)keep|assist(?:ant|ed)`, `(?i)note (?:to|for) (?:the )?(?:AI|assistants?)`,
		`a`, `(?:keep)?`, `(?i)(?:keep|no)+te`, `(keep){0,2}x`, `[kK]eep`, `é+`, `^note$`, `(?i)\b(?:ai|assistant|keep)s?\b[^.]{0,9}\b(?:all|previous)\b`, `(?i)(?:\bai|x)\b`, `(?i)\b(?:ai )?(?:note|keep)`,
	} {
		re := regexp.MustCompile(expression)
		p := NewPrefilter(re)
		matched := 0
		for range 4000 {
			var b strings.Builder
			for range r.IntN(9) {
				b.WriteString(bits[r.IntN(len(bits))])
				if r.IntN(2) == 0 {
					b.WriteByte(' ')
				}
			}
			if s := b.String(); re.MatchString(s) {
				matched++
				assert.True(t, p.May(Sift(s)), "%s in %q", expression, s)
			}
		}
		assert.Positive(t, matched, expression)
	}
	p := NewPrefilter(regexp.MustCompile(`(?i)keep|assist(?:ant|ed)`))
	assert.False(t, p.May(Sift("a boat leaves at noon")))
	assert.Equal(t, regexp.MustCompile(`(?i)keep|assist(?:ant|ed)`).String(), p.Regexp().String())
}
