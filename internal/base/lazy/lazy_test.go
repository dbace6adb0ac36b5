package lazy_test

import (
	"go/ast"
	"go/parser"
	"go/token"
	"io/fs"
	"path/filepath"
	"regexp"
	"strconv"
	"strings"
	"sync"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"filler/internal/base/lazy"
)

// Every pattern that stands in the code compiles.
func TestPatternsCompile(t *testing.T) {
	tried := 0
	err := filepath.WalkDir("../..", func(path string, _ fs.DirEntry, err error) error {
		if err != nil || !strings.HasSuffix(path, ".go") || strings.HasSuffix(path, "_test.go") {
			return err
		}
		files := token.NewFileSet()
		file, err := parser.ParseFile(files, path, nil, 0)
		require.NoError(t, err)
		ast.Inspect(file, func(n ast.Node) bool {
			call, is := n.(*ast.CallExpr)
			if !is {
				return true
			}
			if f, is := call.Fun.(*ast.SelectorExpr); !is || f.Sel.Name != "New" || len(call.Args) != 1 || types(f.X) != "lazy" {
				return true
			}
			text, whole := constant(call.Args[0])
			if whole {
				_, err := regexp.Compile(text)
				assert.NoError(t, err, files.Position(call.Pos()))
				tried++
			}
			return true
		})
		return nil
	})
	require.NoError(t, err)
	assert.Greater(t, tried, 140)
}

func types(e ast.Expr) string {
	name, _ := e.(*ast.Ident)
	if name == nil {
		return ""
	}
	return name.Name
}

// constant gives the text of literals and their sums.
func constant(e ast.Expr) (text string, whole bool) {
	switch e := e.(type) {
	case *ast.BasicLit:
		text, err := strconv.Unquote(e.Value)
		return text, err == nil
	case *ast.BinaryExpr:
		a, isA := constant(e.X)
		b, isB := constant(e.Y)
		return a + b, isA && isB
	}
	return "", false
}

// It does what the expression does, for many at once.
func TestRegexp(t *testing.T) {
	r := lazy.New(`(\d+)-(?P<b>\d+)`)
	var all sync.WaitGroup
	for range 50 {
		all.Go(func() {
			assert.Equal(t, []string{"12-3", "12", "3"}, r.FindStringSubmatch("a 12-3 b"))
			assert.Equal(t, "a <3> b", r.ReplaceAllString("a 12-3 b", "<$b>"))
			assert.True(t, r.MatchString("1-2"))
			assert.False(t, r.Match([]byte("1")))
		})
	}
	all.Wait()
	assert.Panics(t, func() { lazy.New("(").MatchString("") })
}
