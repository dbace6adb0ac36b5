package record

import (
	"encoding/json"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"filler/internal/base/value"
	"filler/internal/schema"
)

// suites are where the public test suite of JSON Schema is carried, by draft. It is read
// where the registry puts it, and not kept here.
var suites = []struct{ module, folder, draft string }{
	{"github.com/google/jsonschema-go@v0.4.3", "jsonschema/testdata/draft2020-12", "https://json-schema.org/draft/2020-12/schema"},
	{"github.com/google/jsonschema-go@v0.4.3", "jsonschema/testdata/draft7", "http://json-schema.org/draft-07/schema#"},
	{"github.com/qri-io/jsonschema@v0.2.1", "testdata/draft2019-09", "https://json-schema.org/draft/2019-09/schema"},
	{"github.com/qri-io/jsonschema@v0.2.1", "testdata/draft6", "http://json-schema.org/draft-06/schema#"},
	{"github.com/qri-io/jsonschema@v0.2.1", "testdata/draft4", "http://json-schema.org/draft-04/schema#"},
}

func fetched(t *testing.T, module string) string {
	cmd := exec.Command("go", "mod", "download", "-json", module)
	cmd.Dir = t.TempDir()
	require.NoError(t, os.WriteFile(filepath.Join(cmd.Dir, "go.mod"), []byte("module suite\n"), 0o644))
	out, err := cmd.Output()
	var got struct{ Dir string }
	if json.Unmarshal(out, &got); err != nil || got.Dir == "" {
		t.Skipf("%s can't be had here: %s", module, out)
	}
	return got.Dir
}

// Every schema of the suite that is not refused gives the suite's verdict on every value. A
// schema is taken in as that of a record's one value, since records are groups of fields.
func TestVerdictsOfTheSuite(t *testing.T) {
	for _, suite := range suites {
		files, err := filepath.Glob(filepath.Join(fetched(t, suite.module), suite.folder, "*.json"))
		require.NoError(t, err)
		require.NotEmpty(t, files)
		schemas, verdicts, elsewhere := 0, 0, 0
		var refused []string
		for _, file := range files {
			data, err := os.ReadFile(file)
			require.NoError(t, err)
			groups, err := value.ParseBytes(data)
			require.NoError(t, err, file)
			for i := range groups.Kids {
				g := &groups.Kids[i]
				name := filepath.Base(file) + ": " + g.Get("description").Text
				schemas++
				va, err := importedIn(g.Get("schema"), suite.draft)
				if err != nil {
					if text := g.Get("schema").String(); strings.Contains(text, "$dynamicRef") || strings.Contains(text, "$recursiveRef") || strings.Contains(err.Error(), "points outside the file") {
						elsewhere++
					} else {
						refused = append(refused, name+": "+err.Error())
					}
					continue
				}
				tests := g.Get("tests").Kids
				for k := range tests {
					verdicts++
					rec := value.Obj(tests[k].Get("data").Clone().Named("value"))
					problems := va.Check(&rec)
					assert.Equal(t, tests[k].Get("valid").Text == "true", len(problems) == 0, "%s: %s: %v\n%s", name, tests[k].Get("description").Text, problems, va.schema.YAML())
				}
			}
		}
		assert.LessOrEqual(t, 20*len(refused), schemas, "%s", strings.Join(refused, "\n"))
		t.Logf("%s: %d schemas, %d verdicts equal; %d refused for references elsewhere, %d for something else", suite.draft, schemas, verdicts, elsewhere, len(refused))
		for _, why := range refused {
			t.Log("   refused: ", why)
		}
	}
}

// importedIn imports a schema as that of a record's one value.
func importedIn(s *value.Value, draft string) (*Validator, error) {
	own := s.Clone().Named("value")
	rebase(&own)
	whole := value.Obj(value.Str(draft).Named("$schema"), value.Str("object").Named("type"), value.Obj(own).Named("properties"), value.List(value.Str("value")).Named("required"))
	ours, _, err := schema.Import("s.json", whole.JSON())
	if err != nil {
		return nil, err
	}
	return NewValidator(ours)
}

// rebase has pointers of a schema lead to where it stands now; those below an address of
// its own stay.
func rebase(v *value.Value) {
	for _, name := range []string{"$id", "id"} {
		if id := v.Get(name); id != nil && id.Kind == value.String && !strings.HasPrefix(id.Text, "#") {
			return
		}
	}
	for i := range v.Kids {
		k := &v.Kids[i]
		if k.Name == "$ref" && k.Kind == value.String && (k.Text == "#" || strings.HasPrefix(k.Text, "#/")) {
			k.Text = "#/properties/value" + strings.TrimPrefix(k.Text, "#")
		}
		if k.Name != "enum" && k.Name != "const" {
			rebase(k)
		}
	}
}
