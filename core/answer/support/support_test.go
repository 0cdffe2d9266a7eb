package support

import (
	"testing"

	"github.com/stretchr/testify/assert"
)

func TestNamesInAQuestion(t *testing.T) {
	for q, want := range map[string]map[string]float64{
		"When does the Hornby shop open?":           {"hornbi": 1},
		"Does it run on an RPM system?":             {"rpm": abbreviation},
		"What is the code name of release 14?":      {"14": 1},
		"I was told it costs £9.00, is that right?": {},
		"Is it open for the 12th time?":             {},
		"What must I do within 30 days?":            {},
	} {
		assert.Equal(t, want, Names(q, ""), q)
	}
}

func TestNamesInGermanAreNotToldByCapitals(t *testing.T) {
	assert.Empty(t, Names("Wann fährt die erste Fähre am Sonntag?", "de"))
	assert.NotEmpty(t, Names("Gibt es den K2000 noch?", "de"))
	assert.NotEmpty(t, Names("When does the Sandrel boat leave?", ""))
}

func TestSupportGrowsWithWhatSpeaksForIt(t *testing.T) {
	for name, c := range map[string]Calibration{"words": ByWords, "encoder": ByEncoder, "many": ByMany, "across": Across} {
		f := Features{Soft: 0.5, Exact: 0.5, Held: 0.5, Cosine: 0.3, Margin: 0.1, Near: 0.3, Unit: 0.5}
		least := c.Support(f)
		assert.Greater(t, least, 0.0, name)
		assert.Less(t, least, 1.0, name)
		better := f
		better.Cosine += 0.2
		assert.Greater(t, c.Support(better), least, name)
		named := f
		named.Names = 1
		assert.Less(t, c.Support(named), least, "%s: a name that is not there", name)
		assert.Less(t, c.Lacking(least), least, name)
	}
}

func TestBackgroundIsOfWhatIsMerelyAbout(t *testing.T) {
	assert.InDelta(t, 0.15, Background(nil), 1e-9)
	assert.InDelta(t, 0.15, Background([]float64{0.9, 0.8, 0.7, 0.6, 0.5}), 1e-9, "the first five may answer")
	assert.InDelta(t, (5*0.15+5*0.35)/10, Background([]float64{0.9, 0.9, 0.9, 0.9, 0.9, 0.35, 0.35, 0.35, 0.35, 0.35}), 1e-9)
}
