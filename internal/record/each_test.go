package record

import (
	"fmt"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"filler/internal/base/value"
	"filler/internal/schema"
)

// Whatever a model answers: a locked value stays, a value without a problem
// stays, no problem is new, what is taken leaves fewer of them, and an operation
// that is refused takes no other along. What is right already stays right.
func TestEachUnderHostileCorrections(t *testing.T) {
	r := rand.New(rand.NewPCG(71, 72))
	const n = 8
	text := "schema: s\nfields:\n"
	for i := range n {
		text += fmt.Sprintf("  f%d: {integer: F.}\n", i)
	}
	s, err := schema.Parse("s.yaml", []byte(text))
	require.NoError(t, err)
	taken := 0
	for range 3000 {
		right, locked, wrong := map[value.Pointer]string{}, map[value.Pointer]bool{}, map[value.Pointer]bool{}
		record := value.Obj()
		for i := range n {
			p := value.Pointer(fmt.Sprintf("/f%d", i))
			right[p] = fmt.Sprint(r.IntN(9))
			said := right[p]
			if r.IntN(3) == 0 {
				said, wrong[p] = "9", true
			} else {
				locked[p] = r.IntN(2) == 0
			}
			record.Kids = append(record.Kids, value.Num(said).Named(string(p[1:])))
		}
		check := func(v *value.Value) (all []Problem) {
			for p := range right {
				if at := v.At(p); at == nil || at.Text == "9" {
					all = append(all, Problem{Path: p, What: Nowhere{}})
				}
			}
			return all
		}
		b := &Bounds{Schema: s, Problems: check(&record), Check: check, Finish: func(*value.Value) {}, Locked: func(*value.Value) map[value.Pointer]bool {
			all := map[value.Pointer]bool{}
			for p, is := range locked {
				if is {
					all[p] = true
				}
			}
			return all
		}, Evident: func(*value.Value) map[value.Pointer]bool { return nil }}
		patch := value.List()
		for range 1 + r.IntN(5) {
			p := []string{fmt.Sprintf("/f%d", r.IntN(n)), "", "/f99", "/f1/x"}[min(r.IntN(9), 3)*r.IntN(2)]
			if r.IntN(2) == 0 {
				p = fmt.Sprintf("/f%d", r.IntN(n))
			}
			op := value.Obj(value.Str([]string{"replace", "add", "remove", "replace", "replace"}[r.IntN(5)]).Named("op"), value.Str(p).Named("path"))
			v := []value.Value{value.Num(right[value.Pointer(p)] + ""), value.Num("9"), {}, value.Num("4"), value.Obj()}[r.IntN(5)]
			if v.Kind == value.Number && v.Text == "" {
				v = value.Num("3")
			}
			op.Kids = append(op.Kids, v.Named("value"))
			patch.Kids = append(patch.Kids, op)
		}
		after, done, rejected := b.Each(&record, &patch)
		require.LessOrEqual(t, len(done.Kids), len(patch.Kids))
		if len(rejected) > 0 && len(patch.Kids) == len(rejected) {
			require.Equal(t, record.String(), after.String(), "all was refused: %s", patch.String())
		}
		for p := range right {
			was, is := record.At(p), after.At(p)
			if !wrong[p] {
				require.NotNil(t, is, "%s of %s by %s", p, record.String(), patch.String())
				require.True(t, value.Equal(was, is), "%s had no problem: %s became %s by %s", p, was, is, patch.String())
			}
		}
		before, left := check(&record), check(&after)
		require.True(t, within(left, before), "a new problem by %s", patch.String())
		if len(done.Kids) > 0 {
			taken++
			require.Less(t, len(left), len(before))
		}
	}
	assert.Greater(t, taken, 200)
}

// What a list says twice that may say it once, may be said once; what it says once stays, and of what it
// says twice one stays.
func TestDoublesMayGo(t *testing.T) {
	s, _, err := schema.Import("s.json", []byte(`{"type":"object","properties":{"tags":{"type":"array","items":{"type":"string"},"uniqueItems":true},"note":{"type":"string"}}}`))
	require.NoError(t, err)
	v, err := NewValidator(s)
	require.NoError(t, err)
	for _, c := range []struct{ patch, after string }{
		{`[{"op":"replace","path":"/tags","value":["race","night"]}]`, `["race","night"]`},
		{`[{"op":"remove","path":"/tags/2"}]`, `["race","night"]`},
		{`[{"op":"remove","path":"/tags/0"}]`, `["night","race"]`},
		{`[{"op":"replace","path":"/tags","value":["race"]}]`, ""},
		{`[{"op":"replace","path":"/tags","value":["night"]}]`, ""},
		{`[{"op":"replace","path":"/tags","value":[]}]`, ""},
	} {
		rec := parse(t, `{"tags":["race","night","race"]}`)
		patch := parse(t, c.patch)
		b := bounds(v, &rec, map[string]bool{`"race"`: true, `"night"`: true})
		require.Len(t, b.Problems, 1)
		after, err := b.Apply(&rec, &patch)
		if c.after == "" {
			assert.Error(t, err, c.patch)
			continue
		}
		require.NoError(t, err, c.patch)
		assert.Equal(t, c.after, after.Get("tags").Named("").String())
	}
}
