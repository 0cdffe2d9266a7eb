package main

import (
	"testing"

	"github.com/stretchr/testify/assert"
)

func TestValuesOfASetting(t *testing.T) {
	for given, want := range map[string][]string{
		"4,8,12":  {"4", "8", "12"},
		"true":    {"true"},
		"a,b;b,a": {"a,b", "b,a"}, // values that hold commas
		"a,b;":    {"a,b"},
	} {
		assert.Equal(t, want, valuesOf(given), given)
	}
}
