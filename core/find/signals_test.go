package find

import (
	"reflect"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
)

// A signal is whole: a name that the API knows, a label, a setting that exists and that weighs it, words for its values. One that is
// half there fails here.
func TestEverySignalIsWhole(t *testing.T) {
	named, _ := reflect.TypeFor[Signal]().FieldByName("Name")
	known := strings.Split(named.Tag.Get("enum"), ",")
	settings := map[string]int{}
	typ := reflect.TypeFor[Settings]()
	for i := range typ.NumField() {
		settings[typ.Field(i).Tag.Get("json")] = i
	}
	var names []string
	weighed := map[string]bool{}
	for _, k := range Signals() {
		names = append(names, k.Name)
		assert.NotEmpty(t, k.Label, k.Name)
		together := k.Name == SignalTitle || k.Name == SignalHeadings || k.Name == SignalBody // told in one reason
		assert.Equal(t, together, k.words == nil, k.Name)
		if k.words != nil {
			assert.NotEmpty(t, k.words(0), k.Name)
			assert.NotEmpty(t, k.words(1), k.Name)
		}
		if k.Setting == "" {
			assert.Nil(t, k.weight, "%s has a weight and no setting", k.Name)
			continue
		}
		at, ok := settings[k.Setting]
		if !assert.True(t, ok, "%s: there is no setting %q", k.Name, k.Setting) || k.weight == nil {
			assert.Equal(t, SignalMeaning, k.Name, "its share is that of the fusion")
			continue
		}
		var s Settings
		*k.weight(&s) = 7
		assert.Equal(t, 7.0, reflect.ValueOf(s).Field(at).Float(), "%s is not weighed by its setting", k.Name)
		weighed[k.Setting] = true
		if k.value != nil {
			assert.Equal(t, 0.0, k.without, k.Name)
		}
	}
	assert.Equal(t, known, names, "the API knows the signals, in their order")
	for key := range settings {
		switch key { // settings that weigh no signal
		case "k1", "b", "fusion", "dense", "denseWords", "lean", "fold", "diversity", "approximate", "candidates", "keep":
		default:
			assert.True(t, weighed[key], "setting %q weighs no signal", key)
		}
	}
}
