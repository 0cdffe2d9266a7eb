package questions

import (
	"reflect"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
)

// A kind is whole: a name that the API knows, a label, a sort, and a check of what is written down for it.
func TestEveryKindIsWhole(t *testing.T) {
	kind, _ := reflect.TypeFor[Expectation]().FieldByName("Kind")
	var names []string
	for _, k := range Kinds() {
		names = append(names, k.Name)
		assert.NotEmpty(t, k.Label, k.Name)
		assert.Contains(t, []Sort{Fact, Place, Form, Outcome, Rule}, k.Sort, k.Name)
		if assert.NotNil(t, k.check, k.Name) && k.Values != "" {
			assert.Error(t, Expectation{Kind: k.Name}.Check(), "%s needs values, and none are asked for", k.Name)
		}
	}
	assert.ElementsMatch(t, strings.Split(kind.Tag.Get("enum"), ","), names, "the API knows every kind")
}
