package answer

import (
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"filler/internal/base/value"
	"filler/internal/record"
	"filler/internal/schema"
)

// Each of the ways in which models write a patch comes to the same operation.
func TestPatches(t *testing.T) {
	s := surveyed(t)
	rec, err := value.Parse(strings.Replace(plainSurvey, `"number":2,"deck":"steel"`, `"number":"two","deck":"steel"`, 1))
	require.NoError(t, err)
	faulty := []value.Pointer{"/bays/1/number"}
	op := `{"op":"replace","path":"/bays/1/number","value":2}`
	corrected := plainSurvey
	for name, text := range map[string]string{
		"as asked":              "[" + op + "]",
		"one operation":         op,
		"under a name":          `{"patch":[` + op + `],"why":"it says so"}`,
		"the call of a tool":    `{"name":"patch","arguments":{"operations":[` + op + `]}}`,
		"arguments as a text":   `{"name":"patch","arguments":` + value.Str("["+op+"]").String() + `}`,
		"an object of paths":    `{"/bays/1/number":2}`,
		"capitals":              strings.Replace("["+op+"]", "replace", "REPLACE", 1),
		"another word":          strings.Replace("["+op+"]", "replace", "update", 1),
		"no word":               strings.Replace("["+op+"]", `"op":"replace",`, "", 1),
		"another member":        strings.Replace("["+op+"]", `"value"`, `"new_value"`, 1),
		"dots":                  strings.Replace("["+op+"]", "/bays/1/number", "bays[1].number", 1),
		"a dollar":              strings.Replace("["+op+"]", "/bays/1/number", "$.bays[1].number", 1),
		"no slash":              strings.Replace("["+op+"]", "/bays/1/number", "bays/1/number", 1),
		"within a record":       strings.Replace("["+op+"]", "/bays/1/number", "/record/bays/1/number", 1),
		"the record, corrected": corrected,
		"in a wrapper":          `{"record":` + corrected + `,"changes":1}`,
	} {
		r, err := Read(text, value.Array)
		require.NoError(t, err)
		was := rec.String()
		ops, deviations := Patch(s, &rec, faulty, r)
		require.Equal(t, was, rec.String())
		require.Len(t, ops.Kids, 1, "%s: %s", name, ops.String())
		got := ops.Kids[0]
		assert.Equal(t, []string{"replace", "/bays/1/number", "2"}, []string{got.Word("op"), got.Word("path"), got.Word("value")}, name)
		assert.Equal(t, name == "as asked" || name == "one operation", len(deviations) == 0, "%s: %v", name, deviations)
	}
	r, err := Read(`{"op":"replace","path":"/bays/1/number","value":2}`+"\n"+`{"op":"remove","path":"/bays/0/deck"}`, value.Array)
	require.NoError(t, err)
	ops, _ := Patch(s, &rec, faulty, r)
	assert.Len(t, ops.Kids, 2, "side by side")
	for _, nothing := range []string{`[]`, `{}`, `{"note":"all is well"}`, `{"patch":[]}`} {
		r, err := Read(nothing, value.Array)
		if err == nil {
			ops, _ := Patch(s, &rec, faulty, r)
			assert.Empty(t, ops.Kids, nothing)
		}
	}
}

// A whole record in place of a patch changes the faulty places and no other,
// whatever else it says; for a path that leads nowhere none is made up.
func TestWholeRecordMendsTheFaultyAlone(t *testing.T) {
	s := surveyed(t)
	r := rand.New(rand.NewPCG(61, 62))
	made := 0
	for range 1500 {
		rec, said := randomOf(r, s.Root), randomOf(r, s.Root)
		if rec.Kind == value.Null || said.Kind == value.Null {
			continue
		}
		var paths []value.Pointer
		rec.Walk(func(p value.Pointer, _ *value.Value) bool {
			paths = append(paths, p)
			return true
		})
		var faulty []value.Pointer
		for range 1 + r.IntN(3) {
			faulty = append(faulty, paths[r.IntN(len(paths))])
		}
		isFaulty := map[value.Pointer]bool{}
		for _, p := range faulty {
			isFaulty[p] = true
		}
		ops, _ := Patch(s, &rec, faulty, Result{Value: said})
		for i := range ops.Kids {
			made++
			p := value.Pointer(ops.Kids[i].Word("path"))
			require.True(t, slices.Contains(faulty, p) || p.EachItem(&rec, isFaulty), p)
			require.NotEmpty(t, p, "never the whole record")
			require.True(t, value.Equal(said.At(p), ops.Kids[i].Get("value")))
			require.False(t, value.Equal(rec.At(p), said.At(p)))
		}
		for _, p := range paths {
			require.Equal(t, p, pathOf(&rec, string(p)), "a pointer that leads somewhere stays")
		}
		for _, nowhere := range []string{"/nowhere/1", "nowhere", "$", "", "bays[99].x.y", "//", "/-"} {
			got := pathOf(&rec, nowhere)
			require.True(t, string(got) == nowhere || rec.At(got) != nil || leadsTo(&rec, got), "%q became %q", nowhere, got)
		}
	}
	assert.Greater(t, made, 200)
}

// A plain list that is faulty throughout is one place, however the reply gives it; one with a sound
// item is not.
func TestWholeListForItsItems(t *testing.T) {
	s, err := schema.Parse("s.yaml", []byte("schema: s\nfields:\n  no: {text: Number.}\n  shelves: {list: Shelves., items: {integer: Shelf.}}\n"))
	require.NoError(t, err)
	validator, err := record.NewValidator(s)
	require.NoError(t, err)
	faulty := []value.Pointer{"/shelves/0"}
	for name, text := range map[string]string{
		"the record":   `{"no":"7","shelves":[4,5,6]}`,
		"the field":    `{"shelves":[4,5,6]}`,
		"the list":     `[{"at":"/shelves","value":[4,5,6]}]`,
		"for the item": `[{"at":"/shelves/0","value":[4,5,6]}]`,
		"an operation": `[{"op":"replace","path":"/shelves","value":[4,5,6]}]`,
	} {
		rec, err := value.Parse(`{"no":"7","shelves":["4-6"]}`)
		require.NoError(t, err)
		r, err := Read(text, value.Array)
		require.NoError(t, err)
		ops, _ := Patch(s, &rec, faulty, r)
		require.Len(t, ops.Kids, 1, "%s: %s", name, ops.String())
		assert.Equal(t, []string{"replace", "/shelves", "[4,5,6]"}, []string{ops.Kids[0].Word("op"), ops.Kids[0].Word("path"), ops.Kids[0].Get("value").Named("").String()}, name)
		bounds := &record.Bounds{Schema: s, Problems: validator.Check(&rec), Check: validator.Check, Finish: func(*value.Value) {}, Evident: func(*value.Value) map[value.Pointer]bool { return nil }}
		after, err := bounds.Apply(&rec, &ops)
		require.NoError(t, err, name)
		assert.Equal(t, `{"no":"7","shelves":[4,5,6]}`, after.String(), name)
	}
	rec, err := value.Parse(`{"no":"7","shelves":[3,"4-6"]}`)
	require.NoError(t, err)
	r, err := Read(`{"shelves":[9,5,6]}`, value.Array)
	require.NoError(t, err)
	ops, _ := Patch(s, &rec, []value.Pointer{"/shelves/1"}, r)
	assert.Equal(t, `[{"op":"replace","path":"/shelves/1","value":5}]`, ops.String())
}
