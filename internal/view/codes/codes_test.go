package codes_test

import (
	"go/ast"
	"go/parser"
	"go/token"
	"strconv"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"filler/internal/measure/score"
	"filler/internal/record"
	"filler/internal/record/trace"
	"filler/internal/view/codes"
)

// Every code that there is has an entry with all of its parts, and no entry is of a code that is gone.
func TestEveryCodeHasAnEntry(t *testing.T) {
	got := map[string][]string{}
	for _, e := range codes.All() {
		got[e.Kind] = append(got[e.Kind], e.Code)
		assert.NotEmpty(t, e.Means, e.Code)
		assert.NotEmpty(t, e.Example, e.Code)
		assert.NotEmpty(t, e.Do, e.Code)
	}
	want := map[string][]string{"Exit codes": {"0", "1", "2", "3", "4", "5"}, "Steps of a trace": trace.Kinds()}
	for _, c := range record.Codes() {
		want["Problems"] = append(want["Problems"], string(c))
	}
	for _, e := range score.ErrorTypes() {
		want["Error types"] = append(want["Error types"], e[0])
	}
	want["Evidence"] = []string{"quoted", "restated", "pictured", "inferred", "none"} // and lookalike, which is an error type, too
	for kind := range want {
		assert.ElementsMatch(t, want[kind], got[kind], kind)
	}
	assert.Len(t, got, len(want))
	assert.Len(t, codes.Of("no-answer"), 2, "a problem and a step")
	assert.Empty(t, codes.Of("nothing"))
}

// The list of codes is that of the constants.
func TestCodesAreTheConstants(t *testing.T) {
	file, err := parser.ParseFile(token.NewFileSet(), "../../record/problem.go", nil, 0)
	require.NoError(t, err)
	var all []record.Code
	for _, d := range file.Decls {
		g, is := d.(*ast.GenDecl)
		if !is || g.Tok != token.CONST {
			continue
		}
		for _, s := range g.Specs {
			v := s.(*ast.ValueSpec)
			if name, is := v.Type.(*ast.Ident); is && name.Name == "Code" {
				text, err := strconv.Unquote(v.Values[0].(*ast.BasicLit).Value)
				require.NoError(t, err)
				all = append(all, record.Code(text))
			}
		}
	}
	assert.ElementsMatch(t, all, record.Codes())
}
