// Package internal holds one test, on how the packages may import each other.
package internal

import (
	"go/parser"
	"go/token"
	"io/fs"
	"os"
	"path/filepath"
	"regexp"
	"strconv"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// order is the packages from the top down. A package imports only what stands
// below it. docs/architecture.md gives the same list, with a sentence for each.
var order = []string{"cli", "view/report", "view/manual", "view/plot", "view/browser", "view/screen", "view/night", "view/signs", "view/tones", "view/figures", "view/codes", "out/question", "out/export", "out/invent", "out/graph", "run/improve", "run/doctor", "run/worker", "run/nightly", "run/scores", "run/fill", "run/job", "run/route", "run/vary", "measure/review", "measure/values", "measure/suggest", "measure/score", "measure/gold", "standin", "draft", "draft/printed",
	"ask/prompt", "ask/outline", "ask/model", "ask/chat", "ask/exchange", "ask/answer", "record/merge", "record/correct", "record/evidence", "record/trace", "record", "record/pair", "record/normalize",
	"store/sqlite", "store/postgres", "store/pgtest", "store/packed", "store", "source/inventory", "source/document", "source/pdf", "source/ocr", "source/reading", "schema", "base/project", "source/fetch", "base/tokens", "source/layout", "base/process", "base/place", "base/value", "base/lang", "base/secret", "base/lazy", "base/needs",
	"demo", "demo/paper"}

// never are imports that the order allows and a promise forbids: the stand-in
// must not know the prompt, the gold or the project, and what reads a reply
// knows nothing of servers, and one protocol is as good as another to what asks.
var never = map[string][]string{"standin": {"ask/prompt", "ask/model", "measure/gold", "measure/score", "base/project", "run/fill", "demo"},
	"run/job":    {"ask/prompt", "ask/model", "ask/outline", "source/document", "schema", "store/sqlite", "store/postgres"},
	"ask/answer": {"store/sqlite", "store/postgres", "source/fetch", "base/project"},
	"cli":        {"ask/chat"}, "ask/prompt": {"ask/chat"}, "ask/model": {"ask/chat"}}

// only are outside packages that these packages alone may use.
var only = map[string]string{"database/sql": "store/sqlite out/export", "modernc.org/sqlite": "store/sqlite out/export", "github.com/spf13/cobra": "cli",
	"github.com/hashicorp/go-retryablehttp": "source/fetch", "github.com/jackc/pgx/v5": "out/export store/postgres store/pgtest", "github.com/xuri/excelize/v2": "out/export source/document", "github.com/parquet-go/parquet-go": "out/export source/document", "go.yaml.in/yaml/v4": "base/place", "gonum.org/v1/plot": "view/plot", "charm.land/bubbletea/v2": "cli view/screen", "charm.land/bubbles/v2/textinput": "view/screen", "github.com/santhosh-tekuri/jsonschema/v6": "record"}

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
				assert.Contains(t, strings.Fields(owner), from, "%s imports %s", path, to)
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

// TestTheMapIsTheHouse holds the list of packages in docs/architecture.md
// equal to the order above, and the order equal to the folders.
func TestTheMapIsTheHouse(t *testing.T) {
	text, err := os.ReadFile("../docs/architecture.md")
	require.NoError(t, err)
	var told []string
	for _, row := range regexp.MustCompile("(?m)^\\| `([a-z/]+)` \\| \\S").FindAllStringSubmatch(string(text), -1) {
		told = append(told, row[1])
	}
	assert.Equal(t, order, told, "docs/architecture.md lists other packages, or in another order")
	for _, named := range regexp.MustCompile("`(internal/[a-z_/]+(?:\\.go)?)`").FindAllStringSubmatch(string(text), -1) {
		_, err := os.Stat(filepath.Join("..", named[1]))
		assert.NoError(t, err, "docs/architecture.md names %s", named[1])
	}
	for _, name := range order {
		files, err := filepath.Glob(filepath.Join(name, "*.go"))
		require.NoError(t, err)
		assert.NotEmpty(t, files, "%s has no code", name)
	}
}
