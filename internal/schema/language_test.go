package schema

import (
	"math/rand/v2"
	"os"
	"regexp"
	"slices"
	"strings"
	"testing"

	"github.com/santhosh-tekuri/jsonschema/v6"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"filler/internal/base/place"
)

// What the loader takes, the editor's schema takes, and a key that the loader
// does not know the editor's schema does not know either.
func TestLanguageIsTheLoaders(t *testing.T) {
	language := Language()
	compiled := compileSchema(t, language.JSON())
	judge := func(text string) (loader, editor error) {
		_, loader = Parse("s.yaml", []byte(text))
		f, root := place.Load("s.yaml", []byte(text))
		require.Empty(t, f.Faults, text)
		v, err := jsonschema.UnmarshalJSON(strings.NewReader(string(root.JSON())))
		require.NoError(t, err)
		return loader, compiled.Validate(v)
	}
	g := &gen{r: rand.New(rand.NewPCG(31, 32)), used: map[string]bool{}}
	var good []string
	for range 150 {
		good = append(good, g.schema())
	}
	page, err := os.ReadFile("../../docs/schema.md")
	require.NoError(t, err)
	for _, b := range regexp.MustCompile("(?s)```yaml\n(.*?)```").FindAllStringSubmatch(string(page), -1) {
		good = append(good, b[1])
	}
	for _, text := range good {
		loader, editor := judge(text)
		require.NoError(t, loader, text)
		require.NoError(t, editor, text)
	}
	for _, bad := range []string{
		"schema: s\n", "fields: {a: b}\n", "schema: s\nfields: {}\n", "schema: s s\nfields: {a: b}\n", "schema: s\ncolour: red\nfields: {a: b}\n", "schema: s\nfields: {1a: b}\n",
		"schema: s\neach: page\nfields: {a: b}\n", "schema: s\nfields: {a: {text: b, of: [x, y]}}\n", "schema: s\nfields: {a: {text: b, date: c}}\n", "schema: s\nfields: {a: {required: true}}\n",
		"schema: s\nfields: {a: {text: b, required: perhaps}}\n", "schema: s\nfields: {a: {text: b, evidence: loose}}\n", "schema: s\nfields: {a: {money: b, currency: Euro}}\n",
		"schema: s\nfields: {a: {choice: b, of: {x: {alas: y}, z: }}}\n", "schema: s\nfields: {a: {number: b, compare: {about: 3}}}\n", "schema: s\nfields: {a: {text: b, examples: [{text: x}]}}\n",
		"schema: s\nrules: [{say: x}]\nfields: {a: b}\n", "schema: s\nfields: {a: {uses: p, min: 3}}\n", "schema: s\nfields: {a: {date: b, precision: hour}}\n",
	} {
		loader, editor := judge(bad)
		assert.Error(t, loader, bad)
		assert.Error(t, editor, bad)
	}
	// Key by key: the same are known for each type.
	for _, name := range Types {
		for _, key := range allKeys() {
			known := slices.Contains(KeysOf(Type(name)), key)
			if key == name {
				continue
			}
			_, editor := judge("schema: s\nfields: {a: {" + name + ": b, " + key + ": {odd: [1]}}}\n")
			if !known {
				assert.Error(t, editor, "%s %s", name, key)
			}
		}
	}
}

func allKeys() []string {
	seen := map[string]bool{}
	var keys []string
	for _, name := range Types {
		for _, k := range KeysOf(Type(name)) {
			if !seen[k] {
				seen[k] = true
				keys = append(keys, k)
			}
		}
	}
	return keys
}
