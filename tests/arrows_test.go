// Package tests holds what is tested of the house as a whole: its arrows, its rankings beside other engines, and, in
// walk, the real program in a real browser.
package tests

import (
	"encoding/json"
	"go/ast"
	"go/parser"
	"go/token"
	"io"
	"os"
	"os/exec"
	"path/filepath"
	"strconv"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// rank says on which floor a package of ours stands. It may import what stands lower, by itself or through others, in its
// tests too.
var rank = map[string]int{
	"core/lang": 1, "core/doc": 1, "core/cells": 0, "core/measure": 1, "core/text": 2,
	"core/extract": 3, "core/chunk": 3, "core/chart": 3, "core/group": 4, "core/talk": 1, "core/embed": 3, "core/record": 3,
	"core/check": 4, "core/index": 4, "core/query": 5, "core/find": 6, "core/rule": 7, "core/answer/ground": 7, "core/answer/support": 7, "core/answer/wording": 7, "core/answer": 8, "core/questions": 9, "core/prove": 10, "core/diagnose": 11, "core/method": 12,
	"demo": 13, "web": 13, "internal/gather": 13, "internal/model": 13, "internal/pdf": 13, "internal/store": 13, "internal/store/talk": 14, "internal/store/register": 14, "internal/extractor": 14, "internal/extractor/reader": 15, "internal/extractor/extractortest": 15,
	"internal/sim":   14, // stand-ins are tested against the fetching that meets them
	"internal/fault": 14, "internal/event": 15, "internal/job": 16, "internal/connections": 17, "internal/indexing/files": 17, "internal/serving/policy": 14, "internal/store/kept": 14, "internal/keeping/backup": 14, "internal/bridge": 14, "internal/serving/desk": 21,
	"internal/serving/channels": 21, "internal/indexing": 18, "internal/asking": 19,
	"internal/gathering": 20, "internal/serving": 20, "internal/keeping": 20, "internal/keeping/people": 20, "internal/keeping/audit": 20,
	"internal/mending/conversations": 20, "internal/mending/settled": 20, "internal/mending/figures": 20, "internal/mending/notices": 21, "internal/mending/snags": 21, "internal/mending": 22,
	"internal/proving/sets": 20, "internal/proving/runs": 21, "internal/proving/trials": 22, "internal/proving/coverage": 22, "internal/proving": 23,
	"internal/app": 24, "internal/api/wire": 25, "internal/api/visit": 28, "internal/store/served": 14, "internal/api/door": 26, "internal/api": 27, "cmd/jolvex": 29,
}

// only lists packages that no other package but these may import, tests apart.
var only = map[string][]string{
	"internal/sim": {"cmd/jolvex", "tools/evaluate"},
	"demo":         {"cmd/jolvex", "tests/shots", "tools/evaluate"},
	"web":          {"cmd/jolvex"},
	"internal/app": {"internal/api", "internal/api/door", "internal/api/visit", "cmd/jolvex", "tools/evaluate"},
}

type pack struct {
	ImportPath                         string
	Dir                                string
	Imports, TestImports, XTestImports []string
	GoFiles                            []string
}

func packages(t *testing.T) map[string]pack {
	t.Helper()
	cmd := exec.Command("go", "list", "-json=ImportPath,Dir,Imports,TestImports,XTestImports,GoFiles", "./...")
	cmd.Dir = ".."
	cmd.Stderr = os.Stderr
	raw, err := cmd.Output()
	require.NoError(t, err)
	out := map[string]pack{}
	for dec := json.NewDecoder(strings.NewReader(string(raw))); ; {
		var p pack
		err := dec.Decode(&p)
		if err == io.EOF {
			return out
		}
		require.NoError(t, err)
		out[strings.TrimPrefix(p.ImportPath, "jolvex/")] = p
	}
}

// reach gives every package of ours that the given imports lead to.
func reach(all map[string]pack, imports []string) map[string]bool {
	out := map[string]bool{}
	var visit func([]string)
	visit = func(is []string) {
		for _, i := range is {
			name, ours := strings.CutPrefix(i, "jolvex/")
			if !ours || out[name] {
				continue
			}
			out[name] = true
			visit(all[name].Imports)
		}
	}
	visit(imports)
	return out
}

func TestArrowsPointOneWay(t *testing.T) {
	all := packages(t)
	for name, p := range all {
		mine, ranked := rank[name]
		if !ranked {
			assert.True(t, strings.HasPrefix(name, "tools/") || strings.HasPrefix(name, "tests"), "%s stands on no floor: give it one", name)
			continue
		}
		for other := range reach(all, p.Imports) {
			assert.Less(t, rank[other], mine, "%s must not reach %s", name, other)
			if may, limited := only[other]; limited {
				assert.Contains(t, append(may, reaching(all, other)...), name, "%s must not reach %s", name, other)
			}
		}
		for other := range reach(all, append(append([]string(nil), p.TestImports...), p.XTestImports...)) {
			if other == name || rank[other] < mine || other == "internal/sim" { // any test may use the stand-ins
				continue
			}
			assert.Fail(t, "a test's arrow", "the tests of %s must not reach %s", name, other)
		}
	}
}

// reaching lists the packages that may reach a limited one through those that may import it.
func reaching(all map[string]pack, limited string) []string {
	var out []string
	for _, direct := range only[limited] {
		for name, p := range all {
			if reach(all, p.Imports)[direct] {
				out = append(out, name)
			}
		}
	}
	return out
}

func TestCoreIsPure(t *testing.T) {
	// No HTTP, SQL, files, environment, processes or wall clock, in what core itself imports and calls.
	banned := []string{"net/http", "net", "database/sql", "os", "os/exec", "io/ioutil", "path/filepath", "log/slog", "log", "syscall", "math/rand", "github.com/jmoiron/sqlx"}
	for name, p := range packages(t) {
		if !strings.HasPrefix(name, "core/") {
			continue
		}
		for other := range reach(packages0(p), p.Imports) {
			assert.True(t, strings.HasPrefix(other, "core/"), "%s imports %s", name, other)
		}
		for _, b := range banned {
			assert.NotContains(t, p.Imports, b, name)
		}
		for _, f := range p.GoFiles {
			tree, err := parser.ParseFile(token.NewFileSet(), filepath.Join(p.Dir, f), nil, 0)
			require.NoError(t, err)
			ast.Inspect(tree, func(n ast.Node) bool {
				if s, ok := n.(*ast.SelectorExpr); ok {
					if x, ok := s.X.(*ast.Ident); ok && x.Name == "time" {
						assert.NotContains(t, []string{"Now", "Since", "Until", "After", "Sleep", "Tick", "NewTimer", "NewTicker"}, s.Sel.Name, "%s/%s: time is handed in", name, f)
					}
				}
				return true
			})
		}
	}
}

func packages0(p pack) map[string]pack { return map[string]pack{p.ImportPath: p} }

// Core builds by itself: a copy of it, with the module's lists alone, compiles.
func TestCoreBuildsAlone(t *testing.T) {
	dir := t.TempDir()
	require.NoError(t, os.CopyFS(filepath.Join(dir, "core"), os.DirFS("../core")))
	for _, f := range []string{"go.mod", "go.sum"} {
		b, err := os.ReadFile("../" + f)
		require.NoError(t, err)
		require.NoError(t, os.WriteFile(filepath.Join(dir, f), b, 0o600))
	}
	cmd := exec.Command("go", "build", "./core/...")
	cmd.Dir = dir
	out, err := cmd.CombinedOutput()
	require.NoError(t, err, string(out))
}

// Every exported name of core says what it means.
func TestCoreIsDocumented(t *testing.T) {
	for name, p := range packages(t) {
		if !strings.HasPrefix(name, "core/") {
			continue
		}
		for _, f := range p.GoFiles {
			set := token.NewFileSet()
			tree, err := parser.ParseFile(set, filepath.Join(p.Dir, f), nil, parser.ParseComments)
			require.NoError(t, err)
			for _, d := range tree.Decls {
				switch d := d.(type) {
				case *ast.FuncDecl:
					if d.Name.IsExported() && exportedReceiver(d) {
						assert.NotNil(t, d.Doc, "%s: %s has no comment", name, d.Name.Name)
					}
				case *ast.GenDecl:
					for _, s := range d.Specs {
						if ts, ok := s.(*ast.TypeSpec); ok && ts.Name.IsExported() {
							assert.True(t, d.Doc != nil || ts.Doc != nil, "%s:%s: type %s has no comment", name, strconv.Itoa(set.Position(ts.Pos()).Line), ts.Name.Name)
						}
					}
				}
			}
		}
	}
}

func exportedReceiver(d *ast.FuncDecl) bool {
	if d.Recv == nil {
		return true
	}
	t := d.Recv.List[0].Type
	if s, ok := t.(*ast.StarExpr); ok {
		t = s.X
	}
	id, ok := t.(*ast.Ident)
	return ok && id.IsExported()
}
