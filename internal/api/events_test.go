package api

import (
	"os"
	"path/filepath"
	"regexp"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// Whatever kind of event a room declares is in the list that the browser's types are made from: a kind that nobody could hear fails here.
func TestEveryDeclaredEventIsListed(t *testing.T) {
	declared := regexp.MustCompile(`= (?:event\.)?Declare\[[\w.]+\]\("(\w+)"\)`)
	var want, have []string
	require.NoError(t, filepath.WalkDir("..", func(path string, e os.DirEntry, err error) error {
		if err != nil || e.IsDir() || !strings.HasSuffix(path, ".go") || strings.HasSuffix(path, "_test.go") {
			return err
		}
		b, err := os.ReadFile(path)
		for _, m := range declared.FindAllStringSubmatch(string(b), -1) {
			want = append(want, m[1])
		}
		return err
	}))
	for _, k := range kinds() {
		have = append(have, k.Name())
	}
	slices.Sort(want)
	slices.Sort(have)
	assert.Equal(t, want, have)
	assert.Equal(t, slices.Compact(slices.Clone(have)), have, "no kind is declared twice")
}
