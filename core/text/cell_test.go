package text

import (
	"testing"

	"github.com/stretchr/testify/assert"
)

func TestCell(t *testing.T) {
	for in, want := range map[string]string{"=1+1": "'=1+1", "-3": "'-3", "@x": "'@x", "+44 1632": "'+44 1632", "plain": "plain", "": "", "'quoted'": "'quoted'"} {
		assert.Equal(t, want, Cell(in))
		assert.Equal(t, in, FromCell(Cell(in)), "it comes back as it was")
	}
}
