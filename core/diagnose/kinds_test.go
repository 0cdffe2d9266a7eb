package diagnose

import (
	"reflect"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"

	"jolvex/core/questions"
)

// Whatever can fail, something looks into it.
func TestEveryKindOfExpectationHasCauses(t *testing.T) {
	var want, have []string
	for _, k := range questions.Kinds() {
		want = append(want, k.Name)
	}
	for _, s := range steps() {
		have = append(have, s.of...)
	}
	assert.ElementsMatch(t, want, have)
}

// The API knows every cause.
func TestEveryCauseIsNamed(t *testing.T) {
	var have []string
	for _, c := range Causes() {
		have = append(have, string(c.Name))
	}
	for _, of := range []reflect.Type{reflect.TypeFor[Diagnosis](), reflect.TypeFor[Cluster]()} {
		cause, _ := of.FieldByName("Cause")
		assert.Equal(t, strings.Split(cause.Tag.Get("enum"), ","), have, of.Name())
	}
}
