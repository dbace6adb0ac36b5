package record

import (
	"os"
	"path/filepath"
	"strings"
	"testing"

	"filler/internal/base/value"
	"filler/internal/schema"
)

func TestSuiteProbe(t *testing.T) {
	mod := os.Getenv("GOMODCACHE_DIR")
	for _, d := range []string{"github.com/google/jsonschema-go@v0.4.3/jsonschema/testdata/draft2020-12", "github.com/google/jsonschema-go@v0.4.3/jsonschema/testdata/draft7", "github.com/qri-io/jsonschema@v0.2.1/testdata/draft4", "github.com/qri-io/jsonschema@v0.2.1/testdata/draft6", "github.com/qri-io/jsonschema@v0.2.1/testdata/draft2019-09"} {
		files, _ := filepath.Glob(filepath.Join(mod, d, "*.json"))
		schemas, refused, verdicts, differ := 0, 0, 0, 0
		why := map[string]int{}
		diffs := map[string]int{}
		for _, f := range files {
			data, _ := os.ReadFile(f)
			groups, err := value.ParseBytes(data)
			if err != nil {
				t.Log(f, err)
				continue
			}
			for i := range groups.Kids {
				g := &groups.Kids[i]
				schemas++
				s := g.Get("schema").Clone().Named("value")
				rebase(&s)
				wrapped := value.Obj(value.Str("object").Named("type"), value.Obj(s).Named("properties"), value.List(value.Str("value")).Named("required"))
				if sch := g.Get("schema").Get("$schema"); sch != nil {
					wrapped.Set("$schema", *sch)
				}
				ours, _, err := schema.Import("s.json", wrapped.JSON())
				if err != nil {
					refused++
					msg := err.Error()
					if j := strings.Index(msg, ": "); j > 0 {
						msg = msg[j+2:]
					}
					why[filepath.Base(f)+" "+msg]++
					continue
				}
				va, err := NewValidator(ours)
				if err != nil {
					refused++
					why[filepath.Base(f)+" NV "+err.Error()]++
					continue
				}
				tests := g.Get("tests").Kids
				for k := range tests {
					verdicts++
					rec := value.Obj(tests[k].Get("data").Clone().Named("value"))
					want := tests[k].Get("valid").Text == "true"
					got := len(va.Check(&rec)) == 0
					if got != want {
						differ++
						diffs[filepath.Base(f)]++
						if os.Getenv("SHOW") == filepath.Base(f) {
							t.Log(g.Get("description").Text, "|", tests[k].Get("description").Text, want, va.Check(&rec), string(ours.YAML()))
						}
					}
				}
			}
		}
		t.Logf("%s: %d schemas, %d refused, %d verdicts, %d differ %v", filepath.Base(d), schemas, refused, verdicts, differ, diffs)
		if os.Getenv("WHY") != "" {
			for w, n := range why {
				t.Logf("   %d %.200s", n, w)
			}
		}
	}
}

func rebase(v *value.Value) {
	for i := range v.Kids {
		k := &v.Kids[i]
		if k.Name == "$ref" && k.Kind == value.String && (k.Text == "#" || strings.HasPrefix(k.Text, "#/")) {
			k.Text = "#/properties/value" + strings.TrimPrefix(k.Text, "#")
		}
		rebase(k)
	}
}
