package tests

import (
	"go/ast"
	"go/parser"
	"go/token"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// A room over so many lines, or a type with so many methods, asks to be divided by meaning.
const (
	mostLines   = 2_500
	mostMethods = 40
)

// warehouses are the rooms and types that are over the bound still. Their figures may fall, not grow; one that has fallen below the bound
// leaves the list.
var warehouses = map[string]int{
	"core/answer": 4_430, "core/extract": 5_060, "internal/gathering": 3_800, "internal/indexing": 2_590, "internal/store": 2_900, "tools/evaluate": 3_020,
	"internal/gathering.Gatherer": 76, "internal/indexing.Indexer": 74, "internal/store.Store": 138,
}

func TestNoRoomIsAWarehouse(t *testing.T) {
	over := map[string]bool{}
	bound := func(what string, n, most int) {
		if n > most {
			over[what] = true
			most = max(most, warehouses[what])
		}
		assert.LessOrEqual(t, n, most, "%s: divide it by meaning", what)
	}
	for name, p := range packages(t) {
		lines, methods := 0, map[string]int{}
		for _, f := range p.GoFiles {
			set := token.NewFileSet()
			tree, err := parser.ParseFile(set, filepath.Join(p.Dir, f), nil, 0)
			require.NoError(t, err)
			lines += set.File(tree.Pos()).LineCount()
			for _, d := range tree.Decls {
				if fn, ok := d.(*ast.FuncDecl); ok && fn.Recv != nil {
					methods[receiver(fn.Recv.List[0].Type)]++
				}
			}
		}
		bound(name, lines, mostLines)
		for typ, n := range methods {
			bound(name+"."+typ, n, mostMethods)
		}
	}
	for what := range warehouses {
		assert.True(t, over[what], "%s is a warehouse no more: take it off the list", what)
	}
}

// receiver names the type of a method.
func receiver(x ast.Expr) string {
	switch x := x.(type) {
	case *ast.StarExpr:
		return receiver(x.X)
	case *ast.IndexExpr:
		return receiver(x.X)
	case *ast.Ident:
		return x.Name
	}
	return ""
}

// Whatever is written as comma-separated values is opened in spreadsheets: core/cells alone writes it, so that no cell is worked out there.
func TestCellsAreWrittenInOnePlace(t *testing.T) {
	wrote := 0
	for name, p := range packages(t) {
		for _, f := range p.GoFiles {
			raw, err := os.ReadFile(filepath.Join(p.Dir, f))
			require.NoError(t, err)
			if name == "core/cells" {
				wrote += strings.Count(string(raw), "csv.NewWriter(")
				continue
			}
			assert.NotContains(t, string(raw), "csv.NewWriter(", "%s/%s writes cells by itself: core/cells defuses them", name, f)
		}
	}
	assert.Equal(t, 1, wrote, "core/cells is where they are written")
}
