package answer

import (
	"strings"
	"testing"

	"jolvex/core/lang"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func shipped() Settings {
	s := Settings{}
	for name, text := range initials() {
		if p := s.said()[name]; p != nil {
			*p = text
		}
	}
	return s
}

func TestTextsFollowTheLanguageOfTheQuestion(t *testing.T) {
	s := shipped()
	assert.Equal(t, s, s.In("", "en"))
	assert.Equal(t, s, s.In("it", "en"), "a language that no texts ship in")
	de := s.In("de", "en")
	assert.Contains(t, de.Refusal, "nichts gefunden")
	assert.Contains(t, de.Asking, "{options}")
	s.Refusal = "Rufen Sie uns an."
	assert.Equal(t, "Rufen Sie uns an.", s.In("de", "de-AT").Refusal, "somebody wrote it for a corpus in that language")
	assert.Contains(t, s.In("fr", "de").Refusal, "rien trouvé")
	s.NearMiss = ""
	assert.Empty(t, s.In("de", "en").NearMiss, "what is not to be said is not said in another language either")
	s.Elsewhere = "de refusal: Das wissen wir nicht: leider.\n\nen greeting: Ahoy."
	assert.Equal(t, "Das wissen wir nicht: leider.", s.In("de", "de").Refusal)
	assert.Equal(t, "Ahoy.", s.In("", "en").Greeting)
	assert.Empty(t, s.Check())
	for _, bad := range []string{"de refusal Das", "deutsch refusal: x", "de nothing: x", ": x"} {
		s.Elsewhere = bad
		assert.Len(t, s.Check(), 1, bad)
	}
}

func TestEveryTextShipsInEveryLanguage(t *testing.T) {
	s := shipped()
	initial := initials()
	for _, l := range lang.All()[1:] {
		for name := range s.said() {
			ws := l.List("said-" + strings.ToLower(name))
			require.Len(t, ws, 1, "%s in %s", name, l.Code)
			for _, hole := range []string{"{options}", "{subjects}", "{question}", "{title}", "{language}"} {
				assert.Equal(t, strings.Contains(initial[name], hole), strings.Contains(ws[0], hole), "%s in %s", name, l.Code)
			}
		}
		for _, other := range lang.All() {
			assert.NotEqual(t, other.Code, l.NameOf(other.Code), "the name of %s in %s", other.Code, l.Code)
		}
	}
}
