// Package internal holds one test, on how the packages may import each other.
package internal

import (
	"go/parser"
	"go/token"
	"io/fs"
	"path/filepath"
	"strconv"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// order is the packages from the top down. A package imports only what stands
// below it.
var order = []string{"cli", "report", "fill", "score", "gold", "vary", "standin", "draft", "printed", "merge", "update", "prompt", "model", "reply", "evidence",
	"record", "pair", "normalize", "ledger", "document", "pdf", "ocr", "schema", "project", "chat", "fetch", "tokens", "layout", "place", "value", "demo", "paper"}

// never are imports that the order allows and a promise forbids: the stand-in
// must not know the prompt, the gold or the project.
var never = map[string][]string{"standin": {"prompt", "gold", "project", "fill", "demo"}}

// only are outside packages that one package alone may use.
var only = map[string]string{"database/sql": "ledger", "modernc.org/sqlite": "ledger", "github.com/spf13/cobra": "cli",
	"github.com/hashicorp/go-retryablehttp": "fetch", "go.yaml.in/yaml/v4": "place", "github.com/santhosh-tekuri/jsonschema/v6": "record"}

func TestImportsPointDown(t *testing.T) {
	rank := map[string]int{}
	for i, name := range order {
		rank[name] = i
	}
	seen := 0
	err := filepath.WalkDir(".", func(path string, entry fs.DirEntry, err error) error {
		if err != nil || !strings.HasSuffix(path, ".go") || strings.HasSuffix(path, "_test.go") || strings.HasPrefix(path, "demo/make") {
			return err
		}
		from := filepath.ToSlash(filepath.Dir(path))
		require.Contains(t, rank, from, "%s is in no known package", path)
		file, err := parser.ParseFile(token.NewFileSet(), path, nil, parser.ImportsOnly)
		if err != nil {
			return err
		}
		for _, spec := range file.Imports {
			to, _ := strconv.Unquote(spec.Path.Value)
			if owner, ok := only[to]; ok {
				assert.Equal(t, owner, from, "%s imports %s", path, to)
			}
			name, ours := strings.CutPrefix(to, "filler/internal/")
			if !ours {
				continue
			}
			seen++
			assert.Contains(t, rank, name, "%s imports %s", path, to)
			assert.Less(t, rank[from], rank[name], "%s imports %s, which stands above it", path, name)
			assert.NotContains(t, never[from], name, "%s must not know %s", from, name)
		}
		return nil
	})
	require.NoError(t, err)
	assert.Greater(t, seen, 50, "the imports were not found")
}
