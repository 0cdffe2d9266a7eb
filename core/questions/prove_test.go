package questions

import (
	"testing"

	"github.com/stretchr/testify/assert"
)

func TestCheck(t *testing.T) {
	good := Question{ID: "1", Text: "?", Expect: []Expectation{{Kind: Gives, Values: []string{"£4"}}}}
	assert.NoError(t, good.Check())
	for name, q := range map[string]Question{
		"no id":          {Text: "?", Expect: good.Expect},
		"no text":        {ID: "1", Expect: good.Expect},
		"cannot fail":    {ID: "1", Text: "?"},
		"unknown kind":   {ID: "1", Text: "?", Expect: []Expectation{{Kind: "sings", Values: []string{"x"}}}},
		"no wording":     {ID: "1", Text: "?", Expect: []Expectation{{Kind: Mentions, Values: nil}}},
		"not one figure": {ID: "1", Text: "?", Expect: []Expectation{{Kind: Gives, Values: []string{"soon"}}}},
	} {
		assert.Error(t, q.Check(), name)
	}
}
